package commit

import (
	"context"
	"errors"
	"fmt"
	"maps"
	"runtime/debug"
	"slices"

	"codicil/core/record"
	"codicil/internal/fault"
	"codicil/internal/store"
)

// pending is a judged change that waits for its turn.
type pending struct {
	ctx     context.Context
	judge   Judge
	change  *Change
	verdict verdict
	err     error
	done    bool // told under the head
}

type verdict int

const (
	written verdict = iota // or not, and err says why
	moved                  // what it relied on is no longer so
)

// mostGathered is how many changes go into one commit.
const mostGathered = 100

// queue puts a change into the line and returns when it has its verdict. Whoever comes to the head writes all that
// waits.
func (l *Line) queue(p *pending) {
	l.mutex.Lock()
	l.waiting = append(l.waiting, p)
	l.mutex.Unlock()
	for {
		l.head.Lock()
		if p.done {
			l.head.Unlock()
			return
		}
		l.mutex.Lock()
		count := min(len(l.waiting), mostGathered)
		batch := slices.Clone(l.waiting[:count])
		l.waiting = slices.Delete(l.waiting, 0, count)
		l.mutex.Unlock()
		l.gather(batch)
		l.head.Unlock()
	}
}

// gather writes a batch at the head of the line.
func (l *Line) gather(batch []*pending) {
	defer func() {
		for _, p := range batch {
			p.done = true
		}
	}()
	l.writeAll(batch)
	// Whoever takes numbers of a series moves them for all others: those are judged at once again, one after
	// the other, each with the numbers after the one before, and written together.
	var again []*pending
	counts := map[string]int64{}
	for _, p := range batch {
		if p.verdict != moved || len(p.change.Reads.counts) == 0 || p.ctx.Err() != nil {
			continue
		}
		c, err := p.judge(context.WithValue(p.ctx, countsKey{}, counts))
		if err != nil || c.Write == nil {
			p.verdict, p.err = written, err
			continue
		}
		p.change = c
		again = append(again, p)
		maps.Copy(counts, c.Reads.given)
	}
	if len(again) > 0 {
		l.writeAll(again)
	}
}

type countsKey struct{}

// Given are the last counts of series that changes before this one in its commit will have taken, by name.
func Given(ctx context.Context) map[string]int64 {
	counts, _ := ctx.Value(countsKey{}).(map[string]int64)
	return counts
}

// writeAll writes changes in one commit. Where one fails, each is tried by itself: so no change of those that mostly succeed
// needs a part of the transaction that could be undone.
func (l *Line) writeAll(batch []*pending) {
	err := l.writeTogether(batch)
	if err == nil {
		return
	}
	if len(batch) == 1 {
		batch[0].verdict, batch[0].err = written, Explain(err)
		return
	}
	for _, p := range batch {
		// What was written once has its number and version: it is judged again, not written again.
		c, err := p.judge(p.ctx)
		if err != nil || c.Write == nil {
			p.verdict, p.err = written, err
			continue
		}
		p.change = c
		if err := l.writeTogether([]*pending{p}); err != nil {
			p.verdict, p.err = written, Explain(err)
		}
	}
}

// writeTogether writes changes in one transaction, all that still stand or none. The error is that nothing is written.
func (l *Line) writeTogether(batch []*pending) error {
	err := l.store.Transaction(context.Background(), func(tx *store.Store) error {
		var book bookSeen
		for _, p := range batch {
			if err := l.writeOne(tx, p, &book, false); err != nil {
				return err
			}
		}
		return nil
	})
	if errors.Is(err, errOwn) && len(batch) == 1 {
		return nil // it has its verdict
	}
	if err != nil {
		return err
	}
	l.done(slices.DeleteFunc(slices.Clone(batch), func(p *pending) bool { return p.verdict != written || p.err != nil }))
	return nil
}

// errOwn ends a transaction because of a change that fails for a reason of its own.
var errOwn = errors.New("commit: nothing is written")

