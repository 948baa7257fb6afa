package store_test

import (
	"context"
	"crypto/rand"
	"crypto/sha256"
	"database/sql"
	"os"
	"path/filepath"
	"strings"
	"sync"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"codicil/core/field"
	"codicil/core/record"
	"codicil/internal/fault"
	"codicil/internal/store"
)

func sumOf(t *testing.T, path string) [32]byte {
	t.Helper()
	text, err := os.ReadFile(path)
	require.NoError(t, err)
	return sha256.Sum256(text)
}

// What is no file of ours is refused in words that help, and left as it is.
func TestWhatIsNotOursIsLeftUntouched(t *testing.T) {
	folder := t.TempDir()
	foreign := filepath.Join(folder, "foreign.db")
	db, err := sql.Open("sqlite3", foreign)
	require.NoError(t, err)
	_, err = db.ExecContext(t.Context(), "CREATE TABLE songs (title TEXT)")
	require.NoError(t, err)
	require.NoError(t, db.Close())
	text := filepath.Join(folder, "letter.txt")
	require.NoError(t, os.WriteFile(text, []byte(strings.Repeat("Dear all, ", 1000)), 0o644))
	newer := filepath.Join(folder, "newer.db")
	require.NoError(t, prepared(t, newer).Close())
	db, err = sql.Open("sqlite3", newer)
	require.NoError(t, err)
	_, err = db.ExecContext(t.Context(), "INSERT INTO goose_db_version (version_id, is_applied) VALUES (9999, 1)")
	require.NoError(t, err)
	require.NoError(t, db.Close())
	for path, says := range map[string]string{folder: "is a folder", foreign: "a database of another program", text: "no file of Codicil's", newer: "written by a newer release"} {
		info, err := os.Stat(path)
		require.NoError(t, err)
		var before [32]byte
		if !info.IsDir() {
			before = sumOf(t, path)
		}
		_, err = store.Open(t.Context(), path)
		require.ErrorIs(t, err, store.ErrFile, path)
		assert.ErrorContains(t, err, says)
		if !info.IsDir() {
			assert.Equal(t, before, sumOf(t, path), path)
			after, err := os.Stat(path)
			require.NoError(t, err)
			assert.Equal(t, info.Mode(), after.Mode(), path)
		}
	}
}

func TestAFileHasOneOwner(t *testing.T) {
	path := filepath.Join(t.TempDir(), "codicil.db")
	s := prepared(t, path)
	_, err := store.Open(t.Context(), path)
	require.ErrorIs(t, err, store.ErrFile)
	assert.Regexp(t, `is open in another Codicil \(process \d+ on .+, since 20\d\d-`, err.Error())
	require.NoError(t, s.Close())
	require.NoError(t, open(t, path).Close(), "it is free when the owner has gone")
}

// Before a file is brought up to date there is a copy of it, as it was.
func TestAnUpgradeMakesACopyFirst(t *testing.T) {
	s, path := landedAt(t, "13")
	require.NoError(t, s.Close())
	copies, err := filepath.Glob(path + ".schema-*")
	require.NoError(t, err)
	require.Len(t, copies, 1)
	db, err := sql.Open("sqlite3", copies[0])
	require.NoError(t, err)
	defer func() { require.NoError(t, db.Close()) }()
	var records, made int
	require.NoError(t, db.QueryRowContext(t.Context(), "SELECT COUNT(*) FROM records").Scan(&records))
	assert.Positive(t, records)
	require.NoError(t, db.QueryRowContext(t.Context(), "SELECT COUNT(*) FROM sqlite_master WHERE name = 'record_keys'").Scan(&made))
	assert.Zero(t, made, "it is as it was")
	require.NoError(t, open(t, path).Close())
	again, err := filepath.Glob(path + ".schema-*")
	require.NoError(t, err)
	assert.Len(t, again, 1, "a file that is up to date is not copied")
}

