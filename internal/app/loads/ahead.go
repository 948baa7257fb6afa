package loads

import (
	"context"
	"runtime"
	"sync"

	"golang.org/x/sync/errgroup"

	"codicil/internal/app/commit"
	"codicil/internal/store"
)

// loadAll judges rows and writes them in their order. While some are written, the next are judged: what a row before changes for
// them is noticed when their turn comes.
func (k *work) loadAll(ctx context.Context) error {
	var before *judged
	err := k.batches(ctx, func(rows []*row) error {
		next := k.judgeAhead(ctx, rows)
		if before != nil {
			if err := k.write(ctx, before); err != nil {
				next.wait()
				return err
			}
		}
		before = next
		return nil
	})
	if before != nil && err == nil {
		err = k.write(ctx, before)
	} else if before != nil {
		before.wait()
	}
	return err
}

// judged are rows that are judged beside other work.
type judged struct {
	rows    []*row
	changes []*commit.Change
	errs    []error
	done    sync.WaitGroup
}

func (j *judged) wait() { j.done.Wait() }

func (k *work) judgeAhead(ctx context.Context, rows []*row) *judged {
	j := &judged{rows: rows, changes: make([]*commit.Change, len(rows)), errs: make([]error, len(rows))}
	j.done.Go(func() {
		var group errgroup.Group
		group.SetLimit(runtime.GOMAXPROCS(0))
		for i, r := range rows {
			k.logged(r)
			group.Go(func() error {
				j.changes[i], j.errs[i] = r.judge(ctx, k.service.records)
				return nil
			})
		}
		_ = group.Wait() // errors are the rows' own
	})
	return j
}

// write writes rows in their order; how far the run is, is kept with them.
func (k *work) write(ctx context.Context, j *judged) error {
	j.wait()
	noted, rows := 0, j.rows
	batch := commit.Batch{Judges: make([]commit.Judge, len(rows))}
	for i, r := range rows {
		first := true
		batch.Judges[i] = func(ctx context.Context) (*commit.Change, error) {
			if first {
				first = false
				return j.changes[i], j.errs[i]
			}
			return r.judge(ctx, k.service.records)
		}
	}
	batch.With = func(ctx context.Context, tx *store.Store, until int, errs []error) error {
		for ; noted < until; noted++ {
			r := rows[noted]
			if errs[noted] != nil {
				if _, err := r.failed(ctx, errs[noted]); err != nil {
					return err
				}
			}
			k.note(r)
		}
		return k.w.CameWith(ctx, tx, k.done, k.counts)
	}
	batch.Kept = func(int) { k.w.Kept() }
	if err := k.service.base.Line.InOrder(ctx, batch); err != nil {
		k.w.Drop()
		return err
	}
	return k.service.records.CatchUp(ctx)
}
