package store

import (
	"context"

	"codicil/core/record"
	"codicil/internal/actor"
)

// Refusal is a sort of attempt that was refused, and how often since the trail was told last.
type Refusal struct {
	What, Key        string
	Address, Session string
	By               record.Stamp `gorm:"embedded;embeddedPrefix:by_"` // who tried, and when it was written down
	Count            int
}

// HoldRefusals writes down what was refused in place of what was written down before, so that it is not lost
// until it is told to the trail.
func (s *Store) HoldRefusals(ctx context.Context, refusals []Refusal) error {
	return s.Transaction(ctx, func(tx *Store) error {
		if err := tx.db.WithContext(ctx).Exec("DELETE FROM refusals").Error; err != nil {
			return err
		}
		if len(refusals) == 0 {
			return nil
		}
		return tx.db.WithContext(ctx).CreateInBatches(refusals, 100).Error
	})
}

// HeldRefusals returns what HoldRefusals wrote down last.
func (s *Store) HeldRefusals(ctx context.Context) ([]Refusal, error) {
	return all(s.db.WithContext(ctx).Order("rowid"), itself[Refusal])
}

// TellRefusals adds what was refused to the trail, a line a sort, and forgets what was written down of it.
func (s *Store) TellRefusals(ctx context.Context, refusals []Refusal) error {
	return s.Transaction(ctx, func(tx *Store) error {
		for _, r := range refusals {
			who := actor.With(ctx, actor.Actor{Address: r.Address, Session: r.Session})
			entry := TrailEntry{What: r.What, Kind: "refusal", Key: r.Key, Count: r.Count}
			if err := tx.Note(who, r.By, entry); err != nil {
				return err
			}
		}
		return tx.HoldRefusals(ctx, nil)
	})
}
