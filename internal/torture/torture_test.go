// Package torture takes the server away from clients that write: it kills it, takes the power, fills the disk. After each
// restart everything that was acknowledged is there once, and everything fits together.
package torture

import (
	"bufio"
	"context"
	"errors"
	"fmt"
	"log/slog"
	"math/rand/v2"
	"net/http"
	"net/http/httptest"
	"os"
	"os/exec"
	"path/filepath"
	"strconv"
	"strings"
	"sync"
	"testing"
	"testing/fstest"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"codicil/internal/actor"
	"codicil/internal/app"
	"codicil/internal/contract"
	"codicil/internal/demo"
	"codicil/internal/httpapi"
	"codicil/internal/standard"
	"codicil/internal/store"
)

// What is taken away complains in the log, a thousand times.
func init() { slog.SetDefault(slog.New(slog.DiscardHandler)) }

// rounds is how often the server is taken away; CODICIL_TORTURE says how often.
func rounds(t *testing.T, least int) int {
	t.Helper()
	if n, err := strconv.Atoi(os.Getenv("CODICIL_TORTURE")); err == nil {
		return n
	}
	return least
}

const (
	clients = 4
	// perFile is how many rounds one file takes; looking at it grows with what is in it.
	perFile = 25
)

// seeded makes the rounds of a test different each time they are many, and tells how to have them again.
func seeded(t *testing.T) uint64 {
	t.Helper()
	seed := uint64(time.Now().UnixNano())
	if text := os.Getenv("CODICIL_SEED"); text != "" {
		seed, _ = strconv.ParseUint(text, 10, 64)
	}
	t.Logf("CODICIL_SEED=%d", seed)
	return seed
}

func filled(t *testing.T) string {
	t.Helper()
	file, err := once()
	require.NoError(t, err)
	path := filepath.Join(t.TempDir(), "brinewell.db")
	require.NoError(t, os.WriteFile(path, file, 0o600))
	return path
}

// key is by what the clients are known in every file, once one was filled.
var key string

// once is the demo with a key for the clients.
var once = sync.OnceValues(func() (file []byte, err error) {
	folder, err := os.MkdirTemp("", "codicil-torture-")
	if err != nil {
		return nil, err
	}
	defer func() { err = errors.Join(err, os.RemoveAll(folder)) }()
	path := filepath.Join(folder, "brinewell.db")
	if err := demo.Write(context.Background(), path); err != nil {
		return nil, err
	}
	s, err := store.Open(context.Background(), path)
	if err != nil {
		return nil, err
	}
	a := app.New(s, time.Now)
	change := contract.KeyChange{Name: "Clients", Everywhere: true, Ends: time.Now().AddDate(0, 1, 0).Format(time.DateOnly)}
	for _, p := range actor.Permissions {
		change.Permissions = append(change.Permissions, string(p))
	}
	added, err := a.Keys.Add(actor.With(context.Background(), actor.Named(demo.First, actor.CommandLine)), change)
	key = added.Token
	a.Close()
	if err := errors.Join(err, s.Close()); err != nil {
		return nil, err
	}
	return os.ReadFile(path)
})

// served serves a file of a disk within this process. stop ends it, as well as it can.
func served(ctx context.Context, path, disk string) (url string, stop func() error, err error) {
	s, err := store.OpenOn(ctx, path, disk)
	if err != nil {
		return "", nil, err
	}
	a := app.New(s, func() time.Time { return demo.Morning().Add(time.Hour) })
	if err = standard.Bring(ctx, s); err == nil {
		err = a.Resume(ctx)
	}
	handler, wrong := httpapi.New(a, httpapi.Options{Client: fstest.MapFS{"index.html": {Data: []byte("<title>Codicil</title>")}}, Guest: httpapi.As("Ada")})
	if err == nil {
		err = wrong
	}
	if err != nil {
		a.Close()
		_ = s.Close()
		return "", nil, err
	}
	server := httptest.NewServer(handler)
	return server.URL, func() error {
		server.Close()
		a.Close()
		return s.Close()
	}, nil
}

// powerCuts takes the power away so many times, and says what was wrong after one; nil: nothing ever was.
func powerCuts(t *testing.T, name string, lies bool, count int, seed uint64) []string {
	d := newDisk(name)
	d.lies = lies
	r := rand.New(rand.NewPCG(seed, seed))
	var path string
	var b *book
	told := 0
	for round := range count {
		if round%perFile == 0 {
			path, b = filled(t), newBook()
		}
		// Often soon, so that opening and the first writes are met, and sometimes late.
		late := r.IntN(13)
		if round == count-1 { // once at least something is written
			late = 14
		}
		d.left.Store(int64(1) << late * int64(8+r.IntN(8)) / 8)
		url, stop, err := served(t.Context(), path, name)
		if err == nil {
			if err := work(t.Context(), url, b, clients, r.Uint64(), 2*time.Second); err != nil {
				return []string{fmt.Sprintf("round %d: %v", round, err)}
			}
			_ = stop() // the power may go now, too
		}
		d.off.Store(true)
		require.NoError(t, d.lose(r))
		_, stop, err = served(t.Context(), path, name)
		if err != nil {
			return []string{fmt.Sprintf("round %d: it does not start again: %v", round, err)}
		}
		if err := stop(); err != nil {
			return []string{fmt.Sprintf("round %d: it does not stop: %v", round, err)}
		}
		d.settled()
		found, wrong := look(path, b)
		if len(wrong) > 0 {
			return append([]string{fmt.Sprintf("round %d", round)}, wrong...)
		}
		told = max(told, len(found)+len(b.practice))
		b.settle(found)
	}
	t.Logf("at most %d documents and postings in a file", told)
	assert.Positive(t, told, "something was written")
	return nil
}

