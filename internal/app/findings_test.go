package app_test

import (
	"context"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"codicil/core/rule"
	"codicil/internal/app"
	"codicil/internal/app/runs"
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

// A look that goes on, or was stopped, leaves what the last whole one found.
func TestWhatALookFoundStaysUntilTheNextIsThrough(t *testing.T) {
	d, _ := harbourAndStore(t)
	save(t, d, document("vendor", "10", "TRAD", values{"name": "Quay Ropes"}))
	nowhere := body("vendor", rule.Default, "trading_as", rule.Effect{Lifetime: rule.WheneverBlank, Value: `"Pier"`})
	nowhere.When = `city = "Nowhere by Sea"`
	add(t, d, nowhere, rule.InForce)
	begin := func() contract.Run {
		run, err := d.Findings.Look(as(t))
		require.NoError(t, err)
		return run
	}
	last := func() contract.DataFindings {
		found, err := d.Findings.Data(as(t))
		require.NoError(t, err)
		return found
	}
	whole, _ := done(t, d, begin().ID)
	assert.Equal(t, whole.Total, whole.Done)
	require.Len(t, last().Findings, 1)
	assert.Equal(t, "value-nowhere", last().Findings[0].Code)

	// Two others work, so that it waits for its turn until it is stopped.
	over := make(chan struct{})
	var others []int64
	for range 2 {
		other, err := d.Runs.Start(as(t), string(contract.RunWhatExport), "Another", runs.Subject{}, func(context.Context, *runs.Writer) error {
			<-over
			return nil
		})
		require.NoError(t, err)
		others = append(others, other.ID)
	}
	require.Eventually(t, func() bool {
		one, err := d.Runs.Get(as(t), others[0])
		require.NoError(t, err)
		other, err := d.Runs.Get(as(t), others[1])
		require.NoError(t, err)
		return one.State == contract.RunStateRunning && other.State == contract.RunStateRunning
	}, time.Minute, time.Millisecond)
	next := begin()
	found := last()
	assert.Equal(t, []int64{whole.ID, next.ID}, []int64{found.Run.ID, found.Looking.ID})
	_, err := d.Runs.Stop(as(t), next.ID)
	require.NoError(t, err)
	assert.Equal(t, contract.RunStateStopped, ended(t, d, next.ID).State)
	close(over)
	found = last()
	assert.Nil(t, found.Looking)
	assert.Equal(t, whole.ID, found.Run.ID)
	assert.Len(t, found.Findings, 1)
}
