package field_test

import (
	"testing"

	"github.com/stretchr/testify/assert"

	"codicil/core/field"
)

func TestLinks(t *testing.T) {
	check(t, spec{
		field: field.Field{Label: "Field", Type: field.Link, Kind: "vendor"}, formula: "string", width: 6,
		reads:      []reading{{" V10001 ", english, "V10001"}},
		stored:     []string{"V10001"},
		fits:       map[string]string{`" V1 "`: "V1"},
		shows:      map[string]string{"V10001": "V10001"},
		plain:      map[string]string{"V10001": "V10001"},
		ascending:  []string{"V2", "V10"},
		relations:  []string{"is", "is-not", "one-of", "none-of", "is-blank", "is-filled"},
		neighbours: map[string][]string{"V1": {"V1x"}},
		accepts:    map[field.Name]bool{field.Text: false, field.Choice: false},
	})
	vendor, other := field.Field{Label: "Vendor", Type: field.Link, Kind: "vendor"}, field.Field{Label: "Item", Type: field.Link, Kind: "item"}
	assert.Empty(t, vendor.Carries(&vendor))
	assert.Equal(t, "Item (link to item) does not fit Vendor (link to vendor)", other.Carries(&vendor))
	assert.Equal(t, "unknown-kind", (&field.Field{Label: "Vendor", Type: field.Link}).Sound().Code)
}
