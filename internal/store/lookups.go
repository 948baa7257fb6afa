package store

import (
	"context"
	"fmt"
	"maps"
	"slices"

	"codicil/core/record"
	"codicil/core/table"
	"codicil/internal/codec"
)

// The kinds of what rules look up.
const (
	standingValue = "standing"
	crosswalk     = "crosswalk"
	numberSeries  = "series"
	codeList      = "list"
)

type lookup struct {
	What       string `gorm:"primaryKey"`
	Key        string `gorm:"primaryKey"`
	Version    int
	Definition string
}

type lookupVersion struct {
	What       string `gorm:"primaryKey"`
	Key        string `gorm:"primaryKey"`
	Version    int    `gorm:"primaryKey"`
	Definition *string
	Book       int64        // the version of the rule book that it made; 0: one before this was kept
	Changed    record.Stamp `gorm:"embedded;embeddedPrefix:changed_"`
	Codicil    int64        // that brought it; 0: one before this was kept
}

// Tables are what rules look up, with the version of each.
type Tables struct {
	table.Set
	// Versions by what and key: "crosswalk/terms".
	Versions map[string]int
}

// VersionOf returns the version of a table: "standing", "crosswalk", "series" or "list"; 0 when it
// is not kept.
func (t *Tables) VersionOf(what, key string) int { return t.Versions[what+"/"+key] }

// Tables returns all that rules look up, each kind by key, as it is shown.
func (s *Store) Tables(ctx context.Context) (*Tables, error) {
	rows, err := s.lookups(ctx)
	if err != nil {
		return nil, err
	}
	return tablesOf(rows)
}

func (s *Store) lookups(ctx context.Context) ([]lookup, error) {
	rows, err := all(s.db.WithContext(ctx).Order("key"), itself[lookup])
	if err != nil || s.view == nil {
		return rows, err
	}
	return s.viewedLookups(ctx, rows)
}

func tablesOf(rows []lookup) (*Tables, error) {
	t := &Tables{Versions: map[string]int{}}
	for _, row := range rows {
		t.Versions[row.What+"/"+row.Key] = row.Version
		var err error
		switch row.What {
		case standingValue:
			t.Standing, err = appended(t.Standing, row.Definition)
		case crosswalk:
			t.Crosswalks, err = appended(t.Crosswalks, row.Definition)
		case numberSeries:
			t.Series, err = appended(t.Series, row.Definition)
		case codeList:
			t.Lists, err = appended(t.Lists, row.Definition)
		}
		if err != nil {
			return nil, fmt.Errorf("%s %s: %w", row.What, row.Key, err)
		}
	}
	return t, nil
}

func appended[T any](list []T, definition string) ([]T, error) {
	var item T
	err := codec.Read([]byte(definition), &item)
	return append(list, item), err
}

// SaveStanding keeps a standing value as the version after the one that was changed; 0 is
// a new one. The error is ErrStale when that is not the last.
func (s *Store) SaveStanding(ctx context.Context, v table.Standing, version int, by record.Stamp) error {
	return s.saveLookup(ctx, standingValue, v.Field.Key, v.Field.Label, version, v, by)
}

// SaveCrosswalk keeps a crosswalk as SaveStanding does.
func (s *Store) SaveCrosswalk(ctx context.Context, c table.Crosswalk, version int, by record.Stamp) error {
	return s.saveLookup(ctx, crosswalk, c.Key, c.Label, version, c, by)
}

// SaveSeries keeps a number series as SaveStanding does. What it counted stays.
func (s *Store) SaveSeries(ctx context.Context, n table.Series, version int, by record.Stamp) error {
	return s.saveLookup(ctx, numberSeries, n.Key, n.Label, version, n, by)
}

// SaveList keeps a list of codes as SaveStanding does.
func (s *Store) SaveList(ctx context.Context, l table.List, version int, by record.Stamp) error {
	return s.saveLookup(ctx, codeList, l.Key, l.Label, version, l, by)
}

func (s *Store) saveLookup(ctx context.Context, what, key, label string, before int, definition any, by record.Stamp) error {
	text, err := written(definition)
	if err != nil {
		return err
	}
	return s.Transaction(ctx, func(tx *Store) error {
		there, err := tx.lookupOf(ctx, what, key)
		switch {
		case err != nil:
			return err
		case before == 0 && there != nil:
			return fmt.Errorf("%s %s: %w", what, key, ErrTaken)
		case before > 0 && (there == nil || there.Version != before):
			return fmt.Errorf("%s %s: %w", what, key, ErrStale)
		}
		next := lookup{what, key, before + 1, *text}
		if before == 0 {
			// One that was removed goes on with its versions.
			if err := tx.db.Model(&lookupVersion{}).Where("what = ? AND key = ?", what, key).Select("COALESCE(MAX(version), 0) + 1").Scan(&next.Version).Error; err != nil {
				return err
			}
		}
		return tx.amend(ctx, Thing{what, key}, label, inForceNow{next.Version, text}, by, func(tx *Store) error { return tx.putLookup(ctx, next, by) })
	})
}

