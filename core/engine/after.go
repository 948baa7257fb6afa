package engine

import (
	"slices"

	"codicil/core/feel"
	"codicil/core/field"
	"codicil/core/rule"
)

// unique looks for other records, and other lines of the document, with the same values.
func (r *run) unique(s cell, c *rule.Compiled, act *Act) {
	texts := r.textsAt(c, r.lineNumber(s))
	key, filled := c.Effect.Unique.Ignore.Key(texts)
	if !filled {
		act.Did = Undecided
		return
	}
	act.Did = Holds
	var clashes []string
	if r.c.Uniqueness != nil {
		company := r.plan.Scope.Company.Key
		if c.Effect.Unique.Everywhere {
			company = ""
		}
		clashes = slices.DeleteFunc(slices.Clone(r.c.Uniqueness.Same(c, company, key, texts)), func(number string) bool { return number == r.c.Record })
	}
	if s.line >= 0 && r.firstWith(c, key) < s.line { // the later one is told
		clashes = append(clashes, "")
	}
	if len(clashes) > 0 {
		act.Did = Speaks
		r.speak(s, c, "unique", clashes)
	}
}

// textsAt are the values that are unique together, in the line with the number, in their
// stored form.
func (r *run) textsAt(c *rule.Compiled, line int) []string {
	texts := make([]string, len(c.Unique))
	for i, place := range c.Unique {
		texts[i] = field.Write(r.out.Field(place, line).Final)
	}
	return texts
}

func (r *run) lineNumber(s cell) int {
	if s.line < 0 {
		return 0
	}
	return r.c.Lines[s.line].Number
}

// sort puts a finished number into its band: of the rule that computed it, or else of the
// first that only sorts.
func (r *run) sort(s cell) {
	number, isNumber := s.out.Final.Number()
	for _, c := range r.plan.At(s.place, rule.Compute) {
		if len(c.Bounds) == 0 {
			continue
		}
		if !c.Sorts() {
			if s.out.Computer == c && isNumber {
				s.out.Sorted, s.out.Band = c, c.BandOf(number)
			}
			continue
		}
		act := Act{Rule: c, Before: s.out.Final, After: s.out.Final}
		switch {
		case s.out.Sorted != nil:
			act.Did, act.By = Beaten, s.out.Sorted
		case !s.occasion(c):
			act.Did = OtherOccasion
		case !isNumber:
			act.Did = Undecided
		case r.applies(s, c, &act):
			act.Did = Acted
			s.out.Sorted, s.out.Band = c, c.BandOf(number)
		}
		r.note(s.out, &act)
	}
}

// followUps makes what posting the document writes to linked records.
func (r *run) followUps() {
	if r.c.Moment != rule.Posting || !r.plan.Kind().Posted || r.out.Verdict == Refused || r.c.Linked == nil {
		return
	}
	r.frame.NoRound() // one writes what the next may read
	written := &overlay{Linked: r.c.Linked, values: map[[3]string]feel.Value{}}
	r.frame.Linked = written
	for place := range r.plan.Kind().Fields {
		if len(r.plan.At(place, rule.FollowUp)) > 0 {
			r.each(place, func(r *run, s cell) { r.followUp(s, written) })
		}
	}
	r.frame.Linked = r.c.Linked
	if r.out.Verdict = r.verdict(); r.out.Verdict == Refused { // one has failed
		r.out.FollowUps = nil
	}
}

// followUp lets the rules on the record that a link leads to act: at most one for each of
// its fields.
func (r *run) followUp(s cell, written *overlay) {
	number, linked := s.out.Final.Text()
	kind := r.field(s).Kind
	turn := map[string]*rule.Compiled{}
	for _, c := range r.plan.At(s.place, rule.FollowUp) {
		before := feel.NullValue
		if linked {
			before = written.Follow(kind, number, c.Remote.Key)
		}
		act := Act{Rule: c, Before: before, After: before}
		switch {
		case turn[c.Target] != nil:
			act.Did, act.By = Beaten, turn[c.Target]
		case !linked:
			act.Did = Undecided
		default:
			if r.chance(s, c, &act); act.Did != WhenNotTrue {
				turn[c.Target] = c
			}
			if act.Did != Acted {
				break
			}
			settled, wrong := c.Remote.Settle(act.After, r.plan.Here)
			if wrong != nil {
				r.fails(s, c, &act, wrong.String())
				break
			}
			act.After = settled
			if !feel.Same(before, settled) {
				written.values[[3]string{kind, number, c.Remote.Key}] = settled
				r.out.FollowUps = append(r.out.FollowUps, FollowUp{c, r.lineNumber(s), kind, number, c.Remote, before, settled})
			}
		}
		r.note(s.out, &act)
	}
}

// overlay shows linked records with what was written to them already.
type overlay struct {
	Linked
	values map[[3]string]feel.Value
}

// Follow returns a field of a linked record.
func (o *overlay) Follow(kind, key, field string) feel.Value {
	if v, written := o.values[[3]string{kind, key, field}]; written {
		return v
	}
	return o.Linked.Follow(kind, key, field)
}
