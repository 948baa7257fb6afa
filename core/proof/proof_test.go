package proof_test

import (
	"runtime"
	"slices"
	"sync/atomic"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"codicil/core/engine"
	"codicil/core/field"
	"codicil/core/judge"
	"codicil/core/plan"
	"codicil/core/proof"
	"codicil/core/record"
	"codicil/core/rule"
	"codicil/core/table"
)

var kind = record.Kind{Key: "vendor", Label: "Vendor", Fields: []field.Field{
	{Key: "name", Label: "Name", Type: field.Text}, {Key: "terms", Label: "Payment terms", Type: field.Text}, {Key: "limit", Label: "Credit limit", Type: field.Amount},
}}

func run(t *testing.T, p proof.Proof, value string) []proof.Difference {
	t.Helper()
	on := rule.Occasions{New: true, Change: true}
	book := plan.NewBook(&kind, nil, &table.Set{}, []rule.Rule{
		{ID: 1, State: rule.InForce, Body: rule.Body{Family: rule.Default, Target: "terms", On: on, Effect: rule.Effect{Lifetime: rule.NewOnly, Value: value}}},
		{ID: 2, State: rule.InForce, Body: rule.Body{Family: rule.Validate, Target: "limit", On: on, Effect: rule.Effect{Severity: rule.Advise, Must: "limit > 10", Message: "low"}}},
	})
	result := runnerOf(book).Run(&p, false)
	require.NoError(t, result.Err)
	return result.Differences
}

// runnerOf runs proofs against a book, in companies that all keep euros, without other records.
func runnerOf(book *plan.Book) *proof.Runner {
	return &proof.Runner{
		Book: book,
		Scope: func(company, kindType string, day record.Day) (plan.Scope, error) {
			return plan.Scope{Company: &record.Company{Key: company, Currency: "EUR"}, Type: &record.Type{Key: kindType}, Day: day}, nil
		},
		Facts: func(string) (judge.Circumstances, func() error) {
			return judge.Circumstances{User: "Ada", Today: "2026-11-24"}, func() error { return nil }
		},
	}
}

func low() proof.Proof {
	return proof.Proof{
		Given: judge.Document{Kind: "vendor", Entered: map[string]judge.Item{"limit": {Value: "5"}}},
		Expect: proof.Expectation{Verdict: engine.Accepted, Values: map[string]string{"terms": "N30", "name": ""},
			Messages: []proof.Message{{Severity: rule.Advise, Field: "limit", Code: "rule", Rule: 2}}},
	}
}

func TestAProofHoldsWhileWhatIsExpectedComesOut(t *testing.T) {
	assert.Empty(t, run(t, low(), `"N30"`))
}

func TestDifferencesSayWhatWasExpectedAndWhatCameOut(t *testing.T) {
	assert.Equal(t, []proof.Difference{{What: "value", Field: "terms", Expected: "N30", Actual: "N45"}}, run(t, low(), `"N45"`))

	p := low()
	p.Expect.Verdict = engine.Refused
	assert.Equal(t, []proof.Difference{{What: "verdict", Expected: "refused", Actual: "accepted"}}, run(t, p, `"N30"`))

	p = low()
	p.Expect.Messages[0].Values = []string{"7"}
	assert.Equal(t, []proof.Difference{{What: "message", Field: "limit", Expected: "advise: rule 2 (7)", Actual: "advise: rule 2"}}, run(t, p, `"N30"`))
	p.Expect.Messages[0] = proof.Message{Severity: rule.Advise, Field: "limit", Rule: 2}
	assert.Empty(t, run(t, p, `"N30"`), "an older proof says who speaks, and no more")

	p = low()
	p.Expect.Messages = nil
	assert.Equal(t, []proof.Difference{{What: "message", Field: "limit", Actual: "advise: rule 2"}}, run(t, p, `"N30"`), "a message that nobody expected")

	p = low()
	p.Expect.Values["gone"] = "x"
	assert.Equal(t, []proof.Difference{{What: "value", Field: "gone", Expected: "x", Actual: "the field does not exist"}}, run(t, p, `"N30"`))
}

func TestASavedRecordIsPartOfTheProof(t *testing.T) {
	p := low()
	p.Given.Stored = map[string]string{"terms": "N60", "limit": "5"}
	p.Expect.Values = map[string]string{"terms": ""}
	assert.Empty(t, run(t, p, `"N30"`), "a default for new records leaves the cleared field of a saved one")
}

func TestTypedTextsAreReadAsTheyWereTyped(t *testing.T) {
	p := low()
	p.Given.Entered["limit"] = judge.Item{Typed: "1.200,50"}
	p.Given.Format = &field.Format{Decimal: ",", Group: ".", Date: "dmy", Separator: "."}
	p.Expect = proof.Expectation{Verdict: engine.Accepted, Values: map[string]string{"limit": "1200.5"}}
	assert.Empty(t, run(t, p, `"N30"`))

	p.Given.Entered["limit"] = judge.Item{Typed: "lots"}
	p.Expect = proof.Expectation{Verdict: engine.Refused, Messages: []proof.Message{{Severity: rule.Refuse, Field: "limit", Code: "not-a-number"}}}
	assert.Empty(t, run(t, p, `"N30"`))
}

func TestADocumentThatDoesNotFitItsKindIsAnError(t *testing.T) {
	d := judge.Document{Entered: map[string]judge.Item{"nope": {Value: "1"}}}
	result := runnerOf(plan.NewBook(&kind, nil, &table.Set{}, nil)).Run(&proof.Proof{Given: d}, false)
	assert.ErrorContains(t, result.Err, `no field "nope"`)
}

// Where the facts are for one goroutine, one proof is run at a time.
func TestProofsAreRunOneAfterTheOther(t *testing.T) {
	r := runnerOf(plan.NewBook(&kind, nil, &table.Set{}, nil))
	var at, most atomic.Int64
	facts := r.Facts
	r.Facts = func(company string) (judge.Circumstances, func() error) {
		most.Store(max(most.Load(), at.Add(1)))
		runtime.Gosched()
		c, failed := facts(company)
		return c, func() error { at.Add(-1); return failed() }
	}
	r.Single = true
	_, err := r.RunAll(t.Context(), slices.Repeat([]proof.Proof{low()}, 200), nil)
	require.NoError(t, err)
	assert.EqualValues(t, 1, most.Load())
}
