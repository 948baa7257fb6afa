package field

import (
	"slices"
	"strings"

	"codicil/core/feel"
	"codicil/core/notice"
)

// YesNo is yes or no.
const YesNo Name = "yes-no"

var (
	notYesNo       = notice.Define("not-yes-or-no", "{field} must be yes or no; {value:q} is neither")
	notStoredYesNo = notice.Define("not-yes-or-no.stored", "{field} is true or false; {value:q} is neither")
)

func init() { register(70, yesNo{}) }

type yesNo struct{}

func (yesNo) Traits() Traits {
	return Traits{Name: YesNo, Label: "Yes or no", Input: "yes-no", Width: 56, Settings: []string{}, Tables: true, Uniform: true}
}

func (yesNo) Formula() feel.Type { return feel.BooleanType }

func (yesNo) Read(f *Field, text string, _ Format, _ Surroundings) (feel.Value, *Misfit) {
	switch strings.ToLower(text) {
	case "yes", "y", "true", "1", "x":
		return feel.True, nil
	case "no", "n", "false", "0", "-":
		return feel.False, nil
	}
	return feel.NullValue, misfit(notYesNo, f.Label, text)
}

func (yesNo) Parse(f *Field, text string) (feel.Value, *Misfit) {
	switch text {
	case "true":
		return feel.True, nil
	case "false":
		return feel.False, nil
	}
	return feel.NullValue, misfit(notStoredYesNo, f.Label, text)
}

func (yesNo) Fit(_ *Field, v feel.Value, _ Surroundings) (feel.Value, *Misfit) { return v, nil }

func (y yesNo) Show(f *Field, v feel.Value, _ Format, _ Surroundings) string { return y.Plain(f, v) }

func (yesNo) Plain(_ *Field, v feel.Value) string {
	if v.IsTrue() {
		return "yes"
	}
	return "no"
}

func (yesNo) SortKey() func(feel.Value) string { return exactly() }

func (yesNo) Relations() []Relation { return slices.Concat(equality[:1], presence) }

func (yesNo) Neighbours(_ *Field, v feel.Value, _ Surroundings) []feel.Value {
	return []feel.Value{feel.BooleanOf(!v.IsTrue())}
}

func (yesNo) Samples(*Field, Surroundings) []feel.Value { return []feel.Value{feel.True, feel.False} }

func (yesNo) Places(*Field, Surroundings) (int, bool) { return 0, false }

func (yesNo) Width(*Field) int { return 3 }

func (yesNo) Describe(*Field) string { return "yes or no" }

func (yesNo) Check(*Field) *Misfit { return nil }

func (yesNo) Accepts(*Field, *Field) (string, bool) { return "", true }
