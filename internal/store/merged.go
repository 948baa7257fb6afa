package store

import (
	"context"
	"errors"
	"slices"

	"gorm.io/gorm"

	"codicil/core/record"
)

// MergedRecord is a record that was merged into another.
type MergedRecord struct {
	Kind, Number             string
	Survivor                 string // into which it was merged; that one may have been merged since
	Lead                     string // to which its number leads
	Version                  int    // that says that it was
	Company, Type            string
	OriginKind, OriginNumber string // of the record that it followed; may be ""
	Why                      string
	Run                      int64
	Part                     int          // the place of what the run wrote to the survivor
	Merged                   record.Stamp `gorm:"embedded;embeddedPrefix:merged_"`
}

// Survivor is the number of the record to which the number of a merged one leads now; "" where it was not merged.
func (s *Store) Survivor(ctx context.Context, at record.Ref) (number string, err error) {
	err = s.db.WithContext(ctx).Raw("SELECT lead FROM merged_records WHERE kind = ? AND number = ?", at.Kind, at.Number).Scan(&number).Error
	return number, err
}

// Merged returns how a record was merged; nil where it was not.
func (s *Store) Merged(ctx context.Context, at record.Ref) (*MergedRecord, error) {
	var m MergedRecord
	err := s.db.WithContext(ctx).First(&m, "kind = ? AND number = ?", at.Kind, at.Number).Error
	if errors.Is(err, gorm.ErrRecordNotFound) {
		return nil, nil
	}
	return &m, err
}

// MergedInto returns the records whose numbers lead to one, by number.
func (s *Store) MergedInto(ctx context.Context, at record.Ref) (found []MergedRecord, err error) {
	err = s.db.WithContext(ctx).Where("kind = ? AND lead = ?", at.Kind, at.Number).Order("number").Find(&found).Error
	return found, err
}

// withFormer adds to records those whose numbers lead to them.
func (s *Store) withFormer(ctx context.Context, records []record.Ref) ([]record.Ref, error) {
	byKind := map[string][]string{}
	for _, at := range records {
		byKind[at.Kind] = append(byKind[at.Kind], at.Number)
	}
	all := slices.Clone(records)
	for kind, numbers := range byKind {
		var former []string
		err := s.db.WithContext(ctx).Raw("SELECT number FROM merged_records WHERE kind = ? AND "+amongst("lead")+" ORDER BY number", kind, listText(numbers)).Scan(&former).Error
		if err != nil {
			return nil, err
		}
		for _, number := range former {
			all = append(all, record.Ref{Kind: kind, Number: number})
		}
	}
	return all, nil
}

// MergedBy returns the records that a run merged into one at a place.
func (s *Store) MergedBy(ctx context.Context, run int64, part int) (found []MergedRecord, err error) {
	err = s.db.WithContext(ctx).Where("run = ? AND part = ?", run, part).Order("number").Find(&found).Error
	return found, err
}

// LastMerge is the part of the last merge of a run; 0: it has merged nothing.
func (s *Store) LastMerge(ctx context.Context, run int64) (part int, err error) {
	err = s.db.WithContext(ctx).Raw("SELECT COALESCE(MAX(part), 0) FROM merged_records WHERE run = ?", run).Scan(&part).Error
	return part, err
}

// Absorb removes a record that is merged into another: its versions stay, and its number leads there. m says where, why and by
// which run.
func (s *Store) Absorb(ctx context.Context, r record.Record, m MergedRecord, by record.Stamp) error {
	m.Kind, m.Number, m.Version, m.Company, m.Type = r.Kind, r.Number, r.Version+1, r.Company, r.Type
	m.OriginKind, m.OriginNumber, m.Merged = r.Preceding.Kind, r.Preceding.Number, by
	return s.Transaction(ctx, func(tx *Store) error {
		if err := tx.remove(ctx, r, "merged", by); err != nil {
			return err
		}
		if err := tx.db.Exec("UPDATE merged_records SET lead = ? WHERE kind = ? AND lead = ?", m.Survivor, m.Kind, m.Number).Error; err != nil {
			return err
		}
		m.Lead = m.Survivor
		return tx.db.Create(&m).Error
	})
}

// BeforeMerge returns a merged record as it was before, without the numbers that led to it.
func (s *Store) BeforeMerge(ctx context.Context, m MergedRecord) (record.Record, error) {
	at := record.Ref{Kind: m.Kind, Number: m.Number}
	was, err := s.RecordVersion(ctx, at, m.Version-1)
	return record.Record{
		Ref: at, Company: m.Company, Type: was.Type, State: record.Kept, Version: m.Version - 1, Content: was.Content,
		Preceding: record.Ref{Kind: m.OriginKind, Number: m.OriginNumber},
	}, err
}

// Release brings a merged record back as it was, as a version more. It returns the record.
func (s *Store) Release(ctx context.Context, m MergedRecord, by record.Stamp) (r record.Record, err error) {
	at := record.Ref{Kind: m.Kind, Number: m.Number}
	err = s.Transaction(ctx, func(tx *Store) error {
		if err := tx.db.WithContext(ctx).Exec("DELETE FROM merged_records WHERE kind = ? AND number = ?", m.Kind, m.Number).Error; err != nil {
			return err
		}
		// What was merged into it, however many times over, leads to it again.
		err := tx.db.WithContext(ctx).Exec(`WITH RECURSIVE back (number) AS (
			  SELECT number FROM merged_records WHERE kind = @kind AND lead = @lead AND survivor = @number
			  UNION SELECT m.number FROM back JOIN merged_records m ON m.kind = @kind AND m.lead = @lead AND m.survivor = back.number
			) UPDATE merged_records SET lead = @number WHERE kind = @kind AND number IN (SELECT number FROM back)`,
			map[string]any{"kind": m.Kind, "number": m.Number, "lead": m.Lead}).Error
		if err != nil {
			return err
		}
		if r, err = tx.BeforeMerge(ctx, m); err != nil {
			return err
		}
		r.Version, r.Changed = m.Version+1, by
		if r.Former, err = tx.FormerOf(ctx, at); err != nil {
			return err
		}
		return tx.add(ctx, r, "taken back", nil)
	})
	return r, err
}

// FormerOf are the numbers that lead to a record.
func (s *Store) FormerOf(ctx context.Context, at record.Ref) (numbers []string, err error) {
	found, err := s.MergedInto(ctx, at)
	for _, m := range found {
		numbers = append(numbers, m.Number)
	}
	return numbers, err
}
