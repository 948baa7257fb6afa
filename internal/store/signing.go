package store

import (
	"context"

	"codicil/core/record"
)

// SigningRule says who must sign codicils that change some things.
type SigningRule struct {
	Title string `json:"title"`
	// Kinds, Companies and Families are of what is changed; empty: all.
	Kinds     []string `json:"kinds"`
	Companies []string `json:"companies"`
	Families  []string `json:"families"`
	// Finds is what the check must have found; "anything": whatever it found.
	Finds string `json:"finds"`
	Role  string `json:"role"`  // the key of that which must sign
	Count int    `json:"count"` // of persons
}

// Signing is who must sign codicils.
type Signing struct {
	ID      int64 `gorm:"primaryKey"`
	Version int
	// UrgentDays is in how many days signatures of what was urgent are to be given; 0: nothing may be urgent.
	UrgentDays int
	Rules      []SigningRule `gorm:"serializer:json"`
}

// TableName is that of the table.
func (Signing) TableName() string { return "signing" }

// Signature is that of a person under a codicil as it was read.
type Signature struct {
	Codicil int64 `gorm:"primaryKey"`
	Number  int   `gorm:"primaryKey"`
	Hash    string
	Roles   []string `gorm:"serializer:json"` // keys, of then
	Lines   []string `gorm:"serializer:json"` // what they read
	Reason  string
	Signed  record.Stamp `gorm:"embedded;embeddedPrefix:signed_"`
}

// Signing returns who must sign codicils.
func (s *Store) Signing(ctx context.Context) (v Signing, err error) {
	return v, s.db.WithContext(ctx).First(&v, 1).Error
}

// SaveSigning changes who must sign. v.Version is the version that the caller changed; the error is ErrStale when it is not
// the last.
func (s *Store) SaveSigning(ctx context.Context, v Signing, by record.Stamp) error {
	before := v.Version
	v.ID, v.Version = 1, before+1
	return s.noted(ctx, by, TrailEntry{Kind: "signing"}, at("signing", "id = 1"), func(tx *Store) error {
		result := tx.db.Model(&v).Where("version = ?", before).Select("*").Updates(&v)
		if result.Error == nil && result.RowsAffected == 0 {
			return ErrStale
		}
		return result.Error
	})
}

// Signatures returns those under a codicil, the first first.
func (s *Store) Signatures(ctx context.Context, codicil int64) ([]Signature, error) {
	return all(s.db.WithContext(ctx).Where("codicil = ?", codicil).Order("number"), itself[Signature])
}

// Sign adds a signature.
func (s *Store) Sign(ctx context.Context, v Signature) error {
	return s.Transaction(ctx, func(tx *Store) error {
		given, err := tx.Signatures(ctx, v.Codicil)
		if err != nil {
			return err
		}
		v.Number = len(given) + 1
		note := codicilEntry(v.Codicil, v.Hash)
		note.What = "signed"
		return tx.noted(ctx, v.Signed, note, at("signatures", "codicil = ? AND number = ?", v.Codicil, v.Number), func(tx *Store) error {
			return tx.db.Create(&v).Error
		})
	})
}

// Govern says what must be so before a set of changes that is made at once comes into force: where must fails, nothing of
// it is kept. It is asked within the transaction.
func (s *Store) Govern(must func(ctx context.Context, tx *Store, c Codicil, contents []CodicilChange, by record.Stamp) error) {
	s.shared.must.Store(&must)
}

// RolesOf returns the keys of the roles of a person; none for who is not kept.
func (s *Store) RolesOf(ctx context.Context, person string) ([]string, error) {
	rows, err := all(s.db.WithContext(ctx).Where("id = ? AND NOT ended", person), itself[Person])
	for i := range rows {
		return rows[i].Roles, err
	}
	return nil, err
}
