// Package commit is the one door through which everything is written. A change is judged
// outside the line of writers; when its turn comes, all that the judgement relied on must still
// stand, or it is judged again, the third time at the head of the line.
//
// It must never know what is written or why. Start reading at Line.Commit.
package commit

import (
	"context"
	"errors"
	"slices"
	"sync"

	"codicil/core/record"
	"codicil/core/rule"
	"codicil/internal/actor"
	"codicil/internal/cache"
	"codicil/internal/clock"
	"codicil/internal/fault"
	"codicil/internal/store"
)

// Line is where writers queue: it is held while what a judgement relied on is verified and the
// change is written and brought into memory.
type Line struct {
	store *store.Store
	cache *cache.Cache
	clock clock.Clock
	head  sync.Mutex
}

// New returns a line of writers to a store, whose changes are told to the cache.
func New(s *store.Store, c *cache.Cache, now clock.Clock) *Line {
	return &Line{store: s, cache: c, clock: now}
}

// Change is a judged change that is ready to be written.
type Change struct {
	Reads *ReadSet // nil: it was judged at the head of the line
	// Write writes it, in one transaction; nil: there is nothing to write. No formula runs here.
	Write func(tx *store.Store) error
	// Done brings what is in memory up to date, after the commit.
	Done func()
}

// Nothing is the change that writes nothing.
func Nothing() *Change { return &Change{} }

// ReadSet is what a judgement relied on. It is used by one goroutine. A set of nil notes
// nothing.
type ReadSet struct {
	book int64 // the version of the rule book
	// records are the versions of the records that were read; 0: there was none.
	records map[record.Ref]int
	keys    []askedKey
	prior   []askedPrior
	follows map[record.Ref]int // how many records followed one
	counts  map[string]int64
}

// askedKey is a question of a unique rule, with its answer.
type askedKey struct {
	rule         *rule.Compiled
	company, key string
	texts        []string
	found        []string
}

// askedPrior is the question what a person saved last, with its answer.
type askedPrior struct {
	kind, company, kindType, person, except string
	last                                    record.Ref
	version                                 int
}

// NewReadSet returns the set of a judgement by a version of the rule book.
func NewReadSet(book int64) *ReadSet {
	return &ReadSet{book: book, records: map[record.Ref]int{}, follows: map[record.Ref]int{}}
}

// Record notes that a record was read; r is nil where there was none. The first reading counts:
// a later one that differs must not hide it.
func (s *ReadSet) Record(at record.Ref, r *record.Record) {
	if s == nil {
		return
	}
	if _, there := s.records[at]; there {
		return
	}
	s.records[at] = 0
	if r != nil {
		s.records[at] = r.Version
	}
}

// Key notes what a unique rule asked, and the numbers that were found.
func (s *ReadSet) Key(c *rule.Compiled, company, key string, texts, found []string) {
	if s != nil {
		s.keys = append(s.keys, askedKey{c, company, key, texts, slices.Clone(found)})
	}
}

// Prior notes which record a person had saved last; nil for none.
func (s *ReadSet) Prior(kind, company, kindType, person, except string, last *record.Record) {
	if s == nil {
		return
	}
	asked := askedPrior{kind: kind, company: company, kindType: kindType, person: person, except: except}
	if last != nil {
		asked.last, asked.version = last.Ref, last.Version
	}
	s.prior = append(s.prior, asked)
}

// Followers notes how many standing records followed one.
func (s *ReadSet) Followers(at record.Ref, count int) {
	if s != nil {
		s.follows[at] = count
	}
}

// Counts notes the last counts of series, by name.
func (s *ReadSet) Counts(counts map[string]int64) {
	if s != nil {
		s.counts = counts
	}
}

// tries is how often a change is judged before it is judged at the head of the line, where
// nobody writes meanwhile.
const tries = 3

// Commit judges a change and writes it. judge may be called several times. Cost of verifying:
// what was read.
func (l *Line) Commit(ctx context.Context, judge func() (*Change, error)) error {
	for attempt := 1; attempt < tries; attempt++ {
		c, err := judge()
		if err != nil || c.Write == nil {
			return err
		}
		moved, err := l.tryWrite(ctx, c, judge)
		if !moved {
			return err
		}
		if err := ctx.Err(); err != nil {
			return err
		}
	}
	return l.Alone(ctx, judge)
}

// tryWrite writes a judged change if what it relied on still stands; otherwise moved is true.
// One that takes numbers of a series is judged at the head of the line at once, because every
// other that does moves them.
func (l *Line) tryWrite(ctx context.Context, c *Change, judge func() (*Change, error)) (moved bool, err error) {
	l.head.Lock()
	defer l.head.Unlock()
	stands, err := l.stands(ctx, c.Reads)
	if err != nil {
		return false, err
	}
	if !stands {
		if len(c.Reads.counts) == 0 {
			return true, nil
		}
		if c, err = judge(); err != nil || c.Write == nil {
			return false, err
		}
	}
	return false, l.write(ctx, c)
}

