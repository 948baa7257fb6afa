package engine

import (
	"slices"

	"codicil/core/feel"
	"codicil/core/field"
	"codicil/core/record"
	"codicil/core/rule"
	"codicil/core/table"
)

// The aspects of entry, as rule.Effect.Says numbers them.
const (
	need = iota
	access
	cursor
	keying
)

// entry decides how the field is met: each aspect by itself, by the first rule that says
// something of it and whose condition holds. It returns the rule that decided each.
func (r *run) entry(s cell) (by [rule.Aspects]*rule.Compiled) {
	for _, c := range r.plan.At(s.place, rule.Entry) {
		act := &r.act
		*act = Act{Rule: c, Did: OtherOccasion}
		open, beaten := false, (*rule.Compiled)(nil)
		for aspect := range by {
			switch {
			case !c.Effect.Says(aspect):
			case by[aspect] == nil:
				open = true
			case beaten == nil:
				beaten = by[aspect]
			}
		}
		switch {
		case !s.occasion(c):
		case !open:
			act.Did, act.By = Beaten, beaten
		default:
			r.chance(s, c, act)
		}
		if act.Did == Acted || act.Did == Failed {
			for aspect := range by {
				if by[aspect] == nil && c.Effect.Says(aspect) {
					by[aspect] = c
					if act.Did == Acted {
						s.out.meet(aspect, &c.Effect)
					}
				}
			}
		}
		r.note(s.out, act)
	}
	return by
}

// meet takes over what a rule says of one aspect.
func (f *Field) meet(aspect int, e *rule.Effect) {
	switch aspect {
	case need:
		f.Need = e.Need
	case access:
		f.Access = e.Access
	case cursor:
		if f.Cursor = e.Cursor; f.Cursor == rule.InTurn {
			f.Cursor = ""
		}
	case keying:
		f.Twice, f.NotLower = e.Keying == rule.Twice, e.Keying == rule.NotLower
	}
}

// closed tells whether nobody can type into the field.
func (s *cell) closed() bool {
	return s.out.Access == rule.ReadOnly || s.out.Access == rule.Hidden
}

// kept sets aside what was typed into a field that is not for typing.
func (r *run) kept(s cell, entry *rule.Compiled, value feel.Value) feel.Value {
	if !s.closed() {
		return value
	}
	kept := s.stored()
	if !feel.Same(value, kept) {
		r.notify(rule.Advise, s, entry, closedHere.With(r.field(s).Label, s.out.Access))
	}
	s.out.Made, s.out.Origin = "", record.Unknown
	if !kept.IsNull() {
		s.out.Made, s.out.Origin = "stored", s.storedBy()
	}
	s.set(kept)
	return kept
}

// close makes a field whose value a rule gives one that nobody types into; why says
// what the rule does, for a person whose entry is set aside.
func (r *run) close(s cell, by *rule.Compiled, value feel.Value, why string) {
	if s.closed() {
		return // nobody could type there anyway, and was told so
	}
	s.out.Access = rule.ReadOnly
	entered := s.out.Entered
	if entered.IsNull() || feel.Same(entered, s.stored()) || feel.Same(entered, value) {
		return
	}
	r.notify(rule.Advise, s, by, setAside.With(r.field(s).Label, why))
}

// source takes the value of a linked record.
func (r *run) source(s cell, value *feel.Value) {
	if len(r.plan.At(s.place, rule.Source)) == 0 {
		return
	}
	by := r.first(s, rule.Source, value, func(s cell, c *rule.Compiled, act *Act) {
		if !r.applies(s, c, act) {
			return
		}
		given := r.eval(c.Value, act)
		switch {
		case r.failed(s, c, act, "value"):
		case c.Effect.Mode == rule.Live:
			act.Did, act.After = Acted, given
		default:
			r.copied(s, c, act, given)
		}
	})
	if by == nil {
		return
	}
	if !value.IsNull() && !r.keeps(s, *value) {
		s.out.made("source", by)
	}
	if by.Effect.Mode == rule.Live {
		s.out.made("source", by)
		s.out.Live = true
		r.close(s, by, *value, "always shows that of the linked record here")
	}
}

// keeps tells whether a rule gave what a person had entered already, who then stays its
// origin.
func (r *run) keeps(s cell, given feel.Value) bool {
	return s.out.Made == "entered" && feel.Same(s.out.Entered, given)
}

