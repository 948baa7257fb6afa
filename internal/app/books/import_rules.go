package books

import (
	"cmp"
	"slices"
	"strconv"

	"codicil/core/rule"
	"codicil/internal/app/rules"
)

// putRules puts the rules of the book beside those that are here.
func (i *importer) putRules() error {
	wanted, err := i.wanted()
	if err != nil {
		return err
	}
	made, err := rules.Together(i.ctx, i.Rules, nil, wanted)
	i.number(wanted, made)
	return err
}

// number notes which numbers rules have that were wanted.
func (i *importer) number(wanted []rules.Wanted, made []rule.Rule) {
	for at, r := range made {
		i.rules[wanted[at].Rule.ID] = r.ID
	}
}

// wanted are the rules that are to be otherwise than they are here. Cost: all rules of both, once.
func (i *importer) wanted() (wanted []rules.Wanted, err error) {
	if err := i.knownRules(); err != nil {
		return nil, err
	}
	here, err := i.meant()
	if err != nil {
		return nil, err
	}
	for at, r := range i.book.Rules {
		if w := i.want(here[at], r); w != nil {
			wanted = append(wanted, *w)
		}
	}
	return wanted, nil
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

// want is what a rule here is to be as the book has it; nil: it stays as it is. A draft holds nowhere: one that is new is left out
// of a codicil, in which a new rule holds, and what is in force here is retired by it.
func (i *importer) want(here *rule.Rule, r rule.Rule) *rules.Wanted {
	if r.State == rule.Draft && i.base.Store.View() != nil {
		if here != nil && here.State == rule.Draft {
			i.rules[r.ID] = here.ID
			return nil
		}
		r.State = rule.Retired
	}
	if r.Name == "" && here != nil {
		r.Name = here.Name // the book does not name it
	}
	name := cmp.Or(r.Name, strconv.FormatInt(r.ID, 10))
	switch {
	case here == nil && r.State == rule.Retired:
		return nil // what is over is not begun anew
	case here == nil:
		i.changes = append(i.changes, Change{"rule", name, "add"})
	case here.State == rule.Retired && r.State == rule.Retired, same(here.Body, r.Body) && here.Name == r.Name && here.State == r.State:
		i.rules[r.ID] = here.ID
		return nil
	default:
		i.changes = append(i.changes, Change{"rule", name, "change"})
	}
	return &rules.Wanted{Here: here, Rule: r, Reason: cmp.Or(r.Reason, "as the book has it")}
}
