package cache

import (
	"context"
	"errors"
	"slices"
	"sync"

	"github.com/maypok86/otter/v2"

	"codicil/core/record"
	"codicil/internal/store"
)

// Records keeps saved records that were read lately. What it returns is not to be changed.
type Records struct {
	store *store.Store
	kept  *otter.Cache[record.Ref, *record.Record]

	mutex sync.Mutex
	// turn counts the writes: what was read before one is not kept after it.
	turn int
}

func newRecords(s *store.Store, most int) *Records {
	return &Records{store: s, kept: otter.Must(&otter.Options[record.Ref, *record.Record]{
		MaximumWeight: uint64(most), Weigher: func(_ record.Ref, r *record.Record) uint32 { return uint32(weight(r)) },
	})}
}

// Limit sets about how many bytes of records are kept.
func (s *Records) Limit(most int) { s.kept.SetMaximum(uint64(max(most, 0))) }

// weight is about how many bytes a record takes in memory.
func weight(r *record.Record) int {
	const perEntry, perLine = 120, 300
	n := 500 + perEntry*(len(r.Values)+len(r.Origins)) + 200*len(r.Reasons)
	for i := range r.Lines {
		n += perLine + perEntry*(len(r.Lines[i].Values)+len(r.Lines[i].Origins))
	}
	return n
}

// Find returns a record; nil when there is none.
func (s *Records) Find(ctx context.Context, at record.Ref) (*record.Record, error) {
	if r, known := s.kept.GetIfPresent(at); known {
		return r, nil
	}
	s.mutex.Lock()
	turn := s.turn
	s.mutex.Unlock()
	r, err := s.store.Record(ctx, at.Kind, at.Number)
	if errors.Is(err, store.ErrNotFound) {
		return nil, nil
	}
	if err != nil {
		return nil, err
	}
	s.mutex.Lock()
	defer s.mutex.Unlock()
	if s.turn == turn {
		s.kept.Set(at, &r)
	}
	return &r, nil
}

// Read reads some records of a kind at once, so that each is there when it is looked for. What others save meanwhile is read when it
// is looked for. Cost: one question for those that are not there.
func (s *Records) Read(ctx context.Context, kind string, numbers []string) error {
	numbers = slices.DeleteFunc(slices.Clone(numbers), func(number string) bool {
		_, known := s.kept.GetIfPresent(record.Ref{Kind: kind, Number: number})
		return known
	})
	if len(numbers) == 0 {
		return nil
	}
	s.mutex.Lock()
	turn := s.turn
	s.mutex.Unlock()
	found, err := s.store.RecordsNumbered(ctx, kind, numbers)
	if err != nil {
		return err
	}
	s.mutex.Lock()
	defer s.mutex.Unlock()
	if s.turn == turn {
		for i := range found {
			s.kept.Set(found[i].Ref, &found[i])
		}
	}
	return nil
}

// Put takes in records that were saved. It is called at the head of the line, so that of two saved at once the
// later stays.
func (s *Records) Put(records ...record.Record) {
	s.mutex.Lock()
	defer s.mutex.Unlock()
	s.turn++
	for i := range records {
		s.kept.Set(records[i].Ref, &records[i])
	}
}

// Remove forgets a record that was deleted. It is called at the head of the line.
func (s *Records) Remove(r record.Record) {
	s.mutex.Lock()
	defer s.mutex.Unlock()
	s.turn++
	s.kept.Invalidate(r.Ref)
}

// Clear forgets all records: many were changed, or nobody knows which.
func (s *Records) Clear() {
	s.mutex.Lock()
	defer s.mutex.Unlock()
	s.turn++
	s.kept.InvalidateAll()
}
