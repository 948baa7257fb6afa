package records

import (
	"context"
	"maps"
	"slices"
	"sync"

	"codicil/core/field"
	"codicil/core/record"
	"codicil/core/rule"
	"codicil/internal/actor"
	"codicil/internal/app/commit"
	"codicil/internal/app/judging"
	"codicil/internal/cache"
	"codicil/internal/store"
)

// Live keeps the live values of records: those that are always what a linked record has.
type Live struct {
	base  *judging.Service
	mutex sync.Mutex
	late  []record.Ref // records of which a live value is to be taken anew
}

// NewLive returns what keeps live values.
func NewLive(j *judging.Service) *Live { return &Live{base: j} }

// mostLive is how many records are rewritten in the commit of the record that they name; the
// others are marked as late and follow in commits of as many.
const mostLive = 1000

// Changed are records that something else changes, ready to be written.
type Changed struct {
	Records []record.Record
	ready   []*store.Prepared
}

// ChangedFrom are records as they were before and as they are to be.
func ChangedFrom(ctx context.Context, j *judging.Service, before, now []record.Record) (*Changed, error) {
	c := &Changed{Records: now}
	for i := range now {
		if err := c.prepare(ctx, j, &before[i], &now[i]); err != nil {
			return nil, err
		}
	}
	return c, nil
}

func (c *Changed) prepare(ctx context.Context, j *judging.Service, before, now *record.Record) error {
	ready, err := j.Store.Prepare(ctx, nil, before, now)
	c.ready = append(c.ready, ready)
	return err
}

// Write writes them, and leaves them as they are kept; what says what changed them.
func (c *Changed) Write(ctx context.Context, tx *store.Store, what string, by record.Stamp) (err error) {
	for i := range c.Records {
		if c.Records[i], err = tx.ChangeRecord(ctx, c.Records[i], what, c.ready[i], by); err != nil {
			return err
		}
	}
	return nil
}

// Rewritten are records whose live values change with a record that they name.
type Rewritten struct {
	Changed
	live *Live
	late map[string][]string // numbers by kind
}

// add judges a record, and adds it where its live values change.
func (w *Rewritten) add(ctx context.Context, ref *cache.Reference, reads *commit.ReadSet, r record.Record, over map[record.Ref]*record.Record) error {
	next, err := w.live.values(ctx, ref, reads, r, over)
	if err != nil || next == nil {
		return err
	}
	w.Records = append(w.Records, *next)
	return w.prepare(ctx, w.live.base, &r, next)
}

// After returns the unposted records whose live values change when records are saved as they
// stand here. Fields that are computed from those wait for their own saving. Cost: the records
// that name one of them, directly or through one other.
func (l *Live) After(ctx context.Context, reads *commit.ReadSet, saved ...record.Record) (*Rewritten, error) {
	over := map[record.Ref]*record.Record{}
	for i := range saved {
		if saved[i].Number != "" {
			over[saved[i].Ref] = &saved[i]
		}
	}
	return l.following(ctx, reads, slices.Collect(maps.Keys(over)), over)
}

// following are those that change with some records, where these and others are as given over what is saved.
func (l *Live) following(ctx context.Context, reads *commit.ReadSet, from []record.Ref, over map[record.Ref]*record.Record) (*Rewritten, error) {
	ctx = actor.Whole(ctx)
	ref, err := l.base.Cache.Reference(ctx)
	if err != nil {
		return nil, err
	}
	found, turn := &Rewritten{live: l, late: map[string][]string{}}, l.base.Store.LinkTurn()
	for i := range ref.Kinds {
		kind := &ref.Kinds[i]
		reach, err := l.reach(ctx, kind.Key)
		if err != nil {
			return nil, err
		}
		if reach == 0 {
			continue
		}
		asked := func(front []record.Ref) { reads.Named(front, turn) }
		err = l.near(ctx, kind.Key, from, reach, asked, func(r record.Record) error {
			if over[r.Ref] != nil {
				return nil
			}
			if len(found.Records) >= mostLive {
				found.late[kind.Key] = append(found.late[kind.Key], r.Number)
				return nil
			}
			return found.add(ctx, ref, reads, r, over)
		})
		if err != nil {
			return nil, err
		}
	}
	return found, nil
}

