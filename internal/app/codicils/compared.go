package codicils

import (
	"context"
	"fmt"
	"maps"
	"slices"
	"strconv"
	"strings"
	"time"

	"codicil/core/field"
	"codicil/core/proof"
	"codicil/core/rule"
	"codicil/internal/actor"
	"codicil/internal/app/judging"
	"codicil/internal/cache"
	"codicil/internal/contract"
	"codicil/internal/view"
)

// prove runs the proofs of a kind with the codicil, and those that fail without it, and tells what they confirm of its
// rules.
func (k *checking) prove(ctx context.Context, kind string) error {
	bench, err := k.with.Base.Bench(ctx, kind)
	if err != nil {
		return err
	}
	results, err := bench.Runner.RunAll(ctx, bench.Proofs, nil)
	if err != nil {
		return err
	}
	_, now, err := k.now.Base.Runner(ctx, kind)
	if err != nil {
		return err
	}
	k.found.Proofs += len(results)
	format := actor.Of(ctx).Format
	for i := range results {
		r := &results[i]
		if r.Proof == nil || r.Held() {
			continue
		}
		without := now.Run(r.Proof, false)
		why := view.WhyFailed(judging.Shown(ctx, k.with.Base, bench.Reference, r, &format))
		k.found.Failing = append(k.found.Failing, contract.CodicilFailing{
			Proof: r.Proof.ID, Kind: kind, Name: r.Proof.Name, Why: why[0], Before: r.Proof.Codicil == 0 && !without.Held(),
		})
	}
	return k.confirm(ctx, bench, results)
}

// confirm tells what the proofs of a kind confirm of the rules of the codicil that are in force with it, and of a whole
// check also what they notice, with it and without.
func (k *checking) confirm(ctx context.Context, with *judging.Bench, results []proof.Result) error {
	var own []*rule.Compiled
	for _, c := range with.Runner.Book.Rules {
		if k.changed[c.ID] && c.State == rule.InForce && c.Sound() {
			own = append(own, c)
		}
	}
	if len(own) == 0 {
		return nil
	}
	wording := with.Reference.Wording(with.Runner.Book.Vocabulary.Kind, actor.Of(ctx).Format)
	from := len(k.found.Rules)
	for _, c := range own {
		confirmed := proof.ConfirmRule(c, results)
		k.found.Rules = append(k.found.Rules, contract.CheckedRule{
			Rule: c.ID, Version: c.Version, Name: nameOf(c), Sentence: rule.Sentence(c, wording), State: string(confirmed.State), Proofs: len(confirmed.Proofs),
		})
	}
	// Without it: what was in force before, and what its proofs confirmed.
	before, err := k.now.Base.Bench(ctx, with.Runner.Book.Vocabulary.Kind.Key)
	if err != nil {
		return err
	}
	former, err := before.Runner.RunAll(ctx, before.Proofs, nil)
	if err != nil {
		return err
	}
	for i, c := range own {
		if was := judging.InBook(before.Runner.Book, c.ID); was != nil && was.State == rule.InForce && was.Sound() {
			k.found.Rules[from+i].Former = string(proof.ConfirmRule(was, former).State)
		}
	}
	if !k.whole {
		return nil
	}
	begun := k.now.Base.Clock()
	defer func() { k.longest -= k.now.Base.Clock().Sub(begun) }()
	look, leave := context.WithTimeout(ctx, k.longest)
	defer leave()
	for at := 0; at < len(own) && err == nil; at += measuredAtOnce {
		some := own[at:min(at+measuredAtOnce, len(own))]
		err = k.measure(look, from+at, some, with, results, before, former)
	}
	if look.Err() != nil && ctx.Err() == nil {
		return nil // the rest is told as not looked at
	}
	return err
}

// measuredAtOnce is of how many rules it is measured together what proofs notice.
const measuredAtOnce = 4

