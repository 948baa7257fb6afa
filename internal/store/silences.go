package store

import (
	"context"

	"gorm.io/gorm/clause"

	"codicil/core/record"
)

type silence struct {
	Key    string `gorm:"primaryKey"`
	Reason string
	Stamp  record.Stamp `gorm:"embedded"`
}

// Silence is a finding that a person has left as it is.
type Silence struct {
	Key    string // of finding.Finding
	Reason string
	By     record.Stamp
}

// Silences returns the findings that are left as they are, by key.
func (s *Store) Silences(ctx context.Context) (map[string]Silence, error) {
	rows, err := all(s.db.WithContext(ctx).Order("at, key"), func(r silence) Silence { return Silence{r.Key, r.Reason, r.Stamp} })
	if err != nil {
		return nil, err
	}
	silences := make(map[string]Silence, len(rows))
	for _, r := range rows {
		silences[r.Key] = r
	}
	return silences, nil
}

// SaveSilence leaves a finding as it is, or changes the reason.
func (s *Store) SaveSilence(ctx context.Context, key, reason string, by record.Stamp) error {
	row := silence{key, reason, by}
	return s.noted(ctx, by, TrailEntry{Kind: "finding left", Key: key, Note: reason}, at("silences", "key = ?", key), func(tx *Store) error {
		return tx.db.Clauses(clause.OnConflict{UpdateAll: true}).Create(&row).Error
	})
}

// DeleteSilence takes one back; it is no error when it is not there.
func (s *Store) DeleteSilence(ctx context.Context, key string, by record.Stamp) error {
	return s.noted(ctx, by, TrailEntry{Kind: "finding left", Key: key}, at("silences", "key = ?", key), func(tx *Store) error {
		return tx.db.Where("key = ?", key).Delete(&silence{}).Error
	})
}
