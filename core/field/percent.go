package field

import (
	"strings"

	"codicil/core/decimal"
	"codicil/core/feel"
)

// Percent is a share: a person writes 10 %, and the value is 0.1.
const Percent Name = "percent"

func init() { register(50, percent{}) }

type percent struct{ number }

func (percent) Traits() Traits {
	return Traits{Name: Percent, Label: "Percent", Input: "text", Keys: "decimal", Right: true, Width: 66, Share: true, Settings: []string{"digits", "decimals"}, Tables: true}
}

func (percent) Formula() feel.Type { return feel.Type{Kind: feel.Number, Percent: true} }

// Read reads 10 or 10 % as 0.1.
func (percent) Read(f *Field, text string, format Format, s Surroundings) (feel.Value, *Misfit) {
	n, wrong := readSum(f, strings.TrimSpace(strings.TrimSuffix(text, "%")), format, s)
	if wrong != nil {
		return feel.NullValue, wrong
	}
	n, _ = n.Mul(power(-2))
	return feel.NumberOf(n), nil
}

// Places are those of the share: two more than people write.
func (percent) Places(f *Field, _ Surroundings) (int, bool) { return f.Decimals + 2, true }

func (p percent) Fit(f *Field, v feel.Value, s Surroundings) (feel.Value, *Misfit) {
	return fitNumber(f, v, f.Decimals+2, s)
}

func (percent) Show(f *Field, v feel.Value, format Format, _ Surroundings) string {
	n, _ := v.Number()
	n, _ = n.Mul(decimal.FromInt(100))
	return showNumber(feel.NumberOf(n), f.Decimals, format) + " %"
}

func (p percent) Plain(f *Field, v feel.Value) string { return p.Show(f, v, Plain, Surroundings{}) }

func (percent) Accepts(f, from *Field) (string, bool) { return acceptsNumber(f, from) }
