package feel_test

import (
	"fmt"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"codicil/core/feel"
)

func casesOf(t require.TestingT, formula string, scope feel.Scope) feel.Cases {
	program, problems := feel.Compile(formula, scope, feel.Strict)
	require.NoError(t, problems.Errors(), formula)
	cases, ok := program.Cases()
	require.True(t, ok, formula)
	return cases
}

func TestAChainOfChoicesIsCases(t *testing.T) {
	scope, _, _ := office(t)
	c := casesOf(t, `if country = "IE" and amount > 100 then "A" else if amount between 1 and 5 and payment_block then "B" else if country in ("DK", "JP") then "C" else if is blank(terms) or active then "D" else "E"`, scope)
	assert.Equal(t, []feel.CaseColumn{{"country"}, {"amount"}, {"payment_block"}, {""}}, c.Columns)
	assert.Equal(t, []feel.Case{
		{[]string{`"IE"`, "> 100", "", ""}, `"A"`}, {[]string{"", "[1..5]", "true", ""}, `"B"`}, {[]string{`"DK", "JP"`, "", "", ""}, `"C"`}, {[]string{"", "", "", "is blank(terms) or active"}, `"D"`},
	}, c.Rows)
	assert.Equal(t, `"E"`, c.Otherwise)
	formula, err := c.Formula()
	require.NoError(t, err)
	assert.Equal(t, `if country = "IE" and amount > 100 then "A" else if amount in [1..5] and payment_block then "B" else if country in ("DK", "JP") then "C" else if (is blank(terms) or active) then "D" else "E"`, formula)
	c = casesOf(t, `if country = "IE" or "JP" = country or country in ("DK", "DE") then 1 else if amount < 5 or amount > 100 then 2 else if amount != 5 or amount = 6 then 3 else if country = "IE" or amount = 5 then 4 else 5`, scope)
	assert.Equal(t, []feel.CaseColumn{{"country"}, {"amount"}, {""}}, c.Columns)
	assert.Equal(t, []feel.Case{
		{[]string{`"IE", "JP", "DK", "DE"`, "", ""}, "1"}, {[]string{"", "< 5, > 100", ""}, "2"}, {[]string{"", "", "amount != 5 or amount = 6"}, "3"}, {[]string{"", "", `country = "IE" or amount = 5`}, "4"},
	}, c.Rows)
	program, _ := feel.Compile("amount + 1", scope, feel.Strict)
	_, ok := program.Cases()
	assert.False(t, ok)
	for wrong, part := range map[string]feel.Cases{
		"case 1, column 1":    {Columns: []feel.CaseColumn{{"amount"}}, Rows: []feel.Case{{[]string{"> "}, "1"}}},
		"case 2 has no value": {Columns: []feel.CaseColumn{{"amount"}}, Rows: []feel.Case{{[]string{"> 1"}, "1"}, {[]string{""}, ""}}},
		"there is no case":    {},
	} {
		_, err := part.Formula()
		assert.ErrorContains(t, err, wrong)
	}
}

// Whatever the conditions: read as cases and written as a formula again, the value is the same,
// and reading that again gives the same cases.
func TestCasesGoBothWaysWithoutLoss(t *testing.T) {
	scope, _, documents := office(t)
	conditions := []string{
		`country = "IE"`, `"DK" = country`, `country != "IE"`, `country in ("IE", "DK")`, `not(country in ("IE", "DK"))`, `country = "IE" or country = "JP"`, `amount < 5 or amount > limit`, `country = "IE" or "DK" = country or country in ("JP", "DE")`, `amount = limit or amount = 3 or active`, `amount between 1 and 5 or amount = null`, `due = null or due > @"2026-01-01"`, `amount > 100`, `100 >= amount`, `amount in [1..5]`, `amount between 5 and net_total`,
		`amount > limit`, `amount * 2 > 5`, `payment_block`, `not(payment_block)`, `payment_block = true`, `is blank(terms)`, `is filled(terms)`, `contains(name, "salt")`, `due > @"2026-01-01"`, `due = null`, `due.year = 2026`, `vendor.country = "IE"`,
		`not(amount > 5)`, `amount > 5 or active`, `some line in lines satisfies line.price > 50`, `sum(lines.price) > 60`, `amount in (< 5, > 100)`, `all(active, amount > 5)`, `starts with(upper case(country), "I")`, `amount = limit`,
	}
	rapid.Check(t, func(rt *rapid.T) {
		var b strings.Builder
		for range rapid.IntRange(1, 5).Draw(rt, "cases") {
			parts := rapid.SliceOfN(rapid.SampledFrom(conditions), 1, 3).Draw(rt, "conditions")
			for i := range parts {
				if strings.Contains(parts[i], " or ") || strings.HasPrefix(parts[i], "some") {
					parts[i] = "(" + parts[i] + ")"
				}
			}
			fmt.Fprintf(&b, "if %s then %s else ", strings.Join(parts, " and "), rapid.SampledFrom([]string{"1", "amount", "amount * 2", "null"}).Draw(rt, "value"))
		}
		formula := b.String() + "0"
		cases := casesOf(rt, formula, scope)
		again, err := cases.Formula()
		require.NoError(rt, err)
		assert.Equal(rt, cases, casesOf(rt, again, scope), "%s as %s", formula, again)
		one, _ := feel.Compile(formula, scope, feel.Strict)
		two, problems := feel.Compile(again, scope, feel.Strict)
		require.NoError(rt, problems.Errors(), again)
		for _, frame := range documents {
			assert.Equal(rt, one.Eval(frame).String(), two.Eval(frame).String(), "%s as %s", formula, again)
		}
	})
}

