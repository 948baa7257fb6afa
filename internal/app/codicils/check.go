package codicils

import (
	"context"
	"errors"
	"fmt"
	"maps"
	"slices"
	"strings"

	"codicil/core/field"
	"codicil/core/record"
	"codicil/core/rule"
	"codicil/internal/access"
	"codicil/internal/actor"
	"codicil/internal/app/commit"
	"codicil/internal/app/judging"
	"codicil/internal/contract"
	"codicil/internal/fault"
	"codicil/internal/store"
	"codicil/internal/view"
)

// Check tells what stands in the way of a codicil and what speaks against it. Cost: a compilation of the rules, a plan for
// each rule that is changed, and the proofs of the kinds that it may touch, twice.
func (s *Service) Check(ctx context.Context, id int64) (contract.CodicilCheck, error) {
	if err := access.Need(ctx, actor.RulesRead); err != nil {
		return contract.CodicilCheck{}, err
	}
	c, err := s.base.Store.Codicil(ctx, id)
	if err != nil {
		return contract.CodicilCheck{}, commit.Explain(err)
	}
	if c.State.Ended() {
		return contract.CodicilCheck{}, fault.Hindered(ended, c.ID, c.State)
	}
	return s.check(ctx, &c)
}

// checking is a check of one codicil.
type checking struct {
	base   *judging.Service
	with   Parts
	teller *teller
	found  contract.CodicilCheck
	// kinds are those whose documents the codicil may touch.
	kinds map[string]bool
}

func (s *Service) check(ctx context.Context, c *store.Codicil) (contract.CodicilCheck, error) {
	k := checking{base: s.base, kinds: map[string]bool{}, found: contract.CodicilCheck{
		Version: c.Version, Problems: []contract.CodicilProblem{}, Doubts: []contract.CodicilProblem{}, Failing: []contract.CodicilFailing{},
	}}
	contents, err := s.changes(ctx, c.ID)
	if err != nil {
		return k.found, err
	}
	if k.with, err = s.view(ctx, store.View{Codicil: c.ID}); err != nil {
		return k.found, err
	}
	if k.teller, err = s.teller(ctx, c); err != nil {
		return k.found, err
	}
	for i := range contents {
		if err := k.one(ctx, &contents[i]); err != nil {
			return k.found, err
		}
	}
	if err := k.others(ctx, contents); err != nil {
		return k.found, err
	}
	for _, kind := range slices.Sorted(maps.Keys(k.kinds)) {
		if err := k.prove(ctx, kind); err != nil {
			return k.found, err
		}
	}
	k.doubt()
	return k.found, nil
}

// doubt says what speaks against the codicil.
func (k *checking) doubt() {
	broken := 0
	for _, f := range k.found.Failing {
		if !f.Before {
			broken++
		}
	}
	message := fmt.Sprintf("%d proofs fail with it that hold without", broken)
	if broken == 1 {
		message = "a proof fails with it that holds without"
	}
	if broken > 0 {
		k.found.Doubts = append(k.found.Doubts, contract.CodicilProblem{What: "proof", Title: "Proofs", Message: message})
	}
}

// one looks at one change by itself.
func (k *checking) one(ctx context.Context, change *store.CodicilChange) error {
	problem := func(message string) {
		k.found.Problems = append(k.found.Problems, contract.CodicilProblem{What: change.What, Key: change.Key, Title: k.teller.title(change), Message: message})
	}
	told := func(err error) error {
		var known *fault.Fault
		if errors.As(err, &known) && known.Reason != fault.Unable {
			problem(known.Error())
			return nil
		}
		return err
	}
	if k.teller.overtaken[change.Thing] {
		problem("something else came into force since it was changed here; keep your change, or take it out")
	}
	definition, err := change.Definition(change.After)
	if err != nil {
		return err
	}
	switch d := definition.(type) {
	case rule.Rule:
		k.kinds[d.Kind] = true
		if d.State != rule.InForce {
			return nil
		}
		d.ID = change.Number()
		return told(k.with.Rules.MayBeInForce(ctx, d))
	case record.Layout, record.FollowOn:
		return nil
	case field.Field:
		if kind, key, _ := strings.Cut(change.Key, "/"); change.Before != nil {
			found, err := k.with.Fields.Check(ctx, kind, key, d)
			if err != nil {
				return told(err)
			}
			if found.Misfits > 0 {
				problem(fmt.Sprintf("%d of %d saved values do not fit, first in %s: %s", found.Misfits, found.Values, found.Examples[0].Number, found.Examples[0].Message))
			}
		}
	}
	ref, err := k.with.Base.Cache.Reference(ctx)
	if err != nil {
		return err
	}
	for i := range ref.Kinds {
		k.kinds[ref.Kinds[i].Key] = true // any rule may read it
	}
	return nil
}

// others finds rules that the codicil does not change and that would no longer be sound with it.
func (k *checking) others(ctx context.Context, contents []store.CodicilChange) error {
	ref, err := k.with.Base.Cache.Reference(ctx)
	if err != nil {
		return err
	}
	inIt := map[int64]bool{}
	for i := range contents {
		inIt[contents[i].Number()] = true
	}
	for i := range ref.Kinds {
		now, err := k.base.Cache.Book(ctx, ref.Kinds[i].Key)
		if err != nil {
			return err
		}
		then, err := k.with.Base.Cache.Book(ctx, ref.Kinds[i].Key)
		if err != nil {
			return err
		}
		for _, c := range then.Rules {
			if inIt[c.ID] || c.State != rule.InForce || c.Sound() {
				continue
			}
			if before := judging.InBook(now, c.ID); before != nil && before.Sound() {
				k.found.Problems = append(k.found.Problems, contract.CodicilProblem{What: "rule", Key: fmt.Sprint(c.ID), Title: c.Name, Message: c.Problems[0].Message})
			}
		}
	}
	return nil
}

// prove runs the proofs of a kind with the codicil, and those that fail without it.
func (k *checking) prove(ctx context.Context, kind string) error {
	bench, err := k.with.Base.Bench(ctx, kind)
	if err != nil || len(bench.Proofs) == 0 {
		return err
	}
	results, err := bench.Runner.RunAll(ctx, bench.Proofs, nil)
	if err != nil {
		return err
	}
	_, now, err := k.base.Runner(ctx, kind)
	if err != nil {
		return err
	}
	k.found.Proofs += len(results)
	for i := range results {
		r := &results[i]
		if r.Proof == nil || r.Held() {
			continue
		}
		without := now.Run(r.Proof, false)
		k.found.Failing = append(k.found.Failing, contract.CodicilFailing{
			Proof: r.Proof.ID, Kind: kind, Name: r.Proof.Name, Why: view.WhyFailed(r), Before: r.Proof.Codicil == 0 && !without.Held(),
		})
	}
	return nil
}