// writeOne writes one change, or gives it another verdict; apart tells that it is written as a part of the transaction, which goes on
// where the change fails. The error ends the transaction.
func (l *Line) writeOne(tx *store.Store, p *pending, book *bookSeen, apart bool) (err error) {
	p.verdict, p.err = written, nil
	if p.ctx.Err() != nil { // nobody waits for it any more
		p.err = p.ctx.Err()
		return nil //nolint:nilerr // it is this change's verdict
	}
	// What is begun is finished, whether the caller waits or not.
	ctx := context.WithoutCancel(p.ctx)
	stands, err := l.stands(ctx, tx, p.change.Reads, book)
	if err != nil {
		return err
	}
	if !stands {
		p.verdict = moved
		return nil
	}
	write := func(part *store.Store) (err error) {
		defer func() {
			if cause := recover(); cause != nil {
				err = fmt.Errorf("panic: %v\n%s", cause, debug.Stack())
			}
		}()
		return p.change.Write(ctx, part.Claiming(p.change.Reads.claims()))
	}
	if apart {
		err = tx.Part(write)
	} else {
		err = write(tx)
	}
	switch {
	case err == nil:
		return nil
	case isOwn(err):
		p.err = Explain(err) // nothing of it is written
		if !apart {
			return errOwn
		}
		return nil
	}
	return err
}

// isOwn tells whether an error is a change's own; any other ends the transaction.
func isOwn(err error) bool {
	var known *fault.Fault
	return errors.As(err, &known) && known.Reason != fault.Unable || errors.Is(err, store.ErrStale) || errors.Is(err, store.ErrNotFound) || errors.Is(err, store.ErrTaken)
}

// bookSeen is the version of the rule book in a transaction that does not change it; it is read once.
type bookSeen struct {
	book int64
	read bool
}

func (b *bookSeen) version(ctx context.Context, tx *store.Store) (_ int64, err error) {
	if !b.read {
		b.book, _, err = tx.BookVersion(ctx)
		b.read = err == nil
	}
	return b.book, err
}

// stands tells whether all that a judgement relied on is as it was, with what was written before it in the same
// transaction.
func (l *Line) stands(ctx context.Context, tx *store.Store, s *ReadSet, seen *bookSeen) (bool, error) {
	if s == nil {
		return true, nil
	}
	book, err := seen.version(ctx, tx)
	if err != nil || book != s.book {
		return false, err
	}
	for at, version := range s.records {
		now, err := l.versionOf(ctx, tx, at)
		if err != nil || now != version {
			return false, err
		}
	}
	for name, last := range s.counts {
		if now, err := tx.LastCount(ctx, name); err != nil || now != last {
			return false, err
		}
	}
	for i := range s.keys {
		k := &s.keys[i]
		if stand, err := tx.KeysStand(ctx, k.rule.Vocabulary().Kind, k.rule.UniqueBy(), k.company, k.key, k.texts, k.turn); err != nil || stand {
			if err != nil {
				return false, err
			}
			continue
		}
		if found, err := tx.SameRecords(ctx, k.rule.Vocabulary().Kind, k.rule.UniqueBy(), k.company, k.key, k.texts); err != nil || !slices.Equal(found, k.found) {
			return false, err
		}
	}
	for i := range s.prior {
		p := &s.prior[i]
		if p.implied {
			continue
		}
		now, version, err := tx.SavedLast(ctx, p.asked)
		if err != nil || now != p.last || version != p.version {
			return false, err
		}
	}
	if len(s.named) > 0 && !tx.LinksStand(s.named, s.namedTurn) {
		return false, nil
	}
	for at, count := range s.follows {
		if now, err := tx.CountFollowers(ctx, at, record.Ref{}); err != nil || now != count {
			return false, err
		}
	}
	return true, nil
}

// versionOf is the version of a record within the transaction; 0: there is none.
func (l *Line) versionOf(ctx context.Context, tx *store.Store, at record.Ref) (int, error) {
	if tx.Touched(at) {
		return tx.VersionOf(ctx, at)
	}
	r, err := l.cache.Records.Find(ctx, at)
	if err != nil || r == nil {
		return 0, err
	}
	return r.Version, nil
}
