package backup_test

import (
	"bytes"
	"context"
	"database/sql"
	"errors"
	"fmt"
	"io"
	"os"
	"path/filepath"
	"sync"
	"testing"
	"time"

	"github.com/klauspost/compress/zstd"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	_ "github.com/ncruces/go-sqlite3/driver"

	"codicil/core/judge"
	"codicil/core/record"
	"codicil/internal/actor"
	"codicil/internal/app"
	"codicil/internal/backup"
	"codicil/internal/contract"
	"codicil/internal/demo"
	"codicil/internal/store"
)

func opened(t *testing.T, path string) *store.Store {
	t.Helper()
	s, err := store.Open(t.Context(), path)
	require.NoError(t, err)
	t.Cleanup(func() { _ = s.Close() })
	return s
}

func filled(t *testing.T) (*store.Store, string) {
	t.Helper()
	path := filepath.Join(t.TempDir(), "codicil.db")
	require.NoError(t, demo.Write(t.Context(), path))
	return opened(t, path), path
}

// taken is a backup in memory.
func taken(t *testing.T, s *store.Store) ([]byte, backup.Manifest) {
	t.Helper()
	var b bytes.Buffer
	m, err := backup.Write(t.Context(), s, demo.Morning(), &b)
	require.NoError(t, err)
	return b.Bytes(), m
}

// A backup that is taken while people save holds all that was saved before it began, and nothing half.
func TestABackupIsTakenWhilePeopleWork(t *testing.T) {
	s, path := filled(t)
	a := app.New(s, time.Now)
	defer a.Close()
	ctx := actor.With(t.Context(), actor.Named("Ada", actor.Program))
	var group sync.WaitGroup
	stop := make(chan struct{})
	saved := make(chan string, 10_000)
	for client := range 3 {
		group.Go(func() {
			for n := 0; ; n++ {
				select {
				case <-stop:
					return
				default:
				}
				answer, err := a.Records.Save(ctx, contract.SaveRequest{Document: judge.Document{Kind: "customer", Company: "10", Type: "WHOL", Entered: map[string]judge.Item{
					"name": {Value: fmt.Sprintf("Quay %d %d", client, n)}, "country": {Value: "IE"},
				}}})
				if !assert.NoError(t, err) || !assert.NotNil(t, answer.Record, "%v", answer.Outcome.Messages) {
					return
				}
				saved <- answer.Record.Number
			}
		})
	}
	for range 5 {
		<-saved
	}
	var before []string
	for done := false; !done; {
		select {
		case number := <-saved:
			before = append(before, number)
		default:
			done = true
		}
	}
	file, m := taken(t, s)
	close(stop)
	group.Wait()
	to := filepath.Join(t.TempDir(), "restored.db")
	read, err := backup.Extract(bytes.NewReader(file), to)
	require.NoError(t, err)
	assert.Equal(t, m, read)
	restored := opened(t, to)
	for _, number := range before {
		_, err := restored.Record(t.Context(), "customer", number)
		assert.NoError(t, err, number)
	}
	found, err := restored.Sound(t.Context(), nil)
	require.NoError(t, err)
	assert.Empty(t, found)
	head, err := restored.TrailHead(t.Context())
	require.NoError(t, err)
	assert.Equal(t, m.Trail, head.String())
	assert.Less(t, len(file), int(m.Size)/3, "it is packed")
	left, err := filepath.Glob(filepath.Join(filepath.Dir(path), ".codicil-backup-*"))
	require.NoError(t, err)
	assert.Empty(t, left)
}

// What was changed, cut off or made up is no backup, and leaves no file behind.
func TestWhatIsNotWholeIsNotRestored(t *testing.T) {
	s, _ := filled(t)
	file, _ := taken(t, s)
	folder := t.TempDir()
	try := func(file []byte) error {
		to := filepath.Join(folder, "x.db")
		_, err := backup.Extract(bytes.NewReader(file), to)
		_, there := os.Stat(to)
		assert.ErrorIs(t, there, os.ErrNotExist)
		return err
	}
	assert.ErrorIs(t, try(nil), backup.ErrNot)
	assert.ErrorIs(t, try([]byte("SQLite format 3\x00")), backup.ErrNot)
	for _, length := range []int{10, 200, len(file) / 2, len(file) - 1} {
		assert.ErrorIs(t, try(file[:length]), backup.ErrNot, "%d", length)
	}
	for _, at := range []int{30, len(file) / 3, len(file) - 10} {
		changed := bytes.Clone(file)
		changed[at] ^= 1
		assert.ErrorIs(t, try(changed), backup.ErrNot, "%d", at)
	}
	// Other data under the manifest of these.
	reader, err := zstd.NewReader(bytes.NewReader(file))
	require.NoError(t, err)
	plain, err := io.ReadAll(reader)
	require.NoError(t, err)
	plain[len(plain)/2] ^= 1
	var packed bytes.Buffer
	writer, err := zstd.NewWriter(&packed)
	require.NoError(t, err)
	_, err = writer.Write(plain)
	require.NoError(t, errors.Join(err, writer.Close()))
	assert.ErrorContains(t, try(packed.Bytes()), "not those that were taken")
	// A file that is there is not written over.
	to := filepath.Join(folder, "mine.db")
	require.NoError(t, os.WriteFile(to, []byte("mine"), 0o600))
	_, err = backup.Extract(bytes.NewReader(file), to)
	require.ErrorIs(t, err, os.ErrExist)
	text, err := os.ReadFile(to)
	require.NoError(t, err)
	assert.Equal(t, "mine", string(text))
}

