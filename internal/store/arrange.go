package store

import (
	"context"
	"fmt"
	"strings"

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

// Layouts returns the layouts that were made for a kind, as they are shown.
func (s *Store) Layouts(ctx context.Context, kind string) ([]record.ScopedLayout, error) {
	rows, err := all(s.db.WithContext(ctx).Where("kind = ?", kind).Order("company, type"), func(l layoutRow) record.ScopedLayout {
		return record.ScopedLayout{Kind: l.Kind, Company: l.Company, Type: l.Type, Layout: l.Layout}
	})
	if err != nil || s.view == nil {
		return rows, err
	}
	return s.viewedLayouts(ctx, kind, rows)
}

// SaveLayout adds or replaces a layout: in the codicil that is shown, or at once.
func (s *Store) SaveLayout(ctx context.Context, l record.ScopedLayout, by record.Stamp) error {
	text, err := written(l.Layout)
	if err != nil {
		return err
	}
	return s.amend(ctx, layoutThingOf(l.Kind, l.Company, l.Type), layoutTitle(l.Kind), inForceNow{text: text}, by, func(tx *Store) error { return tx.putLayout(ctx, l, by) })
}

func layoutThingOf(kind, company, kindType string) Thing {
	return Thing{layoutThing, kind + "/" + company + "/" + kindType}
}

func layoutTitle(kind string) string { return "Layout of " + strings.ReplaceAll(kind, "_", " ") }

func (s *Store) putLayout(ctx context.Context, l record.ScopedLayout, by record.Stamp) error {
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
	return s.amend(ctx, layoutThingOf(kind, company, kindType), layoutTitle(kind), inForceNow{}, by, func(tx *Store) error { return tx.removeLayout(ctx, kind, company, kindType, by) })
}

func (s *Store) removeLayout(ctx context.Context, kind, company, kindType string, by record.Stamp) error {
	return s.noted(ctx, by, layoutEntry(kind, company, kindType), layoutAt(kind, company, kindType), func(tx *Store) error {
		return tx.db.Delete(&layoutRow{}, "kind = ? AND company = ? AND type = ?", kind, company, kindType).Error
	})
}

// FollowOns returns the maps from one kind to a following one, as they are shown.
func (s *Store) FollowOns(ctx context.Context) ([]record.FollowOn, error) {
	rows, err := all(s.db.WithContext(ctx).Order("id"), func(f followOn) record.FollowOn {
		f.Definition.ID = f.ID
		return f.Definition
	})
	if err != nil || s.view == nil {
		return rows, err
	}
	return s.viewedFollowOns(ctx, rows)
}

// SaveFollowOn keeps a map, a new one when its ID is 0, and returns it with its ID.
func (s *Store) SaveFollowOn(ctx context.Context, m record.FollowOn, by record.Stamp) (record.FollowOn, error) {
	err := s.Transaction(ctx, func(tx *Store) error {
		if m.ID == 0 { // after all that are there, and all that a codicil has
			next := "SELECT MAX((SELECT COALESCE(MAX(id), 0) FROM follow_ons), (SELECT COALESCE(MAX(CAST(key AS INTEGER)), 0) FROM codicil_changes WHERE what = 'map')) + 1"
			if err := tx.db.Raw(next).Scan(&m.ID).Error; err != nil {
				return err
			}
		}
		text, err := written(m)
		if err != nil {
			return err
		}
		return tx.amend(ctx, mapThingOf(m.ID), m.Name, inForceNow{text: text}, by, func(tx *Store) error { return tx.putFollowOn(ctx, m, by) })
	})
	return m, err
}

func mapThingOf(id int64) Thing { return Thing{mapThing, fmt.Sprint(id)} }

func (s *Store) putFollowOn(ctx context.Context, m record.FollowOn, by record.Stamp) error {
	row := followOn{m.ID, m, by}
	return s.noted(ctx, by, TrailEntry{Kind: "map", Key: fmt.Sprint(m.ID), Note: m.Name}, at("follow_ons", "id = ?", m.ID), func(tx *Store) error {
		return tx.db.Save(&row).Error
	})
}

// DeleteFollowOn removes a map.
func (s *Store) DeleteFollowOn(ctx context.Context, id int64, by record.Stamp) error {
	return s.amend(ctx, mapThingOf(id), "Map from record to record", inForceNow{}, by, func(tx *Store) error { return tx.removeFollowOn(ctx, id, by) })
}

func (s *Store) removeFollowOn(ctx context.Context, id int64, by record.Stamp) error {
	return s.noted(ctx, by, TrailEntry{Kind: "map", Key: fmt.Sprint(id)}, at("follow_ons", "id = ?", id), func(tx *Store) error {
		return tx.db.Delete(&followOn{ID: id}).Error
	})
}
