package app_test

import (
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"codicil/internal/app"
	"codicil/internal/app/trail"
	"codicil/internal/contract"
	"codicil/internal/store"
)

// refusedOnes returns what the trail says was refused: how often, by what it was.
func refusedOnes(t *testing.T, a *app.App) map[string]contract.TrailEntry {
	t.Helper()
	page, err := a.Trail.Page(as(t), trail.Query{Kind: "refusal"}, "")
	require.NoError(t, err)
	found := map[string]contract.TrailEntry{}
	for _, e := range page.Entries {
		found[e.What+" "+e.Key] = e
	}
	return found
}

// What is refused is written down in a moment, so that it is still told where the program is killed.
func TestRefusalsOutliveTheProgram(t *testing.T) {
	s, err := store.Open(as(t), "")
	require.NoError(t, err)
	t.Cleanup(func() { require.NoError(t, s.Close()) })
	held := func() []store.Refusal {
		refusals, err := s.HeldRefusals(as(t))
		require.NoError(t, err)
		return refusals
	}
	a := app.New(s, morning)
	a.Watch()
	a.People.Refused(as(t), "sign-in refused", "sam")
	a.People.Refused(as(t), "sign-in refused", "sam")
	a.People.Refused(as(t), "change refused", "rule 4")
	require.Eventually(t, func() bool { return len(held()) == 2 }, time.Minute, time.Millisecond)
	killed := held()
	assert.Empty(t, refusedOnes(t, a), "the trail is told by the minute")
	a.Close()
	require.Empty(t, held(), "an orderly end tells the rest")
	assert.Equal(t, 2, refusedOnes(t, a)["sign-in refused sam"].Count)

	// A program that was killed left this behind.
	for i := range killed {
		killed[i].Key += " before"
	}
	require.NoError(t, s.HoldRefusals(as(t), killed))
	next := app.New(s, func() time.Time { return morning().Add(48 * time.Hour) })
	next.Watch()
	t.Cleanup(next.Close)
	require.Eventually(t, func() bool { return len(held()) == 0 }, time.Minute, time.Millisecond)
	entry := refusedOnes(t, next)["sign-in refused sam before"]
	assert.Equal(t, 2, entry.Count)
	assert.Equal(t, "Ada", entry.By)
	assert.Equal(t, killed[0].By.At, entry.At, "when it was, not when it could be told")
}
