package codicils

import (
	"context"
	"errors"
	"fmt"
	"maps"
	"slices"
	"strings"

	"codicil/core/field"
	"codicil/core/proof"
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

func (s *Service) check(ctx context.Context, c *store.Codicil) (contract.CodicilCheck, error) {
	check := contract.CodicilCheck{Version: c.Version, Problems: []contract.CodicilProblem{}, Doubts: []contract.CodicilProblem{}, Failing: []contract.CodicilFailing{}}
	contents, err := s.changes(ctx, c.ID)
	if err != nil {
		return check, err
	}
	with, err := s.view(ctx, store.View{Codicil: c.ID})
	if err != nil {
		return check, err
	}
	t, err := s.teller(ctx, c)
	if err != nil {
		return check, err
	}
	changed := map[string]bool{} // the kinds whose documents it may touch
	for i := range contents {
		change := &contents[i]
		problem := func(message string) {
			check.Problems = append(check.Problems, contract.CodicilProblem{What: change.What, Key: change.Key, Title: t.title(change), Message: message})
		}
		if t.overtaken[change.Thing] {
			problem("something else came into force since it was changed here; keep your change, or take it out")
		}
		if err := s.checkOne(ctx, &with, change, changed, problem); err != nil {
			return check, err
		}
	}
	if err := s.checkOthers(ctx, &with, contents, &check); err != nil {
		return check, err
	}
	for _, kind := range slices.Sorted(maps.Keys(changed)) {
		if err := s.prove(ctx, &with, kind, &check); err != nil {
			return check, err
		}
	}
	if broken := countNew(check.Failing); broken > 0 {
		message := fmt.Sprintf("%d proofs fail with it that hold without", broken)
		if broken == 1 {
			message = "a proof fails with it that holds without"
		}
		check.Doubts = append(check.Doubts, contract.CodicilProblem{What: "proof", Title: "Proofs", Message: message})
	}
	return check, nil
}

func countNew(failing []contract.CodicilFailing) (count int) {
	for _, f := range failing {
		if !f.Before {
			count++
		}
	}
	return count
}

// checkOne looks at one change by itself.
func (s *Service) checkOne(ctx context.Context, with *Parts, change *store.CodicilChange, changed map[string]bool, problem func(string)) error {
	definition, err := change.Definition(change.After)
	if err != nil {
		return err
	}
	told := func(err error) error {
		var known *fault.Fault
		if errors.As(err, &known) && known.Reason != fault.Unable {
			problem(known.Error())
			return nil
		}
		return err
	}
	switch d := definition.(type) {
	case rule.Rule:
		changed[d.Kind] = true
		if d.State != rule.InForce {
			return nil
		}
		fmt.Sscan(change.Key, &d.ID) //nolint:errcheck // the key of a rule is its number
		return told(with.Rules.MayBeInForce(ctx, d))
	case field.Field:
		kind, key, _ := strings.Cut(change.Key, "/")
		changed[kind] = true
		if change.Before == nil {
			return nil
		}
		found, err := with.Fields.Check(ctx, kind, key, d)
		if err != nil {
			return told(err)
		}
		if found.Misfits > 0 {
			problem(fmt.Sprintf("%d of %d saved values do not fit, first in %s: %s", found.Misfits, found.Values, found.Examples[0].Number, found.Examples[0].Message))
		}
	}
	if change.What == "standing" || change.What == "crosswalk" || change.What == "series" || change.What == "field" {
		ref, err := with.Base.Cache.Reference(ctx)
		if err != nil {
			return err
		}
		for i := range ref.Kinds {
			changed[ref.Kinds[i].Key] = true // any rule may read it
		}
	}
	return nil
}

// checkOthers finds rules that the codicil does not change and that would no longer be sound with it.
func (s *Service) checkOthers(ctx context.Context, with *Parts, contents []store.CodicilChange, check *contract.CodicilCheck) error {
	ref, err := with.Base.Cache.Reference(ctx)
	if err != nil {
		return err
	}
	inIt := map[string]bool{}
	for i := range contents {
		if contents[i].What == "rule" {
			inIt[contents[i].Key] = true
		}
	}
	for i := range ref.Kinds {
		now, err := s.base.Cache.Book(ctx, ref.Kinds[i].Key)
		if err != nil {
			return err
		}
		then, err := with.Base.Cache.Book(ctx, ref.Kinds[i].Key)
		if err != nil {
			return err
		}
		for _, c := range then.Rules {
			if inIt[fmt.Sprint(c.ID)] || c.State != rule.InForce || c.Sound() {
				continue
			}
			if before := judging.InBook(now, c.ID); before != nil && before.Sound() {
				check.Problems = append(check.Problems, contract.CodicilProblem{What: "rule", Key: fmt.Sprint(c.ID), Title: c.Name, Message: c.Problems[0].Message})
			}
		}
	}
	return nil
}

// prove runs the proofs of a kind with the codicil, and those that fail without it.
func (s *Service) prove(ctx context.Context, with *Parts, kind string, check *contract.CodicilCheck) error {
	bench, err := with.Base.Bench(ctx, kind)
	if err != nil || len(bench.Proofs) == 0 {
		return err
	}
	results, err := bench.Runner.RunAll(ctx, bench.Proofs, nil)
	if err != nil {
		return err
	}
	_, now, err := s.base.Runner(ctx, kind)
	if err != nil {
		return err
	}
	check.Proofs += len(results)
	for i := range results {
		r := &results[i]
		if r.Proof == nil || r.Held() {
			continue
		}
		check.Failing = append(check.Failing, contract.CodicilFailing{
			Proof: r.Proof.ID, Kind: kind, Name: r.Proof.Name, Why: view.WhyFailed(r), Before: r.Proof.Codicil == 0 && !held(now, r.Proof),
		})
	}
	return nil
}

func held(runner *proof.Runner, p *proof.Proof) bool {
	r := runner.Run(p, false)
	return r.Held()
}
