package plan_test

import (
	"fmt"
	"math/rand/v2"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"codicil/core/feel"
	"codicil/core/field"
	"codicil/core/plan"
	"codicil/core/record"
	"codicil/core/rule"
	"codicil/core/table"
)

// A plan that is kept for all days on which the same holds is that of each of these days.
func TestKeptPlansAreThoseOfTheDay(t *testing.T) {
	day := func(n int) record.Day { return record.Day(fmt.Sprintf("2026-%02d-%02d", 1+n/28, 1+n%28)) }
	for seed := range uint64(40) {
		r := rand.New(rand.NewPCG(seed, 1))
		period := func() (from, until record.Day) {
			a, b := r.IntN(56), r.IntN(56)
			if a > b {
				a, b = b, a
			}
			if r.IntN(4) > 0 {
				from = day(a)
			}
			if r.IntN(4) > 0 {
				until = day(b)
			}
			return from, until
		}
		tables := &table.Set{
			Standing:   []table.Standing{{Field: field.Field{Key: "rate", Label: "Rate", Type: field.Number, Digits: 3}}},
			Crosswalks: []table.Crosswalk{{Key: "terms", Keys: []field.Field{{Key: "country", Type: field.Text}}, Results: []field.Field{{Key: "days", Type: field.Text}}}},
		}
		for i := range 2 {
			from, until := period()
			tables.Standing[0].Periods = append(tables.Standing[0].Periods, table.StandingValue{Company: []string{"", "10"}[i], Period: table.Period{From: from, Until: until}, Value: fmt.Sprint(i)})
			from, until = period()
			tables.Crosswalks[0].Rows = append(tables.Crosswalks[0].Rows, table.Row{Keys: []string{fmt.Sprint(i)}, Results: []string{"x"}, Period: table.Period{From: from, Until: until}})
		}
		var rules []rule.Rule
		for i := range int64(4) {
			s := substitute(i+1, fmt.Sprintf("f%d", i), []string{"f3", "string(standing.rate)", `"x"`, `f0`}[i])
			s.Scope.From, s.Scope.Until = period()
			rules = append(rules, s)
		}
		book := plan.NewBook(kindOf(5), nil, tables, rules)
		require.True(t, book.Rules[1].Sound(), "%v", book.Rules[1].Problems)
		var plans plan.Plans
		for range 200 {
			scope := here
			if scope.Day = day(r.IntN(56)); r.IntN(20) == 0 {
				scope.Day = ""
			}
			want, got := plan.Build(book, scope), plans.Plan(book, scope)
			require.Equal(t, want.Scope, got.Scope)
			require.Equal(t, want.Here, got.Here)
			require.Equal(t, want.Order, got.Order)
			require.Equal(t, want.Gaps, got.Gaps)
			require.Equal(t, want.Versions(), got.Versions())
			require.Equal(t, want.Loop == nil, got.Loop == nil)
			require.True(t, feel.Same(want.Standing[0], got.Standing[0]))
			for _, key := range []string{"0", "1"} {
				_, there := want.Crosswalks.Lookup("terms", []feel.Value{feel.StringOf(key)}, "days")
				_, found := got.Crosswalks.Lookup("terms", []feel.Value{feel.StringOf(key)}, "days")
				assert.Equal(t, there, found, "%s on %s", key, scope.Day)
			}
		}
	}
}
