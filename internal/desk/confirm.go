package desk

import (
	"context"
	"fmt"
	"slices"
	"strings"
	"time"

	"codicil/core/engine"
	"codicil/core/field"
	"codicil/core/judge"
	"codicil/core/proof"
	"codicil/core/record"
	"codicil/core/rule"
	"codicil/internal/contract"
	"codicil/internal/store"
)

// Confirmation tells what the proofs confirm of every rule in force of a kind; strength
// measures also what they would notice.
func (d *Desk) Confirmation(ctx context.Context, kind string, strength bool) ([]contract.Confirmation, error) {
	b, err := d.bench(ctx, kind, nil)
	if err != nil {
		return nil, err
	}
	results, err := b.runner.RunAll(ctx, b.proofs, nil)
	if err != nil {
		return nil, err
	}
	confirmed := proof.Confirm(b.runner.Book, results)
	shown := list(confirmed, b.showConfirmation)
	if !strength {
		return shown, nil
	}
	strengths, err := b.runner.Measure(ctx, list(confirmed, func(c proof.Confirmation) *rule.Compiled { return c.Rule }), results, nil)
	if err != nil {
		return nil, err
	}
	for i := range shown {
		if shown[i].Strength, err = d.showStrength(ctx, &strengths[i]); err != nil {
			return nil, err
		}
	}
	return shown, nil
}

func (b *bench) showConfirmation(c proof.Confirmation) contract.Confirmation {
	r := c.Rule
	return contract.Confirmation{
		Rule: r.ID, Version: r.Version, RuleState: r.State, Sentence: rule.Sentence(r, b.masters.names(r.Vocabulary().Kind)), Family: string(r.Family),
		Target: r.Target, Field: r.Vocabulary().Kind.Fields[r.Field].Label,
		Companies: append([]string{}, r.Scope.Companies...), Types: append([]string{}, r.Scope.Types...),
		State: contract.ConfirmationState(c.State), Reached: c.Reached(), Proofs: c.Proofs,
		Goals: list(c.Goals, func(g proof.Shown) contract.Goal { return contract.Goal{Words: g.Words, Proofs: g.Proofs} }),
	}
}

func (d *Desk) showStrength(ctx context.Context, s *proof.Strength) (*contract.Strength, error) {
	shown := &contract.Strength{
		Mutants: s.Mutants, Noticed: s.Noticed(), Aside: []contract.SetAside{},
		Unnoticed: list(s.Unnoticed, func(m proof.Mutant) string { return m.Change }),
	}
	if len(s.Unnoticed) == 0 {
		return shown, nil
	}
	aside, err := d.store.SetAsides(ctx, s.Rule.ID)
	for _, a := range aside {
		if slices.Contains(shown.Unnoticed, a.Change) {
			shown.Aside = append(shown.Aside, setAside(a))
		}
	}
	return shown, err
}

func setAside(a store.SetAside) contract.SetAside {
	at, _ := time.Parse(time.RFC3339, a.At)
	return contract.SetAside{Change: a.Change, Reason: a.Reason, At: at, By: a.By}
}

// SetAside sets aside a wrong version of a rule with a reason, or takes that back without one.
// It goes on counting as not noticed.
func (d *Desk) SetAside(ctx context.Context, id int64, request contract.AsideRequest) ([]contract.SetAside, error) {
	err := d.alone(ctx, func() (*pending, error) {
		if _, err := d.keptRule(ctx, id); err != nil {
			return nil, err
		}
		reason := strings.TrimSpace(request.Reason)
		return &pending{write: func(tx *store.Store) error {
			if reason == "" {
				return tx.DeleteSetAside(ctx, id, request.Change)
			}
			return tx.SaveSetAside(ctx, id, request.Change, reason, d.clock(), d.user)
		}}, nil
	})
	if err != nil {
		return nil, err
	}
	aside, err := d.store.SetAsides(ctx, id)
	return list(aside, setAside), err
}

