package field

import (
	"slices"
	"strings"

	"codicil/core/feel"
	"codicil/core/notice"
)

// Choice is one of the codes that its definition lists.
const Choice Name = "choice"

var (
	notChoice = notice.Define("not-a-choice", "{field} has no value {value:q}; choose one of {codes}")
	noChoices = notice.Define("no-choices", "write at least one code that can be chosen")
	notNow    = notice.Define("choice-not-now", "{field}: {value} is for documents {when}; choose another")
	notHere   = notice.Define("choice-not-here", "{field}: company {company} does not use {value}; choose another")
	noSuch    = notice.Define("no-such-list", "there is no list {list:q}; choose one, or write the codes here")
	notCode   = notice.Define("not-a-code", "every choice needs a code of its own; {code:q} is there twice or blank")
)

func init() { register(80, choice{}) }

type choice struct{ text }

func (choice) Traits() Traits {
	return Traits{Name: Choice, Label: "Choice", Input: "choice", Width: 62, Settings: []string{"choices"}, Tables: true, Beside: true, Uniform: true}
}

// Read reads a code, a label, what the standard of its list calls a code in any language, or the beginning of one label.
// A code goes before a label that is the same, and one that is written alike before one in other
// letters.
func (choice) Read(f *Field, typed string, _ Format, s Surroundings) (feel.Value, *Misfit) {
	if i := slices.IndexFunc(f.Choices, func(o Option) bool { return o.Code == typed }); i >= 0 {
		return feel.StringOf(typed), nil
	}
	var alike, begins []string
	for i := range f.Choices {
		option := &f.Choices[i]
		label := option.In(s.Company)
		switch {
		case strings.EqualFold(option.Code, typed):
			return feel.StringOf(option.Code), nil
		case strings.EqualFold(label, typed), strings.EqualFold(option.Label, typed):
			alike = append(alike, option.Code)
		case len(begins) < 2 && strings.HasPrefix(strings.ToLower(label), strings.ToLower(typed)):
			begins = append(begins, option.Code)
		}
	}
	if len(alike) > 0 {
		return feel.StringOf(alike[0]), nil
	}
	if code := CodeOf(f.Standard, typed); code != "" && slices.ContainsFunc(f.Choices, func(o Option) bool { return o.Code == code }) {
		return feel.StringOf(code), nil
	}
	if len(begins) == 1 {
		return feel.StringOf(begins[0]), nil
	}
	return feel.NullValue, noSuchChoice(f, typed)
}

func noSuchChoice(f *Field, typed string) *Misfit {
	codes := make([]string, 0, len(f.Choices))
	for _, option := range f.Choices {
		codes = append(codes, option.Code)
	}
	list := strings.Join(codes, ", ")
	if len(codes) > 8 {
		list = strings.Join(codes[:8], ", ") + ", …"
	}
	return misfit(notChoice, f.Label, typed, list)
}

func (choice) Fit(f *Field, v feel.Value, s Surroundings) (feel.Value, *Misfit) {
	return fitBy(f, v, func(code string) (string, *Misfit) {
		for i := range f.Choices {
			if f.Choices[i].Code == code {
				return code, f.Choices[i].unfit(f, s)
			}
		}
		return code, noSuchChoice(f, code)
	})
}

// unfit says why a document of a company and day may not have the option; nil: it may.
func (o *Option) unfit(f *Field, s Surroundings) *Misfit {
	day := Write(s.Day)
	var wrong *Misfit
	switch {
	case s.Company != "" && slices.Contains(o.NotIn, s.Company):
		wrong = misfit(notHere, f.Label, s.Company, o.Code)
	case day == "":
		return nil
	case o.From != "" && day < o.From:
		wrong = misfit(notNow, f.Label, o.Code, "from "+o.From)
	case o.Until != "" && day > o.Until:
		wrong = misfit(notNow, f.Label, o.Code, "until "+o.Until)
	default:
		return nil
	}
	wrong.Anew = true
	return wrong
}

func (choice) Relations() []Relation { return slices.Concat(equality, members, presence) }

// Neighbours are the other codes, from the next on.
func (c choice) Neighbours(f *Field, v feel.Value, s Surroundings) (others []feel.Value) {
	if len(f.Choices) < 2 {
		return c.text.Neighbours(f, v, s)
	}
	code, _ := v.Text()
	at := slices.IndexFunc(f.Choices, func(o Option) bool { return o.Code == code })
	for i := range f.Choices[1:] {
		others = append(others, feel.StringOf(f.Choices[(at+1+i)%len(f.Choices)].Code))
	}
	return others
}

func (choice) Samples(f *Field, _ Surroundings) (codes []feel.Value) {
	for _, o := range f.Choices {
		codes = append(codes, feel.StringOf(o.Code))
	}
	return codes
}

func (choice) Width(*Field) int { return 3 }

func (choice) Check(f *Field) *Misfit {
	switch {
	case len(f.Choices) == 0 && f.List != "":
		return misfit(noSuch, f.List)
	case len(f.Choices) == 0:
		return misfit(noChoices)
	case f.List != "":
		return nil // which is checked by itself
	}
	codes := map[string]bool{}
	for i := range f.Choices {
		c := &f.Choices[i]
		c.Code, c.Label = strings.TrimSpace(c.Code), strings.TrimSpace(c.Label)
		if c.Code == "" || codes[c.Code] {
			return misfit(notCode, c.Code)
		}
		codes[c.Code] = true
	}
	return nil
}

func (choice) Accepts(f, from *Field) (string, bool) {
	if from.Type != Choice {
		return ": a choice takes its own codes only", false
	}
	for _, option := range from.Choices {
		if !slices.ContainsFunc(f.Choices, func(o Option) bool { return o.Code == option.Code }) {
			return ": it has no code " + option.Code, false
		}
	}
	return "", true
}
