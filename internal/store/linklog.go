package store

import (
	"slices"
	"sync"

	"codicil/core/record"
)

// linkLog remembers which records were newly named lately, so that who relies on knowing all that name a record is told of others.
type linkLog struct {
	mutex   sync.Mutex
	turn    int64 // how many links were committed since the start
	changes [mostLinkChanges]record.Ref
}

// mostLinkChanges is how many links are remembered.
const mostLinkChanges = 8_192

// noteLinks notes what a record names that it did not name before.
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

// publishLinks makes known what the transaction named newly, once it is committed.
func (s *Store) publishLinks() {
	links := s.later.links
	if t, ok := s.db.Statement.ConnPool.(*writing); ok && len(links) > 0 {
		t.after = append(t.after, func() {
			l := &s.shared.links
			l.mutex.Lock()
			defer l.mutex.Unlock()
			for _, to := range links {
				l.changes[l.turn%mostLinkChanges] = to
				l.turn++
			}
		})
	}
}

// LinkTurn says how many links were committed: who looks afterwards for what names a record, finds these.
func (s *Store) LinkTurn() int64 {
	s.shared.links.mutex.Lock()
	defer s.shared.links.mutex.Unlock()
	return s.shared.links.turn
}

// LinksStand tells, within a transaction, that none of some records was newly named since a turn, nor is in the transaction. False
// means that one may be. Cost: the links since.
func (s *Store) LinksStand(to map[record.Ref]bool, turn int64) bool {
	if s.later == nil || slices.ContainsFunc(s.later.links, func(at record.Ref) bool { return to[at] }) {
		return false
	}
	l := &s.shared.links
	l.mutex.Lock()
	defer l.mutex.Unlock()
	if l.turn-turn > mostLinkChanges {
		return false
	}
	for ; turn < l.turn; turn++ {
		if to[l.changes[turn%mostLinkChanges]] {
			return false
		}
	}
	return true
}