// What is written stands in the log first. A copy of the file alone is whole when nobody wrote for a while, or when it was
// closed; otherwise it is told from a whole one.
func TestACopyWithoutItsLogIsTold(t *testing.T) {
	path := filepath.Join(t.TempDir(), "codicil.db")
	s := prepared(t, path)
	copied := func(name string) string {
		text, err := os.ReadFile(path)
		require.NoError(t, err)
		to := filepath.Join(t.TempDir(), name)
		require.NoError(t, os.WriteFile(to, text, 0o600))
		return to
	}
	torn := ""
	refused := func() bool { // on a machine that stands still for so long, it is folded in before it is copied
		require.NoError(t, s.SavePreferredFormat(t.Context(), &field.Format{}, record.Stamp{Person: "1000"}))
		torn = copied("torn.db")
		other, err := store.Open(t.Context(), torn)
		if err == nil {
			require.NoError(t, other.Close())
			return false
		}
		require.ErrorIs(t, err, store.ErrFile)
		return assert.Contains(t, err.Error(), "its log "+torn+"-wal is missing")
	}
	require.Eventually(t, refused, time.Minute, time.Millisecond)
	require.NoError(t, store.WithoutLog(t.Context(), torn))
	require.NoError(t, open(t, torn).Close(), "somebody decided to go without")

	require.Eventually(t, func() bool {
		quiet, err := store.Open(t.Context(), copied("quiet.db"))
		if err != nil {
			return false
		}
		return assert.NoError(t, quiet.Close())
	}, time.Minute, 100*time.Millisecond, "it is folded in when nobody writes")
	require.Eventually(t, refused, time.Minute, time.Millisecond, "writing goes on")
	require.NoError(t, s.Close())
	require.NoError(t, open(t, copied("closed.db")).Close())

	require.NoError(t, os.Rename(path, path+".away"))
	require.NoError(t, os.WriteFile(path+"-wal", []byte("x"), 0o600))
	_, err := store.Open(t.Context(), path)
	require.ErrorIs(t, err, store.ErrFile)
	assert.Contains(t, err.Error(), "put the file back")
}

// A page that is damaged is found, told where it is met, and hinders nothing else.
func TestADamagedPageIsTold(t *testing.T) {
	path := filepath.Join(t.TempDir(), "damaged.db")
	s := prepared(t, path)
	require.NoError(t, s.Check(t.Context()))
	assert.False(t, s.Damaged())
	require.NoError(t, s.Close())

	db, err := sql.Open("sqlite3", "file:"+path)
	require.NoError(t, err)
	var page, size int64
	require.NoError(t, db.QueryRowContext(t.Context(), "SELECT rootpage FROM sqlite_master WHERE name = 'silences'").Scan(&page))
	require.NoError(t, db.QueryRowContext(t.Context(), "PRAGMA page_size").Scan(&size))
	require.NoError(t, db.Close())
	f, err := os.OpenFile(path, os.O_RDWR, 0)
	require.NoError(t, err)
	_, err = f.WriteAt([]byte(strings.Repeat("?", int(size))), (page-1)*size)
	require.NoError(t, err)
	require.NoError(t, f.Close())

	s = open(t, path)
	defer func() { require.NoError(t, s.Close()) }()
	assert.True(t, fault.Is(s.Check(t.Context()), fault.Damaged))
	assert.True(t, s.Damaged())
	_, err = s.Silences(t.Context())
	assert.True(t, fault.Is(err, fault.Damaged), "%v", err)
	_, err = s.Kinds(t.Context())
	require.NoError(t, err, "what is whole can be read")
	require.NoError(t, s.SavePreferredFormat(t.Context(), &field.Plain, record.Stamp{Person: "1000"}))
}

// Where somebody reads all the time, the log does not grow without end. How soon it is begun anew depends on how long they read.
func TestTheLogStaysShortUnderReaders(t *testing.T) {
	s := prepared(t, filepath.Join(t.TempDir(), "busy.db"))
	defer func() { require.NoError(t, s.Close()) }()
	// Something that takes a while to read.
	require.NoError(t, s.Transaction(t.Context(), func(tx *store.Store) error {
		for range 1000 {
			if err := tx.Note(t.Context(), stamp("Ada"), store.TrailEntry{What: "saved"}); err != nil {
				return err
			}
		}
		return nil
	}))
	ctx, done := context.WithCancel(t.Context())
	var readers sync.WaitGroup
	for range 6 {
		readers.Go(func() {
			for ctx.Err() == nil {
				_, _ = s.Trail(ctx, store.TrailQuery{Limit: 1000})
			}
		})
	}
	defer readers.Wait()
	defer done()
	run, err := s.AddRun(t.Context(), store.Run{What: "export", State: store.RunRunning, Subject: "{}", Started: stamp("Ada")}, 50)
	require.NoError(t, err)
	text, longest := make([]byte, 1<<20), int64(0)
	for i := range 1000 {
		_, _ = rand.Read(text)
		require.NoError(t, s.SaveRun(t.Context(), run, nil, []store.RunPiece{{Name: "file", Place: i, Text: text}}))
		size := s.Figures().LogSize
		if size < longest/2 {
			return // it was begun anew
		}
		longest = max(longest, size)
	}
	assert.Fail(t, "the log was never begun anew", "it came to %d MB", longest>>20)
}
