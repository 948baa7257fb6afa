package table_test

import (
	"fmt"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"codicil/core/feel"
	"codicil/core/field"
	"codicil/core/record"
	"codicil/core/table"
)

func period(from, until record.Day) table.Period { return table.Period{From: from, Until: until} }

func freight(periods ...table.StandingValue) table.Standing {
	return table.Standing{Field: field.Field{Key: "freight", Label: "Freight", Type: field.Number, Decimals: 2}, Periods: periods}
}

func TestTheStandingValueOfADay(t *testing.T) {
	s := freight(
		table.StandingValue{Period: period("2026-01-01", "2026-12-31"), Value: "12.50"},
		table.StandingValue{Period: period("2027-01-01", ""), Value: "13"},
		table.StandingValue{Company: "30", Period: period("2026-06-01", "2026-06-30"), Value: "900"})
	require.Empty(t, s.Check())
	for _, c := range []struct {
		company string
		day     record.Day
		want    string
	}{
		{"10", "2025-12-31", ""}, {"10", "2026-01-01", "12.5"}, {"10", "2026-12-31", "12.5"}, {"10", "2027-01-01", "13"},
		{"30", "2026-05-31", "12.5"}, {"30", "2026-06-01", "900"}, {"30", "2026-06-30", "900"}, {"30", "2026-07-01", "12.5"},
	} {
		v, there := s.On(c.company, c.day)
		assert.Equal(t, c.want != "", there, "%s on %s", c.company, c.day)
		if there {
			assert.Equal(t, c.want, field.Write(v), "%s on %s", c.company, c.day)
		}
	}
}

func TestWhatIsWrongWithAStandingValue(t *testing.T) {
	s := freight(
		table.StandingValue{Period: period("2026-01-01", "2026-06-30"), Value: "1"},
		table.StandingValue{Period: period("2026-06-30", ""), Value: "much"},
		table.StandingValue{Company: "10", Period: period("2026-05-01", "2026-04-01"), Value: ""})
	messages := []string{}
	for _, p := range s.Check() {
		messages = append(messages, fmt.Sprintf("%d %s: %s", p.Row, p.Column, p.Message))
	}
	assert.Equal(t, []table.StandingValue{{Period: period("2026-01-01", "2026-06-30"), Value: "1"}, {Period: period("2026-06-30", ""), Value: "much"},
		{Company: "10", Period: period("2026-05-01", "2026-04-01")}}, s.Periods)
	assert.Equal(t, []string{
		`1 value: Freight must be a number; "much" is not. Write it as 1234.5`,
		"1 from: the periods from 2026-01-01 until 2026-06-30 and from 2026-06-30 overlap; end the one before the other begins",
		"2 until: it ends on 2026-04-01, before it begins on 2026-05-01",
		"2 value: write the value of the period",
	}, messages)
}

// A problem names the row as the person sees it, whatever order the periods come into.
func TestProblemsOfPeriodsCountRowsAsTheyWereGiven(t *testing.T) {
	s := freight(
		table.StandingValue{Company: "20", Period: period("2026-01-01", ""), Value: "1"},
		table.StandingValue{Company: "10", Period: period("2026-07-01", ""), Value: "2"},
		table.StandingValue{Company: "10", Period: period("31.31.2027", "32.1.2027"), Value: "3"},
		table.StandingValue{Company: "10", Period: period("2026-01-01", ""), Value: "4"})
	got := []string{}
	for _, p := range s.Check() {
		got = append(got, fmt.Sprintf("%d %s %s", p.Row, p.Column, p.Code))
	}
	assert.Equal(t, []string{"1 from overlap", "2 from not-a-day"}, got)
	assert.Equal(t, "4", s.Periods[0].Value)
}

func TestGapsAndEndsAreAnnounced(t *testing.T) {
	for name, c := range map[string]struct {
		periods []table.StandingValue
		want    []string
	}{
		"without an end": {[]table.StandingValue{{Value: "1"}}, nil},
		"ends soon":      {[]table.StandingValue{{Value: "1", Period: period("", "2027-01-23")}}, []string{"ends 2027-01-24: Freight for all companies ends on 2027-01-23, and nothing follows"}},
		"ends later":     {[]table.StandingValue{{Value: "1", Period: period("", "2027-01-24")}}, nil},
		"a gap": {[]table.StandingValue{{Value: "1", Period: period("", "2027-06-30")}, {Value: "2", Period: period("2027-07-02", "")}},
			[]string{"gap 2027-07-01: Freight for all companies has no value from 2027-07-01 until 2027-07-01"}},
		"begins later":                  {[]table.StandingValue{{Value: "1", Period: period("2026-12-01", "")}}, []string{"gap 2026-11-24: Freight for all companies has no value until 2026-11-30"}},
		"over":                          {[]table.StandingValue{{Value: "1", Period: period("", "2026-11-23")}}, []string{"none 2026-11-24: Freight for all companies has no value today and none later"}},
		"one company ends, all goes on": {[]table.StandingValue{{Value: "1"}, {Company: "30", Value: "2", Period: period("", "2026-12-01")}}, nil},
		"one company only": {[]table.StandingValue{{Company: "30", Value: "2", Period: period("", "2026-12-01")}},
			[]string{"none 2026-11-24: Freight for all companies has no value today and none later", "ends 2026-12-02: Freight for company 30 ends on 2026-12-01, and nothing follows"}},
	} {
		s := freight(c.periods...)
		require.Empty(t, s.Check(), name)
		var got []string
		for _, n := range s.Notices([]string{"10", "30"}, "2026-11-24", func(d record.Day) string { return string(d) }) {
			got = append(got, fmt.Sprintf("%s %s: %s", n.Code, n.Day, n.Message))
		}
		assert.Equal(t, c.want, got, name)
	}
}

