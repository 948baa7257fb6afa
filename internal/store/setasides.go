package store

import (
	"context"
	"fmt"

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
	return s.noted(ctx, by, asideEntry(ruleID, change+": "+reason), asideAt(ruleID, change), func(tx *Store) error {
		return tx.db.Clauses(clause.OnConflict{UpdateAll: true}).Create(&row).Error
	})
}

// DeleteSetAside takes one back; it is no error when it is not there.
func (s *Store) DeleteSetAside(ctx context.Context, ruleID int64, change string, by record.Stamp) error {
	return s.noted(ctx, by, asideEntry(ruleID, change), asideAt(ruleID, change), func(tx *Store) error {
		return tx.db.Where("rule_id = ? AND change = ?", ruleID, change).Delete(&setAside{}).Error
	})
}

func asideAt(rule int64, change string) place {
	return at("set_asides", "rule_id = ? AND change = ?", rule, change)
}

func asideEntry(rule int64, note string) TrailEntry {
	return TrailEntry{Kind: "wrong version set aside", Key: fmt.Sprint(rule), Note: note}
}
