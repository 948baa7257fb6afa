package evaluation_test

import (
	"errors"
	"fmt"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"codicil/core/engine"
	"codicil/core/evaluation"
	"codicil/core/feel"
	"codicil/core/field"
	"codicil/core/judge"
	"codicil/core/plan"
	"codicil/core/record"
	"codicil/core/rule"
	"codicil/core/table"
)

var kinds = []record.Kind{
	{Key: "order", Label: "Order", Posted: true, Day: "on", Fields: []field.Field{
		{Key: "customer", Label: "Customer", Type: field.Link, Kind: "customer"}, {Key: "on", Label: "Ordered on", Type: field.Date}, {Key: "terms", Label: "Terms", Type: field.Text},
		{Key: "lines.amount", Label: "Amount", Type: field.Number, Decimals: 2},
	}},
	{Key: "customer", Label: "Customer", Fields: []field.Field{{Key: "terms", Label: "Terms", Type: field.Text}, {Key: "last", Label: "Last order", Type: field.Date}}},
}

// world has one company and three rules, and no records.
type world struct{ day record.Day }

func kindOf(key string) *record.Kind {
	for i := range kinds {
		if kinds[i].Key == key {
			return &kinds[i]
		}
	}
	return nil
}

func (w *world) Circumstances(kind, company string) (judge.Circumstances, error) {
	if kindOf(kind) == nil {
		return judge.Circumstances{}, fmt.Errorf("there is no kind of record %q", kind)
	}
	if company != "10" {
		return judge.Circumstances{}, errors.New("there is no such company")
	}
	body := func(family rule.Family, target string, effect rule.Effect) rule.Body {
		return rule.Body{Kind: kind, Family: family, Target: target, Effect: effect, On: rule.Occasions{New: true, Change: true}}
	}
	rules := []rule.Rule{
		{ID: 1, State: rule.InForce, Name: "terms", Body: body(rule.Source, "terms", rule.Effect{Mode: rule.Live, Value: "customer.terms"})},
		{ID: 2, State: rule.InForce, Body: body(rule.Validate, "lines.amount", rule.Effect{Severity: rule.Advise, Must: "line.amount > 0", Message: "more than nothing"})},
		{ID: 3, State: rule.InForce, Body: body(rule.FollowUp, "customer.last", rule.Effect{Value: "on"})},
	}
	return judge.Circumstances{
		Book: plan.NewBook(kindOf(kind), kinds, &table.Set{}, rules), Today: "2026-11-24",
		Scope: func(company, kindType string, day record.Day) (plan.Scope, error) {
			w.day = day
			return plan.Scope{Company: &record.Company{Key: company}, Type: &record.Type{Key: kindType}, Day: day}, nil
		},
		Now: func(record.Day) feel.Value { return feel.NullValue },
	}, nil
}

func (w *world) Complete(*judge.Document) error { return nil }

func (w *world) Version() judge.Version { return judge.Version{Book: 7, Program: "test"} }

func run(w *world, d evaluation.Document) evaluation.Result { return evaluation.Run(w, &d) }
func order(values map[string]string) evaluation.Document {
	if values == nil {
		values = map[string]string{}
	}
	return evaluation.Document{ID: "a", Kind: "order", Company: "10", Type: "SO", Values: values}
}

