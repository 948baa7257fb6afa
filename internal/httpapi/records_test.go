package httpapi_test

import (
	"fmt"
	"net/http"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"codicil/core/field"
	"codicil/core/judge"
	"codicil/core/record"
	"codicil/internal/contract"
)

// entry is a journal entry that balances, if the credit is 25.
func entry(credit string) judge.Document {
	line := func(values map[string]string) map[string]judge.Item {
		items := map[string]judge.Item{}
		for key, text := range values {
			items[key] = judge.Item{Typed: text}
		}
		return items
	}
	return judge.Document{Kind: "accounting_document", Company: "10", Type: "JE", Day: "2026-11-24", Entered: line(map[string]string{"text": "Moved", "posting_date": "2026-11-24"}), Lines: []judge.Line{
		{Number: 1, Entered: line(map[string]string{"account": "590000", "debit": "25", "cost_centre": "K10900"})}, {Number: 2, Entered: line(map[string]string{"account": "159000", "credit": credit})}}}
}

func TestADocumentsLifeOverHTTP(t *testing.T) {
	c := start(t)
	var saved contract.SaveAnswer
	require.Equal(t, http.StatusOK, c.ask(http.MethodPost, "/records", contract.SaveRequest{Document: entry("24")}, &saved))
	require.NotNil(t, saved.Record)
	path := "/records/accounting_document/" + saved.Record.Number
	var answer contract.SaveAnswer
	c.ask(http.MethodPost, path+"/post", contract.PostRequest{Version: 1}, &answer)
	assert.Nil(t, answer.Record)
	assert.Equal(t, contract.Refused, answer.Outcome.Verdict)
	assert.Equal(t, "unbalanced", answer.Outcome.Messages[0].Code)
	assert.Equal(t, "Moved", answer.Outcome.Lines[0].Fields[1].Final.Text)

	mended := entry("25")
	mended.Record = saved.Record.Number
	c.refused(http.MethodPost, "/records", contract.SaveRequest{Document: mended, Version: 9}, http.StatusConflict, "changed-meanwhile")
	require.Equal(t, http.StatusOK, c.ask(http.MethodPost, "/records", contract.SaveRequest{Document: mended, Version: 1}, &answer))
	var merge contract.Merge
	require.Equal(t, http.StatusOK, c.ask(http.MethodPost, "/records/merge", contract.SaveRequest{Document: mended, Version: 1}, &merge))
	assert.Empty(t, merge.Clashes)
	require.Equal(t, http.StatusOK, c.ask(http.MethodPost, path+"/post", contract.PostRequest{Version: 2}, &answer))
	require.NotNil(t, answer.Record)
	var posting contract.Posting
	require.Equal(t, http.StatusOK, c.ask(http.MethodGet, "/postings/"+saved.Record.Number+"?ledger=books&"+inGerman, nil, &posting))
	assert.Equal(t, "25,00", posting.Entries[0].Debit.Text)
	assert.Equal(t, "24.11.2026", finalText(posting.Outcome, "posting_date"))
	c.refused(http.MethodDelete, path, nil, http.StatusConflict, "posted")
	var back contract.Record
	require.Equal(t, http.StatusOK, c.ask(http.MethodPost, path+"/reverse", contract.ReverseRequest{Version: 3, Day: "2026-11-30"}, &back))
	assert.Equal(t, saved.Record.Number, back.Reverses)
	c.refused(http.MethodPost, path+"/reverse", contract.ReverseRequest{Version: 4, Day: "2026-11-30"}, http.StatusConflict, "not-posted")
	c.refused(http.MethodGet, "/records/vendor/V99999", nil, http.StatusNotFound, "not-found")
	c.refused(http.MethodGet, "/records/ship/V99999", nil, http.StatusUnprocessableEntity, "unknown-kind")
}

