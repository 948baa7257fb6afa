package store

import (
	"context"
	"hash/fnv"
	"sync/atomic"
)

// markFilter remembers which keys and which marks of names are kept in a set, so that a search for names that are almost equal asks
// the database for those few of its hundreds of marks that are there. It may say yes of a mark that is not there, never no of
// one that is. Its size is fixed, whatever the number of names.
type markFilter struct {
	ready atomic.Bool // all that was there before it is in it
	bits  []atomic.Uint64
}

// keyWords and nameWords are the sizes of filters in words of 64 bits: of keys 1 MB, of names, which have many marks each, 4 MB.
// In them a million leave few wrong answers.
const keyWords, nameWords = 1 << 17, 1 << 19

func newMarkFilter(near bool) *markFilter {
	if near {
		return &markFilter{bits: make([]atomic.Uint64, nameWords)}
	}
	return &markFilter{bits: make([]atomic.Uint64, keyWords)}
}

// spots are the two bits of a mark, which is a hash already.
func (f *markFilter) spots(mark int64) [2]uint64 {
	h, size := uint64(mark), uint64(len(f.bits)*64)
	return [2]uint64{h % size, (h >> 32) * 0x9e3779b97f4a7c15 % size}
}

func (f *markFilter) add(mark int64) {
	for _, spot := range f.spots(mark) {
		f.bits[spot/64].Or(1 << (spot % 64))
	}
}

func (f *markFilter) has(mark int64) bool {
	for _, spot := range f.spots(mark) {
		if f.bits[spot/64].Load()&(1<<(spot%64)) == 0 {
			return false
		}
	}
	return true
}

// filterOf returns the filter of a set; nil where it is not ready and cannot be made now. It is made once, from all
// marks that are kept.
func (s *Store) filterOf(ctx context.Context, set *uniqueSet, near bool) (*markFilter, error) {
	if known, there := s.shared.filters.Load(set.ID); there {
		if f := known.(*markFilter); f.ready.Load() {
			return f, nil
		}
	}
	if s.within {
		return nil, nil
	}
	s.shared.making.Lock()
	defer s.shared.making.Unlock()
	known, _ := s.shared.filters.LoadOrStore(set.ID, newMarkFilter(near))
	f := known.(*markFilter)
	if f.ready.Load() {
		return f, nil
	}
	// From here on what is written is put into it. What is being written that began before is waited for.
	if err := s.Transaction(ctx, func(*Store) error { return nil }); err != nil {
		return nil, err
	}
	var mark int64
	if err := s.eachRow(ctx, "SELECT DISTINCT mark FROM unique_names WHERE unique_set = ?", set.ID, []any{&mark}, func() { f.add(mark) }); err != nil {
		return nil, err
	}
	var company, key string
	if err := s.eachRow(ctx, "SELECT company, key FROM unique_keys WHERE unique_set = ?", set.ID, []any{&company, &key}, func() { f.add(keyMark(company, key)) }); err != nil {
		return nil, err
	}
	f.ready.Store(true)
	return f, nil
}

// eachRow reads the rows of a set into values, and calls do for each.
func (s *Store) eachRow(ctx context.Context, query string, set int64, into []any, do func()) error {
	rows, err := s.db.WithContext(ctx).Raw(query, set).Rows()
	if err != nil {
		return err
	}
	defer func() { _ = rows.Close() }()
	for rows.Next() {
		if err := rows.Scan(into...); err != nil {
			return err
		}
		do()
	}
	return rows.Err()
}

// keyMark is a hash of a key.
func keyMark(company, key string) int64 {
	h := fnv.New64a()
	_, _ = h.Write([]byte(company + "\x00" + key)) // it cannot fail
	return int64(h.Sum64())
}

// mayHaveKey tells whether a set may have a key; false is certain.
func (s *Store) mayHaveKey(ctx context.Context, set *uniqueSet, near bool, company, key string) (bool, error) {
	f, err := s.filterOf(ctx, set, near)
	return err != nil || f == nil || f.has(keyMark(company, key)), err
}

// noteMarks puts marks that are written into the filter of their set, where there is one.
func (s *Store) noteMarks(set int64, marks []int64) {
	if known, there := s.shared.filters.Load(set); there {
		for _, mark := range marks {
			known.(*markFilter).add(mark)
		}
	}
}
