package field_test

import (
	"testing"

	"codicil/core/field"
)

func TestEMailAddresses(t *testing.T) {
	check(t, spec{
		field: field.Field{Label: "Field", Type: field.Email, Length: 20}, formula: "string", width: 4,
		reads:      []reading{{" a@b.c ", english, "a@b.c"}},
		stored:     []string{"a@b.c"},
		fits:       map[string]string{`"a@b.c"`: "a@b.c"},
		refuses:    map[string]string{`"a@b"`: "not-an-email", `"Ada <a@b.c>"`: "not-an-email", `"a@brinewell.example.com"`: "too-long"},
		shows:      map[string]string{"a@b.c": "a@b.c"},
		plain:      map[string]string{"a@b.c": "a@b.c"},
		relations:  textual,
		neighbours: map[string][]string{"a@b.c": {"a@b.cx"}},
		samples:    []string{"Test"},
		accepts:    map[field.Name]bool{field.Email: true, field.Text: false},
	})
}
