package rule

func init() {
	families[Substitute] = conduct{
		check:  func(c *Compiled, _ complaint) { c.Value = c.formula("value", c.Effect.Value) },
		phrase: telling.value,
		deed: func(t telling, label string) string {
			return "replace " + label + " with " + t.value()
		},
		subject: verb(" becomes "),
	}
}
