package field_test

import (
	"testing"

	"codicil/core/field"
)

func TestPercentages(t *testing.T) {
	check(t, spec{
		field: field.Field{Label: "Field", Type: field.Percent, Decimals: 1, Digits: 6}, formula: "number", width: 3, places: 3,
		reads:      []reading{{"10", english, "0.1"}, {"2,5 %", continental, "0.025"}, {"2,5%", continental, "0.025"}, {"%", english, "!not-a-number"}, {"5 %%", english, "!not-a-number"}},
		stored:     []string{"0.1", "0.025"},
		notStored:  []string{"10 %"},
		fits:       map[string]string{"0.12345": "0.123"},
		shows:      map[string]string{"0.025": "2,5 %", "0.1": "10,0 %"},
		plain:      map[string]string{"0.05": "5.0 %"},
		ascending:  []string{"-0.5", "0.02", "0.1"},
		relations:  numeric,
		neighbours: map[string][]string{"0.1": {"0.101", "0.099"}},
		samples:    []string{"0.001", "1", "100", "0.5", "10000", "2.5"},
		accepts:    map[field.Name]bool{field.Percent: true, field.Number: false, field.Amount: false},
	})
}
