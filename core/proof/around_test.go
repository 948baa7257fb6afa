package proof_test

import (
	"context"
	"slices"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"codicil/core/field"
	"codicil/core/judge"
	"codicil/core/plan"
	"codicil/core/proof"
	"codicil/core/record"
	"codicil/core/rule"
	"codicil/core/table"
)

var invoiced = record.Kind{Key: "invoice", Label: "Invoice", Plural: "Invoices", Day: "on", Fields: []field.Field{
	{Key: "on", Label: "Date", Type: field.Date}, {Key: "due", Label: "Due", Type: field.Date}, {Key: "country", Label: "Country", Type: field.Text}, {Key: "terms", Label: "Terms", Type: field.Text},
	{Key: "net", Label: "Net", Type: field.Amount}, {Key: "tax", Label: "Tax", Type: field.Amount}, {Key: "gross", Label: "Gross", Type: field.Amount}, {Key: "rate", Label: "Rate", Type: field.Percent, Decimals: 1},
	{Key: "lines.amount", Label: "Amount", Type: field.Amount}, {Key: "lines.cost", Label: "Cost", Type: field.Amount},
}}

var rates = &table.Set{
	Crosswalks: []table.Crosswalk{{Key: "rates", Label: "Rates", Keys: []field.Field{{Key: "country", Label: "Country", Type: field.Text}}, Results: []field.Field{{Key: "rate", Label: "Rate", Type: field.Percent, Decimals: 1}},
		Rows: []table.Row{{Keys: []string{"IE"}, Results: []string{"0.23"}}, {Keys: []string{"DK"}, Results: []string{"0.25"}}}, Default: []string{"0"}}},
	Standing: []table.Standing{{Field: field.Field{Key: "levy", Label: "Levy", Type: field.Amount}, Periods: []table.StandingValue{
		{Value: "5", Period: table.Period{Until: "2026-12-31"}}, {Value: "6", Period: table.Period{From: "2027-01-01"}}, {Company: "20", Value: "40"}}}},
}

func invoices(t require.TestingT, bodies ...rule.Body) *proof.Runner {
	var rules []rule.Rule
	for i, body := range bodies {
		if body.On == (rule.Occasions{}) {
			body.On = both
		}
		rules = append(rules, rule.Rule{ID: int64(i + 1), State: rule.InForce, Body: body})
	}
	book := plan.NewBook(&invoiced, nil, rates, rules)
	for _, c := range book.Rules {
		require.True(t, c.Sound(), "%v", c.Problems)
	}
	companies := []record.Company{{Key: "10", Currency: "EUR"}, {Key: "20", Currency: "DKK"}, {Key: "30", Currency: "JPY"}}
	types := []record.Type{{Kind: "invoice", Key: "VI"}, {Kind: "invoice", Key: "VC", Companies: []string{"10"}}}
	return &proof.Runner{
		Book: book, Extent: proof.Extent{Companies: companies, Types: types},
		Scope: func(company, kindType string, day record.Day) (plan.Scope, error) {
			c := companies[slices.IndexFunc(companies, func(c record.Company) bool { return c.Key == company })]
			return plan.Scope{Company: &c, Type: &record.Type{Key: kindType}, Day: day}, nil
		},
		Facts: func(string) (judge.Circumstances, func() error) {
			return judge.Circumstances{User: "Ada", Today: "2026-11-24"}, func() error { return nil }
		},
	}
}

func invoice(company, kindType string, entered map[string]string, lines ...map[string]string) judge.Document {
	d := judge.Document{Kind: "invoice", Company: company, Type: kindType, Day: "2026-11-24", Entered: map[string]judge.Item{}}
	for key, value := range entered {
		d.Entered[key] = judge.Item{Value: value}
	}
	for i, line := range lines {
		items := map[string]judge.Item{}
		for key, value := range line {
			items[key] = judge.Item{Value: value}
		}
		d.Lines = append(d.Lines, judge.Line{Number: i + 1, Entered: items})
	}
	return d
}

type text = map[string]string

