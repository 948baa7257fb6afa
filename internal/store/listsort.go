package store

import (
	"container/heap"
	"context"
	"database/sql"
	"errors"
	"slices"
	"sync"
	"sync/atomic"
	"time"

	"golang.org/x/sync/errgroup"

	"codicil/core/record"
)

// firstSpots keeps the first of some spots, the last of them on top.
type firstSpots struct {
	spots      []spot
	descending bool
}

func (f *firstSpots) Len() int { return len(f.spots) }

func (f *firstSpots) Less(a, b int) bool { return f.spots[a].compare(f.spots[b], f.descending) > 0 }

func (f *firstSpots) Swap(a, b int) { f.spots[a], f.spots[b] = f.spots[b], f.spots[a] }

func (f *firstSpots) Push(x any) { f.spots = append(f.spots, x.(spot)) }

func (f *firstSpots) Pop() any {
	last := f.spots[len(f.spots)-1]
	f.spots = f.spots[:len(f.spots)-1]
	return last
}

// sort makes the page in an order that is not kept: by a look into every record. Cost in memory: the page and what
// goes before it.
func (l *listing) sort(page *ListPage) error {
	first := &firstSpots{descending: l.Descending}
	most := l.Offset + l.Limit + 1
	err := l.spots(func(at spot) {
		if l.start != nil && at.compare(*l.start, l.Descending) <= 0 {
			return
		}
		switch {
		case first.Len() < most:
			heap.Push(first, at)
		case at.compare(first.spots[0], l.Descending) < 0:
			first.spots[0] = at
			heap.Fix(first, 0)
		}
	})
	if err != nil {
		return err
	}
	slices.SortFunc(first.spots, func(a, b spot) int { return a.compare(b, l.Descending) })
	return l.cut(page, first.spots[min(l.Offset, first.Len()):])
}

// spots goes through where the records stand that the selection keeps.
func (l *listing) spots(do func(spot)) error {
	if l.ByColumns() {
		return l.values(do)
	}
	return l.whole(func(row *recordRow, r *record.Record) bool {
		if l.keeps(r) {
			do(l.spot(row))
		}
		return true
	})
}

// mostParts is in how many parts the records are gone through at once, at most.
const mostParts = 4

// values goes through what the records are sorted by, in parts on all processors; do is called by one at a time.
func (l *listing) values(do func(spot)) error {
	var turn sync.Mutex
	var group errgroup.Group
	for part := range l.parts {
		group.Go(func() error {
			return l.valuesOf(part, func(at spot) {
				turn.Lock()
				defer turn.Unlock()
				do(at)
			})
		})
	}
	return group.Wait()
}

// mostKeys is how many different values are remembered with the keys that they sort by.
const mostKeys = 10_000

// valuesOf goes through one of some parts of the records.
func (l *listing) valuesOf(part int, do func(spot)) (err error) {
	text, values := where(append(l.scope(), condition{"kind = ? AND id % ? = ?", []any{l.Kind.Key, l.parts, part}}))
	rows, err := l.db.Raw("SELECT id, "+valueOf(l.By.Key)+" FROM records"+text, values...).Rows()
	if err != nil {
		return err
	}
	defer func() { err = errors.Join(err, rows.Close()) }()
	keys := map[string][]byte{}
	var id int64
	var value sql.RawBytes
	for rows.Next() {
		if err := rows.Scan(&id, &value); err != nil {
			return err
		}
		key, known := keys[string(value)]
		if !known {
			key = []byte(l.Key(string(value)))
			if len(keys) < mostKeys {
				keys[string(value)] = key
			}
		}
		do(spot{len(key) == 0, key, id})
	}
	return rows.Err()
}

// whole goes through the records of the kind, as far as the list looks at them, until do tells false.
func (l *listing) whole(do func(row *recordRow, r *record.Record) bool) error {
	return l.wholeOf(0, 1, do)
}

