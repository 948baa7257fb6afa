package field_test

import (
	"testing"

	"github.com/stretchr/testify/assert"

	"codicil/core/decimal"
	"codicil/core/feel"
	"codicil/core/field"
)

func TestAmounts(t *testing.T) {
	check(t, spec{
		field: field.Field{Label: "Field", Type: field.Amount, Digits: 6}, formula: "number", width: 3, places: 4,
		reads: []reading{{"1.200,50", continental, "1200.5"}, {"1,200.50", english, "1200.5"}, {"1 200.50", english, "1200.5"}, {"1’200.50", english, "1200.5"},
			{"−5", english, "-5"}, {"12abc", english, "!not-a-number"}, {"1e3", english, "!not-a-number"}, {"10 %", english, "!not-a-number"}},
		stored:     []string{"1234567.5", "-1200", "0"},
		notStored:  []string{"1,234", "1 234", "12 %", "one"},
		fits:       map[string]string{"10.005": "10.01", "10.004": "10"},
		refuses:    map[string]string{"1234567": "too-large", `"x"`: "wrong-type"},
		shows:      map[string]string{"1234567.5": "1.234.567,50", "-1200": "-1.200,00"},
		plain:      map[string]string{"1200.5": "1200.5"},
		ascending:  []string{"-5", "2", "10"},
		relations:  numeric,
		neighbours: map[string][]string{"10": {"10.01", "9.99"}},
		samples:    []string{"0.01", "1", "100", "0.5", "10000", "2.5"},
		accepts:    map[field.Name]bool{field.Amount: true, field.Number: true, field.Quantity: true, field.Percent: false, field.Text: false},
	})
	yen := field.Field{Label: "Yen", Type: field.Amount}
	for value, want := range map[string]string{"10.5": "10", "11.5": "12"} { // half even
		v, _ := yen.Settle(feel.NumberOf(decimal.MustParse(value)), japanese)
		assert.Equal(t, want, field.Write(v))
	}
	assert.Equal(t, "1,200", yen.Show(feel.IntegerOf(1200), english, japanese))
	assert.Equal(t, "1", yen.Step(japanese).String())
	assert.Equal(t, "0.01", yen.Step(japanese.Beside("DKK", "", "")).String(), "the currency beside goes before the company's")
}

func TestCurrenciesHaveTheirDecimals(t *testing.T) {
	for code, want := range map[string]int{"EUR": 2, "JPY": 0, "CHF": 2, "DKK": 2} {
		got, ok := field.CurrencyDecimals(code)
		assert.True(t, ok)
		assert.Equal(t, want, got, code)
	}
	_, ok := field.CurrencyDecimals("X")
	assert.False(t, ok)
}
