package app_test

import (
	"context"
	"strconv"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"codicil/core/record"
	"codicil/core/rule"
	"codicil/internal/app"
	"codicil/internal/app/runs"
	"codicil/internal/contract"
	"codicil/internal/store"
)

// ended waits for the end of a run.
func ended(t *testing.T, d *app.App, id int64) (r contract.Run) {
	t.Helper()
	require.Eventually(t, func() bool {
		var err error
		r, err = d.Runs.Get(as(t), id)
		require.NoError(t, err)
		return r.EndedAt != nil
	}, time.Minute, time.Millisecond)
	return r
}

// onDisk opens the file of an installation. Who opens it closes both.
func onDisk(t *testing.T, path string) (*app.App, *store.Store) {
	t.Helper()
	s, err := store.Open(as(t), path)
	require.NoError(t, err)
	return app.New(s, morning), s
}

// done waits for a run that does all it was to do, and returns what it found.
func done(t *testing.T, d *app.App, id int64) (contract.Run, []contract.RunHit) {
	t.Helper()
	run := ended(t, d, id)
	require.Equal(t, contract.RunStateDone, run.State, run.Problem)
	page, err := d.Runs.Hits(as(t), id, "", 500)
	require.NoError(t, err)
	return run, page.Hits
}

// exported is a list as it is streamed; a run of the same list leaves the same file.
func exported(t *testing.T, d *app.App, request contract.ListRequest) (string, error) {
	t.Helper()
	var text, file strings.Builder
	err := d.Records.Export(as(t), request, &text)
	begun, startErr := d.Records.StartExport(as(t), request)
	if err != nil {
		assert.Equal(t, code(t, err), code(t, startErr))
		return "", err
	}
	require.NoError(t, startErr)
	run, _ := done(t, d, begun.ID)
	assert.True(t, run.File)
	require.NoError(t, d.Runs.Export(as(t), begun.ID, 0, &file))
	assert.Equal(t, text.String(), file.String())
	return text.String(), nil
}

// Long work is told how far it is, is paged, stopped, kept and removed, and one that fails says so.
func TestLongWorkIsKept(t *testing.T) {
	d := harbour(t)
	t.Cleanup(d.Close)
	counted, err := d.Runs.Start(as(t), "impact", "Counting", nil, func(ctx context.Context, w *runs.Writer) error {
		w.Total(5)
		for i := range 5 {
			w.Found(-(i % 2), contract.RunHit{Title: strconv.Itoa(i)})
		}
		return w.Came(ctx, 5, nil)
	})
	require.NoError(t, err)
	assert.Equal(t, contract.RunStateDone, ended(t, d, counted.ID).State)
	var all []string
	for after := ""; ; {
		page, err := d.Runs.Hits(as(t), counted.ID, after, 2)
		require.NoError(t, err)
		for _, h := range page.Hits {
			all = append(all, h.Title)
		}
		if after = page.Next; after == "" {
			break
		}
	}
	assert.Equal(t, []string{"1", "3", "0", "2", "4"}, all, "what matters more goes first")
	_, err = d.Runs.Hits(as(t), counted.ID, "x", 2)
	assert.Equal(t, "not-a-place", code(t, err))

	began := make(chan struct{})
	endless, err := d.Runs.Start(as(t), "impact", "Endless", nil, func(ctx context.Context, w *runs.Writer) error {
		w.Found(0, contract.RunHit{Title: "kept"})
		close(began)
		<-ctx.Done()
		return ctx.Err()
	})
	require.NoError(t, err)
	<-began
	assert.Equal(t, "working", code(t, d.Runs.Remove(as(t), endless.ID)))
	_, err = d.Runs.Stop(as(t), endless.ID)
	require.NoError(t, err)
	assert.Equal(t, contract.RunStateStopped, ended(t, d, endless.ID).State)
	kept, err := d.Runs.Hits(as(t), endless.ID, "", 2)
	require.NoError(t, err)
	require.Len(t, kept.Hits, 1, "what it found stays")
	assert.Equal(t, "kept", kept.Hits[0].Title)
	require.Eventually(t, func() bool { return d.Runs.Remove(as(t), endless.ID) == nil }, time.Minute, time.Millisecond)
	_, err = d.Runs.Get(as(t), endless.ID)
	assert.Equal(t, "not-found", code(t, err))

	broken, err := d.Runs.Start(as(t), "impact", "Broken", nil, func(context.Context, *runs.Writer) error { panic("secret of the program") })
	require.NoError(t, err)
	failed := ended(t, d, broken.ID)
	assert.Equal(t, contract.RunStateFailed, failed.State)
	assert.NotContains(t, failed.Problem, "secret")

	// The end of the program cuts off what works, and nothing begins any more.
	cut, err := d.Runs.Start(as(t), "impact", "Cut off", nil, func(ctx context.Context, _ *runs.Writer) error { <-ctx.Done(); return ctx.Err() })
	require.NoError(t, err)
	d.Close()
	assert.Equal(t, contract.RunStateCutOff, ended(t, d, cut.ID).State)
	_, err = d.Runs.Start(as(t), "impact", "Late", nil, nil)
	assert.Equal(t, "ending", code(t, err))
}

