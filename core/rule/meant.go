package rule

import (
	"regexp"
	"strings"

	"codicil/core/feel"
	"codicil/core/field"
)

// Meant reads what a person typed as a value of the field, in a rule on the field at the place, as
// a formula. Besides values of the field it understands a day in words (end of next month, 30 days
// after Document date), a field by its label, a share of one (10 % of Net total), a text in quotes,
// and, where the text is no value of the field or begins with =, a formula. The error says that it
// is none of these.
func (v *Vocabulary) Meant(typed string, place int, f *field.Field, format field.Format) (string, error) {
	text := strings.TrimSpace(typed)
	if formula, ok := v.dayMeant(text, place, f); ok {
		return formula, nil
	}
	if quoted := len(text) > 1 && strings.HasPrefix(text, `"`) && strings.HasSuffix(text, `"`); quoted && f.FeelType().Kind == feel.String {
		return feel.StringOf(text[1 : len(text)-1]).String(), nil
	}
	if name := v.labelled(text, place, f); name != nil {
		return name.Text, nil
	}
	value, wrong := f.Read(text, format, field.Surroundings{})
	if wrong == nil && !strings.HasPrefix(text, "=") {
		return value.String(), nil
	}
	if formula, ok := v.shareMeant(text, place, f); ok {
		return formula, nil
	}
	if formula, ok := v.formulaMeant(strings.TrimPrefix(text, "="), place, f); ok {
		return formula, nil
	}
	return "", wrong
}

// dayMeant reads a day in words.
func (v *Vocabulary) dayMeant(text string, place int, f *field.Field) (string, bool) {
	if f.FeelType().Kind != feel.Date {
		return "", false
	}
	days, base, ok := field.DaysOf(text)
	if !ok {
		return "", false
	}
	if base == "" {
		return days.Formula(Today), true
	}
	if name := v.labelled(base, place, f); name != nil {
		return days.Formula(name.Text), true
	}
	return "", false
}

// dayWords tells a part of a formula as a day in words.
func (v *Vocabulary) dayWords(n feel.Node, place int, label func(*Name) string) (string, bool) {
	if n.Type().Kind != feel.Date {
		return "", false
	}
	days, base, ok := field.DaysIn(feel.Format(n))
	if !ok {
		return "", false
	}
	if base == Today {
		return days.Words(""), true
	}
	if days.Edge != "" {
		return "", false
	}
	if name := v.NameOf(place, base); name != nil && name.Single() && name.Type.Kind == feel.Date {
		return days.Words(label(name)), true
	}
	return "", false
}

// labelled is the one name with the label whose values can be those of the field.
func (v *Vocabulary) labelled(label string, place int, f *field.Field) (found *Name) {
	names := v.Names(place)
	for i := range names {
		if name := &names[i]; name.Single() && strings.EqualFold(name.Label, label) && name.Type.Fits(f.FeelType()) {
			if found != nil {
				return nil
			}
			found = name
		}
	}
	return found
}

var share = regexp.MustCompile(`^(\d+(?:[.,]\d+)?) ?% of (.+)$`)

// shareMeant reads a share of a number: "10 % of Net total".
func (v *Vocabulary) shareMeant(text string, place int, f *field.Field) (string, bool) {
	m := share.FindStringSubmatch(text)
	if m == nil || f.FeelType().Kind != feel.Number {
		return "", false
	}
	percent := field.Field{Type: field.Percent, Decimals: 6, Digits: 12}
	value, wrong := percent.Read(strings.ReplaceAll(m[1], ",", "."), field.Plain, field.Surroundings{})
	name := v.labelled(m[2], place, f)
	if wrong != nil || name == nil {
		return "", false
	}
	return name.Text + " * " + value.String(), true
}

// formulaMeant takes a formula, or what it was meant to be, where it gives values of the field.
func (v *Vocabulary) formulaMeant(text string, place int, f *field.Field) (string, bool) {
	text = strings.TrimSpace(text)
	if text == "" {
		return "", false
	}
	program, problems := v.Part("value", text, place, f)
	if program != nil {
		return text, true
	}
	for _, p := range problems {
		if p.Suggestion == "" {
			continue
		}
		corrected := text[:p.Start] + p.Suggestion + text[p.End:]
		if program, _ = v.Part("value", corrected, place, f); program != nil {
			return corrected, true
		}
	}
	return "", false
}

// Understand reads conditions as a person means them: several codes with commas are one of them,
// and what is called like a field is that field. What the values are is read when they are
// composed. known tells whether a text is a value of a choice or a link.
func (v *Vocabulary) Understand(c Conditions, place int, known func(f *field.Field, text string) bool) Conditions {
	understood := Conditions{Join: c.Join, Conditions: make([]Condition, len(c.Conditions))}
	for i, condition := range c.Conditions {
		if condition.Group != nil {
			group := v.Understand(*condition.Group, place, known)
			condition.Group = &group
		} else if name := v.NameOf(place, condition.Field); name != nil && name.Single() {
			condition = v.understand(condition, name, place, known)
		}
		understood.Conditions[i] = condition
	}
	return understood
}

func (v *Vocabulary) understand(c Condition, name *Name, place int, known func(*field.Field, string) bool) Condition {
	r, found := relation(name.Field, func(r field.Relation) bool { return r.Key == c.Relation })
	if !found || r.Operands != 1 || len(c.Values) != 1 || c.Other != "" {
		return c
	}
	several := map[string]string{"=": "in", "!=": "not in"}[r.Operator]
	if parts := strings.Split(c.Values[0], ","); len(parts) > 1 && several != "" && (name.Field.IsLink() || len(name.Field.Choices) > 0) && !known(name.Field, c.Values[0]) {
		if many, fits := relation(name.Field, func(r field.Relation) bool { return r.Operator == several }); fits {
			c.Relation, c.Values = many.Key, nil
			for _, part := range parts {
				if part = strings.TrimSpace(part); part != "" {
					c.Values = append(c.Values, part)
				}
			}
			return c
		}
	}
	if other := v.labelled(strings.TrimSpace(c.Values[0]), place, name.Field); other != nil && other.Text != name.Text && name.comparable(other) {
		c.Other, c.Values = other.Text, []string{}
	}
	return c
}
