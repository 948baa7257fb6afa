package field_test

import (
	"testing"

	"github.com/stretchr/testify/assert"

	"codicil/core/feel"
	"codicil/core/field"
)

func TestTexts(t *testing.T) {
	check(t, spec{
		field: field.Field{Label: "Field", Type: field.Text, Length: 5}, formula: "string", width: 3,
		reads:      []reading{{"  salt ", english, "salt"}, {"   ", english, ""}, {"12.5 %", english, "12.5 %"}},
		stored:     []string{"salt", "1", "true"},
		fits:       map[string]string{`" abcde "`: "abcde", `"   "`: ""},
		refuses:    map[string]string{`"abcdef"`: "too-long", "5": "wrong-type"},
		shows:      map[string]string{"salt": "salt"},
		plain:      map[string]string{"salt": "salt"},
		ascending:  []string{"a2", "A10", "b"},
		relations:  []string{"is", "is-not", "one-of", "none-of", "starts-with", "ends-with", "contains", "is-blank", "is-filled"},
		neighbours: map[string][]string{"IE": {"IEx"}},
		samples:    []string{"Test"},
		accepts:    map[field.Name]bool{field.Text: true, field.Link: true, field.Choice: true, field.Number: false},
	})
	for length, width := range map[int]int{0: 4, 14: 3, 40: 4, 100: 8} {
		f := field.Field{Type: field.Text, Length: length}
		assert.Equal(t, width, f.Width(), length)
	}
	upper := field.Field{Type: field.Text, Case: "upper"}
	v, _ := upper.Settle(feel.StringOf("ie29"), irish)
	assert.Equal(t, "IE29", field.Write(v))
	short, long := field.Field{Label: "A", Type: field.Text, Length: 10}, field.Field{Label: "B", Type: field.Text, Length: 20}
	assert.Empty(t, long.Carries(&short), "most of its texts fit")
	assert.Equal(t, "B may have 20 characters, and A takes 10: what is longer is refused", long.Exceeds(&short))
	assert.Empty(t, short.Exceeds(&long))
}
func TestATextFollowsItsPattern(t *testing.T) {
	f := field.Field{Label: "Berth", Type: field.Text, Pattern: `[A-Z]\d{2}`, Case: "upper", Help: "a letter and two digits"}
	v, wrong := f.Settle(feel.StringOf("k12"), field.Surroundings{})
	assert.Nil(t, wrong)
	assert.Equal(t, "K12", field.Write(v))
	_, wrong = f.Settle(feel.StringOf("K123"), field.Surroundings{})
	assert.ErrorContains(t, wrong, "a letter and two digits")
}
