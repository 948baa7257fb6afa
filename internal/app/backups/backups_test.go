package backups_test

import (
	"bufio"
	"bytes"
	"context"
	"os"
	"path/filepath"
	"strings"
	"sync"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"codicil/internal/actor"
	"codicil/internal/app"
	"codicil/internal/app/backups"
	"codicil/internal/demo"
	"codicil/internal/store"
)

func TestBackupsAreMadeByASchedule(t *testing.T) {
	path := filepath.Join(t.TempDir(), "codicil.db")
	require.NoError(t, demo.Write(t.Context(), path))
	s, err := store.Open(t.Context(), path)
	require.NoError(t, err)
	defer func() { require.NoError(t, s.Close()) }()
	now := demo.Morning()
	a := app.New(s, func() time.Time { return now })
	defer a.Close()
	folder, heads := filepath.Join(t.TempDir(), "backups"), filepath.Join(t.TempDir(), "heads")
	plan := backups.Plan{Folder: folder, Every: 24 * time.Hour, Keep: 2, Heads: heads}
	files := func() []string {
		found, err := filepath.Glob(filepath.Join(folder, "*"))
		require.NoError(t, err)
		for i := range found {
			found[i] = filepath.Base(found[i])
		}
		return found
	}
	run := func(until func() bool) {
		ctx, stop := context.WithCancel(t.Context())
		var group sync.WaitGroup
		group.Go(func() { a.Backups.Run(ctx, plan) })
		require.Eventually(t, until, 30*time.Second, 5*time.Millisecond)
		stop()
		group.Wait()
	}
	run(func() bool { return len(files()) == 1 && strings.HasSuffix(files()[0], ".backup") })
	now = now.Add(time.Hour)
	first := files()[0]
	run(func() bool { text, _ := os.ReadFile(heads); return len(text) > 0 })
	assert.Equal(t, []string{first}, files(), "the last is young enough")
	for range 3 {
		now = now.Add(25 * time.Hour)
		want := "codicil-" + now.Format("20060102-150405") + ".backup"
		run(func() bool { all := files(); return all[len(all)-1] == want && len(all) <= 2 })
	}
	assert.Len(t, files(), 2)
	assert.NotContains(t, files(), first)
	assert.Empty(t, a.Backups.Problem())

	text, err := os.ReadFile(heads)
	require.NoError(t, err)
	kept := map[int64][]byte{}
	for lines := bufio.NewScanner(bytes.NewReader(text)); lines.Scan(); {
		h, err := store.ParseTrailHead(lines.Text())
		require.NoError(t, err)
		kept[h.Last] = h.Chain
	}
	assert.NotEmpty(t, kept)
	_, err = s.VerifyTrail(t.Context(), kept, nil)
	require.NoError(t, err)

	// What cannot be made is said, and in the trail.
	require.NoError(t, os.WriteFile(filepath.Join(t.TempDir(), "no"), nil, 0o600))
	plan = backups.Plan{Folder: filepath.Join(heads, "in-a-file"), Every: time.Hour}
	run(func() bool { return a.Backups.Problem() != "" })
	assert.Contains(t, a.Backups.Problem(), "was not made")
	trail, err := s.Trail(t.Context(), store.TrailQuery{Kind: "backup", What: "failed", Limit: 10})
	require.NoError(t, err)
	assert.Len(t, trail, 1)
}

func TestABackupIsMadeByWhoMay(t *testing.T) {
	s, err := store.Open(t.Context(), filepath.Join(t.TempDir(), "codicil.db"))
	require.NoError(t, err)
	defer func() { require.NoError(t, s.Close()) }()
	a := app.New(s, time.Now)
	defer a.Close()
	who := actor.Actor{ID: "p", Name: "P"}
	who.Rights.Give(actor.BackupMake, nil)
	who.Rights.Companies = []string{"10"}
	var b bytes.Buffer
	_, err = a.Backups.Make(actor.With(t.Context(), who), &b)
	require.ErrorContains(t, err, "companies that are not yours")
	assert.Empty(t, b.Bytes())
	who.Rights.Everywhere = true
	_, err = a.Backups.Make(actor.With(t.Context(), who), &b)
	require.NoError(t, err)
	assert.NotEmpty(t, b.Bytes())
}
