package finding

import (
	"fmt"
	"slices"

	"codicil/core/engine"
	"codicil/core/feel"
	"codicil/core/plan"
	"codicil/core/proof"
	"codicil/core/record"
	"codicil/core/rule"
)

// closes tells whether a rule keeps people from typing into its field.
func closes(c *rule.Compiled) bool {
	return c.Effect.Access == rule.Hidden || c.Effect.Access == rule.ReadOnly
}

// hidden tells where the rule requires a field that nobody can fill, or closes one that is required.
func (l *look) hidden() {
	c := l.c
	for _, place := range c.Fields {
		if l.fills(place) {
			continue
		}
		if closes(c) {
			for _, check := range l.at(place, rule.Validate) {
				if l.with(check) {
					l.closedBut(place, check)
				}
			}
		}
		for _, o := range l.at(place, rule.Entry) {
			switch {
			case o.ID == c.ID:
				if c.Effect.Need == rule.Required && closes(c) {
					l.requiredAt(place, c, c)
				}
			case !l.with(o):
			case c.Effect.Need == rule.Required && closes(o):
				l.requiredAt(place, c, o)
			case o.Effect.Need == rule.Required && closes(c):
				l.requiredAt(place, o, c)
			}
		}
		if c.Effect.Need == rule.Required {
			l.unreachable(place)
		}
	}
}

// decided is the rule that decides an aspect of how a field is met; nil: none does.
func decided(cell *engine.Cell, aspect int) *rule.Compiled {
	for i := range cell.Rules {
		a := &cell.Rules[i]
		if a.Rule.Family == rule.Entry && a.Rule.Effect.Says(aspect) && (a.Did == engine.Acted || a.Did == engine.Failed) {
			return a.Rule
		}
	}
	return nil
}

// The aspects of entry, as rule.Effect counts them.
const (
	need = iota
	access
)

func decides(cell *engine.Cell, aspect int, c *rule.Compiled) bool {
	by := decided(cell, aspect)
	return by != nil && by.ID == c.ID
}

// closedBut tells whether a check refuses a blank field that the rule closes.
func (l *look) closedBut(place int, check *rule.Compiled) {
	c := l.c
	if check.Must == nil || check.Effect.Severity != rule.Refuse {
		return
	}
	regions := l.of(c).regions
	regions.Rest()
	own := feel.Region{{ownName(check): {Null: true}}}
	both := l.inside(regions, l.of(c).acts, l.acts(check, regions), regions.Of(check.Must.Root(), feel.IsFalse), own)
	if len(both) == 0 {
		return
	}
	w := l.witness(both, regions, anywhere(place, func(_ *proof.Result, cell *engine.Cell) bool {
		return cell.Final.IsNull() && decides(cell, access, c) && did(cell, check, engine.Speaks)
	}))
	if w == nil {
		return
	}
	v := c.Vocabulary()
	l.found(&Finding{Code: RequiredHidden, Kind: c.Kind, Field: place, Rules: []*rule.Compiled{check, c}, Part: v.Kind.Fields[place].Key, Witness: w, message: func(w rule.Wording) string {
		return fmt.Sprintf("%s must be filled by %s, but %s makes it %s and no rule fills it", label(v, w, place), check.Label(), c.Label(), c.Effect.Access)
	}})
}

// fills tells whether a rule may give the field a value.
func (f *Finder) fills(place int) bool {
	return slices.ContainsFunc([]rule.Family{rule.Source, rule.Default, rule.Compute, rule.Substitute}, func(family rule.Family) bool {
		return slices.ContainsFunc(f.at(place, family), func(c *rule.Compiled) bool { return !c.Sorts() })
	})
}

// requiredAt tells whether one rule requires a field while another closes it.
func (l *look) requiredAt(place int, requires, closes *rule.Compiled) {
	regions := l.of(l.c).regions
	regions.Rest()
	both := l.inside(regions, l.acts(requires, regions), l.acts(closes, regions))
	if len(both) == 0 {
		return
	}
	w := l.witness(both, regions, anywhere(place, func(_ *proof.Result, cell *engine.Cell) bool {
		return cell.Final.IsNull() && decides(cell, need, requires) && decides(cell, access, closes)
	}))
	if w == nil {
		return
	}
	v := l.c.Vocabulary()
	others := []*rule.Compiled{closes}
	if closes.ID == requires.ID {
		others = nil
	}
	l.found(&Finding{Code: RequiredHidden, Kind: l.c.Kind, Field: place, Rules: append([]*rule.Compiled{requires}, others...), Part: v.Kind.Fields[place].Key, Witness: w, message: func(w rule.Wording) string {
		return fmt.Sprintf("%s is required by %s, but %s makes it %s and no rule fills it", label(v, w, place), requires.Label(), closes.Label(), closes.Effect.Access)
	}})
}

// unreachable tells whether the form does not show a field that is required, or the cursor never
// comes there.
func (l *look) unreachable(place int) {
	c := l.c
	f := &c.Vocabulary().Kind.Fields[place]
	blank := anywhere(place, func(r *proof.Result, cell *engine.Cell) bool {
		return cell.Final.IsNull() && decides(cell, need, c) && cell.Access != rule.Hidden &&
			(c.Effect.Cursor == rule.PassedOver || l.hides(r.Plan, f.Key))
	})
	why := "the form does not show it. Show it in the layout, or let a rule fill it"
	hides := false
	for i := range l.Runner.Extent.Companies {
		for j := range l.Runner.Extent.Types {
			at, t := l.Runner.Extent.Companies[i].Key, &l.Runner.Extent.Types[j]
			if t.UsedIn(at) && c.Scope.Covers(at, t.Key, l.Today) && l.Layout != nil && hiddenIn(l.Layout(at, t.Key), f.Key) {
				hides = true
			}
		}
	}
	switch {
	case hides:
	case c.Effect.Cursor == rule.PassedOver:
		why = "the cursor passes it over and no rule fills it"
	default:
		return
	}
	regions := l.of(c).regions
	regions.Rest()
	w := l.witness(l.inside(regions, l.of(c).acts), regions, blank)
	if w == nil {
		return
	}
	l.say(Unreachable, f.Key, nil, w, nil, func(w rule.Wording) string {
		return fmt.Sprintf("%s is required by %s, but %s", label(c.Vocabulary(), w, place), c.Label(), why)
	})
}

func (l *look) hides(p *plan.Plan, key string) bool {
	return l.Layout != nil && hiddenIn(l.Layout(p.Scope.Company.Key, p.Scope.Type.Key), key)
}

func hiddenIn(layout *record.Layout, key string) bool {
	if layout == nil {
		return false
	}
	for _, s := range layout.Sections {
		for _, f := range s.Fields {
			if f.Key == key {
				return s.Hidden || f.Hidden
			}
		}
	}
	return false
}
