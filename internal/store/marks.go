package store

import (
	"context"
	"sync/atomic"
)

// markFilter remembers which marks of names are kept in a set, so that a search for names that are almost equal asks
// the database for those few of its hundreds of marks that are there. It may say yes of a mark that is not there, never no of
// one that is. Its size is fixed, whatever the number of names.
type markFilter struct {
	ready atomic.Bool // all that was there before it is in it
	bits  [filterWords]atomic.Uint64
}

// filterWords is the size of a filter in words of 64 bits: 4 MB, in which a million names leave few wrong answers.
const filterWords = 1 << 19

// spots are the two bits of a mark, which is a hash already.
func spots(mark int64) [2]uint64 {
	h := uint64(mark)
	return [2]uint64{h % (filterWords * 64), (h >> 32) * 0x9e3779b97f4a7c15 % (filterWords * 64)}
}

func (f *markFilter) add(mark int64) {
	for _, spot := range spots(mark) {
		f.bits[spot/64].Or(1 << (spot % 64))
	}
}

func (f *markFilter) has(mark int64) bool {
	for _, spot := range spots(mark) {
		if f.bits[spot/64].Load()&(1<<(spot%64)) == 0 {
			return false
		}
	}
	return true
}

// filterOf returns the filter of a set; nil where it is not ready and cannot be made now. It is made once, from all
// marks that are kept.
func (s *Store) filterOf(ctx context.Context, set int64) (*markFilter, error) {
	if known, there := s.shared.filters.Load(set); there {
		if f := known.(*markFilter); f.ready.Load() {
			return f, nil
		}
	}
	if s.within {
		return nil, nil
	}
	s.shared.making.Lock()
	defer s.shared.making.Unlock()
	known, _ := s.shared.filters.LoadOrStore(set, &markFilter{})
	f := known.(*markFilter)
	if f.ready.Load() {
		return f, nil
	}
	// From here on what is written is put into it. What is being written that began before is waited for.
	if err := s.Transaction(ctx, func(*Store) error { return nil }); err != nil {
		return nil, err
	}
	rows, err := s.db.WithContext(ctx).Raw("SELECT DISTINCT mark FROM unique_names WHERE unique_set = ?", set).Rows()
	if err != nil {
		return nil, err
	}
	defer func() { _ = rows.Close() }()
	for rows.Next() {
		var mark int64
		if err := rows.Scan(&mark); err != nil {
			return nil, err
		}
		f.add(mark)
	}
	if err := rows.Err(); err != nil {
		return nil, err
	}
	f.ready.Store(true)
	return f, nil
}

// noteMarks puts marks that are written into the filter of their set, where there is one.
func (s *Store) noteMarks(set int64, marks []int64) {
	if known, there := s.shared.filters.Load(set); there {
		for _, mark := range marks {
			known.(*markFilter).add(mark)
		}
	}
}
