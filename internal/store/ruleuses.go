package store

import (
	"context"

	"codicil/core/record"
)

// RuleUse is what came of a rule in saves and postings.
type RuleUse struct {
	// Acted counts the saves and postings in which it gave a value or spoke, and Last is when it did last; "": never.
	Acted int
	Last  string
	// Standing counts the records in which a value is that it gave.
	Standing int
	// Since is when counting began; "": nothing was saved since.
	Since string
}

type ruleUse struct {
	Rule     int64 `gorm:"primaryKey;autoIncrement:false"`
	Acted    int
	LastAt   string
	Standing int
}

// RuleUses returns what came of rules, by rule. Cost: one row a rule.
func (s *Store) RuleUses(ctx context.Context) (map[int64]RuleUse, error) {
	if err := s.settle(ctx); err != nil {
		return nil, err
	}
	rows, err := all(s.db.WithContext(ctx).Order("rule"), func(r ruleUse) ruleUse { return r })
	uses, since := make(map[int64]RuleUse, len(rows)), ""
	for _, r := range rows {
		if r.Rule == 0 {
			since = r.LastAt
			continue
		}
		uses[r.Rule] = RuleUse{r.Acted, r.LastAt, r.Standing, since}
	}
	uses[0] = RuleUse{Since: since}
	return uses, err
}

// givers are the rules that gave values which stand in a record.
func givers(c *record.Content) map[int64]bool {
	rules := map[int64]bool{}
	note := func(origins record.Origins) {
		for _, origin := range origins {
			if id, _, given := origin.Rule(); given {
				rules[id] = true
			}
		}
	}
	note(c.Origins)
	for i := range c.Lines {
		note(c.Lines[i].Origins)
	}
	return rules
}

// CountActs counts that rules gave a value or spoke in a save or posting at a time. Cost: a row a rule, with
// all others of the transaction.
func (s *Store) CountActs(ctx context.Context, rules []int64, at string) error {
	rows := [][4]any{{int64(0), 0, at, 0}} // since when it is counted
	for _, id := range rules {
		rows = append(rows, [4]any{id, 1, at, 0})
	}
	return s.writeLater(ctx, laterWrite{uses: rows})
}

// countStanding counts in which records the values of rules stand, where one is written: old is what it was, nil for none,
// and now what it is, nil for gone. Cost: one statement where that changes, and a row a rule.
func (s *Store) countStanding(ctx context.Context, old, now *record.Record) error {
	var before, after map[int64]bool
	if old != nil {
		before = givers(&old.Content)
	}
	if now != nil {
		after = givers(&now.Content)
	}
	var rows [][4]any
	for id := range before {
		if !after[id] {
			rows = append(rows, [4]any{id, 0, "", -1})
		}
	}
	for id := range after {
		if !before[id] {
			rows = append(rows, [4]any{id, 0, "", 1})
		}
	}
	if len(rows) == 0 {
		return nil
	}
	return s.writeLater(ctx, laterWrite{uses: rows})
}

// addUses adds to what came of rules: rows of rule, times acted, when, and more or fewer records.
func (s *Store) addUses(rows [][4]any) error {
	values := make([]any, 0, 4*len(rows))
	for _, row := range rows {
		values = append(values, row[:]...)
	}
	return s.insert("INSERT INTO rule_uses (rule, acted, last_at, standing) VALUES ", 4, values, added)
}

// usesAnew counts in which records the values of rules stand, in a file of a release that did not.
func (s *Store) usesAnew(ctx context.Context) error {
	var known bool
	if err := s.db.WithContext(ctx).Raw("SELECT EXISTS (SELECT 1 FROM rule_uses) OR NOT EXISTS (SELECT 1 FROM records)").Scan(&known).Error; err != nil || known {
		return err
	}
	kinds, err := s.Kinds(ctx)
	if err != nil {
		return err
	}
	for i := range kinds {
		done := 0
		for r, err := range s.Records(ctx, kinds[i].Key, nil) {
			if err != nil {
				return err
			}
			if done++; done%recordsAtOnce == 0 {
				tell(ctx, "what came of rules in "+kinds[i].Key, done, 0)
			}
			if err := s.countStanding(ctx, nil, r); err != nil {
				return err
			}
		}
	}
	return s.writeLater(ctx, laterWrite{uses: [][4]any{{int64(0), 0, "", 0}}}) // it is counted from here on
}
