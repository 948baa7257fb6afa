package app_test

import (
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"codicil/core/rule"
	"codicil/internal/app"
	"codicil/internal/contract"
)

// never are the findings of vendors that can never happen.
func never(t *testing.T, d *app.App) (found []contract.Finding) {
	t.Helper()
	require.NoError(t, d.Findings.Kind(as(t), "vendor", func(f contract.Finding) error {
		if f.Code == "never-acts" {
			found = append(found, f)
		}
		return nil
	}))
	return found
}

func TestSilencedFindingsGoWithTheBook(t *testing.T) {
	idle := body("vendor", rule.Default, "terms", rule.Effect{Lifetime: rule.WheneverBlank, Value: `"N30"`})
	idle.When = `name = "Quay" and name = "Pier"`
	d := office(t)
	add(t, d, idle, rule.InForce)
	found := never(t, d)
	require.Len(t, found, 1)
	require.NoError(t, d.Findings.Silence(as(t), contract.SilenceRequest{Key: found[0].Key, Reason: "until the pier opens"}))
	b, err := d.Books.Export(as(t))
	require.NoError(t, err)

	// In another application the rule has another number, and is silenced all the same.
	other := office(t)
	add(t, other, body("vendor", rule.Entry, "name", rule.Effect{Need: rule.Required}), rule.InForce)
	_, err = other.Books.Import(as(t), b, false)
	require.NoError(t, err)
	there := never(t, other)
	require.Len(t, there, 1)
	assert.NotEqual(t, found[0].Key, there[0].Key)
	require.NotNil(t, there[0].Silenced)
	assert.Equal(t, "until the pier opens", there[0].Silenced.Reason)
	again, err := other.Books.Import(as(t), b, true)
	require.NoError(t, err)
	assert.Empty(t, again, "a second time nothing changes")

	// A change of the rule is looked at anew.
	v, err := other.Rules.Get(as(t), there[0].Rules[0].ID)
	require.NoError(t, err)
	next := v.Body
	next.When = `name = "Quay"`
	_, err = other.Rules.Change(as(t), v.ID, contract.RuleChange{Version: v.Version, Body: next, Reason: "a test"})
	require.NoError(t, err)
	assert.Empty(t, never(t, other))
}
