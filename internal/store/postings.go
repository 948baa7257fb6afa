package store

import (
	"context"
	"time"

	"codicil/core/proof"
	"codicil/internal/contract"
)

// Posting is a document of the practice ledger, with all that its rules did.
type Posting struct {
	Number                   string `gorm:"primaryKey"`
	Sequence                 int64
	Kind, Company, Type, Day string
	Title                    string
	Document                 proof.Document   `gorm:"serializer:json"`
	Outcome                  contract.Outcome `gorm:"serializer:json"`
	PostedAt                 time.Time
	PostedBy                 string
}

// NextNumber takes the next number of a series; the first is 1. Within a
// transaction that fails, the number is not taken.
func (s *Store) NextNumber(ctx context.Context, series string) (int64, error) {
	var next int64
	err := s.db.WithContext(ctx).Raw(
		"INSERT INTO series (key, last) VALUES (?, 1) ON CONFLICT (key) DO UPDATE SET last = last + 1 RETURNING last", series).Scan(&next).Error
	return next, err
}

// AddPosting adds a posting.
func (s *Store) AddPosting(ctx context.Context, p Posting) error {
	return s.db.WithContext(ctx).Create(&p).Error
}

// Postings returns all postings, newest first, without their outcomes.
func (s *Store) Postings(ctx context.Context) ([]Posting, error) {
	return all(s.db.WithContext(ctx).Omit("outcome").Order("sequence DESC"), func(p Posting) Posting { return p })
}

// Posting returns one posting. The error is ErrNotFound when there is none.
func (s *Store) Posting(ctx context.Context, number string) (Posting, error) {
	var p Posting
	err := s.db.WithContext(ctx).First(&p, "number = ?", number).Error
	return p, found(err, "posting", number)
}
