package field_test

import (
	"testing"

	"codicil/core/field"
)

func TestTaxNumbers(t *testing.T) {
	check(t, spec{
		field: field.Field{Label: "Field", Type: field.TaxNumber, Length: 60}, formula: "string", width: 4,
		stored:     []string{"IE6433435F"},
		shows:      map[string]string{"IE6433435F": "IE6433435F"},
		plain:      map[string]string{"IE6433435F": "IE6433435F"},
		relations:  textual,
		neighbours: map[string][]string{"A": {"Ax"}},
		samples:    []string{"Test"},
		accepts:    map[field.Name]bool{field.TaxNumber: true, field.Text: false, field.Email: false},
	})
	checkIdentities(t, field.TaxNumber, []identity{
		{"", "ATU13585627", "ATU13585627"},
		{"", "ATU13585626", "!not-a-tax-number"},
		{"", "CHE-107.787.577", "CHE107787577"},
		{"", "CHE107787578", "!not-a-tax-number"},
		{"", "DE 136 695 976", "DE136695976"},
		{"DE", "136695976", "DE136695976"},
		{"", "DE136695978", "!not-a-tax-number"},
		{"", "DK 13585628", "DK13585628"},
		{"", "DK13585627", "!not-a-tax-number"},
		{"", "ESA13585625", "ESA13585625"},
		{"", "ES54362315K", "ES54362315K"},
		{"", "ESX2482300W", "ESX2482300W"},
		{"", "ES54362315Z", "!not-a-tax-number"},
		{"", "FR40303265045", "FR40303265045"},
		{"", "FRK7399859412", "FRK7399859412"},
		{"", "FR4Z123456782", "FR4Z123456782"},
		{"", "FRK8399859412", "!not-a-tax-number"},
		{"", "FR41303265045", "!not-a-tax-number"},
		{"", "GB980780684", "GB980780684"},
		{"", "GBGD001", "GBGD001"},
		{"", "GBHA599", "GBHA599"},
		{"", "GBGD500", "!not-a-tax-number"},
		{"", "GB802311781", "!not-a-tax-number"},
		{"", "IE6433435F", "IE6433435F"},
		{"", "IE8D79739I", "IE8D79739I"},
		{"", "IE8D79739J", "!not-a-tax-number"},
		{"", "IE6433435OA", "IE6433435OA"},
		{"", "IE6433435E", "!not-a-tax-number"},
		{"", "T7000012050002", "T7000012050002"},
		{"JP", "7000012050003", "!not-a-tax-number"},
		{"NO", "995525828", "NO995525828"},
		{"", "NO995525829MVA", "!not-a-tax-number"},
		{"", "PT 501 964 843", "PT501964843"},
		{"", "PT501964842", "!not-a-tax-number"},
		{"", "SE123456789701", "SE123456789701"},
		{"", "SE123456789101", "!not-a-tax-number"},
		{"", "NL123", "NL123"},
		{"US", "12-3456789", "123456789"},
	})
}
