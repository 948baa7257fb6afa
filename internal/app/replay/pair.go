package replay

import (
	"cmp"
	"context"
	"errors"
	"slices"

	"codicil/core/engine"
	"codicil/core/field"
	"codicil/core/proof"
	"codicil/core/record"
	"codicil/core/rule"
	"codicil/internal/app/judging"
	"codicil/internal/cache"
	"codicil/internal/contract"
	"codicil/internal/fault"
	"codicil/internal/view"
)

// pair judges documents of one kind by two rule books.
type pair struct {
	before, after *judging.Service
	ref           *cache.Reference // with the codicil
	without, with *proof.Runner
}

func (t *task) pair(ctx context.Context, kind string) (*pair, error) {
	p := &pair{before: t.before, after: t.after}
	var err error
	if _, p.without, err = t.before.Runner(ctx, kind); err != nil {
		return nil, err
	}
	p.ref, p.with, err = t.after.Runner(ctx, kind)
	return p, err
}

// both is what becomes of one record both ways.
type both struct {
	row           *record.Record
	ref           *cache.Reference
	saved         record.Content // as it was saved, or posted
	steps         []judging.Step // how it came to be posted; none: it was not, or nobody knows
	known         bool           // it is saved, or known by what it was posted
	before, after proof.Result
	failed        error // it could not be judged
}

// judge judges records both ways, on all processors; documents are these as they stand. Cost: each twice.
func (p *pair) judge(ctx context.Context, rows []record.Record, documents []proof.Proof, detail bool) ([]both, error) {
	found := make([]both, len(rows))
	errs := make([]error, len(rows))
	err := p.without.Each(ctx, len(rows), func(i int) {
		found[i] = both{row: &rows[i], ref: p.ref, saved: rows[i].Content, known: true}
		if rows[i].State == record.Posted {
			errs[i] = p.recall(ctx, &found[i])
		}
		if errs[i] == nil && len(found[i].steps) > 0 {
			errs[i] = p.posted(ctx, &found[i], detail)
		}
	})
	if err = cmp.Or(err, errors.Join(errs...)); err != nil {
		return nil, err
	}
	var standing []proof.Proof
	var places []int
	for i := range found {
		if len(found[i].steps) == 0 {
			standing, places = append(standing, documents[i]), append(places, i)
		}
	}
	then, err := p.without.JudgeAll(ctx, standing, detail)
	if err != nil {
		return nil, err
	}
	now, err := p.with.JudgeAll(ctx, standing, detail)
	if err != nil {
		return nil, err
	}
	for i, place := range places {
		of := &found[place]
		of.before, of.after, of.failed = then[i], now[i], cmp.Or(then[i].Err, now[i].Err)
	}
	return found, nil
}

// recall finds how a document came to be posted.
func (p *pair) recall(ctx context.Context, of *both) error {
	of.known = false
	version, err := p.before.Store.LastJudged(ctx, of.row.Ref, of.row.Version)
	if err != nil || version == 0 {
		return err
	}
	steps, err := judging.Past{Service: p.before}.Steps(ctx, of.row.Ref, version)
	if err != nil || len(steps) == 0 || steps[len(steps)-1].What != "posted" {
		return err
	}
	of.steps, of.saved, of.known = steps, steps[len(steps)-1].Content, true
	return nil
}

// posted judges a posted document both ways from what it read then.
func (p *pair) posted(ctx context.Context, of *both, detail bool) error {
	for _, side := range []struct {
		by   *judging.Service
		into *proof.Result
	}{{p.before, &of.before}, {p.after, &of.after}} {
		t, err := judging.Past{Service: side.by}.Replay(ctx, of.row.Ref, of.steps, judging.Ask{NoTrace: !detail})
		var known *fault.Fault
		switch {
		case errors.As(err, &known) && known.Reason != fault.Unable:
			of.failed = err
			return nil
		case err != nil:
			return err
		}
		*side.into = proof.Result{Plan: t.Plan, Case: t.Case, Outcome: t.Judged.Outcome}
	}
	return nil
}

// hit tells what the codicil makes of the record.
func (b *both) hit(links *judging.Links) (hit contract.RunHit, refused, changed bool) {
	reader := view.NewReader(b.after.Plan, b.after.Outcome, links, nil)
	hit, refused, changed = reader.Impact(b.row, links.Title(b.row.Kind, b.row.Number), &b.before, &b.after)
	hit.Drifted, hit.Unknown = b.drifted(), !b.known
	return hit, refused, changed
}

// drifted tells whether the record comes out otherwise than it is saved without the codicil, or was posted and would be refused.
func (b *both) drifted() bool {
	kind := b.before.Plan.Kind()
	for _, s := range b.before.Outcome.Cells() {
		if b.saved.Get(&kind.Fields[s.Index], s.Line) != field.Write(s.Final) {
			return true
		}
	}
	return b.row.State == record.Posted && slices.ContainsFunc(b.before.Outcome.Messages, func(m engine.Message) bool { return m.Severity == rule.Refuse })
}
