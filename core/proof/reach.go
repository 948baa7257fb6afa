package proof

import (
	"context"
	"slices"

	"codicil/core/engine"
	"codicil/core/feel"
	"codicil/core/field"
	"codicil/core/judge"
	"codicil/core/rule"
)

// Reached tells of each document whether a rule that stands otherwise in the book of another runner may change what
// becomes of it: a value, or what is said. One of which it tells false comes out the same by both books. Cost: for each what
// is upstream of the rule, twice where the rule decides something.
func (r *Runner) Reached(ctx context.Context, other *Runner, id int64, documents []Proof) ([]bool, error) {
	var versions []*rule.Compiled
	for _, c := range slices.Concat(r.Book.Rules, other.Book.Rules) {
		if c.ID == id {
			versions = append(versions, c)
		}
	}
	acts := slices.ContainsFunc(other.Book.Rules, func(c *rule.Compiled) bool { return c.ID == id && c.State == rule.InForce })
	one, two := r.upstream(versions), other.upstream(versions)
	reached := make([]bool, len(documents))
	err := r.Each(ctx, len(documents), func(i int) {
		first, err := one.judge(&documents[i], false, nil)
		if err == nil && !acts && !first.Outcome.Touched(id) {
			return
		}
		second, other := two.judge(&documents[i], false, nil)
		reached[i] = err != nil || other != nil || !sameOutcome(first, second)
	})
	return reached, err
}

// upstream returns a runner that goes through what is upstream of versions of a rule only.
func (r *Runner) upstream(versions []*rule.Compiled) *Runner {
	return &Runner{Book: r.Book, Scope: r.Scope, Facts: r.Facts, Single: r.Single, Extent: r.Extent, of: versions}
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
