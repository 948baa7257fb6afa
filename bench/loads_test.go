package bench

import (
	"bufio"
	"context"
	"os"
	"path/filepath"
	"strconv"
	"testing"
	"time"

	"github.com/stretchr/testify/require"

	"codicil/internal/actor"
	"codicil/internal/app"
	"codicil/internal/contract"
	"codicil/internal/demo"
	"codicil/internal/store"
)

// loadedVendors is how many vendors are loaded, unless CODICIL_VENDORS says how many; the aim is stated for 100,000.
const loadedVendors = 5000

// BenchmarkLoad loads vendors through the demo's rules, the comparison with almost equal names among them, into a
// file on the disk: checked first, then loaded, then taken back.
func BenchmarkLoad(b *testing.B) {
	vendors := loadedVendors
	if asked := os.Getenv("CODICIL_VENDORS"); asked != "" {
		var err error
		vendors, err = strconv.Atoi(asked)
		require.NoError(b, err)
	}
	for b.Loop() {
		path := filepath.Join(b.TempDir(), "load.db")
		require.NoError(b, demo.Write(b.Context(), path))
		s, err := store.Open(b.Context(), path)
		require.NoError(b, err)
		d := app.New(s, time.Now)
		ctx := actor.With(b.Context(), actor.Named(demo.Author, actor.CommandLine))
		name := filepath.Join(b.TempDir(), "vendors.csv")
		file, err := os.Create(name)
		require.NoError(b, err)
		out := bufio.NewWriter(file)
		require.NoError(b, demo.WriteVendors(out, vendors, 7))
		require.NoError(b, out.Flush())
		_, err = file.Seek(0, 0)
		require.NoError(b, err)
		l, err := d.Loads.Bring(ctx, "vendor", "vendors.csv", file)
		require.NoError(b, err)
		setup := l.Setup
		setup.Reasons = map[string]string{}
		_, err = d.Loads.SetUp(ctx, l.ID, setup)
		require.NoError(b, err)
		var last int64
		for _, step := range []struct {
			unit  string
			begin func() (contract.Run, error)
		}{
			{"checked/s", func() (contract.Run, error) { return d.Loads.Check(ctx, l.ID) }},
			{"loaded/s", func() (contract.Run, error) { return d.Loads.Start(ctx, l.ID) }},
			{"taken-back/s", func() (contract.Run, error) { return d.TakeBack.Start(ctx, last) }},
		} {
			begun := time.Now()
			run, err := step.begin()
			require.NoError(b, err)
			last = run.ID
			run = finished(ctx, b, d, run.ID)
			b.ReportMetric(float64(run.Done)/time.Since(begun).Seconds(), step.unit)
			b.Log(run.What, run.Counts)
		}
		d.Close()
		require.NoError(b, s.Close())
	}
}

// finished waits for a run that does all it was to do.
func finished(ctx context.Context, b *testing.B, d *app.App, id int64) (run contract.Run) {
	b.Helper()
	require.Eventually(b, func() bool {
		var err error
		run, err = d.Runs.Get(ctx, id)
		return err != nil || run.EndedAt != nil
	}, time.Hour, 10*time.Millisecond)
	require.Equal(b, contract.RunStateDone, run.State, run.Problem)
	return run
}