// again takes the live values of a record that is restored as they are now, with what follows it. back are records that are there
// again with it, or, where it is only a part of what is restored, right after it.
func (l *Live) again(ctx context.Context, next *record.Record, back []record.Record, part bool) (*Rewritten, error) {
	over, from := map[record.Ref]*record.Record{next.Ref: next}, []record.Ref{next.Ref}
	for i := range back {
		over[back[i].Ref] = &back[i]
		if !part {
			from = append(from, back[i].Ref)
		}
	}
	now, err := l.now(ctx, next, over)
	if err != nil {
		return nil, err
	}
	if now != nil {
		next.Content = now.Content
	}
	others, err := l.following(ctx, nil, from, over)
	if err != nil || part {
		return others, err
	}
	for i := range back {
		if now, err = l.now(ctx, &back[i], over); err != nil {
			return nil, err
		}
		if now != nil {
			others.late[now.Kind] = append(others.late[now.Kind], now.Number)
		}
	}
	return others, nil
}

// now returns a record with its live values of now; nil where they are those that it has.
func (l *Live) now(ctx context.Context, r *record.Record, over map[record.Ref]*record.Record) (*record.Record, error) {
	ctx = actor.Whole(ctx)
	if reach, err := l.reach(ctx, r.Kind); err != nil || reach == 0 {
		return nil, err
	}
	ref, err := l.base.Cache.Reference(ctx)
	if err != nil {
		return nil, err
	}
	return l.values(ctx, ref, nil, *r, over)
}

// reach is how many links the live values of a kind lead over at most; 0: it has none.
func (l *Live) reach(ctx context.Context, kind string) (most int, err error) {
	book, err := l.base.Cache.Book(ctx, kind)
	if err != nil {
		return 0, err
	}
	for _, c := range book.Rules {
		if c.State == rule.InForce && c.Family == rule.Source && c.Effect.Mode == rule.Live && c.Value != nil {
			most = max(most, c.Depth())
		}
	}
	return most, nil
}

// near goes through the unposted records of a kind that name one of some, or that name a record that does; asked is told of which
// records it looks for those that name them.
// Cost: the records that name one, some at a time, for each link more.
func (l *Live) near(ctx context.Context, kind string, front []record.Ref, reach int, asked func([]record.Ref), do func(record.Record) error) error {
	seen := map[record.Ref]bool{}
	for step := range reach {
		var next []record.Ref
		asked(front)
		for some := range slices.Chunk(front, 100) {
			q := store.NamedBy{Records: some, Limit: mostLive}
			if step == reach-1 { // what lies beyond is not asked for
				q.Kinds, q.States = []string{kind}, []string{record.Kept}
			}
			for {
				named, err := l.base.Store.RecordsNaming(ctx, q)
				if err != nil {
					return err
				}
				for _, r := range named {
					if seen[r.Ref] {
						continue
					}
					seen[r.Ref] = true
					if step < reach-1 {
						next = append(next, r.Ref)
					}
					if r.Kind != kind || r.State != record.Kept {
						continue
					}
					if err := do(r); err != nil {
						return err
					}
				}
				if len(named) < q.Limit {
					break
				}
				q.After = named[len(named)-1].Ref
			}
		}
		front = next
	}
	return nil
}

