package rule

import (
	"slices"
	"strings"

	"codicil/core/decimal"
	"codicil/core/feel"
	"codicil/core/field"
)

// Bound is the upper end of a band.
type Bound struct {
	Until     decimal.Number
	Including bool
	Open      bool // there is no upper end
}

// checkBands reads the bands of a scale.
func (c *Compiled) checkBands(complain func(part, format string, args ...any)) {
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
		case !slices.Contains(Tones, band.Tone) || !slices.Contains(Shapes, band.Shape):
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

// checkUnique finds the fields that are unique together.
func (c *Compiled) checkUnique(complain func(part, format string, args ...any)) {
	unique, kind := c.Effect.Unique, c.vocabulary.Kind
	if c.Effect.Must != "" {
		complain("must", "a rule asks either for a condition or for unique values; write two rules")
	}
	c.Unique = []int{c.Field}
	for _, key := range unique.With {
		place := kind.Index(key)
		switch {
		case place < 0:
			complain("unique", "a %s has no field %q", kind.Noun(), key)
		case place >= c.vocabulary.Headers && c.Field < c.vocabulary.Headers:
			complain("unique", "%s is one of the lines; put the rule on it", kind.Fields[place].Label)
		case slices.Contains(c.Unique, place):
			complain("unique", "%s is named twice", kind.Fields[place].Label)
		default:
			c.Unique = append(c.Unique, place)
		}
	}
	if unique.Near && kind.Fields[c.Field].FeelType().Kind != feel.String {
		complain("unique", "only texts can be almost equal, and %s holds a %s", kind.Fields[c.Field].Label, kind.Fields[c.Field].FeelType())
	}
}

// remote finds the field of a linked record that a target names, and the place of the
// link; -1 when there is none.
func (v *Vocabulary) remote(target string) (place int, fd *field.Field) {
	dot := strings.LastIndexByte(target, '.')
	if dot < 0 {
		return -1, nil
	}
	place = v.Kind.Index(target[:dot])
	if place < 0 || !v.Kind.Fields[place].IsLink() {
		return -1, nil
	}
	for i := range v.kinds {
		if v.kinds[i].Key == v.Kind.Fields[place].Kind {
			if f := v.kinds[i].Field(target[dot+1:]); f != nil && !f.OfLine() {
				return place, f
			}
		}
	}
	return -1, nil
}

// followUp checks a rule on a field of a linked record.
func (c *Compiled) followUp(complain func(part, format string, args ...any)) {
	if !c.vocabulary.Kind.Posted {
		complain("family", "a %s is never posted, so nothing follows", c.vocabulary.Kind.Noun())
	}
	if c.Remote == nil {
		complain("target", "a follow-up writes a field of a linked record; choose a link and the field behind it")
		return
	}
	c.Value = c.formula("value", c.Effect.Value)
}
