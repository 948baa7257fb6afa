package field_test

import (
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"codicil/core/feel"
	"codicil/core/field"
)

func TestDaysInWordsAreReadAsTheyAreMeant(t *testing.T) {
	for text, want := range map[string][3]string{ // the day on 31 January 2028, the formula, the words
		"today":                    {"2028-01-31", "today()", "today"},
		"Tomorrow":                 {"2028-02-01", "add days(today(), 1)", "tomorrow"},
		"yesterday":                {"2028-01-30", "add days(today(), -1)", "yesterday"},
		"in 30 days":               {"2028-03-01", "add days(today(), 30)", "in 30 days"},
		"2 weeks ago":              {"2028-01-17", "add days(today(), -14)", "14 days ago"},
		"in 1 month":               {"2028-02-29", "add months(today(), 1)", "in 1 month"},
		"in 1 year":                {"2029-01-31", "add months(today(), 12)", "in 12 months"},
		"end of this month":        {"2028-01-31", "month end(today())", "end of this month"},
		"the end of the month":     {"2028-01-31", "month end(today())", "end of this month"},
		"end of next month":        {"2028-02-29", "month end(add months(today(), 1))", "end of next month"},
		"last day of last month":   {"2027-12-31", "month end(add months(today(), -1))", "end of last month"},
		"start of this month":      {"2028-01-01", "add days(month end(add months(today(), -1)), 1)", "start of this month"},
		"first day of next month":  {"2028-02-01", "add days(month end(today()), 1)", "start of next month"},
		"beginning of last month":  {"2027-12-01", "add days(month end(add months(today(), -2)), 1)", "start of last month"},
		"end of this year":         {"2028-12-31", "date(today().year, 12, 31)", "end of this year"},
		"start of next year":       {"2029-01-01", "date(today().year + 1, 1, 1)", "start of next year"},
		"10 days before today":     {"2028-01-21", "add days(today(), -10)", "10 days ago"},
		"3 months   from today":    {"2028-04-30", "add months(today(), 3)", "in 3 months"},
		"5 workdays after invoice": {"", "add workdays(invoice, 5)", "5 workdays after invoice"},
	} {
		days, base, ok := field.DaysOf(text)
		require.True(t, ok, text)
		if want[0] != "" {
			day, known := days.From(feel.MustDate("2028-01-31"))
			assert.True(t, known, text)
			assert.Equal(t, want[0], field.Write(day), text)
		}
		from := base
		if base == "" {
			from = "today()"
		}
		formula := days.Formula(from)
		assert.Equal(t, want[1], formula, text)
		if formula != "today()" {
			again, counted, ok := field.DaysIn(formula)
			require.True(t, ok, text)
			assert.Equal(t, from, counted, text)
			assert.Equal(t, want[2], again.Words(base), text)
		}
	}
	for _, text := range []string{"", "N30", "30", "next month", "10 days from invoice", "end of time", "5 days"} {
		_, _, ok := field.DaysOf(text)
		assert.False(t, ok, text)
	}
	for _, formula := range []string{"today()", "month end(due) + 1", "add days(today(), 0)", "date(2026, 1, 1)", "month end(add months(today(), 5))"} {
		_, _, ok := field.DaysIn(formula)
		assert.False(t, ok, formula)
	}
}

// A formula of a day in words gives the day that the words mean, on every day.
func TestTheFormulaOfADayGivesTheDay(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		words := rapid.SampledFrom([]string{"today", "tomorrow", "in 45 days", "3 weeks ago", "in 1 month", "11 months ago", "2 years ago", "end of next month", "end of last month",
			"start of last month", "start of this month", "start of next month", "end of this year", "start of last year"}).Draw(t, "words")
		today := feel.MustDate("2024-02-29").PlusDays(rapid.Int64Range(-4000, 4000).Draw(t, "day"))
		days, _, ok := field.DaysOf(words)
		require.True(t, ok)
		want, known := days.From(today)
		require.True(t, known)
		program, problems := feel.Compile(days.Formula("today"), feel.Scope{"today": feel.Symbol{Slot: 0, Type: feel.DateType}}, feel.Strict)
		require.NoError(t, problems.Errors())
		got, _ := program.Explain(&feel.Frame{Slots: []feel.Value{today}})
		assert.Equal(t, field.Write(want), field.Write(got), words)
	})
}