var rates = table.Crosswalk{Key: "rates", Label: "Rates",
	Keys:    []field.Field{{Key: "country", Label: "Country", Type: field.Text, Case: "upper"}, {Key: "weight", Label: "Weight", Type: field.Number, Decimals: 1}},
	Results: []field.Field{{Key: "rate", Label: "Rate", Type: field.Number, Decimals: 2}, {Key: "since", Label: "Since", Type: field.Date}},
}

func TestACrosswalkFindsExactDecimalsOnItsDays(t *testing.T) {
	c := rates
	c.Rows = []table.Row{
		{Keys: []string{"ie", "1.50"}, Results: []string{"4.10", "2026-01-01"}, Period: period("", "2026-12-31")},
		{Keys: []string{"IE", "1.5"}, Results: []string{"4.3", ""}, Period: period("2027-01-01", "")},
		{Keys: []string{"JP", "2"}, Results: []string{"9"}}}
	c.Default = []string{"7"}
	require.Empty(t, c.Check())
	number := func(text string) feel.Value { v, _ := c.Keys[1].Parse(text); return v }
	keys := func(country, weight string) []feel.Value { return []feel.Value{feel.StringOf(country), number(weight)} }
	now, later := table.NewIndex([]table.Crosswalk{c}, "2026-11-24"), table.NewIndex([]table.Crosswalk{c}, "2027-01-01")
	find := func(x *table.Index, keys []feel.Value, column string) string {
		v, found := x.Lookup("rates", keys, column)
		if !found {
			return "none"
		}
		return field.Write(v)
	}
	assert.Equal(t, "4.1", find(now, keys("IE", "1.5"), "rate"))
	assert.Equal(t, "2026-01-01", find(now, keys("IE", "1.50"), "since"))
	assert.Equal(t, "4.3", find(later, keys("IE", "1.5"), "rate"))
	assert.Equal(t, "9", find(now, keys("JP", "2.0"), "rate"))
	assert.Equal(t, "7", find(now, keys("CH", "2"), "rate"), "every other code")
	assert.False(t, now.Has("rates", keys("CH", "2")))
	assert.True(t, now.Has("rates", keys("JP", "2")))
	c.Default = nil
	assert.Equal(t, "none", find(table.NewIndex([]table.Crosswalk{c}, "2026-11-24"), keys("CH", "2"), "rate"))
}

func TestWhatIsWrongWithACrosswalk(t *testing.T) {
	c := rates
	c.Rows = []table.Row{
		{Keys: []string{"IE", "1.5"}, Results: []string{"4"}},
		{Keys: []string{"ie", "1.50"}, Results: []string{"5"}},
		{Keys: []string{"JP", ""}, Results: []string{"x"}},
	}
	messages := []string{}
	for _, p := range c.Check() {
		messages = append(messages, fmt.Sprintf("%d %s: %s", p.Row, p.Column, p.Message))
	}
	assert.Equal(t, []string{
		"1 country: IE, 1.5 is already in row 1; give one of them another code or other days",
		"2 weight: Weight is missing; every row has a code in each key column",
		`2 rate: Rate must be a number; "x" is not. Write it as 1234.5`,
	}, messages)
	none := table.Crosswalk{Key: "Bad key", Label: " "}
	assert.Contains(t, none.Check()[0].Message, "cannot be the key of a crosswalk")
}

func orders() table.Series {
	return table.Series{Key: "orders", Label: "Orders", Start: 1, Step: 1, Reset: table.Yearly, ByCompany: true, Parts: []table.Part{
		{Is: table.Company}, {Is: table.Constant, Text: "-"}, {Is: table.ShortYear}, {Is: table.Month}, {Is: table.Counter, Digits: 3}, {Is: table.Check, Method: table.Luhn}}}
}

var here = table.Place{Company: "10", Type: "SO", Day: "2026-11-24"}

func TestTheNumbersOfASeries(t *testing.T) {
	s := orders()
	require.Empty(t, s.Check())
	number, err := s.Format(42, here, nil)
	require.NoError(t, err)
	assert.Equal(t, "10-26110427", number)
	assert.Equal(t, "orders/10/2026", s.Counts(here))
	assert.Equal(t, len(number), s.Longest(2, 2))
	_, err = s.Format(1000, here, nil)
	assert.ErrorContains(t, err, "exhausted: 999 was its last")

	bank := table.Series{Key: "rf", Label: "Reference", Start: 1, Step: 1, Parts: []table.Part{{Is: table.Type}, {Is: table.Random, Digits: 4}, {Is: table.Check, Method: table.Mod97}}}
	require.Empty(t, bank.Check())
	number, err = bank.Format(1, here, func(n int64) int64 { return n - 1 })
	require.NoError(t, err)
	assert.Equal(t, "SO9999", number[:6])
	assert.Len(t, number, bank.Longest(2, 2))
}

