package store

import (
	"codicil/core/field"
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

type preference struct {
	Person string       `gorm:"primaryKey"`
	Format field.Format `gorm:"serializer:json"`
}

// PreferredFormat returns the format that a person chose; nil when they chose none.
func (s *Store) PreferredFormat(ctx context.Context, person string) (*field.Format, error) {
	rows, err := all(s.db.WithContext(ctx).Where("person = ?", person), func(p preference) *field.Format { return &p.Format })
	if err != nil || len(rows) == 0 {
		return nil, err
	}
	return rows[0], nil
}

// SavePreferredFormat keeps the format that a person chose; nil forgets it.
func (s *Store) SavePreferredFormat(ctx context.Context, person string, f *field.Format) error {
	if f == nil {
		return s.db.WithContext(ctx).Delete(&preference{}, "person = ?", person).Error
	}
	return s.db.WithContext(ctx).Save(&preference{person, *f}).Error
}
