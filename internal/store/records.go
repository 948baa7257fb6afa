package store

import (
	"context"
	"fmt"
	"time"

	"codicil/core/record"
)

// recordRow is a saved record as it is kept.
type recordRow struct {
	Kind                     string `gorm:"primaryKey"`
	Number                   string `gorm:"primaryKey"`
	Company, Type, State     string
	Version                  int
	Values                   map[string]string `gorm:"column:field_values;serializer:json"` // by field, in stored form
	Lines                    []record.Line     `gorm:"column:record_lines;serializer:kept"`
	Origins                  record.Origins    `gorm:"serializer:json"`
	Reasons                  []record.Reason   `gorm:"serializer:kept"`
	Late                     bool
	OriginKind, OriginNumber string // of the record that this one follows; may be ""
	Reverses, ReversedBy     string
	Changed                  record.Stamp `gorm:"embedded;embeddedPrefix:changed_"`
}

func (recordRow) TableName() string { return "records" }

func rowOf(r record.Record) recordRow {
	return recordRow{
		r.Kind, r.Number, r.Company, r.Type, r.State, r.Version, r.Values, r.Lines, r.Origins, r.Reasons, r.Late,
		r.Preceding.Kind, r.Preceding.Number, r.Reverses, r.ReversedBy, r.Changed,
	}
}

func (r recordRow) record() record.Record {
	return record.Record{
		Ref: record.Ref{Kind: r.Kind, Number: r.Number}, Company: r.Company, Type: r.Type, State: r.State, Version: r.Version,
		Content: record.Content{Values: r.Values, Lines: r.Lines, Origins: r.Origins, Reasons: r.Reasons}, Late: r.Late,
		Preceding: record.Ref{Kind: r.OriginKind, Number: r.OriginNumber}, Reverses: r.Reverses, ReversedBy: r.ReversedBy, Changed: r.Changed,
	}
}

type recordVersion struct {
	Kind      string `gorm:"primaryKey"`
	Number    string `gorm:"primaryKey"`
	Version   int    `gorm:"primaryKey"`
	What      string
	Type      string
	Content   record.Content `gorm:"serializer:kept"`
	ChangedAt time.Time
	Signed    signed `gorm:"embedded;embeddedPrefix:changed_"`
}

// Records returns the saved records of a kind by number.
func (s *Store) Records(ctx context.Context, kind string) ([]record.Record, error) {
	return all(s.db.WithContext(ctx).Where("kind = ?", kind).Order("number"), recordRow.record)
}

// Record returns one saved record. The error is ErrNotFound when there is none.
func (s *Store) Record(ctx context.Context, kind, number string) (record.Record, error) {
	var r recordRow
	err := s.db.WithContext(ctx).First(&r, "kind = ? AND number = ?", kind, number).Error
	return r.record(), found(err, kind, number)
}

// Numbering is how new records get their numbers.
type Numbering struct {
	Name string // of the count
	// Next returns the count after the last, which is 0 when there was none.
	Next func(last int64) int64
	// Format writes the number; the error says that there is none left.
	Format func(count int64) (string, error)
}

// AddRecord keeps a new record as its first version. r.Number is its number, or
// "" to take the next that does not belong to a record yet.
func (s *Store) AddRecord(ctx context.Context, r record.Record, numbering Numbering, by record.Stamp) (record.Record, error) {
	r.Version, r.Changed = 1, by
	err := s.Transaction(ctx, func(tx *Store) error {
		for r.Number == "" {
			var last int64
			if err := tx.db.WithContext(ctx).Raw("SELECT COALESCE((SELECT last FROM series WHERE key = ?), 0)", numbering.Name).Scan(&last).Error; err != nil {
				return err
			}
			next := numbering.Next(last)
			number, err := numbering.Format(next)
			if err != nil {
				return err
			}
			if err := tx.Count(ctx, numbering.Name, last, next); err != nil {
				return err
			}
			var taken int64
			if err := tx.db.Model(&recordRow{}).Where("kind = ? AND number = ?", r.Kind, number).Count(&taken).Error; err != nil {
				return err
			}
			if taken == 0 {
				r.Number = number
			}
		}
		row := rowOf(r)
		if err := tx.db.Create(&row).Error; err != nil {
			return err
		}
		return tx.addRecordVersion(r, "saved", by)
	})
	return r, err
}

// ChangeRecord keeps a changed record as its next version. r.Version is the
// version that the caller changed; the error is ErrStale when it is not the last
// one. what says what happened: "saved", "posted", "reversed".
func (s *Store) ChangeRecord(ctx context.Context, r record.Record, what string, by record.Stamp) (record.Record, error) {
	before := r.Version
	r.Version, r.Changed = before+1, by
	err := s.Transaction(ctx, func(tx *Store) error {
		row := rowOf(r)
		result := tx.db.Model(&row).Where("version = ?", before).Select("*").Updates(&row)
		if result.Error != nil {
			return result.Error
		}
		if result.RowsAffected == 0 {
			return fmt.Errorf("%s %s: %w", r.Kind, r.Number, ErrStale)
		}
		return tx.addRecordVersion(r, what, by)
	})
	return r, err
}

func (s *Store) addRecordVersion(r record.Record, what string, by record.Stamp) error {
	at, sign := signedBy(by)
	return s.db.Create(&recordVersion{r.Kind, r.Number, r.Version, what, r.Type, r.Content, at, sign}).Error
}

// DeleteRecord removes a record. Its versions stay, so that its number is never
// taken for another and what it held can be found.
func (s *Store) DeleteRecord(ctx context.Context, r record.Record, by record.Stamp) error {
	return s.Transaction(ctx, func(tx *Store) error {
		row := rowOf(r)
		result := tx.db.Where("version = ?", r.Version).Delete(&row)
		if result.Error != nil {
			return result.Error
		}
		if result.RowsAffected == 0 {
			return fmt.Errorf("%s %s: %w", r.Kind, r.Number, ErrStale)
		}
		r.Version++
		return tx.addRecordVersion(r, "deleted", by)
	})
}

// RecordVersions returns the versions of a record, newest first.
func (s *Store) RecordVersions(ctx context.Context, kind, number string) ([]record.Version, error) {
	return all(s.db.WithContext(ctx).Where("kind = ? AND number = ?", kind, number).Order("version DESC"), func(v recordVersion) record.Version {
		return record.Version{Version: v.Version, What: v.What, Type: v.Type, Content: v.Content, Changed: v.Signed.stamp(v.ChangedAt)}
	})
}

// MarkLate marks records of which a live value is still to be taken anew.
func (s *Store) MarkLate(ctx context.Context, kind string, numbers []string) error {
	return s.db.WithContext(ctx).Model(&recordRow{}).Where("kind = ? AND number IN ?", kind, numbers).Update("late", true).Error
}

// Late returns the numbers of the records of a kind that are marked as late.
func (s *Store) Late(ctx context.Context, kind string) (numbers []string, err error) {
	err = s.db.WithContext(ctx).Model(&recordRow{}).Where("kind = ? AND late", kind).Order("number").Pluck("number", &numbers).Error
	return numbers, err
}
