package store

import (
	"context"
	"time"

	"codicil/core/judge"
	"codicil/core/record"
	"codicil/internal/ledger"
)

type postingRow struct {
	Ledger              string `gorm:"primaryKey"`
	Number              string `gorm:"primaryKey"`
	Sequence            int64
	Kind, Company, Type string
	Day                 record.Day
	Title               string
	Document            judge.Document `gorm:"serializer:kept"`
	Trace               ledger.Trace   `gorm:"column:outcome;serializer:kept"`
	Reverses            string
	PostedAt            time.Time
	Signed              signed `gorm:"embedded;embeddedPrefix:posted_"`
}

func (postingRow) TableName() string { return "postings" }

func (p postingRow) posting() ledger.Posting {
	return ledger.Posting{
		Ledger: p.Ledger, Number: p.Number, Sequence: p.Sequence, Kind: p.Kind, Company: p.Company, Type: p.Type, Day: p.Day, Title: p.Title,
		Document: p.Document, Trace: p.Trace, Reverses: p.Reverses, Posted: p.Signed.stamp(p.PostedAt),
	}
}

type entryRow struct {
	Ledger               string `gorm:"primaryKey"`
	Posting              string `gorm:"primaryKey"`
	Line                 int    `gorm:"primaryKey"`
	Company              string
	Day                  record.Day
	Account, Text        string
	Debit, Credit        string // exact decimals; "": none
	Currency             string
	PartnerKind, Partner string // "": the account keeps no partners
}

func (entryRow) TableName() string { return "journal" }

func entryRowOf(e ledger.Entry) entryRow {
	return entryRow{e.Ledger, e.Posting, e.Line, e.Company, e.Day, e.Account, e.Text, e.Debit, e.Credit, e.Currency, e.Partner.Kind, e.Partner.Number}
}

func (e entryRow) entry() ledger.Entry {
	return ledger.Entry{
		Ledger: e.Ledger, Posting: e.Posting, Line: e.Line, Company: e.Company, Day: e.Day, Account: e.Account, Text: e.Text,
		Debit: e.Debit, Credit: e.Credit, Currency: e.Currency, Partner: record.Ref{Kind: e.PartnerKind, Number: e.Partner},
	}
}

// NextNumber takes the next number of a series; the first is 1. Within a
// transaction that fails, the number is not taken.
func (s *Store) NextNumber(ctx context.Context, series string) (int64, error) {
	var next int64
	err := s.db.WithContext(ctx).Raw(
		"INSERT INTO series (key, last) VALUES (?, 1) ON CONFLICT (key) DO UPDATE SET last = last + 1 RETURNING last", series).Scan(&next).Error
	return next, err
}

// AddPosting adds a posting with its entries.
func (s *Store) AddPosting(ctx context.Context, p ledger.Posting, entries []ledger.Entry) error {
	return s.Transaction(ctx, func(tx *Store) error {
		at, sign := signedBy(p.Posted)
		row := postingRow{p.Ledger, p.Number, p.Sequence, p.Kind, p.Company, p.Type, p.Day, p.Title, p.Document, p.Trace, p.Reverses, at, sign}
		if err := tx.db.Create(&row).Error; err != nil {
			return err
		}
		if len(entries) == 0 {
			return nil
		}
		rows := make([]entryRow, len(entries))
		for i, e := range entries {
			rows[i] = entryRowOf(e)
		}
		return tx.db.Create(&rows).Error
	})
}

// Postings returns the postings of a ledger, newest first, without their traces.
func (s *Store) Postings(ctx context.Context, name string) ([]ledger.Posting, error) {
	return all(s.db.WithContext(ctx).Where("ledger = ?", name).Omit("outcome").Order("posted_at DESC, sequence DESC"), postingRow.posting)
}

// Posting returns one posting. The error is ErrNotFound when there is none.
func (s *Store) Posting(ctx context.Context, name, number string) (ledger.Posting, error) {
	var p postingRow
	err := s.db.WithContext(ctx).First(&p, "ledger = ? AND number = ?", name, number).Error
	return p.posting(), found(err, "posting", number)
}

// Entries returns the journal of a ledger in the order of posting.
func (s *Store) Entries(ctx context.Context, name string) ([]ledger.Entry, error) {
	query := s.db.WithContext(ctx).Joins("JOIN postings ON postings.ledger = journal.ledger AND postings.number = journal.posting").
		Where("journal.ledger = ?", name).Order("postings.posted_at, postings.sequence, journal.line")
	return all(query, entryRow.entry)
}

// EntriesOf returns the entries of one posting.
func (s *Store) EntriesOf(ctx context.Context, name, posting string) ([]ledger.Entry, error) {
	return all(s.db.WithContext(ctx).Where("ledger = ? AND posting = ?", name, posting).Order("line"), entryRow.entry)
}

// ReversalOf returns the number of the posting that takes one back; "" when none does.
func (s *Store) ReversalOf(ctx context.Context, name, number string) (string, error) {
	var reversal string
	err := s.db.WithContext(ctx).Model(&postingRow{}).Where("ledger = ? AND reverses = ? AND reverses <> ''", name, number).Select("number").Limit(1).Scan(&reversal).Error
	return reversal, err
}

// EmptyLedger removes the postings of a ledger that a person posted. Where none is left, its
// numbers begin anew.
func (s *Store) EmptyLedger(ctx context.Context, name, person string) error {
	return s.Transaction(ctx, func(tx *Store) error {
		for _, statement := range []string{
			`UPDATE proofs SET posting = '' WHERE @ledger = 'practice' AND posting IN
			   (SELECT number FROM postings WHERE ledger = @ledger AND posted_person = @person)`,
			"DELETE FROM postings WHERE ledger = @ledger AND posted_person = @person", // entries go with their posting
			`DELETE FROM series WHERE (key = @ledger OR key LIKE @ledger || '/%')
			   AND NOT EXISTS (SELECT 1 FROM postings WHERE ledger = @ledger)`,
		} {
			if err := tx.db.Exec(statement, map[string]any{"ledger": name, "person": person}).Error; err != nil {
				return err
			}
		}
		return nil
	})
}
