package store

import (
	"context"

	"codicil/core/record"

	"gorm.io/gorm/clause"
)

// Layout is how forms of a kind are arranged in a company and type.
type Layout struct {
	Kind    string        `gorm:"primaryKey"`
	Company string        `gorm:"primaryKey"` // "": all
	Type    string        `gorm:"primaryKey"` // "": all
	Layout  record.Layout `gorm:"serializer:json"`
}

type followOn struct {
	ID         int64           `gorm:"primaryKey;autoIncrement"`
	Definition record.FollowOn `gorm:"serializer:json"`
}

// Layouts returns the layouts that were made for a kind.
func (s *Store) Layouts(ctx context.Context, kind string) ([]Layout, error) {
	return all(s.db.WithContext(ctx).Where("kind = ?", kind).Order("company, type"), func(l Layout) Layout { return l })
}

// SaveLayout adds or replaces a layout.
func (s *Store) SaveLayout(ctx context.Context, l Layout) error {
	// Save would take an empty key, which means all, for one that is not given yet.
	return s.db.WithContext(ctx).Clauses(clause.OnConflict{UpdateAll: true}).Create(&l).Error
}

// DeleteLayout removes the layout of a scope, so that the next wider one shows.
func (s *Store) DeleteLayout(ctx context.Context, l Layout) error {
	return s.db.WithContext(ctx).Delete(&Layout{}, "kind = ? AND company = ? AND type = ?", l.Kind, l.Company, l.Type).Error
}

// FollowOns returns the maps from one kind to a following one.
func (s *Store) FollowOns(ctx context.Context) ([]record.FollowOn, error) {
	return all(s.db.WithContext(ctx).Order("id"), func(f followOn) record.FollowOn {
		f.Definition.ID = f.ID
		return f.Definition
	})
}

// SaveFollowOn keeps a map, a new one when its ID is 0, and returns it with its ID.
func (s *Store) SaveFollowOn(ctx context.Context, m record.FollowOn) (record.FollowOn, error) {
	row := followOn{m.ID, m}
	err := s.db.WithContext(ctx).Save(&row).Error
	m.ID = row.ID
	return m, err
}

// DeleteFollowOn removes a map.
func (s *Store) DeleteFollowOn(ctx context.Context, id int64) error {
	return s.db.WithContext(ctx).Delete(&followOn{ID: id}).Error
}
