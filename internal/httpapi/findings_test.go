package httpapi_test

import (
	"bytes"
	"database/sql"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"net/http"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"codicil/core/field"
	"codicil/core/judge"
	"codicil/core/rule"
	"codicil/internal/contract"
)

// found asks for findings, and returns those with the code.
func (c *client) found(method, path, code string, body any) []contract.Finding {
	c.t.Helper()
	return c.foundAs("", method, path, code, body)
}

// foundBy asks for them as a person who writes in a format.
func (c *client) foundBy(format field.Format, path, code string) []contract.Finding {
	c.t.Helper()
	return c.foundAs(jsonOf(format), http.MethodGet, path, code, nil)
}

func (c *client) foundAs(format, method, path, code string, body any) (list []contract.Finding) {
	c.t.Helper()
	text, err := json.Marshal(body)
	require.NoError(c.t, err)
	request, err := http.NewRequestWithContext(c.t.Context(), method, c.server.URL+"/api/v1"+path, bytes.NewReader(text))
	require.NoError(c.t, err)
	request.Header.Set("Content-Type", "application/json")
	if format != "" {
		request.Header.Set("Person-Format", format)
	}
	answer, err := http.DefaultClient.Do(request)
	require.NoError(c.t, err)
	defer func() { _ = answer.Body.Close() }()
	require.Equal(c.t, http.StatusOK, answer.StatusCode)
	for lines := json.NewDecoder(answer.Body); ; {
		var f contract.Finding
		if err := lines.Decode(&f); err == io.EOF {
			return list
		} else {
			require.NoError(c.t, err)
		}
		if f.Code == code {
			list = append(list, f)
		}
	}
}

// inForce keeps a rule and puts it in force, and returns its number.
func (c *client) inForce(change contract.RuleChange) int64 {
	c.t.Helper()
	var kept contract.RuleView
	require.Equal(c.t, http.StatusCreated, c.ask(http.MethodPost, "/rules", change, &kept))
	require.Equal(c.t, http.StatusOK, c.ask(http.MethodPost, fmt.Sprintf("/rules/%d/state", kept.ID), contract.RuleMove{Version: kept.Version, State: rule.InForce, Reason: "tried"}, nil))
	return kept.ID
}

func planted(when, value string) contract.RuleChange {
	return contract.RuleChange{Body: rule.Body{
		Kind: "vendor", Family: rule.Substitute, Target: "clerk", Scope: rule.Scope{Companies: []string{}, Types: []string{}}, When: when,
		Effect: rule.Effect{Value: value}, On: rule.Occasions{New: true, Change: true},
	}}
}

func TestFindingsComeWithTheirDocumentAndAreSilenced(t *testing.T) {
	c := start(t)
	first := c.inForce(planted(`credit_limit > 1000`, `"01"`))

	// While the second rule is written it is told what would come of it.
	second := planted(`country = "JP"`, `"02"`)
	told := c.found(http.MethodPost, "/findings", "overlap", second)
	require.Len(t, told, 1)
	require.NotNil(t, told[0].Witness)
	assert.Equal(t, "can happen", told[0].Sort)
	assert.Contains(t, told[0].Witness.Entered, "Country JP")
	impossible := c.found(http.MethodPost, "/findings", "never-acts", planted(`country = "JP" and country = "DE"`, `"02"`))
	require.Len(t, impossible, 1)
	assert.Len(t, impossible[0].Because, 2)
	assert.Empty(t, c.found(http.MethodGet, "/findings?kind=vendor", "overlap", nil), "the second rule is not kept")

	id := c.inForce(second)
	open := c.found(http.MethodGet, "/findings?kind=vendor", "overlap", nil)
	require.Len(t, open, 1)
	assert.Equal(t, []int64{first, id}, []int64{open[0].Rules[0].ID, open[0].Rules[1].ID})
	assert.Nil(t, open[0].Silenced)

	// Its document is judged on the plan as it was told.
	require.Equal(t, http.StatusOK, c.ask(http.MethodPost, "/try", contract.TryRequest{Document: open[0].Witness.Document}, nil))

	require.Equal(t, http.StatusNoContent, c.ask(http.MethodPost, "/findings/silence", contract.SilenceRequest{Key: open[0].Key, Reason: "the older one is right"}, nil))
	again := c.found(http.MethodGet, "/findings?kind=vendor", "overlap", nil)
	require.Len(t, again, 1)
	require.NotNil(t, again[0].Silenced)
	assert.Equal(t, "the older one is right", again[0].Silenced.Reason)
	require.Equal(t, http.StatusNoContent, c.ask(http.MethodPost, "/findings/silence", contract.SilenceRequest{Key: open[0].Key}, nil))
	assert.Nil(t, c.found(http.MethodGet, "/findings?kind=vendor", "overlap", nil)[0].Silenced)

	assert.Equal(t, http.StatusUnprocessableEntity, c.ask(http.MethodPost, "/findings/silence", contract.SilenceRequest{Key: "nothing", Reason: "x"}, nil))
}

