package bench

import (
	"net/http/httptest"
	"path/filepath"
	"testing"
	"testing/fstest"
	"time"

	"codicil/internal/app"
	"codicil/internal/demo"
	"codicil/internal/httpapi"
	"codicil/internal/store"
)

// clock stands still on the day of the demo.
func clock() time.Time { return time.Date(2026, 11, 24, 9, 0, 0, 0, time.UTC) }

// demoStore is the demo in a data file of its own, open until the benchmark ends.
func demoStore(b *testing.B) (opened *store.Store, file string) {
	b.Helper()
	file = filepath.Join(b.TempDir(), "demo.db")
	if err := demo.Write(b.Context(), file); err != nil {
		b.Fatal(err)
	}
	opened, err := store.Open(b.Context(), file)
	if err != nil {
		b.Fatal(err)
	}
	b.Cleanup(func() { _ = opened.Close() })
	return opened, file
}

// servedDemo serves the demo over HTTP until the benchmark ends.
func servedDemo(b *testing.B) (server *httptest.Server, file string) {
	b.Helper()
	opened, file := demoStore(b)
	handler, err := httpapi.New(app.New(opened, clock), httpapi.Options{Client: fstest.MapFS{}, Guest: httpapi.As("Ada")})
	if err != nil {
		b.Fatal(err)
	}
	server = httptest.NewServer(handler)
	b.Cleanup(server.Close)
	return server, file
}
