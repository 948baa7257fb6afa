package httpapi_test

import (
	"bytes"
	"encoding/json"
	"io"
	"net/http"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"github.com/xuri/excelize/v2"

	"codicil/core/feel"
	"codicil/core/field"
	"codicil/core/rule"
	"codicil/internal/contract"
)

// german asks as somebody does who writes 1.200,50 and 24.11.2026.
func (c *client) german(path string, body, answer any) {
	c.t.Helper()
	text, err := json.Marshal(body)
	require.NoError(c.t, err)
	request, err := http.NewRequestWithContext(c.t.Context(), http.MethodPost, c.server.URL+"/api/v1"+path, bytes.NewReader(text))
	require.NoError(c.t, err)
	request.Header.Set("Content-Type", "application/json")
	request.Header.Set("Person-Format", `{"decimal":",","group":"\u002e","date":"dmy","separator":"."}`)
	response, err := http.DefaultClient.Do(request)
	require.NoError(c.t, err)
	defer func() { _ = response.Body.Close() }()
	read, err := io.ReadAll(response.Body)
	require.NoError(c.t, err)
	require.Less(c.t, response.StatusCode, 300, "%s", read)
	require.NoError(c.t, json.Unmarshal(read, answer))
}

// A rule is written, read and told as the person writes numbers and dates; what is kept is the same.
func TestRulesAreToldAsThePersonWrites(t *testing.T) {
	c := start(t)
	var v contract.RuleView
	body := rule.Body{Kind: "vendor", Family: rule.Validate, Target: "credit_limit", On: rule.Occasions{New: true, Change: true}, Scope: rule.Scope{From: "2026-01-01"},
		When: `agreement_end > @"2026-06-30"`, Effect: rule.Effect{Must: "credit_limit <= 120000.5", Severity: rule.Refuse, Message: "x"}}
	require.Equal(t, http.StatusCreated, c.ask(http.MethodPost, "/rules", contract.RuleChange{Body: body}, &v))
	assert.Equal(t, "For vendors in all companies from 2026-01-01, when Agreement ends is after 2026-06-30, refuse unless Credit limit is at most 120000.5.", v.Sentence)
	c.german("/rules/read", contract.RuleChange{Body: body}, &v)
	assert.Equal(t, "For vendors in all companies from 01.01.2026, when Agreement ends is after 30.06.2026, refuse unless Credit limit is at most 120.000,5.", v.Sentence)
	assert.Equal(t, []string{"30.06.2026"}, v.When.Conditions[0].Values)
	assert.Equal(t, "Credit limit must be at most 120000.5.", v.ProposedMessage, "a message is for everybody")
	var f contract.Formula
	c.german("/conditions", contract.ComposeRequest{Kind: "vendor", Target: "credit_limit", Conditions: *v.Must}, &f)
	assert.Equal(t, "credit_limit <= 120000.5", f.Formula)
	several := rule.Conditions{Join: "and", Conditions: []rule.Condition{{Field: "country", Relation: "is", Values: []string{"Ireland, DK"}}}}
	c.german("/conditions", contract.ComposeRequest{Kind: "vendor", Target: "credit_limit", Conditions: several}, &f)
	assert.Equal(t, `country in ("IE", "DK")`, f.Formula)
	assert.Equal(t, "one-of", f.Conditions.Conditions[0].Relation)
	require.Equal(t, http.StatusOK, c.ask(http.MethodPost, "/constants", contract.ConstantRequest{Kind: "vendor", Target: "agreement_end", Text: "30 days after Agreement begins"}, &f))
	assert.Equal(t, "add days(agreement_start, 30)", f.Formula)
}