// measured are the results of the proofs of a rule's kind; the rule stands in the book as it is
// given, as if it were in force.
func (d *Desk) measured(ctx context.Context, r rule.Rule) (*bench, *rule.Compiled, []proof.Result, error) {
	b, err := d.bench(ctx, r.Kind, nil)
	if err != nil {
		return nil, nil, nil, err
	}
	r.State = rule.InForce
	b.runner = b.runner.With(r)
	c := b.runner.Book.Rules[slices.IndexFunc(b.runner.Book.Rules, func(c *rule.Compiled) bool { return c.ID == r.ID })]
	if !c.Sound() {
		return nil, nil, nil, conflict("unsound", "%s has an error: %s. Mend it first", c.Label(), c.Problems[0].Message)
	}
	results, err := b.runner.RunAll(ctx, b.proofs, nil)
	return b, c, results, err
}

// keptRule returns a rule by its number.
func (d *Desk) keptRule(ctx context.Context, id int64) (rule.Rule, error) {
	r, err := d.store.Rule(ctx, id)
	return r, explain(err)
}

// ConfirmRule tells what the proofs confirm of one rule, with its strength.
func (d *Desk) ConfirmRule(ctx context.Context, id int64) (contract.Confirmation, error) {
	r, err := d.keptRule(ctx, id)
	if err != nil {
		return contract.Confirmation{}, err
	}
	b, c, results, err := d.measured(ctx, r)
	if err != nil {
		return contract.Confirmation{}, err
	}
	shown := b.showConfirmation(proof.ConfirmRule(c, results))
	strengths, err := b.runner.Measure(ctx, []*rule.Compiled{c}, results, nil)
	if err == nil {
		shown.Strength, err = d.showStrength(ctx, &strengths[0])
	}
	return shown, err
}

// most is how many saved records and numbers suggestions are made from.
const most = 12

// SuggestProofs proposes documents that show what no proof shows of a rule yet.
func (d *Desk) SuggestProofs(ctx context.Context, id int64, request contract.SuggestRequest) ([]contract.Suggestion, error) {
	r, err := d.keptRule(ctx, id)
	if err != nil {
		return nil, err
	}
	b, c, results, err := d.measured(ctx, r)
	if err != nil {
		return nil, err
	}
	bases, err := d.bases(ctx, b, c, results)
	if err != nil {
		return nil, err
	}
	var failed error
	search := proof.Search{Runner: b.runner, Rule: c, Bases: bases, Results: results, Numbers: func(kind, company string) (numbers []string) {
		k, err := b.masters.kind(kind)
		if err != nil {
			return nil
		}
		s, err := d.shelf(ctx, kind)
		if err != nil {
			failed = err
			return nil
		}
		for i := range s.rows {
			if r := &s.rows[i]; (k.Shared || r.Company == company) && len(numbers) < most {
				numbers = append(numbers, r.Number)
			}
		}
		return numbers
	}}
	found, err := search.Run(ctx)
	if err == nil {
		err = failed
	}
	return list(found, func(s proof.Suggestion) contract.Suggestion { return d.showSuggestion(ctx, b, c, s, request.Format) }), err
}

