package store

import (
	"context"
	"strconv"

	"gorm.io/gorm"
	"gorm.io/gorm/clause"

	"codicil/core/record"
)

// The states of a batch.
const (
	BatchOpen      = "open"
	BatchClosed    = "closed"
	BatchWithdrawn = "withdrawn"
)

// Batch is a pile of documents that are keyed together.
type Batch struct {
	ID      int64 `gorm:"primaryKey"`
	Version int
	BatchHead
	Kind, Company, Type string
	State               string
	Made                record.Stamp `gorm:"embedded;embeddedPrefix:made_"`
}

// BatchHead is what a person says of a batch.
type BatchHead struct {
	Title string
	Count int // that was announced; 0: none was
	// Total was announced, an exact decimal; "": none was. TotalField is the field of the header that is added up.
	Total, TotalField string
	// Posting is "each" at once or "together" when it agrees; "": not from here.
	Posting string
	// Second are the fields that a second person keys again; "*": all.
	Second []string `gorm:"serializer:json"`
}

// BatchDocument is a record that was keyed in a batch.
type BatchDocument struct {
	Batch    int64 `gorm:"primaryKey"`
	Position int   `gorm:"primaryKey"` // from 1 on
	Kind     string
	Number   string
	Keyed    record.Stamp `gorm:"embedded;embeddedPrefix:keyed_"`
	// Second is what came of what a second person keyed; nil: nobody did.
	Second     *record.Content `gorm:"serializer:json"`
	SecondDone record.Stamp    `gorm:"embedded;embeddedPrefix:second_"`
}

// BatchRefusals counts how often the rules refused what a person keyed in a batch.
type BatchRefusals struct {
	Batch  int64  `gorm:"primaryKey"`
	Person string `gorm:"primaryKey"`
	Name   string
	Count  int
}

func batchAt(id int64) place { return at("batches", "id = ?", id) }

func batchEntry(id int64, note string) TrailEntry {
	return TrailEntry{Kind: "batch", Key: strconv.FormatInt(id, 10), Note: note}
}

// Batches returns batches of a kind ("": of all) in some states (none: in any) in some companies (nil: in all), newest first.
func (s *Store) Batches(ctx context.Context, kind string, states, companies []string, most int) ([]Batch, error) {
	query := s.db.WithContext(ctx).Order("id DESC").Limit(most)
	if kind != "" {
		query = query.Where("kind = ?", kind)
	}
	if len(states) > 0 {
		query = query.Where("state IN ?", states)
	}
	if companies != nil {
		query = query.Where("company IN ?", companies)
	}
	return all(query, itself[Batch])
}

// Batch returns one.
func (s *Store) Batch(ctx context.Context, id int64) (b Batch, err error) {
	return b, found(s.db.WithContext(ctx).First(&b, id).Error, "batch", id)
}

// AddBatch keeps a new one and returns it with its number.
func (s *Store) AddBatch(ctx context.Context, b Batch, by record.Stamp) (Batch, error) {
	err := s.Transaction(ctx, func(tx *Store) error {
		if err := tx.db.Raw("SELECT COALESCE(MAX(id), 0) + 1 FROM batches").Scan(&b.ID).Error; err != nil {
			return err
		}
		b.Version, b.State, b.Made = 1, BatchOpen, by
		return tx.noted(ctx, by, batchEntry(b.ID, b.Title), batchAt(b.ID), func(tx *Store) error { return tx.db.Create(&b).Error })
	})
	return b, err
}

// SaveBatch changes one. b.Version is the version that the caller changed; the error is ErrStale when it is not the last.
func (s *Store) SaveBatch(ctx context.Context, b Batch, by record.Stamp) error {
	before := b.Version
	b.Version++
	return s.noted(ctx, by, batchEntry(b.ID, b.State), batchAt(b.ID), func(tx *Store) error {
		result := tx.db.Model(&b).Where("version = ?", before).Select("*").Updates(&b)
		if result.Error == nil && result.RowsAffected == 0 {
			return ErrStale
		}
		return result.Error
	})
}

// BatchDocuments returns the records of a batch in the order in which they were keyed. Cost: all of them.
func (s *Store) BatchDocuments(ctx context.Context, batch int64) ([]BatchDocument, error) {
	return all(s.db.WithContext(ctx).Where("batch = ?", batch).Order("position"), itself[BatchDocument])
}

// BatchOf returns what a batch knows of a record; nil: it is in none.
func (s *Store) BatchOf(ctx context.Context, at record.Ref) (*BatchDocument, error) {
	rows, err := all(s.db.WithContext(ctx).Where("kind = ? AND number = ?", at.Kind, at.Number).Limit(1), itself[BatchDocument])
	if err != nil || len(rows) == 0 {
		return nil, err
	}
	return &rows[0], nil
}

// AddToBatch notes that a record was keyed in a batch, as its last.
func (s *Store) AddToBatch(ctx context.Context, batch int64, of record.Ref, by record.Stamp) error {
	return s.Transaction(ctx, func(tx *Store) error {
		d := BatchDocument{Batch: batch, Kind: of.Kind, Number: of.Number, Keyed: by}
		if err := tx.db.Raw("SELECT COALESCE(MAX(position), 0) + 1 FROM batch_documents WHERE batch = ?", batch).Scan(&d.Position).Error; err != nil {
			return err
		}
		return tx.noted(ctx, by, batchEntry(batch, of.Number), batchDocumentAt(&d), func(tx *Store) error { return tx.db.Create(&d).Error })
	})
}

// CountBatch counts the records of a batch.
func (s *Store) CountBatch(ctx context.Context, batch int64) (int, error) {
	var count int64
	err := s.db.WithContext(ctx).Model(&BatchDocument{}).Where("batch = ?", batch).Count(&count).Error
	return int(count), err
}

func batchDocumentAt(d *BatchDocument) place {
	return at("batch_documents", "batch = ? AND position = ?", d.Batch, d.Position)
}

// SaveSecond keeps what came of what a second person keyed of a record.
func (s *Store) SaveSecond(ctx context.Context, d BatchDocument, by record.Stamp) error {
	entry := batchEntry(d.Batch, d.Number)
	entry.What = "compared"
	return s.noted(ctx, by, entry, batchDocumentAt(&d), func(tx *Store) error {
		return tx.db.Model(&d).Select("*").Updates(&d).Error
	})
}

// CountRefused counts that the rules refused what a person keyed in a batch.
func (s *Store) CountRefused(ctx context.Context, batch int64, by record.Stamp) error {
	row := BatchRefusals{Batch: batch, Person: by.Person, Name: by.By, Count: 1}
	more := clause.OnConflict{Columns: []clause.Column{{Name: "batch"}, {Name: "person"}}, DoUpdates: clause.Assignments(map[string]any{"count": gorm.Expr("batch_refusals.count + 1")})}
	return s.db.WithContext(ctx).Clauses(more).Create(&row).Error
}

// Refusals returns how often the rules refused what was keyed in a batch, by person.
func (s *Store) Refusals(ctx context.Context, batch int64) ([]BatchRefusals, error) {
	return all(s.db.WithContext(ctx).Where("batch = ?", batch).Order("person"), itself[BatchRefusals])
}
