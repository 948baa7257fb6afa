package torture

import (
	"bytes"
	"fmt"
	"math/rand/v2"
	"net/http"
	"os"
	"os/exec"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"codicil/internal/demo"
)

// server is the program that serves a file, and that may be killed in the midst of long work.
type server struct {
	t            *testing.T
	binary, path string
	process      *exec.Cmd
	url          string
	r            *rand.Rand // nil: it is never killed
	kills        int
}

func (s *server) start() { s.process, s.url = process(s.t, s.binary, s.path) }

func (s *server) does(method, path string, body, answer any) {
	s.t.Helper()
	require.NoError(s.t, ask(s.t.Context(), http.DefaultClient, method, s.url, path, body, answer))
}

type runState struct {
	ID      int64          `json:"id"`
	State   string         `json:"state"`
	Done    int            `json:"done"`
	EndedAt string         `json:"endedAt"`
	Counts  map[string]int `json:"counts"`
	Problem string         `json:"problem"`
}

// run begins long work and waits for its end; where the server is killed meanwhile, it is started again, and the work is to go
// on. It returns what came of it, and what it found.
func (s *server) run(path string, body any) (run runState, found []string) {
	s.t.Helper()
	s.does(http.MethodPost, path, body, &run)
	id := run.ID
	kill := func() <-chan time.Time { return nil }
	if s.r != nil {
		kill = func() <-chan time.Time { return time.After(time.Duration(20+s.r.IntN(300)) * time.Millisecond) }
	}
	// It is killed a few times and then left to end.
	for next, killed := kill(), 0; run.EndedAt == ""; {
		select {
		case <-next:
			require.NoError(s.t, s.process.Process.Kill())
			_ = s.process.Wait()
			s.kills++
			s.start()
			if killed++; killed < 4 {
				next = kill()
			} else {
				next = nil
			}
		case <-time.After(10 * time.Millisecond):
			s.does(http.MethodGet, fmt.Sprintf("/runs/%d", id), nil, &run)
		}
	}
	require.Equal(s.t, "done", run.State, run.Problem)
	for after := ""; ; {
		var page struct {
			Hits []struct {
				Row                        int
				Kind, Number, What, Told   string
				Company, Type, Title, Said string
			} `json:"hits"`
			Next string `json:"next"`
		}
		s.does(http.MethodGet, fmt.Sprintf("/runs/%d/hits?limit=500&after=%s", id, after), nil, &page)
		for _, h := range page.Hits {
			found = append(found, fmt.Sprintf("%d %s %s %s %s", h.Row, h.What, h.Kind, h.Number, h.Told))
		}
		if after = page.Next; after == "" {
			return run, found
		}
	}
}

// manyAtOnce loads vendors, merges those that live in one house, derives the rest again and takes the load back. It returns what
// came of each, in words.
func manyAtOnce(t *testing.T, s *server) (outcomes []string) {
	t.Helper()
	note := func(what string, run runState, found []string) {
		outcomes = append(outcomes, fmt.Sprintf("%s: %v", what, run.Counts))
		outcomes = append(outcomes, found...)
	}
	s.start()
	var file bytes.Buffer
	require.NoError(t, demo.WriteVendors(&file, 300, 7))
	var load struct {
		ID    int64  `json:"id"`
		Setup object `json:"setup"`
	}
	s.does(http.MethodPost, "/loads?kind=vendor&name=vendors.csv", file.Bytes(), &load)
	load.Setup["key"], load.Setup["missing"] = []string{}, "add"
	s.does(http.MethodPut, fmt.Sprintf("/loads/%d", load.ID), load.Setup, nil)
	loaded, found := s.run(fmt.Sprintf("/loads/%d/start", load.ID), nil)
	require.Positive(t, loaded.Counts["add"], "%v", loaded.Counts)
	note("loaded", loaded, found)

	by := object{"fields": []string{"street"}, "everywhere": false, "ignore": []string{"case"}, "near": false}
	killing := s.r
	s.r = nil // a scan that is cut off says so, and is begun anew by whoever wants it
	scan, _ := s.run("/runs/duplicates", object{"kind": "vendor", "name": "One house", "by": by})
	s.r = killing
	require.Positive(t, scan.Counts["exact"], "%v", scan.Counts)
	merged, found := s.run("/runs/merge", object{"kind": "vendor", "scan": scan.ID, "prefer": "complete", "apply": true, "reason": "They share a house"})
	require.Positive(t, merged.Counts["merge"], "%v", merged.Counts)
	note("merged", merged, found)

	derived, found := s.run("/runs/derive", object{"kind": "vendor", "selection": object{"companies": []string{"10"}}, "typed": true, "fields": []string{"payment_method", "account_holder", "credit_limit"}, "apply": true, "reason": "Rules changed"})
	note("derived", derived, found)

	back, found := s.run(fmt.Sprintf("/runs/%d/take-back", loaded.ID), nil)
	require.Positive(t, back.Counts["withdrawn"], "%v", back.Counts)
	note("taken back", back, found)

	require.NoError(t, s.process.Process.Signal(os.Interrupt))
	require.NoError(t, s.process.Wait())
	_, wrong := look(s.path, newBook())
	require.Empty(t, wrong)
	return outcomes
}

// Long work that is killed again and again comes to what it comes to when nobody kills it.
func TestLongWorkThatIsKilledComesToTheSame(t *testing.T) {
	t.Parallel()
	binary := built(t)
	seed := seeded(t)
	want := manyAtOnce(t, &server{t: t, binary: binary, path: filled(t)})
	for range max(1, rounds(t, 1)/20) {
		s := &server{t: t, binary: binary, path: filled(t), r: rand.New(rand.NewPCG(seed, seed))}
		got := manyAtOnce(t, s)
		require.Equal(t, want, got)
		assert.Positive(t, s.kills)
		seed++
	}
}