// measure tells what the proofs notice of some rules, which are told from a place on, with the codicil and without.
func (k *checking) measure(ctx context.Context, from int, rules []*rule.Compiled, with *judging.Bench, results []proof.Result, before *judging.Bench, former []proof.Result) error {
	after, err := with.Measure(ctx, rules, results, nil)
	if err != nil {
		return err
	}
	var were []*rule.Compiled
	for _, c := range rules {
		if was := judging.InBook(before.Runner.Book, c.ID); was != nil && was.State == rule.InForce && was.Sound() {
			were = append(were, was)
		}
	}
	then, err := before.Measure(ctx, were, former, nil)
	if err != nil {
		return err
	}
	for i := range after {
		told := &k.found.Rules[from+i]
		told.After = noticed(&after[i])
		if at := slices.IndexFunc(then, func(s proof.Strength) bool { return s.Rule.ID == told.Rule }); at >= 0 {
			told.Before = noticed(&then[at])
		}
	}
	return nil
}

// unmeasured counts the rules of a whole check of which there was no time to measure what proofs notice.
func (k *checking) unmeasured() (count int) {
	if !k.found.Whole {
		return 0
	}
	for i := range k.found.Rules {
		if k.found.Rules[i].After == nil {
			count++
		}
	}
	return count
}

func nameOf(c *rule.Compiled) string {
	if c.Name != "" {
		return c.Name
	}
	return c.Label()
}

func noticed(s *proof.Strength) *contract.Noticed {
	return &contract.Noticed{Versions: s.Mutants, Noticed: s.Noticed()}
}

// compare tells what is found about rules with the codicil and not without, where there is time for that. What was left as it is
// stays out.
func (k *checking) compare(ctx context.Context, kinds []string, longest time.Duration) error {
	look, leave := context.WithTimeout(ctx, longest)
	defer leave()
	err := k.compareAll(look, kinds)
	if look.Err() != nil && ctx.Err() == nil {
		k.found.Cut, k.found.Findings, k.found.Gone = true, []contract.Finding{}, 0
		return nil
	}
	return err
}

func (k *checking) compareAll(ctx context.Context, kinds []string) error {
	for _, kind := range kinds {
		now := map[string]bool{}
		err := k.now.Findings.Kind(ctx, kind, func(f contract.Finding) error {
			now[f.Key] = true
			return nil
		})
		if err != nil {
			return err
		}
		err = k.with.Findings.Kind(ctx, kind, func(f contract.Finding) error {
			if !now[f.Key] && f.Silenced == nil {
				k.found.Findings = append(k.found.Findings, f)
			}
			delete(now, f.Key)
			return nil
		})
		if err != nil {
			return err
		}
		k.found.Gone += len(now)
	}
	return nil
}

// doubt says what speaks against the codicil.
func (k *checking) doubt() {
	doubt := func(what, title, message string) {
		k.found.Doubts = append(k.found.Doubts, contract.CodicilProblem{What: what, Title: title, Message: message})
	}
	if broken := k.broken(); broken == 1 {
		doubt("proof", "Proofs", "a proof fails with it that passes without")
	} else if broken > 0 {
		doubt("proof", "Proofs", fmt.Sprintf("%d proofs fail with it that pass without", broken))
	}
	if unproved := k.unproved(); len(unproved) > 0 {
		doubt("rule", "Proofs", fmt.Sprintf("the proofs do not show %s both ways", strings.Join(unproved, ", ")))
	}
	if r := k.found.Replay; r != nil && !r.Stale && r.Refused > 0 {
		doubt("replay", "Existing records", fmt.Sprintf("it would refuse, or ask a reason for, %d of %d records and posted documents", r.Refused, r.Saved+r.Posted))
	}
}

// broken counts the proofs that fail with it and hold without.
func (k *checking) broken() (count int) {
	for i := range k.found.Failing {
		if !k.found.Failing[i].Before {
			count++
		}
	}
	return count
}

// unproved names rules that are not proved both ways with it, and were so, or not in force, without.
func (k *checking) unproved() (names []string) {
	for i := range k.found.Rules {
		r := &k.found.Rules[i]
		if r.State != string(proof.ProvedBoth) && (r.Former == "" || r.Former == string(proof.ProvedBoth)) {
			names = append(names, r.Name)
		}
	}
	return names
}

