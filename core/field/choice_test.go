package field_test

import (
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"codicil/core/field"
)

func TestChoices(t *testing.T) {
	countries := []field.Option{{Code: "IE", Label: "Ireland"}, {Code: "DK", Label: "Denmark"}, {Code: "DE", Label: "Germany"}}
	check(t, spec{
		field: field.Field{Label: "Field", Type: field.Choice, Choices: countries}, formula: "string", width: 3,
		reads:      []reading{{"ireland", english, "IE"}, {"de", english, "DE"}, {"Den", english, "DK"}, {"XX", english, "!not-a-choice"}},
		stored:     []string{"IE", "gone"}, // a code stays what it is, also one that was removed
		fits:       map[string]string{`" DK "`: "DK"},
		refuses:    map[string]string{`"XX"`: "not-a-choice", `"ireland"`: "not-a-choice"},
		shows:      map[string]string{"IE": "IE"},
		plain:      map[string]string{"IE": "IE"},
		ascending:  []string{"DE", "DK", "IE"},
		relations:  []string{"is", "is-not", "one-of", "none-of", "is-blank", "is-filled"},
		neighbours: map[string][]string{"DK": {"DE", "IE"}},
		samples:    []string{"IE", "DK", "DE"},
		accepts:    map[field.Name]bool{field.Text: false, field.Link: false},
	})
	one := field.Field{Label: "One", Type: field.Choice, Choices: countries[:1]}
	all := field.Field{Label: "All", Type: field.Choice, Choices: countries}
	assert.Empty(t, one.Carries(&all))
	assert.Contains(t, all.Carries(&one), "it has no code DK")
	grade := field.Field{Label: "Grade", Type: field.Choice, Choices: []field.Option{{Code: "B", Label: "A"}, {Code: "A", Label: "Alpha"}}}
	for _, code := range []string{"A", "B"} {
		v, wrong := grade.Parse(code)
		require.Nil(t, wrong)
		assert.Equal(t, code, field.Write(v), "what is stored is a code, never a label")
	}
	for _, choices := range [][]field.Option{nil, {{Code: " "}}, {{Code: "A"}, {Code: "A "}}} {
		f := field.Field{Label: "F", Type: field.Choice, Choices: choices}
		assert.NotNil(t, f.Sound(), choices)
	}
}
