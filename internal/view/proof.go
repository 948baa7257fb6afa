package view

import (
	"fmt"
	"slices"
	"strings"
	"time"

	"codicil/core/engine"
	"codicil/core/field"
	"codicil/core/judge"
	"codicil/core/plan"
	"codicil/core/proof"
	"codicil/core/record"
	"codicil/core/rule"
	"codicil/internal/contract"
)

// Proof shows a proof; the book names its rules.
func Proof(p proof.Proof, book *plan.Book, titles Titles) contract.Proof {
	if f := p.Given.Fixtures; f != nil && len(f.Alike) > 0 {
		own := *f
		own.Alike = slices.Clone(f.Alike)
		for i := range own.Alike {
			a := &own.Alike[i]
			a.Numbers = List(a.Numbers, func(number string) string {
				if titles.Elsewhere(p.Given.Kind, number) {
					return InAnotherCompany
				}
				return number
			})
		}
		p.Given.Fixtures = &own
	}
	shown := contract.Proof{ID: p.ID, Name: p.Name, Rules: p.Rules, Given: p.Given, Expect: p.Expect, Titles: []string{}, Posting: p.Posting, Unread: p.Unread,
		Version: p.Version, ChangedAt: p.ChangedAt, ChangedBy: p.ChangedBy}
	for _, id := range p.Rules {
		for _, c := range book.Rules {
			if c.ID == id {
				shown.Titles = append(shown.Titles, c.Name)
			}
		}
	}
	return shown
}

// ProofVersion shows a proof as it was at one time.
func ProofVersion(p *proof.Proof, what, why string, changed record.Stamp) contract.ProofVersion {
	return contract.ProofVersion{Version: p.Version, What: what, Why: why, Name: p.Name, Expect: p.Expect, ChangedAt: changed.At, ChangedBy: changed.By}
}

// ProofResult tells what came of a proof. reader shows its outcome; nil where it could not be
// run.
func ProofResult(r *proof.Result, reader *Reader) contract.ProofResult {
	result := contract.ProofResult{Proof: r.Proof.ID, Differences: []contract.Difference{}}
	if r.Err != nil {
		result.Error = r.Err.Error()
		return result
	}
	result.Held = r.Held()
	if !result.Held {
		result.Since = changedSince(r)
	}
	result.Differences = List(r.Differences, func(d proof.Difference) contract.Difference { return reader.difference(r, d) })
	return result
}

func (r *Reader) difference(result *proof.Result, d proof.Difference) contract.Difference {
	shown := contract.Difference{What: contract.DifferenceWhat(d.What), Field: d.Field, Expected: d.Expected, Actual: d.Actual}
	switch d.What {
	case "write":
		r.written(&shown)
	case "rule":
		shown.Label = "rule " + d.Field
	}
	kind := result.Plan.Kind()
	place, line := judge.IndexOf(kind, d.Field)
	if place < 0 {
		return shown
	}
	shown.Label = LabelOf(kind, place, line)
	at := result.Outcome.Field(place, line)
	if at == nil {
		return shown
	}
	cell := engine.Cell{Index: place, Line: line, Field: at}
	shown.Acts = r.Acts(cell)
	if d.What == "value" {
		v, _ := kind.Fields[place].Parse(d.Expected)
		shown.Expected, shown.Actual = r.At(cell, v), r.At(cell, at.Final)
	}
	return shown
}

// written shows what would be written to a linked record, whose kind, number and field the difference names.
func (r *Reader) written(d *contract.Difference) {
	d.Label = d.Field
	key, rest, _ := strings.Cut(d.Field, " ")
	last := strings.LastIndex(rest, " ")
	kind := r.plan.Vocabulary.Linkable(key)
	if kind == nil || last < 0 {
		return
	}
	f := kind.Field(rest[last+1:])
	if f == nil {
		return
	}
	d.Label = fmt.Sprintf("%s of %s", f.Label, r.Titles.Link(key, rest[:last]))
	for _, text := range []*string{&d.Expected, &d.Actual} {
		if v, wrong := f.Parse(*text); wrong == nil && !v.IsNull() {
			*text = r.remote(f, v)
		}
	}
}

// changedSince tells which rules of the plan are others than when the proof was kept.
func changedSince(r *proof.Result) []contract.RuleChanged {
	changes := []contract.RuleChanged{}
	now := r.Plan.Versions()
	for id, version := range now {
		if before := r.Proof.Seen[id]; before != version && len(r.Proof.Seen) > 0 {
			changes = append(changes, contract.RuleChanged{Rule: id, From: before, To: version})
		}
	}
	for id, version := range r.Proof.Seen {
		if now[id] == 0 {
			changes = append(changes, contract.RuleChanged{Rule: id, From: version})
		}
	}
	slices.SortFunc(changes, func(a, b contract.RuleChanged) int { return int(a.Rule - b.Rule) })
	return changes
}

