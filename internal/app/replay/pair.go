package replay

import (
	"cmp"
	"context"
	"errors"
	"slices"

	"codicil/core/engine"
	"codicil/core/field"
	"codicil/core/judge"
	"codicil/core/proof"
	"codicil/core/record"
	"codicil/core/rule"
	"codicil/internal/app/judging"
	"codicil/internal/cache"
	"codicil/internal/contract"
	"codicil/internal/fault"
	"codicil/internal/store"
	"codicil/internal/view"
)

// pair judges documents of one kind by two rule books.
type pair struct {
	before, after judging.Past
	versions      *cache.Versions  // which both remember
	ref           *cache.Reference // with the codicil
	without, with *proof.Runner
	// reach tells which documents the codicil may change; nil: it may change any.
	reach *proof.Reach
	// nothing of the kind reads what the codicil changes.
	nothing bool
}

// mostVersions is about how many bytes of versions of records are remembered: documents read the same again and again.
const mostVersions = 32 << 20

func (t *task) pair(ctx context.Context, kind string) (*pair, error) {
	p := &pair{before: judging.PastOf(t.before, t.versions), after: judging.PastOf(t.after, t.versions), versions: t.versions}
	var err error
	if _, p.without, err = t.before.Runner(ctx, kind); err != nil {
		return nil, err
	}
	if p.ref, p.with, err = t.after.Runner(ctx, kind); err != nil {
		return nil, err
	}
	ids, all, err := t.stands(p)
	if p.nothing = !all && len(ids) == 0; !all {
		p.reach = proof.NewReach(p.without, p.with, ids...)
	}
	return p, err
}

// both is what becomes of one record both ways.
type both struct {
	row           *record.Record
	ref           *cache.Reference
	saved         record.Content // as it was saved, or posted
	steps         []judging.Step // how it came to be posted; none: it was not, or nobody knows
	known         bool           // it is saved, or known by what it was posted
	untouched     bool           // the codicil does not reach it: it comes out the same, and was not judged further
	before, after proof.Result
	failed        error // it could not be judged
}

