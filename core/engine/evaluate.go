package engine

import (
	"slices"

	"codicil/core/feel"
	"codicil/core/rule"
)

// first lets the candidates of a station have their chance in order; the first whose
// condition holds has the turn, also where it then has nothing to do or fails, and the others
// are beaten. It returns the rule that acted. value is the value so far, which the acting rule
// changes. chance evaluates one candidate.
func (r *run) first(s cell, family rule.Family, value *feel.Value, chance func(cell, *rule.Compiled, *Act)) *rule.Compiled {
	var turn, acted *rule.Compiled
	for _, c := range r.plan.At(s.place, family) {
		if c.Sorts() {
			continue // it makes no value; see sort
		}
		act := &r.act
		*act = Act{Rule: c, Before: *value, After: *value}
		switch {
		case turn != nil:
			act.Did, act.By = Beaten, turn
		case !s.occasion(c) && !(s.values.Derive[s.at] && c.On.New):
			act.Did = OtherOccasion
		default:
			chance(s, c, act)
			if act.Did != WhenNotTrue {
				turn = c
			}
			if act.Did == Acted {
				acted = c
				*value = act.After
				s.set(act.After)
			}
		}
		r.note(s.out, act)
	}
	return acted
}

// occasion tells whether the rule runs for what is new, or for what is changed.
// A line that was added to a saved document is new.
func (s *cell) occasion(c *rule.Compiled) bool {
	if s.isNew() {
		return c.On.New
	}
	return c.On.Change && (c.Family != rule.Default || c.Effect.Lifetime != rule.NewOnly || c.Effect.Fixed)
}

// chance evaluates the rule's condition and, if it holds, its value.
func (r *run) chance(s cell, c *rule.Compiled, act *Act) {
	if r.applies(s, c, act) {
		r.give(s, c, act)
	}
}

// give evaluates the rule's value.
func (r *run) give(s cell, c *rule.Compiled, act *Act) {
	if c.Series != nil {
		number, err := r.number(c.Series)
		if err != nil {
			r.fails(s, c, act, err.Error())
			return
		}
		act.After = feel.StringOf(number)
	}
	if c.Value != nil {
		v := r.eval(c.Value, act)
		if r.failed(s, c, act, "value") {
			return
		}
		act.After = v
	}
	act.Did = Acted
}

// applies tells whether the rule's condition holds; where not, the act says why.
func (r *run) applies(s cell, c *rule.Compiled, act *Act) bool {
	if gap := r.plan.Gaps[c]; gap != "" {
		r.fails(s, c, act, gap)
		return false
	}
	if c.When == nil {
		return true
	}
	holds := r.eval(c.When, act)
	if r.failed(s, c, act, "when") {
		return false
	}
	if !holds.IsTrue() {
		act.Did = WhenNotTrue
		return false
	}
	return true
}

// eval runs a formula and, with detail, notes the values that it read.
func (r *run) eval(program *feel.Program, act *Act) (value feel.Value) {
	r.frame.Failures = r.frame.Failures[:0]
	if r.told {
		value = r.tell(program, act)
	} else {
		value = program.Eval(&r.frame)
	}
	if r.c.Watch != nil {
		r.c.Watch(act.Rule, program, &r.frame)
	}
	return value
}

func (r *run) tell(program *feel.Program, act *Act) feel.Value {
	first := len(act.Facts) // before those are the facts of the rule's other formula
	r.room(act, program.Parts())
	value, facts := program.Tell(&r.frame, act.Facts)
	act.Facts = facts[:first]
	for _, fact := range facts[first:] {
		_, branch := fact.Node.(*feel.If) // its condition and the value made say the same, shorter
		if !branch && !slices.ContainsFunc(act.Facts[:first], func(f feel.Step) bool { return f.Text == fact.Text }) {
			act.Facts = append(act.Facts, fact)
		}
	}
	return value
}

// room makes room for more facts of the current act, where those of all acts are kept: they
// are many and small. They are the act's own once it is noted.
func (r *run) room(act *Act, more int) {
	if act.Facts == nil {
		act.Facts = r.facts[len(r.facts):]
	}
	if len(act.Facts)+more > cap(act.Facts) {
		r.facts = make([]feel.Step, 0, max(len(act.Facts)+more, 256))
		act.Facts = append(r.facts, act.Facts...)
	}
}

// failed reports a formula that failed; the field then keeps its value so far.
func (r *run) failed(s cell, c *rule.Compiled, act *Act, part string) bool {
	if len(r.frame.Failures) == 0 {
		return false
	}
	f := r.frame.Failures[0]
	text := map[string]string{"when": c.Rule.When, "value": c.Effect.Value, "must": c.Effect.Must}[part]
	r.fails(s, c, act, f.Message+" in "+part+": "+text[f.Start:f.End])
	return true
}

func (r *run) fails(s cell, c *rule.Compiled, act *Act, reason string) {
	act.Did, act.Reason = Failed, reason
	r.notify(rule.Refuse, s, c, failed.With(c.Label(), reason))
}

func (r *run) note(out *Field, act *Act) {
	// In every line the same rules come again.
	once := func(ids []int64) []int64 {
		if n := len(ids); n > 0 && ids[n-1] == act.Rule.ID {
			return ids
		}
		return append(ids, act.Rule.ID)
	}
	switch act.Did {
	case Acted, Speaks:
		r.out.active = once(r.out.active)
	case NotNeeded, NotTaken, Failed:
		r.out.turned = once(r.out.turned)
	}
	if !r.detail {
		return
	}
	if len(act.Facts) > 0 {
		r.facts = r.facts[:len(r.facts)+len(act.Facts)]
		act.Facts = slices.Clip(act.Facts)
	}
	out.Rules = append(out.Rules, *act)
}