// WhyFailed says in what a proof fails, one text for each difference; nothing where it holds.
func WhyFailed(r contract.ProofResult) []string {
	if r.Error != "" {
		return []string{r.Error}
	}
	return List(r.Differences, func(d contract.Difference) string {
		what := d.Label
		if what == "" {
			what = strings.ToUpper(string(d.What[:1])) + string(d.What[1:])
		}
		return fmt.Sprintf("%s: expected %s, came out %s", what, OrBlank(d.Expected), OrBlank(d.Actual))
	})
}

// ReportedProof shows a proof in a report; result is what came of it.
func ReportedProof(p *proof.Proof, result contract.ProofResult) contract.ReportedProof {
	told := contract.ReportedProof{ID: p.ID, Name: p.Name, Version: p.Version, KeptBy: p.ChangedBy, Held: result.Held, Unread: p.Unread}
	if why := WhyFailed(result); len(why) > 0 {
		told.Why = why[0]
	}
	if at, err := time.Parse(time.RFC3339, p.ChangedAt); err == nil {
		told.KeptAt = &at
	}
	return told
}

// Confirmation shows what the proofs confirm of a rule.
func Confirmation(c proof.Confirmation, names rule.Wording) contract.Confirmation {
	r := c.Rule
	return contract.Confirmation{
		Rule: r.ID, Version: r.Version, RuleState: r.State, Sentence: rule.Sentence(r, names), Family: string(r.Family),
		Target: r.Target, Field: r.Vocabulary().Kind.Fields[r.Field].Label,
		Companies: append([]string{}, r.Scope.Companies...), Types: append([]string{}, r.Scope.Types...),
		State: contract.ConfirmationState(c.State), Reached: c.Reached(), Proofs: c.Proofs,
		Goals: List(c.Goals, func(g proof.Shown) contract.Goal { return contract.Goal{Words: g.Words, Proofs: g.Proofs} }),
	}
}

// Strength shows what proofs notice of the wrong versions of a rule; aside are those that were
// set aside.
func Strength(s *proof.Strength, aside []contract.SetAside) *contract.Strength {
	shown := &contract.Strength{
		Mutants: s.Mutants, Noticed: s.Noticed(), Aside: []contract.SetAside{},
		Unnoticed: List(s.Unnoticed, func(m proof.Mutant) string { return m.Change }),
	}
	for _, a := range aside {
		if slices.Contains(shown.Unnoticed, a.Change) {
			shown.Aside = append(shown.Aside, a)
		}
	}
	return shown
}

// SetAside shows a wrong version that was set aside.
func SetAside(change, reason string, by record.Stamp) contract.SetAside {
	return contract.SetAside{Change: change, Reason: reason, At: At(by), By: by.By}
}

// Suggestion shows a document that would prove more of a rule.
func (r *Reader) Suggestion(c *rule.Compiled, s proof.Suggestion) contract.Suggestion {
	kind := s.Result.Plan.Kind()
	differs := List(s.Changes, func(change proof.Change) string {
		place, line := judge.IndexOf(kind, change.Address)
		text := "blank"
		if v, wrong := kind.Fields[place].Parse(change.Value); wrong == nil && !v.IsNull() {
			text = r.At(engine.Cell{Index: place, Line: line}, v)
		}
		return LabelOf(kind, place, line) + " " + text
	})
	if s.Saved {
		differs = append([]string{"a record that was saved before"}, differs...)
	}
	shown := contract.Suggestion{
		Document: s.Document, Differs: differs, Origin: s.Origin, Verdict: s.Result.Outcome.Verdict,
		Result: r.ResultOf(c), Shows: List(s.Shows, func(g proof.Goal) string { return g.Words(c) }),
		Notices: List(s.Notices, func(m proof.Mutant) string { return m.Change }),
	}
	where := s.Result.Plan.Scope.Type.Label + " in " + s.Document.Company
	shown.Name = strings.Join(append([]string{where}, differs...), ", ") + ": " + shown.Result
	return shown
}

// ResultOf says what a rule made of a document, in one sentence.
func (r *Reader) ResultOf(c *rule.Compiled) string {
	for _, m := range r.out.Messages {
		if m.Rule != nil && m.Rule.ID == c.ID {
			return string(m.Severity) + ", “" + m.Text + "”"
		}
	}
	kind := r.plan.Kind()
	said := "the rule on " + LabelOf(kind, c.Field, 0) + " does not hold there"
	for _, s := range r.out.Cells() {
		label := LabelOf(kind, s.Index, s.Line)
		for _, a := range s.Rules {
			if a.Rule.ID != c.ID {
				continue
			}
			own, value := families[c.Family], OrBlank(r.At(s, s.Final))
			switch {
			case a.Did == engine.Acted && own.acted != nil:
				return own.acted(label, s.Field)
			case a.Did == engine.Acted:
				return label + " becomes " + value
			case own.still != "":
				said = own.still
			default:
				said = label + " stays " + value
			}
		}
	}
	return said
}

