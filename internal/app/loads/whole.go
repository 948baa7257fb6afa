package loads

import (
	"context"
	"errors"
	"slices"

	"codicil/core/notice"
	"codicil/internal/app/commit"
	"codicil/internal/app/runs"
	"codicil/internal/contract"
	"codicil/internal/fault"
	"codicil/internal/store"
)

// How far a load of all rows or none is, where they are too many for one commit.
const (
	checking = "checking" // nothing is written
	writing  = "writing"
)

var notWhole = notice.Define("not-whole", "{count} rows were refused that were accepted when all were checked, as something changed meanwhile; run {run} takes back what was loaded")

// errMany tells that a file has too many records for one commit.
var errMany = errors.New("too many records for one commit")

// whole loads all rows, or none: in one commit, or those of a large file as large does.
func (k *work) whole(ctx context.Context) error {
	if k.w.Reached() != "" {
		return k.large(ctx)
	}
	var all []*row
	var changes []*commit.Change
	err := k.batches(ctx, func(rows []*row) error {
		if len(all)+len(rows) > k.service.InOneCommit {
			return errMany
		}
		for _, r := range rows {
			k.logged(r)
		}
		made, err := k.judgeAll(ctx, rows)
		all, changes = append(all, rows...), append(changes, made...)
		return err
	})
	if errors.Is(err, errMany) {
		return k.large(ctx)
	}
	if err != nil {
		return err
	}
	if !slices.ContainsFunc(all, (*row).rejected) {
		refused, err := k.service.base.Line.Together(ctx, commit.Batch{
			With: func(ctx context.Context, tx *store.Store, _ int, _ []error) error {
				for _, r := range all {
					k.note(r)
				}
				return k.w.CameWith(ctx, tx, k.done, k.counts)
			},
			Kept: func(int) { k.w.Kept() },
		}, changes, func(ctx context.Context, tx *store.Store, i int) (*commit.Change, error) {
			inner := k.service.within(k.service.base.Over(tx))
			all[i].beside = nil
			c, err := all[i].judge(ctx, inner)
			if err == nil && c.Write != nil {
				v := all[i].saving
				done := c.Done
				c.Done = func() {
					done()
					k.service.base.Cache.Records.Put(v.Result)
				}
			}
			return c, err
		})
		if err != nil {
			k.w.Drop()
			return err
		}
		if refused < 0 {
			return k.service.records.CatchUp(ctx)
		}
	}
	k.noteNone(all)
	return k.w.Came(ctx, k.done, k.counts)
}

// noteNone tells of rows, of which none is written because others are refused, what became of them.
func (k *work) noteNone(rows []*row) {
	for _, r := range rows {
		if !r.rejected() && r.what != contract.LoadOutcomeSame && r.what != contract.LoadOutcomeSkip {
			r.what, r.said, r.number = contract.LoadOutcomeSkip, append(r.said, "not loaded, because other rows are refused"), ""
		}
		k.note(r)
	}
}

// afresh begins with the first row of the file.
func (k *work) afresh() {
	k.done, k.counts, k.keys, k.beside = 0, runs.Counts{}, map[string]int{}, nil
}

// large loads all rows of a file that are too many for one commit, or none. All are checked before the first is written; then they
// are written some at a time, as others work on. Where a row is refused after all, because something changed meanwhile, or the
// run is stopped or fails, what it wrote is taken back. Cost: judging each row twice; some bytes for each in memory.
func (k *work) large(ctx context.Context) error {
	if k.w.Reached() != writing {
		k.w.Reach(checking)
		accepted, err := k.accepted(ctx)
		if err != nil {
			return err
		}
		k.afresh()
		if !accepted {
			return k.batches(ctx, func(rows []*row) error {
				if _, err := k.judgeAll(ctx, rows); err != nil {
					return err
				}
				k.noteNone(rows)
				return k.w.Came(ctx, k.done, k.counts)
			})
		}
		k.w.Reach(writing)
	}
	err := k.loadAll(ctx)
	refused := k.counts[string(contract.LoadOutcomeRefuse)] + k.counts[string(contract.LoadOutcomeConfirm)]
	if err == nil && refused == 0 {
		return nil
	}
	// Also where nobody waits for the run any more. Where the program ends, none begins, and the load goes on later.
	back, failed := k.takeBack(context.WithoutCancel(ctx))
	if err != nil {
		return err
	}
	if failed != nil {
		return failed
	}
	return fault.Hindered(notWhole, refused, back)
}

// accepted tells whether every row would be loaded; it ends with the first that would not.
func (k *work) accepted(ctx context.Context) (bool, error) {
	k.afresh()
	refused := errors.New("refused")
	err := k.batches(ctx, func(rows []*row) error {
		if _, err := k.judgeAll(ctx, rows); err != nil {
			return err
		}
		if slices.ContainsFunc(rows, (*row).rejected) {
			return refused
		}
		return k.w.Came(ctx, rows[len(rows)-1].entry.index, runs.Counts{})
	})
	if errors.Is(err, refused) {
		return false, ctx.Err()
	}
	return err == nil, err
}

func (k *work) takeBack(ctx context.Context) (run int64, err error) {
	of, err := k.service.runs.Get(ctx, k.w.ID())
	if err != nil || of.Writes == 0 {
		return 0, err
	}
	back, err := k.service.TakeBack(ctx, of)
	return back.ID, err
}