// copied decides whether a copied value is taken: on a new record where nobody gave another;
// on a saved one when the link changed, unless a person gave the value.
func (r *run) copied(s cell, c *rule.Compiled, act *Act, given feel.Value) {
	own := act.Before
	changed := !s.isNew() && r.linkChanged(s, c)
	switch {
	case s.values.Derive[s.at] && own.IsNull():
		act.Did, act.After = Acted, given
	case !s.isNew() && !changed:
		act.Did = NotNeeded
		if r.detail && !feel.Same(own, given) {
			s.out.Offered = given
		}
	case own.IsNull(), feel.Same(own, given):
		act.Did, act.After = Acted, given
	case changed && s.untouched(own) && r.ruleGave(s, c, own):
		act.Did, act.After = Acted, given // it came from there, and nobody changed it
	default:
		act.Did = NotTaken
		if r.detail {
			s.out.Offered = given
		}
		if changed && !given.IsNull() {
			r.notify(rule.Advise, s, c, sourceDiffers.With(r.field(s).Label))
		}
	}
}

// ruleGave tells whether the stored value came from a rule. Where that is not known it did,
// when a rule at the station of c gives the same for what was saved.
func (r *run) ruleGave(s cell, c *rule.Compiled, stored feel.Value) bool {
	switch origin := s.storedBy(); {
	case origin == record.Unknown:
		return slices.ContainsFunc(r.plan.At(s.place, c.Family), func(o *rule.Compiled) bool {
			return o.Value != nil && feel.Same(r.settled(s, r.valueBefore(s, o)), stored)
		})
	default:
		_, _, ok := origin.Rule()
		return ok
	}
}

// linkChanged tells whether a link that leads to the source differs from what was last
// saved.
func (r *run) linkChanged(s cell, c *rule.Compiled) bool {
	for _, place := range c.Links {
		so, was := r.link(s, place)
		if !feel.Same(*so, was) {
			return true
		}
	}
	return false
}

// link returns the slot of a link and what was last saved there.
func (r *run) link(s cell, place int) (slot *feel.Value, stored feel.Value) {
	headers := r.plan.Vocabulary.Headers
	if place >= headers {
		if s.values.Stored != nil {
			stored = s.values.Stored[place-headers]
		}
		return &s.slots[place-headers], stored
	}
	if r.c.Header.Stored != nil {
		stored = r.c.Header.Stored[place]
	}
	return &r.frame.Slots[place], stored
}

// valueBefore is what the rule gives for the fields that it reads as they were saved. A rule
// that fails then gave nothing.
func (r *run) valueBefore(s cell, c *rule.Compiled) feel.Value {
	return r.frame.Aside(func() feel.Value { return r.evalBefore(s, c) })
}

func (r *run) evalBefore(s cell, c *rule.Compiled) feel.Value {
	for _, read := range r.readsOf(c) {
		slot, stored := r.readAt(s, read)
		defer func(now feel.Value) { *slot = now }(*slot)
		*slot = stored
	}
	return c.Value.Eval(&r.frame)
}

// readsOf are the fields of the document that a rule's value and condition read so far, other
// than its own.
func (r *run) readsOf(c *rule.Compiled) (reads []rule.Read) {
	for _, slot := range c.Reads() {
		if slot == r.plan.Vocabulary.Lines {
			reads = append(reads, rule.Read{Field: allLines, List: true})
		}
		if read, ok := r.plan.Vocabulary.ReadAt(slot); ok && read.Form == rule.SoFar && (read.Field != c.Field || read.List) && !slices.Contains(reads, read) {
			reads = append(reads, read)
		}
	}
	return reads
}

// allLines in place of a field is all columns of the lines.
const allLines = -1

// readAt returns the slot of what a rule reads, and what was last saved there.
func (r *run) readAt(s cell, read rule.Read) (slot *feel.Value, stored feel.Value) {
	if !read.List {
		return r.link(s, read.Field)
	}
	return r.listAt(read.Field), r.storedList(read.Field)
}