// Each wrong version that a careful person would make is there; proofs that are far from it
// do not notice it, and one that is made for it does, whatever the proof carries.
func TestWrongVersionsOfWhatARuleReads(t *testing.T) {
	for _, c := range []struct {
		change   string
		rule     rule.Body
		far      []judge.Document
		near     judge.Document
		suggests bool
	}{
		{change: "Rate of DK in Rates were 0.251", rule: rule.Body{Family: rule.Default, Target: "rate", Effect: rule.Effect{Lifetime: rule.NewOnly, Value: `crosswalk("rates", country)`}},
			far: []judge.Document{invoice("10", "VI", text{"country": "IE"})}, near: invoice("10", "VI", text{"country": "DK"}), suggests: true},
		{change: "Rate of every other code in Rates were 0.001", rule: rule.Body{Family: rule.Default, Target: "rate", Effect: rule.Effect{Lifetime: rule.NewOnly, Value: `crosswalk("rates", country)`}},
			far: []judge.Document{invoice("10", "VI", text{"country": "IE"})}, near: invoice("10", "VI", text{"country": "SE"}), suggests: true},
		{change: "Levy were 6.01 from 2027-01-01", rule: rule.Body{Family: rule.Default, Target: "tax", Effect: rule.Effect{Lifetime: rule.NewOnly, Value: "standing.levy"}},
			far: []judge.Document{invoice("10", "VI", text{"on": "2026-12-31"})}, near: invoice("10", "VI", text{"on": "2027-01-01"}), suggests: true},
		{change: "Levy in company 20 were 40.01 always", rule: rule.Body{Family: rule.Default, Target: "tax", Effect: rule.Effect{Lifetime: rule.NewOnly, Value: "standing.levy"}},
			far: []judge.Document{invoice("10", "VI", text{"on": "2026-12-31"})}, near: invoice("20", "VI", nil), suggests: true},
		{change: "it did not hold for company 30", rule: rule.Body{Family: rule.Substitute, Target: "terms", Effect: rule.Effect{Value: `"N30"`}},
			far: []judge.Document{invoice("10", "VI", nil), invoice("20", "VI", nil)}, near: invoice("30", "VI", nil), suggests: true},
		{change: "it held also for type VC", rule: rule.Body{Family: rule.Substitute, Target: "terms", Scope: rule.Scope{Types: []string{"VI"}}, Effect: rule.Effect{Value: `"N30"`}},
			far: []judge.Document{invoice("10", "VI", nil)}, near: invoice("10", "VC", nil), suggests: true},
		{change: "it held also for company 20", rule: rule.Body{Family: rule.Substitute, Target: "terms", Scope: rule.Scope{Companies: []string{"10", "30"}}, Effect: rule.Effect{Value: `"N30"`}},
			far: []judge.Document{invoice("10", "VI", nil)}, near: invoice("20", "VI", nil), suggests: true},
		{change: "the company rounded a half to the other side", rule: rule.Body{Family: rule.Compute, Target: "tax", Effect: rule.Effect{Value: "net * 0.5"}},
			far: []judge.Document{invoice("10", "VI", text{"net": "10"})}, near: invoice("10", "VI", text{"net": "0.01"})},
		{change: "lines that are blank were passed over in its value", rule: rule.Body{Family: rule.Compute, Target: "net", Effect: rule.Effect{Value: "sum(lines.amount)"}},
			far: []judge.Document{invoice("10", "VI", nil, text{"amount": "5"})}, near: invoice("10", "VI", nil, text{"amount": "5"}, text{"cost": "1"}), suggests: true},
		{change: "Tax were read for Net in its value", rule: rule.Body{Family: rule.Compute, Target: "gross", Effect: rule.Effect{Value: "net + net"}},
			far: []judge.Document{invoice("10", "VI", text{"net": "5", "tax": "5"})}, near: invoice("10", "VI", text{"net": "5", "tax": "1"}), suggests: true},
		{change: "it were moved to the month's end in its value", rule: rule.Body{Family: rule.Compute, Target: "due", Effect: rule.Effect{Value: "add months(on, 1)"}},
			far: []judge.Document{invoice("10", "VI", text{"on": "2026-01-31"})}, near: invoice("10", "VI", text{"on": "2026-01-15"})},
		{change: "“add days” became “add months” in its value", rule: rule.Body{Family: rule.Compute, Target: "due", Effect: rule.Effect{Value: "add days(on, 1)"}},
			far: nil, near: invoice("10", "VI", text{"on": "2026-01-15"})},
		{change: "the case “Country is IE” were left out in its value", rule: rule.Body{Family: rule.Compute, Target: "tax", Effect: rule.Effect{Value: `if country = "IE" then 1 else 2`}},
			far: []judge.Document{invoice("10", "VI", text{"country": "DK"})}, near: invoice("10", "VI", text{"country": "IE"}), suggests: true},
		{change: "“Net is over 120” became “Net is over 210”", rule: rule.Body{Family: rule.Validate, Target: "net", When: "net > 120", Effect: rule.Effect{Severity: rule.Refuse, Must: "country != null", Message: "no"}},
			far: []judge.Document{invoice("10", "VI", text{"net": "500"})}, near: invoice("10", "VI", text{"net": "150"}), suggests: true},
	} {
		r := invoices(t, c.rule)
		unnoticed := func(documents ...judge.Document) (changes []string) {
			kept := keep(t, r, documents...)
			for i := range kept {
				carried, err := r.Carry(&kept[i])
				require.NoError(t, err)
				kept[i].Given.Fixtures = carried
			}
			measured, err := r.Measure(t.Context(), r.Book.Rules[:1], results(t, r, kept), nil)
			require.NoError(t, err)
			for _, m := range measured[0].Unnoticed {
				changes = append(changes, m.Change)
			}
			return changes
		}
		require.Contains(t, unnoticed(c.far...), c.change)
		assert.NotContains(t, unnoticed(append(slices.Clone(c.far), c.near)...), c.change)
		if c.suggests {
			s := proof.Search{Runner: r, Rule: r.Book.Rules[0], Results: results(t, r, nil), Numbers: func(string, string) []string { return nil }}
			for _, d := range append(c.far, invoice("10", "VI", text{"on": "2026-11-24", "country": "IE", "net": "100", "tax": "23"}, text{"amount": "100"})) {
				s.Bases = append(s.Bases, proof.Base{Document: d, Origin: "a base"})
			}
			found, err := s.Run(context.Background())
			require.NoError(t, err)
			noticed := false
			for _, suggestion := range found {
				noticed = noticed || slices.ContainsFunc(suggestion.Notices, func(m proof.Mutant) bool { return m.Change == c.change })
			}
			assert.True(t, noticed, "nothing is suggested that notices if %s", c.change)
		}
	}
}