// Counterpart is the field of another outcome with the key and in the line of a cell, whose kind may have other fields;
// nil where it has none.
func Counterpart(kind *record.Kind, s engine.Cell, other *record.Kind, out *engine.Outcome) *engine.Field {
	key, place := kind.Fields[s.Index].Key, s.Index
	if place >= len(other.Fields) || other.Fields[place].Key != key {
		place = other.Index(key)
	}
	if place < 0 {
		return nil
	}
	return out.Field(place, s.Line)
}

// Impact tells how other rules change the outcome of one saved record; before is the outcome
// without them.
func (r *Reader) Impact(row *record.Record, title string, before, now *proof.Result) (hit contract.RunHit, refused, changed bool) {
	kind := now.Plan.Kind()
	var speaking []string
	hit.Changes = []contract.ValueChange{}
	for _, s := range now.Outcome.Cells() {
		old := Counterpart(kind, s, before.Plan.Kind(), before.Outcome)
		if old == nil && s.Final.IsNull() {
			continue
		}
		if old == nil || fieldText(old) != fieldText(s.Field) {
			changed = true
			was, is := contract.Shown{}, r.shown(s, s.Final)
			if old != nil {
				was = r.shown(s, old.Final)
			}
			hit.Changes = append(hit.Changes, contract.ValueChange{Field: kind.Fields[s.Index].Key, Line: s.Line, Label: LabelOf(kind, s.Index, s.Line), Before: was, After: is})
		}
	}
	if changed {
		hit.What = contract.RunHitWhat("change")
	}
	// What the rule itself says, and what it lets others say.
	said := proof.MessagesOf(before.Outcome, before.Plan.Kind())
	matched := make([]bool, len(said))
	for i, m := range proof.MessagesOf(now.Outcome, kind) {
		at := 0
		for at < len(said) && (matched[at] || !m.Fits(said[at])) {
			at++
		}
		if at < len(said) {
			matched[at] = true
			continue
		}
		if m.Severity == rule.Refuse || (m.Severity == rule.Confirm && now.Outcome.Messages[i].Reason == "") {
			refused = true
		}
		if what := contract.RunHitWhat(m.Severity); hit.What == "" || Weight(what) > Weight(hit.What) {
			hit.What = what
		}
		speaking = append(speaking, now.Outcome.Messages[i].Text)
	}
	for i, m := range said {
		if matched[i] || (m.Severity != rule.Refuse && m.Severity != rule.Confirm) {
			continue
		}
		if hit.What == "" {
			hit.What = contract.RunHitWhatEase
		}
		speaking = append(speaking, "no longer: "+before.Outcome.Messages[i].Text)
	}
	hit.Said = strings.Join(speaking, "; ")
	hit.Told = saidOf(&hit)
	hit.Kind, hit.Number, hit.Company, hit.Type, hit.Posted, hit.Title = row.Kind, row.Number, row.Company, row.Type, row.State == record.Posted, title
	return hit, refused, changed
}

// saidOf are the changes and messages of a hit in a line.
func saidOf(hit *contract.RunHit) string {
	parts := List(hit.Changes, func(c contract.ValueChange) string {
		return fmt.Sprintf("%s %s → %s", c.Label, OrBlank(c.Before.Text), OrBlank(c.After.Text))
	})
	if hit.Said != "" {
		parts = append(parts, hit.Said)
	}
	return strings.Join(parts, "; ")
}

// Retell shows the values of a hit that a run kept as everybody reads them as a person writes them.
func Retell(hit *contract.RunHit, kind *record.Kind, format field.Format) {
	retold := len(hit.Changes) > 0 && hit.Told == saidOf(hit)
	for i := range hit.Changes {
		c := &hit.Changes[i]
		if f := kind.Field(c.Field); f != nil {
			c.Before.Text, c.After.Text = f.Reshow(c.Before.Value, c.Before.Text, format), f.Reshow(c.After.Value, c.After.Text, format)
		}
	}
	if retold {
		hit.Told = saidOf(hit)
	}
}

// Weight orders what a rule does to a record: what would be refused is what somebody must look
// at first.
func Weight(what contract.RunHitWhat) int {
	return slices.Index([]string{"advise", "ease", "change", "confirm", "refuse"}, string(what))
}
