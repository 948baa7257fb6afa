package field_test

import (
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"codicil/core/decimal"
	"codicil/core/feel"
	"codicil/core/field"
)

var formats = map[string]field.Format{
	"irish":   {Decimal: ".", Group: ",", Date: "dmy", Separator: "/"},
	"danish":  {Decimal: ",", Group: ".", Date: "dmy", Separator: "-"},
	"swiss":   {Decimal: ".", Group: "’", Date: "dmy", Separator: "."},
	"french":  {Decimal: ",", Group: "\u202f", Date: "dmy", Separator: "/"},
	"grouped": {Decimal: ",", Group: "", Date: "dmy", Separator: "."},
}

func TestNumbers(t *testing.T) {
	check(t, spec{
		field: field.Field{Label: "Field", Type: field.Number, Decimals: 1, Digits: 6}, formula: "number", width: 3, places: 1,
		reads:      []reading{{"1.200,5", continental, "1200.5"}, {"1,200.5", english, "1200.5"}, {"many", english, "!not-a-number"}, {"5 %", english, "!not-a-number"}},
		stored:     []string{"1200.5", "-3"},
		notStored:  []string{"1,200.5", "5 %", "x"},
		fits:       map[string]string{"1.25": "1.3", "-1.25": "-1.3"},
		refuses:    map[string]string{"1234567": "too-large", "true": "wrong-type"},
		shows:      map[string]string{"1200": "1.200,0", "0.25": "0,25"},
		plain:      map[string]string{"1200.5": "1200.5"},
		ascending:  []string{"-5", "2", "10"},
		relations:  numeric,
		neighbours: map[string][]string{"10": {"10.1", "9.9"}},
		samples:    []string{"0.1", "1", "100", "0.5", "10000", "2.5"},
		accepts:    map[field.Name]bool{field.Number: true, field.Percent: false, field.Text: false},
	})
}

// A number is read by the person's own signs; others' signs where they can mean one thing
// only; and where two meanings stay, nobody guesses.
func TestANumberIsReadByThePersonsOwnFormat(t *testing.T) {
	f := field.Field{Label: "Amount", Type: field.Amount}
	for _, c := range []struct{ format, typed, want string }{
		{"irish", "1,234", "1234"}, {"irish", "1.234", "1.234"}, {"irish", "1.200,50", "1200.5"}, {"irish", "1,5", "1.5"}, {"irish", "1,234,567", "1234567"}, {"irish", "0,123", "0.123"},
		{"danish", "1.234", "1234"}, {"danish", "1,234", "1.234"}, {"danish", "1,200.50", "1200.5"}, {"danish", "1.5", "1.5"},
		{"swiss", "1’234", "1234"}, {"swiss", "1.234", "1.234"}, {"swiss", "1,234", "?"}, {"swiss", "1,234,567", "1234567"}, {"swiss", "1,5", "1.5"}, {"swiss", "12,3456", "12.3456"},
		{"french", "1 234", "1234"}, {"french", "1,234", "1.234"}, {"french", "1.234", "?"}, {"french", "-1.234", "?"}, {"french", "1.234,5", "1234.5"},
		{"grouped", "1,234", "1.234"}, {"grouped", "1.234", "?"},
	} {
		v, wrong := f.Read(c.typed, formats[c.format], field.Surroundings{})
		if c.want != "?" {
			require.Nil(t, wrong, "%s %s", c.format, c.typed)
			assert.Equal(t, c.want, field.Write(v), "%s %s", c.format, c.typed)
			continue
		}
		if assert.NotNil(t, wrong, "%s %s", c.format, c.typed) {
			assert.Equal(t, "ambiguous-number", wrong.Code)
		}
	}
	_, wrong := f.Read("1,234", formats["swiss"], field.Surroundings{})
	assert.Equal(t, `Amount: "1,234" may mean 1’234 or 1.234 in your format; write one of these`, wrong.String())
}

// What a person reads they can type: in every format a number is read back as it is shown.
func TestANumberThatIsShownIsReadBack(t *testing.T) {
	f := field.Field{Label: "Number", Type: field.Number, Decimals: 3}
	rapid.Check(t, func(rt *rapid.T) {
		format := formats[rapid.SampledFrom([]string{"irish", "danish", "swiss", "french", "grouped"}).Draw(rt, "format")]
		n := decimal.MustParse(rapid.StringMatching(`-?[1-9][0-9]{0,8}\.[0-9]{3}`).Draw(rt, "number"))
		shown := f.Show(feel.NumberOf(n), format, field.Surroundings{})
		v, wrong := f.Read(shown, format, field.Surroundings{})
		if wrong != nil || field.Write(v) != n.String() {
			rt.Fatalf("%s is shown as %s and read as %s (%v)", n, shown, field.Write(v), wrong)
		}
	})
}

// What a person writes is read by their own format, and where that cannot be meant
// by the one that can.
func TestNumbersAreReadAsTheyAreMeant(t *testing.T) {
	f := field.Field{Label: "Amount", Type: field.Amount}
	for _, c := range []struct {
		typed                string
		english, continental string // "": no number
	}{
		{"1200", "1200", "1200"}, {"1,200", "1200", "1.2"}, {"1.200", "1.2", "1200"}, {"1,200.50", "1200.5", "1200.5"}, {"1.200,50", "1200.5", "1200.5"},
		{"1,5", "1.5", "1.5"}, {"1.5", "1.5", "1.5"}, {"1.234.567", "1234567", "1234567"}, {"1,234,567", "1234567", "1234567"}, {"1.234.567,8", "1234567.8", "1234567.8"},
		{"-1.200,5", "-1200.5", "-1200.5"}, {"1,2,3", "", ""}, {"1.2,3,4", "", ""}, {"12,34.5,6", "", ""}, {",5", "0.5", "0.5"}, {"1 200,5", "1200.5", "1200.5"},
	} {
		for format, want := range map[field.Format]string{english: c.english, continental: c.continental} {
			v, wrong := f.Read(c.typed, format, field.Surroundings{})
			if want == "" {
				assert.NotNil(t, wrong, c.typed)
				continue
			}
			assert.Nil(t, wrong, "%s %v", c.typed, format)
			assert.Equal(t, want, field.Write(v), "%s %v", c.typed, format)
		}
	}
}

// Who keys a number may key a sum; who loads one may not.
func TestASumIsAddedUpAsItIsKeyed(t *testing.T) {
	f := field.Field{Label: "Amount", Type: field.Amount}
	for typed, want := range map[string]string{
		"120+35,50": "155.5", "120 + 35,50": "155.5", "3*19,90": "59.7", "3×19,90": "59.7", "100/8": "12.5", "100-2*30": "40", "-5-3": "-8", "5--3": "8", "2*-3": "-6",
		"1.200,50+1": "1201.5", "0,1+0,2": "0.3", "+30": "30", "7": "7", "1+": "", "*3": "", "1++": "", "1/0": "", "a+1": "", "2+3)": "",
	} {
		v, wrong := f.Read(typed, continental, field.Surroundings{Keyed: true})
		if want == "" {
			assert.NotNil(t, wrong, typed)
			continue
		}
		assert.Nil(t, wrong, typed)
		assert.Equal(t, want, field.Write(v), typed)
	}
	_, wrong := f.Read("120+35,50", continental, field.Surroundings{})
	assert.NotNil(t, wrong)
	share := field.Field{Label: "Rate", Type: field.Percent}
	v, wrong := share.Read("10+2,5 %", continental, field.Surroundings{Keyed: true})
	assert.Nil(t, wrong)
	assert.Equal(t, "0.125", field.Write(v))
}
