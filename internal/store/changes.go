package store

import (
	"cmp"
	"context"
	"slices"
	"strconv"
	"time"

	"gorm.io/gorm"

	"codicil/core/record"
)

// Written is one version of a rule, a proof or a table: that it was written, by whom and why.
type Written struct {
	What    string // "rule", "proof", or the sort of table as in Tables.Versions
	Key     string // number or key
	Name    string // "" for a table
	Version int
	// Deed is the state that a rule came to, or what was done to a proof; "" for a table, and
	// "gone" where it was removed.
	Deed, Why string
	By        record.Stamp
}

// WrittenSince returns what was written from an instant on by others than a person, newest first and
// each thing once.
// Cost: the versions since then.
func (s *Store) WrittenSince(ctx context.Context, since time.Time, except string, most int) ([]Written, error) {
	others := func() *gorm.DB {
		return s.db.WithContext(ctx).Where("changed_person <> ?", except).Order("changed_at DESC, version DESC").Limit(most)
	}
	rules, err := all(others().Omit("body").Where("changed_at >= ?", Instant(since)), func(v ruleVersion) Written {
		return Written{"rule", strconv.FormatInt(v.RuleID, 10), v.Name, v.Version, string(v.State), v.Reason, v.Changed}
	})
	if err != nil {
		return nil, err
	}
	proofs, err := all(others().Omit("given", "expect", "rules").Where("changed_at >= ?", Instant(since)), func(v proofVersion) Written {
		return Written{"proof", strconv.FormatInt(v.ProofID, 10), v.Name, v.Version, v.What, v.Why, v.Changed}
	})
	if err != nil {
		return nil, err
	}
	tables, err := all(others().Where("changed_at >= ?", Instant(since)), func(v lookupVersion) Written {
		w := Written{What: v.What, Key: v.Key, Version: v.Version, By: v.Changed}
		if v.Definition == nil {
			w.Deed = "gone"
		}
		return w
	})
	list := slices.Concat(rules, proofs, tables)
	slices.SortStableFunc(list, func(a, b Written) int { return cmp.Compare(b.By.At, a.By.At) })
	// Of one thing the last version tells what it has come to.
	seen := map[[2]string]bool{}
	list = slices.DeleteFunc(list, func(w Written) bool {
		at := [2]string{w.What, w.Key}
		again := seen[at]
		seen[at] = true
		return again
	})
	return list[:min(len(list), most)], err
}
