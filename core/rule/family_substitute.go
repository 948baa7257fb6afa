package rule

import "codicil/core/record"

func init() {
	families[Substitute] = conduct{
		check:  func(c *Compiled, _ complaint) { c.Value = c.formula("value", c.Effect.Value) },
		phrase: valueWords,
		deed: func(c *Compiled, label string, kind *record.Kind) string {
			return "replace " + label + " with " + valueWords(c, kind)
		},
		subject: verb(" becomes "),
	}
}
