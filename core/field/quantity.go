package field

import (
	"strings"

	"codicil/core/feel"
)

// Quantity is a number of units; the unit stands in a field beside it.
const Quantity Name = "quantity"

func init() { register(40, quantity{}) }

type quantity struct{ number }

func (quantity) Traits() Traits {
	return Traits{Name: Quantity, Label: "Quantity", Input: "text", Keys: "decimal", Right: true, Width: 80, Settings: []string{"digits", "decimals", "unit"}}
}

// Read reads the number with or without its unit.
func (q quantity) Read(f *Field, text string, format Format, s Surroundings) (feel.Value, *Misfit) {
	if s.Unit != "" && strings.HasSuffix(strings.ToLower(text), strings.ToLower(s.Unit)) {
		text = strings.TrimSpace(text[:len(text)-len(s.Unit)])
	}
	return q.number.Read(f, text, format, s)
}

func (quantity) Show(_ *Field, v feel.Value, format Format, s Surroundings) string {
	return strings.TrimSpace(showNumber(v, 0, format) + " " + s.Unit)
}
