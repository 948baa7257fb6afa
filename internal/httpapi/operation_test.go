package httpapi_test

import (
	"bytes"
	"compress/gzip"
	"io"
	"log/slog"
	"net/http"
	"sync"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"codicil/internal/contract"
	"codicil/internal/store"
)

func TestTheServerTellsThatItIsThereAndWhatWasAsked(t *testing.T) {
	c := start(t)
	var log bytes.Buffer
	before := slog.Default()
	t.Cleanup(func() { slog.SetDefault(before) })
	slog.SetDefault(slog.New(slog.NewJSONHandler(&log, nil)))
	for path, status := range map[string]int{"/healthz": http.StatusOK, "/readyz": http.StatusOK, "/api/v1/records/vendor/V0?secret=1": http.StatusNotFound} {
		answer, err := http.Get(c.server.URL + path)
		require.NoError(t, err)
		_ = answer.Body.Close()
		assert.Equal(t, status, answer.StatusCode, path)
		id := answer.Header.Get("X-Request-Id")
		assert.Len(t, id, 12)
		assert.Contains(t, log.String(), id)
	}
	assert.Contains(t, log.String(), `"path":"/api/v1/records/vendor/V0","status":404`)
	assert.NotContains(t, log.String(), "secret")

	answer, err := http.Get(c.server.URL + "/metrics")
	require.NoError(t, err)
	text, err := io.ReadAll(answer.Body)
	require.NoError(t, err)
	_ = answer.Body.Close()
	for _, line := range []string{
		`codicil_request_seconds_count{method="GET",path="/api/v1/records/:kind/:number",status="404"} 1`,
		`codicil_request_seconds_count{method="",path="other",status="200"} 2`,
		"codicil_damaged 0", "codicil_runs 0", "codicil_requests_under_way 1", "\ncodicil_data_bytes ", "\ncodicil_commits_total ", "\ngo_goroutines ",
	} {
		assert.Contains(t, string(text), line)
	}
}

// Answers are compressed for whom reads that, and say the same; short ones and what is told as it happens are not.
func TestAnswersAreCompressed(t *testing.T) {
	c := start(t)
	read := func(path, accepts string) (http.Header, string) {
		request, err := http.NewRequestWithContext(t.Context(), http.MethodGet, c.server.URL+path, http.NoBody)
		require.NoError(t, err)
		request.Header.Set("Accept-Encoding", accepts)
		answer, err := http.DefaultTransport.RoundTrip(request)
		require.NoError(t, err)
		defer func() { _ = answer.Body.Close() }()
		var from io.Reader = answer.Body
		if answer.Header.Get("Content-Encoding") == "gzip" {
			from, err = gzip.NewReader(answer.Body)
			require.NoError(t, err)
		}
		text, err := io.ReadAll(from)
		require.NoError(t, err)
		return answer.Header, string(text)
	}
	for _, path := range []string{"/api/v1/catalog", "/api/v1/plan?kind=vendor&company=10&type=TRAD&day=2026-11-24"} {
		plain, want := read(path, "identity")
		assert.Empty(t, plain.Get("Content-Encoding"), path)
		packed, got := read(path, "gzip, br")
		assert.Equal(t, "gzip", packed.Get("Content-Encoding"), path)
		assert.Contains(t, packed.Get("Vary"), "Accept-Encoding", path)
		assert.Equal(t, want, got, path)
	}
	for _, path := range []string{"/healthz", "/api/v1/news?once=true"} {
		head, _ := read(path, "gzip")
		assert.Empty(t, head.Get("Content-Encoding"), path)
	}
}

// A client that has very many requests under way waits for some of them; others do not wait for it.
func TestAClientHoldsOnlySoMuch(t *testing.T) {
	c := start(t)
	hold := make(chan struct{})
	var group sync.WaitGroup
	statuses := make(chan int, 300)
	for range 260 {
		group.Go(func() {
			// The body does not come before it is let go.
			body, write := io.Pipe()
			request, err := http.NewRequestWithContext(t.Context(), http.MethodPost, c.server.URL+"/api/v1/formulas/check", body)
			if !assert.NoError(t, err) {
				return
			}
			go func() {
				_, _ = write.Write([]byte(`{"formula":`))
				<-hold
				_ = write.Close()
			}()
			request.Header.Set("Content-Type", "application/json")
			answer, err := (&http.Client{Transport: &http.Transport{}}).Do(request)
			if assert.NoError(t, err) {
				_ = answer.Body.Close()
				statuses <- answer.StatusCode
			}
		})
	}
	for range 60 {
		assert.Equal(t, http.StatusTooManyRequests, <-statuses)
	}
	c.refused(http.MethodGet, "/catalog", nil, http.StatusTooManyRequests, "too-many-requests")
	close(hold)
	group.Wait()
	var catalog contract.Catalog
	assert.Equal(t, http.StatusOK, c.ask(http.MethodGet, "/catalog", nil, &catalog), "it goes on")
	assert.Equal(t, store.Schema(), catalog.Program.Schema)
}

func TestWhatTheContractDoesNotAllowIsToldAtItsPlace(t *testing.T) {
	c := start(t)
	document := map[string]any{"kind": "vendor", "company": "10", "type": "SERV", "day": "2026-01-01", "entered": map[string]any{}}
	for want, body := range map[string]any{
		"document.company: property \"company\" is missing":                             map[string]any{"document": map[string]any{"kind": "vendor"}},
		"document: property \"document\" is missing":                                    map[string]any{},
		"the request: value must be an object":                                          "x",
		"format.date: value is not one of the allowed values [\"dmy\",\"mdy\",\"ymd\"]": map[string]any{"document": document, "format": map[string]any{"decimal": ",", "group": ".", "date": "zzz", "separator": "."}},
	} {
		p := c.refused(http.MethodPost, "/records", body, http.StatusBadRequest, "bad-request")
		assert.Equal(t, want, p.Detail)
	}
}
