package rule

import (
	"codicil/core/decimal"
	"codicil/core/feel"
	"codicil/core/field"
	"slices"
	"strings"
)

func init() {
	families[Compute] = conduct{
		check: func(c *Compiled, complain complaint) {
			if c.Effect.Value != "" || len(c.Effect.Bands) == 0 {
				c.Value = c.formula("value", c.Effect.Value)
			}
			c.checkBands(complain)
		},
		phrase: func(t telling) string {
			if t.onlySorts() {
				return t.bands()
			}
			return t.value()
		},
		deed: func(t telling, label string) string {
			switch {
			case t.onlySorts():
				return "sort " + label + " into " + t.bands()
			case len(t.Effect.Bands) == 0:
				return "compute " + label + " as " + t.value()
			}
			return "compute " + label + " as " + t.value() + ", sorted into " + t.bands()
		},
		subject: func(t telling) string {
			if t.onlySorts() {
				return t.targetLabel() + " is sorted into "
			}
			return t.targetLabel() + " is computed as "
		},
	}
}

// onlySorts tells whether the rule says bands and no value.
func (c *Compiled) onlySorts() bool { return c.Effect.Value == "" && len(c.Effect.Bands) > 0 }

// Bound is the upper end of a band.
type Bound struct {
	Until     decimal.Number
	Including bool
	Open      bool // there is no upper end
}

// checkBands reads the bands of a scale.
func (c *Compiled) checkBands(complain complaint) {
	bands := c.Effect.Bands
	if len(bands) == 0 {
		return
	}
	field := &c.vocabulary.Kind.Fields[c.Field]
	if field.FeelType().Kind != feel.Number {
		complain("bands", "bands sort a number, and %s holds a %s", field.Label, field.FeelType())
		return
	}
	if len(bands) < 2 {
		complain("bands", "a scale has at least two bands")
	}
	for i, band := range bands {
		bound := Bound{Including: band.Including, Open: i == len(bands)-1}
		var err error
		switch {
		case strings.TrimSpace(band.Label) == "":
			complain("bands", "give band %d a name", i+1)
		case !slices.Contains(Levels, band.Level) || !slices.Contains(Shapes, band.Shape):
			complain("bands", "choose the tone and the shape of %s", band.Label)
		case bound.Open && band.Until != "":
			complain("bands", "the last band goes on without an end; add another after %s", band.Label)
		case bound.Open:
		default:
			if bound.Until, err = decimal.Parse(band.Until); err != nil {
				complain("bands", "write where %s ends as a number", band.Label)
			} else if i > 0 && !c.Bounds[i-1].Open && bound.Until.Cmp(c.Bounds[i-1].Until) <= 0 {
				complain("bands", "%s ends before it begins; the ends of bands go up", band.Label)
			}
		}
		c.Bounds = append(c.Bounds, bound)
	}
}

// Sorts tells whether the rule only sorts a number into bands, and leaves it as it is.
func (c *Compiled) Sorts() bool { return c.Family == Compute && c.Value == nil }

// BandOf returns the place of the band that a number is in.
func (c *Compiled) BandOf(n decimal.Number) int {
	for i, bound := range c.Bounds {
		if bound.Open {
			return i
		}
		if order := n.Cmp(bound.Until); order < 0 || (order == 0 && bound.Including) {
			return i
		}
	}
	return -1
}

// bands tells a scale: "low up to 100, high".
func (t telling) bands() string {
	f := &field.Field{Type: field.Number}
	if t.Field >= 0 {
		f = &t.vocabulary.Kind.Fields[t.Field]
	}
	parts := make([]string, len(t.Effect.Bands))
	for i, band := range t.Effect.Bands {
		parts[i] = band.Label
		if i < len(t.Bounds) && !t.Bounds[i].Open {
			word := " under "
			if band.Including {
				word = " up to "
			}
			parts[i] += word + t.Show(f, feel.NumberOf(t.Bounds[i].Until))
		}
	}
	return strings.Join(parts, ", ")
}
