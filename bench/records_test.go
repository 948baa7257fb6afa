package bench

import (
	"math/rand/v2"
	"os"
	"path/filepath"
	"testing"
	"time"

	"codicil/core/field"
	"codicil/core/match"
	"codicil/core/record"
	"codicil/internal/actor"
	"codicil/internal/app"
	"codicil/internal/demo"
	"codicil/internal/store"
)

// manyRecords opens the file that CODICIL_FILE names, or one of middling size, which is generated; see make
// bench-large.
func manyRecords(b *testing.B) *store.Store {
	b.Helper()
	path := os.Getenv("CODICIL_FILE")
	if path == "" {
		path = filepath.Join(b.TempDir(), "middling.db")
		begun := time.Now()
		if err := demo.Generate(b.Context(), path, demo.Size{Vendors: 2000, Documents: 4000}, 1, func(string, int, int) {}); err != nil {
			b.Fatal(err)
		}
		b.Logf("2,000 vendors and 4,000 documents in %s", time.Since(begun).Round(time.Second))
	}
	s, err := store.Open(b.Context(), path)
	if err != nil {
		b.Fatal(err)
	}
	b.Cleanup(func() { _ = s.Close() })
	return s
}

// BenchmarkRecords measures pages of lists, words, links and unique checks over many records.
func BenchmarkRecords(b *testing.B) {
	s := manyRecords(b)
	ctx := actor.With(b.Context(), actor.Named("Ada", actor.CommandLine))
	kinds, err := s.Kinds(ctx)
	if err != nil {
		b.Fatal(err)
	}
	kind := func(key string) *record.Kind {
		for i := range kinds {
			if kinds[i].Key == key {
				return &kinds[i]
			}
		}
		b.Fatal(key)
		return nil
	}
	b.Run("what a start looks for that is not finished", func(b *testing.B) {
		for range b.N {
			a := app.New(s, time.Now)
			if err := a.Resume(ctx); err != nil {
				b.Fatal(err)
			}
			a.Close()
		}
	})
	documents, vendors := kind("accounting_document"), kind("vendor")
	for _, c := range []struct {
		name string
		kind *record.Kind
		s    record.Selection
	}{
		{"a page by number", documents, record.Selection{}}, {"a page by day", documents, record.Selection{Sort: "posting_date", Descending: true}}, {"a page by partner", documents, record.Selection{Sort: "vendor"}},
		{"a page by amount of a company", documents, record.Selection{Sort: "total", Descending: true, Companies: []string{"30"}}}, {"a page by change", documents, record.Selection{Sort: record.ByChange, Descending: true}},
		{"a page by an order that is not kept", documents, record.Selection{Sort: "due_on"}}, {"a page by words that few have", documents, record.Selection{Search: "wex boil"}}, {"a page by a word that all have", documents, record.Selection{Search: "paperwork"}},
		{"a page by two letters", vendors, record.Selection{Search: "ho"}}, {"a page of vendors by name", vendors, record.Selection{Sort: "name"}},
	} {
		b.Run(c.name, func(b *testing.B) {
			for range b.N {
				selector, wrong := record.NewSelector(c.kind, c.s, field.Plain)
				if wrong != nil {
					b.Fatal(wrong)
				}
				if _, err := s.List(ctx, store.ListQuery{Selector: selector, Limit: 100}); err != nil {
					b.Fatal(err)
				}
			}
		})
	}
	var names []string
	for r, err := range s.Records(ctx, "vendor", nil) {
		if err != nil {
			b.Fatal(err)
		}
		if names = append(names, r.Values["name"]); len(names) == 1000 {
			break
		}
	}
	r := rand.New(rand.NewPCG(1, 1))
	for name, near := range map[string]bool{"a unique check": false, "a check for almost equal names": true} {
		u := match.Unique{Fields: []string{"name"}, Ignore: match.Differences{match.Case}, Near: near}
		ask := func() {
			text := names[r.IntN(len(names))]
			key, _ := u.Ignore.Key([]string{text})
			if _, err := s.SameRecords(ctx, vendors, u, "10", key, []string{text}); err != nil {
				b.Fatal(err)
			}
		}
		ask() // the keys are made
		b.Run(name, func(b *testing.B) {
			for range b.N {
				ask()
			}
		})
	}
}
