package books

import (
	"cmp"
	"fmt"
	"slices"

	"codicil/core/rule"
	"codicil/internal/contract"
)

// putRules puts the rules of the book beside those that are here. Cost: all rules of both, once.
func (i *importer) putRules() error {
	if err := i.knownRules(); err != nil {
		return err
	}
	here, err := i.meant()
	if err != nil {
		return err
	}
	for at, r := range i.book.Rules {
		if err := i.putRule(here[at], r); err != nil {
			return fmt.Errorf("rule %d %s: %w", r.ID, r.Name, err)
		}
	}
	return nil
}

// meant finds the rule here that each rule of the book is: the one that has its identifier; else, in a book without identifiers, its
// number, kind, family and target; else, but for those of a codicil, one that says the same. One here is one of the book at most;
// those of the book that are none here, nil, are new.
func (i *importer) meant() ([]*rule.Rule, error) {
	byUID, byID, byBody := map[string]*rule.Rule{}, map[int64]*rule.Rule{}, map[string][]*rule.Rule{}
	read := map[string]bool{}
	for _, r := range i.book.Rules {
		if read[r.Kind] {
			continue
		}
		read[r.Kind] = true
		rules, err := i.base.Store.Rules(i.ctx, r.Kind)
		if err != nil {
			return nil, err
		}
		for k := range rules {
			o := &rules[k]
			byUID[o.UID], byID[o.ID] = o, o
			body, err := written(o.Body)
			if err != nil {
				return nil, err
			}
			byBody[body] = append(byBody[body], o)
		}
	}
	here, taken := make([]*rule.Rule, len(i.book.Rules)), map[int64]bool{}
	for _, way := range []func(r *rule.Rule) (*rule.Rule, error){
		func(r *rule.Rule) (*rule.Rule, error) {
			if r.UID == "" {
				return nil, nil
			}
			return byUID[r.UID], nil
		},
		func(r *rule.Rule) (*rule.Rule, error) {
			if o := byID[r.ID]; r.UID == "" && o != nil && o.Kind == r.Kind && o.Family == r.Family && o.Target == r.Target && o.State != rule.Retired {
				return o, nil
			}
			return nil, nil
		},
		func(r *rule.Rule) (*rule.Rule, error) {
			if i.book.Codicil != nil && r.UID != "" {
				return nil, nil // what says the same here is another rule, which the codicil leaves alone
			}
			body, err := written(r.Body)
			same := byBody[body]
			at := slices.IndexFunc(same, func(o *rule.Rule) bool { return o.State != rule.Retired && !taken[o.ID] })
			if err != nil || at < 0 {
				return nil, err
			}
			return same[at], nil
		},
	} {
		for at := range i.book.Rules {
			if here[at] != nil {
				continue
			}
			o, err := way(&i.book.Rules[at])
			if err != nil {
				return nil, err
			}
			if o != nil && !taken[o.ID] {
				here[at], taken[o.ID] = o, true
			}
		}
	}
	return here, nil
}

// knownRules finds the rules here that the proofs of a codicil name and that it does not change.
func (i *importer) knownRules() error {
	if i.book.Codicil == nil || len(i.book.Codicil.Rules) == 0 {
		return nil
	}
	m, err := i.base.Cache.Reference(i.ctx)
	if err != nil {
		return err
	}
	for k := range m.Kinds {
		rules, err := i.base.Store.Rules(i.ctx, m.Kinds[k].Key)
		if err != nil {
			return err
		}
		for id, uid := range i.book.Codicil.Rules {
			if at := slices.IndexFunc(rules, func(r rule.Rule) bool { return r.UID == uid }); at >= 0 {
				i.rules[id] = rules[at].ID
			}
		}
	}
	return nil
}

// putRule makes a rule here what it is in the book. A draft holds nowhere: one that is new is left out of a codicil, in which a new rule
// holds, and what is in force here is retired by it.
func (i *importer) putRule(here *rule.Rule, r rule.Rule) error {
	if r.State == rule.Draft && i.base.Store.View() != nil {
		if here != nil && here.State == rule.Draft {
			i.rules[r.ID] = here.ID
			return nil
		}
		r.State = rule.Retired
	}
	change := contract.RuleChange{UID: r.UID, Body: r.Body, Name: r.Name, Reason: cmp.Or(r.Reason, "as the book has it")}
	var made contract.RuleView
	var err error
	switch {
	case here == nil && r.State == rule.Retired:
		return nil // what is over is not begun anew
	case here == nil:
		i.changes = append(i.changes, Change{"rule", r.Name, "add"})
		if made, err = i.Rules.Create(i.ctx, change); err != nil {
			return err
		}
	case here.State == rule.Retired && r.State == rule.Retired, same(here.Body, r.Body) && here.Name == r.Name && here.State == r.State:
		i.rules[r.ID] = here.ID
		return nil
	default:
		i.changes = append(i.changes, Change{"rule", r.Name, "change"})
		made = contract.RuleView{State: here.State, Version: here.Version}
		var path []rule.State
		switch {
		case here.State == rule.Retired:
			path = []rule.State{rule.Draft} // it is taken up again as what it is there
		case r.State == rule.Draft && here.State != rule.Draft:
			path = []rule.State{rule.Retired, rule.Draft}
		}
		for _, next := range path {
			if made, err = i.Rules.Move(i.ctx, here.ID, contract.RuleMove{State: next, Version: made.Version, Reason: change.Reason}); err != nil {
				return err
			}
		}
		change.ID, change.Version = here.ID, made.Version
		if made, err = i.Rules.Change(i.ctx, here.ID, change); err != nil {
			return err
		}
	}
	i.rules[r.ID] = made.ID
	path := map[rule.State][]rule.State{rule.InForce: {rule.InForce}, rule.Suspended: {rule.InForce, rule.Suspended}, rule.Retired: {rule.Retired}}
	for _, next := range path[r.State] {
		if made.State == r.State {
			break
		}
		if made, err = i.Rules.Move(i.ctx, made.ID, contract.RuleMove{State: next, Version: made.Version, Reason: change.Reason}); err != nil {
			return err
		}
	}
	return nil
}
