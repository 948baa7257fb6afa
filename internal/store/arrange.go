package store

import (
	"context"
	"fmt"

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
	return s.noted(ctx, by, layoutEntry(l.Kind, l.Company, l.Type), layoutAt(l.Kind, l.Company, l.Type), func(tx *Store) error {
		return tx.db.Clauses(clause.OnConflict{UpdateAll: true}).Create(&row).Error
	})
}

func layoutAt(kind, company, kindType string) place {
	return at("layouts", "kind = ? AND company = ? AND type = ?", kind, company, kindType)
}

func layoutEntry(kind, company, kindType string) TrailEntry {
	return TrailEntry{Kind: "layout", Key: kind + "/" + company + "/" + kindType, Company: company}
}

// DeleteLayout removes the layout of a scope, so that the next wider one shows.
func (s *Store) DeleteLayout(ctx context.Context, kind, company, kindType string, by record.Stamp) error {
	return s.noted(ctx, by, layoutEntry(kind, company, kindType), layoutAt(kind, company, kindType), func(tx *Store) error {
		return tx.db.Delete(&layoutRow{}, "kind = ? AND company = ? AND type = ?", kind, company, kindType).Error
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
	// A new one has its place after it is written.
	entry := TrailEntry{What: "changed", Kind: "map", Note: m.Name}
	err := s.Transaction(ctx, func(tx *Store) (err error) {
		if m.ID == 0 {
			entry.What = "added"
		} else if entry.Before, err = tx.hash(ctx, at("follow_ons", "id = ?", m.ID)); err != nil {
			return err
		}
		if err := tx.db.Save(&row).Error; err != nil {
			return err
		}
		m.ID, entry.Key = row.ID, fmt.Sprint(row.ID)
		if entry.After, err = tx.hash(ctx, at("follow_ons", "id = ?", m.ID)); err != nil {
			return err
		}
		return tx.Note(ctx, by, entry)
	})
	return m, err
}

// DeleteFollowOn removes a map.
func (s *Store) DeleteFollowOn(ctx context.Context, id int64, by record.Stamp) error {
	return s.noted(ctx, by, TrailEntry{Kind: "map", Key: fmt.Sprint(id)}, at("follow_ons", "id = ?", id), func(tx *Store) error {
		return tx.db.Delete(&followOn{ID: id}).Error
	})
}
