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
