package field

import (
	"golang.org/x/text/currency"

	"codicil/core/feel"
)

// Amount is an amount of money, with the decimals of its currency.
const Amount Name = "amount"

func init() { register(30, amount{}) }

type amount struct{ number }

func (amount) Traits() Traits {
	return Traits{Name: Amount, Label: "Amount", Input: "text", Keys: "decimal", Right: true, Width: 92, Settings: []string{"digits", "currency"}, Uniform: true}
}

// mostDecimals stands for a currency that has as many decimals as any.
const mostDecimals = "*"

// CurrencyDecimals returns the minor digits of an ISO 4217 currency: 2 for EUR, 0
// for JPY; false when there is no such currency.
func CurrencyDecimals(code string) (int, bool) {
	if _, err := currency.ParseISO(code); err != nil {
		return 0, false
	}
	if n, other := minor[code]; other {
		return n, true
	}
	return 2, true
}

// minor are the digits that ISO 4217 gives the currencies that do not have two; the package that
// knows the codes rounds some to what is used in cash.
var minor = map[string]int{
	"BIF": 0, "CLP": 0, "DJF": 0, "GNF": 0, "ISK": 0, "JPY": 0, "KMF": 0, "KRW": 0, "PYG": 0, "RWF": 0, "UGX": 0, "UYI": 0, "VND": 0, "VUV": 0, "XAF": 0, "XOF": 0, "XPF": 0,
	"BHD": 3, "IQD": 3, "JOD": 3, "KWD": 3, "LYD": 3, "OMR": 3, "TND": 3,
	"CLF": 4, "UYW": 4,
}

// Places are those of the currency; of one that is not known 2.
func (amount) Places(_ *Field, s Surroundings) (int, bool) {
	if s.Currency == mostDecimals {
		return 4, true
	}
	if n, known := s.Decimals(s.Currency); known {
		return n, true
	}
	return 2, true
}

func (a amount) Fit(f *Field, v feel.Value, s Surroundings) (feel.Value, *Misfit) {
	places, _ := a.Places(f, s)
	return fitNumber(f, v, places, s)
}

func (a amount) Show(f *Field, v feel.Value, format Format, s Surroundings) string {
	places, _ := a.Places(f, s)
	return showNumber(v, places, format)
}

func (amount) Accepts(f, from *Field) (string, bool) { return acceptsNumber(f, from) }
