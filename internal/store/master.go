package store

import (
	"context"

	"gorm.io/gorm/clause"

	"codicil/core/record"
)

type company struct {
	Key                               string `gorm:"primaryKey"`
	Name, Country, Currency, Rounding string
}

type kind struct {
	Key                      string `gorm:"primaryKey"`
	Label, Plural, TypeLabel string
	Sections                 []record.Section `gorm:"serializer:json"`
}

type field struct {
	Kind       string `gorm:"primaryKey"`
	Key        string `gorm:"primaryKey"`
	Position   int
	Definition record.Field `gorm:"serializer:json"`
}

type kindType struct {
	Kind      string `gorm:"primaryKey"`
	Key       string `gorm:"primaryKey"`
	Label     string
	Companies []string `gorm:"serializer:json"`
	Position  int
}

func (kindType) TableName() string { return "types" }

// Record is a saved record.
type Record struct {
	Kind    string `gorm:"primaryKey"`
	Number  string `gorm:"primaryKey"`
	Company string
	Type    string
	Values  map[string]string `gorm:"column:field_values;serializer:json"` // by field, in stored form
}

// Companies returns the companies by key.
func (s *Store) Companies(ctx context.Context) ([]record.Company, error) {
	return all(s.db.WithContext(ctx).Order("key"), func(c company) record.Company { return record.Company(c) })
}

// SaveCompany adds or replaces a company.
func (s *Store) SaveCompany(ctx context.Context, c record.Company) error {
	row := company(c)
	return s.db.WithContext(ctx).Save(&row).Error
}

// Kinds returns the kinds with their fields.
func (s *Store) Kinds(ctx context.Context) ([]record.Kind, error) {
	kinds, err := all(s.db.WithContext(ctx).Order("rowid"), func(k kind) record.Kind {
		return record.Kind{Key: k.Key, Label: k.Label, Plural: k.Plural, TypeLabel: k.TypeLabel, Sections: k.Sections}
	})
	if err != nil {
		return nil, err
	}
	for i := range kinds {
		query := s.db.WithContext(ctx).Where("kind = ?", kinds[i].Key).Order("position")
		if kinds[i].Fields, err = all(query, func(f field) record.Field { return f.Definition }); err != nil {
			return nil, err
		}
	}
	return kinds, nil
}

// SaveKind adds a kind or replaces it and its fields.
func (s *Store) SaveKind(ctx context.Context, k record.Kind) error {
	return s.Transaction(ctx, func(tx *Store) error {
		row := kind{k.Key, k.Label, k.Plural, k.TypeLabel, append([]record.Section{}, k.Sections...)}
		if err := tx.db.Save(&row).Error; err != nil {
			return err
		}
		if err := tx.db.Where("kind = ?", k.Key).Delete(&field{}).Error; err != nil {
			return err
		}
		for i, f := range k.Fields {
			if err := tx.db.Create(&field{k.Key, f.Key, i, f}).Error; err != nil {
				return err
			}
		}
		return nil
	})
}

// Types returns the types of a kind, in their order.
func (s *Store) Types(ctx context.Context, kind string) ([]record.Type, error) {
	return all(s.db.WithContext(ctx).Where("kind = ?", kind).Order("position"), func(t kindType) record.Type {
		return record.Type{Kind: t.Kind, Key: t.Key, Label: t.Label, Companies: t.Companies}
	})
}

// SaveType adds or replaces a type, at a place among the types of its kind.
func (s *Store) SaveType(ctx context.Context, t record.Type, position int) error {
	row := kindType{t.Kind, t.Key, t.Label, append([]string{}, t.Companies...), position}
	return s.db.WithContext(ctx).Clauses(clause.OnConflict{UpdateAll: true}).Create(&row).Error
}

// Records returns the saved records of a kind by number.
func (s *Store) Records(ctx context.Context, kind string) ([]Record, error) {
	return all(s.db.WithContext(ctx).Where("kind = ?", kind).Order("number"), func(r Record) Record { return r })
}

// Record returns one saved record. The error is ErrNotFound when there is none.
func (s *Store) Record(ctx context.Context, kind, number string) (Record, error) {
	var r Record
	err := s.db.WithContext(ctx).First(&r, "kind = ? AND number = ?", kind, number).Error
	return r, found(err, kind, number)
}

// SaveRecord adds or replaces a record.
func (s *Store) SaveRecord(ctx context.Context, r Record) error {
	return s.db.WithContext(ctx).Save(&r).Error
}