// judge judges records both ways, on all processors. Cost: of each what the codicil may
// change, twice, and those that it reaches twice more, whole.
func (p *pair) judge(ctx context.Context, ref *cache.Reference, rows []record.Record, detail bool) ([]both, error) {
	found := make([]both, len(rows))
	for i := range rows {
		found[i] = both{row: &rows[i], ref: p.ref, saved: rows[i].Content, known: true}
	}
	// Each processor reads the histories of what it judges.
	some := slices.Collect(slices.Chunk(found, historiesAtOnce))
	errs := make([]error, len(some))
	err := p.without.Each(ctx, len(some), func(i int) { errs[i] = p.past(ctx, some[i], detail) })
	if err = cmp.Or(err, errors.Join(errs...)); err != nil {
		return nil, err
	}
	standing, places, err := p.standing(ctx, ref, found, detail)
	if err != nil {
		return nil, err
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

// standing are the documents that are judged as they stand and that the codicil may change, with their places; in detail all of them.
func (p *pair) standing(ctx context.Context, ref *cache.Reference, found []both, detail bool) (standing []proof.Proof, places []int, err error) {
	var rows []record.Record
	for i := range found {
		if len(found[i].steps) == 0 {
			rows, places = append(rows, *found[i].row), append(places, i)
		}
	}
	if standing, err = judging.Standing(ctx, p.before.Service, ref, p.without, rows); err != nil {
		return nil, nil, err
	}
	if p.reach == nil || detail {
		return standing, places, nil
	}
	reached, err := p.reach.Documents(ctx, standing)
	kept := 0
	for i := range reached {
		if found[places[i]].untouched = !reached[i]; reached[i] {
			standing[kept], places[kept] = standing[i], places[i]
			kept++
		}
	}
	return standing[:kept], places[:kept], err
}

// historiesAtOnce is of how many records the versions are read at once.
const historiesAtOnce = 20

// past judges what was posted from what it read then.
func (p *pair) past(ctx context.Context, found []both, detail bool) error {
	var posted []string
	for i := range found {
		if found[i].row.State == record.Posted {
			posted = append(posted, found[i].row.Number)
		}
	}
	if len(posted) == 0 {
		return nil
	}
	histories, err := p.before.Store.Histories(ctx, p.without.Book.Vocabulary.Kind.Key, posted)
	if err != nil {
		return err
	}
	for i := range found {
		of := &found[i]
		if of.row.State != record.Posted {
			continue
		}
		if err := p.recall(ctx, of, histories[of.row.Number]); err != nil {
			return err
		}
		if len(of.steps) == 0 {
			continue
		}
		if err := p.posted(ctx, of, detail); err != nil {
			return err
		}
	}
	return nil
}

// recall tells how a document came to be posted, and keeps its versions for others. What was saved before it is known only where a
// rule asked for it then.
func (p *pair) recall(ctx context.Context, of *both, h store.History) error {
	of.known = false
	steps, err := judging.StepsOf(h, of.row)
	if err != nil || len(steps) == 0 || steps[len(steps)-1].What != "posted" {
		return err
	}
	last := &steps[len(steps)-1]
	of.steps, of.saved, of.known = steps, last.Content, true
	for i := range steps { // the document that is keyed next most often looks back at this one
		p.versions.Keep(of.row.Ref, &steps[i].Version)
	}
	if p.reach != nil && p.reach.LooksBack() {
		of.known, err = p.before.LookedBack(ctx, last.Kept)
	}
	return err
}

// posted judges a posted document both ways from what it read then, where the codicil reaches it; in detail in any case.
func (p *pair) posted(ctx context.Context, of *both, detail bool) error {
	if p.reach != nil && !detail {
		reached, err := p.reach.Any(func(after bool) ([]*judge.Judged, error) {
			by, build := p.before, p.reach.Before
			if after {
				by, build = p.after, p.reach.After
			}
			trials, err := by.Replay(ctx, of.row.Ref, of.steps, judging.Ask{NoTrace: true, Build: build})
			return view.List(trials, func(t *judging.Trial) *judge.Judged { return t.Judged }), err
		})
		if err != nil && !unjudged(err) {
			return err
		}
		if err == nil && !reached {
			of.untouched = true
			return nil
		}
	}
	for _, side := range []struct {
		by   judging.Past
		into *proof.Result
	}{{p.before, &of.before}, {p.after, &of.after}} {
		trials, err := side.by.Replay(ctx, of.row.Ref, of.steps, judging.Ask{NoTrace: !detail})
		switch {
		case unjudged(err):
			of.failed = err
			return nil
		case err != nil:
			return err
		}
		t := trials[len(trials)-1]
		*side.into = proof.Result{Plan: t.Plan, Case: t.Case, Outcome: t.Judged.Outcome}
	}
	return nil
}

// unjudged tells whether an error is of the document, which can no longer be judged.
func unjudged(err error) bool {
	var known *fault.Fault
	return errors.As(err, &known) && known.Reason != fault.Unable
}

// hit tells what the codicil makes of the record.
func (of *both) hit(links *judging.Links) (hit contract.RunHit, refused, changed bool) {
	reader := view.NewReader(of.after.Plan, of.after.Outcome, links, nil)
	hit, refused, changed = reader.Impact(of.row, links.Title(of.row.Kind, of.row.Number), &of.before, &of.after)
	hit.Drifted, hit.Unknown = of.drifted(), !of.known
	return hit, refused, changed
}

// drifted tells whether the record comes out otherwise than it is saved without the codicil, or was posted and would be refused.
func (of *both) drifted() bool {
	kind := of.before.Plan.Kind()
	for _, s := range of.before.Outcome.Cells() {
		if of.saved.Get(&kind.Fields[s.Index], s.Line) != field.Write(s.Final) {
			return true
		}
	}
	return of.row.State == record.Posted && slices.ContainsFunc(of.before.Outcome.Messages, func(m engine.Message) bool { return m.Severity == rule.Refuse })
}
