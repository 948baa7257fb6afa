package field_test

import (
	"testing"

	"github.com/stretchr/testify/assert"

	"codicil/core/field"
)

func TestQuantities(t *testing.T) {
	check(t, spec{
		field: field.Field{Label: "Field", Type: field.Quantity, Decimals: 1, Digits: 6}, formula: "number", width: 3, places: 1,
		reads:      []reading{{"12,5", continental, "12.5"}, {"12.5 kg", english, "12.5"}, {"12.5KG", english, "12.5"}, {"12 lb", english, "!not-a-number"}},
		stored:     []string{"12.5"},
		notStored:  []string{"12.5 kg"},
		fits:       map[string]string{"1.25": "1.3"},
		refuses:    map[string]string{"1234567": "too-large"},
		shows:      map[string]string{"1200": "1.200 kg", "1.5": "1,5 kg"},
		plain:      map[string]string{"1200": "1200"},
		ascending:  []string{"2", "10"},
		relations:  numeric,
		neighbours: map[string][]string{"10": {"10.1", "9.9"}},
		samples:    []string{"0.1", "1", "100", "0.5", "10000", "2.5"},
		accepts:    map[field.Name]bool{field.Quantity: true, field.Amount: true, field.Percent: false},
	})
	pieces, weight := field.Field{Label: "Pieces", Type: field.Quantity}, field.Field{Label: "Weight", Type: field.Quantity, Decimals: 3}
	assert.Contains(t, weight.Carries(&pieces), "3 decimals into 0 would be rounded")
}
