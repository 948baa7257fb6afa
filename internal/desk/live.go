package desk

import (
	"context"
	"maps"
	"slices"

	"codicil/core/field"
	"codicil/core/rule"
	"codicil/internal/store"
)

// mostLive is how many records are rewritten in the commit of the record that they name; the
// others are marked as late and follow in commits of as many.
const mostLive = 1000

// rewritten are records whose live values change with a record that they name.
type rewritten struct {
	changed []store.Record
	late    map[string][]string // numbers by kind
}

// live returns the unposted records whose live values change when records are saved as they
// stand here. Fields that are computed from those wait for their own saving. Cost: the records
// that name one of them, directly or through one other.
func (d *Desk) live(ctx context.Context, t *trial, saved ...store.Record) (*rewritten, error) {
	found := &rewritten{late: map[string][]string{}}
	over := map[ref]*store.Record{}
	for i := range saved {
		if saved[i].Number != "" {
			over[ref{saved[i].Kind, saved[i].Number}] = &saved[i]
		}
	}
	for i := range t.masters.kinds {
		kind := &t.masters.kinds[i]
		reach, err := d.reach(ctx, kind.Key)
		if err != nil {
			return nil, err
		}
		if reach == 0 {
			continue
		}
		near, err := d.near(ctx, t.masters, kind.Key, over, reach)
		if err != nil {
			return nil, err
		}
		for _, r := range near {
			if len(found.changed) >= mostLive {
				found.late[kind.Key] = append(found.late[kind.Key], r.Number)
				continue
			}
			next, err := d.liveValues(ctx, t, r, over)
			if err != nil {
				return nil, err
			}
			if next != nil {
				found.changed = append(found.changed, *next)
			}
		}
	}
	return found, nil
}

// reach is how many links the live values of a kind lead over at most; 0: it has none.
func (d *Desk) reach(ctx context.Context, kind string) (most int, err error) {
	book, err := d.book(ctx, kind)
	if err != nil {
		return 0, err
	}
	for _, c := range book.Rules {
		if c.State == rule.InForce && c.Family == rule.Source && c.Effect.Tie == rule.Live && c.Value != nil {
			most = max(most, c.Depth())
		}
	}
	return most, nil
}

// near returns the unposted records of a kind that name one of the others, or that name a
// record that does.
func (d *Desk) near(ctx context.Context, m *masters, kind string, over map[ref]*store.Record, reach int) (rows []store.Record, err error) {
	seen := map[ref]bool{}
	front := slices.Collect(maps.Keys(over))
	for range reach {
		var next []ref
		for _, at := range front {
			named, err := d.namedBy(ctx, m, at)
			if err != nil {
				return nil, err
			}
			for _, r := range named {
				by := ref{r.Kind, r.Number}
				if seen[by] {
					continue
				}
				seen[by] = true
				next = append(next, by)
				if r.Kind == kind && r.State == store.Kept && over[by] == nil {
					rows = append(rows, r)
				}
			}
		}
		front = next
	}
	return rows, nil
}

// liveValues returns a record with its live values as they are when the others are as given;
// nil where none changes. One that no longer fits its kind keeps what it has.
func (d *Desk) liveValues(ctx context.Context, t *trial, r store.Record, over map[ref]*store.Record) (*store.Record, error) {
	kind, err := t.masters.kind(r.Kind)
	if err != nil {
		return nil, err
	}
	judged, err := d.try(ctx, documentOf(kind, &r), ask{moment: rule.Saving, real: true, quiet: true, over: over})
	if err != nil {
		return nil, ctx.Err()
	}
	t.reads.note(ref{r.Kind, r.Number}, &r)
	content := r.Content()
	changed := false
	for _, s := range judged.Outcome.Spots() {
		if !s.Live {
			continue
		}
		text := field.Write(s.Final)
		f := &kind.Fields[s.Place]
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
	r.Late = false
	r.Hold(content)
	return &r, nil
}

// write writes the records, and marks those that are to follow.
func (w *rewritten) write(ctx context.Context, d *Desk, tx *store.Store) error {
	if err := d.changeAll(ctx, tx, "live", w.changed); err != nil {
		return err
	}
	for kind, numbers := range w.late {
		if err := tx.MarkLate(ctx, kind, numbers); err != nil {
			return err
		}
		d.later(kind, numbers)
	}
	return nil
}

// later remembers records that are to follow.
func (d *Desk) later(kind string, numbers []string) {
	d.mutex.Lock()
	defer d.mutex.Unlock()
	for _, number := range numbers {
		d.late = append(d.late, ref{kind, number})
	}
}

// Resume takes the live values anew that were still to follow when the program ended.
func (d *Desk) Resume(ctx context.Context) error {
	m, err := d.master(ctx)
	if err != nil {
		return err
	}
	for _, k := range m.kinds {
		numbers, err := d.store.Late(ctx, k.Key)
		if err != nil {
			return err
		}
		d.later(k.Key, numbers)
	}
	return d.catchUp(ctx)
}

// catchUp takes the live values of records anew that are late, as many at a time as one commit
// takes.
func (d *Desk) catchUp(ctx context.Context) error {
	for {
		d.mutex.Lock()
		count := min(len(d.late), mostLive)
		batch := slices.Clone(d.late[:count])
		d.late = d.late[count:]
		d.mutex.Unlock()
		if count == 0 {
			return nil
		}
		if err := d.rewriteLate(ctx, batch); err != nil {
			d.mutex.Lock()
			d.late = append(batch, d.late...)
			d.mutex.Unlock()
			return err
		}
	}
}

func (d *Desk) rewriteLate(ctx context.Context, batch []ref) error {
	return d.commit(ctx, func() (*pending, error) {
		version, err := d.judgedBy(ctx)
		if err != nil {
			return nil, err
		}
		m, err := d.master(ctx)
		if err != nil {
			return nil, err
		}
		t := &trial{masters: m, reads: newReadSet(version.Book)}
		found := &rewritten{}
		for _, at := range batch {
			s, err := d.shelf(ctx, at.kind)
			if err != nil {
				return nil, err
			}
			r := s.find(at.number)
			if r == nil || r.State != store.Kept {
				continue
			}
			late := *r
			late.Late = true
			next, err := d.liveValues(ctx, t, late, nil)
			if err != nil {
				return nil, err
			}
			if next != nil {
				found.changed = append(found.changed, *next)
			}
		}
		return &pending{
			reads: t.reads, write: func(tx *store.Store) error { return found.write(ctx, d, tx) },
			done: func() { d.shelve(found.changed...) },
		}, nil
	})
}