// tampered changes the file of a store as somebody with the file in their hands could.
func tampered(t *testing.T, statements ...string) *store.Store {
	t.Helper()
	s, path := filled(t)
	require.NoError(t, s.Close())
	db, err := sql.Open("sqlite3", "file:"+path)
	require.NoError(t, err)
	for _, statement := range statements {
		_, err := db.ExecContext(t.Context(), statement)
		require.NoError(t, err, statement)
	}
	require.NoError(t, db.Close())
	return opened(t, path)
}

func TestWhatIsNotAsItShouldBeIsTold(t *testing.T) {
	for why, statement := range map[string]string{
		"balances: account":            "UPDATE balances SET debit = '1.00' WHERE what = 'account' AND ledger = 'books' AND company = '10'",
		"counts: Vendors":              "UPDATE record_counts SET count = count + 1 WHERE kind = 'vendor'",
		"have no version":              "UPDATE records SET version = 99 WHERE number = 'V10001'",
		"posted and have no posting":   "DELETE FROM postings WHERE number = 'A1000001' AND ledger = 'books'",
		"leads to a row":               "",
		"of the trail: it was changed": "UPDATE trail SET by = 'Nobody' WHERE id = 500",
	} {
		statements := []string{statement}
		if why == "leads to a row" {
			statements = []string{"PRAGMA foreign_keys = 0", "INSERT INTO sessions (hash, id, owner, begun, used, address, program) VALUES (x'00', 'x', 'nobody', '', '', '', '')"}
		}
		found, err := tampered(t, statements...).Sound(t.Context(), nil)
		require.NoError(t, err)
		text := ""
		for _, f := range found {
			text += f.What + ": " + f.Why + "\n"
		}
		assert.Contains(t, text, why)
	}
}

// Whatever somebody does to the trail with the file in their hands is found: against the trail itself, or, where all of it was
// written anew, against a head that was kept outside.
func TestTheTrailTellsWhatWasDoneToIt(t *testing.T) {
	whole, _ := filled(t)
	head, err := whole.VerifyTrail(t.Context(), nil, nil)
	require.NoError(t, err)
	require.Greater(t, head.Last, int64(1000))
	for why, c := range map[string]struct {
		statements []string
		at         int64
	}{
		"changed":  {[]string{"UPDATE trail SET note = 'x' WHERE id = 700"}, 700},
		"a hash":   {[]string{"UPDATE trail SET after = x'00' WHERE id = 701"}, 701},
		"removed":  {[]string{"DELETE FROM trail WHERE id = 600"}, 600},
		"inserted": {[]string{"UPDATE trail SET id = -id WHERE id >= 650", "INSERT INTO trail SELECT 650, at, person, by, via, address, session, what, kind, key, company, note, count, before, after, chain FROM trail WHERE id = 5", "UPDATE trail SET id = 1 - id WHERE id < 0"}, 650},
		"swapped":  {[]string{"UPDATE trail SET id = -1 WHERE id = 800", "UPDATE trail SET id = 800 WHERE id = 801", "UPDATE trail SET id = 801 WHERE id = -1"}, 800},
		"cut off":  {[]string{"DELETE FROM trail WHERE id > 900"}, 901},
		"chained":  {[]string{"UPDATE trail SET chain = x'00' WHERE id = 702"}, 702},
	} {
		_, err := tampered(t, c.statements...).VerifyTrail(t.Context(), nil, nil)
		broken, is := store.IsTrailBroken(err)
		if assert.True(t, is, "%s: %v", why, err) {
			assert.Equal(t, c.at, broken.ID, why)
		}
	}
	// What is written while it is looked at does not make it look broken.
	busy := tampered(t)
	later, err := busy.VerifyTrail(t.Context(), nil, func(h store.TrailHead) error {
		if h.Last > head.Last {
			return nil
		}
		return busy.Note(t.Context(), record.Stamp{}, store.TrailEntry{What: "exported", Kind: "trail"})
	})
	require.NoError(t, err)
	assert.Greater(t, later.Last, head.Last)
	// An entry that was put behind the last is found.
	_, err = tampered(t, "INSERT INTO trail SELECT id + 1, at, person, by, via, address, session, what, kind, key, company, note, count, before, after, chain FROM trail WHERE id = (SELECT last FROM trail_head)").VerifyTrail(t.Context(), nil, nil)
	behind, is := store.IsTrailBroken(err)
	require.True(t, is)
	assert.Equal(t, head.Last+1, behind.ID)
	// Cut off, and the file told so: the trail by itself is whole.
	short := tampered(t, "DELETE FROM trail WHERE id > 900", "UPDATE trail_head SET last = 900, chain = (SELECT chain FROM trail WHERE id = 900)")
	_, err = short.VerifyTrail(t.Context(), nil, nil)
	require.NoError(t, err)
	_, err = short.VerifyTrail(t.Context(), map[int64][]byte{head.Last: head.Chain}, nil)
	broken, is := store.IsTrailBroken(err)
	require.True(t, is)
	assert.Equal(t, int64(901), broken.ID)
	other, err := store.ParseTrailHead(head.String())
	require.NoError(t, err)
	assert.Equal(t, head, other)
	_, err = whole.VerifyTrail(context.Background(), map[int64][]byte{500: []byte("another")}, nil)
	broken, is = store.IsTrailBroken(err)
	require.True(t, is)
	assert.Equal(t, int64(500), broken.ID)
}
