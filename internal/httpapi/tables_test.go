package httpapi_test

import (
	"net/http"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"codicil/core/evaluation"
	"codicil/core/field"
	"codicil/core/rule"
	"codicil/core/table"
	"codicil/internal/contract"
)

func TestTheTablesOverHTTP(t *testing.T) {
	c := start(t)
	var standing contract.StandingView
	var all []contract.StandingView
	require.Equal(t, http.StatusOK, c.ask(http.MethodGet, "/tables/standing", nil, &all))
	freight := all[1]
	assert.Equal(t, "Rush freight", freight.Standing.Field.Label)
	freight.Standing.Periods[0].Value = "much"
	require.Equal(t, http.StatusOK, c.ask(http.MethodPost, "/tables/standing/check", freight.Standing, &standing))
	assert.Len(t, standing.Problems, 1)
	c.refused(http.MethodPut, "/tables/standing/rush_freight", contract.StandingChange{Standing: freight.Standing, Version: freight.Version}, http.StatusUnprocessableEntity, "table-problems")
	freight.Standing.Periods[0].Value = "49"
	require.Equal(t, http.StatusOK, c.ask(http.MethodPut, "/tables/standing/rush_freight", contract.StandingChange{Standing: freight.Standing, Version: freight.Version}, &standing))
	assert.Equal(t, freight.Version+1, standing.Version)
	c.refused(http.MethodPut, "/tables/standing/rush_freight", contract.StandingChange{Standing: freight.Standing, Version: freight.Version}, http.StatusConflict, "changed-meanwhile")
	c.refused(http.MethodDelete, "/tables/standing/rush_freight", nil, http.StatusConflict, "in-use")

	var crosswalk contract.CrosswalkView
	require.Equal(t, http.StatusOK, c.ask(http.MethodGet, "/tables/crosswalks/transit", nil, &crosswalk))
	read := contract.CrosswalkRead{Crosswalk: crosswalk.Crosswalk, Text: "10\tNO\t5\tCorrib\n"}
	require.Equal(t, http.StatusOK, c.ask(http.MethodPost, "/tables/crosswalks/read", read, &crosswalk))
	change := contract.CrosswalkChange{Crosswalk: crosswalk.Crosswalk, Version: 1}
	require.Equal(t, http.StatusOK, c.ask(http.MethodPut, "/tables/crosswalks/transit", change, &crosswalk))
	assert.Len(t, crosswalk.Crosswalk.Rows, 11)
	require.Equal(t, http.StatusOK, c.ask(http.MethodPost, "/tables/crosswalks/check", crosswalk.Crosswalk, &crosswalk))
	c.refused(http.MethodPost, "/tables/crosswalks/read", contract.CrosswalkRead{Crosswalk: crosswalk.Crosswalk, Text: "\n"}, http.StatusUnprocessableEntity, "no-rows")

	var series contract.SeriesView
	draft := table.Series{Key: "quay", Label: "Quay", Start: 1, Step: 1, Parts: []table.Part{{Is: table.Counter, Digits: 2}}}
	require.Equal(t, http.StatusOK, c.ask(http.MethodPost, "/tables/series/preview", draft, &series))
	assert.Equal(t, []string{"01", "02", "03", "04"}, series.Counts[0].Next)
	require.Equal(t, http.StatusOK, c.ask(http.MethodPut, "/tables/series/quay", contract.SeriesChange{Series: draft}, &series))
	c.refused(http.MethodPut, "/tables/series/quay", contract.SeriesChange{Series: draft}, http.StatusConflict, "key-taken")
	require.Equal(t, http.StatusNoContent, c.ask(http.MethodDelete, "/tables/series/quay", nil, nil))
	c.refused(http.MethodDelete, "/tables/series/quay", nil, http.StatusNotFound, "not-found")
}

func TestDocumentsAreEvaluatedOverHTTP(t *testing.T) {
	c := start(t)
	var results []evaluation.Result
	request := contract.EvaluateRequest{Documents: []evaluation.Document{
		{ID: "1", Kind: "vendor", Company: "30", Type: "SERV", Values: map[string]string{"name": "Quay", "country": "JP", "control_account": "211000", "payment_method": "CARD"}},
		{ID: "2", Kind: "vendor", Company: "31", Type: "SERV", Values: map[string]string{}},
	}}
	require.Equal(t, http.StatusOK, c.ask(http.MethodPost, "/evaluate", request, &results))
	assert.Equal(t, "N45", results[0].Values["payment_terms"])
	assert.Equal(t, `there is no company "31"`, results[1].Error)
}

func TestManyRulesOverHTTP(t *testing.T) {
	c := start(t)
	var answer contract.MoveManyAnswer
	require.Equal(t, http.StatusOK, c.ask(http.MethodPost, "/rules/move", contract.MoveManyRequest{Rules: []int64{1, 2}, State: rule.Suspended, Dry: true}, &answer))
	assert.Len(t, answer.Rules, 2)
	assert.Greater(t, answer.Affected, 30)
	var copies []contract.RuleCopy
	request := contract.CopyRequest{Kind: "vendor", From: contract.PlanScope{Company: "20", Type: "SERV"}, To: contract.PlanScope{Company: "10", Type: "SERV"}, Dry: true}
	require.Equal(t, http.StatusOK, c.ask(http.MethodPost, "/rules/copy", request, &copies))
	assert.NotEmpty(t, copies)
}

// Cells of tables are typed and read as each person writes, and kept the same for all.
func TestCellsAreReadInThePersonsFormat(t *testing.T) {
	c := start(t)
	german := &field.Format{Decimal: ",", Group: ".", Date: "dmy", Separator: "."}
	ask := contract.CellsAsk{
		Fields: []field.Field{{Key: "rate", Type: field.Number, Decimals: 2}, {Key: "from", Type: field.Date}, {Key: "tax", Type: field.Percent}},
		Format: german,
		Cells: []contract.CellAsk{
			{Field: 0, Text: "1.200,5"}, {Field: 0, Text: "1200.5", Kept: true}, {Field: 1, Text: "24.11.2026"},
			{Field: 2, Text: "4,5"}, {Field: 2, Text: "0.045", Kept: true}, {Field: 0, Text: "much"}, {Field: 0, Text: ""},
		},
	}
	var cells []contract.Cell
	require.Equal(t, http.StatusOK, c.ask(http.MethodPost, "/tables/values", ask, &cells))
	assert.Equal(t, []contract.Cell{
		{Value: "1200.5", Text: "1.200,50"}, {Value: "1200.5", Text: "1.200,50"}, {Value: "2026-11-24", Text: "24.11.2026"},
		{Value: "0.045", Text: "4,5 %"}, {Value: "0.045", Text: "4,5 %"}, {Value: "much", Text: "much"}, {},
	}, cells)
	ask.Cells[0].Field = 3
	c.refused(http.MethodPost, "/tables/values", ask, http.StatusUnprocessableEntity, "no-field")
}
