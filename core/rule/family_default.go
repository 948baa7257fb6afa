package rule

import (
	"codicil/core/field"
	"codicil/core/record"
	"slices"
)

func init() {
	families[Default] = conduct{
		begin: Effect{Lifetime: NewOnly},
		check: (*Compiled).checkDefault,
		phrase: func(c *Compiled, kind *record.Kind) string {
			if c.Effect.Fixed {
				return valueWords(c, kind) + ", fixed"
			}
			return valueWords(c, kind)
		},
		deed: func(c *Compiled, label string, kind *record.Kind) string {
			words := "fill " + label + " with " + valueWords(c, kind) +
				map[Lifetime]string{NewOnly: " on a new record only", WheneverBlank: " whenever it is blank"}[c.Effect.Lifetime]
			if c.Effect.Fixed {
				words += ", and let nobody change it"
			}
			return words
		},
		subject: verb(" defaults to "),
	}
}

func (c *Compiled) checkDefault(complain complaint) {
	e := &c.Effect
	if !slices.Contains([]Lifetime{NewOnly, WheneverBlank, KeepsUp}, e.Lifetime) {
		complain("lifetime", "choose how long the default fills the field: new only, whenever blank or keeps up")
	}
	if e.Lifetime == KeepsUp && e.Series != "" {
		complain("lifetime", "a number is given once; it cannot keep up")
	}
	if e.Series != "" {
		c.checkSeries(complain)
	} else {
		c.Value = c.formula("value", e.Value)
	}
}

// checkSeries finds the number series of a default and refuses one whose numbers do not fit
// the field.
func (c *Compiled) checkSeries(complain complaint) {
	key := c.Effect.Series
	f := &c.vocabulary.Kind.Fields[c.Field]
	series := c.vocabulary.Tables.Numbers(key)
	switch {
	case series == nil:
		complain("value", "there is no number series %q; choose another, or design it first", key)
		return
	case f.Type != field.Text:
		complain("value", "a number series gives texts, and %s holds a %s", f.Label, f.FeelType())
		return
	}
	if longest := series.Longest(len("10"), len("VI")); longest > f.Most() {
		complain("value", "the numbers of %s have %d characters, and %s takes %d at most", series.Label, longest, f.Label, f.Most())
		return
	}
	c.Series = series
}
