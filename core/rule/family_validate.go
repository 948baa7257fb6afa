package rule

import (
	"codicil/core/feel"
	"codicil/core/record"
	"slices"
	"strings"
)

func init() {
	families[Validate] = conduct{
		begin:  Effect{Severity: Refuse},
		check:  (*Compiled).checkValidate,
		phrase: func(c *Compiled, _ *record.Kind) string { return mustWords(c) },
		deed: func(c *Compiled, label string, _ *record.Kind) string {
			reaction := map[Severity]string{Refuse: "refuse", Confirm: "ask for a reason", Advise: "advise"}[c.Effect.Severity]
			if c.Effect.Unique != nil {
				return reaction + " unless " + label + " is " + c.uniqueWords()
			}
			return reaction + " unless " + c.conditionWords(c.Must, c.Effect.Must, false)
		},
		subject: verb(" "),
	}
}

func (c *Compiled) checkValidate(complain complaint) {
	e, kind := &c.Effect, c.vocabulary.Kind
	if !slices.Contains([]Severity{Refuse, Confirm, Advise}, e.Severity) {
		complain("severity", "choose what happens: refuse, confirm or advise")
	}
	if strings.TrimSpace(e.Message) == "" {
		complain("message", "write what is wrong and what to do about it")
	}
	c.message(e.Message)
	if !slices.Contains([]MessageTarget{"", ToLine, ToDocument}, e.Points) {
		complain("points", "choose where the message points: to the field, the line or the document")
	}
	if e.Unique != nil {
		c.checkUnique(complain)
	} else {
		c.Must = c.formula("must", e.Must)
	}
	for _, key := range e.WhenChanged {
		if i := kind.Index(key); i >= 0 {
			c.Changed = append(c.Changed, i)
		} else {
			complain("whenChanged", "a %s has no field %q", kind.Label, key)
		}
	}
}

// checkUnique finds the fields that are unique together.
func (c *Compiled) checkUnique(complain complaint) {
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

// uniqueWords says what no other record may have: "unique together with Amount in all
// companies, or almost equal".
func (c *Compiled) uniqueWords() string {
	u := c.Effect.Unique
	words := "unique"
	if u.Near {
		words = "unlike any other"
	}
	if len(u.With) > 0 {
		labels := make([]string, len(u.With))
		for i, key := range u.With {
			labels[i] = key
			if f := c.vocabulary.Kind.Field(key); f != nil {
				labels[i] = f.Label
			}
		}
		words += " together with " + strings.Join(labels, " and ")
	}
	if u.Everywhere {
		return words + " over all companies"
	}
	return words + " in its company"
}

// mustWords says what must hold: "must be up to 5 %". What is said of the target
// itself goes without its label, which heads the row anyway.
func mustWords(c *Compiled) string {
	verb := map[Severity]string{Refuse: "must", Confirm: "should", Advise: "better"}[c.Effect.Severity]
	if c.Effect.Unique != nil {
		return verb + " be " + c.uniqueWords()
	}
	text := c.conditionWords(c.Must, c.Effect.Must, false)
	if rest, ok := strings.CutPrefix(text, c.ownLabel()+" is "); ok && c.Must != nil {
		if conditions, holds := c.vocabulary.Decompose(c.Must, c.Field, false); holds && len(conditions.Conditions) == 1 {
			return verb + " be " + rest
		}
	}
	return verb + ": " + text
}