// Who sends many is told what was said and written; why is told when it is asked for.
func TestABriefAnswerLeavesOutTheFields(t *testing.T) {
	c := start(t)
	brief := func(o contract.Outcome, verdict contract.OutcomeVerdict, said string) {
		t.Helper()
		assert.Equal(t, verdict, o.Verdict)
		assert.Empty(t, o.Fields)
		assert.Empty(t, o.Lines)
		require.NotEmpty(t, o.Messages)
		assert.Equal(t, said, o.Messages[0].Text)
	}
	told := func(number, ledger string) (p contract.Posting) {
		t.Helper()
		require.Equal(t, http.StatusOK, c.ask(http.MethodGet, "/postings/"+number+"?ledger="+ledger, nil, &p))
		assert.Equal(t, contract.Again, p.Told)
		return p
	}

	var o, full contract.Outcome
	refused := service(map[string]string{"payment_method": "TRF"})
	for _, path := range []string{"/try", "/postings"} {
		require.Equal(t, http.StatusOK, c.ask(http.MethodPost, path, contract.TryRequest{Document: refused}, &full))
		o = contract.Outcome{}
		require.Equal(t, http.StatusOK, c.ask(http.MethodPost, path, contract.TryRequest{Document: refused, Brief: true}, &o))
		brief(o, contract.Refused, full.Messages[0].Text)
	}
	var one, other contract.Posting
	require.Equal(t, http.StatusCreated, c.ask(http.MethodPost, "/postings", contract.TryRequest{Document: service(nil), Brief: true}, &one))
	require.Equal(t, http.StatusCreated, c.ask(http.MethodPost, "/postings", contract.TryRequest{Document: service(nil)}, &other))
	assert.Empty(t, one.Outcome.Fields)
	assert.NotEmpty(t, other.Outcome.Fields)
	assert.Equal(t, told(other.Summary.Number, "practice").Outcome, told(one.Summary.Number, "practice").Outcome)

	var saved, answer contract.SaveAnswer
	require.Equal(t, http.StatusOK, c.ask(http.MethodPost, "/records", contract.SaveRequest{Document: entry("24"), Brief: true}, &saved))
	require.NotNil(t, saved.Record)
	assert.Empty(t, saved.Outcome.Fields)
	path := "/records/accounting_document/" + saved.Record.Number + "/post"
	require.Equal(t, http.StatusOK, c.ask(http.MethodPost, path, contract.PostRequest{Version: 1, Brief: true}, &answer))
	brief(answer.Outcome, contract.Refused, "debits are 25.00 EUR and credits 24.00 EUR; they differ by 1.00 EUR. Correct a line until they are equal")
	assert.Nil(t, answer.Record)
	mended := entry("25")
	mended.Record = saved.Record.Number
	require.Equal(t, http.StatusOK, c.ask(http.MethodPost, "/records", contract.SaveRequest{Document: mended, Version: 1, Brief: true}, &saved))
	require.Equal(t, http.StatusOK, c.ask(http.MethodPost, path, contract.PostRequest{Version: 2, Brief: true}, &answer))
	require.NotNil(t, answer.Record)
	assert.Equal(t, "Moved", finalText(told(saved.Record.Number, "books").Outcome, "text"))
}

// finalText is the text of a final value.
func finalText(o contract.Outcome, key string) string {
	for _, f := range o.Fields {
		if f.Key == key {
			return f.Final.Text
		}
	}
	return ""
}

func TestListsOverHTTP(t *testing.T) {
	c := start(t)
	var page contract.RecordPage
	request := contract.ListRequest{Kind: "vendor", Columns: []string{"city", "credit_limit"}, Limit: 3, Selection: record.Selection{Companies: []string{"20"}, Sort: "credit_limit", Descending: true}}
	require.Equal(t, http.StatusOK, c.ask(http.MethodPost, "/records/list", request, &page))
	assert.Len(t, page.Rows, 3)
	var counted contract.RecordCount
	for _, request.After = range []string{"", page.Next, "nowhere"} {
		require.Equal(t, http.StatusOK, c.ask(http.MethodPost, "/records/count", request, &counted))
		assert.Equal(t, contract.RecordCount{Total: page.Total}, counted, "all are counted, from wherever a page begins")
	}
	c.refused(http.MethodPost, "/records/list", request, http.StatusUnprocessableEntity, "not-a-place")
	request.After = ""
	assert.Greater(t, counted.Total, 3)
	assert.Equal(t, "V20001", page.Rows[0].Number)
	assert.Equal(t, "400000.00", page.Rows[0].Cells[1])
	request.Selection.Filters = []record.Filter{{Field: "credit_limit", Relation: "from", Value: "plenty"}}
	c.refused(http.MethodPost, "/records/list", request, http.StatusUnprocessableEntity, "not-a-number")
	c.refused(http.MethodPost, "/records/list", map[string]any{"kind": "vendor", "selection": map[string]any{}, "limit": 100000}, http.StatusBadRequest, "bad-request")

	body := strings.NewReader(`{"kind":"item","selection":{"search":"flake"}}`)
	response, err := http.Post(c.server.URL+"/api/v1/records/export", "application/json", body)
	require.NoError(t, err)
	defer func() { require.NoError(t, response.Body.Close()) }()
	assert.Contains(t, response.Header.Get("Content-Type"), "text/csv")
}

