package records

import (
	"context"
	"maps"
	"math"
	"slices"
	"strings"
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
	late  []following // records of which a live value is to be taken anew
}

// following is a record whose live values follow, and on how many further records others may follow it.
type following struct {
	record.Ref
	steps int
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
	live   *Live
	before []record.Record // what Records were, place by place
	places map[record.Ref]int
	late   map[record.Ref]int // with how many further records may follow each
}

func (l *Live) rewritten() *Rewritten {
	return &Rewritten{live: l, places: map[record.Ref]int{}, late: map[record.Ref]int{}}
}

// add judges a record, and adds it where its live values change. It may be judged again, with what changed since. The result is
// the record as it is to be; nil where it stays.
func (w *Rewritten) add(ctx context.Context, ref *cache.Reference, reads *commit.ReadSet, r record.Record, over map[record.Ref]*record.Record) (*record.Record, error) {
	next, err := w.live.values(ctx, ref, reads, r, over)
	if err != nil {
		return nil, err
	}
	at, again := w.places[r.Ref]
	switch {
	case again && next == nil: // what changed it changed back
		next = &r
		w.Records[at] = r
	case again:
		w.Records[at] = *next
	case next != nil:
		w.places[r.Ref] = len(w.Records)
		w.Records, w.before = append(w.Records, *next), append(w.before, r)
	}
	return next, nil
}

// follows says that a record is to follow later, and with it what is so many steps away.
func (w *Rewritten) follows(at record.Ref, steps int) { w.late[at] = max(w.late[at], steps) }

// settle prepares the records to be written.
func (w *Rewritten) settle(ctx context.Context) error {
	for i := range w.Records {
		if err := w.prepare(ctx, w.live.base, &w.before[i], &w.Records[i]); err != nil {
			return err
		}
	}
	return nil
}

// After returns the unposted records whose live values change when records are saved as they
// stand here. Fields that are computed from those wait for their own saving. Cost: the records
// that name one of them, directly or through one other; and those that name what changes so, where a live value reads another.
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
	found := l.rewritten()
	if err := found.follow(ctx, reads, from, maps.Clone(over), over, allSteps); err != nil {
		return nil, err
	}
	return found, found.settle(ctx)
}

// allSteps are as many as live values read one another.
const allSteps = math.MaxInt

// follow adds what changes with some records, with what changes with that, and so on for so many steps at most. The records of
// over are as they stand there, and what changes is added to it; those that are given stay: they follow later. Cost: that of each step.
func (w *Rewritten) follow(ctx context.Context, reads *commit.ReadSet, front []record.Ref, over, given map[record.Ref]*record.Record, steps int) error {
	ctx = actor.Whole(ctx)
	ref, err := w.live.base.Cache.Reference(ctx)
	if err != nil {
		return err
	}
	rest, err := w.live.rest(ctx, ref)
	if err != nil {
		return err
	}
	turn, first := w.live.base.Store.LinkTurn(), true
	asked := func(front []record.Ref) { reads.Named(front, turn) }
	for left := min(steps, rest.steps) - 1; left >= 0 && len(front) > 0; left-- {
		var next []record.Ref
		for i := range ref.Kinds {
			kind := &ref.Kinds[i]
			err = w.live.near(ctx, kind.Key, front, rest.reach[kind.Key], asked, func(r record.Record) error {
				_, again := w.places[r.Ref]
				switch {
				case given[r.Ref] != nil:
					if !first { // it was judged before what changes now
						w.follows(r.Ref, 0)
					}
					return nil
				case !again && len(w.Records) >= mostLive:
					w.follows(r.Ref, left)
					return nil
				}
				was := over[r.Ref]
				if was == nil {
					was = &r
				}
				now, err := w.add(ctx, ref, reads, r, over)
				if err == nil && now != nil && len(record.Changes(kind, &was.Content, &now.Content)) > 0 {
					next = append(next, r.Ref)
				}
				return err
			})
			if err != nil {
				return err
			}
		}
		for _, at := range next {
			now := w.Records[w.places[at]]
			over[at] = &now
		}
		front, first = next, false
	}
	return nil
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
			others.follows(now.Ref, allSteps)
		}
	}
	return others, nil
}