// weaker tells whether the proofs notice a smaller share of the wrong versions of a rule with it than without.
func (k *checking) weaker() bool {
	return slices.ContainsFunc(k.found.Rules, func(r contract.CheckedRule) bool {
		return r.Before != nil && r.After != nil && r.After.Noticed*r.Before.Versions < r.Before.Noticed*r.After.Versions
	})
}

// lines say what a signer must know: what changes, what the proofs say, what is found, what becomes of what exists, and of
// amounts.
func (k *checking) lines(format field.Format, ref *cache.Reference) []string {
	n := func(count int) string { return format.Number(strconv.Itoa(count)) }
	return []string{k.changesLine(n, ref), k.proofsLine(n), k.findingsLine(n), k.replayLine(n), k.amountsLine(n)}
}

func plural(n func(int) string, count int, one, many string) string {
	if count == 1 {
		return n(1) + " " + one
	}
	return n(count) + " " + many
}

// and lists words.
func and(words []string) string {
	if last := len(words) - 1; last > 0 {
		return strings.Join(words[:last], ", ") + " and " + words[last]
	}
	return strings.Join(words, "")
}

func (k *checking) changesLine(n func(int) string, ref *cache.Reference) string {
	counted, kinds, companies, everywhere := map[string]int{}, map[string]bool{}, map[string]bool{}, false
	for i := range k.contents {
		c := &k.contents[i]
		counted[c.What]++
		for _, text := range []*string{c.Before, c.After} {
			definition, err := c.Definition(text)
			if r, is := definition.(rule.Rule); err == nil && is {
				if kind, err := ref.Kind(r.Kind); err == nil {
					kinds[strings.ToLower(kind.Plural)] = true
				}
				everywhere = everywhere || len(r.Scope.Companies) == 0
				for _, company := range r.Scope.Companies {
					companies[company] = true
				}
			}
		}
	}
	var parts []string
	for _, what := range []struct{ key, one, many string }{
		{"rule", "rule", "rules"}, {"standing", "standing value", "standing values"}, {"crosswalk", "crosswalk", "crosswalks"},
		{"series", "number series", "number series"}, {"list", "list", "lists"}, {"field", "field", "fields"}, {"layout", "layout", "layouts"}, {"map", "map", "maps"},
	} {
		if counted[what.key] == 0 {
			continue
		}
		part := plural(n, counted[what.key], what.one, what.many)
		if what.key == "rule" && len(kinds) > 0 {
			part += " for " + and(slices.Sorted(maps.Keys(kinds)))
		}
		parts = append(parts, part)
	}
	if len(parts) == 0 {
		parts = []string{"no rule and no table"}
	}
	line := "It changes " + and(parts)
	switch {
	case counted["rule"] == 0:
	case everywhere:
		line += ", in all companies"
	case len(companies) == 1:
		line += ", in company " + and(slices.Sorted(maps.Keys(companies)))
	default:
		line += ", in companies " + and(slices.Sorted(maps.Keys(companies)))
	}
	if k.kept > 0 {
		line += ", and brings " + plural(n, k.kept, "proof", "proofs")
	}
	return line + "."
}

