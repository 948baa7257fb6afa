package engine

import (
	"codicil/core/feel"
	"codicil/core/rule"
	"codicil/core/table"
)

// entry decides how the field is met.
func (r *run) entry(s spot) *rule.Compiled {
	by := r.first(s, rule.Entry, nil, r.chance)
	if by != nil {
		s.out.Manner, s.out.Cursor, s.out.Twice = by.Effect.Manner, by.Effect.Cursor, by.Effect.Twice
	}
	return by
}

// closed tells whether nobody can type into the field.
func (s *spot) closed() bool {
	return s.out.Manner == rule.ReadOnly || s.out.Manner == rule.Hidden
}

// kept sets aside what was typed into a field that is not for typing.
func (r *run) kept(s spot, entry *rule.Compiled, value feel.Value) feel.Value {
	if !s.closed() {
		return value
	}
	kept := s.stored()
	if !feel.Same(value, kept) {
		r.say(rule.Advise, "set-aside", s, entry, r.field(s).Label+" is "+string(s.out.Manner)+" here: what was entered is not taken")
	}
	s.out.Made = ""
	if !kept.IsNull() {
		s.out.Made = "stored"
	}
	s.set(kept)
	return kept
}

// close makes a field whose value a rule gives one that nobody types into; why says
// what the rule does, for a person whose entry is set aside.
func (r *run) close(s spot, by *rule.Compiled, value feel.Value, why string) {
	if s.closed() {
		return // nobody could type there anyway, and was told so
	}
	s.out.Manner = rule.ReadOnly
	entered := s.out.Entered
	if entered.IsNull() || feel.Same(entered, s.stored()) || feel.Same(entered, value) {
		return
	}
	r.say(rule.Advise, "set-aside", s, by, r.field(s).Label+" "+why+": what was entered is not taken")
}

// source takes the value of a linked record.
func (r *run) source(s spot, value *feel.Value) {
	if len(r.plan.At(s.place, rule.Source)) == 0 {
		return
	}
	by := r.first(s, rule.Source, value, func(s spot, c *rule.Compiled, act *Act) {
		if !r.applies(s, c, act) {
			return
		}
		given := r.eval(c.Value, act)
		switch {
		case r.failed(s, c, act, "value"):
		case c.Effect.Tie == rule.Live:
			act.Did, act.After = Acted, given
		default:
			r.copied(s, c, act, given)
		}
	})
	if by == nil {
		return
	}
	if !value.IsNull() {
		s.out.Made = "source"
	}
	if by.Effect.Tie == rule.Live {
		s.out.Made = "source"
		r.close(s, by, *value, "always shows that of the linked record here")
	}
}

// copied decides whether a copied value is taken: on a new record where nobody gave
// another; on a saved one when the link changed, unless a person changed the value.
func (r *run) copied(s spot, c *rule.Compiled, act *Act, given feel.Value) {
	own := act.Before
	changed := !s.isNew() && r.linkChanged(s, c)
	switch {
	case !s.isNew() && !changed:
		act.Did = NotNeeded
	case own.IsNull(), feel.Same(own, given):
		act.Did, act.After = Acted, given
	case changed && feel.Same(own, s.stored()) && feel.Same(own, r.valueBefore(s, c)):
		act.Did, act.After = Acted, given // it came from there, and nobody changed it
	default:
		act.Did = NotTaken
		if r.detail {
			s.out.Offered = given
		}
		if changed && !given.IsNull() {
			r.say(rule.Advise, "source-differs", s, c, r.field(s).Label+" stays as a person gave it, though the link changed; clear it to take what the linked record has")
		}
	}
}

// linkChanged tells whether a link that leads to the source differs from what was last
// saved.
func (r *run) linkChanged(s spot, c *rule.Compiled) bool {
	for _, place := range c.Links {
		so, was := r.link(s, place)
		if !feel.Same(*so, was) {
			return true
		}
	}
	return false
}

// link returns the slot of a link and what was last saved there.
func (r *run) link(s spot, place int) (slot *feel.Value, stored feel.Value) {
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

// valueBefore is what the source had where the links led when the record was saved.
func (r *run) valueBefore(s spot, c *rule.Compiled) feel.Value {
	for _, place := range c.Links {
		slot, stored := r.link(s, place)
		defer func(now feel.Value) { *slot = now }(*slot)
		*slot = stored
	}
	return c.Value.Eval(&r.frame)
}

// fill lets a default fill a blank; a fixed one also takes the place of what was typed.
func (r *run) fill(s spot, value *feel.Value) {
	if len(r.plan.At(s.place, rule.Default)) == 0 {
		return
	}
	sourced := s.out.Made == "source"
	var made feel.Value
	by := r.first(s, rule.Default, value, func(s spot, c *rule.Compiled, act *Act) {
		switch {
		case !act.Before.IsNull() && (!c.Effect.Fixed || sourced):
			act.Did = NotNeeded
		case c.Effect.Fixed && !s.isNew() && (!s.stored().IsNull() || c.Effect.Lifetime == rule.NewOnly):
			if r.applies(s, c, act) {
				act.Did, act.After = Acted, s.stored()
			}
		default:
			if r.chance(s, c, act); act.Did == Acted {
				made = act.After
			}
		}
	})
	switch {
	case by == nil:
		return
	case !made.IsNull():
		s.out.Made = "default"
	case by.Effect.Fixed:
		s.out.Made = "stored"
	}
	if by.Effect.Fixed {
		r.close(s, by, *value, "is filled by a rule here, and nobody changes it")
	}
}

// settled is a value as the field would keep it, so that two ways to write one are the same.
func (r *run) settled(s spot, v feel.Value) feel.Value {
	fitted, _ := r.field(s).Settle(v, r.surroundings(s))
	return fitted
}

// again compares what was keyed a second time.
func (r *run) again(s spot, by *rule.Compiled) {
	if !s.out.Twice || !r.c.Keyed || s.out.Entered.IsNull() || feel.Same(s.out.Entered, s.stored()) {
		return
	}
	label := r.field(s).Label
	second, keyed := s.values.Again[s.at]
	switch {
	case !keyed && r.c.Moment != rule.Typing:
		r.say(rule.Refuse, "key-again", s, by, label+" is keyed twice; key it a second time")
	case keyed && !feel.Same(r.settled(s, second), r.settled(s, s.out.Entered)):
		r.say(rule.Refuse, "keyed-differently", s, by, label+": the second time something else was keyed; look at the document and key both again")
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
