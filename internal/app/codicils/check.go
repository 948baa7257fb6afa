package codicils

import (
	"context"
	"errors"
	"fmt"
	"slices"
	"strings"
	"time"

	"codicil/core/field"
	"codicil/core/record"
	"codicil/core/rule"
	"codicil/internal/access"
	"codicil/internal/actor"
	"codicil/internal/app/commit"
	"codicil/internal/app/judging"
	"codicil/internal/app/replay"
	"codicil/internal/app/rules"
	"codicil/internal/contract"
	"codicil/internal/fault"
	"codicil/internal/store"
)

// Check tells what stands in the way of a codicil and what speaks against it. Cost: a compilation of the rules, a plan for
// each rule that is changed, and the proofs of the kinds that it may touch, twice.
// whole tells also what is found about the rules, and what the proofs of its rules notice.
func (s *Service) Check(ctx context.Context, id int64, whole bool) (contract.CodicilCheck, error) {
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
	return s.check(ctx, &c, whole)
}

// checking is a check of one codicil.
type checking struct {
	now    Parts // as in force
	with   Parts
	teller *teller
	found  contract.CodicilCheck
	// changed are the rules that it changes or adds, by number, and contents all that it changes.
	changed  map[int64]bool
	refused  map[int64]*fault.Fault // why those of them cannot be in force
	contents []store.CodicilChange
	kept     int // the proofs that are kept with it
	whole    bool
	longest  time.Duration // that is left to measure what proofs notice
}

func (s *Service) check(ctx context.Context, c *store.Codicil, whole bool) (contract.CodicilCheck, error) {
	k := checking{now: s.now, whole: whole, longest: s.Longest, changed: map[int64]bool{}, found: contract.CodicilCheck{
		Version: c.Version, Revision: c.Revision, Whole: whole, Lines: []string{}, Rules: []contract.CheckedRule{}, Findings: []contract.Finding{},
		Problems: []contract.CodicilProblem{}, Doubts: []contract.CodicilProblem{}, Failing: []contract.CodicilFailing{},
	}}
	contents, err := s.changes(ctx, c.ID)
	if err != nil {
		return k.found, err
	}
	k.contents = contents
	if k.with, err = s.view(ctx, store.View{Codicil: c.ID}); err != nil {
		return k.found, err
	}
	if k.teller, err = s.teller(ctx, c); err != nil {
		return k.found, err
	}
	inForce, err := inForceThen(contents)
	if err != nil {
		return k.found, err
	}
	if k.refused, err = rules.Refused(ctx, k.with.Rules, inForce); err != nil {
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
	ref, err := k.with.Base.Cache.Reference(ctx)
	if err != nil {
		return k.found, err
	}
	kinds, err := replay.Kinds(ref, contents)
	if err != nil {
		return k.found, err
	}
	kept, err := s.base.Store.ProofsKept(ctx, c.ID)
	if err != nil {
		return k.found, err
	}
	for kind, count := range kept {
		k.kept += count
		if !slices.Contains(kinds, kind) {
			kinds = append(kinds, kind)
		}
	}
	slices.Sort(kinds)
	for _, kind := range kinds {
		if err := k.prove(ctx, kind); err != nil {
			return k.found, err
		}
	}
	if whole {
		if err := k.compare(ctx, kinds, s.Longest); err != nil {
			return k.found, err
		}
	}
	if k.found.Replay, err = s.replay.Latest(ctx, c); err != nil {
		return k.found, err
	}
	k.doubt()
	if err := s.signers.mayBeSigned(ctx, c, &k.found); err != nil {
		return k.found, err
	}
	format := actor.Of(ctx).Format
	k.found.Lines = k.lines(format.OrPlain(), ref)
	return k.found, nil
}

// inForceThen are the rules that a codicil changes or adds, as they are in force with it.
func inForceThen(contents []store.CodicilChange) (inForce []rule.Rule, err error) {
	for i := range contents {
		definition, err := contents[i].Definition(contents[i].After)
		if err != nil {
			return nil, err
		}
		if r, is := definition.(rule.Rule); is && r.State == rule.InForce {
			r.ID = contents[i].Number()
			inForce = append(inForce, r)
		}
	}
	return inForce, nil
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
		d.ID = change.Number()
		k.changed[d.ID] = true
		if refused := k.refused[d.ID]; refused != nil {
			return told(refused)
		}
		return nil
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
		now, err := k.now.Base.Cache.Book(ctx, ref.Kinds[i].Key)
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
