package rules

import (
	"codicil/core/plan"
	"codicil/core/record"
	"codicil/core/rule"
	"codicil/internal/access"
	"codicil/internal/actor"
	"codicil/internal/app/commit"
	"codicil/internal/fault"
	"codicil/internal/store"
	"context"
	"fmt"
	"maps"
	"slices"
)

// Wanted is a rule as it is to be.
type Wanted struct {
	Here   *rule.Rule // in whose place it comes; nil: it is new
	Rule   rule.Rule  // its body, name, identifier and state; its number only names it where something is wrong
	Reason string     // of its versions in force
}

// Together makes rules what they are to be, all of them or none, and returns them as they are then. Where head is given they are one
// codicil; else they are a part of what is changed together already. Cost: as that of Checked.
func Together(ctx context.Context, s *Service, head *store.CodicilHead, wanted []Wanted) (made []rule.Rule, err error) {
	err = s.base.Line.Commit(ctx, func(ctx context.Context) (*commit.Change, error) {
		version, _, err := s.base.Cache.Version(ctx)
		if err != nil {
			return nil, err
		}
		write, err := Checked(ctx, s, wanted)
		if err != nil {
			return nil, err
		}
		by, err := s.base.Line.Stamp(ctx)
		return &commit.Change{
			Reads: commit.NewReadSet(version.Book),
			Write: func(ctx context.Context, tx *store.Store) error {
				all := func(tx *store.Store) (err error) {
					made, err = write(ctx, tx, by)
					return err
				}
				if head == nil {
					return all(tx)
				}
				return tx.Amend(ctx, *head, by, all)
			},
			Done: func() { s.base.Cache.PutRules(ctx, made...) },
		}, err
	})
	return made, err
}

// Write writes rules that were checked, and returns them as they are then.
type Write func(ctx context.Context, tx *store.Store, by record.Stamp) ([]rule.Rule, error)

// Checked checks rules that are to be, and returns what writes them. What is asked of one that is put in force is asked of all
// together: an error in between, which the next rule mends, is none. Reasons are not asked for. The keys of unique rules are made
// when they are first asked for: see Compare. Cost: the rules of the kinds, once, and a plan for each scope and day on which they
// change.
func Checked(ctx context.Context, s *Service, wanted []Wanted) (Write, error) {
	if len(wanted) == 0 {
		return func(context.Context, *store.Store, record.Stamp) ([]rule.Rule, error) { return nil, nil }, nil
	}
	if err := access.Need(ctx, actor.RulesChange); err != nil {
		return nil, err
	}
	checked := slices.Clone(wanted)
	acting := map[string][]rule.Rule{} // as they are to be, by kind
	for i := range checked {
		w := &checked[i]
		before, after := w.path()
		if len(before)+len(after) > 0 {
			if err := access.Need(ctx, actor.RulesForce); err != nil {
				return nil, err
			}
		}
		w.Rule.ID = int64(-1 - i) // it has no number yet
		if w.Here != nil {
			w.Rule.ID = w.Here.ID
			if err := access.Companies(ctx, w.Here.Scope.Companies); err != nil {
				return nil, named(&wanted[i], err)
			}
			if w.Here.Kind != w.Rule.Kind {
				return nil, named(&wanted[i], fault.Bad(kindChanged))
			}
		}
		if err := s.complete(ctx, &w.Rule); err != nil {
			return nil, named(&wanted[i], err)
		}
		if slices.Contains(after, rule.InForce) || w.Rule.State == rule.InForce {
			c, err := s.compile(ctx, w.Rule)
			if err == nil && !c.Sound() && s.base.Store.View() == nil {
				err = unsound(c.Compiled)
			}
			if err != nil {
				return nil, named(&wanted[i], err)
			}
		}
		acting[w.Rule.Kind] = append(acting[w.Rule.Kind], w.Rule)
	}
	if s.base.Store.View() == nil { // a codicil is checked as a whole, and need not be finished until then
		loops := map[int64]*fault.Fault{}
		for kind, rules := range acting {
			found, err := loopsIn(ctx, s, kind, rules)
			if err != nil {
				return nil, err
			}
			maps.Copy(loops, found)
		}
		for i := range checked {
			if refused := loops[checked[i].Rule.ID]; refused != nil {
				return nil, named(&wanted[i], refused)
			}
		}
	}
	return func(ctx context.Context, tx *store.Store, by record.Stamp) ([]rule.Rule, error) {
		made := make([]rule.Rule, len(checked))
		for i := range checked {
			var err error
			if made[i], err = checked[i].write(ctx, tx, by); err != nil {
				return nil, named(&wanted[i], commit.Explain(err))
			}
		}
		return made, nil
	}, nil
}

