package httpapi_test

import (
	"net/http"
	"slices"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"codicil/core/judge"
	"codicil/core/plan"
	"codicil/core/rule"
	"codicil/internal/contract"
)

func TestTheLifeOfARuleOverHTTP(t *testing.T) {
	c := start(t)
	body := rule.Body{Kind: "vendor", Family: rule.Substitute, Target: "clerk", Priority: 100, On: rule.Occasions{New: true, Change: true},
		Scope: rule.Scope{Companies: []string{"10"}}, When: `country = "IE"`, Effect: rule.Effect{Value: `"MOYA"`}, Note: rule.Note{AskedBy: "Moya", AskedOn: "2026-11-24", Why: "test"}}
	var v contract.RuleView
	require.Equal(t, http.StatusCreated, c.ask(http.MethodPost, "/rules", contract.RuleChange{Body: body}, &v))
	assert.Equal(t, rule.Draft, v.State)
	assert.Equal(t, "Vendor · Payables contact becomes MOYA when Country is IE", v.Name)
	path := "/rules/" + jsonOf(v.ID)
	known := c.refused(http.MethodPost, "/rules", contract.RuleChange{UID: v.UID, Body: body}, http.StatusConflict, "rule-known")
	assert.Contains(t, known.Detail, "rule "+jsonOf(v.ID))

	try := func() string {
		var o contract.Outcome
		require.Equal(t, http.StatusOK, c.ask(http.MethodPost, "/try", contract.TryRequest{Document: service(nil)}, &o))
		return final(o, "clerk")
	}
	move := func(state rule.State) {
		require.Equal(t, http.StatusOK, c.ask(http.MethodPost, path+"/state", contract.RuleMove{State: state, Version: v.Version, Reason: "a test"}, &v))
	}
	assert.Empty(t, try(), "a draft does not act")
	move(rule.InForce)
	assert.Equal(t, "MOYA", try())
	move(rule.Suspended)
	assert.Empty(t, try())
	move(rule.InForce)
	stale := v.Version - 1
	body.Effect.Value = `"BIRK"`
	c.refused(http.MethodPut, path, contract.RuleChange{Version: stale, Body: body}, http.StatusConflict, "changed-meanwhile")
	require.Equal(t, http.StatusOK, c.ask(http.MethodPut, path, contract.RuleChange{Version: v.Version, Name: v.Name, Body: body, Reason: "a test"}, &v))
	assert.Equal(t, "BIRK", try())
	assert.Equal(t, "Vendor · Payables contact becomes BIRK when Country is IE", v.Name, "a proposed name follows the rule")

	body.When = `contry = "IE"`
	p := c.refused(http.MethodPut, path, contract.RuleChange{Version: v.Version, Body: body}, http.StatusUnprocessableEntity, "unsound-rule")
	require.Len(t, p.Problems, 1)
	assert.Equal(t, "when", p.Problems[0].Part)
	assert.Equal(t, "country", p.Problems[0].Suggestion)
	assert.Equal(t, "BIRK", try(), "a refused change leaves the rule as it was")

	c.refused(http.MethodDelete, path, nil, http.StatusConflict, "not-a-draft")
	move(rule.Retired)
	assert.Empty(t, try())
	c.refused(http.MethodPost, path+"/state", contract.RuleMove{State: rule.InForce, Version: v.Version}, http.StatusConflict, "wrong-state")
	var versions []contract.RuleVersion
	c.ask(http.MethodGet, path+"/versions", nil, &versions)
	assert.Len(t, versions, v.Version)
	assert.Equal(t, rule.Retired, versions[0].State)
	assert.Equal(t, "Ada", versions[0].ChangedBy)
}

func TestADraftMayHaveErrorsAndBeDiscarded(t *testing.T) {
	c := start(t)
	body := rule.Body{Kind: "vendor", Family: rule.Default, Target: "clerk", On: rule.Occasions{New: true}, Effect: rule.Effect{Lifetime: rule.NewOnly, Value: "clark"}}
	var v contract.RuleView
	require.Equal(t, http.StatusCreated, c.ask(http.MethodPost, "/rules", contract.RuleChange{Body: body}, &v))
	assert.False(t, v.Sound)
	path := "/rules/" + jsonOf(v.ID)
	c.refused(http.MethodPost, path+"/state", contract.RuleMove{State: rule.InForce, Version: v.Version}, http.StatusUnprocessableEntity, "unsound-rule")
	assert.Equal(t, http.StatusNoContent, c.ask(http.MethodDelete, path, nil, nil))
	c.refused(http.MethodGet, path, nil, http.StatusNotFound, "not-found")
}

func TestARuleThatWouldCloseALoopIsRefused(t *testing.T) {
	c := start(t)
	// The account holder is filled with the name; now the name would be filled with the holder.
	body := rule.Body{Kind: "vendor", Family: rule.Default, Target: "name", On: rule.Occasions{New: true}, Effect: rule.Effect{Lifetime: rule.NewOnly, Value: "account_holder"}}
	var v contract.RuleView
	c.ask(http.MethodPost, "/rules", contract.RuleChange{Body: body}, &v)
	p := c.refused(http.MethodPost, "/rules/"+jsonOf(v.ID)+"/state", contract.RuleMove{State: rule.InForce, Version: 1}, http.StatusUnprocessableEntity, "loop")
	assert.Contains(t, p.Detail, "Name (rule "+jsonOf(v.ID)+") → Account holder (rule 17) → Name")
}

func TestARuleIsTriedBeforeItIsKept(t *testing.T) {
	c := start(t)
	change := contract.RuleChange{Body: rule.Body{Kind: "vendor", Family: rule.Substitute, Target: "clerk", On: rule.Occasions{New: true}, Effect: rule.Effect{Value: `"NEW"`}}}
	var o contract.Outcome
	c.ask(http.MethodPost, "/try", contract.TryRequest{Document: withChange(service(nil), change)}, &o)
	assert.Equal(t, "NEW", final(o, "clerk"))
	var rules []contract.RuleView
	c.ask(http.MethodGet, "/rules?kind=vendor", nil, &rules)
	assert.False(t, slices.ContainsFunc(rules, func(r contract.RuleView) bool { return strings.Contains(r.Phrase, "NEW") }), "nothing was kept")
}

// withChange is the document with a changed rule on top of those in force.
func withChange(d judge.Document, change contract.RuleChange) judge.Document {
	d.Changes = &plan.Changes{Rules: []rule.Rule{{ID: change.ID, Version: change.Version, Name: change.Name, Body: change.Body}}}
	return d
}

func TestARuleOnAFieldThatIsNotThereIsRead(t *testing.T) {
	c := start(t)
	var read contract.RuleView
	unfinished := rule.Body{Kind: "vendor", Family: rule.Compute, Target: "nobody", Effect: rule.Effect{Bands: []rule.Band{{Label: "low", Until: "5", Level: rule.Calm, Shape: rule.Round}, {Label: "high", Level: rule.Calm, Shape: rule.Round}}}, On: rule.Occasions{New: true}}
	require.Equal(t, http.StatusOK, c.ask(http.MethodPost, "/rules/read", contract.RuleChange{Body: unfinished}, &read))
	assert.False(t, read.Sound)
	assert.NotEmpty(t, read.Problems)
}