// lookupOf returns what is shown under a key; nil when there is none.
func (s *Store) lookupOf(ctx context.Context, what, key string) (*lookup, error) {
	rows, err := s.lookups(ctx)
	if i := slices.IndexFunc(rows, func(l lookup) bool { return l.What == what && l.Key == key }); i >= 0 {
		return &rows[i], err
	}
	return nil, err
}

// putLookup writes what rules look up, with its version.
func (s *Store) putLookup(ctx context.Context, row lookup, by record.Stamp) error {
	return s.noted(ctx, by, TrailEntry{Kind: row.What, Key: row.Key}, at("lookups", "what = ? AND key = ?", row.What, row.Key), func(tx *Store) error {
		if err := tx.db.Save(&row).Error; err != nil {
			return err
		}
		return tx.addLookupVersion(lookupVersion{What: row.What, Key: row.Key, Version: row.Version, Definition: &row.Definition, Changed: by})
	})
}

func (s *Store) addLookupVersion(v lookupVersion) (err error) {
	if v.Book, err = s.bookNow(); err != nil {
		return err
	}
	v.Codicil = s.later.codicil
	return s.db.Create(&v).Error
}

// DeleteLookup removes what rules looked up: "standing", "crosswalk", "series" or "list".
func (s *Store) DeleteLookup(ctx context.Context, what, key string, by record.Stamp) error {
	return s.Transaction(ctx, func(tx *Store) error {
		there, err := tx.lookupOf(ctx, what, key)
		switch {
		case err != nil:
			return err
		case there == nil:
			return &NotFoundError{what, key}
		}
		return tx.amend(ctx, Thing{what, key}, labelOf(*there), inForceNow{version: there.Version + 1}, by, func(tx *Store) error { return tx.removeLookup(ctx, *there, by) })
	})
}

func (s *Store) removeLookup(ctx context.Context, row lookup, by record.Stamp) error {
	return s.noted(ctx, by, TrailEntry{Kind: row.What, Key: row.Key}, at("lookups", "what = ? AND key = ?", row.What, row.Key), func(tx *Store) error {
		if err := tx.db.Delete(&lookup{}, "what = ? AND key = ?", row.What, row.Key).Error; err != nil {
			return err
		}
		return tx.addLookupVersion(lookupVersion{What: row.What, Key: row.Key, Version: row.Version + 1, Changed: by})
	})
}

// labelOf is what people call what rules look up.
func labelOf(row lookup) string {
	t, err := tablesOf([]lookup{row})
	switch {
	case err != nil:
	case len(t.Standing) > 0:
		return t.Standing[0].Field.Label
	case len(t.Crosswalks) > 0:
		return t.Crosswalks[0].Label
	case len(t.Series) > 0:
		return t.Series[0].Label
	case len(t.Lists) > 0:
		return t.Lists[0].Label
	}
	return row.Key
}

// LastCount returns the last count that was given by one series; 0 when there was none.
func (s *Store) LastCount(ctx context.Context, name string) (last int64, err error) {
	if s.later != nil {
		if last, given := s.later.counts[name]; given {
			return last, nil
		}
	}
	err = s.one(ctx, "SELECT COALESCE((SELECT last FROM series WHERE key = ?), 0)", []any{name}, &last)
	return last, err
}

// Counted returns the last count that was given by series, by the name of the count.
func (s *Store) Counted(ctx context.Context) (map[string]int64, error) {
	var rows []struct {
		Key  string
		Last int64
	}
	if err := s.settle(ctx); err != nil {
		return nil, err
	}
	err := s.db.WithContext(ctx).Table("series").Find(&rows).Error
	counted := make(map[string]int64, len(rows))
	for _, row := range rows {
		counted[row.Key] = row.Last
	}
	return counted, err
}

// Count notes the last count that was given. The error is ErrStale when before was no
// longer the last.
func (s *Store) Count(ctx context.Context, name string, before, last int64) error {
	return s.Transaction(ctx, func(tx *Store) error {
		now, err := tx.LastCount(ctx, name)
		if err != nil {
			return err
		}
		if now != before {
			return fmt.Errorf("series %s: %w", name, ErrStale)
		}
		// A part of the transaction that fails goes back to the counts that were when it began.
		counts := maps.Clone(tx.later.counts)
		if counts == nil {
			counts = map[string]int64{}
		}
		counts[name] = last
		tx.later.counts = counts
		return nil
	})
}
