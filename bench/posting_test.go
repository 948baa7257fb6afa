package bench

import (
	"bytes"
	"database/sql"
	"encoding/json"
	"fmt"
	"io"
	"net/http"
	"testing"
	"time"
)

// BenchmarkPosting posts a sales order with two lines to the practice ledger over HTTP, one
// request after the other, each on the disk before it is answered; and beside it inserts the
// same rows by SQL alone, as durably.
func BenchmarkPosting(b *testing.B) {
	server, file := servedDemo(b)
	line := map[string]any{"item": map[string]string{"value": "I1001"}, "quantity": map[string]string{"value": "2"}, "price": map[string]string{"value": "19"}}
	body, err := json.Marshal(map[string]any{"document": map[string]any{
		"kind": "sales_order", "company": "10", "type": "SO", "day": "2026-11-24", "entered": map[string]any{"customer": map[string]string{"value": "C10001"}},
		"lines": []any{map[string]any{"number": 1, "entered": line}, map[string]any{"number": 2, "entered": line}},
	}})
	if err != nil {
		b.Fatal(err)
	}
	b.Run("over HTTP", func(b *testing.B) {
		for range b.N {
			answer, err := http.Post(server.URL+"/api/v1/postings", "application/json", bytes.NewReader(body))
			if err != nil {
				b.Fatal(err)
			}
			text, _ := io.ReadAll(answer.Body)
			_ = answer.Body.Close()
			if answer.StatusCode != http.StatusCreated {
				b.Fatalf("%d: %s", answer.StatusCode, text)
			}
		}
		b.ReportMetric(float64(b.N)/b.Elapsed().Seconds(), "postings/s")
	})
	b.Run("bare inserts of the same rows", func(b *testing.B) {
		db, err := sql.Open("sqlite", "file:"+file+"?_pragma=journal_mode(WAL)&_pragma=synchronous(FULL)&_txlock=immediate")
		if err != nil {
			b.Fatal(err)
		}
		defer func() { _ = db.Close() }()
		var document, outcome []byte
		if err := db.QueryRowContext(b.Context(), "SELECT document, outcome FROM postings WHERE ledger = 'practice' ORDER BY sequence DESC LIMIT 1").Scan(&document, &outcome); err != nil {
			b.Fatal(err)
		}
		b.ResetTimer()
		for i := range b.N {
			tx, err := db.BeginTx(b.Context(), nil)
			if err != nil {
				b.Fatal(err)
			}
			id := time.Now().UnixNano() + int64(i)
			run := func(statement string, values ...any) {
				if _, err := tx.ExecContext(b.Context(), statement, values...); err != nil {
					b.Fatal(err)
				}
			}
			run("UPDATE series SET last = last + 1 WHERE key = 'practice'")
			run("UPDATE series SET last = last + 1 WHERE key = 'practice/sales_order/10'")
			run(`INSERT INTO postings (ledger, number, sequence, kind, company, type, day, title, document, outcome, reverses, posted_at, posted_by)
				VALUES ('practice', ?, ?, 'sales_order', '10', 'SO', '2026-11-24', 'Quayside', ?, ?, '', ?, 'Ada')`, fmt.Sprint("B", id), id, string(document), string(outcome), clock())
			if err := tx.Commit(); err != nil {
				b.Fatal(err)
			}
		}
		b.ReportMetric(float64(b.N)/b.Elapsed().Seconds(), "postings/s")
	})
}