// wholeOf does so for one of some parts of the records.
func (l *listing) wholeOf(part, parts int, do func(row *recordRow, r *record.Record) bool) error {
	for after := ""; ; {
		if err := l.ctx.Err(); err != nil {
			return err
		}
		var rows []recordRow
		conditions := append(l.scope(), condition{"kind = ? AND number > ?", []any{l.Kind.Key, after}})
		if parts > 1 {
			conditions = append(conditions, condition{"id % ? = ?", []any{parts, part}})
		}
		text, values := where(conditions)
		if err := l.db.Raw("SELECT "+l.looked()+" FROM records"+text+" ORDER BY number LIMIT ?", append(values, recordsAtOnce)...).Scan(&rows).Error; err != nil {
			return err
		}
		for i := range rows {
			if r := rows[i].record(); !do(&rows[i], &r) {
				return nil
			}
		}
		if len(rows) < recordsAtOnce {
			return nil
		}
		after = rows[len(rows)-1].Number
	}
}

// count tells how many records the selection keeps, up to mostCounted, as far as it can be told soon.
func (l *listing) count() (count int, more bool, err error) {
	if l.ByColumns() {
		return l.countColumns()
	}
	if len(l.many) > 0 { // of those that words or bounds find
		count, _, err = l.countUntil(longestCount, 1, func(_ int, do func(*recordRow, *record.Record) bool) error {
			return l.each(l.many[0], l.looked(), do)
		})
		return count, true, err
	}
	return l.countUntil(longestCount, 1, func(_ int, do func(*recordRow, *record.Record) bool) error { return l.whole(do) })
}

// countColumns counts where the database tells which records are kept.
func (l *listing) countColumns() (count int, more bool, err error) {
	text, values := where(append(l.scope(), condition{"kind = ?", []any{l.Kind.Key}}))
	err = l.db.Raw("SELECT COUNT(*) FROM (SELECT 1 FROM records"+text+" LIMIT ?) AS some", append(values, mostCounted+1)...).Scan(&count).Error
	return min(count, mostCounted), count > mostCounted, err
}

// countUntil counts those that are kept of what some parts go through at once, up to mostCounted, for a time.
func (l *listing) countUntil(longest time.Duration, parts int, through func(part int, do func(*recordRow, *record.Record) bool) error) (_ int, more bool, err error) {
	until := time.Now().Add(longest) //nolint:forbidigo // how long it takes, not what time it is
	var count atomic.Int64
	var late atomic.Bool
	var group errgroup.Group
	for part := range parts {
		group.Go(func() error {
			return through(part, func(_ *recordRow, r *record.Record) bool {
				if l.keeps(r) {
					count.Add(1)
				}
				if time.Now().After(until) { //nolint:forbidigo // as above
					late.Store(true)
				}
				return count.Load() <= mostCounted && !late.Load()
			})
		})
	}
	err = group.Wait()
	return int(min(count.Load(), mostCounted)), count.Load() > mostCounted || late.Load(), err
}

// CountListed tells how many records the selection of a list keeps, up to mostCounted; more tells that there are more, or that
// counting took longer than longestWhole. Cost: those that words or bounds find, where they find no more than that, or that are all kept;
// otherwise up to all records of the kind. It works on all processors. It ends when nobody waits for it.
func (s *Store) CountListed(ctx context.Context, q ListQuery) (total int, more bool, err error) {
	l, err := s.listing(ctx, q)
	if err != nil {
		return 0, false, err
	}
	if l.ByColumns() {
		return l.countColumns()
	}
	found, few, err := l.gathered(mostCounted)
	if err != nil {
		return 0, false, err
	}
	if few {
		kept, err := l.spotsAmong(found)
		return len(kept), false, err
	}
	if len(l.many) > 0 { // mostly all of those that words or bounds find are kept
		if kept, err := l.spotsAmong(l.many[0]); err != nil || len(kept) > mostCounted {
			return mostCounted, true, err
		}
	}
	return l.countUntil(longestWhole, l.parts, func(part int, do func(*recordRow, *record.Record) bool) error { return l.wholeOf(part, l.parts, do) })
}