// A list that fills many pieces of a file comes out of its run as it is streamed.
func TestALongListIsWrittenByARun(t *testing.T) {
	d := harbour(t)
	t.Cleanup(d.Close)
	for i := range 120 {
		save(t, d, document("vendor", "10", "TRAD", values{"name": "Vendor " + strconv.Itoa(i), "street": strings.Repeat("Quay ", 10) + strconv.Itoa(i)}))
	}
	text, err := exported(t, d, contract.ListRequest{Kind: "vendor", Selection: record.Selection{Sort: "name"}})
	require.NoError(t, err)
	assert.Equal(t, 121, strings.Count(text, "\n"))
	wide, err := d.Runs.Start(as(t), "export", "Wide", runs.Subject{File: true}, func(ctx context.Context, w *runs.Writer) error {
		for i := range 40 {
			if _, err := w.Write([]byte(strings.Repeat(strconv.Itoa(i%10), 100_000))); err != nil {
				return err
			}
			if err := w.Came(ctx, i, nil); err != nil {
				return err
			}
		}
		return nil
	})
	require.NoError(t, err)
	done(t, d, wide.ID)
	var file strings.Builder
	require.NoError(t, d.Runs.Export(as(t), wide.ID, 0, &file))
	require.Len(t, file.String(), 4_000_000)
	for i := range 40 {
		require.Equal(t, strconv.Itoa(i%10), file.String()[i*100_000:i*100_000+1])
	}
}

// A run of all proofs finds those that fail, and the rules of which wrong versions pass.
func TestAllProofsRunBesideRequests(t *testing.T) {
	d := harbour(t)
	t.Cleanup(d.Close)
	fills := add(t, d, body("vendor", rule.Substitute, "street", rule.Effect{Value: `"Quay 1"`}), rule.InForce)
	given := document("vendor", "10", "TRAD", values{"name": "Lantern"})
	_, err := d.Proofs.Keep(as(t), contract.KeepRequest{Document: given, Name: "Street", Rules: []int64{fills.ID}})
	require.NoError(t, err)
	begun, err := d.Coverage.Start(as(t), contract.ProofsRequest{})
	require.NoError(t, err)
	run, hits := done(t, d, begun.ID)
	assert.Equal(t, 1, run.Counts["passed"])
	assert.Equal(t, 0, run.Counts["failed"])
	assert.Positive(t, run.Counts["versions"])
	one, err := d.Coverage.Rule(as(t), fills.ID)
	require.NoError(t, err)
	assert.Equal(t, one.Strength.Noticed, run.Counts["noticed"])
	assert.Equal(t, run.Done, run.Total)
	if len(one.Strength.Unnoticed) > 0 {
		require.Len(t, hits, 1)
		assert.Equal(t, fills.ID, hits[0].Rule)
	}

	_, err = d.Rules.Move(as(t), fills.ID, contract.RuleMove{State: rule.Suspended, Version: fills.Version, Reason: "Not now"})
	require.NoError(t, err)
	begun, err = d.Coverage.Start(as(t), contract.ProofsRequest{Kind: "vendor"})
	require.NoError(t, err)
	run, hits = done(t, d, begun.ID)
	assert.Equal(t, "Proofs of vendors", run.Title)
	assert.Equal(t, 1, run.Counts["failed"])
	require.NotEmpty(t, hits)
	assert.Equal(t, contract.RunHitWhatFail, hits[0].What)
	assert.Contains(t, hits[0].Said, "expected Quay 1, came out blank")
	_, err = d.Coverage.Start(as(t), contract.ProofsRequest{Kind: "nope"})
	assert.Equal(t, "unknown-kind", code(t, err))
}
