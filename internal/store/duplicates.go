package store

import (
	"context"
	"encoding/json"
	"fmt"

	"gorm.io/gorm"

	"codicil/core/match"
	"codicil/core/record"
)

// DuplicateDefinition says by what records of a kind are duplicates, under a name.
type DuplicateDefinition struct {
	Kind, Name string
	By         match.Unique
}

type duplicateDefinition struct {
	Kind       string `gorm:"primaryKey"`
	Name       string `gorm:"primaryKey"`
	Definition string // match.Unique as JSON
}

// DuplicateDefinitions returns those of a kind, by name.
func (s *Store) DuplicateDefinitions(ctx context.Context, kind string) ([]DuplicateDefinition, error) {
	var rows []duplicateDefinition
	if err := s.db.WithContext(ctx).Where("kind = ?", kind).Order("name").Find(&rows).Error; err != nil {
		return nil, err
	}
	found := make([]DuplicateDefinition, len(rows))
	for i, row := range rows {
		found[i] = DuplicateDefinition{Kind: row.Kind, Name: row.Name}
		if err := json.Unmarshal([]byte(row.Definition), &found[i].By); err != nil {
			return nil, fmt.Errorf("definition %s of %s: %w", row.Name, row.Kind, err)
		}
	}
	return found, nil
}

// SaveDuplicateDefinition keeps a definition in place of that of its name.
func (s *Store) SaveDuplicateDefinition(ctx context.Context, d DuplicateDefinition, by record.Stamp) error {
	return s.noted(ctx, by, definitionEntry(d.Kind, d.Name), definitionAt(d.Kind, d.Name), func(tx *Store) error {
		return tx.db.Save(&duplicateDefinition{d.Kind, d.Name, definitionOf(&d.By)}).Error
	})
}

func definitionAt(kind, name string) place {
	return at("duplicate_definitions", "kind = ? AND name = ?", kind, name)
}

func definitionEntry(kind, name string) TrailEntry {
	return TrailEntry{Kind: "duplicate definition", Key: kind + "/" + name}
}

// DeleteDuplicateDefinition removes a definition. The error is ErrNotFound when there is none.
func (s *Store) DeleteDuplicateDefinition(ctx context.Context, kind, name string, by record.Stamp) error {
	return s.noted(ctx, by, definitionEntry(kind, name), definitionAt(kind, name), func(tx *Store) error {
		result := tx.db.Delete(&duplicateDefinition{}, "kind = ? AND name = ?", kind, name)
		if result.Error == nil && result.RowsAffected == 0 {
			return &NotFoundError{"definition", name}
		}
		return result.Error
	})
}

// Difference is what somebody said of two records: that they are different.
type Difference struct {
	Kind          string `gorm:"primaryKey"`
	Number, Other string `gorm:"primaryKey"` // Number is the lower
	Why           string
	Said          record.Stamp `gorm:"embedded;embeddedPrefix:said_"`
}

// TableName is where differences are kept.
func (Difference) TableName() string { return "different_records" }

// DifferenceOf is a difference of two records of a kind, whichever is named first.
func DifferenceOf(kind, a, b string) Difference {
	return Difference{Kind: kind, Number: min(a, b), Other: max(a, b)}
}

func (d *Difference) at() place {
	return at("different_records", "kind = ? AND number = ? AND other = ?", d.Kind, d.Number, d.Other)
}

func (d *Difference) entry() TrailEntry {
	return TrailEntry{What: "said different", Kind: d.Kind, Key: d.Number, Note: "different from " + d.Other + ": " + d.Why}
}

// SaveDifference keeps what was said of two records, in place of what was said before.
func (s *Store) SaveDifference(ctx context.Context, d Difference) error {
	return s.noted(ctx, d.Said, d.entry(), d.at(), func(tx *Store) error { return tx.db.Save(&d).Error })
}

// DeleteDifference takes back what was said of two records. The error is ErrNotFound when nothing was.
func (s *Store) DeleteDifference(ctx context.Context, d Difference, by record.Stamp) error {
	entry := TrailEntry{What: "took different back", Kind: d.Kind, Key: d.Number, Note: "different from " + d.Other}
	return s.noted(ctx, by, entry, d.at(), func(tx *Store) error {
		result := tx.db.Delete(&Difference{}, "kind = ? AND number = ? AND other = ?", d.Kind, d.Number, d.Other)
		if result.Error == nil && result.RowsAffected == 0 {
			return &NotFoundError{"difference", d.Number + " " + d.Other}
		}
		return result.Error
	})
}

