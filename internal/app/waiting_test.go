package app_test

import (
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

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