func TestTablesOverHTTP(t *testing.T) {
	c := start(t)
	f := field.Field{Key: "berth", Label: "Berth", Section: "general", Type: field.Text}
	require.Equal(t, http.StatusCreated, c.ask(http.MethodPost, "/kinds/vendor/fields", f, nil))
	c.refused(http.MethodPost, "/kinds/vendor/fields", f, http.StatusConflict, "key-taken")
	f.Type = field.Number
	var check contract.FieldCheck
	require.Equal(t, http.StatusOK, c.ask(http.MethodPost, "/kinds/vendor/fields/berth/check", f, &check))
	require.Equal(t, http.StatusOK, c.ask(http.MethodPut, "/kinds/vendor/fields/berth", f, nil))
	var uses contract.FieldUses
	require.Equal(t, http.StatusOK, c.ask(http.MethodGet, "/kinds/vendor/fields/berth/uses", nil, &uses))
	require.Equal(t, http.StatusNoContent, c.ask(http.MethodDelete, "/kinds/vendor/fields/berth", nil, nil))
	require.Equal(t, http.StatusOK, c.ask(http.MethodPost, "/kinds/vendor/fields/berth/restore", nil, nil))

	var view contract.LayoutView
	layout := record.Layout{Sections: []record.LayoutSection{{Key: "purchasing", Label: "Buying", Fields: []record.LayoutField{{Key: "buyer", Width: 2}}}}}
	require.Equal(t, http.StatusOK, c.ask(http.MethodPut, "/layouts?kind=vendor&company=10", layout, &view))
	assert.Equal(t, "Buying", view.Layout.Sections[0].Label)
	assert.True(t, view.Made)
	require.Equal(t, http.StatusOK, c.ask(http.MethodDelete, "/layouts?kind=vendor&company=10", nil, &view))
	assert.False(t, view.Made)

	company := record.Company{Name: "Brinewell Tide", Country: "GB", Currency: "GBP", Rounding: "half-up"}
	company.Calendar = record.Calendar{FreeDays: []int{}, Holidays: []record.Holiday{}}
	require.Equal(t, http.StatusOK, c.ask(http.MethodPut, "/companies/50", company, nil))
	require.Equal(t, http.StatusNoContent, c.ask(http.MethodDelete, "/companies/50", nil, nil))
	problem := c.refused(http.MethodDelete, "/companies/10", nil, http.StatusConflict, "in-use")
	assert.Len(t, problem.Uses, 20)
	assert.Greater(t, problem.Count, 100)
	require.Equal(t, http.StatusOK, c.ask(http.MethodPut, "/types/vendor/FISH", record.Type{Label: "Fishermen"}, nil))
	require.Equal(t, http.StatusNoContent, c.ask(http.MethodDelete, "/types/vendor/FISH", nil, nil))

	m := record.FollowOn{Name: "Vendor from customer", From: "customer", To: "vendor", Pairs: []record.Pair{{From: "name", To: "name"}}}
	require.Equal(t, http.StatusCreated, c.ask(http.MethodPost, "/follow-ons", m, &m))
	m.Pairs = append(m.Pairs, record.Pair{From: "credit_limit", To: "city"})
	var problems []record.PairProblem
	require.Equal(t, http.StatusOK, c.ask(http.MethodPost, "/follow-ons/check", m, &problems))
	require.Len(t, problems, 1)
	c.refused(http.MethodPut, "/follow-ons/3", m, http.StatusUnprocessableEntity, "pairs-misfit")
	var begun contract.Beginning
	require.Equal(t, http.StatusOK, c.ask(http.MethodPost, "/follow-ons/3/begin", contract.BeginRequest{Number: "C10001", Type: "SERV"}, &begun))
	assert.Equal(t, "Quayside Grocers Co-op", begun.Document.Entered["name"].Value)

	// A map leads on from records of its types only, and where its condition is true.
	m.Pairs, m.ID = m.Pairs[:1], 3
	next := func(number string) []int64 {
		var r contract.Record
		require.Equal(t, http.StatusOK, c.ask(http.MethodGet, "/records/customer/"+number, nil, &r))
		return r.Next
	}
	require.Contains(t, next("C10001"), int64(3))
	m.When = `country = "JP"`
	require.Equal(t, http.StatusOK, c.ask(http.MethodPut, "/follow-ons/3", m, nil))
	assert.NotContains(t, next("C10001"), int64(3), "it is in Ireland")
	assert.Contains(t, next("C30001"), int64(3))
	c.refused(http.MethodPost, "/follow-ons/3/begin", contract.BeginRequest{Number: "C10001", Type: "SERV"}, http.StatusConflict, "not-offered")
	m.When = ""
	var types struct{ Type string }
	require.Equal(t, http.StatusOK, c.ask(http.MethodGet, "/records/customer/C10001", nil, &types))
	m.Types = []string{types.Type}
	require.Equal(t, http.StatusOK, c.ask(http.MethodPut, "/follow-ons/3", m, nil))
	assert.Contains(t, next("C10001"), int64(3))
	m.Types = []string{"NONE"}
	c.refused(http.MethodPut, "/follow-ons/3", m, http.StatusUnprocessableEntity, "map-misfit")
	m.Types, m.When = nil, "country = 5"
	c.refused(http.MethodPut, "/follow-ons/3", m, http.StatusUnprocessableEntity, "map-misfit")

	// A text that can be longer than its target is warned of, and the map is saved.
	m.When, m.Pairs = "", []record.Pair{{From: "name", To: "postal_code"}}
	require.Equal(t, http.StatusOK, c.ask(http.MethodPost, "/follow-ons/check", m, &problems))
	require.Len(t, problems, 1)
	assert.True(t, problems[0].Warning)
	assert.Contains(t, problems[0].Message, "what is longer is refused")
	require.Equal(t, http.StatusOK, c.ask(http.MethodPut, "/follow-ons/3", m, nil))
	require.Equal(t, http.StatusNoContent, c.ask(http.MethodDelete, "/follow-ons/3", nil, nil))
}

