package proof

import (
	"context"
	"slices"

	"codicil/core/engine"
	"codicil/core/feel"
	"codicil/core/field"
	"codicil/core/judge"
	"codicil/core/plan"
	"codicil/core/rule"
)

// Reach tells whether rules that stand otherwise in one book than in another may change what becomes of a document: a value, or
// what is said. One of which it tells false comes out the same by both.
type Reach struct {
	ids []int64
	// from and to go through what is upstream of the rules in the book before and after.
	from, to reachSide
	back     bool
}

type reachSide struct {
	*Runner
	acts bool // one of the rules is in force
}

// NewReach tells what comes of it that some rules are as the book of a runner has them, and not as the one before has them. The
// books differ in nothing else that one of their documents is judged by. Cost: the rules.
func NewReach(before, after *Runner, ids ...int64) *Reach {
	var versions []*rule.Compiled
	side := func(r *Runner) (s reachSide) {
		for _, c := range r.Book.Rules {
			if slices.Contains(ids, c.ID) {
				versions, s.acts = append(versions, c), s.acts || c.State == rule.InForce
			}
		}
		return s
	}
	h := &Reach{ids: ids, from: side(before), to: side(after)}
	h.from.Runner, h.to.Runner = before.upstream(versions), after.upstream(versions)
	h.back = slices.ContainsFunc(versions, func(c *rule.Compiled) bool { return c.Vocabulary().LooksBack(c.Reads(), rule.Before...) })
	return h
}

// LooksBack tells whether one of the rules reads what was saved before.
func (h *Reach) LooksBack() bool { return h.back }

// Before and After build the parts of the plans of both books that decide what the rules do.
func (h *Reach) Before(b *plan.Book, s plan.Scope) *plan.Plan { return h.from.plans.Plan(b, s) }

// After builds the part of the plan of the book after.
func (h *Reach) After(b *plan.Book, s plan.Scope) *plan.Plan { return h.to.plans.Plan(b, s) }

// Documents tells it of each of some documents. Cost: for each what is upstream of the rules, twice where they decide something.
func (h *Reach) Documents(ctx context.Context, documents []Proof) ([]bool, error) {
	reached := make([]bool, len(documents))
	err := h.to.Each(ctx, len(documents), func(i int) {
		var err error
		reached[i], err = h.Any(func(after bool) ([]*judge.Judged, error) {
			by := h.from
			if after {
				by = h.to
			}
			judged, err := by.judge(&documents[i], false, nil)
			return []*judge.Judged{judged}, err
		})
		reached[i] = reached[i] || err != nil
	})
	return reached, err
}

// Any tells it of a document that was judged in some steps; judged returns each step by the book after or before, from the
// plans that the reach builds.
func (h *Reach) Any(judged func(after bool) ([]*judge.Judged, error)) (bool, error) {
	later := h.to.acts // the book in which they act is asked first: where they do nothing, that is all
	one, err := judged(later)
	if err != nil {
		return false, err
	}
	touched := slices.ContainsFunc(one, func(j *judge.Judged) bool { return slices.ContainsFunc(h.ids, j.Outcome.Touched) })
	if !touched && !(h.from.acts && h.to.acts) {
		return false, nil
	}
	other, err := judged(!later)
	return err == nil && !slices.EqualFunc(one, other, sameOutcome), err
}

// upstream returns a runner that goes through what is upstream of versions of rules only; of none, through all.
func (r *Runner) upstream(versions []*rule.Compiled) *Runner {
	of := &Runner{Book: r.Book, Scope: r.Scope, Facts: r.Facts, Single: r.Single, Extent: r.Extent}
	if len(versions) > 0 {
		of.plans.Part = func(p *plan.Plan) *plan.Plan { return p.Upstream(versions...) }
	}
	return of
}

// sameOutcome tells whether two judgements of a document have the same values and say the same.
func sameOutcome(a, b *judge.Judged) bool {
	return slices.EqualFunc(a.Outcome.Cells(), b.Outcome.Cells(), func(x, y engine.Cell) bool { return feel.Same(x.Final, y.Final) }) &&
		slices.EqualFunc(a.Outcome.Messages, b.Outcome.Messages, func(x, y engine.Message) bool {
			same := x.Severity == y.Severity && x.Code == y.Code && x.Field == y.Field && x.Line == y.Line && x.Text == y.Text && x.Reason == y.Reason
			return same && (x.Rule == nil) == (y.Rule == nil) && (x.Rule == nil || x.Rule.ID == y.Rule.ID) &&
				slices.EqualFunc(x.Values, y.Values, func(v, w feel.Value) bool { return field.Write(v) == field.Write(w) })
		})
}

// ReadsStanding tells whether a rule reads a standing value.
func ReadsStanding(c *rule.Compiled, key string) bool {
	v := c.Vocabulary()
	return slices.ContainsFunc(c.Reads(), func(slot int) bool {
		place, is := v.StandingAt(slot)
		return is && v.Tables.Standing[place].Field.Key == key
	})
}

// ReadsCrosswalk tells whether a rule looks something up in a crosswalk, in its message too.
func ReadsCrosswalk(c *rule.Compiled, key string) (reads bool) {
	visit := func(n feel.Node) {
		if call, is := n.(*feel.Call); is && call.Function == "crosswalk" && len(call.Arguments) > 0 {
			name, _ := feel.Constant(call.Arguments[0])
			text, _ := name.Text()
			reads = reads || text == key
		}
	}
	for _, part := range parts(c) {
		feel.Walk(part.program.Root(), visit)
	}
	for _, piece := range c.Message {
		if piece.Program != nil {
			feel.Walk(piece.Program.Root(), visit)
		}
	}
	return reads
}