// ended begins a run, and returns it as it ended.
func (c *client) ended(path string, body any) (run contract.Run) {
	c.t.Helper()
	require.Equal(c.t, http.StatusCreated, c.ask(http.MethodPost, path, body, &run))
	require.Eventually(c.t, func() bool {
		return c.ask(http.MethodGet, "/runs/"+jsonOf(run.ID), nil, &run) == http.StatusOK && run.EndedAt != nil
	}, time.Minute, 5*time.Millisecond)
	require.Equal(c.t, contract.RunStateDone, run.State, run.Problem)
	return run
}

func TestTheSavedRecordsTellOfRules(t *testing.T) {
	c := start(t)
	last := func() (found contract.DataFindings, nowhere []contract.Finding) {
		require.Equal(t, http.StatusOK, c.ask(http.MethodGet, "/findings/data", nil, &found))
		for _, f := range found.Findings {
			if f.Code == "value-nowhere" {
				nowhere = append(nowhere, f)
			}
		}
		return found, nowhere
	}
	found, _ := last()
	assert.Nil(t, found.Run, "nobody has looked yet")
	id := c.inForce(planted(`city = "Nowhere by Sea"`, `"01"`))
	run := c.ended("/runs/findings", nil)
	found, told := last()
	require.NotNil(t, found.Run)
	assert.Nil(t, found.Looking)
	assert.Equal(t, run.ID, found.Run.ID)
	assert.Equal(t, run.Total, run.Done)
	assert.Equal(t, map[string]int{"findings": len(found.Findings)}, run.Counts)
	require.Len(t, told, 1)
	assert.Equal(t, id, told[0].Rules[0].ID)
	assert.Contains(t, told[0].Message, "names City Nowhere by Sea, and no record that it holds for has that")
	var hits contract.RunHits
	require.Equal(t, http.StatusOK, c.ask(http.MethodGet, "/runs/"+jsonOf(run.ID)+"/hits?limit=500", nil, &hits))
	assert.Len(t, hits.Hits, len(found.Findings))

	// It is silenced after it was found, and left out when its rule is another.
	require.Equal(t, http.StatusNoContent, c.ask(http.MethodPost, "/findings/silence", contract.SilenceRequest{Key: told[0].Key, Reason: "until the town is built"}, nil))
	_, told = last()
	require.NotNil(t, told[0].Silenced)
	assert.Equal(t, "until the town is built", told[0].Silenced.Reason)
	require.Equal(t, http.StatusOK, c.ask(http.MethodPost, fmt.Sprintf("/rules/%d/state", id), contract.RuleMove{Version: told[0].Rules[0].Version, State: rule.Suspended, Reason: "tried"}, nil))
	found, told = last()
	assert.Empty(t, told)
	assert.Equal(t, 1, found.Outdated)
	require.Equal(t, http.StatusNoContent, c.ask(http.MethodDelete, "/runs/"+jsonOf(run.ID), nil, nil))
	found, _ = last()
	assert.Nil(t, found.Run)
	assert.Empty(t, found.Findings)
}

func TestTheTrailIsVerified(t *testing.T) {
	c := start(t)
	told := func() contract.RunHit {
		run := c.ended("/runs/trail", nil)
		var hits contract.RunHits
		require.Equal(t, http.StatusOK, c.ask(http.MethodGet, "/runs/"+jsonOf(run.ID)+"/hits", nil, &hits))
		require.Len(t, hits.Hits, 1)
		return hits.Hits[0]
	}
	assert.Equal(t, contract.RunHitWhatIntact, told().What)
	db, err := sql.Open("sqlite3", "file:"+c.file)
	require.NoError(t, err)
	_, err = db.ExecContext(t.Context(), "UPDATE trail SET note = 'x' WHERE id = 7")
	require.NoError(t, errors.Join(err, db.Close()))
	assert.Equal(t, contract.RunHitWhatUnfit, told().What)
	assert.Equal(t, "entry 7 of the trail: it was changed, or the one before it.", told().Said)
}

func TestDaysAndAmountsOfMessagesAreWrittenAsThePersonDoes(t *testing.T) {
	c := start(t)
	person := field.Format{Decimal: ",", Group: ".", Date: "dmy", Separator: "."}
	told := c.foundBy(person, "/findings", "standing-ends")
	require.NotEmpty(t, told)
	assert.Contains(t, told[0].Message, "31.12.2026")

	var outcome contract.Outcome
	lines := []judge.Line{{Number: 1, Entered: map[string]judge.Item{"account": {Value: "590000"}, "debit": {Value: "1100"}}}, {Number: 2, Entered: map[string]judge.Item{"account": {Value: "159000"}, "credit": {Value: "1100.5"}}}}
	document := judge.Document{Kind: "accounting_document", Company: "10", Type: "JE", Entered: map[string]judge.Item{"text": {Value: "Moved"}}, Lines: lines}
	require.Equal(t, http.StatusOK, c.ask(http.MethodPost, "/try", contract.TryRequest{Document: document, Format: &person}, &outcome))
	texts := ""
	for _, m := range outcome.Messages {
		texts += m.Text + "\n"
	}
	assert.Contains(t, texts, "debits are 1.100,00 EUR and credits 1.100,50 EUR; they differ by 0,50 EUR")
}
