package field

import (
	"regexp"
	"slices"
	"strings"
	"unicode/utf8"

	"codicil/core/feel"
)

// Text is any text.
const Text Name = "text"

func init() { register(10, text{}) }

// text is the type Text, and what all types that hold texts have in common.
type text struct{}

func (text) Traits() Traits {
	return Traits{Name: Text, Label: "Text", Input: "text", Width: 96, Settings: []string{"length", "case", "pattern"}, Tables: true, Beside: true}
}

func (text) Formula() feel.Type { return feel.StringType }

func (text) Read(_ *Field, typed string, _ Format, _ Surroundings) (feel.Value, *Misfit) {
	return feel.StringOf(typed), nil
}

func (text) Parse(_ *Field, stored string) (feel.Value, *Misfit) {
	if strings.TrimSpace(stored) == "" {
		return feel.NullValue, nil
	}
	return feel.StringOf(stored), nil
}

func (text) Fit(f *Field, v feel.Value, _ Surroundings) (feel.Value, *Misfit) {
	return fitText(f, v)
}

// fitText trims a text and puts it in its case; it is blank when nothing is left. Length and
// pattern are judged.
func fitText(f *Field, v feel.Value) (feel.Value, *Misfit) {
	t, _ := v.Text()
	t = strings.TrimSpace(t)
	switch f.Case {
	case "upper":
		t = strings.ToUpper(t)
	case "lower":
		t = strings.ToLower(t)
	}
	if t == "" {
		return feel.NullValue, nil
	}
	settled := feel.StringOf(t)
	most := f.Most()
	if n := utf8.RuneCountInString(t); n > most {
		return settled, misfit(tooLong, f.Label, most, n)
	}
	if f.Pattern != "" {
		if pattern, err := regexp.Compile("^(?:" + f.Pattern + ")$"); err == nil && !pattern.MatchString(t) {
			form := f.Help
			if form == "" {
				form = f.Pattern
			}
			return settled, misfit(notPattern, f.Label, t, form)
		}
	}
	return settled, nil
}

// fitBy fits a text, and then puts it into the one form of its type.
func fitBy(f *Field, v feel.Value, form func(text string) (string, *Misfit)) (feel.Value, *Misfit) {
	settled, wrong := fitText(f, v)
	if wrong != nil || settled.IsNull() {
		return settled, wrong
	}
	t, _ := settled.Text()
	t, wrong = form(t)
	return feel.StringOf(t), wrong
}

func (text) Show(_ *Field, v feel.Value, _ Format, _ Surroundings) string { return v.Plain() }

func (text) Plain(_ *Field, v feel.Value) string { return Write(v) }

func (text) SortKey() func(feel.Value) string { return byWords() }

func (text) Relations() []Relation { return slices.Concat(equality, members, contents, presence) }

func (text) Neighbours(_ *Field, v feel.Value, _ Surroundings) []feel.Value {
	t, _ := v.Text()
	return []feel.Value{feel.StringOf(t + "x")}
}

func (text) Samples(*Field, Surroundings) []feel.Value {
	return []feel.Value{feel.StringOf("Test")}
}

func (text) Places(*Field, Surroundings) (int, bool) { return 0, false }

// Width grows with the length that is set.
func (text) Width(f *Field) int {
	switch {
	case f.Type != Text:
		return 4
	case f.Length > 0 && f.Length <= 14:
		return 3
	case f.Length >= 100:
		return 8
	}
	return 4
}

func (text) Describe(f *Field) string { return spaced(f.Type) }

func (text) Check(*Field) *Misfit { return nil }

// Accepts takes any text; see Field.Exceeds of those that are longer. Other types of text take their
// own only.
func (text) Accepts(f, from *Field) (string, bool) { return "", f.Type == Text || f.Type == from.Type }
