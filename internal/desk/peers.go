package desk

import (
	"context"
	"slices"

	"codicil/core/match"
	"codicil/core/record"
	"codicil/core/rule"
	"codicil/internal/store"
)

// peers finds the other saved records of a kind for unique rules.
type peers struct {
	desk *Desk
	ctx  context.Context
	kind *record.Kind
	// reads notes what was asked; nil: nobody relies on it.
	reads *readSet
	// failed is the first error of reading records; the run it happened in is not to be used.
	failed error
}

// likeness is an index of one unique rule over the records of one shelf.
type likeness struct {
	rule  *rule.Compiled
	shelf *shelf
	same  map[string][]string // the numbers by company and key; company "" for all
	names *match.Names        // of the target; nil: the rule does not ask
	owner []named
}

type named struct{ number, company, rest string }

// Same returns the numbers of the records that have the values of a unique rule.
func (p *peers) Same(c *rule.Compiled, company, key string, texts []string) []string {
	found := p.same(c, company, key, texts)
	if p.reads != nil {
		p.reads.keys = append(p.reads.keys, askedKey{c, p.kind.Key, company, key, texts, slices.Clone(found)})
	}
	return found
}

func (p *peers) same(c *rule.Compiled, company, key string, texts []string) []string {
	s, err := p.desk.shelf(p.ctx, p.kind.Key)
	if err != nil {
		if p.failed == nil {
			p.failed = err
		}
		return nil
	}
	index := p.desk.likeness(c, s, p.kind)
	found := slices.Clone(index.same[company+"\x1e"+key])
	if index.names == nil {
		return found
	}
	rest, _ := c.Effect.Unique.Ignore.Key(texts[1:])
	for _, i := range index.names.Near(texts[0]) {
		o := &index.owner[i]
		if (company == "" || o.company == company) && o.rest == rest && !slices.Contains(found, o.number) {
			found = append(found, o.number)
		}
	}
	return found
}

// likeness returns the index of a rule, made anew when the records or the rule changed.
func (d *Desk) likeness(c *rule.Compiled, s *shelf, kind *record.Kind) *likeness {
	d.mutex.Lock()
	defer d.mutex.Unlock()
	if index := d.alike[c.ID]; index != nil && index.rule == c && index.shelf == s {
		return index
	}
	index := &likeness{rule: c, shelf: s, same: map[string][]string{}}
	var targets []string
	for i := range s.rows {
		r := &s.rows[i]
		if r.State == store.Reversed || r.Reverses != "" {
			continue // what was taken back may be entered again
		}
		for _, texts := range uniqueTexts(c, kind, r) {
			key, filled := c.Effect.Unique.Ignore.Key(texts)
			if !filled {
				continue
			}
			for _, company := range []string{"", r.Company} {
				at := company + "\x1e" + key
				if numbers := index.same[at]; len(numbers) == 0 || numbers[len(numbers)-1] != r.Number {
					index.same[at] = append(numbers, r.Number)
				}
			}
			rest, _ := c.Effect.Unique.Ignore.Key(texts[1:])
			targets = append(targets, texts[0])
			index.owner = append(index.owner, named{r.Number, r.Company, rest})
		}
	}
	if c.Effect.Unique.Near {
		index.names = match.NewNames(targets)
	}
	d.alike[c.ID] = index
	return index
}

// uniqueTexts are the values of a record that a rule compares: one row for the header, or
// for every line.
func uniqueTexts(c *rule.Compiled, kind *record.Kind, r *store.Record) [][]string {
	content := r.Content()
	lines := []int{0}
	if kind.Fields[c.Field].OfLine() {
		lines = list(r.Lines, func(l record.Line) int { return l.Number })
	}
	return list(lines, func(line int) []string {
		return list(c.Unique, func(place int) string { return content.Get(&kind.Fields[place], line) })
	})
}
