package store

import (
	"context"
	"encoding/json"
	"fmt"

	"gorm.io/gorm"

	"codicil/core/judge"
	"codicil/core/proof"
	"codicil/core/record"
)

type proofRow struct {
	ID      int64 `gorm:"primaryKey;autoIncrement"`
	Kind    string
	Name    string
	Rules   []int64           `gorm:"serializer:json"`
	Given   judge.Document    `gorm:"serializer:kept"`
	Expect  proof.Expectation `gorm:"serializer:kept"`
	Posting string
	Unread  bool
	Seen    map[int64]int `gorm:"serializer:json"`
	Version int
	// Changed.At is "" before proofs had versions.
	Changed record.Stamp `gorm:"embedded;embeddedPrefix:changed_"`
	// Codicil is that with which it was kept and which is not in force yet; 0: none.
	Codicil int64
}

func (proofRow) TableName() string { return "proofs" }

func (r proofRow) proof() proof.Proof {
	return proof.Proof{ID: r.ID, Name: r.Name, Rules: r.Rules, Given: r.Given, Expect: r.Expect, Posting: r.Posting, Unread: r.Unread, Seen: r.Seen,
		Version: r.Version, ChangedAt: r.Changed.At, ChangedBy: r.Changed.By, Codicil: r.Codicil}
}

type proofVersion struct {
	ProofID   int64 `gorm:"primaryKey"`
	Version   int   `gorm:"primaryKey"`
	What, Why string
	Name      string
	Rules     []int64           `gorm:"serializer:json"`
	Given     judge.Document    `gorm:"serializer:kept"`
	Expect    proof.Expectation `gorm:"serializer:kept"`
	Changed   record.Stamp      `gorm:"embedded;embeddedPrefix:changed_"`
}

// ProofVersion is a proof as it was at one time.
type ProofVersion struct {
	proof.Proof
	// What says what was done: "kept", "accepted", "carried anew", "read", "taken back".
	What, Why string
	Changed   record.Stamp
}

// proofsShown are the proofs of a kind by what is shown: those of a codicil that is not in force only with it.
func (s *Store) proofsShown(ctx context.Context, kind string) *gorm.DB {
	codicil := int64(0)
	if s.view != nil {
		codicil = s.view.Codicil
	}
	return s.db.WithContext(ctx).Where("kind = ? AND codicil IN (0, ?)", kind, codicil).Order("id")
}

// Proofs returns the proofs of a kind that are shown in the order they were kept: all, or only those with
// the numbers. Reading one takes about half a millisecond.
func (s *Store) Proofs(ctx context.Context, kind string, only ...int64) ([]proof.Proof, error) {
	if s.view != nil && s.view.Until != "" {
		return s.formerProofs(ctx, kind, only)
	}
	query := s.proofsShown(ctx, kind)
	if len(only) > 0 {
		query = query.Where("id IN ?", only)
	}
	return all(query, proofRow.proof)
}

// formerProofs are the proofs of a kind as they were at the instant that is shown. Those that were removed since are not
// among them.
func (s *Store) formerProofs(ctx context.Context, kind string, only []int64) ([]proof.Proof, error) {
	query := s.db.WithContext(ctx).Order("proof_id").
		Where("(proof_id, version) IN (SELECT proof_id, MAX(version) FROM proof_versions WHERE changed_at <= ? GROUP BY proof_id)", s.view.Until).
		Where("proof_id IN (SELECT id FROM proofs WHERE kind = ? AND codicil = 0)", kind)
	if len(only) > 0 {
		query = query.Where("proof_id IN ?", only)
	}
	return all(query, func(v proofVersion) proof.Proof {
		return proof.Proof{ID: v.ProofID, Version: v.Version, Name: v.Name, Rules: v.Rules, Given: v.Given, Expect: v.Expect, ChangedAt: v.Changed.At, ChangedBy: v.Changed.By}
	})
}

// ProofsByRule returns the numbers of the proofs of a kind, in order, by the rules that they name.
func (s *Store) ProofsByRule(ctx context.Context, kind string) (map[int64][]int64, error) {
	var rows []proofRow
	if s.view != nil && s.view.Until != "" {
		former, err := s.formerProofs(ctx, kind, nil)
		if err != nil {
			return nil, err
		}
		for i := range former {
			rows = append(rows, proofRow{ID: former[i].ID, Rules: former[i].Rules})
		}
	} else if err := s.proofsShown(ctx, kind).Select("id", "rules").Find(&rows).Error; err != nil {
		return nil, err
	}
	named := map[int64][]int64{}
	for _, r := range rows {
		for _, rule := range r.Rules {
			named[rule] = append(named[rule], r.ID)
		}
	}
	return named, nil
}

