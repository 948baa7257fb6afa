package store

import (
	"context"
	"encoding/json"
	"fmt"

	"gorm.io/gorm/clause"

	"codicil/core/learn"
	"codicil/core/record"
)

// learnedVersion is that of what is written of proposals; what another version wrote is not read, as
// it can be learned again.
const learnedVersion = 2

type learned struct {
	Kind      string `gorm:"primaryKey"`
	Version   int
	Run       int64
	At        string
	Seen      int
	Proposals string
}

func (learned) TableName() string { return "learned" }

// Learned is what records of a kind bear out.
type Learned struct {
	Run       int64  // that looked
	At        string // RFC 3339
	Seen      int    // how many records there were
	Proposals []LearnedRule
}

// LearnedRule is a proposal, and what the rules in force of then made of some records that bear it out.
type LearnedRule struct {
	learn.Proposal
	// Asked is of how many records that was looked at, and Agree in how many they give the same value.
	Asked, Agree int
}

// SaveLearned keeps what was learned of a kind, in place of what was before.
func (s *Store) SaveLearned(ctx context.Context, kind string, l Learned) error {
	text, err := json.Marshal(l.Proposals)
	if err != nil {
		return err
	}
	row := learned{kind, learnedVersion, l.Run, l.At, l.Seen, string(text)}
	return s.Transaction(ctx, func(tx *Store) error { return tx.db.Save(&row).Error })
}

// Learned returns what was learned of a kind last; nil: nothing was.
func (s *Store) Learned(ctx context.Context, kind string) (*Learned, error) {
	rows, err := all(s.db.WithContext(ctx).Where("kind = ? AND version = ?", kind, learnedVersion), itself[learned])
	if err != nil || len(rows) == 0 {
		return nil, err
	}
	l := &Learned{Run: rows[0].Run, At: rows[0].At, Seen: rows[0].Seen}
	if err := json.Unmarshal([]byte(rows[0].Proposals), &l.Proposals); err != nil {
		return nil, fmt.Errorf("what was learned of %s: %w", kind, err)
	}
	return l, nil
}

type learnedAside struct {
	Kind   string `gorm:"primaryKey"`
	Key    string `gorm:"primaryKey"`
	Reason string
	record.Stamp
}

// LearnedAside says why a proposal is left alone.
type LearnedAside struct {
	Reason string
	By     record.Stamp
}

// LearnedAsides returns the proposals of a kind that somebody decided against, by key.
func (s *Store) LearnedAsides(ctx context.Context, kind string) (map[string]LearnedAside, error) {
	rows, err := all(s.db.WithContext(ctx).Where("kind = ?", kind), itself[learnedAside])
	found := make(map[string]LearnedAside, len(rows))
	for _, row := range rows {
		found[row.Key] = LearnedAside{row.Reason, row.Stamp}
	}
	return found, err
}

// SaveLearnedAside decides against a proposal, or changes the reason; without a reason it is open again.
func (s *Store) SaveLearnedAside(ctx context.Context, kind, key, reason string, by record.Stamp) error {
	entry := TrailEntry{Kind: "proposal", Key: kind + "/" + key, Note: reason}
	return s.noted(ctx, by, entry, at("learned_asides", "kind = ? AND key = ?", kind, key), func(tx *Store) error {
		if reason == "" {
			return tx.db.Where("kind = ? AND key = ?", kind, key).Delete(&learnedAside{}).Error
		}
		return tx.db.Clauses(clause.OnConflict{UpdateAll: true}).Create(&learnedAside{kind, key, reason, by}).Error
	})
}
