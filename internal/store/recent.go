package store

import "sync"

// recent remembers what was committed lately of some sort, so that who relies on an answer need not ask again where nothing that
// would make it another came since.
type recent[T any] struct {
	mutex   sync.Mutex
	turn    int64 // how many were committed since the start
	changes [mostRecent]T
}

// mostRecent is how many are remembered.
const mostRecent = 8_192

// publish makes them known once the transaction is committed.
func (l *recent[T]) publish(tx *Store, changes []T) {
	if t, ok := tx.db.Statement.ConnPool.(*writing); ok && len(changes) > 0 {
		t.after = append(t.after, func() {
			l.mutex.Lock()
			defer l.mutex.Unlock()
			for _, c := range changes {
				l.changes[l.turn%mostRecent] = c
				l.turn++
			}
		})
	}
}

// now is the turn: an answer that is asked for afterwards knows all before it.
func (l *recent[T]) now() int64 {
	l.mutex.Lock()
	defer l.mutex.Unlock()
	return l.turn
}

// none tells that none of those since a turn, and none of pending ones, touches something. False means that one may: more than most
// are not looked through.
func (l *recent[T]) none(turn int64, pending []T, most int, touches func(*T) bool) bool {
	l.mutex.Lock()
	defer l.mutex.Unlock()
	if l.turn-turn+int64(len(pending)) > int64(most) {
		return false
	}
	for ; turn < l.turn; turn++ {
		if touches(&l.changes[turn%mostRecent]) {
			return false
		}
	}
	for i := range pending {
		if touches(&pending[i]) {
			return false
		}
	}
	return true
}
