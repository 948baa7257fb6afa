package store_test

import (
	"crypto/sha256"
	"database/sql"
	"os"
	"path/filepath"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

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
