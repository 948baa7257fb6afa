package httpapi_test

import (
	"net/http"
	"slices"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"codicil/core/field"
	"codicil/core/plan"
	"codicil/core/rule"
	"codicil/internal/contract"
)

func TestSentencesAreWrittenAsFormulas(t *testing.T) {
	c := start(t)
	var f contract.Formula
	conditions := rule.Conditions{Join: "or", Conditions: []rule.Condition{{Field: "discount_rate", Relation: "over", Values: []string{"2.5 %"}}, {Field: "name", Relation: "is-blank", Values: []string{}}}}
	require.Equal(t, http.StatusOK, c.ask(http.MethodPost, "/conditions", contract.ComposeRequest{Kind: "vendor", Target: "name", Conditions: conditions}, &f))
	assert.Equal(t, "discount_rate > 0.025 or is blank(name)", f.Formula)
	require.Equal(t, http.StatusOK, c.ask(http.MethodPost, "/constants", contract.ConstantRequest{Kind: "vendor", Target: "country", Text: "japan"}, &f))
	assert.Equal(t, `"JP"`, f.Formula)
	c.refused(http.MethodPost, "/constants", contract.ConstantRequest{Kind: "vendor", Target: "country", Text: "nowhere"}, http.StatusUnprocessableEntity, "misfit")
	conditions.Conditions[0].Values = nil
	c.refused(http.MethodPost, "/conditions", contract.ComposeRequest{Kind: "vendor", Target: "name", Conditions: conditions}, http.StatusBadRequest, "bad-request")
}

// A formula is checked where it stands, and computed for a document as its rule would.
func TestAFormulaIsCheckedAndComputed(t *testing.T) {
	c := start(t)
	check := func(ask contract.FormulaAsk) (answer contract.FormulaAnswer) {
		ask.Kind = "vendor"
		require.Equal(t, http.StatusOK, c.ask(http.MethodPost, "/formulas/check", ask, &answer))
		return answer
	}
	wrong := check(contract.FormulaAsk{Target: "name", Family: "validate", Part: "must", Formula: `"é" = contry`})
	require.Len(t, wrong.Problems, 1)
	assert.Equal(t, "country", wrong.Problems[0].Suggestion)
	assert.Equal(t, [2]int{6, 12}, [2]int{wrong.Problems[0].Start, wrong.Problems[0].End}, "in characters, as a browser counts")
	misfit := check(contract.FormulaAsk{Target: "name", Family: "default", Part: "value", Formula: "1 + 1"})
	assert.Contains(t, misfit.Problems[0].Message, "this gives a number, but Name holds a string")
	suspicious := check(contract.FormulaAsk{Target: "name", Family: "validate", Part: "when", Formula: "discount_rate > 5"})
	assert.Equal(t, "0.05", suspicious.Problems[0].Suggestion)
	assert.Equal(t, contract.Warning, suspicious.Problems[0].Severity)
	assert.Equal(t, "boolean", suspicious.Type)
	assert.Empty(t, suspicious.Value, "without a document there is no value")

	d := service(map[string]string{"discount_rate": "2,5 %", "country": "ie", "name": "Quay"})
	format := field.Format{Decimal: ",", Group: ".", Date: "dmy", Separator: "."}
	ask := contract.FormulaAsk{Target: "discount_rate", Family: "substitute", Part: "value", Formula: "max(discount_rate, 0.05) + 0.005", Document: &d, Format: &format}
	computed := check(ask)
	assert.Equal(t, "5,5 %", computed.Value, "as the person reads the field")
	steps := map[string]string{}
	for _, s := range computed.Steps {
		steps[s.Text] = s.Value
	}
	assert.Equal(t, "2,5 %", steps["discount_rate"])
	assert.Equal(t, "0,05", steps["max(discount_rate, 0.05)"])
	ask.Formula = `some part in split(name + " u", " ") satisfies part = "u"`
	ask.Part = "when"
	loop := check(ask)
	assert.Equal(t, "yes", loop.Value)
	for _, s := range loop.Steps {
		if s.Text == `part = "u"` {
			assert.Equal(t, []string{"no", "yes"}, s.Values)
		}
	}
	ask.Formula = `count(for i in 1..60 return {number: i}) > 5`
	for _, s := range check(ask).Steps {
		if strings.HasPrefix(s.Text, "for") {
			assert.Equal(t, "a list of 60", s.Value, "long values are told in short")
		}
	}
	ask.Formula = "1 / (discount_rate - discount_rate) > 1"
	failing := check(ask)
	assert.Equal(t, "undecided", failing.Value)
	require.Len(t, failing.Failures, 1)
	assert.Equal(t, "division by zero", failing.Failures[0].Message)
	c.refused(http.MethodPost, "/formulas/check", contract.FormulaAsk{Kind: "vendor", Target: "nope", Family: "entry", Part: "when", Formula: "true"}, http.StatusUnprocessableEntity, "unknown-field")
}

