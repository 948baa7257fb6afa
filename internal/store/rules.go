package store

import (
	"context"
	"encoding/hex"
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
	UID     string
}

func (ruleRow) TableName() string { return "rules" }

func ruleRowOf(r rule.Rule) ruleRow {
	return ruleRow{ID: r.ID, Kind: r.Kind, Version: r.Version, State: r.State, Name: r.Name, Reason: r.Reason, Body: r.Body, UID: r.UID}
}

func (r ruleRow) rule() rule.Rule {
	return rule.Rule{ID: r.ID, UID: r.UID, Version: r.Version, State: r.State, Name: r.Name, Reason: r.Reason, Body: r.Body}
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
	Codicil int64        // that brought it; 0: it is a draft
}

// RuleVersion is a rule as it was at one time.
type RuleVersion struct {
	rule.Rule
	Changed record.Stamp
	Codicil int64 // that brought it; 0: it is a draft
}

// Rules returns all rules of a kind in the order they were made, as they are shown.
func (s *Store) Rules(ctx context.Context, kind string) ([]rule.Rule, error) {
	rules, err := all(s.db.WithContext(ctx).Where("kind = ?", kind).Order("id"), ruleRow.rule)
	if err != nil || s.view == nil {
		return rules, err
	}
	return s.viewedRules(ctx, rules)
}

// Rule returns one rule, as it is shown. The error is ErrNotFound when there is none.
func (s *Store) Rule(ctx context.Context, id int64) (rule.Rule, error) {
	r, err := s.realRule(ctx, fmt.Sprint(id))
	if err != nil || s.view == nil {
		return r, err
	}
	rules, err := s.viewedRules(ctx, []rule.Rule{r})
	if err == nil && len(rules) == 0 {
		err = &NotFoundError{ruleThing, fmt.Sprint(id)}
	}
	if err != nil {
		return rule.Rule{}, err
	}
	return rules[0], nil
}

// RuleKnownError reports that a new rule has the identifier of one that is here.
type RuleKnownError struct{ Rule int64 }

// Error says of which.
func (e *RuleKnownError) Error() string { return fmt.Sprintf("rule %d has the identifier", e.Rule) }

// AddRule keeps a new rule with its first version and returns it with its ID. The error is a RuleKnownError where its identifier is that
// of another. It is a draft in a codicil that is open: in
// the one that is shown, or in one of its own.
func (s *Store) AddRule(ctx context.Context, r rule.Rule, by record.Stamp) (rule.Rule, error) {
	r.Version = 1
	err := s.Transaction(ctx, func(tx *Store) error {
		if tx.view != nil {
			if err := tx.mayRecord(ctx); err != nil {
				return err
			}
		}
		if err := tx.number(ctx, &r); err != nil {
			return err
		}
		row := ruleRowOf(r)
		row.State = draftState
		if err := tx.db.Create(&row).Error; err != nil {
			return err
		}
		draft := r
		draft.State = draftState
		if err := tx.addRuleVersion(ctx, draft, "added", nil, by); err != nil {
			return err
		}
		if err := tx.drafted(ctx, draft, by); err != nil {
			return err
		}
		if r.State = draftState; tx.view != nil {
			r.State = rule.InForce
		}
		return nil
	})
	return r, err
}

// number gives a new rule its number, and an identifier that is its own on every installation.
func (s *Store) number(ctx context.Context, r *rule.Rule) error {
	if err := s.db.WithContext(ctx).Raw("SELECT COALESCE((SELECT seq FROM sqlite_sequence WHERE name = 'rules'), 0) + 1").Scan(&r.ID).Error; err != nil {
		return err
	}
	if r.UID != "" {
		var known []int64
		err := s.db.WithContext(ctx).Model(&ruleRow{}).Where("uid = ?", r.UID).Pluck("id", &known).Error
		if err == nil && len(known) > 0 {
			err = &RuleKnownError{known[0]}
		}
		return err
	}
	_, seed, err := s.BookVersion(ctx)
	r.UID = hex.EncodeToString(HashOf(fmt.Appendf(nil, "%s/%d", seed, r.ID))[:8])
	return err
}

