package store

import (
	"context"
	"fmt"
	"maps"

	"codicil/core/record"
	"codicil/core/table"
	"codicil/internal/codec"
)

// The kinds of what rules look up.
const (
	standingValue = "standing"
	crosswalk     = "crosswalk"
	numberSeries  = "series"
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
}

// Tables are what rules look up, with the version of each.
type Tables struct {
	table.Set
	// Versions by what and key: "crosswalk/terms".
	Versions map[string]int
}

// VersionOf returns the version of a table: "standing", "crosswalk" or "series"; 0 when it
// is not kept.
func (t *Tables) VersionOf(what, key string) int { return t.Versions[what+"/"+key] }

// Tables returns all that rules look up, each kind by key.
func (s *Store) Tables(ctx context.Context) (*Tables, error) {
	var rows []lookup
	if err := s.db.WithContext(ctx).Order("key").Find(&rows).Error; err != nil {
		return nil, err
	}
	return tablesOf(rows)
}

// TablesAt returns what rules looked up at a version of the rule book.
func (s *Store) TablesAt(ctx context.Context, book int64) (*Tables, error) {
	versions, err := all(s.db.WithContext(ctx).Where("book <= ?", book).Order("key, what, version"), func(v lookupVersion) lookupVersion { return v })
	if err != nil {
		return nil, err
	}
	var rows []lookup
	for i, v := range versions {
		last := i+1 == len(versions) || versions[i+1].What != v.What || versions[i+1].Key != v.Key
		if last && v.Definition != nil {
			rows = append(rows, lookup{What: v.What, Key: v.Key, Version: v.Version, Definition: *v.Definition})
		}
	}
	return tablesOf(rows)
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
	return s.saveLookup(ctx, standingValue, v.Field.Key, version, v, by)
}

// SaveCrosswalk keeps a crosswalk as SaveStanding does.
func (s *Store) SaveCrosswalk(ctx context.Context, c table.Crosswalk, version int, by record.Stamp) error {
	return s.saveLookup(ctx, crosswalk, c.Key, version, c, by)
}

// SaveSeries keeps a number series as SaveStanding does. What it counted stays.
func (s *Store) SaveSeries(ctx context.Context, n table.Series, version int, by record.Stamp) error {
	return s.saveLookup(ctx, numberSeries, n.Key, version, n, by)
}

func (s *Store) saveLookup(ctx context.Context, what, key string, before int, definition any, by record.Stamp) error {
	text, err := codec.Write(definition)
	if err != nil {
		return err
	}
	return s.noted(ctx, by, TrailEntry{Kind: what, Key: key}, at("lookups", "what = ? AND key = ?", what, key), func(tx *Store) error {
		row := lookup{what, key, before + 1, string(text)}
		if before == 0 {
			// One that was removed goes on with its versions.
			var there int64
			if err := tx.db.Model(&lookup{}).Where("what = ? AND key = ?", what, key).Count(&there).Error; err != nil {
				return err
			}
			if there > 0 {
				return fmt.Errorf("%s %s: %w", what, key, ErrTaken)
			}
			if err := tx.db.Model(&lookupVersion{}).Where("what = ? AND key = ?", what, key).Select("COALESCE(MAX(version), 0) + 1").Scan(&row.Version).Error; err != nil {
				return err
			}
		}
		result := tx.db.Model(&lookup{}).Where("what = ? AND key = ? AND version = ?", what, key, before).Select("*").Updates(&row)
		if before == 0 {
			result = tx.db.Create(&row)
		}
		if result.Error != nil {
			return result.Error
		}
		if result.RowsAffected == 0 {
			return fmt.Errorf("%s %s: %w", what, key, ErrStale)
		}
		return tx.addLookupVersion(lookupVersion{What: what, Key: key, Version: row.Version, Definition: &row.Definition, Changed: by})
	})
}

func (s *Store) addLookupVersion(v lookupVersion) (err error) {
	if v.Book, err = s.bookNow(); err != nil {
		return err
	}
	return s.db.Create(&v).Error
}

// DeleteLookup removes what rules looked up: "standing", "crosswalk" or "series".
func (s *Store) DeleteLookup(ctx context.Context, what, key string, by record.Stamp) error {
	return s.noted(ctx, by, TrailEntry{Kind: what, Key: key}, at("lookups", "what = ? AND key = ?", what, key), func(tx *Store) error {
		var row lookup
		if err := tx.db.First(&row, "what = ? AND key = ?", what, key).Error; err != nil {
			return found(err, what, key)
		}
		if err := tx.db.Delete(&row).Error; err != nil {
			return err
		}
		return tx.addLookupVersion(lookupVersion{What: what, Key: key, Version: row.Version + 1, Changed: by})
	})
}

// LastCount returns the last count that was given by one series; 0 when there was none.
func (s *Store) LastCount(ctx context.Context, name string) (last int64, err error) {
	if s.later != nil {
		if last, given := s.later.counts[name]; given {
			return last, nil
		}
	}
	err = s.db.WithContext(ctx).Raw("SELECT COALESCE((SELECT last FROM series WHERE key = ?), 0)", name).Scan(&last).Error
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
