package store

import (
	"codicil/core/field"
	"codicil/core/record"
	"context"
)

type ruleBook struct {
	ID      int `gorm:"primaryKey"`
	Version int64
	Seed    string
}

func (ruleBook) TableName() string { return "rule_book" }

// BookVersion returns the version of the rule book: one number that grows with every change of
// rules, tables, fields, layouts, companies, types, kinds and maps. Triggers count it, so that
// no writer can forget to. seed is for the random parts of numbers.
func (s *Store) BookVersion(ctx context.Context) (version int64, seed string, err error) {
	var b ruleBook
	err = s.db.WithContext(ctx).First(&b, 1).Error
	return b.Version, b.Seed, err
}

// bookNow is the version of the rule book within this transaction.
func (s *Store) bookNow() (version int64, err error) {
	err = s.db.Raw("SELECT version FROM rule_book").Scan(&version).Error
	return version, err
}

// preference is what a person chose for themselves, by the person's ID.
type preference struct {
	Person     string       `gorm:"primaryKey"`
	Format     field.Format `gorm:"serializer:kept"`
	ChangedAt  string
	ChangedVia string
}

// PreferredFormat returns the format that a person chose; nil when they chose none.
func (s *Store) PreferredFormat(ctx context.Context, person string) (*field.Format, error) {
	rows, err := all(s.db.WithContext(ctx).Where("person = ?", person), func(p preference) *field.Format { return &p.Format })
	if err != nil || len(rows) == 0 {
		return nil, err
	}
	return rows[0], nil
}

// SavePreferredFormat keeps the format that the person chose; nil forgets it.
func (s *Store) SavePreferredFormat(ctx context.Context, f *field.Format, by record.Stamp) error {
	return s.noted(ctx, by, TrailEntry{Kind: "preference", Key: by.Person}, at("preferences", "person = ?", by.Person), func(tx *Store) error {
		if f == nil {
			return tx.db.Delete(&preference{}, "person = ?", by.Person).Error
		}
		return tx.db.Save(&preference{by.Person, *f, by.At, by.Via}).Error
	})
}
