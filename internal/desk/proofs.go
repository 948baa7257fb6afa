package desk

import (
	"cmp"
	"context"
	"fmt"
	"runtime"
	"slices"
	"strings"
	"sync"

	"codicil/core/engine"
	"codicil/core/plan"
	"codicil/core/proof"
	"codicil/core/record"
	"codicil/core/rule"
	"codicil/internal/contract"
)

func (d *Desk) showProof(p proof.Proof, book *plan.Book) contract.Proof {
	shown := contract.Proof{Id: p.ID, Name: p.Name, Rules: p.Rules, Given: p.Given, Expect: p.Expect, Titles: []string{}, Posting: p.Posting}
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

// KeepProof keeps a test document with what came out of it, or with what the
// request expects instead.
func (d *Desk) KeepProof(ctx context.Context, request contract.KeepRequest) (contract.Proof, error) {
	t, err := d.try(ctx, request.Document, ask{format: request.Format, asProof: true})
	if err != nil {
		return contract.Proof{}, err
	}
	kind := t.plan.Kind()
	p := proof.Proof{Name: strings.TrimSpace(request.Name), Rules: request.Rules, Given: t.document, Posting: request.Posting}
	if p.Posting != "" {
		if _, err := d.store.Posting(ctx, practice, p.Posting); err != nil {
			return contract.Proof{}, explain(err)
		}
	}
	if request.Expect != nil {
		p.Expect = *request.Expect
	} else {
		p.Expect = expectation(t.out, kind, request.Fields)
	}
	for key := range p.Expect.Values {
		if place, _ := proof.Place(kind, key); place < 0 {
			return contract.Proof{}, invalid("unknown-field", "a %s has no field %q to expect a value of", kind.Noun(), key)
		}
	}
	if len(p.Rules) == 0 {
		p.Rules = actingRules(t.out)
	}
	if p.Name == "" {
		p.Name = fmt.Sprintf("%s in %s: %s, %s", t.plan.Scope.Type.Label, t.plan.Scope.Company.Key, t.title(), t.out.Verdict)
	}
	if p, err = d.store.SaveProof(ctx, p); err != nil {
		return contract.Proof{}, err
	}
	book, err := d.book(ctx, p.Given.Kind)
	return d.showProof(p, book), err
}

// expectation expects what came out: for the named fields, or, when none is
// named, for every field that has a value or that a rule acted on.
func expectation(out *engine.Outcome, kind *record.Kind, fields []string) proof.Expectation {
	e := proof.Expectation{Verdict: out.Verdict, Values: map[string]string{}, Messages: proof.MessagesOf(out, kind), Bands: proof.Bands(out, kind), Writes: proof.Writes(out)}
	for _, s := range out.Spots() {
		address := proof.Address(kind, s.Place, s.Line)
		acted := slices.ContainsFunc(s.Rules, func(a engine.Act) bool { return a.Did == engine.Acted && a.Rule.Value != nil })
		if (len(fields) == 0 && (!s.Final.IsNull() || acted)) || slices.Contains(fields, address) {
			e.Values[address] = record.Write(s.Final)
		}
	}
	return e
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
	return explain(d.store.DeleteProof(ctx, id))
}

// AcceptProof makes what comes out now what the proof expects, for the fields
// that it already expects.
func (d *Desk) AcceptProof(ctx context.Context, id int64) (contract.Proof, error) {
	p, err := d.store.Proof(ctx, id)
	if err != nil {
		return contract.Proof{}, explain(err)
	}
	t, err := d.try(ctx, p.Given, ask{asProof: true, given: true})
	if err != nil {
		return contract.Proof{}, err
	}
	fields := []string{}
	for key := range p.Expect.Values {
		fields = append(fields, key)
	}
	if len(fields) == 0 {
		fields = append(fields, "") // none named would mean all
	}
	p.Expect = expectation(t.out, t.plan.Kind(), fields)
	if _, err := d.store.SaveProof(ctx, p); err != nil {
		return contract.Proof{}, err
	}
	return d.Proof(ctx, id)
}

// RunProofs runs proofs against the rules in force, on all processors.
func (d *Desk) RunProofs(ctx context.Context, request contract.RunRequest) (contract.ProofRun, error) {
	run := contract.ProofRun{RanAt: d.clock().UTC(), Results: []contract.ProofResult{}}
	book, err := d.book(ctx, request.Kind)
	if err != nil {
		return run, err
	}
	proofs, err := d.store.Proofs(ctx, request.Kind)
	if err != nil {
		return run, err
	}
	if len(request.Proofs) > 0 {
		proofs = slices.DeleteFunc(proofs, func(p proof.Proof) bool { return !slices.Contains(request.Proofs, p.ID) })
	}
	m, err := d.master(ctx)
	if err != nil {
		return run, err
	}
	plans, err := plansOf(ctx, m, book, proofs)
	if err != nil {
		return run, err
	}
	run.Results = make([]contract.ProofResult, len(proofs))
	var group sync.WaitGroup
	next := make(chan int)
	for range runtime.GOMAXPROCS(0) {
		group.Go(func() {
			for i := range next {
				run.Results[i] = d.runProof(ctx, m, &proofs[i], plans[i], request.Format)
			}
		})
	}
	for i := range proofs {
		next <- i
	}
	close(next)
	group.Wait()
	for _, r := range run.Results {
		if r.Held {
			run.Held++
		} else {
			run.Failed++
		}
	}
	return run, nil
}

type planned struct {
	plan *plan.Plan
	err  error
}

// plansOf builds the plan of every proof, one for those of the same scope.
func plansOf(ctx context.Context, m *masters, book *plan.Book, proofs []proof.Proof) ([]planned, error) {
	type key struct {
		company, kindType string
		day               record.Day
	}
	made := map[key]planned{}
	plans := make([]planned, len(proofs))
	for i, p := range proofs {
		k := key{p.Given.Company, p.Given.Type, p.Given.Day}
		if _, have := made[k]; !have {
			s, err := m.scope(p.Given.Kind, k.company, k.kindType, k.day)
			if err != nil {
				made[k] = planned{err: err}
			} else {
				made[k] = planned{plan: plan.Build(book, s)}
			}
		}
		plans[i] = made[k]
	}
	return plans, ctx.Err()
}

func (d *Desk) runProof(ctx context.Context, m *masters, p *proof.Proof, pl planned, format *record.Format) contract.ProofResult {
	result := contract.ProofResult{Proof: p.ID, Differences: []contract.Difference{}}
	if pl.err != nil {
		result.Error = pl.err.Error()
		return result
	}
	s := pl.plan.Scope
	links, peers := d.links(ctx, m, s.Company.Key), d.peers(ctx, pl.plan.Kind())
	differences, out, err := proof.Run(p, pl.plan, proof.Setting{Company: s.Company, User: d.user, Now: Noon(s.Day), Moment: rule.Posting, Linked: links, Peers: peers}, true)
	if err == nil {
		err = cmp.Or(links.failed, peers.failed)
	}
	if err != nil {
		result.Error = err.Error()
		return result
	}
	result.Held = len(differences) == 0
	r := newReader(pl.plan, out, links, format)
	kind := pl.plan.Kind()
	for _, difference := range differences {
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
		if place, line := proof.Place(kind, difference.Field); place >= 0 {
			shown.Label = labelOf(kind, place, line)
			if at := out.Field(place, line); at != nil {
				spot := engine.Spot{Place: place, Line: line, Field: at}
				shown.Acts = r.acts(spot)
				if difference.What == "value" {
					v, _ := kind.Fields[place].Parse(difference.Expected)
					shown.Expected, shown.Actual = r.at(spot, v), r.at(spot, at.Final)
				}
			}
		}
		result.Differences = append(result.Differences, shown)
	}
	return result
}

// labelOf names a field for people: "Amount", or "Amount in line 2".
func labelOf(kind *record.Kind, place, line int) string {
	if line == 0 {
		return kind.Fields[place].Label
	}
	return fmt.Sprintf("%s in line %d", kind.Fields[place].Label, line)
}

// proofNames tells whether a proof enters or expects a value of a field.
func proofNames(kind *record.Kind, given *proof.Document, expected map[string]string, key string) bool {
	column, ofLine := strings.CutPrefix(key, record.LinePrefix)
	if _, there := given.Entered[key]; there {
		return true
	}
	if ofLine && slices.ContainsFunc(given.Lines, func(l proof.Line) bool { _, there := l.Entered[column]; return there }) {
		return true
	}
	place := kind.Index(key)
	for address := range expected {
		if at, _ := proof.Place(kind, address); at == place {
			return true
		}
	}
	return false
}
