package store

import (
	"context"

	"gorm.io/gorm"
	"gorm.io/gorm/clause"

	"codicil/core/record"
)

type layoutRow struct {
	Kind    string        `gorm:"primaryKey"`
	Company string        `gorm:"primaryKey"`
	Type    string        `gorm:"primaryKey"`
	Layout  record.Layout `gorm:"serializer:kept"`
	Changed record.Stamp  `gorm:"embedded;embeddedPrefix:changed_"`
}

func (layoutRow) TableName() string { return "layouts" }

type followOn struct {
	ID         int64           `gorm:"primaryKey;autoIncrement"`
	Definition record.FollowOn `gorm:"serializer:kept"`
	Changed    record.Stamp    `gorm:"embedded;embeddedPrefix:changed_"`
}

// Layouts returns the layouts that were made for a kind.
func (s *Store) Layouts(ctx context.Context, kind string) ([]record.ScopedLayout, error) {
	return all(s.db.WithContext(ctx).Where("kind = ?", kind).Order("company, type"), func(l layoutRow) record.ScopedLayout {
		return record.ScopedLayout{Kind: l.Kind, Company: l.Company, Type: l.Type, Layout: l.Layout}
	})
}

// SaveLayout adds or replaces a layout.
func (s *Store) SaveLayout(ctx context.Context, l record.ScopedLayout, by record.Stamp) error {
	// Save would take an empty key, which means all, for one that is not given yet.
	row := layoutRow{l.Kind, l.Company, l.Type, l.Layout, by}
	return s.write(ctx, func(db *gorm.DB) *gorm.DB { return db.Clauses(clause.OnConflict{UpdateAll: true}).Create(&row) })
}

// DeleteLayout removes the layout of a scope, so that the next wider one shows.
func (s *Store) DeleteLayout(ctx context.Context, kind, company, kindType string) error {
	return s.write(ctx, func(db *gorm.DB) *gorm.DB {
		return db.Delete(&layoutRow{}, "kind = ? AND company = ? AND type = ?", kind, company, kindType)
	})
}

// FollowOns returns the maps from one kind to a following one.
func (s *Store) FollowOns(ctx context.Context) ([]record.FollowOn, error) {
	return all(s.db.WithContext(ctx).Order("id"), func(f followOn) record.FollowOn {
		f.Definition.ID = f.ID
		return f.Definition
	})
}

// SaveFollowOn keeps a map, a new one when its ID is 0, and returns it with its ID.
func (s *Store) SaveFollowOn(ctx context.Context, m record.FollowOn, by record.Stamp) (record.FollowOn, error) {
	row := followOn{m.ID, m, by}
	err := s.write(ctx, func(db *gorm.DB) *gorm.DB { return db.Save(&row) })
	m.ID = row.ID
	return m, err
}

// DeleteFollowOn removes a map.
func (s *Store) DeleteFollowOn(ctx context.Context, id int64) error {
	return s.write(ctx, func(db *gorm.DB) *gorm.DB { return db.Delete(&followOn{ID: id}) })
}
