package desk

import (
	"cmp"
	"context"
	"fmt"
	"slices"
	"strings"

	"codicil/core/engine"
	"codicil/core/field"
	"codicil/core/judge"
	"codicil/core/plan"
	"codicil/core/proof"
	"codicil/core/record"
	"codicil/internal/contract"
	"codicil/internal/store"
)

func (d *Desk) showProof(p proof.Proof, book *plan.Book) contract.Proof {
	shown := contract.Proof{Id: p.ID, Name: p.Name, Rules: p.Rules, Given: p.Given, Expect: p.Expect, Titles: []string{}, Posting: p.Posting, Unread: p.Unread,
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

// Proofs returns the proofs of a kind.
func (d *Desk) Proofs(ctx context.Context, kind string) ([]contract.Proof, error) {
	book, err := d.book(ctx, kind)
	if err != nil {
		return nil, err
	}
	proofs, err := d.store.Proofs(ctx, kind)
	list := make([]contract.Proof, len(proofs))
	for i, p := range proofs {
		list[i] = d.showProof(p, book)
	}
	return list, err
}

// Proof returns one proof.
func (d *Desk) Proof(ctx context.Context, id int64) (contract.Proof, error) {
	p, err := d.store.Proof(ctx, id)
	if err != nil {
		return contract.Proof{}, explain(err)
	}
	book, err := d.book(ctx, p.Given.Kind)
	if err != nil {
		return contract.Proof{}, err
	}
	return d.showProof(p, book), nil
}

// KeepProof keeps a test document with what comes out of it as a proof, or with what the
// request expects instead.
func (d *Desk) KeepProof(ctx context.Context, request contract.KeepRequest) (contract.Proof, error) {
	// The document is tried first, so that typed texts are read and all it reads is known.
	t, err := d.try(ctx, request.Document, ask{format: request.Format, drafts: request.Rules})
	if err != nil {
		return contract.Proof{}, err
	}
	b, err := d.bench(ctx, t.document.Kind, nil)
	if err != nil {
		return contract.Proof{}, err
	}
	p := proof.Proof{Name: strings.TrimSpace(request.Name), Rules: request.Rules, Given: t.document, Posting: request.Posting, Unread: request.Unread}
	if p.Given.Preceding != nil && p.Given.Previous == nil {
		p.Given.Previous, p.Given.PreviousOfType = request.Document.Previous, request.Document.PreviousOfType
	}
	if p.Given.Carried, err = b.runner.Carry(&p); err != nil {
		return contract.Proof{}, err
	}
	if p.Posting != "" {
		if _, err := d.store.Posting(ctx, practice, p.Posting); err != nil {
			return contract.Proof{}, explain(err)
		}
	}
	// What a proof expects is what its run gives, at once and ever after.
	result := b.runner.Run(&p, true)
	if result.Err != nil {
		return contract.Proof{}, unjudged(result.Err)
	}
	kind, out := result.Plan.Kind(), result.Outcome
	p.Seen = result.Plan.Versions()
	if request.Expect != nil {
		p.Expect = *request.Expect
	} else {
		p.Expect = proof.Expect(out, result.Plan, request.Fields)
	}
	if request.Expect == nil && len(request.Fields) == 0 {
		if err := d.mind(ctx, &p, out); err != nil {
			return contract.Proof{}, err
		}
	}
	for key := range p.Expect.Values {
		if place, _ := judge.Place(kind, key); place < 0 {
			return contract.Proof{}, invalid("unknown-field", "a %s has no field %q to expect a value of", kind.Noun(), key)
		}
	}
	if len(p.Rules) == 0 {
		p.Rules = actingRules(out)
	}
	if request.Acting {
		p.Expect.Acting = slices.DeleteFunc(actingRules(out), func(id int64) bool { return !slices.Contains(p.Rules, id) })
	}
	p.Rules = slices.DeleteFunc(p.Rules, func(id int64) bool { return id == 0 })
	if p.Name == "" {
		p.Name = fmt.Sprintf("%s in %s: %s, %s", result.Plan.Scope.Type.Label, result.Plan.Scope.Company.Key, t.title(t.Content("", "")), out.Verdict)
	}
	err = d.alone(ctx, func() (*pending, error) {
		return &pending{write: func(tx *store.Store) (err error) {
			p, err = tx.SaveProof(ctx, p, "kept", "", d.clock(), d.user)
			return err
		}}, nil
	})
	if err != nil {
		return contract.Proof{}, err
	}
	return d.showProof(p, b.runner.Book), nil
}

// mind lets a proof expect of the rules that it names also that they did nothing.
func (d *Desk) mind(ctx context.Context, p *proof.Proof, out *engine.Outcome) error {
	book, err := d.book(ctx, p.Given.Kind)
	if err != nil {
		return err
	}
	for _, c := range book.Rules {
		if slices.Contains(p.Rules, c.ID) && c.Sound() {
			p.Expect.Mind(c, out)
		}
	}
	return nil
}

func actingRules(out *engine.Outcome) []int64 {
	rules := []int64{}
	for _, s := range out.Spots() {
		for _, a := range s.Rules {
			speaking := slices.Contains([]string{engine.Acted, engine.Speaks, engine.Failed}, a.Did)
			if speaking && !slices.Contains(rules, a.Rule.ID) {
				rules = append(rules, a.Rule.ID)
			}
		}
	}
	return rules
}

// DeleteProof removes a proof.
func (d *Desk) DeleteProof(ctx context.Context, id int64) error {
	return d.alone(ctx, func() (*pending, error) {
		return &pending{write: func(tx *store.Store) error { return tx.DeleteProof(ctx, id) }}, nil
	})
}

// runner runs the proofs of a kind against a book.
func (d *Desk) runner(ctx context.Context, m *masters, book *plan.Book) *proof.Runner {
	kind := book.Vocabulary.Kind
	return &proof.Runner{
		Book: book, Extent: proof.Extent{Companies: m.companies, Types: m.types[kind.Key]},
		Scope: func(company, kindType string, day record.Day) (plan.Scope, error) {
			return m.scope(kind.Key, company, kindType, day)
		},
		Facts: func(company string) (judge.Circumstances, func() error) {
			c := d.circumstances(ctx, m, book, company, nil)
			c.Numbers = nil // a proof begins every series at its first number
			linked, peers := c.Linked.(*links), c.Peers.(*peers)
			return c, func() error { return cmp.Or(linked.failed, peers.failed) }
		},
	}
}

// bench is what the proofs of a kind are run with.
type bench struct {
	masters *masters
	runner  *proof.Runner
	proofs  []proof.Proof
}

// bench reads the proofs of a kind; a rule that is given stands in the book as it is given.
func (d *Desk) bench(ctx context.Context, kind string, given *contract.RuleChange) (*bench, error) {
	m, err := d.master(ctx)
	if err != nil {
		return nil, err
	}
	book, err := d.book(ctx, kind)
	if err != nil {
		return nil, err
	}
	if given != nil {
		book = book.With(changed(*given))
	}
	proofs, err := d.store.Proofs(ctx, kind)
	return &bench{m, d.runner(ctx, m, book), proofs}, err
}

// asked leaves of the proofs those that a run asks for.
func (b *bench) asked(request *contract.RunRequest) {
	b.proofs = slices.DeleteFunc(b.proofs, func(p proof.Proof) bool {
		return (len(request.Proofs) > 0 && !slices.Contains(request.Proofs, p.ID)) ||
			(request.OfRule != 0 && !slices.Contains(p.Rules, request.OfRule)) ||
			(request.Company != "" && p.Given.Company != request.Company) || (request.Type != "" && p.Given.Type != request.Type)
	})
}

// CountProofs tells how many proofs a run would run.
func (d *Desk) CountProofs(ctx context.Context, request contract.RunRequest) (int, error) {
	b, err := d.bench(ctx, request.Kind, request.Rule)
	if err != nil {
		return 0, err
	}
	b.asked(&request)
	return len(b.proofs), nil
}

// RunProofs runs proofs against the rules in force, on all processors. tell, if any, is told
// of each as it ends.
func (d *Desk) RunProofs(ctx context.Context, request contract.RunRequest, tell func(contract.ProofResult)) (contract.ProofRun, error) {
	run := contract.ProofRun{RanAt: d.clock().UTC(), Results: []contract.ProofResult{}}
	b, err := d.bench(ctx, request.Kind, request.Rule)
	if err != nil {
		return run, err
	}
	b.asked(&request)
	results, err := b.runner.RunAll(ctx, b.proofs, func(r *proof.Result) {
		if tell != nil {
			tell(d.showResult(ctx, b.masters, r, request.Format))
		}
	})
	for i := range results {
		if results[i].Proof == nil {
			continue // it was stopped before
		}
		shown := d.showResult(ctx, b.masters, &results[i], request.Format)
		if run.Results = append(run.Results, shown); shown.Held {
			run.Held++
		} else {
			run.Failed++
		}
	}
	return run, err
}

// showResult tells what came of a proof as a person reads it.
func (d *Desk) showResult(ctx context.Context, m *masters, r *proof.Result, format *field.Format) contract.ProofResult {
	result := contract.ProofResult{Proof: r.Proof.ID, Differences: []contract.Difference{}}
	if r.Err != nil {
		result.Error = r.Err.Error()
		return result
	}
	result.Held = r.Held()
	reader := newReader(r.Plan, r.Outcome, d.links(ctx, m, r.Plan.Scope.Company.Key), format)
	kind := r.Plan.Kind()
	if !result.Held {
		result.Since = changedSince(r)
	}
	for _, difference := range r.Differences {
		shown := contract.Difference{
			What: contract.DifferenceWhat(difference.What), Field: difference.Field,
			Expected: difference.Expected, Actual: difference.Actual,
		}
		switch difference.What {
		case "write":
			shown.Label = difference.Field
		case "rule":
			shown.Label = "rule " + difference.Field
		}
		if place, line := judge.Place(kind, difference.Field); place >= 0 {
			shown.Label = labelOf(kind, place, line)
			if at := r.Outcome.Field(place, line); at != nil {
				spot := engine.Spot{Place: place, Line: line, Field: at}
				shown.Acts = reader.acts(spot)
				if difference.What == "value" {
					v, _ := kind.Fields[place].Parse(difference.Expected)
					shown.Expected, shown.Actual = reader.at(spot, v), reader.at(spot, at.Final)
				}
			}
		}
		result.Differences = append(result.Differences, shown)
	}
	return result
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

// labelOf names a field for people: "Amount", or "Amount in line 2".
func labelOf(kind *record.Kind, place, line int) string {
	if line == 0 {
		return kind.Fields[place].Label
	}
	return fmt.Sprintf("%s in line %d", kind.Fields[place].Label, line)
}

// proofNames tells whether a proof enters or expects a value of a field.
func proofNames(kind *record.Kind, given *judge.Document, expected map[string]string, key string) bool {
	column, ofLine := strings.CutPrefix(key, field.LinePrefix)
	if _, there := given.Entered[key]; there {
		return true
	}
	if ofLine && slices.ContainsFunc(given.Lines, func(l judge.Line) bool { _, there := l.Entered[column]; return there }) {
		return true
	}
	place := kind.Index(key)
	for address := range expected {
		if at, _ := judge.Place(kind, address); at == place {
			return true
		}
	}
	return false
}