// bases are the documents to make suggestions from: proofs of the rule, then others that are
// accepted, then saved records.
func (d *Desk) bases(ctx context.Context, b *bench, c *rule.Compiled, results []proof.Result) (bases []proof.Base, err error) {
	add := func(wanted func(r *proof.Result) bool) {
		for i := range results {
			if r := &results[i]; r.Held() && wanted(r) {
				given := r.Proof.Given
				bases = append(bases, proof.Base{Document: given, Origin: fmt.Sprintf("proof %d, %s", r.Proof.ID, r.Proof.Name)})
			}
		}
	}
	accepted := func(r *proof.Result) bool { return r.Outcome.Verdict == engine.Accepted }
	named := func(r *proof.Result) bool { return slices.Contains(r.Proof.Rules, c.ID) }
	add(func(r *proof.Result) bool { return named(r) && accepted(r) })
	add(func(r *proof.Result) bool { return !named(r) && accepted(r) })
	add(func(r *proof.Result) bool { return named(r) && !accepted(r) })
	kind := c.Vocabulary().Kind
	s, err := d.shelf(ctx, kind.Key)
	if err != nil {
		return nil, err
	}
	seen := map[string]int{}
	for i := range s.rows {
		r := &s.rows[i]
		if seen[r.Company+r.Type]++; seen[r.Company+r.Type] > 2 {
			continue
		}
		document := documentOf(kind, r)
		document.Record, document.Day = "", d.today(b.masters.company(r.Company))
		// What no other record may have is the record's own: a document made from it has another.
		for _, rule := range b.runner.Book.Rules {
			for _, place := range rule.Unique {
				if f := &kind.Fields[place]; f.Type == field.Text && !f.OfLine() && document.Entered[f.Key].Value != "" {
					document.Entered[f.Key] = judge.Item{Value: document.Entered[f.Key].Value + "-2"}
				}
			}
		}
		document.Previous, document.PreviousOfType = &record.Content{Values: map[string]string{}}, &record.Content{Values: map[string]string{}}
		bases = append(bases, proof.Base{Document: document, Origin: kind.Noun() + " " + r.Number})
	}
	return bases, nil
}

func (d *Desk) showSuggestion(ctx context.Context, b *bench, c *rule.Compiled, s proof.Suggestion, format *field.Format) contract.Suggestion {
	reader := newReader(s.Result.Plan, s.Result.Outcome, d.links(ctx, b.masters, s.Document.Company), format)
	kind := s.Result.Plan.Kind()
	differs := list(s.Changes, func(change proof.Change) string {
		place, line := judge.Place(kind, change.Address)
		text := "blank"
		if v, wrong := kind.Fields[place].Parse(change.Value); wrong == nil && !v.IsNull() {
			text = reader.at(engine.Spot{Place: place, Line: line}, v)
		}
		return labelOf(kind, place, line) + " " + text
	})
	if s.Saved {
		differs = append([]string{"a record that was saved before"}, differs...)
	}
	shown := contract.Suggestion{
		Document: s.Document, Differs: differs, Origin: s.Origin, Verdict: s.Result.Outcome.Verdict,
		Result: reader.resultOf(c), Shows: list(s.Shows, func(g proof.Goal) string { return g.Words(c) }),
		Notices: list(s.Notices, func(m proof.Mutant) string { return m.Change }),
	}
	where := s.Result.Plan.Scope.Type.Label + " in " + s.Document.Company
	shown.Name = strings.Join(append([]string{where}, differs...), ", ") + ": " + shown.Result
	return shown
}

// resultOf says what a rule made of a document, in one sentence.
func (r *reader) resultOf(c *rule.Compiled) string {
	for _, m := range r.out.Messages {
		if m.Rule != nil && m.Rule.ID == c.ID {
			return string(m.Severity) + ", “" + m.Text + "”"
		}
	}
	kind := r.plan.Kind()
	said := "the rule on " + labelOf(kind, c.Field, 0) + " does not hold there"
	for _, s := range r.out.Spots() {
		label := labelOf(kind, s.Place, s.Line)
		for _, a := range s.Rules {
			if a.Rule.ID != c.ID {
				continue
			}
			value := r.at(s, s.Final)
			if value == "" {
				value = "blank"
			}
			switch {
			case a.Did == engine.Acted && c.Family == rule.Entry:
				return label + " is " + proof.MannerOf(s.Field)
			case a.Did == engine.Acted && c.Family != rule.FollowUp:
				return label + " becomes " + value
			case a.Did == engine.Acted:
				return "it writes " + label
			case c.Family == rule.Validate:
				said = "it has nothing to say"
			default:
				said = label + " stays " + value
			}
		}
	}
	return said
}

