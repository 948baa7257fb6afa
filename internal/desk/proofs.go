package desk

import (
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
	"codicil/internal/contract"
)

func (d *Desk) showProof(p proof.Proof, book *plan.Book) contract.Proof {
	shown := contract.Proof{Id: p.ID, Name: p.Name, Rules: p.Rules, Given: p.Given, Expect: p.Expect, Titles: []string{}}
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
	t, err := d.try(ctx, request.Document, request.Format, nil)
	if err != nil {
		return contract.Proof{}, err
	}
	kind := t.plan.Kind()
	p := proof.Proof{Name: strings.TrimSpace(request.Name), Rules: request.Rules, Given: t.document}
	if request.Expect != nil {
		p.Expect = *request.Expect
	} else {
		p.Expect = expectation(t.out, kind, request.Fields)
	}
	for key := range p.Expect.Values {
		if kind.Index(key) < 0 {
			return contract.Proof{}, invalid("unknown-field", "a %s has no field %q to expect a value of", strings.ToLower(kind.Label), key)
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
	return d.Proof(ctx, p.ID)
}

// expectation expects what came out: for the named fields, or, when none is
// named, for every field that has a value or that a rule acted on.
func expectation(out *engine.Outcome, kind *record.Kind, fields []string) proof.Expectation {
	e := proof.Expectation{Verdict: out.Verdict, Values: map[string]string{}, Messages: proof.MessagesOf(out, kind)}
	for i, f := range out.Fields {
		key := kind.Fields[i].Key
		acted := slices.ContainsFunc(f.Rules, func(a engine.Act) bool { return a.Did == engine.Acted && a.Rule.Value != nil })
		if (len(fields) == 0 && (!f.Final.IsNull() || acted)) || slices.Contains(fields, key) {
			e.Values[key] = record.Write(f.Final)
		}
	}
	return e
}

func actingRules(out *engine.Outcome) []int64 {
	rules := []int64{}
	for _, f := range out.Fields {
		for _, a := range f.Rules {
			if slices.Contains([]string{engine.Acted, engine.Speaks, engine.Failed}, a.Did) {
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
	t, err := d.try(ctx, p.Given, nil, nil)
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
	plans, err := d.plansOf(ctx, book, proofs)
	if err != nil {
		return run, err
	}
	run.Results = make([]contract.ProofResult, len(proofs))
	var group sync.WaitGroup
	next := make(chan int)
	for range runtime.GOMAXPROCS(0) {
		group.Go(func() {
			for i := range next {
				run.Results[i] = d.runProof(&proofs[i], plans[i], request.Format)
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
func (d *Desk) plansOf(ctx context.Context, book *plan.Book, proofs []proof.Proof) ([]planned, error) {
	type key struct {
		company, kindType string
		day               record.Day
	}
	made := map[key]planned{}
	plans := make([]planned, len(proofs))
	for i, p := range proofs {
		k := key{p.Given.Company, p.Given.Type, p.Given.Day}
		if _, have := made[k]; !have {
			s, err := d.scope(ctx, p.Given.Kind, k.company, k.kindType, k.day)
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

func (d *Desk) runProof(p *proof.Proof, pl planned, format *record.Format) contract.ProofResult {
	result := contract.ProofResult{Proof: p.ID, Differences: []contract.Difference{}}
	if pl.err != nil {
		result.Error = pl.err.Error()
		return result
	}
	differences, out, err := proof.Run(p, pl.plan, d.user, noon(p.Given.Day), true)
	if err != nil {
		result.Error = err.Error()
		return result
	}
	result.Held = len(differences) == 0
	r := newReader(pl.plan, out, format)
	kind := pl.plan.Kind()
	for _, difference := range differences {
		shown := contract.Difference{
			What: contract.DifferenceWhat(difference.What), Field: difference.Field,
			Expected: difference.Expected, Actual: difference.Actual,
		}
		if i := kind.Index(difference.Field); i >= 0 {
			shown.Label = kind.Fields[i].Label
			shown.Acts = r.acts(i, out.Fields[i].Rules)
			if difference.What == "value" {
				v, _ := kind.Fields[i].Parse(difference.Expected)
				shown.Expected, shown.Actual = r.text(i, v), r.text(i, out.Fields[i].Final)
			}
		}
		result.Differences = append(result.Differences, shown)
	}
	return result
}
