package rule

import (
	"codicil/core/feel"
	"slices"
)

func init() {
	families[Source] = conduct{
		begin: Effect{Mode: Copied},
		check: func(c *Compiled, complain complaint) {
			if !slices.Contains([]SourceMode{Copied, Live}, c.Effect.Mode) {
				complain("tie", "choose how the value follows the linked record: copied or live")
			}
			c.Value = c.formula("value", c.Effect.Value)
			c.checkSource()
		},
		phrase: func(t telling) string { return t.value() + ", " + string(t.Effect.Mode) },
		deed: func(t telling, label string) string {
			if t.Effect.Mode == Live {
				return "take " + label + " live from " + t.value()
			}
			return "copy " + label + " from " + t.value() + " when the link changes"
		},
		subject: verb(" comes from "),
	}
}

// checkSource refuses a source that is no field of a linked record, and finds the links
// that lead to it.
func (c *Compiled) checkSource() {
	if c.Value == nil {
		return
	}
	name := c.named(c.Value.Root())
	if name == nil || !name.Linked || !name.Single() {
		c.Problems = append(c.Problems, Problem{"value", feel.Problem{
			Code: "source", Message: "a source is one field of a linked record; choose it behind a link of this document", End: len(c.Effect.Value), Line: 1, Column: 1,
		}})
		return
	}
	for _, slot := range c.Value.Reads() {
		if read, ok := c.vocabulary.ReadAt(slot); ok {
			c.Links = append(c.Links, read.Field)
		}
	}
}
