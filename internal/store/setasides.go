package store

import (
	"context"

	"gorm.io/gorm"
	"gorm.io/gorm/clause"

	"codicil/core/record"
)

type setAside struct {
	RuleID int64  `gorm:"primaryKey"`
	Change string `gorm:"primaryKey"`
	Reason string
	Stamp  record.Stamp `gorm:"embedded"`
}

// SetAside is a wrong version of a rule that a person has set aside.
type SetAside struct {
	// Change says what is wrong in the version, in the words of proof.Mutant.
	Change, Reason string
	By             record.Stamp
}

// SetAsides returns what was set aside of a rule.
func (s *Store) SetAsides(ctx context.Context, ruleID int64) ([]SetAside, error) {
	return all(s.db.WithContext(ctx).Where("rule_id = ?", ruleID).Order("at, change"), func(a setAside) SetAside {
		return SetAside{a.Change, a.Reason, a.Stamp}
	})
}

// SaveSetAside sets a version aside, or changes the reason.
func (s *Store) SaveSetAside(ctx context.Context, ruleID int64, change, reason string, by record.Stamp) error {
	row := setAside{ruleID, change, reason, by}
	return s.write(ctx, func(db *gorm.DB) *gorm.DB { return db.Clauses(clause.OnConflict{UpdateAll: true}).Create(&row) })
}

// DeleteSetAside takes one back; it is no error when it is not there.
func (s *Store) DeleteSetAside(ctx context.Context, ruleID int64, change string) error {
	return s.write(ctx, func(db *gorm.DB) *gorm.DB {
		return db.Where("rule_id = ? AND change = ?", ruleID, change).Delete(&setAside{})
	})
}
