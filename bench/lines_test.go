package bench

import (
	"bytes"
	"encoding/json"
	"fmt"
	"io"
	"net/http"
	"testing"
)

// BenchmarkManyLines shows documents with many lines on the plan of the demo, over HTTP and
// with their trace: the time of a line must not grow with the number of lines.
func BenchmarkManyLines(b *testing.B) {
	server, _ := servedDemo(b)
	documents := map[string]struct {
		header, line map[string]any
	}{
		"sales_order SO":         {map[string]any{"customer": item("C10001")}, map[string]any{"item": item("I1001"), "quantity": item("2"), "price": item("19")}},
		"accounting_document VI": {map[string]any{"vendor": item("V10001")}, map[string]any{"account": item("5000"), "debit": item("19")}},
	}
	for name, d := range documents {
		for _, count := range []int{100, 1000, 10000} {
			b.Run(fmt.Sprintf("%s/%d", name, count), func(b *testing.B) {
				var lines []any
				for n := range count {
					lines = append(lines, map[string]any{"number": n + 1, "entered": d.line})
				}
				var kind, kindType string
				_, _ = fmt.Sscan(name, &kind, &kindType)
				body, err := json.Marshal(map[string]any{"document": map[string]any{"kind": kind, "company": "10", "type": kindType, "day": "2026-11-24", "entered": d.header, "lines": lines}})
				if err != nil {
					b.Fatal(err)
				}
				size := 0
				for range b.N {
					answer, err := http.Post(server.URL+"/api/v1/try", "application/json", bytes.NewReader(body))
					if err != nil {
						b.Fatal(err)
					}
					text, _ := io.ReadAll(answer.Body)
					_ = answer.Body.Close()
					if answer.StatusCode != http.StatusOK {
						b.Fatalf("%d: %.300s", answer.StatusCode, text)
					}
					size = len(text)
				}
				b.ReportMetric(float64(b.Elapsed().Microseconds())/float64(b.N*count), "us/line")
				b.ReportMetric(float64(size)/float64(count), "bytes/line")
			})
		}
	}
}

func item(value string) map[string]string { return map[string]string{"value": value} }

// BenchmarkSavedLines saves an invoice with many lines once more, with another amount in the last: what is compared with what was
// saved before must not grow with the square of the lines.
func BenchmarkSavedLines(b *testing.B) {
	server, _ := servedDemo(b)
	for _, count := range []int{100, 1000, 10000} {
		b.Run(fmt.Sprint(count), func(b *testing.B) {
			save := func(number string, version int, amount string) (string, int) {
				var lines []any
				for n := range count {
					line := map[string]any{"debit": item("19"), "text": item("Salt")}
					if n == count-1 {
						line["debit"] = item(amount)
					}
					lines = append(lines, map[string]any{"number": n + 1, "entered": line})
				}
				body, err := json.Marshal(map[string]any{"version": version, "document": map[string]any{"kind": "accounting_document", "company": "10", "type": "VI", "record": number, "entered": map[string]any{"vendor": item("V10001")}, "lines": lines}})
				if err != nil {
					b.Fatal(err)
				}
				answer, err := http.Post(server.URL+"/api/v1/records", "application/json", bytes.NewReader(body))
				if err != nil {
					b.Fatal(err)
				}
				defer func() { _ = answer.Body.Close() }()
				var saved struct {
					Record *struct {
						Number  string `json:"number"`
						Version int    `json:"version"`
					} `json:"record"`
					Detail string `json:"detail"`
				}
				if err := json.NewDecoder(answer.Body).Decode(&saved); err != nil || saved.Record == nil {
					b.Fatalf("%d: %v %s", answer.StatusCode, err, saved.Detail)
				}
				return saved.Record.Number, saved.Record.Version
			}
			number, version := save("", 0, "19")
			b.ResetTimer()
			for i := range b.N {
				_, version = save(number, version, fmt.Sprint(20+i%2))
			}
			b.ReportMetric(float64(b.Elapsed().Microseconds())/float64(b.N*count), "us/line")
		})
	}
}
