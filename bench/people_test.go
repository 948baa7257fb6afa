package bench

import (
	"bytes"
	"encoding/json"
	"fmt"
	"io"
	"math/rand/v2"
	"net/http"
	"slices"
	"sync"
	"sync/atomic"
	"testing"
	"time"

	"golang.org/x/sync/errgroup"
)

const (
	people = 50
	// pause is between two actions of a person.
	pause = 200 * time.Millisecond
)

// BenchmarkPeople has fifty people at work at once, with 200 ms between two actions: seven reads (lists, words, a record, a
// plan, balances, a link that is looked for) to three writes (a document entered, changed, posted). It tells how long an
// action takes in the middle, at the 95th percentile and at most, in milliseconds.
func BenchmarkPeople(b *testing.B) {
	server, _ := servedDemo(b)
	items := func(values map[string]string) map[string]any {
		of := map[string]any{}
		for key, value := range values {
			of[key] = map[string]string{"value": value}
		}
		return of
	}
	entry := func(number, text string) map[string]any {
		document := map[string]any{
			"kind": "accounting_document", "company": "10", "type": "JE", "day": "2026-11-24", "entered": items(map[string]string{"text": text, "posting_date": "2026-11-24"}),
			"lines": []any{
				map[string]any{"number": 1, "entered": items(map[string]string{"account": "590000", "debit": "25.10", "cost_centre": "K10900"})},
				map[string]any{"number": 2, "entered": items(map[string]string{"account": "159000", "credit": "25.10"})},
			},
		}
		if number != "" {
			document["record"] = number
		}
		return document
	}
	var next atomic.Int64
	var mutex sync.Mutex
	var took []time.Duration
	var group errgroup.Group
	b.ResetTimer()
	for person := range people {
		group.Go(func() error {
			r := rand.New(rand.NewPCG(7, uint64(person)))
			client := &http.Client{Transport: &http.Transport{}}
			number, version := "", 0
			ask := func(method, path string, body any) (answer struct {
				Record *struct {
					Number  string
					Version int
				}
			}, err error) {
				text, err := json.Marshal(body)
				if err != nil {
					return answer, err
				}
				request, err := http.NewRequestWithContext(b.Context(), method, server.URL+"/api/v1"+path, bytes.NewReader(text))
				if err != nil {
					return answer, err
				}
				request.Header.Set("Content-Type", "application/json")
				begun := time.Now()
				response, err := client.Do(request)
				if err != nil {
					return answer, err
				}
				told, err := io.ReadAll(response.Body)
				_ = response.Body.Close()
				mutex.Lock()
				took = append(took, time.Since(begun))
				mutex.Unlock()
				if response.StatusCode >= 400 {
					return answer, fmt.Errorf("%s: %d: %.300s", path, response.StatusCode, told)
				}
				if method == http.MethodPost && path != "/records/list" {
					err = json.Unmarshal(told, &answer)
				}
				return answer, err
			}
			list := func(selection map[string]any) func() error {
				return func() error {
					_, err := ask(http.MethodPost, "/records/list", map[string]any{"kind": []string{"vendor", "accounting_document"}[r.IntN(2)], "selection": selection, "limit": 50})
					return err
				}
			}
			get := func(path string) func() error {
				return func() error { _, err := ask(http.MethodGet, path, nil); return err }
			}
			write := func(method, path string, body any) error {
				answer, err := ask(method, path, body)
				if err == nil && answer.Record == nil {
					err = fmt.Errorf("%s: refused", path)
				}
				if err == nil {
					number, version = answer.Record.Number, answer.Record.Version
				}
				return err
			}
			round := []func() error{
				list(map[string]any{}), get("/records/vendor/V10001"),
				func() error {
					return write(http.MethodPost, "/records", map[string]any{"document": entry("", "Entered")})
				},
				list(map[string]any{"search": "qu"}), get("/plan?kind=accounting_document&company=10&type=JE&day=2026-11-24"),
				func() error {
					return write(http.MethodPost, "/records", map[string]any{"document": entry(number, "Changed"), "version": version})
				},
				get("/links/vendor?search=ha&company=10"), get("/ledgers/books/balances?by=account"), get("/ledgers/books/journal"),
				func() error {
					return write(http.MethodPost, "/records/accounting_document/"+number+"/post", map[string]any{"version": version})
				},
			}
			for at := 0; next.Add(1) <= int64(b.N); at++ {
				<-time.After(pause/2 + time.Duration(r.Int64N(int64(pause))))
				if err := round[at%len(round)](); err != nil {
					return err
				}
			}
			return nil
		})
	}
	if err := group.Wait(); err != nil {
		b.Fatal(err)
	}
	slices.Sort(took)
	at := func(part float64) float64 {
		return float64(took[int(part*float64(len(took)-1))].Microseconds()) / 1000
	}
	b.ReportMetric(at(0.5), "ms-middle")
	b.ReportMetric(at(0.95), "ms-95th")
	b.ReportMetric(at(1), "ms-most")
}
