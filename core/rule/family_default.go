package rule

import (
	"codicil/core/field"
	"slices"
)

func init() {
	families[Default] = conduct{
		begin: Effect{Lifetime: NewOnly},
		check: (*Compiled).checkDefault,
		phrase: func(t telling) string {
			if t.Effect.Fixed {
				return t.value() + ", fixed"
			}
			return t.value()
		},
		deed: func(t telling, label string) string {
			words := "fill " + label + " with " + t.value() + map[Lifetime]string{
				NewOnly: " on a new record only", WheneverBlank: " whenever it is blank", KeepsUp: " and keep it up to date",
			}[t.Effect.Lifetime]
			if t.Effect.Fixed {
				words += "; it cannot be changed by hand"
			}
			return words
		},
		newOnly: func(c *Compiled) bool { return c.Effect.Lifetime == NewOnly && !c.Effect.Fixed },
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
