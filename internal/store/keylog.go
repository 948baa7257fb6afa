package store

import (
	"context"
	"sync"

	"codicil/core/match"
	"codicil/core/record"
)

// keyChange is a key that was filed or taken away.
type keyChange struct {
	set          int64
	company, key string // of the key
	owner        string // the company of the record
	name         match.Name
	beside       string
	near         bool
}

// keyLog remembers which keys changed lately, so that who relies on an answer about keys need not ask again where none of them
// changed.
type keyLog struct {
	mutex   sync.Mutex
	turn    int64 // how many changes were committed since the start
	changes [mostKeyChanges]keyChange
}

const (
	// mostKeyChanges is how many changes are remembered, and mostLookedThrough in how many one looks before it is cheaper to ask.
	mostKeyChanges, mostLookedThrough = 8_192, 2_000
)

// noteKey notes that a key is filed or taken away in the transaction.
func (s *Store) noteKey(set *uniqueSet, u *match.Unique, r *record.Record, key uniqueKey) {
	if s.later == nil {
		return
	}
	c := keyChange{set: set.ID, company: companyOf(u, r.Company), key: key.key, owner: r.Company}
	if u.Near && key.name != "" {
		c.near, c.name, c.beside = true, match.NameOf(key.name), key.beside
	}
	s.later.keys = append(s.later.keys, c)
}

// publishKeys makes known what the transaction changed, once it is committed.
func (s *Store) publishKeys() {
	keys := s.later.keys
	if t, ok := s.db.Statement.ConnPool.(*writing); ok && len(keys) > 0 {
		t.after = append(t.after, func() {
			l := &s.shared.keys
			l.mutex.Lock()
			defer l.mutex.Unlock()
			for _, c := range keys {
				l.changes[l.turn%mostKeyChanges] = c
				l.turn++
			}
		})
	}
}

// KeyTurn says how many changes of keys were committed: an answer that is asked for afterwards knows them.
func (s *Store) KeyTurn() int64 {
	s.shared.keys.mutex.Lock()
	defer s.shared.keys.mutex.Unlock()
	return s.shared.keys.turn
}

// KeysStand tells, within a transaction, that an answer of SameRecords is the same as at a turn: no key that would make it
// another changed since, and none is in the transaction. False means that it may be another.
func (s *Store) KeysStand(ctx context.Context, k *record.Kind, u match.Unique, company, key string, texts []string, turn int64) (bool, error) {
	set, err := s.uniqueSetOf(ctx, k, &u)
	if err != nil || s.later == nil {
		return false, err
	}
	var near *match.Comparer
	beside := ""
	if name := match.Plain(texts[0]); u.Near && name != "" {
		near = match.Comparing(match.NameOf(name))
		beside, _ = u.Ignore.Key(texts[1:])
	}
	touches := func(c *keyChange) bool {
		if c.set != set.ID {
			return false
		}
		if c.company == company && c.key == key {
			return true
		}
		return near != nil && c.near && c.beside == beside && (company == "" || c.owner == company) && near.Like(c.name)
	}
	l := &s.shared.keys
	l.mutex.Lock()
	defer l.mutex.Unlock()
	if l.turn-turn+int64(len(s.later.keys)) > mostLookedThrough {
		return false, nil
	}
	for ; turn < l.turn; turn++ {
		if touches(&l.changes[turn%mostKeyChanges]) {
			return false, nil
		}
	}
	for i := range s.later.keys {
		if touches(&s.later.keys[i]) {
			return false, nil
		}
	}
	return true, nil
}