// bothIn keeps differences of records that are both in one of some companies; nil: in any.
func bothIn(db *gorm.DB, companies []string) *gorm.DB {
	if companies == nil {
		return db
	}
	for _, column := range []string{"number", "other"} {
		db = db.Where("EXISTS (SELECT 1 FROM records r WHERE r.kind = different_records.kind AND r.number = different_records."+column+" AND r.company IN ?)", companies)
	}
	return db
}

// Differences returns what was said of records of a kind in some companies, nil: in all, by number, from after a pair on.
func (s *Store) Differences(ctx context.Context, kind string, companies []string, after Difference, limit int) (found []Difference, err error) {
	err = bothIn(s.db.WithContext(ctx), companies).Where("kind = ? AND (number, other) > (?, ?)", kind, after.Number, after.Other).Order("number, other").Limit(limit).Find(&found).Error
	return found, err
}

// DifferentFrom returns, of some numbers, those of which somebody said that they are different from a record.
func (s *Store) DifferentFrom(ctx context.Context, kind, number string, among []string) (different map[string]bool, err error) {
	if len(among) == 0 {
		return nil, nil
	}
	text, err := json.Marshal(among)
	if err != nil {
		return nil, err
	}
	var others []string
	err = s.db.WithContext(ctx).Raw("SELECT other FROM different_records WHERE kind = ? AND number = ? AND "+amongst("other")+
		" UNION ALL SELECT number FROM different_records WHERE kind = ? AND other = ? AND "+amongst("number"), kind, number, string(text), kind, number, string(text)).Scan(&others).Error
	different = make(map[string]bool, len(others))
	for _, other := range others {
		different[other] = true
	}
	return different, err
}

// CountDifferences counts what was said of records of a kind.
func (s *Store) CountDifferences(ctx context.Context, kind string, companies []string) (int, error) {
	var count int64
	err := bothIn(s.db.WithContext(ctx).Model(&Difference{}), companies).Where("kind = ?", kind).Count(&count).Error
	return int(count), err
}

// ScannedKey is what a scan for duplicates compares of a record.
type ScannedKey struct {
	Run     int64
	Company string // "": all count
	Key     string
	Beside  string
	Letters int // of the name
	Name    string
	Number  string
}

// AddScannedKeys keeps what a scan compares.
func (s *Store) AddScannedKeys(ctx context.Context, keys []ScannedKey) error {
	values := make([]any, 0, 7*len(keys))
	for _, k := range keys {
		values = append(values, k.Run, k.Company, k.Key, k.Beside, k.Letters, k.Name, k.Number)
	}
	return s.Transaction(ctx, func(tx *Store) error {
		return tx.insert("INSERT INTO scanned_keys (run, company, key, beside, letters, name, number) VALUES ", 7, values)
	})
}

// The orders in which a scan reads what it compares.
const (
	ByKey  = "company, key, number"
	ByName = "company, beside, letters, number"
)

// ScannedKeys goes through what a scan compares, in an order; of names only those that are filled.
func (s *Store) ScannedKeys(ctx context.Context, run int64, order string, each func(k *ScannedKey) error) error {
	query := s.db.WithContext(ctx).Model(&ScannedKey{}).Where("run = ?", run).Order(order)
	if order == ByName {
		query = query.Where("letters > 0")
	}
	rows, err := query.Rows()
	if err != nil {
		return err
	}
	defer func() { _ = rows.Close() }()
	for rows.Next() {
		var k ScannedKey
		if err := rows.Scan(&k.Run, &k.Company, &k.Key, &k.Beside, &k.Letters, &k.Name, &k.Number); err != nil {
			return err
		}
		if err := each(&k); err != nil {
			return err
		}
	}
	return rows.Err()
}

// scannedAtOnce is how many scanned keys are removed in one transaction.
const scannedAtOnce = 20_000

// DropScannedKeys removes what a run compared, and what those did that no longer work.
func (s *Store) DropScannedKeys(ctx context.Context, run int64) error {
	for {
		removed := int64(0)
		err := s.Transaction(ctx, func(tx *Store) error {
			result := tx.db.Exec("DELETE FROM scanned_keys WHERE rowid IN (SELECT k.rowid FROM scanned_keys k LEFT JOIN runs r ON r.id = k.run WHERE k.run = ? OR r.state IS NULL OR r.state NOT IN (?, ?) LIMIT ?)", run, RunWaiting, RunRunning, scannedAtOnce)
			removed = result.RowsAffected
			return result.Error
		})
		if err != nil || removed < scannedAtOnce {
			return err
		}
	}
}
