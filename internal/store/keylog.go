package store

import (
	"context"

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

// mostLookedThrough is in how many changes of keys one looks before it is cheaper to ask.
const mostLookedThrough = 2_000

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

// KeyTurn says how many changes of keys were committed: an answer that is asked for afterwards knows them.
func (s *Store) KeyTurn() int64 { return s.shared.keys.now() }

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
	return s.shared.keys.none(turn, s.later.keys, mostLookedThrough, touches), nil
}