// Alone judges and writes at the head of the line.
func (l *Line) Alone(ctx context.Context, judge func() (*Change, error)) error {
	l.head.Lock()
	defer l.head.Unlock()
	c, err := judge()
	if err != nil || c.Write == nil {
		return err
	}
	return l.write(ctx, c)
}

// Write writes at the head of the line what needs no judgement.
func (l *Line) Write(ctx context.Context, write func(tx *store.Store, by record.Stamp) error) error {
	return l.Alone(ctx, func() (*Change, error) {
		by, err := l.Stamp(ctx)
		return &Change{Write: func(tx *store.Store) error { return write(tx, by) }}, err
	})
}

// Book writes a change of what documents are judged by: rules, tables, fields, layouts,
// companies, types, maps. It is checked and written at the head of the line. change checks,
// and returns what to write.
func (l *Line) Book(ctx context.Context, change func() (write func(tx *store.Store, by record.Stamp) error, err error)) error {
	return l.Alone(ctx, func() (*Change, error) {
		write, err := change()
		if err != nil {
			return nil, err
		}
		by, err := l.Stamp(ctx)
		return &Change{Write: func(tx *store.Store) error { return write(tx, by) }, Done: l.cache.Forget}, err
	})
}

// ErrDry ends a transaction that is only tried, so that nothing is kept.
var ErrDry = errors.New("a dry run keeps nothing")

// Whole runs work at the head of the line in one transaction: all of it is kept, or nothing.
// dry is true where work returned ErrDry.
func (l *Line) Whole(ctx context.Context, work func(tx *store.Store) error) (dry bool, err error) {
	l.head.Lock()
	defer l.head.Unlock()
	err = l.store.Transaction(ctx, work)
	switch {
	case errors.Is(err, ErrDry):
		return true, nil
	case err == nil:
		l.cache.Forget()
	}
	return false, Explain(err)
}

// Stamp is who writes now, for the rows that are written. The error is that nobody asks, which
// is a mistake of the program.
func (l *Line) Stamp(ctx context.Context) (record.Stamp, error) {
	who := actor.Of(ctx)
	if who.ID == "" {
		return record.Stamp{}, errors.New("commit: the context says nobody who asks")
	}
	return record.Stamp{At: store.Instant(l.clock()), By: who.Name, Person: who.ID, Via: string(who.Via)}, nil
}

func (l *Line) write(ctx context.Context, c *Change) error {
	// What was begun is finished: the caller may go, the commit is all or nothing.
	if err := l.store.Transaction(context.WithoutCancel(ctx), c.Write); err != nil {
		return Explain(err)
	}
	if c.Done != nil {
		c.Done()
	}
	return nil
}

// Explain turns an error of the store into one that a person can act on.
func Explain(err error) error {
	var missing *store.NotFoundError
	switch {
	case errors.As(err, &missing):
		return fault.Missing("%s %s", missing.What, missing.Key)
	case errors.Is(err, store.ErrStale):
		return fault.Hindered(fault.Stale)
	case errors.Is(err, store.ErrTaken):
		return fault.Hindered(fault.KeyTaken)
	}
	return err
}

// stands tells whether all that a judgement relied on is as it was. It is asked at the head of
// the line, so that nothing of it can move before the write.
func (l *Line) stands(ctx context.Context, s *ReadSet) (bool, error) {
	if s == nil {
		return true, nil
	}
	version, _, err := l.cache.Version(ctx)
	if err != nil || version.Book != s.book {
		return false, err
	}
	for at, version := range s.records {
		r, err := l.cache.Records.Find(ctx, at)
		if err != nil {
			return false, err
		}
		now := 0
		if r != nil {
			now = r.Version
		}
		if now != version {
			return false, nil
		}
	}
	if len(s.counts) > 0 {
		counted, err := l.store.Counted(ctx)
		if err != nil {
			return false, err
		}
		for name, last := range s.counts {
			if counted[name] != last {
				return false, nil
			}
		}
	}
	for i := range s.keys {
		k := &s.keys[i]
		if found, err := l.cache.Records.Same(ctx, k.rule, k.company, k.key, k.texts); err != nil || !slices.Equal(found, k.found) {
			return false, err
		}
	}
	for i := range s.prior {
		p := &s.prior[i]
		last, err := l.cache.Records.SavedLast(ctx, p.kind, p.company, p.kindType, p.person, p.except)
		if err != nil {
			return false, err
		}
		now, version := record.Ref{}, 0
		if last != nil {
			now, version = last.Ref, last.Version
		}
		if now != p.last || version != p.version {
			return false, nil
		}
	}
	for at, count := range s.follows {
		followers, err := cache.Followers(ctx, l.cache.Records, at)
		if err != nil || cache.Standing(followers, record.Ref{}) != count {
			return false, err
		}
	}
	return true, nil
}