func TestATestPostingAndItsProofFindEachOther(t *testing.T) {
	c := start(t)
	var posting contract.Posting
	require.Equal(t, http.StatusCreated, c.ask(http.MethodPost, "/postings", contract.TryRequest{Document: entry("25")}, &posting))
	number := posting.Summary.Number
	assert.Equal(t, "PA10-00001", number)
	assert.Len(t, posting.Entries, 2)
	var p contract.Proof
	require.Equal(t, http.StatusCreated, c.ask(http.MethodPost, "/proofs", contract.KeepRequest{Document: entry("25"), Name: "Moved", Posting: number}, &p))
	assert.Equal(t, number, p.Posting)
	assert.Equal(t, "25", p.Expect.Values["lines.1.debit"])
	c.ask(http.MethodGet, "/postings/"+number, nil, &posting)
	require.Len(t, posting.Proofs, 1)
	assert.Equal(t, "Moved", posting.Proofs[0].Title)
	var summary contract.LedgerSummary
	c.ask(http.MethodGet, "/ledgers/practice", nil, &summary)
	assert.Equal(t, [3]int{1, 2, 1}, [3]int{summary.Postings, summary.Entries, summary.Proofs})
	c.refused(http.MethodDelete, "/ledgers/books", nil, http.StatusConflict, "books-stay")
	require.Equal(t, http.StatusNoContent, c.ask(http.MethodDelete, "/ledgers/practice", nil, nil))
	var after contract.Proof // the proof stays, and forgets the posting
	c.ask(http.MethodGet, fmt.Sprint("/proofs/", p.ID), nil, &after)
	assert.Empty(t, after.Posting)
	c.refused(http.MethodPost, "/proofs", contract.KeepRequest{Document: entry("25"), Posting: number}, http.StatusNotFound, "not-found")
}