// ProofsOf returns the proofs that were kept from a test posting.
func (s *Store) ProofsOf(ctx context.Context, posting string) ([]proof.Proof, error) {
	return all(s.db.WithContext(ctx).Where("posting = ?", posting).Order("id"), proofRow.proof)
}

// CountPosted counts the proofs that were kept from a test posting.
func (s *Store) CountPosted(ctx context.Context) (int, error) {
	var count int64
	err := s.db.WithContext(ctx).Model(&proofRow{}).Where("posting <> ''").Count(&count).Error
	return int(count), err
}

// Proof returns one proof. The error is ErrNotFound when there is none.
func (s *Store) Proof(ctx context.Context, id int64) (proof.Proof, error) {
	var row proofRow
	err := s.db.WithContext(ctx).First(&row, id).Error
	return row.proof(), found(err, "proof", id)
}

// SaveProof keeps a proof as its next version, a new one when its ID is 0, and returns it with
// its ID. p.Version is the version that was changed; the error is ErrStale when it is not the
// last. what says what was done, and why.
func (s *Store) SaveProof(ctx context.Context, p proof.Proof, what, why string, by record.Stamp) (proof.Proof, error) {
	before := p.Version
	row := proofRow{p.ID, p.Given.Kind, p.Name, append([]int64{}, p.Rules...), p.Given, p.Expect, p.Posting, p.Unread, p.Seen, before + 1, by, p.Codicil}
	entry := TrailEntry{What: what, Kind: "proof", Company: p.Given.Company, Note: why}
	err := s.Transaction(ctx, func(tx *Store) (err error) {
		if entry.Before, err = tx.hash(ctx, proofAt(p.ID)); err != nil {
			return err
		}
		if p.ID == 0 {
			row.Version = 1
			if tx.view != nil {
				row.Codicil = tx.view.Codicil
			}
			if err := tx.db.Create(&row).Error; err != nil {
				return err
			}
		} else {
			result := tx.db.Model(&row).Where("version = ?", before).Select("*").Updates(&row)
			if result.Error != nil {
				return result.Error
			}
			if result.RowsAffected == 0 {
				return fmt.Errorf("proof %d: %w", p.ID, ErrStale)
			}
		}
		entry.Key = fmt.Sprint(row.ID)
		if entry.After, err = tx.hash(ctx, proofAt(row.ID)); err != nil {
			return err
		}
		if err := tx.Note(ctx, by, entry); err != nil {
			return err
		}
		return tx.db.Create(&proofVersion{row.ID, row.Version, what, why, row.Name, row.Rules, row.Given, row.Expect, by}).Error
	})
	return row.proof(), err
}

// ProofVersions returns what a proof has been, newest first.
func (s *Store) ProofVersions(ctx context.Context, id int64) ([]ProofVersion, error) {
	return all(s.db.WithContext(ctx).Where("proof_id = ?", id).Order("version DESC"), func(v proofVersion) ProofVersion {
		return ProofVersion{proof.Proof{ID: id, Version: v.Version, Name: v.Name, Rules: v.Rules, Given: v.Given, Expect: v.Expect}, v.What, v.Why, v.Changed}
	})
}

// DeleteProof removes a proof. The error is ErrNotFound when there is none.
func (s *Store) DeleteProof(ctx context.Context, id int64, by record.Stamp) error {
	p, err := s.Proof(ctx, id)
	if err != nil {
		return err
	}
	entry := TrailEntry{Kind: "proof", Key: fmt.Sprint(id), Company: p.Given.Company}
	return s.noted(ctx, by, entry, proofAt(id), func(tx *Store) error { return tx.db.Delete(&proofRow{ID: id}).Error })
}

func proofAt(id int64) place { return at("proofs", "id = ?", id) }

// CountProofsNaming counts the proofs that hold a text as a value. Cost: all proofs.
func (s *Store) CountProofsNaming(ctx context.Context, text string) (count int, err error) {
	quoted, err := json.Marshal(text)
	if err != nil {
		return 0, err
	}
	err = s.db.WithContext(ctx).Raw("SELECT count(*) FROM proofs WHERE instr(given, ?) > 0 OR instr(expect, ?) > 0", string(quoted), string(quoted)).Scan(&count).Error
	return count, err
}
