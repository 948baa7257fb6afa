package record_test

import (
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"codicil/core/feel"
	"codicil/core/record"
)

var (
	continental = record.Format{Decimal: ",", Group: ".", Date: "dmy", Separator: "."}
	english     = record.Format{Decimal: ".", Group: ",", Date: "dmy", Separator: "/"}
	american    = record.Format{Decimal: ".", Group: ",", Date: "mdy", Separator: "/"}

	ireland = record.Company{Key: "10", Country: "IE", Currency: "EUR", Rounding: "half-up"}
	japan   = record.Company{Key: "30", Country: "JP", Currency: "JPY", Rounding: "half-even"}
)

func field(kind record.FieldType) *record.Field {
	return &record.Field{Key: "x", Label: "Field", Type: kind, Length: 5, Decimals: 1, Digits: 6,
		Choices: []record.Option{{Code: "IE", Label: "Ireland"}, {Code: "DK", Label: "Denmark"}, {Code: "DE", Label: "Germany"}}}
}

func TestReadingWhatPeopleType(t *testing.T) {
	here := record.Surroundings{Company: &ireland, Day: "2026-11-24"}
	for _, c := range []struct {
		kind   record.FieldType
		typed  string
		format record.Format
		want   string // canonical, or the code of the misfit after "!"
	}{
		{record.Amount, "1.200,50", continental, "1200.5"},
		{record.Amount, "1,200.50", english, "1200.5"},
		{record.Amount, "1 200.50", english, "1200.5"},
		{record.Amount, "1’200.50", english, "1200.5"},
		{record.Amount, "−5", english, "-5"},
		{record.Amount, "12abc", english, "!not-a-number"},
		{record.Amount, "1e3", english, "!not-a-number"},
		{record.Amount, "10 %", english, "!not-a-number"},
		{record.Percent, "10", english, "0.1"},
		{record.Percent, "2,5 %", continental, "0.025"},
		{record.Date, "2026-02-29", english, "!not-a-date"},
		{record.Date, "2026-12-01", continental, "2026-12-01"},
		{record.Date, "24.11.", continental, "2026-11-24"},
		{record.Date, "1.2.27", continental, "2027-02-01"},
		{record.Date, "11/24/2026", american, "2026-11-24"},
		{record.Date, "24/11/2026", american, "!not-a-date"},
		{record.Date, "241126", continental, "2026-11-24"},
		{record.Date, "12-01", record.Plain, "2026-12-01"},
		{record.Date, "+30", continental, "2026-12-24"},
		{record.Date, "-24", continental, "2026-10-31"},
		{record.Date, "soon", continental, "!not-a-date"},
		{record.YesNo, "Y", english, "true"},
		{record.YesNo, "no", english, "false"},
		{record.YesNo, "maybe", english, "!not-yes-or-no"},
		{record.Choice, "ireland", english, "IE"},
		{record.Choice, "de", english, "DE"},
		{record.Choice, "Den", english, "DK"},
		{record.Choice, "XX", english, "!not-a-choice"},
		{record.Text, "  salt ", english, "salt"},
		{record.Text, "   ", english, ""},
	} {
		v, wrong := field(c.kind).Read(c.typed, c.format, here)
		if c.want != "" && c.want[0] == '!' {
			if assert.NotNil(t, wrong, c.typed) {
				assert.Equal(t, c.want[1:], wrong.Code, c.typed)
				assert.Contains(t, wrong.Message, "Field", c.typed)
			}
			continue
		}
		assert.Nil(t, wrong, c.typed)
		assert.Equal(t, c.want, record.Write(v), c.typed)
	}
}

func TestSettlingRoundsButNeverCuts(t *testing.T) {
	for _, c := range []struct {
		kind    record.FieldType
		value   string
		company record.Company
		want    string
		code    string
	}{
		{record.Amount, "10.005", ireland, "10.01", ""},
		{record.Amount, "10.5", japan, "10", ""},
		{record.Amount, "11.5", japan, "12", ""},
		{record.Number, "1.25", ireland, "1.3", ""},
		{record.Percent, "0.12345", ireland, "0.123", ""},
		{record.Number, "1234567", ireland, "1234567", "too-large"},
		{record.Text, `" abcde "`, ireland, "abcde", ""},
		{record.Text, `"abcdef"`, ireland, "abcdef", "too-long"},
		{record.Text, `"   "`, ireland, "", ""},
		{record.Text, "5", ireland, "5", "wrong-type"},
		{record.Choice, `"XX"`, ireland, "XX", "not-a-choice"},
		{record.Email, `"a@b"`, ireland, "a@b", "not-an-email"},
		{record.Email, `"a@b.c"`, ireland, "a@b.c", ""},
	} {
		program, problems := feel.Compile(c.value, nil, feel.Strict)
		require.NoError(t, problems.Errors())
		v, wrong := field(c.kind).Settle(program.Eval(&feel.Frame{}), record.Surroundings{Company: &c.company})
		assert.Equal(t, c.want, record.Write(v), c.value)
		if c.code == "" {
			assert.Nil(t, wrong, c.value)
		} else if assert.NotNil(t, wrong, c.value) {
			assert.Equal(t, c.code, wrong.Code)
		}
	}
	upper := record.Field{Type: record.Text, Case: "upper"}
	v, _ := upper.Settle(feel.StringOf("ie29"), record.Surroundings{})
	assert.Equal(t, "IE29", record.Write(v))
}

func TestShownAndStoredValuesReadBack(t *testing.T) {
	here := record.Surroundings{Company: &ireland, Day: "2026-11-24"}
	for _, c := range []struct {
		kind  record.FieldType
		value string
		shown string
	}{
		{record.Amount, "1234567.5", "1.234.567,50"}, {record.Amount, "-1200", "-1.200,00"}, {record.Percent, "0.025", "2,5 %"},
		{record.Date, "2026-11-24", "24.11.2026"}, {record.YesNo, "true", "yes"}, {record.Choice, "IE", "IE"},
	} {
		f := field(c.kind)
		v, wrong := f.Parse(c.value)
		require.Nil(t, wrong)
		assert.Equal(t, c.value, record.Write(v))
		assert.Equal(t, c.shown, f.Show(v, continental, here))
		back, wrong := f.Read(c.shown, continental, here)
		require.Nil(t, wrong)
		assert.True(t, feel.Same(v, back), c.shown)
	}
	yen := field(record.Amount)
	v, _ := yen.Parse("1200")
	assert.Equal(t, "1,200", yen.Show(v, english, record.Surroundings{Company: &japan}))
}

func TestDaysAndCurrencies(t *testing.T) {
	_, err := record.ParseDay("24.11.2026")
	assert.ErrorContains(t, err, "2026-11-24")
	d, err := record.ParseDay("2026-11-24")
	require.NoError(t, err)
	assert.Equal(t, "2026-11-24", d.Value().Plain())
	for code, want := range map[string]int{"EUR": 2, "JPY": 0, "CHF": 2, "DKK": 2} {
		got, ok := record.CurrencyDecimals(code)
		assert.True(t, ok)
		assert.Equal(t, want, got, code)
	}
	_, ok := record.CurrencyDecimals("X")
	assert.False(t, ok)
	trade := record.Type{Companies: []string{"10"}}
	assert.True(t, trade.UsedIn("10"))
	assert.False(t, trade.UsedIn("20"))
}
