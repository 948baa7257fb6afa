package store

import (
	"slices"

	"codicil/core/record"
)

// noteLinks notes what a record names that it did not name before, so that who relies on knowing all that name a record is told.
func (s *Store) noteLinks(before, after []record.Ref) {
	if s.later == nil {
		return
	}
	for _, to := range after {
		if !slices.Contains(before, to) {
			s.later.links = append(s.later.links, to)
		}
	}
}

// LinkTurn says how many links were committed: who looks afterwards for what names a record, finds these.
func (s *Store) LinkTurn() int64 { return s.shared.links.now() }

// LinksStand tells, within a transaction, that none of some records was newly named since a turn, nor is in the transaction. False
// means that one may be. Cost: the links since.
func (s *Store) LinksStand(to map[record.Ref]bool, turn int64) bool {
	return s.later != nil && s.shared.links.none(turn, s.later.links, mostRecent, func(at *record.Ref) bool { return to[*at] })
}
