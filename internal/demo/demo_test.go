package demo_test

import (
	"encoding/json"
	"slices"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"codicil/core/proof"
	"codicil/core/rule"
	"codicil/internal/contract"
	"codicil/internal/demo"
	"codicil/internal/desk"
	"codicil/internal/standard"
	"codicil/internal/store"
)

func fill(t *testing.T) *desk.Desk {
	t.Helper()
	s, err := store.Open(t.Context(), "")
	require.NoError(t, err)
	t.Cleanup(func() { require.NoError(t, s.Close()) })
	kinds, err := standard.Kinds()
	require.NoError(t, err)
	for _, k := range kinds {
		require.NoError(t, s.SaveKind(t.Context(), k))
	}
	clock := func() time.Time { return time.Date(2027, 3, 1, 12, 0, 0, 0, time.UTC) } // any other day than the proofs'
	require.NoError(t, demo.Fill(t.Context(), s, clock, "Ada"))
	return desk.New(s, clock, "Ada")
}

func TestEveryRuleInForceIsProvedAndOneProofFailsOnPurpose(t *testing.T) {
	d := fill(t)
	rules, err := d.Rules(t.Context(), "vendor")
	require.NoError(t, err)
	inForce := 0
	for _, r := range rules {
		if r.State != rule.InForce {
			continue
		}
		inForce++
		assert.True(t, r.Sound, r.Name)
		assert.NotEmpty(t, r.Proofs, "no proof for %s", r.Name)
		assert.NotEmpty(t, r.Body.Note.Why, r.Name)
	}
	assert.GreaterOrEqual(t, inForce, 20)

	run, err := d.RunProofs(t.Context(), contract.RunRequest{Kind: "vendor"})
	require.NoError(t, err)
	for _, r := range run.Results {
		assert.Empty(t, r.Error)
		if !r.Held {
			assert.Equal(t, run.Results[len(run.Results)-1].Proof, r.Proof, "%v", r.Differences)
		}
	}
	assert.Equal(t, 1, run.Failed)
}

// A rule that is no longer there must be missed by at least one of its proofs.
func TestEveryRuleThatGoesIsMissed(t *testing.T) {
	d := fill(t)
	rules, err := d.Rules(t.Context(), "vendor")
	require.NoError(t, err)
	for _, r := range rules {
		if r.State != rule.InForce {
			continue
		}
		before, err := d.RunProofs(t.Context(), contract.RunRequest{Kind: "vendor", Proofs: r.Proofs})
		require.NoError(t, err)
		suspended, err := d.MoveRule(t.Context(), r.Id, contract.RuleMove{State: rule.Suspended, Version: r.Version})
		require.NoError(t, err)
		after, err := d.RunProofs(t.Context(), contract.RunRequest{Kind: "vendor", Proofs: r.Proofs})
		require.NoError(t, err)
		assert.Greater(t, after.Failed, before.Failed, "no proof misses: %s", r.Sentence)
		_, err = d.MoveRule(t.Context(), r.Id, contract.RuleMove{State: rule.InForce, Version: suspended.Version})
		require.NoError(t, err)
	}
}

func TestTheSavedVendorsPassTheRules(t *testing.T) {
	d := fill(t)
	records, err := d.Records(t.Context(), "vendor")
	require.NoError(t, err)
	assert.Len(t, records, 10)
	for _, r := range records {
		document := proof.Document{Kind: "vendor", Company: r.Company, Type: r.Type, Day: demo.Day, Record: r.Number, Entered: map[string]proof.Item{}}
		for key, value := range r.Values {
			document.Entered[key] = proof.Item{Value: value}
		}
		out, err := d.Try(t.Context(), contract.TryRequest{Document: document})
		require.NoError(t, err)
		assert.Equal(t, contract.Accepted, out.Verdict, "%s: %v", r.Number, out.Messages)
		for _, f := range out.Fields {
			if !slices.Contains([]string{"", "0"}, f.Final.Value) {
				assert.Equal(t, r.Values[f.Key], f.Final.Value, "%s %s", r.Number, f.Key)
			}
		}
	}
}

func TestEveryStartIsTheSame(t *testing.T) {
	texts := [2]string{}
	for i := range texts {
		d := fill(t)
		rules, err := d.Rules(t.Context(), "vendor")
		require.NoError(t, err)
		proofs, err := d.Proofs(t.Context(), "vendor")
		require.NoError(t, err)
		text, err := json.Marshal([]any{rules, proofs})
		require.NoError(t, err)
		texts[i] = string(text)
	}
	assert.Equal(t, texts[0], texts[1])
}