func TestCasesAreTypedByAPerson(t *testing.T) {
	c := start(t)
	cases := feel.Cases{Columns: []feel.CaseColumn{{Subject: "country"}, {Subject: "credit_limit"}}, Rows: []feel.Case{{Tests: []string{"ireland, DK", "over 1.200,5"}, Value: "N45"}}, Otherwise: "N30"}
	var written contract.CasesWritten
	c.german("/formulas/cases", contract.CasesRequest{Kind: "vendor", Target: "payment_terms", Cases: cases, Typed: true}, &written)
	assert.Equal(t, `if country in ("IE", "DK") and credit_limit > 1200.5 then "N45" else "N30"`, written.Formula)
	assert.Equal(t, []string{"IE, DK", "> 1.200,5"}, written.Shown.Rows[0].Tests)
	var told contract.FormulaTold
	require.Equal(t, http.StatusOK, c.ask(http.MethodPost, "/formulas/tell", contract.TellRequest{Kind: "vendor", Target: "payment_terms", Formula: written.Formula, Format: &field.Format{Decimal: ",", Group: ".", Date: "dmy", Separator: "."}}, &told))
	assert.Equal(t, written.Shown.Rows, told.Shown.Rows)
	assert.Equal(t, []string{"Country", "Credit limit"}, told.Subjects)
}

// A name is the person's own, or follows the rule; tags and notes ask for no reason.
func TestARuleHasANameTagsAndAHistory(t *testing.T) {
	c := start(t)
	var v contract.RuleView
	require.Equal(t, http.StatusOK, c.ask(http.MethodGet, "/rules/1", nil, &v))
	require.Equal(t, rule.InForce, v.State)
	assert.False(t, v.Named)
	v.Body.Note.Tags = []string{"audit"}
	require.Equal(t, http.StatusOK, c.ask(http.MethodPut, "/rules/1", contract.RuleChange{Version: v.Version, Name: "Names first", Body: v.Body}, &v))
	assert.True(t, v.Named)
	assert.Equal(t, []string{"audit"}, v.Body.Note.Tags)
	require.Equal(t, http.StatusOK, c.ask(http.MethodPut, "/rules/1", contract.RuleChange{Version: v.Version, Body: v.Body}, &v))
	assert.Equal(t, v.ProposedName, v.Name)
	var list []contract.RuleView
	require.Equal(t, http.StatusOK, c.ask(http.MethodGet, "/rules?kind=vendor", nil, &list))
	assert.Equal(t, "Ada", list[0].ChangedBy)
	assert.False(t, list[0].ChangedAt.IsZero())
	var history []contract.RuleVersion
	require.Equal(t, http.StatusOK, c.ask(http.MethodGet, "/rules/history?kind=vendor&field="+v.Body.Target, nil, &history))
	for i := range history[1:] {
		assert.False(t, history[i].ChangedAt.Before(history[i+1].ChangedAt), "newest first")
	}
	assert.Equal(t, int64(1), history[0].Rule)
	c.refused(http.MethodGet, "/rules/history?kind=vendor&field=nobody", nil, http.StatusUnprocessableEntity, "unknown-field")
}

func TestRowsAreWrittenAsASheet(t *testing.T) {
	c := start(t)
	ask := func(as contract.SheetAs) ([]byte, string) {
		body, err := json.Marshal(contract.Sheet{As: as, Head: []string{"Rule", "Why"}, Rows: [][]contract.SheetCell{{{Text: "12", Exact: true}, {Text: "=1+1"}}}})
		require.NoError(t, err)
		response, err := http.Post(c.server.URL+"/api/v1/sheets", "application/json", bytes.NewReader(body))
		require.NoError(t, err)
		defer func() { _ = response.Body.Close() }()
		file, err := io.ReadAll(response.Body)
		require.NoError(t, err)
		require.Equal(t, http.StatusOK, response.StatusCode, "%s", file)
		return file, response.Header.Get("Content-Type")
	}
	file, kind := ask(contract.SheetAsCsv)
	assert.Equal(t, "text/csv", kind)
	assert.Equal(t, "Rule,Why\n12,'=1+1\n", string(file), "a text is no formula to a spreadsheet")
	file, _ = ask(contract.SheetAsXlsx)
	book, err := excelize.OpenReader(bytes.NewReader(file))
	require.NoError(t, err)
	defer func() { require.NoError(t, book.Close()) }()
	rows, err := book.GetRows("Sheet1")
	require.NoError(t, err)
	assert.Equal(t, [][]string{{"Rule", "Why"}, {"12", "=1+1"}}, rows)
}
