package store

import (
	"context"
	"hash/fnv"
	"strconv"
	"sync/atomic"
	"time"

	"codicil/core/match"
)

// keyFilter remembers which keys are kept in a set, so that the database is not asked for those that are nowhere. It may say yes of a
// key that is not there, never no of one that is. Its size is fixed, whatever the number of keys.
type keyFilter [keyWords]atomic.Uint64

// keyWords is its size in words of 64 bits: 1 MB, in which a million keys leave few wrong answers.
const keyWords = 1 << 17

// spots are the two bits of a key, given as a hash.
func (f *keyFilter) spots(key int64) [2]uint64 {
	h := uint64(key)
	return [2]uint64{h % (keyWords * 64), (h >> 32) * 0x9e3779b97f4a7c15 % (keyWords * 64)}
}

func (f *keyFilter) add(key int64) {
	for _, spot := range f.spots(key) {
		f[spot/64].Or(1 << (spot % 64))
	}
}

func (f *keyFilter) has(key int64) bool {
	for _, spot := range f.spots(key) {
		if f[spot/64].Load()&(1<<(spot%64)) == 0 {
			return false
		}
	}
	return true
}

// held is what is kept in memory of a set of unique keys.
type held struct {
	ready atomic.Bool // all that was there before it is in it
	keys  keyFilter
	// names are those that must not be almost equal; nil where there are none, or more than may be held: then the database is asked about all.
	names atomic.Pointer[match.Names]
	// begun is how many marks of names there were when it was made.
	begun int
}

// namesHeld are the names of a set that are held; nil where they are not.
func (h *held) namesHeld() *match.Names {
	if h == nil {
		return nil
	}
	return h.names.Load()
}

// DefaultHeldNames is about how many bytes of names are held in memory, unless LimitNames says how many.
const DefaultHeldNames = 48 << 20

// LimitNames sets about how many bytes of names that must not be almost equal are held in memory, for each rule. Where there
// are more, looking for one takes longer.
func (s *Store) LimitNames(bytes int) { s.shared.mostMarks.Store(int64(bytes / match.MarkSize)) }

// heldSoon is how long somebody waits for what is held to be made: where it takes longer the database is asked.
const heldSoon = 30 * time.Millisecond

// heldOf returns what is held of a set; nil where it is not ready: then the database is asked. It is made once, from all that is kept,
// beside those that ask for it.
func (s *Store) heldOf(ctx context.Context, set *uniqueSet, near bool) (*held, error) {
	if known, there := s.shared.held.Load(set.ID); there {
		if h := known.(*held); h.ready.Load() {
			return h, nil
		}
	}
	if s.within {
		return nil, nil
	}
	of := *set
	made := s.shared.holding.DoChan(strconv.FormatInt(set.ID, 10), func() (any, error) { return nil, s.hold(&of, near) }) //nolint:contextcheck // it is not one caller's
	soon := time.NewTimer(heldSoon)
	defer soon.Stop()
	select {
	case <-soon.C:
		return nil, nil
	case <-ctx.Done():
		return nil, ctx.Err()
	case m := <-made:
		known, there := s.shared.held.Load(set.ID)
		if m.Err != nil || !there {
			return nil, m.Err
		}
		return known.(*held), nil
	}
}

// hold makes what is held of a set, unless it is there. It ends when the store is closed.
func (s *Store) hold(set *uniqueSet, near bool) error {
	ctx, done := s.shared.beside.begin()
	defer done()
	s.shared.making.Lock()
	defer s.shared.making.Unlock()
	fresh := &held{}
	if near {
		fresh.names.Store(match.NewNames())
	}
	known, _ := s.shared.held.LoadOrStore(set.ID, fresh)
	h := known.(*held)
	if h.ready.Load() {
		return nil
	}
	// From here on what is written is put into it. What is being written that began before is waited for.
	if err := s.Transaction(ctx, func(*Store) error { return nil }); err != nil {
		return err
	}
	var company, key string
	if err := s.eachRow(ctx, "SELECT company, key FROM unique_keys WHERE unique_set = ?", []any{set.ID}, []any{&company, &key}, func() bool {
		h.keys.add(keyMark(company, key))
		return true
	}); err != nil {
		return err
	}
	if near {
		if err := s.holdNames(ctx, set, h); err != nil {
			return err
		}
	}
	h.ready.Store(true)
	return nil
}

// holdNames reads the names of a set. Cost: all of them; where there are too many, as many as may be held.
func (s *Store) holdNames(ctx context.Context, set *uniqueSet, h *held) error {
	names := h.names.Load()
	if names == nil { // too many came meanwhile
		return nil
	}
	var mark, id int64
	var name string
	places := map[int64][]int32{} // of the names of a record
	err := s.eachRow(ctx, "SELECT mark, record, name FROM unique_names WHERE unique_set = ?", []any{set.ID}, []any{&mark, &id, &name}, func() bool {
		places[id] = names.AddMark(name, id, mark, places[id])
		return names.Marks() <= s.mostMarks()
	})
	h.begun = names.Marks()
	if h.begun > s.mostMarks() {
		h.names.Store(nil)
	}
	return err
}

func (s *Store) mostMarks() int { return int(s.shared.mostMarks.Load()) }

// eachRow reads the rows of a query into values, and calls do for each until it says that it is enough.
func (s *Store) eachRow(ctx context.Context, query string, values []any, into []any, do func() bool) error {
	rows, err := s.db.WithContext(ctx).Raw(query, values...).Rows()
	if err != nil {
		return err
	}
	defer func() { _ = rows.Close() }()
	for rows.Next() {
		if err := rows.Scan(into...); err != nil {
			return err
		}
		if !do() {
			return nil
		}
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
	h, err := s.heldOf(ctx, set, near)
	return err != nil || h == nil || h.keys.has(keyMark(company, key)), err
}

// holdKey puts a key that is written, and its name, into what is held of the set, where it is held.
func (s *Store) holdKey(set, id int64, company string, key uniqueKey, marks []int64) {
	known, there := s.shared.held.Load(set)
	if !there {
		return
	}
	h := known.(*held)
	h.keys.add(keyMark(company, key.key))
	names := h.names.Load()
	if names == nil || len(marks) == 0 {
		return
	}
	names.Add(key.name, id, marks)
	if names.Marks() <= s.mostMarks() {
		return
	}
	// Names that stand no longer are held as well. Where they are the most, it is made anew by who asks next.
	if h.ready.Load() && h.begun < s.mostMarks()/2 {
		s.shared.held.Delete(set)
	}
	h.names.Store(nil)
}