// Versions that cannot come out otherwise are not counted.
func TestVersionsThatBehaveTheSameAreLeftOut(t *testing.T) {
	changes := func(bodies ...rule.Body) (list []string) {
		r := invoices(t, bodies...)
		for _, m := range proof.Mutants(r.Book.Rules[0], r.Book, r.Extent, nil) {
			list = append(list, m.Change)
		}
		return list
	}
	only := changes(rule.Body{Family: rule.Substitute, Target: "terms", Scope: rule.Scope{Types: []string{"VC"}}, Effect: rule.Effect{Value: `"N30"`}})
	assert.NotContains(t, only, "it did not hold for company 20", "the type is not used there")
	disjoint := changes(rule.Body{Family: rule.Substitute, Target: "terms", When: `country = "IE"`, Effect: rule.Effect{Value: `"A"`}}, rule.Body{Family: rule.Substitute, Target: "terms", When: `country = "DK"`, Effect: rule.Effect{Value: `"B"`}})
	for _, change := range disjoint {
		assert.NotContains(t, change, "went before", "the two never meet")
	}
	assert.Contains(t, changes(rule.Body{Family: rule.Substitute, Target: "terms", When: `country = "IE"`, Effect: rule.Effect{Value: `"A"`}}, rule.Body{Family: rule.Substitute, Target: "terms", When: `net > 5`, Effect: rule.Effect{Value: `"B"`}}), "rule 2 went before it")
	fresh := changes(rule.Body{Family: rule.Default, Target: "terms", On: rule.Occasions{New: true}, Effect: rule.Effect{Lifetime: rule.NewOnly, Value: `"A"`}})
	assert.NotContains(t, fresh, "it filled whenever blank", "it never comes to a saved record")
}
