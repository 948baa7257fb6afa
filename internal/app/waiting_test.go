package app_test

import (
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"codicil/core/field"
	"codicil/core/rule"
	"codicil/internal/actor"
	"codicil/internal/contract"
)

func TestWhatWaitsIsToldToWhoComes(t *testing.T) {
	d := office(t)
	v := add(t, d, terms(`"N30"`, rule.Scope{}), rule.InForce)
	draft := add(t, d, terms(`"N60"`, rule.Scope{}))
	unfinished := add(t, d, terms(`nothing_such`, rule.Scope{}))
	kept, err := d.Proofs.Keep(as(t), contract.KeepRequest{Name: "thirty days", Document: withDay(document("vendor", "10", "TRAD", values{"name": "Quay"}))})
	require.NoError(t, err)

	w, err := d.Waiting.Waiting(as(t), time.Time{})
	require.NoError(t, err)
	assert.Empty(t, w.Proofs)
	assert.Equal(t, 1, w.Unproved)
	assert.Equal(t, v.ID, w.Rules[0].Rule)
	require.Len(t, w.Drafts, 2)
	states := map[int64]string{}
	for _, r := range w.Drafts {
		states[r.Rule] = r.State
	}
	assert.Empty(t, states[draft.ID], "it could be put in force")
	assert.Contains(t, states[unfinished.ID], "nothing_such")
	assert.Empty(t, w.Changes, "what I did myself I know")

	next := v.Body
	next.Effect.Value = `"N45"`
	_, err = d.Rules.Change(as(t), v.ID, contract.RuleChange{Version: v.Version, Body: next, Reason: "a test"})
	require.NoError(t, err)
	w, err = d.Waiting.Waiting(as(t), time.Time{})
	require.NoError(t, err)
	require.Len(t, w.Proofs, 1)
	assert.Equal(t, kept.ID, w.Proofs[0].Proof)
	assert.Contains(t, w.Proofs[0].Why, "expected N30, came out N45")
	assert.Equal(t, "failing", w.Rules[0].State)

	other := actor.With(t.Context(), actor.Named("somebody else", actor.Browser))
	w, err = d.Waiting.Waiting(other, time.Time{})
	require.NoError(t, err)
	told := map[string]string{}
	for _, c := range w.Changes {
		told[c.What+" "+c.Key] = c.Deed
	}
	assert.Equal(t, map[string]string{"rule 1": "in force", "rule 2": "draft", "rule 3": "draft", "proof 1": "kept"}, told, "each thing once, as it stands")
	w, err = d.Waiting.Waiting(other, w.Now.Add(time.Hour))
	require.NoError(t, err)
	assert.Empty(t, w.Changes, "read until then")
}

// Wherever a proof is told that fails, its values are written as the person writes them.
func TestFailingProofsAreToldInThePersonsFormat(t *testing.T) {
	d := office(t)
	ends := func(value string) rule.Body {
		return body("vendor", rule.Default, "ends", rule.Effect{Lifetime: rule.NewOnly, Value: value})
	}
	v := add(t, d, ends(`date("2026-12-31")`), rule.InForce)
	_, err := d.Proofs.Keep(as(t), contract.KeepRequest{Rules: []int64{v.ID}, Fields: []string{"ends"}, Document: withDay(document("vendor", "10", "TRAD", values{"name": "Quay"}))})
	require.NoError(t, err)
	c := prepare(t, d, "A month more")
	_, err = with(t, d, c).Rules.Change(as(t), v.ID, contract.RuleChange{Version: v.Version, Body: ends(`date("2027-01-31")`)})
	require.NoError(t, err)

	person := actor.Named("Ada", actor.Browser)
	person.Format = field.Format{Decimal: ",", Group: ".", Date: "dmy", Separator: "."}
	german := actor.With(t.Context(), person)
	const told = "Ends: expected 31.12.2026, came out 31.01.2027"
	check, err := d.Codicils.Check(german, c.ID, false)
	require.NoError(t, err)
	require.Len(t, check.Failing, 1)
	assert.Equal(t, told, check.Failing[0].Why)

	_, err = d.Rules.Change(as(t), v.ID, contract.RuleChange{Version: v.Version, Body: ends(`date("2027-01-31")`), Reason: "a test"})
	require.NoError(t, err)
	w, err := d.Waiting.Waiting(german, time.Time{})
	require.NoError(t, err)
	require.Len(t, w.Proofs, 1)
	assert.Equal(t, told, w.Proofs[0].Why)
	report, err := d.Coverage.Report(german, "vendor", "10", "TRAD")
	require.NoError(t, err)
	require.Len(t, report.Rules, 1)
	require.Len(t, report.Rules[0].Proofs, 1)
	assert.Equal(t, told, report.Rules[0].Proofs[0].Why)
}