// The check digits are those of the standards: 7992739871 and 3 is the example that is
// told of the Luhn formula everywhere, and a number with its MOD 97-10 digits is 1 modulo 97.
func TestCheckDigitsAreThoseOfTheStandards(t *testing.T) {
	luhn := table.Series{Key: "l", Label: "L", Start: 1, Step: 1, Parts: []table.Part{{Is: table.Counter, Digits: 10}, {Is: table.Check, Method: table.Luhn}}}
	number, err := luhn.Format(7992739871, here, nil)
	require.NoError(t, err)
	assert.Equal(t, "79927398713", number)
	mod := table.Series{Key: "m", Label: "M", Start: 1, Step: 1, Parts: []table.Part{{Is: table.Counter, Digits: 12}, {Is: table.Check, Method: table.Mod97}}}
	rapid.Check(t, func(rt *rapid.T) {
		number, err := mod.Format(rapid.Int64Range(1, 999_999_999_999).Draw(rt, "count"), here, nil)
		rest := 0
		for _, r := range number {
			rest = (rest*10 + int(r-'0')) % 97
		}
		if err != nil || rest != 1 {
			rt.Fatalf("%s is %d modulo 97", number, rest)
		}
	})
}

func TestWhatIsWrongWithASeries(t *testing.T) {
	for want, change := range map[string]func(*table.Series){
		"remove the others":                func(s *table.Series) { s.Parts = append(s.Parts, s.Parts[4]) },
		"would all be the same":            func(s *table.Series) { s.Parts = s.Parts[:1] },
		"needs the year in its numbers":    func(s *table.Series) { s.Parts[2] = table.Part{Is: table.Type} },
		"needs the year and month":         func(s *table.Series) { s.Reset = table.Monthly; s.Parts[3] = table.Part{Is: table.Type} },
		"needs the company in its numbers": func(s *table.Series) { s.Parts = s.Parts[1:] },
		"at least 1":                       func(s *table.Series) { s.Step = 0 },
		"the series starts at 1000, after": func(s *table.Series) { s.Start = 1000 },
		"give the part 1 to 17 digits":     func(s *table.Series) { s.Parts[4].Digits = 0 },
		"choose how the check digit":       func(s *table.Series) { s.Parts[5].Method = "" },
		"put it last":                      func(s *table.Series) { s.Parts = append(s.Parts[5:6:6], s.Parts[:5]...) },
		"write the text of the part":       func(s *table.Series) { s.Parts[1].Text = "" },
		"cannot be the key of a series":    func(s *table.Series) { s.Key = "Orders!" },
		"choose when the series resets":    func(s *table.Series) { s.Reset = "weekly" },
		"give the series a name":           func(s *table.Series) { s.Label = " " },
		`there is no part "moon"`:          func(s *table.Series) { s.Parts[1].Is = "moon" },
		"start at 1 or more":               func(s *table.Series) { s.Start = 0 },
	} {
		s := orders()
		change(&s)
		problems := s.Check()
		require.NotEmpty(t, problems, want)
		assert.Contains(t, problems[0].Message, want)
	}
}

// No two counts of a series give the same number, at whatever places they are counted.
func TestASeriesGivesNoNumberTwice(t *testing.T) {
	rapid.Check(t, func(rt *rapid.T) {
		s := orders()
		s.Step = rapid.Int64Range(1, 9).Draw(rt, "step")
		s.Reset = rapid.SampledFrom([]table.Reset{table.Never, table.Yearly, table.Monthly}).Draw(rt, "reset")
		last, seen := map[string]int64{}, map[string]bool{}
		for range 40 {
			p := table.Place{Company: rapid.SampledFrom([]string{"10", "30"}).Draw(rt, "company"), Day: rapid.SampledFrom([]record.Day{"2026-11-24", "2026-12-01", "2027-11-24"}).Draw(rt, "day")}
			count := s.Next(last[s.Counts(p)])
			number, err := s.Format(count, p, nil)
			if err != nil || seen[number] {
				rt.Fatalf("%s is given twice, or %v", number, err)
			}
			last[s.Counts(p)], seen[number] = count, true
		}
	})
}

func TestASeriesThatEndsIsAnnounced(t *testing.T) {
	s := orders()
	assert.Nil(t, s.Notice(0, "10"))
	assert.EqualValues(t, 999, s.Left(0))
	assert.Nil(t, s.Notice(899, "10"))
	assert.Equal(t, "Orders is nearly exhausted: 99 of its numbers are left", s.Notice(900, "10").Message)
	assert.Equal(t, "exhausted", s.Notice(999, "10").Code)
	s.End, s.Step = 20, 10
	assert.EqualValues(t, 2, s.Left(0))
}