// named says of which rule an error is.
func named(w *Wanted, err error) error {
	return fmt.Errorf("rule %d %s: %w", w.Rule.ID, w.Rule.Name, err)
}

// unsound refuses a rule with errors.
func unsound(c *rule.Compiled) *fault.Fault {
	refused := fault.Bad(unsoundRule)
	refused.Rule = c
	return refused
}

// path are the states through which a rule comes to the one that it is to have: before it is changed, and after.
func (w *Wanted) path() (before, after []rule.State) {
	state := rule.Draft
	if w.Here != nil {
		state = w.Here.State
	}
	switch {
	case state == rule.Retired:
		before = []rule.State{rule.Draft} // it is taken up again as what it is to be
	case w.Rule.State == rule.Draft && state != rule.Draft:
		before = []rule.State{rule.Retired, rule.Draft}
	}
	if len(before) > 0 {
		state = rule.Draft
	}
	to := map[rule.State][]rule.State{rule.InForce: {rule.InForce}, rule.Suspended: {rule.InForce, rule.Suspended}, rule.Retired: {rule.Retired}}[w.Rule.State]
	if at := slices.Index(to, state); at >= 0 {
		to = to[at+1:]
	}
	return before, to
}

// write writes the versions of a rule.
func (w *Wanted) write(ctx context.Context, tx *store.Store, by record.Stamp) (kept rule.Rule, err error) {
	before, after := w.path()
	move := func(states []rule.State) error {
		for _, next := range states {
			if kept.State == next { // in a codicil one that is new, or taken up again, holds with it
				continue
			}
			if !kept.State.MayBecome(next) {
				return fault.Hindered(wrongState, kept.State, next)
			}
			if kept.State = next; next == rule.InForce {
				kept.Reason = w.Reason
			}
			if kept, err = tx.ChangeRule(ctx, kept, by); err != nil {
				return err
			}
		}
		return nil
	}
	if w.Here == nil {
		next := w.Rule
		next.ID, next.State = 0, rule.Draft
		if kept, err = tx.AddRule(ctx, next, by); err != nil {
			return kept, err
		}
		return kept, move(after)
	}
	kept = *w.Here
	if err := move(before); err != nil {
		return kept, err
	}
	next := kept
	if next.Body, next.Name = w.Rule.Body, w.Rule.Name; next.Name == kept.Name && plan.SameBody(&next.Body, &kept.Body) {
		return kept, move(after)
	}
	if kept.State == rule.InForce && !saysSame(&next, &kept) {
		next.Reason = w.Reason
	}
	if kept, err = tx.ChangeRule(ctx, next, by); err != nil {
		return kept, err
	}
	return kept, move(after)
}

// saysSame tells whether two versions of a rule do the same: what is noted about it changes nothing of that.
func saysSame(a, b *rule.Rule) bool {
	one, other := a.Body, b.Body
	one.Note, other.Note = rule.Note{}, rule.Note{}
	return plan.SameBody(&one, &other)
}

// Refused tells of rules of any kinds, by their numbers, why they cannot be in force together as they are given: one has errors, or
// fields would wait for each other. Cost: as that of Checked.
func Refused(ctx context.Context, s *Service, rules []rule.Rule) (map[int64]*fault.Fault, error) {
	refused, kinds := map[int64]*fault.Fault{}, map[string][]rule.Rule{}
	for _, r := range rules {
		kinds[r.Kind] = append(kinds[r.Kind], r)
	}
	for kind, rules := range kinds {
		loops, err := loopsIn(ctx, s, kind, rules)
		if err != nil {
			return nil, err
		}
		maps.Copy(refused, loops)
		for _, r := range rules {
			c, err := s.compile(ctx, r)
			if err != nil {
				return nil, err
			}
			if !c.Sound() {
				refused[r.ID] = unsound(c.Compiled)
			}
		}
	}
	return refused, nil
}

