package commit

import (
	"context"
	"maps"
	"runtime"

	"golang.org/x/sync/errgroup"

	"codicil/internal/store"
)

// Batch is many changes that are written in their order.
type Batch struct {
	Judges []Judge
	// With writes what belongs to the changes up to one, in their transaction. errs are why single ones are not written.
	With func(ctx context.Context, tx *store.Store, until int, errs []error) error
	// Kept is told when that is committed.
	Kept func(until int)
}

// InOrder judges changes on all processors and writes them in their order, as many in one commit as stand together: what
// takes the number, the key or the record of one before it is judged again with that. The error is that the work has
// ended; what was told to Kept is written. Cost: each judged once or twice.
func (l *Line) InOrder(ctx context.Context, b Batch) error {
	errs := make([]error, len(b.Judges))
	changes, err := b.judgeAll(ctx, errs)
	if err != nil {
		return err
	}
	alone := 0 // how often the next one did not stand when its turn came
	for from := 0; from < len(changes); {
		until, err := l.writeFrom(ctx, &b, changes, errs, from)
		if err != nil {
			return err
		}
		if until > from {
			alone = 0
		}
		if from = until; from == len(changes) {
			break
		}
		if alone++; alone < tries {
			if err := b.judgeAgain(ctx, changes, errs, from); err != nil {
				return err
			}
			continue
		}
		var failed error // a reason of the change's own not to be written
		err = l.Alone(ctx, func(ctx context.Context) (*Change, error) {
			c, err := b.Judges[from](ctx)
			if err != nil || c.Write == nil {
				changes[from], errs[from] = Nothing(), err
				return Nothing(), nil //nolint:nilerr // it is this change's own
			}
			write := *c
			write.Write = func(ctx context.Context, tx *store.Store) error {
				if err := c.Write(ctx, tx); err != nil {
					if isOwn(err) {
						failed = Explain(err)
					}
					return err
				}
				errs[from] = nil
				return b.With(ctx, tx, from+1, errs)
			}
			return &write, nil
		})
		if failed != nil {
			changes[from], errs[from] = Nothing(), failed
		} else if err != nil {
			return err
		}
		if errs[from] == nil && changes[from].Write != nil {
			b.Kept(from + 1)
			from++
		}
		alone = 0
	}
	return nil
}

func (b *Batch) judgeAll(ctx context.Context, errs []error) ([]*Change, error) {
	changes := make([]*Change, len(b.Judges))
	var group errgroup.Group
	group.SetLimit(runtime.GOMAXPROCS(0))
	for i := range b.Judges {
		group.Go(func() error {
			changes[i], errs[i] = judged(ctx, b.Judges[i])
			return ctx.Err()
		})
	}
	if err := group.Wait(); err != nil {
		return nil, err
	}
	return changes, b.count(ctx, changes, errs, 0)
}

// judged is a change, or nothing where it failed.
func judged(ctx context.Context, judge Judge) (*Change, error) {
	c, err := judge(ctx)
	if err != nil {
		return Nothing(), err
	}
	return c, nil
}

// count judges those again that take numbers of a series after others that do, so that each knows its own.
func (b *Batch) count(ctx context.Context, changes []*Change, errs []error, from int) error {
	counts := map[string]int64{}
	for i := from; i < len(changes); i++ {
		c := changes[i]
		if c.Write == nil || c.Reads == nil || len(c.Reads.counts) == 0 {
			continue
		}
		if len(counts) > 0 {
			changes[i], errs[i] = judged(context.WithValue(ctx, countsKey{}, counts), b.Judges[i])
			if c = changes[i]; c.Write == nil {
				continue
			}
		}
		maps.Copy(counts, c.Reads.given)
	}
	return ctx.Err()
}

// judgeAgain judges the change that did not stand, and those that count on from it.
func (b *Batch) judgeAgain(ctx context.Context, changes []*Change, errs []error, from int) error {
	changes[from], errs[from] = judged(ctx, b.Judges[from])
	return b.count(ctx, changes, errs, from)
}

// writeFrom writes changes from one on in one transaction, up to the first that does not stand.
func (l *Line) writeFrom(ctx context.Context, b *Batch, changes []*Change, errs []error, from int) (until int, err error) {
	l.head.Lock()
	defer l.head.Unlock()
	var all []*pending
	err = l.store.Transaction(ctx, func(tx *store.Store) error {
		var book bookSeen
		for until = from; until < len(changes); until++ {
			if changes[until].Write == nil {
				stands, err := l.stands(ctx, tx, changes[until].Reads, &book)
				if err != nil {
					return err
				}
				if !stands {
					break
				}
				continue
			}
			p := &pending{ctx: ctx, change: changes[until]}
			if err := l.writeOne(tx, p, &book, true); err != nil { //nolint:contextcheck // a change carries its context
				return err
			}
			if p.verdict == moved {
				break
			}
			if errs[until] = p.err; p.err == nil {
				all = append(all, p)
			}
		}
		if until == from {
			return nil
		}
		return b.With(ctx, tx, until, errs)
	})
	if err != nil {
		return from, Explain(err)
	}
	l.done(all)
	if until > from {
		b.Kept(until)
	}
	return until, nil
}

// done tells of changes that they are committed.
func (l *Line) done(all []*pending) {
	for _, p := range all {
		l.written.Add(1)
		if p.change.Done != nil {
			p.change.Done()
		}
	}
}

// Together writes changes in their order in one commit, or none of them. over judges one again within the transaction
// where what it relied on is no longer so; it returns a change that writes nothing where the rules do not accept it,
// which ends the whole. refused is which one ended it; -1: none did. Cost: what was read; writers wait
// for all of it.
func (l *Line) Together(ctx context.Context, b Batch, changes []*Change, over func(ctx context.Context, tx *store.Store, i int) (*Change, error)) (refused int, err error) {
	l.head.Lock()
	defer l.head.Unlock()
	refused = -1
	var all []*pending
	err = l.store.Transaction(ctx, func(tx *store.Store) error {
		var book bookSeen
		for i := range changes {
			if changes[i].Write == nil {
				continue
			}
			p := &pending{ctx: ctx, change: changes[i]}
			if err := l.writeOne(tx, p, &book, true); err != nil { //nolint:contextcheck // a change carries its context
				return err
			}
			if p.verdict == moved {
				c, err := over(ctx, tx, i)
				if err != nil {
					return err
				}
				if c.Write == nil {
					refused = i
					return ErrDry
				}
				p.verdict, p.err, p.change = written, c.Write(ctx, tx), c
			}
			if p.err != nil {
				return p.err
			}
			all = append(all, p)
		}
		return b.With(ctx, tx, len(changes), make([]error, len(changes)))
	})
	if refused >= 0 {
		return refused, nil
	}
	if err != nil {
		return -1, Explain(err)
	}
	l.done(all)
	b.Kept(len(changes))
	return -1, nil
}