func TestGapsOverlapsAndCasesNeverReached(t *testing.T) {
	scope, _, _ := office(t)
	cents := func(int) (int, bool) { return 2, true }
	for formula, want := range map[string][]string{
		`if amount < 100 then 1 else if amount >= 100 then 2 else 3`:                                                     {"gap null"},
		`if amount < 100 then 1 else if amount > 100 then 2 else 3`:                                                      {"gap 100"},
		`if amount <= 100 then 1 else if amount >= 100.01 then 2 else if amount = null then 4 else 3`:                    {},
		`if amount < 100 then 1 else if amount < 200 then 2 else if amount < 150 then 3 else 4`:                          {"overlap 1 2 -100", "unreachable 3", "gap 200"},
		`if amount < 100 then 1 else if amount < 50 then 2 else 3`:                                                       {"unreachable 2 by 1", "gap 100"},
		`if amount > 5 and amount < 3 then 1 else 2`:                                                                     {"unreachable 1", "gap"},
		`if country = "IE" then 1 else if country in ("IE", "DK") then 2 else 3`:                                         {"overlap 1 2", "gap"},
		`if country = "IE" and active then 1 else if country = "IE" and not(active) then 2 else if active then 3 else 4`: {"overlap", "gap"},
		`if active then 1 else if not(active) then 2 else if active = null then 3 else 4`:                                {},
		`if contains(name, "x") then 1 else if amount > 1 then 2 else 3`:                                                 {},
		`if due < @"2026-01-01" then 1 else if due >= @"2026-01-01" and due < @"2027-01-01" then 2 else 3`:               {"overlap none", "gap"},
		`if true then 1 else if amount > 5 then 2 else 3`:                                                                {"unreachable 2"},
	} {
		cases := casesOf(t, formula, scope)
		var codes []string
		for _, f := range cases.Judge(scope, cents) {
			codes = append(codes, f.Code)
			assert.NotEmpty(t, f.Message)
		}
		var expected []string
		for _, w := range want {
			if code, rest, _ := strings.Cut(w, " "); rest != "none" {
				expected = append(expected, code)
			}
		}
		assert.Subset(t, expected, codes, "%s: %v", formula, codes)
		assert.Subset(t, codes, without(expected, "overlap"), "%s: %v", formula, codes)
	}
	gap := casesOf(t, `if amount < 100 then 1 else if amount > 100 then 2 else 3`, scope)
	findings := gap.Judge(scope, cents)
	require.Len(t, findings, 1)
	assert.Equal(t, []string{"100"}, findings[0].Example, "a document that shows it")
	broken := feel.Cases{Columns: []feel.CaseColumn{{"amount"}}, Rows: []feel.Case{{[]string{`"x"`}, "1"}}}
	assert.Equal(t, "cell", broken.Judge(scope, nil)[0].Code)
	large := feel.Cases{Otherwise: "0"}
	for column := range 8 {
		large.Columns = append(large.Columns, feel.CaseColumn{"amount"})
		_ = column
	}
	for i := range 200 {
		row := feel.Case{Value: fmt.Sprint(i)}
		for j := range large.Columns {
			row.Tests = append(row.Tests, fmt.Sprintf("!= %d", i*10+j))
		}
		large.Rows = append(large.Rows, row)
	}
	assert.NotEmpty(t, large.Judge(scope, nil))
}

func without(list []string, code string) (rest []string) {
	for _, c := range list {
		if c != code {
			rest = append(rest, c)
		}
	}
	return rest
}
