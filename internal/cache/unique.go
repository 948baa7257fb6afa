package cache

import (
	"context"
	"slices"

	"codicil/core/match"
	"codicil/core/record"
	"codicil/core/rule"
)

// uniqueness is an index of one unique rule over the records of a kind.
type uniqueness struct {
	rule    *rule.Compiled
	records *ofKind
	equal   map[string][]string // the numbers by company and key; company "" for all
	names   *match.Names        // of the target; nil: the rule asks for equal values only
	owner   []owner             // of the names
}

type owner struct{ number, company, rest string }

func (s *recordCache) Same(ctx context.Context, c *rule.Compiled, company, key string, texts []string) ([]string, error) {
	kind := c.Vocabulary().Kind
	held, err := s.ofKind(ctx, kind.Key)
	if err != nil {
		return nil, err
	}
	index := s.uniqueness(c, held, kind)
	found := slices.Clone(index.equal[company+"\x1e"+key])
	if index.names == nil {
		return found, nil
	}
	rest, _ := c.Effect.Unique.Ignore.Key(texts[1:])
	for _, i := range index.names.Near(texts[0]) {
		o := &index.owner[i]
		if (company == "" || o.company == company) && o.rest == rest && !slices.Contains(found, o.number) {
			found = append(found, o.number)
		}
	}
	return found, nil
}

// uniqueness returns the index of a rule, made anew when the records or the rule changed.
func (s *recordCache) uniqueness(c *rule.Compiled, held *ofKind, kind *record.Kind) *uniqueness {
	s.mutex.Lock()
	defer s.mutex.Unlock()
	if index := s.unique[c.ID]; index != nil && index.rule == c && index.records == held {
		return index
	}
	index := &uniqueness{rule: c, records: held, equal: map[string][]string{}}
	var targets []string
	for i := range held.rows {
		r := &held.rows[i]
		if !r.Standing() {
			continue // what was taken back may be entered again
		}
		for _, texts := range uniqueTexts(c, kind, r) {
			key, filled := c.Effect.Unique.Ignore.Key(texts)
			if !filled {
				continue
			}
			for _, company := range []string{"", r.Company} {
				at := company + "\x1e" + key
				if numbers := index.equal[at]; len(numbers) == 0 || numbers[len(numbers)-1] != r.Number {
					index.equal[at] = append(numbers, r.Number)
				}
			}
			rest, _ := c.Effect.Unique.Ignore.Key(texts[1:])
			targets = append(targets, texts[0])
			index.owner = append(index.owner, owner{r.Number, r.Company, rest})
		}
	}
	if c.Effect.Unique.Near {
		index.names = match.NewNames(targets)
	}
	s.unique[c.ID] = index
	return index
}

// uniqueTexts are the values of a record that a rule compares: one row for the header, or
// for every line.
func uniqueTexts(c *rule.Compiled, kind *record.Kind, r *record.Record) (rows [][]string) {
	lines := []int{0}
	if kind.Fields[c.Field].OfLine() {
		lines = lines[:0]
		for _, l := range r.Lines {
			lines = append(lines, l.Number)
		}
	}
	for _, line := range lines {
		texts := make([]string, len(c.Unique))
		for i, place := range c.Unique {
			texts[i] = r.Content.Get(&kind.Fields[place], line)
		}
		rows = append(rows, texts)
	}
	return rows
}
