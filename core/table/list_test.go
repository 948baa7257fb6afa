package table_test

import (
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"codicil/core/decimal"
	"codicil/core/feel"
	"codicil/core/field"
	"codicil/core/record"
	"codicil/core/table"
	"codicil/internal/standard"
)

func number(n int) *int { return &n }

func TestTheListsOfStandardsAreComplete(t *testing.T) {
	lists, err := standard.Lists()
	require.NoError(t, err)
	set := table.Set{Lists: lists}
	for i := range lists {
		assert.Empty(t, lists[i].Check(), lists[i].Key)
	}
	assert.Len(t, set.List("countries").Entries, 249)
	assert.Len(t, set.List("delivery_terms").Entries, 11)
	for code, decimals := range map[string]int{"EUR": 2, "JPY": 0, "ISK": 0, "BHD": 3, "IQD": 3, "CLF": 4, "HUF": 2, "RSD": 2, "UYI": 0} {
		require.NotNil(t, set.List(table.Currencies).Entry(code), code)
		assert.Equal(t, decimals, *set.List(table.Currencies).Entry(code).Decimals, code)
	}
}

func TestWhatIsWrongWithAListIsSaidAtItsPlace(t *testing.T) {
	l := table.List{Key: table.Currencies, Label: " Money ", Entries: []table.Entry{
		{Code: "EUR", Decimals: number(3)}, {Code: "PTS", Label: "Points", Decimals: number(9)}, {Code: "EUR"}, {Code: " "}, {Code: "X", Period: table.Period{From: "2026-02-01", Until: "2026-01-01"}},
	}, Views: []table.ListView{{Company: "10", Only: []string{"EUR", "USD"}}, {Company: "10", Labels: map[string]string{"EUR": "Euro"}}}}
	var told []string
	for _, p := range l.Check() {
		told = append(told, p.Code+"@"+p.Column)
	}
	assert.Equal(t, []string{"decimals-of-the-standard@decimals", "not-decimals@decimals", "code-taken@code", "no-code@code", "ends-before-it-begins@until", "unknown-code@views", "company-twice@views"}, told)
	assert.Equal(t, "Money", l.Label)
	bad := table.List{Key: "No key"}
	assert.Len(t, bad.Check(), 1)
}

// What can be chosen depends on the company and the day; what is saved already may stay.
func TestAListIsNarrowedAndRenamedByCompany(t *testing.T) {
	set := table.Set{Lists: []table.List{{Key: "terms", Label: "Terms", Entries: []table.Entry{
		{Code: "N14", Label: "14 days"}, {Code: "N30", Label: "30 days"}, {Code: "N90", Label: "90 days", Period: table.Period{Until: "2025-12-31"}}, {Code: "OLD", Label: "Nobody uses it"},
	}, Views: []table.ListView{
		{Only: []string{"N14", "N30", "N90"}},
		{Company: "40", Only: []string{"N30", "N90"}, Labels: map[string]string{"N30": "30 Tage"}},
	}}}}
	kinds := []record.Kind{{Key: "vendor", Fields: []field.Field{{Key: "terms", Label: "Terms", Type: field.Choice, List: "terms"}, {Key: "own", Type: field.Choice, Choices: []field.Option{{Code: "A"}}}}}}
	set.ChooseAll(kinds)
	f := &kinds[0].Fields[0]
	require.Len(t, f.Choices, 3)
	assert.Len(t, kinds[0].Fields[1].Choices, 1, "a field of its own choices keeps them")

	alpin := (&record.Company{Key: "40"}).Surroundings("2026-11-24")
	works := (&record.Company{Key: "10"}).Surroundings("2025-06-01")
	for _, c := range []struct {
		code string
		at   field.Surroundings
		want string
		anew bool
	}{
		{"N30", alpin, "", false},
		{"N14", works, "", false},
		{"N90", works, "", false},
		{"N14", alpin, "choice-not-here", true},
		{"N90", alpin, "choice-not-now", true},
		{"OLD", works, "not-a-choice", false},
	} {
		_, wrong := f.Settle(feel.StringOf(c.code), c.at)
		if c.want == "" {
			assert.Nil(t, wrong, c.code)
			continue
		}
		require.NotNil(t, wrong, c.code)
		assert.Equal(t, c.want, wrong.Code, c.code)
		assert.Equal(t, c.anew, wrong.Anew, c.code)
	}
	for typed, at := range map[string]field.Surroundings{"30 Tage": alpin, "30 days": works, "n30": works} {
		v, wrong := f.Read(typed, field.Plain, at)
		require.Nil(t, wrong, typed)
		assert.Equal(t, "N30", field.Write(v), typed)
	}
	assert.Equal(t, []string{"40"}, f.Choices[0].NotIn)
}

// A list that a book brings adds to the one that is there, and takes nothing away.
func TestAListTakesWhatAnotherSays(t *testing.T) {
	l := table.List{Key: "l", Label: "L", Standard: "S", Entries: []table.Entry{{Code: "A", Label: "a"}, {Code: "B", Label: "b"}}, Views: []table.ListView{{Company: "10", Only: []string{"A"}}, {Company: "20", Only: []string{"B"}}}}
	both := l.With(table.List{Key: "l", Label: "M", Entries: []table.Entry{{Code: "B", Label: "bee"}, {Code: "C", Label: "c"}}, Views: []table.ListView{{Company: "20", Only: []string{"C"}}}})
	assert.Equal(t, []table.Entry{{Code: "A", Label: "a"}, {Code: "B", Label: "bee"}, {Code: "C", Label: "c"}}, both.Entries)
	assert.Equal(t, []string{"A"}, both.View("10").Only)
	assert.Equal(t, []string{"C"}, both.View("20").Only)
	assert.Equal(t, [2]string{"M", "S"}, [2]string{both.Label, both.Standard})
	assert.Len(t, l.Entries, 2, "the one that was there is not changed")
}

// An amount in a currency of one's own has the decimals that its entry says.
func TestACurrencyOfOnesOwnHasItsDecimals(t *testing.T) {
	set := table.Set{Lists: []table.List{{Key: table.Currencies, Entries: []table.Entry{{Code: "EUR", Decimals: number(2)}, {Code: "PTSX", Decimals: number(0)}}}}}
	here := (&record.Company{Key: "10", Currency: "EUR", Minor: set.Minor()}).Surroundings("")
	amount := field.Field{Key: "a", Label: "A", Type: field.Amount}
	v := feel.NumberOf(decimal.MustParse("12.345"))
	settled, wrong := amount.Settle(v, here.Beside("PTSX", "", ""))
	require.Nil(t, wrong)
	assert.Equal(t, "12", field.Write(settled))
	settled, _ = amount.Settle(v, here)
	assert.Equal(t, "12.35", field.Write(settled))
}