// ChangeRule keeps a changed rule as its next version: in the codicil that is shown, or at once. r.Version is the version
// that the caller changed; the error is ErrStale when it is not the last one.
func (s *Store) ChangeRule(ctx context.Context, r rule.Rule, by record.Stamp) (rule.Rule, error) {
	before := r.Version
	r.Version++
	err := s.Transaction(ctx, func(tx *Store) error {
		t := ruleThingOf(r.ID)
		now, err := tx.realRule(ctx, t.Key)
		if err != nil {
			return err
		}
		shown, err := tx.Rule(ctx, r.ID)
		if err != nil {
			return err
		}
		if shown.Version != before {
			return fmt.Errorf("rule %d: %w", r.ID, ErrStale)
		}
		r.UID = now.UID
		var owner *Codicil
		if now.State == draftState {
			if owner, err = tx.ownerOf(ctx, t); err != nil {
				return err
			}
		}
		draft := now.State == draftState || r.State == draftState
		switch {
		case tx.view != nil && owner != nil && owner.ID != tx.view.Codicil:
			if err := mayTakeOver(owner, t); err != nil {
				return err
			}
			if r.State != rule.Retired {
				if err := tx.left(ctx, owner, t, fmt.Sprintf("its rule is a part of codicil %d", tx.view.Codicil), by); err != nil {
					return err
				}
				owner = nil
			}
			fallthrough
		case tx.view != nil && now.State == draftState:
			if err := tx.mayRecord(ctx); err != nil {
				return err
			}
			fallthrough
		case tx.view == nil && draft && (r.State == draftState || r.State == rule.Retired):
			kept := r
			kept.Version = now.Version + 1
			if kept.State != rule.Retired {
				kept.State = draftState
			}
			if err := tx.putRule(ctx, kept, now.Version, by); err != nil {
				return err
			}
			if kept.State == rule.Retired {
				return tx.left(ctx, owner, t, "the rule was retired", by)
			}
			r.Version = kept.Version
			if err := tx.drafted(ctx, r, by); err != nil {
				return err
			}
			r, err = tx.Rule(ctx, r.ID)
			return err
		case tx.view != nil:
			if r.State == draftState { // one that is taken up again holds with the codicil, as one that is new
				r.State = rule.InForce
			}
			text, err := written(r)
			if err != nil {
				return err
			}
			if err := tx.amend(ctx, t, r.Name, inForceNow{r.Version, text}, by, nil); err != nil {
				return err
			}
			r, err = tx.Rule(ctx, r.ID) // a change to what is in force is none: it has no version
			return err
		}
		reason := r.Reason
		if reason == now.Reason { // of a change before
			reason = ""
		}
		id := int64(0)
		if owner != nil && tx.later.head == nil {
			if id, err = tx.alone(ctx, owner, t, reason, by); err != nil {
				return err
			}
		}
		if id == 0 {
			if err := tx.left(ctx, owner, t, "its rule is in force by another codicil", by); err != nil {
				return err
			}
		}
		return tx.atOnce(ctx, t, CodicilHead{Title: r.Name, Reason: reason}, id, by, func(tx *Store) error { return tx.putRule(ctx, r, now.Version, by) })
	})
	return r, err
}

// alone takes the codicil that a draft began for one to come into force now, where nothing else is in it; 0: it is not that.
func (s *Store) alone(ctx context.Context, owner *Codicil, t Thing, reason string, by record.Stamp) (int64, error) {
	changes, err := s.ChangesOf(ctx, owner.ID, 0)
	if err != nil || !owner.Own || len(changes) != 1 || changes[0].Thing != t {
		return 0, err
	}
	if owner.Reason == "" && reason != "" {
		owner.Reason = reason
		if _, err := s.ChangeCodicil(ctx, *owner, "reason", by); err != nil {
			return 0, err
		}
	}
	return owner.ID, nil
}

// mayTakeOver refuses to take a draft out of another codicil for the one that is shown, unless the program began that one for drafts,
// and nobody signs it.
func mayTakeOver(owner *Codicil, t Thing) error {
	if owner.Own && owner.State == CodicilOpen {
		return nil
	}
	return &ElsewhereError{t.Number(), owner.ID}
}

// putRule writes the next version of a rule after before.
func (s *Store) putRule(ctx context.Context, r rule.Rule, before int, by record.Stamp) error {
	row := ruleRowOf(r)
	old, err := s.hash(ctx, ruleAt(r.ID))
	if err != nil {
		return err
	}
	result := s.db.WithContext(ctx).Model(&row).Where("version = ?", before).Select("*").Updates(&row)
	if result.Error != nil {
		return result.Error
	}
	if result.RowsAffected == 0 {
		return fmt.Errorf("rule %d: %w", r.ID, ErrStale)
	}
	return s.addRuleVersion(ctx, r, "changed", old, by)
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
	codicil := s.later.codicil
	if r.State == draftState {
		codicil = 0
	}
	return s.db.Create(&ruleVersion{r.ID, r.Version, r.State, r.Name, r.Body, r.Reason, book, by, codicil}).Error
}

// DeleteRule removes a draft with its versions, and takes it out of the codicil in which it is new.
func (s *Store) DeleteRule(ctx context.Context, id int64, by record.Stamp) error {
	return s.Transaction(ctx, func(tx *Store) error {
		owner, err := tx.ownerOf(ctx, ruleThingOf(id))
		if err != nil {
			return err
		}
		if tx.view != nil && owner != nil && owner.ID != tx.view.Codicil {
			return &ElsewhereError{id, owner.ID}
		}
		if err := tx.left(ctx, owner, ruleThingOf(id), "its draft was discarded", by); err != nil {
			return err
		}
		return tx.removeRule(ctx, id, by)
	})
}

func (s *Store) removeRule(ctx context.Context, id int64, by record.Stamp) error {
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

// RuleVersions returns the versions of a rule, newest first.
func (s *Store) RuleVersions(ctx context.Context, id int64) ([]RuleVersion, error) {
	return all(s.db.WithContext(ctx).Where("rule_id = ?", id).Order("version DESC"), func(v ruleVersion) RuleVersion {
		return RuleVersion{rule.Rule{ID: id, Version: v.Version, State: v.State, Name: v.Name, Reason: v.Reason, Body: v.Body}, v.Changed, v.Codicil}
	})
}