func (k *checking) proofsLine(n func(int) string) string {
	line, broken := "No proof is about what it touches.", k.broken()
	switch {
	case broken > 0:
		line = fmt.Sprintf("%s of %s of what it touches %s with it and %s without.", n(broken), plural(n, k.found.Proofs, "proof", "proofs"), verb(broken, "fails", "fail"), verb(broken, "passes", "pass"))
	case k.found.Proofs > 0:
		still := len(k.found.Failing) // they fail without it too
		passing := k.found.Proofs - still
		line = plural(n, passing, "proof", "proofs") + " of what it touches " + verb(passing, "passes", "pass") + " with it."
		if still > 0 {
			line = line[:len(line)-1] + fmt.Sprintf(", %s %s with it and without.", n(still), verb(still, "fails", "fail"))
		}
	}
	if unproved := len(k.unproved()); unproved == 1 && len(k.found.Rules) == 1 {
		line += " Its rule is not proved both ways."
	} else if unproved > 0 {
		line += fmt.Sprintf(" %s of its %s %s not proved both ways.", n(unproved), plural(n, len(k.found.Rules), "rule", "rules"), verb(unproved, "is", "are"))
	}
	var then, now contract.Noticed
	for i := range k.found.Rules {
		if r := &k.found.Rules[i]; r.After != nil {
			now.Versions, now.Noticed = now.Versions+r.After.Versions, now.Noticed+r.After.Noticed
			if r.Before != nil {
				then.Versions, then.Noticed = then.Versions+r.Before.Versions, then.Noticed+r.Before.Noticed
			}
		}
	}
	if now.Versions > 0 {
		line += fmt.Sprintf(" Of %s of its rules the proofs notice %s", plural(n, now.Versions, "wrong version", "wrong versions"), n(now.Noticed))
		if then.Versions > 0 {
			line += fmt.Sprintf("; without it %s of %s", n(then.Noticed), n(then.Versions))
		}
		line += "."
	}
	if left := k.unmeasured(); left > 0 {
		line += fmt.Sprintf(" What they notice of %s was not measured in time.", plural(n, left, "rule", "rules"))
	}
	return line
}

func verb(count int, one, many string) string {
	if count == 1 {
		return one
	}
	return many
}

func (k *checking) findingsLine(n func(int) string) string {
	if !k.whole {
		return "Findings were not compared."
	}
	if k.found.Cut {
		return "There was no time to compare all findings."
	}
	line := "No finding is new with it"
	if found := len(k.found.Findings); found > 0 {
		line = plural(n, found, "finding is", "findings are") + " new with it"
	}
	if k.found.Gone > 0 {
		line += ", " + n(k.found.Gone) + " gone"
	}
	return line + "."
}

func (k *checking) replayLine(n func(int) string) string {
	r := k.found.Replay
	if r == nil {
		return "It has not been replayed on existing records."
	}
	looked := plural(n, r.Saved, "saved record", "saved records") + " and " + plural(n, r.Posted, "posted document", "posted documents")
	var found []string
	if r.Refused > 0 {
		found = append(found, n(r.Refused)+" would be refused or asked a reason for")
	}
	if r.Eased > 0 {
		found = append(found, n(r.Eased)+" would be asked or refused less")
	}
	if r.Changed > 0 {
		found = append(found, n(r.Changed)+" would get different values")
	}
	line := looked + " would come out the same."
	if len(found) > 0 {
		line = "Of " + looked + ", " + and(found) + "."
	}
	if r.Drifted > 0 {
		line += " " + n(r.Drifted) + " of those differ from what is saved already, without it."
	}
	if r.Unknown > 0 {
		line += fmt.Sprintf(" Of %s it is not known what they read when they were posted.", n(r.Unknown))
	}
	if r.Unjudged > 0 {
		line += fmt.Sprintf(" %s could not be judged.", n(r.Unjudged))
	}
	switch {
	case r.Stale:
		line += " That was before the last change; replay it again."
	case r.State != contract.RunStateDone:
		line += fmt.Sprintf(" The replay has looked at %s of %s.", n(r.Done), n(r.Total))
	}
	return line
}

// mostMoved is how many amounts a line names.
const mostMoved = 3

func (k *checking) amountsLine(n func(int) string) string {
	r := k.found.Replay
	switch {
	case r == nil:
		return "Whether amounts would change is not known."
	case r.Amounts == 0:
		return "No amount of a posted document would change."
	}
	var moved []string
	for i := range r.Effects {
		e := &r.Effects[i]
		for _, m := range e.Moved {
			moved = append(moved, fmt.Sprintf("%s of %s in company %s by %s %s", e.Label, strings.ToLower(e.KindLabel), e.Company, m.Text, m.Currency))
		}
	}
	line := fmt.Sprintf("Amounts of %s would change", plural(n, r.Amounts, "posted document", "posted documents"))
	if more := len(moved) - mostMoved; more > 0 {
		moved = append(moved[:mostMoved], n(more)+" more")
	}
	if len(moved) > 0 {
		line += ": " + strings.Join(moved, "; ")
	}
	return line + "."
}
