package store

import (
	"context"

	"codicil/core/proof"
)

type proofRow struct {
	ID     int64 `gorm:"primaryKey;autoIncrement"`
	Kind   string
	Name   string
	Rules  []int64           `gorm:"serializer:json"`
	Given  proof.Document    `gorm:"serializer:json"`
	Expect proof.Expectation `gorm:"serializer:json"`
	// Posting is the number of the test posting that the proof was kept from; may be "".
	Posting string
	Unread  bool
	Seen    map[int64]int `gorm:"serializer:json"`
}

func (proofRow) TableName() string { return "proofs" }

func (r proofRow) proof() proof.Proof {
	return proof.Proof{ID: r.ID, Name: r.Name, Rules: r.Rules, Given: r.Given, Expect: r.Expect, Posting: r.Posting, Unread: r.Unread, Seen: r.Seen}
}

// Proofs returns the proofs of a kind in the order they were kept.
func (s *Store) Proofs(ctx context.Context, kind string) ([]proof.Proof, error) {
	return all(s.db.WithContext(ctx).Where("kind = ?", kind).Order("id"), proofRow.proof)
}

// ProofsOf returns the proofs that were kept from a test posting.
func (s *Store) ProofsOf(ctx context.Context, posting string) ([]proof.Proof, error) {
	return all(s.db.WithContext(ctx).Where("posting = ?", posting).Order("id"), proofRow.proof)
}

// Proof returns one proof. The error is ErrNotFound when there is none.
func (s *Store) Proof(ctx context.Context, id int64) (proof.Proof, error) {
	var row proofRow
	err := s.db.WithContext(ctx).First(&row, id).Error
	return row.proof(), found(err, "proof", id)
}

// SaveProof keeps a proof, a new one when its ID is 0, and returns it with its ID.
func (s *Store) SaveProof(ctx context.Context, p proof.Proof) (proof.Proof, error) {
	row := proofRow{p.ID, p.Given.Kind, p.Name, append([]int64{}, p.Rules...), p.Given, p.Expect, p.Posting, p.Unread, p.Seen}
	err := s.db.WithContext(ctx).Save(&row).Error
	return row.proof(), err
}

// DeleteProof removes a proof. The error is ErrNotFound when there is none.
func (s *Store) DeleteProof(ctx context.Context, id int64) error {
	if _, err := s.Proof(ctx, id); err != nil {
		return err
	}
	return s.db.WithContext(ctx).Delete(&proofRow{ID: id}).Error
}
