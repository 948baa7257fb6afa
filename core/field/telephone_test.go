package field_test

import (
	"testing"

	"codicil/core/field"
)

func TestTelephones(t *testing.T) {
	check(t, spec{
		field: field.Field{Label: "Field", Type: field.Telephone, Length: 60}, formula: "string", width: 4,
		stored:     []string{"+4533123456"},
		shows:      map[string]string{"+4533123456": "+45 33 12 34 56"},
		plain:      map[string]string{"+4533123456": "+4533123456"},
		relations:  textual,
		neighbours: map[string][]string{"A": {"Ax"}},
		samples:    []string{"Test"},
		accepts:    map[field.Name]bool{field.Telephone: true, field.Text: false, field.Email: false},
	})
	checkIdentities(t, field.Telephone, []identity{
		{"", "01 555 0142", "+35315550142"},
		{"DK", "33 12 34 56", "+4533123456"},
		{"", "+81 3-1234-5678", "+81312345678"},
		{"", "call me", "!not-a-telephone-number"},
		{"", "123", "!not-a-telephone-number"},
	})
}
