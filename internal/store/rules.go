package store

import (
	"context"
	"fmt"

	"codicil/core/record"
	"codicil/core/rule"
)

type ruleRow struct {
	ID      int64 `gorm:"primaryKey;autoIncrement"`
	Kind    string
	Version int
	State   rule.State
	Name    string
	Reason  string
	Body    rule.Body `gorm:"serializer:kept"`
}

func (ruleRow) TableName() string { return "rules" }

func ruleRowOf(r rule.Rule) ruleRow {
	return ruleRow{ID: r.ID, Kind: r.Kind, Version: r.Version, State: r.State, Name: r.Name, Reason: r.Reason, Body: r.Body}
}

func (r ruleRow) rule() rule.Rule {
	return rule.Rule{ID: r.ID, Version: r.Version, State: r.State, Name: r.Name, Reason: r.Reason, Body: r.Body}
}

type ruleVersion struct {
	RuleID  int64 `gorm:"primaryKey"`
	Version int   `gorm:"primaryKey"`
	State   rule.State
	Name    string
	Body    rule.Body `gorm:"serializer:kept"`
	Reason  string
	Book    int64        // the version of the rule book that it made; 0: one before this was kept
	Changed record.Stamp `gorm:"embedded;embeddedPrefix:changed_"`
}

// RuleVersion is a rule as it was at one time.
type RuleVersion struct {
	rule.Rule
	Changed record.Stamp
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
func (s *Store) AddRule(ctx context.Context, r rule.Rule, by record.Stamp) (rule.Rule, error) {
	r.Version = 1
	err := s.Transaction(ctx, func(tx *Store) error {
		row := ruleRowOf(r)
		if err := tx.db.Create(&row).Error; err != nil {
			return err
		}
		r.ID = row.ID
		return tx.addRuleVersion(ctx, r, "added", nil, by)
	})
	return r, err
}

// ChangeRule keeps a changed rule as its next version. r.Version is the version
// that the caller changed; the error is ErrStale when it is not the last one.
func (s *Store) ChangeRule(ctx context.Context, r rule.Rule, by record.Stamp) (rule.Rule, error) {
	before := r.Version
	r.Version++
	err := s.Transaction(ctx, func(tx *Store) error {
		row := ruleRowOf(r)
		old, err := tx.hash(ctx, ruleAt(r.ID))
		if err != nil {
			return err
		}
		result := tx.db.Model(&row).Where("version = ?", before).Select("*").Updates(&row)
		if result.Error != nil {
			return result.Error
		}
		if result.RowsAffected == 0 {
			return fmt.Errorf("rule %d: %w", r.ID, ErrStale)
		}
		return tx.addRuleVersion(ctx, r, "changed", old, by)
	})
	return r, err
}

func ruleAt(id int64) place { return at("rules", "id = ?", id) }

func (s *Store) addRuleVersion(ctx context.Context, r rule.Rule, what string, before []byte, by record.Stamp) error {
	entry := TrailEntry{What: what, Kind: "rule", Key: fmt.Sprint(r.ID), Note: fmt.Sprintf("version %d, %s: %s", r.Version, r.State, r.Name), Before: before}
	var err error
	if entry.After, err = s.hash(ctx, ruleAt(r.ID)); err != nil {
		return err
	}
	if err := s.Note(ctx, by, entry); err != nil {
		return err
	}
	book, err := s.bookNow()
	if err != nil {
		return err
	}
	return s.db.Create(&ruleVersion{r.ID, r.Version, r.State, r.Name, r.Body, r.Reason, book, by}).Error
}

// DeleteRule removes a rule with its versions.
func (s *Store) DeleteRule(ctx context.Context, id int64, by record.Stamp) error {
	return s.noted(ctx, by, TrailEntry{Kind: "rule", Key: fmt.Sprint(id)}, ruleAt(id), func(tx *Store) error { return tx.db.Delete(&ruleRow{ID: id}).Error })
}

// LastChanges returns who changed each rule of a kind last, and when, by rule.
func (s *Store) LastChanges(ctx context.Context, kind string) (map[int64]record.Stamp, error) {
	var rows []ruleVersion
	err := s.db.WithContext(ctx).Omit("body").Joins("JOIN rules ON rules.id = rule_versions.rule_id AND rules.version = rule_versions.version AND rules.kind = ?", kind).Find(&rows).Error
	changed := make(map[int64]record.Stamp, len(rows))
	for _, v := range rows {
		changed[v.RuleID] = v.Changed
	}
	return changed, err
}

// RulesAt returns the rules of a kind as they were at a version of the rule book, in the order they were made.
func (s *Store) RulesAt(ctx context.Context, kind string, book int64) ([]rule.Rule, error) {
	query := s.db.WithContext(ctx).Where("book <= ? AND rule_id IN (SELECT id FROM rules WHERE kind = ?)", book, kind).Order("rule_id, version")
	rows, err := all(query, func(v ruleVersion) rule.Rule {
		return rule.Rule{ID: v.RuleID, Version: v.Version, State: v.State, Name: v.Name, Reason: v.Reason, Body: v.Body}
	})
	var rules []rule.Rule
	for i, r := range rows {
		if i+1 == len(rows) || rows[i+1].ID != r.ID { // the last version of then
			rules = append(rules, r)
		}
	}
	return rules, err
}

// RuleVersions returns the versions of a rule, newest first.
func (s *Store) RuleVersions(ctx context.Context, id int64) ([]RuleVersion, error) {
	return all(s.db.WithContext(ctx).Where("rule_id = ?", id).Order("version DESC"), func(v ruleVersion) RuleVersion {
		return RuleVersion{rule.Rule{ID: id, Version: v.Version, State: v.State, Name: v.Name, Reason: v.Reason, Body: v.Body}, v.Changed}
	})
}
