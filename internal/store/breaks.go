package store

import "context"

// BreakCount is how many saved records of a company broke a check when it was counted.
type BreakCount struct {
	Kind      string
	Run       int64
	Rule      int64
	Company   string
	Broken    int
	CountedAt string // RFC 3339
}

// countingsKept is how many countings of a kind stay.
const countingsKept = 60

// SaveBreakCounts keeps what a run counted; of the countings of a kind only the newest stay.
func (s *Store) SaveBreakCounts(ctx context.Context, kind string, counts []BreakCount) error {
	return s.Transaction(ctx, func(tx *Store) error {
		if len(counts) > 0 {
			if err := tx.db.CreateInBatches(&counts, 100).Error; err != nil {
				return err
			}
		}
		return tx.db.Exec("DELETE FROM break_counts WHERE kind = ? AND run NOT IN (SELECT DISTINCT run FROM break_counts WHERE kind = ? ORDER BY run DESC LIMIT ?)", kind, kind, countingsKept).Error
	})
}

// BreakCounts returns the countings of a kind, the oldest first.
func (s *Store) BreakCounts(ctx context.Context, kind string) (counts []BreakCount, err error) {
	err = s.db.WithContext(ctx).Where("kind = ?", kind).Order("run, rule, company").Find(&counts).Error
	return counts, err
}