// fill lets a default fill a blank; a fixed one also takes the place of what was typed, and
// one that keeps up that of what a rule filled in before, when something that it reads
// changed.
func (r *run) fill(s cell, value *feel.Value) {
	if len(r.plan.At(s.place, rule.Default)) == 0 {
		return
	}
	sourced := s.out.Made == "source"
	var made feel.Value
	kept := false
	by := r.first(s, rule.Default, value, func(s cell, c *rule.Compiled, act *Act) {
		if !r.applies(s, c, act) {
			return
		}
		fixed := c.Effect.Fixed && !sourced
		switch {
		case c.Series != nil && s.values.Derive[s.at] && act.Before.IsNull() && !s.stored().IsNull(): // a number stays with what it was given to
			act.Did, act.After, kept = Acted, s.stored(), true
		case fixed && !s.derives() && (c.Effect.Lifetime == rule.NewOnly || (!s.stored().IsNull() && !r.outdated(s, c))):
			act.Did, act.After = Acted, s.stored()
		case !act.Before.IsNull() && !fixed && (sourced || !s.untouched(act.Before) || !r.outdated(s, c)):
			act.Did = NotNeeded
		default:
			if r.give(s, c, act); act.Did == Acted {
				made = act.After
			}
		}
	})
	switch {
	case by == nil:
		return
	case !made.IsNull() && !r.keeps(s, made):
		s.out.made("default", by)
	case kept, by.Effect.Fixed && made.IsNull():
		s.out.Made, s.out.Origin = "stored", s.storedBy()
	}
	if by.Effect.Fixed {
		r.close(s, by, *value, "is filled by a rule here, and nobody changes it")
	}
}

// outdated tells whether a default that keeps up fills its field again: something that it
// reads in the document is not as it was saved, and a rule gave the value.
func (r *run) outdated(s cell, c *rule.Compiled) bool {
	if c.Effect.Lifetime != rule.KeepsUp || s.isNew() || c.Value == nil {
		return false
	}
	changed := slices.ContainsFunc(r.readsOf(c), func(read rule.Read) bool {
		if read.List {
			return r.listChanged(read.Field)
		}
		slot, stored := r.readAt(s, read)
		return !feel.Same(*slot, stored)
	})
	return changed && r.ruleGave(s, c, s.stored())
}

// substitute lets a rule take the place of the value so far. One that reads its own field
// acts on a value given anew only: it would go on changing what it made itself.
func (r *run) substitute(s cell, value *feel.Value) {
	by := r.first(s, rule.Substitute, value, func(s cell, c *rule.Compiled, act *Act) {
		if r.chance(s, c, act); act.Did == Acted && s.untouched(act.Before) && r.readsItself(c) {
			act.Did, act.After = NotNeeded, act.Before
		}
	})
	if by != nil {
		s.out.made("substitute", by)
	}
}

// readsItself tells whether a rule reads the value so far of its own field.
func (r *run) readsItself(c *rule.Compiled) bool {
	return slices.ContainsFunc(c.Reads(), func(slot int) bool {
		read, ok := r.plan.Vocabulary.ReadAt(slot)
		return ok && read.Form == rule.SoFar && read.Field == c.Field && !read.List
	})
}

// settled is a value as the field would keep it, so that two ways to write one are the same.
func (r *run) settled(s cell, v feel.Value) feel.Value {
	fitted, _ := r.field(s).Settle(v, r.surroundings(s))
	return fitted
}

// lower refuses a value that is keyed and lower than the one before, which it tells.
func (r *run) lower(s cell, by *rule.Compiled) {
	if !s.out.NotLower || !r.c.Keyed || s.out.Entered.IsNull() {
		return
	}
	before := s.stored()
	if before.IsNull() && s.values.PreviousOfType != nil {
		before = s.values.PreviousOfType[s.at]
	}
	if order, known := feel.Order(s.out.Entered, before); known && order < 0 {
		r.notify(rule.Refuse, s, by, keyedLower.With(r.field(s).Label, field.Write(s.out.Entered), field.Write(before)))
	}
}

// again compares what was keyed a second time.
func (r *run) again(s cell, by *rule.Compiled) {
	if !s.out.Twice || !r.c.Keyed || s.out.Entered.IsNull() || feel.Same(s.out.Entered, s.stored()) {
		return
	}
	label := r.field(s).Label
	second, keyed := s.values.Again[s.at]
	switch {
	case !keyed && r.c.Moment != rule.Typing:
		r.notify(rule.Refuse, s, by, keyAgain.With(label))
	case keyed && !feel.Same(r.settled(s, second), r.settled(s, s.out.Entered)):
		r.notify(rule.Refuse, s, by, keyedDifferently.With(label))
	}
}

// number is the next of a series: what the case's numbers give, or, without any, the first
// of the series, so that a proof comes out the same whenever it is run.
func (r *run) number(s *table.Series) (string, error) {
	scope := r.plan.Scope
	place := table.Place{Company: scope.Company.Key, Type: scope.Type.Key, Day: scope.Day}
	if r.c.Numbers != nil {
		return r.c.Numbers.Next(s, place)
	}
	return s.Format(s.Start, place, func(int64) int64 { return 0 })
}
