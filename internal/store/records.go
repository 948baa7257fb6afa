package store

import (
	"context"
	"fmt"
	"time"

	"codicil/core/record"
)

// The states of a record. Masters are kept; documents are kept until they are posted.
const (
	Kept     = "kept"
	Posted   = "posted"
	Reversed = "reversed"
)

// instant is how the time of a change is written: RFC 3339 of one length, so that the
// later sorts after.
const instant = "2006-01-02T15:04:05.000000Z07:00"

// Record is a saved record.
type Record struct {
	Kind    string `gorm:"primaryKey"`
	Number  string `gorm:"primaryKey"`
	Company string
	Type    string
	State   string
	Version int               // counts the changes, from 1
	Values  map[string]string `gorm:"column:field_values;serializer:json"` // by field, in stored form
	Lines   []record.Line     `gorm:"column:record_lines;serializer:json"`
	Origins record.Origins    `gorm:"serializer:json"`
	Reasons []record.Reason   `gorm:"serializer:json"`
	// Late tells that a linked record changed, and that a live value is still to be taken anew.
	Late bool
	// OriginKind and OriginNumber name the record that this one follows; may be "".
	OriginKind, OriginNumber string
	// Reverses and ReversedBy name the documents of the same kind that this one
	// takes back, and that takes this one back; may be "".
	Reverses, ReversedBy string
	ChangedAt            string // RFC 3339
	ChangedBy            string
}

// Content returns what the record holds.
func (r *Record) Content() record.Content {
	return record.Content{Values: r.Values, Lines: r.Lines, Origins: r.Origins, Reasons: r.Reasons}
}

// Hold puts content into the record.
func (r *Record) Hold(c record.Content) {
	r.Values, r.Lines, r.Origins, r.Reasons = c.Values, c.Lines, c.Origins, c.Reasons
}

// RecordVersion is a record as it was at one time.
type RecordVersion struct {
	Kind      string `gorm:"primaryKey"`
	Number    string `gorm:"primaryKey"`
	Version   int    `gorm:"primaryKey"`
	What      string // "saved", "posted", "reversed", "follow-up", "live", "deleted"
	Type      string
	Content   record.Content `gorm:"serializer:json"`
	ChangedAt time.Time
	ChangedBy string
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
func (s *Store) AddRecord(ctx context.Context, r Record, numbering Numbering, at time.Time, by string) (Record, error) {
	r.Version, r.ChangedAt, r.ChangedBy = 1, at.UTC().Format(instant), by
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
			if err := tx.db.Model(&Record{}).Where("kind = ? AND number = ?", r.Kind, number).Count(&taken).Error; err != nil {
				return err
			}
			if taken == 0 {
				r.Number = number
			}
		}
		if err := tx.db.Create(&r).Error; err != nil {
			return err
		}
		return tx.addRecordVersion(r, "saved", at, by)
	})
	return r, err
}

// ChangeRecord keeps a changed record as its next version. r.Version is the
// version that the caller changed; the error is ErrStale when it is not the last
// one. what says what happened: "saved", "posted", "reversed".
func (s *Store) ChangeRecord(ctx context.Context, r Record, what string, at time.Time, by string) (Record, error) {
	before := r.Version
	r.Version, r.ChangedAt, r.ChangedBy = before+1, at.UTC().Format(instant), by
	err := s.Transaction(ctx, func(tx *Store) error {
		result := tx.db.Model(&r).Where("version = ?", before).Select("*").Updates(&r)
		if result.Error != nil {
			return result.Error
		}
		if result.RowsAffected == 0 {
			return fmt.Errorf("%s %s: %w", r.Kind, r.Number, ErrStale)
		}
		return tx.addRecordVersion(r, what, at, by)
	})
	return r, err
}

func (s *Store) addRecordVersion(r Record, what string, at time.Time, by string) error {
	return s.db.Create(&RecordVersion{r.Kind, r.Number, r.Version, what, r.Type, r.Content(), at.UTC(), by}).Error
}

// DeleteRecord removes a record. Its versions stay, so that its number is never
// taken for another and what it held can be found.
func (s *Store) DeleteRecord(ctx context.Context, r Record, at time.Time, by string) error {
	return s.Transaction(ctx, func(tx *Store) error {
		result := tx.db.Where("version = ?", r.Version).Delete(&r)
		if result.Error != nil {
			return result.Error
		}
		if result.RowsAffected == 0 {
			return fmt.Errorf("%s %s: %w", r.Kind, r.Number, ErrStale)
		}
		r.Version++
		return tx.addRecordVersion(r, "deleted", at, by)
	})
}

// RecordVersions returns the versions of a record, newest first.
func (s *Store) RecordVersions(ctx context.Context, kind, number string) ([]RecordVersion, error) {
	return all(s.db.WithContext(ctx).Where("kind = ? AND number = ?", kind, number).Order("version DESC"), func(v RecordVersion) RecordVersion { return v })
}

// MarkLate marks records of which a live value is still to be taken anew.
func (s *Store) MarkLate(ctx context.Context, kind string, numbers []string) error {
	return s.db.WithContext(ctx).Model(&Record{}).Where("kind = ? AND number IN ?", kind, numbers).Update("late", true).Error
}

// Late returns the numbers of the records of a kind that are marked as late.
func (s *Store) Late(ctx context.Context, kind string) (numbers []string, err error) {
	err = s.db.WithContext(ctx).Model(&Record{}).Where("kind = ? AND late", kind).Order("number").Pluck("number", &numbers).Error
	return numbers, err
}
