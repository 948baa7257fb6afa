package store

import (
	"context"
	"time"

	"codicil/core/judge"
	"codicil/internal/contract"
)

// Posting is a document of a ledger, with all that its rules did.
type Posting struct {
	Ledger                   string `gorm:"primaryKey"` // "books" or "practice"
	Number                   string `gorm:"primaryKey"`
	Sequence                 int64
	Kind, Company, Type, Day string
	Title                    string
	Document                 judge.Document   `gorm:"serializer:json"`
	Outcome                  contract.Outcome `gorm:"serializer:json"`
	Reverses                 string           // the number of the posting that this one takes back; may be ""
	PostedAt                 time.Time
	PostedBy                 string
}

// Entry is one line of a ledger's journal.
type Entry struct {
	Ledger               string `gorm:"primaryKey"`
	Posting              string `gorm:"primaryKey"`
	Line                 int    `gorm:"primaryKey"`
	Company, Day         string
	Account, Text        string
	Debit, Credit        string // exact decimals; "": none
	Currency             string
	PartnerKind, Partner string // "": the account keeps no partners
}

// TableName is where the entries stand.
func (Entry) TableName() string { return "journal" }

// NextNumber takes the next number of a series; the first is 1. Within a
// transaction that fails, the number is not taken.
func (s *Store) NextNumber(ctx context.Context, series string) (int64, error) {
	var next int64
	err := s.db.WithContext(ctx).Raw(
		"INSERT INTO series (key, last) VALUES (?, 1) ON CONFLICT (key) DO UPDATE SET last = last + 1 RETURNING last", series).Scan(&next).Error
	return next, err
}

// AddPosting adds a posting with its entries.
func (s *Store) AddPosting(ctx context.Context, p Posting, entries []Entry) error {
	return s.Transaction(ctx, func(tx *Store) error {
		if err := tx.db.Create(&p).Error; err != nil {
			return err
		}
		if len(entries) == 0 {
			return nil
		}
		return tx.db.Create(&entries).Error
	})
}

// Postings returns the postings of a ledger, newest first, without their outcomes.
func (s *Store) Postings(ctx context.Context, ledger string) ([]Posting, error) {
	return all(s.db.WithContext(ctx).Where("ledger = ?", ledger).Omit("outcome").Order("posted_at DESC, sequence DESC"), func(p Posting) Posting { return p })
}

// Posting returns one posting. The error is ErrNotFound when there is none.
func (s *Store) Posting(ctx context.Context, ledger, number string) (Posting, error) {
	var p Posting
	err := s.db.WithContext(ctx).First(&p, "ledger = ? AND number = ?", ledger, number).Error
	return p, found(err, "posting", number)
}

// Entries returns the journal of a ledger in the order of posting.
func (s *Store) Entries(ctx context.Context, ledger string) ([]Entry, error) {
	query := s.db.WithContext(ctx).Joins("JOIN postings ON postings.ledger = journal.ledger AND postings.number = journal.posting").
		Where("journal.ledger = ?", ledger).Order("postings.posted_at, postings.sequence, journal.line")
	return all(query, func(e Entry) Entry { return e })
}

// EntriesOf returns the entries of one posting.
func (s *Store) EntriesOf(ctx context.Context, ledger, posting string) ([]Entry, error) {
	return all(s.db.WithContext(ctx).Where("ledger = ? AND posting = ?", ledger, posting).Order("line"), func(e Entry) Entry { return e })
}

// ReversalOf returns the number of the posting that takes one back; "" when none does.
func (s *Store) ReversalOf(ctx context.Context, ledger, number string) (string, error) {
	var reversal string
	err := s.db.WithContext(ctx).Model(&Posting{}).Where("ledger = ? AND reverses = ? AND reverses <> ''", ledger, number).Select("number").Limit(1).Scan(&reversal).Error
	return reversal, err
}

// EmptyLedger removes the postings of a ledger that a person posted. Where none is left, its
// numbers begin anew.
func (s *Store) EmptyLedger(ctx context.Context, ledger, person string) error {
	return s.Transaction(ctx, func(tx *Store) error {
		for _, statement := range []string{
			`UPDATE proofs SET posting = '' WHERE @ledger = 'practice' AND posting IN
			   (SELECT number FROM postings WHERE ledger = @ledger AND posted_by = @person)`,
			"DELETE FROM postings WHERE ledger = @ledger AND posted_by = @person", // entries go with their posting
			`DELETE FROM series WHERE (key = @ledger OR key LIKE @ledger || '/%')
			   AND NOT EXISTS (SELECT 1 FROM postings WHERE ledger = @ledger)`,
		} {
			if err := tx.db.Exec(statement, map[string]any{"ledger": ledger, "person": person}).Error; err != nil {
				return err
			}
		}
		return nil
	})
}
