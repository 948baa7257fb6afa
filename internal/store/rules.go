package store

import (
	"context"
	"fmt"
	"time"

	"codicil/core/rule"
)

type ruleRow struct {
	ID      int64 `gorm:"primaryKey;autoIncrement"`
	Kind    string
	Version int
	State   rule.State
	Name    string
	Reason  string
	Body    rule.Body `gorm:"serializer:json"`
}

func (ruleRow) TableName() string { return "rules" }

func (r ruleRow) rule() rule.Rule {
	return rule.Rule{ID: r.ID, Version: r.Version, State: r.State, Name: r.Name, Reason: r.Reason, Body: r.Body}
}

// RuleVersion is a rule as it was at one time.
type RuleVersion struct {
	RuleID    int64 `gorm:"primaryKey"`
	Version   int   `gorm:"primaryKey"`
	State     rule.State
	Name      string
	Body      rule.Body `gorm:"serializer:json"`
	ChangedAt time.Time
	ChangedBy string
	Reason    string
}

// Rules returns all rules of a kind in the order they were made.
func (s *Store) Rules(ctx context.Context, kind string) ([]rule.Rule, error) {
	return all(s.db.WithContext(ctx).Where("kind = ?", kind).Order("id"), ruleRow.rule)
}

// Rule returns one rule. The error is ErrNotFound when there is none.
func (s *Store) Rule(ctx context.Context, id int64) (rule.Rule, error) {
	var row ruleRow
	err := s.db.WithContext(ctx).First(&row, id).Error
	return row.rule(), found(err, "rule", id)
}

// AddRule keeps a new rule with its first version and returns it with its ID.
func (s *Store) AddRule(ctx context.Context, r rule.Rule, at time.Time, by string) (rule.Rule, error) {
	r.Version = 1
	err := s.Transaction(ctx, func(tx *Store) error {
		row := ruleRow{ID: r.ID, Kind: r.Kind, Version: r.Version, State: r.State, Name: r.Name, Reason: r.Reason, Body: r.Body}
		if err := tx.db.Create(&row).Error; err != nil {
			return err
		}
		r.ID = row.ID
		return tx.addVersion(r, at, by)
	})
	return r, err
}

// ChangeRule keeps a changed rule as its next version. r.Version is the version
// that the caller changed; the error is ErrStale when it is not the last one.
func (s *Store) ChangeRule(ctx context.Context, r rule.Rule, at time.Time, by string) (rule.Rule, error) {
	before := r.Version
	r.Version++
	err := s.Transaction(ctx, func(tx *Store) error {
		row := ruleRow{ID: r.ID, Kind: r.Kind, Version: r.Version, State: r.State, Name: r.Name, Reason: r.Reason, Body: r.Body}
		result := tx.db.Model(&row).Where("version = ?", before).Select("*").Updates(&row)
		if result.Error != nil {
			return result.Error
		}
		if result.RowsAffected == 0 {
			return fmt.Errorf("rule %d: %w", r.ID, ErrStale)
		}
		return tx.addVersion(r, at, by)
	})
	return r, err
}

func (s *Store) addVersion(r rule.Rule, at time.Time, by string) error {
	return s.db.Create(&RuleVersion{r.ID, r.Version, r.State, r.Name, r.Body, at.UTC(), by, r.Reason}).Error
}

// DeleteRule removes a rule with its versions.
func (s *Store) DeleteRule(ctx context.Context, id int64) error {
	return s.db.WithContext(ctx).Delete(&ruleRow{ID: id}).Error
}

// RuleVersions returns the versions of a rule, newest first.
func (s *Store) RuleVersions(ctx context.Context, id int64) ([]RuleVersion, error) {
	return all(s.db.WithContext(ctx).Where("rule_id = ?", id).Order("version DESC"), func(v RuleVersion) RuleVersion { return v })
}