// values returns a record with its live values as they are when the others are as given;
// nil where none changes. One that no longer fits its kind keeps what it has.
func (l *Live) values(ctx context.Context, ref *cache.Reference, reads *commit.ReadSet, r record.Record, over map[record.Ref]*record.Record) (*record.Record, error) {
	kind, err := ref.Kind(r.Kind)
	if err != nil {
		return nil, err
	}
	judged, err := l.base.Try(ctx, judging.DocumentOf(kind, &r), judging.Ask{Moment: rule.Saving, Real: true, NoTrace: true, Over: over})
	if err != nil {
		return nil, ctx.Err()
	}
	reads.Record(r.Ref, &r)
	if over == nil { // it is brought up to date by itself, from what it names
		reads.Also(judged.Reads)
	}
	content := r.Content
	changed := false
	for _, s := range judged.Judged.Outcome.Cells() {
		if !s.Live {
			continue
		}
		text := field.Write(s.Final)
		f := &kind.Fields[s.Index]
		if content.Get(f, s.Line) == text {
			continue
		}
		if !changed {
			content, changed = content.Clone(), true
		}
		content.Set(f, s.Line, text, s.Origin)
	}
	if !changed && !r.Late {
		return nil, nil
	}
	r.Late, r.Content = false, content
	return &r, nil
}

// Write writes the records, and marks those that are to follow.
func (w *Rewritten) Write(ctx context.Context, tx *store.Store, by record.Stamp) error {
	if err := w.Changed.Write(ctx, tx, "live", by); err != nil {
		return err
	}
	// Nobody changed them: what a run wrote of them can still be taken back.
	for i := range w.Records {
		now := &w.Records[i]
		if err := tx.MoveRunWrites(ctx, now.Ref, now.Version-1, now.Version); err != nil {
			return err
		}
	}
	for kind, numbers := range w.late {
		if err := tx.MarkLate(ctx, kind, numbers); err != nil {
			return err
		}
		w.live.later(kind, numbers)
	}
	return nil
}

// later remembers records that are to follow.
func (l *Live) later(kind string, numbers []string) {
	l.mutex.Lock()
	defer l.mutex.Unlock()
	for _, number := range numbers {
		l.late = append(l.late, record.Ref{Kind: kind, Number: number})
	}
}

// Resume takes the live values anew that were still to follow when the program ended.
func (l *Live) Resume(ctx context.Context) error {
	ref, err := l.base.Cache.Reference(ctx)
	if err != nil {
		return err
	}
	for _, k := range ref.Kinds {
		numbers, err := l.base.Store.Late(ctx, k.Key)
		if err != nil {
			return err
		}
		l.later(k.Key, numbers)
	}
	return l.CatchUp(ctx)
}

// CatchUp takes the live values of records anew that are late, as many at a time as one commit
// takes.
func (l *Live) CatchUp(ctx context.Context) error {
	ctx = actor.Whole(ctx)
	for {
		l.mutex.Lock()
		count := min(len(l.late), mostLive)
		batch := slices.Clone(l.late[:count])
		l.late = l.late[count:]
		l.mutex.Unlock()
		if count == 0 {
			return nil
		}
		if err := l.rewrite(ctx, batch); err != nil {
			l.mutex.Lock()
			l.late = append(batch, l.late...)
			l.mutex.Unlock()
			return err
		}
	}
}

func (l *Live) rewrite(ctx context.Context, batch []record.Ref) error {
	return l.base.Line.Commit(ctx, func(ctx context.Context) (*commit.Change, error) {
		version, _, err := l.base.Cache.Version(ctx)
		if err != nil {
			return nil, err
		}
		ref, err := l.base.Cache.Reference(ctx)
		if err != nil {
			return nil, err
		}
		reads, found := commit.NewReadSet(version.Book), &Rewritten{live: l}
		for _, at := range batch {
			r, err := l.base.Cache.Records.Find(ctx, at)
			if err != nil {
				return nil, err
			}
			if r == nil || r.State != record.Kept {
				continue
			}
			late := *r
			late.Late = true
			if err := found.add(ctx, ref, reads, late, nil); err != nil {
				return nil, err
			}
		}
		by, err := l.base.Line.Stamp(ctx)
		return &commit.Change{
			Reads: reads, Write: func(ctx context.Context, tx *store.Store) error { return found.Write(ctx, tx, by) },
			Done: func() { l.base.Cache.Records.Put(found.Records...) },
		}, err
	})
}
