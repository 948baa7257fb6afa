package desk

import (
	"context"
	"slices"

	"codicil/core/rule"
	"codicil/internal/store"
)

// ref names a saved record.
type ref struct{ kind, number string }

// readSet is what a judgement relied on. The writer verifies that all of it still stands
// before it writes. It is used by one goroutine.
type readSet struct {
	book int64 // the version of the rule book
	// records are the versions of the records that were read; 0: there was none.
	records map[ref]int
	keys    []askedKey
	prior   []askedPrior
	follows map[ref]int // how many records followed one
	counts  map[string]int64
}

// askedKey is a question of a unique rule, with its answer.
type askedKey struct {
	rule         *rule.Compiled
	kind         string
	company, key string
	texts        []string
	found        []string
}

// askedPrior is the question what a person saved last, with its answer.
type askedPrior struct {
	kind, company, kindType, user, except string
	last, lastOfType                      ref
	version, versionOfType                int
}

func newReadSet(book int64) *readSet {
	return &readSet{book: book, records: map[ref]int{}, follows: map[ref]int{}}
}

// note keeps that a record was read; r is nil where there was none. The first reading counts:
// a later one that differs must not hide it.
func (s *readSet) note(at ref, r *store.Record) {
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

// pending is a judged change that is ready to be written.
type pending struct {
	reads *readSet // nil: it was judged at the head of the line
	// write writes it, in one transaction; nil: there is nothing to write. No formula runs here.
	write func(tx *store.Store) error
	// done brings what is in memory up to date, after the commit.
	done func()
}

// tries is how often a change is judged before it is judged at the head of the line, where
// nobody writes meanwhile.
const tries = 3

// commit is the one door through which everything is written. A change is judged outside the
// line; when its turn comes, all that the judgement relied on must still stand, or it is
// judged again, the third time at the head of the line. Cost of verifying: what was read.
func (d *Desk) commit(ctx context.Context, judge func() (*pending, error)) error {
	for attempt := 1; attempt < tries; attempt++ {
		p, err := judge()
		if err != nil || p.write == nil {
			return err
		}
		moved, err := d.tryWrite(ctx, p, judge)
		if !moved {
			return err
		}
		if err := ctx.Err(); err != nil {
			return err
		}
	}
	return d.alone(ctx, judge)
}

// tryWrite writes a judged change if what it relied on still stands; otherwise moved is true.
// One that takes numbers of a series is judged at the head of the line at once, because every
// other that does moves them.
func (d *Desk) tryWrite(ctx context.Context, p *pending, judge func() (*pending, error)) (moved bool, err error) {
	d.line.Lock()
	defer d.line.Unlock()
	stands, err := d.stands(ctx, p.reads)
	if err != nil {
		return false, err
	}
	if !stands {
		if len(p.reads.counts) == 0 {
			return true, nil
		}
		if p, err = judge(); err != nil || p.write == nil {
			return false, err
		}
	}
	return false, d.write(ctx, p)
}

// alone judges and writes at the head of the line.
func (d *Desk) alone(ctx context.Context, judge func() (*pending, error)) error {
	d.line.Lock()
	defer d.line.Unlock()
	p, err := judge()
	if err != nil || p.write == nil {
		return err
	}
	return d.write(ctx, p)
}

func (d *Desk) write(ctx context.Context, p *pending) error {
	// What was begun is finished: the caller may go, the commit is all or nothing.
	if err := d.store.Transaction(context.WithoutCancel(ctx), p.write); err != nil {
		return explain(err)
	}
	if p.done != nil {
		p.done()
	}
	return nil
}

// stands tells whether all that a judgement relied on is as it was. It is asked at the head of
// the line, so that nothing of it can move before the write.
func (d *Desk) stands(ctx context.Context, s *readSet) (bool, error) {
	if s == nil {
		return true, nil
	}
	book, _, err := d.version(ctx)
	if err != nil || book != s.book {
		return false, err
	}
	for at, version := range s.records {
		shelf, err := d.shelf(ctx, at.kind)
		if err != nil {
			return false, err
		}
		now := 0
		if r := shelf.find(at.number); r != nil {
			now = r.Version
		}
		if now != version {
			return false, nil
		}
	}
	if len(s.counts) > 0 {
		counted, err := d.store.Counted(ctx)
		if err != nil {
			return false, err
		}
		for name, last := range s.counts {
			if counted[name] != last {
				return false, nil
			}
		}
	}
	m, err := d.master(ctx)
	if err != nil {
		return false, err
	}
	for i := range s.keys {
		k := &s.keys[i]
		kind, err := m.kind(k.kind)
		if err != nil {
			return false, err
		}
		asked := &peers{desk: d, ctx: ctx, kind: kind}
		if found := asked.Same(k.rule, k.company, k.key, k.texts); asked.failed != nil || !slices.Equal(found, k.found) {
			return false, asked.failed
		}
	}
	for i := range s.prior {
		p := s.prior[i]
		if err := d.askPrior(ctx, &p); err != nil || p != s.prior[i] {
			return false, err
		}
	}
	for at, count := range s.follows {
		followers, err := d.followers(ctx, m, at.kind, at.number)
		if err != nil || standing(followers, ref{}) != count {
			return false, err
		}
	}
	return true, nil
}

// standing counts the records that were not taken back; one is left out.
func standing(followers []store.Record, except ref) (count int) {
	for i := range followers {
		if r := &followers[i]; r.State != store.Reversed && r.Reverses == "" && (ref{r.Kind, r.Number}) != except {
			count++
		}
	}
	return count
}

// bookChange writes a change of what documents are judged by: rules, tables, fields, layouts,
// companies, types, maps. It is checked and written at the head of the line. change checks,
// and returns what to write.
func (d *Desk) bookChange(ctx context.Context, change func() (write func(tx *store.Store) error, err error)) error {
	return d.alone(ctx, func() (*pending, error) {
		write, err := change()
		return &pending{write: write, done: d.forgetMasters}, err
	})
}