// A message shows its values as the person reads them.
func TestAMessageIsReadInTheFormatOfThePerson(t *testing.T) {
	c := start(t)
	d := service(map[string]string{"credit_limit": "1.234.567,5", "discount_rate": "2,5 %"})
	format := field.Format{Decimal: ",", Group: ".", Date: "dmy", Separator: "."}
	change := contract.RuleChange{Body: rule.Body{Kind: "vendor", Family: rule.Validate, Target: "credit_limit", On: rule.Occasions{New: true},
		Effect: rule.Effect{Must: "false", Severity: rule.Advise, Message: "{credit_limit} at {discount_rate} until {today()}, half {credit_limit / 2}"}}}
	var out contract.Outcome
	d.Changes = &plan.Changes{Rules: []rule.Rule{{Body: change.Body}}}
	require.Equal(t, http.StatusOK, c.ask(http.MethodPost, "/try", contract.TryRequest{Document: d, Format: &format}, &out))
	var texts []string
	for _, m := range out.Messages {
		texts = append(texts, m.Text)
	}
	assert.Contains(t, texts, "1.234.567,50 at 0,0 % until 24.11.2026, half 617.283,75")
	change.Body.Effect.Message = "é {credit_limt}"
	var view contract.RuleView
	require.Equal(t, http.StatusOK, c.ask(http.MethodPost, "/rules/read", change, &view))
	require.Len(t, view.Problems, 1)
	assert.Equal(t, "message", view.Problems[0].Part)
	assert.Equal(t, 3, view.Problems[0].Start, "in characters")
}

func TestNamesAndFunctionsForWhoWritesAFormula(t *testing.T) {
	c := start(t)
	var names contract.Names
	require.Equal(t, http.StatusOK, c.ask(http.MethodGet, "/names?kind=sales_order&target=lines.quantity", nil, &names))
	byName := map[string]contract.Name{}
	for _, n := range names.Names {
		byName[n.Name] = n
	}
	assert.Equal(t, "Quantity", byName["line.quantity"].Label)
	assert.True(t, byName["line.quantity"].Fits)
	assert.False(t, byName["line.item"].Fits, "a number of an item is no quantity")
	assert.False(t, byName["lines.quantity"].Single)
	assert.Equal(t, "customer", byName["customer.payment_terms"].Kind)
	assert.NotEmpty(t, names.Relations[byName["customer.payment_terms"].FieldType])
	var functions []contract.Function
	require.Equal(t, http.StatusOK, c.ask(http.MethodGet, "/functions", nil, &functions))
	for _, f := range functions {
		assert.NotEmpty(t, f.Chapter, f.Name)
		assert.True(t, f.Form || strings.Contains(f.Signature, f.Name+"("), f.Name)
	}
}

func TestAFormulaIsToldInWordsAndCases(t *testing.T) {
	c := start(t)
	var told contract.FormulaTold
	ask := contract.TellRequest{Kind: "vendor", Target: "payment_terms", Formula: `if country = "IE" then "N30" else if country in ("IE", "DK") and discount_rate > 0.025 then "N45" else "N60"`, Format: &field.Format{Decimal: ",", Group: ".", Date: "dmy", Separator: "."}}
	require.Equal(t, http.StatusOK, c.ask(http.MethodPost, "/formulas/tell", ask, &told))
	assert.Equal(t, "N30 if Country is IE, N45 if Country is IE or DK and Prompt payment discount is over 2,5 %, otherwise N60", told.Text)
	require.NotNil(t, told.Cases)
	assert.Equal(t, []string{`"IE"`, ""}, told.Cases.Rows[0].Tests)
	codes := []string{}
	for _, f := range told.Findings {
		codes = append(codes, f.Code)
	}
	assert.Equal(t, []string{"overlap", "gap"}, codes)
	var written contract.CasesWritten
	require.Equal(t, http.StatusOK, c.ask(http.MethodPost, "/formulas/cases", contract.CasesRequest{Kind: "vendor", Target: "payment_terms", Cases: *told.Cases}, &written))
	assert.Equal(t, ask.Formula, written.Formula)
	assert.Empty(t, written.Problems)
	ask.Formula = "contry = 1"
	require.Equal(t, http.StatusOK, c.ask(http.MethodPost, "/formulas/tell", ask, &told))
	assert.Contains(t, told.Problems[0].Message, "did you mean country?")
	for _, typed := range []bool{false, true} {
		tests := told.Cases.Rows[0].Tests
		told.Cases.Rows[0].Tests = append(slices.Clone(tests), `"IE"`, "")
		p := c.refused(http.MethodPost, "/formulas/cases", contract.CasesRequest{Kind: "vendor", Target: "payment_terms", Cases: *told.Cases, Typed: typed}, http.StatusUnprocessableEntity, "incomplete-case")
		assert.Contains(t, p.Detail, "case 1 has")
		told.Cases.Rows[0].Tests = tests
	}
	told.Cases.Rows[0].Value = ""
	c.refused(http.MethodPost, "/formulas/cases", contract.CasesRequest{Kind: "vendor", Target: "payment_terms", Cases: *told.Cases}, http.StatusUnprocessableEntity, "incomplete-case")
}
