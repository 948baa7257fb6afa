package store

import (
	"context"
	"time"

	"gorm.io/gorm/clause"
)

// SetAside is a wrong version of a rule that a person has set aside.
type SetAside struct {
	RuleID int64 `gorm:"primaryKey"`
	// Change says what is wrong in the version, in the words of proof.Mutant.
	Change string `gorm:"primaryKey"`
	Reason string
	At     string // RFC 3339
	By     string
}

// SetAsides returns what was set aside of a rule.
func (s *Store) SetAsides(ctx context.Context, ruleID int64) ([]SetAside, error) {
	return all(s.db.WithContext(ctx).Where("rule_id = ?", ruleID).Order("at, change"), func(a SetAside) SetAside { return a })
}

// SaveSetAside sets a version aside, or changes the reason.
func (s *Store) SaveSetAside(ctx context.Context, ruleID int64, change, reason string, at time.Time, by string) error {
	row := SetAside{ruleID, change, reason, at.UTC().Format(instant), by}
	return s.db.WithContext(ctx).Clauses(clause.OnConflict{UpdateAll: true}).Create(&row).Error
}

// DeleteSetAside takes one back; it is no error when it is not there.
func (s *Store) DeleteSetAside(ctx context.Context, ruleID int64, change string) error {
	return s.db.WithContext(ctx).Where("rule_id = ? AND change = ?", ruleID, change).Delete(&SetAside{}).Error
}
