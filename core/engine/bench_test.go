package engine_test

import (
	"fmt"
	"testing"

	"codicil/core/decimal"
	"codicil/core/engine"
	"codicil/core/feel"
	"codicil/core/field"
	"codicil/core/plan"
	"codicil/core/record"
	"codicil/core/rule"
	"codicil/core/table"
)

// BenchmarkDocument takes a document of 30 header fields through a plan of 200 rules, without
// and with the trace, and with all that decided it; the same plan out of a book of 10,000; and
// documents with 20 and 1,000 lines besides.
func BenchmarkDocument(b *testing.B) {
	kind := &record.Kind{Key: "vendor", Label: "Vendor"}
	for i := range 30 {
		f := field.Field{Key: fmt.Sprintf("f%d", i), Label: fmt.Sprintf("F%d", i), Type: field.Text}
		if i%2 == 0 {
			f.Type = field.Amount
		}
		kind.Fields = append(kind.Fields, f)
	}
	company := &record.Company{Key: "10", Currency: "EUR"}
	scope := plan.Scope{Company: company, Type: &record.Type{Key: "TRAD"}, Day: "2026-11-24"}
	rules := func(elsewhere int) (list []rule.Rule) {
		families := []rule.Family{rule.Entry, rule.Default, rule.Substitute, rule.Validate}
		for i := range 200 + elsewhere {
			fd := i % 30
			value := `"x"`
			if fd%2 == 0 {
				value = "12.5"
			}
			r := rule.Rule{ID: int64(i + 1), State: rule.InForce, Body: rule.Body{
				Family: families[i/30%4], Target: fmt.Sprintf("f%d", fd), On: rule.Occasions{New: true}, Priority: i,
				When:   fmt.Sprintf(`entered.f%d > %d and entered.f%d != "y"`, fd/2*2, i, fd/2*2+1),
				Effect: rule.Effect{Need: rule.Required, Lifetime: rule.NewOnly, Value: value, Must: fmt.Sprintf("f%d > 0", fd/2*2), Severity: rule.Advise, Message: "m"},
			}}
			if i >= 200 {
				r.Scope.Companies = []string{"20"}
			}
			list = append(list, r)
		}
		return list
	}
	for name, elsewhere := range map[string]int{"book of 200": 0, "book of 10000": 9800} {
		measure(b, name, plan.Build(plan.NewBook(kind, nil, &table.Set{}, rules(elsewhere)), scope), benchCase(30, 0, 0))
	}

	// The same with 20 lines: every fifth rule stands on one of 6 columns, and so
	// runs in every line.
	for i := range 6 {
		kind.Fields = append(kind.Fields, field.Field{Key: fmt.Sprintf("lines.c%d", i), Label: fmt.Sprintf("C%d", i), Type: field.Amount})
	}
	withLines := rules(0)
	for i := range withLines {
		if r := &withLines[i]; i%5 == 0 {
			column := i / 5 % 6
			r.Target = fmt.Sprintf("lines.c%d", column)
			r.When = fmt.Sprintf(`entered.line.c%d > %d and entered.f1 != "y"`, column, i)
			r.Effect.Value, r.Effect.Must = "12.5", fmt.Sprintf("line.c%d > 0", column)
		}
	}
	lined := plan.Build(plan.NewBook(kind, nil, &table.Set{}, withLines), scope)
	measure(b, "20 lines", lined, benchCase(30, 20, 6))
	measure(b, "1000 lines", lined, benchCase(30, 1000, 6))
}

// benchCase makes a document of so many header fields, lines and columns.
func benchCase(headers, lines, columns int) *engine.Case {
	values := func(count int) engine.Values {
		entered := make([]feel.Value, count)
		for i := range entered {
			entered[i] = feel.StringOf("text")
			if i%2 == 0 || count == columns {
				entered[i] = feel.NumberOf(decimal.FromInt(int64(100 + i)))
			}
		}
		return engine.Values{Entered: entered}
	}
	c := &engine.Case{Header: values(headers), Moment: rule.Posting}
	for i := range lines {
		c.Lines = append(c.Lines, engine.Line{Number: i + 1, Values: values(columns)})
	}
	return c
}

func measure(b *testing.B, name string, p *plan.Plan, c *engine.Case) {
	for detail, how := range map[string]struct {
		traced bool
		facts  func(place, line int) bool
	}{"without trace": {}, "with trace": {traced: true, facts: func(int, int) bool { return false }}, "with trace and all facts": {traced: true}} {
		b.Run(name+"/"+detail, func(b *testing.B) {
			b.ReportAllocs()
			c.Facts = how.facts
			for range b.N {
				engine.Run(p, c, how.traced)
			}
		})
	}
}
