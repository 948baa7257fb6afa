package store

import (
	"context"
	"fmt"
	"slices"
	"strings"

	"codicil/core/rule"
)

// formerChange is a change of a file in which there were no codicils yet.
type formerChange struct {
	CodicilChange
	title string
}

// codicilsAnew makes the codicils of a file in which there are none yet, from the versions of rules and tables: those that
// one person wrote at one instant are one. What was a draft is one that is open. Cost: once, all these versions.
func (s *Store) codicilsAnew(ctx context.Context) error {
	var there, versions int64
	if err := s.db.WithContext(ctx).Model(&Codicil{}).Count(&there).Error; err != nil || there > 0 {
		return err
	}
	if err := s.db.WithContext(ctx).Raw("SELECT (SELECT COUNT(*) FROM rule_versions) + (SELECT COUNT(*) FROM lookup_versions)").Scan(&versions).Error; err != nil || versions == 0 {
		return err
	}
	rules, err := s.formerRules(ctx)
	if err != nil {
		return err
	}
	tables, err := s.formerTables(ctx)
	if err != nil {
		return err
	}
	changes := slices.Concat(tables, rules)
	slices.SortStableFunc(changes, func(a, b formerChange) int { return strings.Compare(a.Changed.At, b.Changed.At) })
	for from, id := 0, int64(1); from < len(changes); id++ {
		to := from + 1
		for to < len(changes) && changes[to].Changed == changes[from].Changed {
			to++
		}
		if err := s.formerCodicil(ctx, id, changes[from:to]); err != nil {
			return err
		}
		from = to
	}
	drafts, err := all(s.db.WithContext(ctx).Where("state = ?", draftState).Order("id"), ruleRow.rule)
	if err != nil {
		return err
	}
	for _, r := range drafts {
		var last ruleVersion
		if err := s.db.WithContext(ctx).First(&last, "rule_id = ? AND version = ?", r.ID, r.Version).Error; err != nil {
			return err
		}
		if err := s.drafted(ctx, r, last.Changed); err != nil {
			return err
		}
	}
	return nil
}

// formerRules are the changes of rules that held at once; what was done to drafts is none.
func (s *Store) formerRules(ctx context.Context) (changes []formerChange, err error) {
	versions, err := all(s.db.WithContext(ctx).Order("rule_id, version"), itself[ruleVersion])
	if err != nil {
		return nil, err
	}
	var before CodicilChange
	for _, v := range versions {
		t := ruleThingOf(v.RuleID)
		if before.Thing != t {
			before = CodicilChange{Thing: t}
		}
		if v.State == draftState || (v.State == rule.Retired && before.After == nil) {
			before = CodicilChange{Thing: t}
			continue
		}
		text, err := written(rule.Rule{ID: v.RuleID, Version: v.Version, State: v.State, Name: v.Name, Reason: v.Reason, Body: v.Body})
		if err != nil {
			return nil, fmt.Errorf("rule %d: %w", v.RuleID, err)
		}
		before = CodicilChange{Thing: t, Base: before.Version, Version: v.Version, Before: before.After, After: text, Changed: v.Changed}
		changes = append(changes, formerChange{before, v.Name})
	}
	return changes, nil
}

func (s *Store) formerTables(ctx context.Context) (changes []formerChange, err error) {
	versions, err := all(s.db.WithContext(ctx).Order("what, key, version"), itself[lookupVersion])
	if err != nil {
		return nil, err
	}
	var before CodicilChange
	for _, v := range versions {
		t := Thing{v.What, v.Key}
		if before.Thing != t {
			before = CodicilChange{Thing: t}
		}
		title := v.Key
		if v.Definition != nil {
			title = labelOf(lookup{v.What, v.Key, v.Version, *v.Definition})
		}
		before = CodicilChange{Thing: t, Base: before.Version, Version: v.Version, Before: before.After, After: v.Definition, Changed: v.Changed}
		changes = append(changes, formerChange{before, title})
	}
	return changes, nil
}

// formerCodicil keeps changes as a codicil that has come into force. The trail tells of them already.
func (s *Store) formerCodicil(ctx context.Context, id int64, changes []formerChange) error {
	by := changes[0].Changed
	c := Codicil{ID: id, State: CodicilInForce, Own: true, Version: 1, Revision: len(changes), Turn: id, Made: by, Ended: by}
	c.Title, c.Texts = changes[0].title, []Text{}
	if more := len(changes) - 1; more > 0 {
		c.Title += fmt.Sprintf(" and %d more", more)
	}
	db := s.db.WithContext(ctx)
	for i := range changes {
		change := &changes[i]
		change.Codicil, change.Revision = id, i+1
		table, where := "lookup_versions", "version = ? AND what = '"+change.What+"' AND key = ?"
		if change.What == ruleThing {
			table, where = "rule_versions", "version = ? AND rule_id = ?"
		}
		var book int64
		if err := db.Raw("SELECT book FROM "+table+" WHERE "+where, change.Version, change.Key).Scan(&book).Error; err != nil {
			return err
		}
		c.Book = max(c.Book, book)
		if err := db.Exec("UPDATE "+table+" SET codicil = ? WHERE "+where, id, change.Version, change.Key).Error; err != nil {
			return err
		}
	}
	if err := db.Create(&c).Error; err != nil {
		return err
	}
	for _, change := range changes {
		if err := db.Create(&change.CodicilChange).Error; err != nil {
			return err
		}
	}
	return nil
}