func TestADocumentComesBackWithAllThatItsRulesMade(t *testing.T) {
	d := order(map[string]string{"customer": "C1", "on": "2026-12-01"})
	d.Lines = []evaluation.Line{{Values: evaluation.Values{"amount": "0.10"}}, {Values: evaluation.Values{"amount": "0"}}}
	d.Linked = map[string]map[string]evaluation.Values{"customer": {"C1": {"terms": "N30", "last": "2026-01-01"}}}
	w := &world{}
	r := run(w, d)
	assert.Equal(t, record.Day("2026-12-01"), w.day, "the day is that of the document's own field")
	assert.Equal(t, judge.Version{Book: 7, Program: "test"}, r.Version)
	assert.Equal(t, engine.Accepted, r.Verdict)
	assert.Equal(t, map[string]string{"customer": "C1", "on": "2026-12-01", "terms": "N30"}, r.Values)
	assert.Equal(t, []record.Line{{Number: 1, Values: map[string]string{"amount": "0.1"}}, {Number: 2, Values: map[string]string{"amount": "0"}}}, r.Lines)
	assert.Equal(t, []evaluation.Message{{Severity: rule.Advise, Code: "rule", Field: "lines.amount", Line: 2, Rule: 2, Text: "more than nothing"}}, r.Messages)
	assert.Equal(t, []evaluation.Write{{Rule: 3, Kind: "customer", Number: "C1", Field: "last", Before: "2026-01-01", After: "2026-12-01"}}, r.Writes)
	assert.Equal(t, evaluation.Acting{Rule: 1, Name: "terms", Family: rule.Source, Field: "terms", After: "N30"}, r.Acting[1])
}

func TestWithoutItsLinkedRecordsALinkIsTakenAsItIs(t *testing.T) {
	w := &world{}
	r := run(w, order(map[string]string{"customer": "C9"}))
	assert.Equal(t, engine.Accepted, r.Verdict)
	assert.NotContains(t, r.Values, "terms")
	assert.Equal(t, record.Day("2026-11-24"), w.day, "today, where the document says nothing")
}

func TestWhatIsWrongWithADocumentStandsInItsResult(t *testing.T) {
	for want, change := range map[string]func(*evaluation.Document){
		`there is no kind of record "boat"`: func(d *evaluation.Document) { d.Kind = "boat" },
		"there is no such company":          func(d *evaluation.Document) { d.Company = "99" },
		`"soon" is no day`:                  func(d *evaluation.Document) { d.Day = "soon" },
		`a order has no field "colour"`:     func(d *evaluation.Document) { d.Values = map[string]string{"colour": "red"} },
		"line number 1 is there twice": func(d *evaluation.Document) {
			d.Lines = []evaluation.Line{{Number: 1, Values: evaluation.Values{"amount": "1"}}, {Number: 1, Values: evaluation.Values{"amount": "1"}}}
		},
		`stored Ordered on: Ordered on must be a`: func(d *evaluation.Document) { d.Stored = map[string]string{"on": "x"} },
	} {
		d := order(nil)
		change(&d)
		r := run(&world{}, d)
		assert.Equal(t, "a", r.ID)
		assert.Contains(t, r.Error, want)
		assert.Empty(t, r.Verdict)
	}
}

func TestNothingOfALineIsPassedOver(t *testing.T) {
	for line, want := range map[string]string{
		`{"kind":"order","company":"10","type":"SO","lines":[{"account":"4711"}]}`:                            `unknown field "account"`,
		`{"kind":"order","company":"10","type":"SO"}`:                                                         "values are missing",
		`{"kind":"order","company":"10","type":"SO","values":{},"lines":[{"number":1}]}`:                      "line 1 has no values",
		`{"kind":"order","company":"10","type":"SO","values":{"customer":["C1"]}}`:                            "customer is a text, a number",
		`{"kind":"order","company":"10","type":"SO","values":{}} {"kind":"order"}`:                            "more after the document",
		`{"kind":"order","company":"10","type":"SO","values":{},"colour":"red"}`:                              `unknown field "colour"`,
		`{"kind":"order","company":"10","type":"SO","values":{"on":"2026-12-01"},"lines":[{"values":7}]}`:     "values are an object",
		`{"kind":"order","company":"10","type":"SO","values":{"on":"2026-12-01"},"lines":[{"values":{}},{}]}`: "line 2 has no values",
	} {
		_, err := evaluation.Read([]byte(line))
		assert.ErrorContains(t, err, want, line)
	}
	d, err := evaluation.Read([]byte(`{"kind":"order","company":"10","type":"SO","values":{"customer":null},"lines":[{"values":{"amount":0.1000000000000000000000000000000001}}]}`))
	require.NoError(t, err)
	assert.Equal(t, evaluation.Values{}, d.Values)
	assert.Equal(t, "0.1000000000000000000000000000000001", d.Lines[0].Values["amount"], "a JSON number is read exactly")
}
