package rule

import (
	"codicil/core/feel"
	"slices"
	"strings"
)

func init() {
	families[Validate] = conduct{
		begin:  Effect{Severity: Refuse},
		check:  (*Compiled).checkValidate,
		phrase: func(t telling) string { return t.must() },
		deed: func(t telling, label string) string {
			reaction := map[Severity]string{Refuse: "refuse", Confirm: "ask for a reason", Advise: "advise"}[t.Effect.Severity]
			if t.Effect.Unique != nil {
				return reaction + " unless " + label + " is " + t.unique()
			}
			if t.neverHolds() {
				return reaction
			}
			return reaction + " unless " + t.condition(t.Compiled.Must, t.Effect.Must, false)
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

// unique says what no other record may have: "unique together with Amount in all companies";
// "not similar to another vendor of its company".
func (t telling) unique() string {
	u, words := t.Effect.Unique, "unique"
	if u.Near {
		words = "not similar to that of another " + t.Kind.Noun()
	}
	if len(u.With) > 0 {
		labels := make([]string, len(u.With))
		for i, key := range u.With {
			labels[i] = key
			if f := t.Kind.Field(key); f != nil {
				labels[i] = f.Label
			}
		}
		words += " together with " + listed(labels, " and ")
	}
	if u.Everywhere {
		return words + " in any company"
	}
	return words + " in its company"
}

// ProposeMessage makes what a check says of itself: "Credit limit must be at most 5,000."; "" for a
// rule that is no check, or not finished. It is kept, so it has the standard labels and plain values.
func ProposeMessage(c *Compiled) string {
	t := Wording{}.of(c)
	if c.Family != Validate || c.Field < 0 || t.neverHolds() || (c.Must == nil && c.Effect.Unique == nil) {
		return ""
	}
	label := t.targetLabel()
	if c.Effect.Unique != nil {
		return label + " must be " + t.unique() + "."
	}
	if text, ok := strings.CutPrefix(t.condition(c.Must, c.Effect.Must, false), t.label(t.own())+" is "); ok {
		return label + " must be " + text + "."
	}
	text := t.condition(c.Must, c.Effect.Must, false)
	return "Check " + label + ": it is accepted only where " + text + "."
}

// neverHolds tells that the rule speaks whenever its condition holds: its must is false.
func (t telling) neverHolds() bool {
	if t.Compiled.Must == nil {
		return false
	}
	v, constant := feel.Constant(t.Compiled.Must.Root())
	return constant && v.Kind() == feel.Boolean && !v.IsTrue()
}

// must says what must hold: "must be at most 5 %". What is said of the target itself goes
// without its label, which heads the row anyway.
func (t telling) must() string {
	verb := map[Severity]string{Refuse: "must", Confirm: "should", Advise: "ideally"}[t.Effect.Severity]
	be := map[Severity]string{Refuse: "must be ", Confirm: "should be ", Advise: "ideally "}[t.Effect.Severity]
	if u := t.Effect.Unique; u != nil {
		return be + t.unique()
	}
	if t.neverHolds() {
		return map[Severity]string{Refuse: "refused", Confirm: "needs a reason", Advise: "advised"}[t.Effect.Severity]
	}
	text := t.condition(t.Compiled.Must, t.Effect.Must, false)
	if t.Compiled.Must == nil || t.Field < 0 {
		return verb + ": " + text
	}
	if rest, ok := strings.CutPrefix(text, t.label(t.own())+" is "); ok {
		if conditions, holds := t.vocabulary.Decompose(t.Compiled.Must, t.Field, false); holds && len(conditions.Conditions) == 1 {
			return be + rest
		}
	}
	return verb + ": " + text
}
