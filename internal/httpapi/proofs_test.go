package httpapi_test

import (
	"bufio"
	"bytes"
	"encoding/json"
	"io"
	"net/http"
	"slices"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"codicil/core/proof"
	"codicil/core/rule"
	"codicil/internal/contract"
)

// lines asks for an answer of lines of JSON and returns them.
func (c *client) lines(method, path string, body any) (list []string) {
	c.t.Helper()
	text, err := json.Marshal(body)
	require.NoError(c.t, err)
	request, err := http.NewRequestWithContext(c.t.Context(), method, c.server.URL+"/api/v1"+path, bytes.NewReader(text))
	require.NoError(c.t, err)
	request.Header.Set("Content-Type", "application/json")
	response, err := http.DefaultClient.Do(request)
	require.NoError(c.t, err)
	defer func() { _ = response.Body.Close() }()
	require.Equal(c.t, http.StatusOK, response.StatusCode)
	require.Equal(c.t, "application/x-ndjson", response.Header.Get("Content-Type"))
	for scanner := bufio.NewScanner(response.Body); scanner.Scan(); {
		list = append(list, scanner.Text())
	}
	return list
}

func (c *client) text(path string) string {
	c.t.Helper()
	response, err := http.Get(c.server.URL + "/api/v1" + path)
	require.NoError(c.t, err)
	defer func() { _ = response.Body.Close() }()
	text, err := io.ReadAll(response.Body)
	require.NoError(c.t, err)
	require.Equal(c.t, http.StatusOK, response.StatusCode, "%s", text)
	assert.Contains(c.t, response.Header.Get("Content-Type"), "text/csv")
	return string(text)
}

func TestARunOfProofsIsFollowedLineByLine(t *testing.T) {
	c := start(t)
	var proofs []contract.Proof
	require.Equal(t, http.StatusOK, c.ask(http.MethodGet, "/proofs?kind=vendor", nil, &proofs))
	lines := c.lines(http.MethodPost, "/proofs/progress", contract.RunRequest{Kind: "vendor"})
	require.Len(t, lines, len(proofs)+1)
	assert.JSONEq(t, `{"total": `+jsonOf(len(proofs))+`}`, lines[0])
	failed := 0
	for _, line := range lines[1:] {
		var r contract.ProofResult
		require.NoError(t, json.Unmarshal([]byte(line), &r))
		if !r.Held {
			failed++
		}
	}
	assert.Equal(t, 1, failed)
	of := c.lines(http.MethodPost, "/proofs/progress", contract.RunRequest{Kind: "vendor", Company: "30", Type: "SERV"})
	assert.Less(t, len(of), len(lines))
	c.refused(http.MethodPost, "/proofs/progress", contract.RunRequest{Kind: "ship"}, http.StatusUnprocessableEntity, "unknown-kind")
}

func TestWhatIsConfirmedOverHTTP(t *testing.T) {
	c := start(t)
	var board []contract.Confirmation
	require.Equal(t, http.StatusOK, c.ask(http.MethodGet, "/confirmation?kind=sales_order", nil, &board))
	assert.Nil(t, board[0].Strength, "strength is measured where it is asked for")
	require.Equal(t, http.StatusOK, c.ask(http.MethodGet, "/confirmation?kind=vendor&strength=true", nil, &board))
	var gap *contract.Confirmation
	for i := range board {
		require.NotNil(t, board[i].Strength)
		if board[i].Target == "order_currency" {
			gap = &board[i]
		}
	}
	require.NotNil(t, gap)
	require.NotEmpty(t, gap.Strength.Unnoticed)
	path := "/rules/" + jsonOf(gap.Rule)

	// The gap is filled by what is suggested, and by nothing else.
	var suggested []contract.Suggestion
	require.Equal(t, http.StatusOK, c.ask(http.MethodPost, path+"/suggestions", contract.SuggestRequest{}, &suggested))
	require.NotEmpty(t, suggested)
	for _, s := range suggested {
		var kept contract.Proof
		require.Equal(t, http.StatusCreated, c.ask(http.MethodPost, "/proofs", contract.KeepRequest{Document: s.Document, Name: s.Name, Rules: []int64{gap.Rule}, Unread: true}, &kept))
		require.True(t, kept.Unread)
		var read contract.Proof
		require.Equal(t, http.StatusOK, c.ask(http.MethodPost, "/proofs/"+jsonOf(kept.ID)+"/read", nil, &read))
		assert.False(t, read.Unread)
		require.Equal(t, http.StatusOK, c.ask(http.MethodPost, "/proofs/"+jsonOf(kept.ID)+"/refresh", nil, nil))
	}
	var confirmed contract.Confirmation
	require.Equal(t, http.StatusOK, c.ask(http.MethodGet, path+"/confirmation", nil, &confirmed))
	assert.EqualValues(t, proof.ProvedBoth, confirmed.State)
	assert.Empty(t, confirmed.Strength.Unnoticed)

	var report contract.ConfirmationReport
	require.Equal(t, http.StatusOK, c.ask(http.MethodGet, "/confirmation/report?kind=vendor&company=30&type=SERV", nil, &report))
	assert.NotEmpty(t, report.Rules)
	text := c.text("/confirmation/report/export?kind=vendor&company=30&type=SERV")
	assert.Contains(t, text, "Kaisan's terms for a Japanese vendor")
	c.refused(http.MethodGet, "/confirmation/report?kind=vendor&company=31&type=SERV", nil, http.StatusUnprocessableEntity, "unknown-company")
	c.refused(http.MethodGet, "/rules/9999/confirmation", nil, http.StatusNotFound, "not-found")
}