// ReadProof says that a person has read a suggested proof.
func (d *Desk) ReadProof(ctx context.Context, id int64) (contract.Proof, error) {
	return d.changeProof(ctx, id, "read", "", func(p *proof.Proof) error {
		p.Unread = false
		return nil
	})
}

// RefreshProof lets a proof carry what it reads as that is now. What it expects stays.
func (d *Desk) RefreshProof(ctx context.Context, id int64) (contract.Proof, error) {
	return d.changeProof(ctx, id, "carried anew", "", func(p *proof.Proof) error {
		p.Given.Carried = nil
		b, err := d.bench(ctx, p.Given.Kind, nil)
		if err != nil {
			return err
		}
		p.Given.Carried, err = b.runner.Carry(p)
		return err
	})
}

// AcceptProof makes what comes out now what the proof expects, for the fields
// that it already expects. why says why that is right.
func (d *Desk) AcceptProof(ctx context.Context, id int64, request contract.AcceptRequest) (contract.Proof, error) {
	why := strings.TrimSpace(request.Why)
	if why == "" {
		return contract.Proof{}, invalid("no-reason", "say why what comes out now is right; it stays with the proof")
	}
	return d.changeProof(ctx, id, "accepted", why, func(p *proof.Proof) error {
		if request.Version != 0 && request.Version != p.Version {
			return explain(store.ErrStale)
		}
		b, err := d.bench(ctx, p.Given.Kind, nil)
		if err != nil {
			return err
		}
		result := b.runner.Run(p, true)
		if result.Err != nil {
			return invalid("cannot-run", "the proof can no longer be run: %v", result.Err)
		}
		p.Expect = p.Expect.Renewed(result.Outcome, result.Plan)
		p.Seen = result.Plan.Versions()
		return nil
	})
}

// TakeBackProof goes back to what a proof was before its last change, as its next version.
func (d *Desk) TakeBackProof(ctx context.Context, id int64) (contract.Proof, error) {
	versions, err := d.store.ProofVersions(ctx, id)
	if err != nil {
		return contract.Proof{}, err
	}
	if len(versions) < 2 {
		return contract.Proof{}, conflict("no-earlier", "proof %d is as it was kept first; there is nothing to take back", id)
	}
	before := versions[1]
	return d.changeProof(ctx, id, "taken back", fmt.Sprintf("as it was in version %d", before.Version), func(p *proof.Proof) error {
		p.Name, p.Rules, p.Given, p.Expect = before.Name, before.Rules, before.Given, before.Expect
		return nil
	})
}

// ProofVersions returns what a proof has been, newest first.
func (d *Desk) ProofVersions(ctx context.Context, id int64) ([]contract.ProofVersion, error) {
	if _, err := d.store.Proof(ctx, id); err != nil {
		return nil, explain(err)
	}
	versions, err := d.store.ProofVersions(ctx, id)
	return list(versions, func(v store.ProofVersion) contract.ProofVersion {
		return contract.ProofVersion{Version: v.Version, What: v.What, Why: v.Why, Name: v.Name, Expect: v.Expect, ChangedAt: v.ChangedAt, ChangedBy: v.ChangedBy}
	}), err
}

func (d *Desk) changeProof(ctx context.Context, id int64, what, why string, change func(*proof.Proof) error) (contract.Proof, error) {
	err := d.commit(ctx, func() (*pending, error) {
		book, _, err := d.version(ctx)
		if err != nil {
			return nil, err
		}
		p, err := d.store.Proof(ctx, id)
		if err != nil {
			return nil, explain(err)
		}
		if err := change(&p); err != nil {
			return nil, err
		}
		return &pending{reads: newReadSet(book), write: func(tx *store.Store) error {
			_, err := tx.SaveProof(ctx, p, what, why, d.clock(), d.user)
			return err
		}}, nil
	})
	if err != nil {
		return contract.Proof{}, err
	}
	return d.Proof(ctx, id)
}