// loopsIn finds fields that wait for each other where rules of a kind are in its book, and tells it of those rules that make them
// wait, by number. Cost: a plan for each scope in which one of them is in force, and each day on which others are from then on.
func loopsIn(ctx context.Context, s *Service, kind string, rules []rule.Rule) (map[int64]*fault.Fault, error) {
	ref, k, err := s.base.KindOf(ctx, kind)
	if err != nil {
		return nil, err
	}
	before, err := s.base.Cache.Book(ctx, kind)
	if err != nil {
		return nil, err
	}
	book, found := before.Put(rules...), map[int64]*fault.Fault{}
	given := map[int64]bool{}
	for _, r := range rules {
		given[r.ID] = r.State == rule.InForce
	}
	var ours []*rule.Compiled
	for _, c := range book.Rules {
		if given[c.ID] {
			ours = append(ours, c)
		}
	}
	for i := range ref.Companies {
		for j := range ref.Types[kind] {
			company, kindType := &ref.Companies[i], &ref.Types[kind][j]
			if !kindType.UsedIn(company.Key) {
				continue
			}
			for _, scope := range daysOf(book, ours, plan.Scope{Company: company, Type: kindType, Day: s.base.Today(company)}) {
				p := plan.Build(book, scope)
				if p.Loop == nil {
					continue
				}
				covering := func(c *rule.Compiled) bool { return given[c.ID] && plan.Covers(c, scope) }
				by := slices.DeleteFunc(slices.Clone(p.Loop.Rules), func(c *rule.Compiled) bool { return c == nil || !covering(c) })
				if len(by) == 0 {
					by = ours[slices.IndexFunc(ours, covering):][:1]
				}
				for _, c := range by {
					if found[c.ID] == nil {
						found[c.ID] = fault.Bad(loop, p.Loop.Describe(k), c.Target)
					}
				}
			}
		}
	}
	return found, nil
}

// daysOf are a company and type on every day from which another set of rules is in force there, as long as any of ours is.
func daysOf(book *plan.Book, ours []*rule.Compiled, s plan.Scope) (scopes []plan.Scope) {
	holds := slices.DeleteFunc(slices.Clone(ours), func(c *rule.Compiled) bool {
		return !c.Scope.Covers(s.Company.Key, s.Type.Key, max(s.Day, c.Scope.From))
	})
	if len(holds) == 0 {
		return nil
	}
	days := map[record.Day]bool{s.Day: true}
	for _, c := range book.Rules {
		if from := c.Scope.From; c.State == rule.InForce && from > s.Day && c.Scope.Covers(s.Company.Key, s.Type.Key, from) {
			days[from] = true
		}
	}
	for _, day := range slices.Sorted(maps.Keys(days)) {
		s.Day = day
		if slices.ContainsFunc(holds, func(c *rule.Compiled) bool { return plan.Covers(c, s) }) {
			scopes = append(scopes, s)
		}
	}
	return scopes
}

// Compare makes the keys of unique rules that are, or will be, in force and of which none are kept yet: in steps, so that others
// save meanwhile, and nobody waits for them later. One that is not sound here has none yet. Cost: for each, the records of its kind.
func Compare(ctx context.Context, s *Service, rules []rule.Rule) error {
	for _, r := range rules {
		if r.State != rule.InForce || r.Effect.Unique == nil {
			continue
		}
		c, err := s.compile(ctx, r)
		if err != nil {
			return err
		}
		if !c.Sound() || len(c.Unique) == 0 {
			continue
		}
		if err := s.base.Store.MakeUnique(ctx, c.kind, c.UniqueBy(), func(int) error { return ctx.Err() }); err != nil {
			return err
		}
	}
	return nil
}
