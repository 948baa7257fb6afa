package field_test

import (
	"testing"

	"codicil/core/field"
)

func TestWebAddresss(t *testing.T) {
	check(t, spec{
		field: field.Field{Label: "Field", Type: field.WebAddress, Length: 60}, formula: "string", width: 4,
		stored:     []string{"https://brinewell.example"},
		shows:      map[string]string{"https://brinewell.example": "https://brinewell.example"},
		plain:      map[string]string{"https://brinewell.example": "https://brinewell.example"},
		relations:  textual,
		neighbours: map[string][]string{"A": {"Ax"}},
		samples:    []string{"Test"},
		accepts:    map[field.Name]bool{field.WebAddress: true, field.Text: false, field.Email: false},
	})
	checkIdentities(t, field.WebAddress, []identity{
		{"", "brinewell.example/salt", "https://brinewell.example/salt"},
		{"", "http://brinewell.example", "http://brinewell.example"},
		{"", "brinewell", "!not-a-web-address"},
		{"", "ftp://brinewell.example", "!not-a-web-address"},
		{"", "two words.example", "!not-a-web-address"},
	})
}