// now returns a record with its live values of now; nil where they are those that it has.
func (l *Live) now(ctx context.Context, r *record.Record, over map[record.Ref]*record.Record) (*record.Record, error) {
	ctx = actor.Whole(ctx)
	ref, err := l.base.Cache.Reference(ctx)
	if err != nil {
		return nil, err
	}
	if rest, err := l.rest(ctx, ref); err != nil || rest.reach[r.Kind] == 0 {
		return nil, err
	}
	return l.values(ctx, ref, nil, *r, over)
}

// rest is what live values rest on.
type rest struct {
	reach map[string]int // by the key of a kind, over how many links those of its records lead at most; 0: it has none
	steps int            // how many records further a value reaches, from live value to live value; 0: there are none
}

// mostSteps is how many live values may read one another. More are rules that lead in a circle.
const mostSteps = 8

// rest tells what live values rest on. Cost: the rules, and the square of those for live values that read a linked record's.
func (l *Live) rest(ctx context.Context, ref *cache.Reference) (rest, error) {
	found := rest{reach: map[string]int{}}
	type place struct{ kind, field string }
	reads := map[place][]place{}
	for i := range ref.Kinds {
		kind := &ref.Kinds[i]
		book, err := l.base.Cache.Book(ctx, kind.Key)
		if err != nil {
			return found, err
		}
		for _, c := range book.Rules {
			if c.State != rule.InForce || c.Family != rule.Source || c.Effect.Mode != rule.Live || c.Value == nil {
				continue
			}
			target := place{kind.Key, kind.Fields[c.Field].Key}
			for _, read := range c.LinkedReads() {
				found.reach[kind.Key] = max(found.reach[kind.Key], read.Links)
				reads[target] = append(reads[target], place{read.Kind, read.Field})
			}
		}
	}
	for reached := reads; len(reached) > 0 && found.steps < mostSteps; found.steps++ {
		// What reads a live value is one step further than that.
		further := map[place][]place{}
		for target, from := range reached {
			for live := range reached {
				if slices.ContainsFunc(from, func(p place) bool {
					return p == live || p.kind == live.kind && p.field == record.LineSection && strings.HasPrefix(live.field, field.LinePrefix)
				}) {
					further[target] = from
					break
				}
			}
		}
		reached = further
	}
	return found, nil
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
	numbers := map[string][]string{}
	for at := range w.late {
		numbers[at.Kind] = append(numbers[at.Kind], at.Number)
	}
	for kind, of := range numbers {
		slices.Sort(of)
		if err := tx.MarkLate(ctx, kind, of); err != nil {
			return err
		}
		for _, number := range of {
			at := record.Ref{Kind: kind, Number: number}
			w.live.later(following{at, w.late[at]})
		}
	}
	return nil
}

// later remembers a record that is to follow.
func (l *Live) later(f following) {
	l.mutex.Lock()
	defer l.mutex.Unlock()
	l.late = append(l.late, f)
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
		for _, number := range numbers {
			l.later(following{record.Ref{Kind: k.Key, Number: number}, allSteps})
		}
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

func (l *Live) rewrite(ctx context.Context, batch []following) error {
	return l.base.Line.Commit(ctx, func(ctx context.Context) (*commit.Change, error) {
		version, _, err := l.base.Cache.Version(ctx)
		if err != nil {
			return nil, err
		}
		ref, err := l.base.Cache.Reference(ctx)
		if err != nil {
			return nil, err
		}
		reads, found := commit.NewReadSet(version.Book), l.rewritten()
		var front []record.Ref
		over, steps := map[record.Ref]*record.Record{}, 0
		for _, f := range batch {
			r, err := l.base.Cache.Records.Find(ctx, f.Ref)
			if err != nil {
				return nil, err
			}
			if r == nil || r.State != record.Kept {
				continue
			}
			late := *r
			late.Late = true
			now, err := found.add(ctx, ref, reads, late, nil)
			if err != nil {
				return nil, err
			}
			if kind, err := ref.Kind(r.Kind); err == nil && now != nil && len(record.Changes(kind, &r.Content, &now.Content)) > 0 {
				front, over[f.Ref], steps = append(front, f.Ref), now, max(steps, f.steps)
			}
		}
		if err := found.follow(ctx, reads, front, over, nil, steps); err != nil {
			return nil, err
		}
		if err := found.settle(ctx); err != nil {
			return nil, err
		}
		by, err := l.base.Line.Stamp(ctx)
		return &commit.Change{
			Reads: reads, Write: func(ctx context.Context, tx *store.Store) error { return found.Write(ctx, tx, by) },
			Done: func() { l.base.Cache.Records.Put(found.Records...) },
		}, err
	})
}