func TestWhatWasAcknowledgedStaysWhenThePowerGoes(t *testing.T) {
	t.Parallel()
	assert.Empty(t, powerCuts(t, "power", false, rounds(t, 5), seeded(t)))
}

// The test above would find it: where syncing does nothing, what was acknowledged is lost.
func TestWithoutSyncingWhatWasAcknowledgedIsLost(t *testing.T) {
	t.Parallel()
	wrong := powerCuts(t, "lies", true, 30, seeded(t))
	assert.NotEmpty(t, wrong)
	t.Log(strings.Join(wrong[:min(len(wrong), 3)], "\n"))
}

func built(t *testing.T) string {
	t.Helper()
	binary := filepath.Join(t.TempDir(), "codicil")
	out, err := exec.CommandContext(t.Context(), "go", "build", "-o", binary, "codicil/cmd/codicil").CombinedOutput()
	require.NoError(t, err, "%s", out)
	return binary
}

// process serves a file by a program of its own.
func process(t *testing.T, binary, path string) (p *exec.Cmd, url string) {
	t.Helper()
	p = exec.CommandContext(t.Context(), binary, "serve", "--data", path, "--address", "127.0.0.1:0")
	out, err := p.StdoutPipe()
	require.NoError(t, err)
	log, err := os.OpenFile(path+".log", os.O_CREATE|os.O_APPEND|os.O_WRONLY, 0o600)
	require.NoError(t, err)
	p.Stderr = log
	require.NoError(t, p.Start())
	require.NoError(t, log.Close())
	for lines := bufio.NewScanner(out); lines.Scan(); {
		if _, address, ok := strings.Cut(lines.Text(), "Codicil is at "); ok {
			return p, address
		}
	}
	text, _ := os.ReadFile(path + ".log")
	require.Fail(t, "it does not start", "%s", text)
	return nil, ""
}

func TestWhatWasAcknowledgedStaysWhenTheServerIsKilled(t *testing.T) {
	t.Parallel()
	binary := built(t)
	seed := seeded(t)
	r := rand.New(rand.NewPCG(seed, seed))
	var path string
	var b *book
	for round := range rounds(t, 3) {
		if round%perFile == 0 {
			path, b = filled(t), newBook()
		}
		p, url := process(t, binary, path)
		time.AfterFunc(time.Duration(r.IntN(600))*time.Millisecond, func() { _ = p.Process.Kill() })
		require.NoError(t, work(t.Context(), url, b, clients, r.Uint64(), time.Minute), "round %d", round)
		_ = p.Wait()
		// The next one finishes what was begun, and ends as it should.
		p, _ = process(t, binary, path)
		require.NoError(t, p.Process.Signal(os.Interrupt))
		require.NoError(t, p.Wait(), "round %d", round)
		found, wrong := look(path, b)
		require.Empty(t, wrong, "round %d", round)
		b.settle(found)
	}
	assert.NotEmpty(t, b.entries, "something was written")
}

func TestASecondServerOnAFileIsRefused(t *testing.T) {
	t.Parallel()
	binary, path := built(t), filled(t)
	_, url := process(t, binary, path)
	out, err := exec.CommandContext(t.Context(), binary, "serve", "--data", path, "--address", "127.0.0.1:0").CombinedOutput()
	require.Error(t, err)
	assert.Contains(t, string(out), "is open in another Codicil (process ")
	b := newBook()
	require.NoError(t, work(t.Context(), url, b, 1, 1, 200*time.Millisecond))
	assert.NotEmpty(t, b.entries, "the first goes on")
}

func TestAFullDiskLosesNothing(t *testing.T) {
	t.Parallel()
	d, path, b := newDisk("full"), filled(t), newBook()
	url, stop, err := served(t.Context(), path, "full")
	require.NoError(t, err)
	d.room.Store(200_000)
	require.NoError(t, work(t.Context(), url, b, clients, 1, time.Minute), "until it is full")
	assert.NotEmpty(t, b.entries)
	c := &client{url: url, book: b, r: rand.New(rand.NewPCG(1, 1)), http: http.DefaultClient}
	err = c.enter(t.Context())
	require.ErrorContains(t, err, `503: {"code":"disk-full"`)
	require.ErrorContains(t, err, "Make room on the disk")
	var page struct {
		Total int `json:"total"`
	}
	require.NoError(t, c.ask(t.Context(), "/records/list", object{"kind": "accounting_document", "selection": object{}, "limit": 10}, &page), "reading goes on")
	assert.Positive(t, page.Total)
	d.room.Store(-1)
	require.NoError(t, c.enter(t.Context()), "there is room again")
	require.NoError(t, stop())
	_, wrong := look(path, b)
	assert.Empty(t, wrong)
}

func TestAFileThatCanOnlyBeReadIsTold(t *testing.T) {
	t.Parallel()
	d, path := newDisk("only-read"), filled(t)
	d.onlyRead.Store(true)
	_, _, err := served(t.Context(), path, "only-read")
	require.ErrorContains(t, err, "the data file can only be read. Let the user who runs Codicil write it")
	d.onlyRead.Store(false)
	_, stop, err := served(t.Context(), path, "only-read")
	require.NoError(t, err)
	require.NoError(t, stop())
}
