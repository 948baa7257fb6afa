package record_test

import (
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"codicil/core/decimal"
	"codicil/core/feel"
	"codicil/core/record"
)

var formats = map[string]record.Format{
	"irish":   {Decimal: ".", Group: ",", Date: "dmy", Separator: "/"},
	"danish":  {Decimal: ",", Group: ".", Date: "dmy", Separator: "-"},
	"swiss":   {Decimal: ".", Group: "’", Date: "dmy", Separator: "."},
	"french":  {Decimal: ",", Group: "\u202f", Date: "dmy", Separator: "/"},
	"grouped": {Decimal: ",", Group: "", Date: "dmy", Separator: "."},
}

// A number is read by the person's own signs; others' signs where they can mean one thing
// only; and where two meanings stay, nobody guesses.
func TestANumberIsReadByThePersonsOwnFormat(t *testing.T) {
	f := record.Field{Label: "Amount", Type: record.Amount}
	for _, c := range []struct{ format, typed, want string }{
		{"irish", "1,234", "1234"}, {"irish", "1.234", "1.234"}, {"irish", "1.200,50", "1200.5"}, {"irish", "1,5", "1.5"}, {"irish", "1,234,567", "1234567"}, {"irish", "0,123", "0.123"},
		{"danish", "1.234", "1234"}, {"danish", "1,234", "1.234"}, {"danish", "1,200.50", "1200.5"}, {"danish", "1.5", "1.5"},
		{"swiss", "1’234", "1234"}, {"swiss", "1.234", "1.234"}, {"swiss", "1,234", "?"}, {"swiss", "1,234,567", "1234567"}, {"swiss", "1,5", "1.5"}, {"swiss", "12,3456", "12.3456"},
		{"french", "1 234", "1234"}, {"french", "1,234", "1.234"}, {"french", "1.234", "?"}, {"french", "-1.234", "?"}, {"french", "1.234,5", "1234.5"},
		{"grouped", "1,234", "1.234"}, {"grouped", "1.234", "?"},
	} {
		v, wrong := f.Read(c.typed, formats[c.format], record.Surroundings{})
		if c.want != "?" {
			require.Nil(t, wrong, "%s %s", c.format, c.typed)
			assert.Equal(t, c.want, record.Write(v), "%s %s", c.format, c.typed)
			continue
		}
		if assert.NotNil(t, wrong, "%s %s", c.format, c.typed) {
			assert.Equal(t, "ambiguous-number", wrong.Code)
		}
	}
	_, wrong := f.Read("1,234", formats["swiss"], record.Surroundings{})
	assert.Equal(t, `Amount: "1,234" may mean 1’234 or 1.234 in your format; write one of these`, wrong.Message)
}

// What a person reads they can type: in every format a number is read back as it is shown.
func TestANumberThatIsShownIsReadBack(t *testing.T) {
	f := record.Field{Label: "Number", Type: record.Number, Decimals: 3}
	rapid.Check(t, func(rt *rapid.T) {
		format := formats[rapid.SampledFrom([]string{"irish", "danish", "swiss", "french", "grouped"}).Draw(rt, "format")]
		n := decimal.MustParse(rapid.StringMatching(`-?[1-9][0-9]{0,8}\.[0-9]{3}`).Draw(rt, "number"))
		shown := f.Show(feel.NumberOf(n), format, record.Surroundings{})
		v, wrong := f.Read(shown, format, record.Surroundings{})
		if wrong != nil || record.Write(v) != n.String() {
			rt.Fatalf("%s is shown as %s and read as %s (%v)", n, shown, record.Write(v), wrong)
		}
	})
}

func TestAYearOfTwoDigitsIsTheNearest(t *testing.T) {
	f := record.Field{Label: "On", Type: record.Date}
	for _, c := range []struct {
		today record.Day
		typed string
		want  string
	}{
		{"2026-11-24", "24.11.99", "1999-11-24"}, {"2026-11-24", "24.11.27", "2027-11-24"}, {"2026-11-24", "24.11.75", "2075-11-24"}, {"2026-11-24", "24.11.76", "1976-11-24"},
		{"2080-01-01", "1.2.03", "2103-02-01"}, {"1999-12-31", "1.1.00", "2000-01-01"}, {"2026-11-24", "241199", "1999-11-24"},
	} {
		v, wrong := f.Read(c.typed, formats["swiss"], record.Surroundings{Day: c.today})
		require.Nil(t, wrong, c.typed)
		assert.Equal(t, c.want, record.Write(v), "%s on %s", c.typed, c.today)
	}
}

// Storage is read exactly; only what a person typed is read leniently.
func TestStorageIsReadExactly(t *testing.T) {
	for kind, texts := range map[record.FieldType][]string{
		record.Amount: {"1,234", "1 234", "12 %", "one"}, record.Date: {"24.11.2026", "+30", "2026-2-1", "2026-02-30"}, record.YesNo: {"yes", "1", "x", "True"}, record.Percent: {"10 %"},
	} {
		for _, text := range texts {
			f := record.Field{Label: "Field", Type: kind}
			_, wrong := f.Parse(text)
			assert.NotNil(t, wrong, "%s %s", kind, text)
		}
	}
	choice := record.Field{Label: "Grade", Type: record.Choice, Choices: []record.Option{{Code: "B", Label: "A"}, {Code: "A", Label: "Alpha"}}}
	for _, text := range []string{"A", "B", "Al", "gone"} {
		v, wrong := choice.Parse(text)
		require.Nil(t, wrong)
		assert.Equal(t, text, record.Write(v), "a code stays what it is, also one that was removed")
	}
}

func TestOriginsAreWrittenAndRead(t *testing.T) {
	id, version, ok := record.ByRule(12, 3).Rule()
	assert.True(t, ok)
	assert.EqualValues(t, 12, id)
	assert.Equal(t, 3, version)
	for _, o := range []record.Origin{record.Unknown, record.Person, record.Load, record.Carried, "rule x v1", "rule 3"} {
		_, _, ok := o.Rule()
		assert.False(t, ok, o)
	}
}
