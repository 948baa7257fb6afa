package field_test

import (
	"testing"

	"codicil/core/field"
)

func TestYesOrNo(t *testing.T) {
	check(t, spec{
		field: field.Field{Label: "Field", Type: field.YesNo}, formula: "boolean", width: 3,
		reads:      []reading{{"Y", english, "true"}, {"x", english, "true"}, {"no", english, "false"}, {"-", english, "false"}, {"maybe", english, "!not-yes-or-no"}},
		stored:     []string{"true", "false"},
		notStored:  []string{"yes", "1", "x", "True"},
		shows:      map[string]string{"true": "yes", "false": "no"},
		plain:      map[string]string{"true": "yes", "false": "no"},
		relations:  []string{"is", "is-blank", "is-filled"},
		neighbours: map[string][]string{"true": {"false"}},
		samples:    []string{"true", "false"},
		accepts:    map[field.Name]bool{field.YesNo: true, field.Text: false},
	})
}