// What a person sets aside goes on counting, says why, and can be taken back.
func TestAWrongVersionIsSetAsideWithAReason(t *testing.T) {
	c := start(t)
	var list []contract.Confirmation
	require.Equal(t, http.StatusOK, c.ask(http.MethodGet, "/confirmation?kind=vendor&strength=true", nil, &list))
	weak := list[slices.IndexFunc(list, func(r contract.Confirmation) bool { return len(r.Strength.Unnoticed) > 0 })]
	path, change := "/rules/"+jsonOf(weak.Rule), weak.Strength.Unnoticed[0]
	var aside []contract.SetAside
	require.Equal(t, http.StatusOK, c.ask(http.MethodPost, path+"/aside", contract.AsideRequest{Change: change, Reason: "nobody enters that"}, &aside))
	require.Len(t, aside, 1)
	assert.Equal(t, [3]string{change, "nobody enters that", "Ada"}, [3]string{aside[0].Change, aside[0].Reason, aside[0].By})
	var again contract.Confirmation
	require.Equal(t, http.StatusOK, c.ask(http.MethodGet, path+"/confirmation", nil, &again))
	assert.Equal(t, aside, again.Strength.Aside)
	assert.Equal(t, [2]int{weak.Strength.Mutants, weak.Strength.Noticed}, [2]int{again.Strength.Mutants, again.Strength.Noticed}, "it goes on counting")
	require.Equal(t, http.StatusOK, c.ask(http.MethodPost, path+"/aside", contract.AsideRequest{Change: change}, &aside))
	assert.Empty(t, aside)
	c.refused(http.MethodPost, "/rules/9999/aside", contract.AsideRequest{Change: change, Reason: "x"}, http.StatusNotFound, "not-found")
}

func TestWhatARuleWouldDoToExistingRecordsOverHTTP(t *testing.T) {
	c := start(t)
	body := rule.Body{Kind: "vendor", Family: rule.Validate, Target: "website", On: rule.Occasions{New: true, Change: true}, Scope: rule.Scope{Companies: []string{"30"}},
		Effect: rule.Effect{Severity: rule.Refuse, Must: "is filled(website)", Message: "Enter the web address."}}
	var v contract.RuleView
	require.Equal(t, http.StatusCreated, c.ask(http.MethodPost, "/rules", contract.RuleChange{Body: body}, &v))
	path := "/rules/" + jsonOf(v.ID)
	var run contract.Run
	require.Equal(t, http.StatusCreated, c.ask(http.MethodPost, "/runs", contract.ImpactRequest{Rule: v.ID}, &run))
	at := "/runs/" + jsonOf(run.ID)
	require.Eventually(t, func() bool { return c.ask(http.MethodGet, at, nil, &run) == http.StatusOK && run.EndedAt != nil }, time.Minute, 5*time.Millisecond)
	assert.Equal(t, contract.RunStateDone, run.State)
	refused := run.Counts["refused"]
	assert.Positive(t, refused)
	var page contract.RunHits
	c.ask(http.MethodGet, at+"/hits?limit=2", nil, &page)
	assert.Len(t, page.Hits, min(2, refused))
	assert.Equal(t, refused+1, strings.Count(c.text(at+"/export"), "\n"))
	var all []contract.Run
	c.ask(http.MethodGet, "/runs", nil, &all)
	assert.Equal(t, run.ID, all[0].ID)
	assert.Equal(t, http.StatusOK, c.ask(http.MethodPost, at+"/stop", nil, &run), "one that has ended stays so")
	assert.Equal(t, contract.RunStateDone, run.State)
	require.Eventually(t, func() bool { return c.ask(http.MethodDelete, at, nil, nil) == http.StatusNoContent }, time.Minute, 5*time.Millisecond)
	c.refused(http.MethodGet, at, nil, http.StatusNotFound, "not-found")
	c.refused(http.MethodPost, "/runs", contract.ImpactRequest{Rule: 9999}, http.StatusNotFound, "not-found")
	p := c.refused(http.MethodPost, path+"/state", contract.RuleMove{State: rule.InForce, Version: v.Version}, http.StatusConflict, "needs-reason")
	assert.Contains(t, p.Detail, "it would refuse "+jsonOf(refused))
	require.Equal(t, http.StatusOK, c.ask(http.MethodPost, path+"/state", contract.RuleMove{State: rule.InForce, Version: v.Version, Reason: "the shop opens"}, &v))
	assert.Equal(t, "the shop opens", v.Reason)
}

func TestRowsAreReadOverHTTP(t *testing.T) {
	c := start(t)
	var read contract.RowsRead
	require.Equal(t, http.StatusOK, c.ask(http.MethodPost, "/try/rows", contract.RowsRequest{Kind: "sales_order", Text: "Customer\tItem\tQuantity\nC10001\tI1001\t4\n", At: "customer"}, &read))
	assert.Equal(t, "C10001", read.Entered["customer"].Typed)
	require.Len(t, read.Lines, 1)
	c.refused(http.MethodPost, "/try/rows", contract.RowsRequest{Kind: "sales_order", Text: "", At: "customer"}, http.StatusUnprocessableEntity, "no-rows")
}
