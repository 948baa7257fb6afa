package bench

import (
	"bytes"
	"database/sql"
	"encoding/json"
	"fmt"
	"io"
	"net/http"
	"strings"
	"sync/atomic"
	"testing"
	"time"

	"golang.org/x/sync/errgroup"
)

// BenchmarkPosting posts a sales order with two lines to the practice ledger over HTTP, by one client and
// by fifty at once, answered with the trace and briefly, each on the disk before it is answered; and beside
// it inserts the same rows by SQL alone, as durably.
func BenchmarkPosting(b *testing.B) {
	server, file := servedDemo(b)
	line := map[string]any{"item": map[string]string{"value": "I1001"}, "quantity": map[string]string{"value": "2"}, "price": map[string]string{"value": "19"}}
	document := map[string]any{
		"kind": "sales_order", "company": "10", "type": "SO", "day": "2026-11-24", "entered": map[string]any{"customer": map[string]string{"value": "C10001"}},
		"lines": []any{map[string]any{"number": 1, "entered": line}, map[string]any{"number": 2, "entered": line}},
	}
	post := func(client *http.Client, body []byte) error {
		answer, err := client.Post(server.URL+"/api/v1/postings", "application/json", bytes.NewReader(body))
		if err != nil {
			return err
		}
		text, _ := io.ReadAll(answer.Body)
		_ = answer.Body.Close()
		if answer.StatusCode != http.StatusCreated {
			return fmt.Errorf("%d: %s", answer.StatusCode, text)
		}
		return nil
	}
	for _, of := range []struct {
		name    string
		clients int
		brief   bool
	}{
		{"one client over HTTP", 1, false},
		{"one client over HTTP, briefly", 1, true},
		{"fifty clients over HTTP", 50, false},
		{"fifty clients over HTTP, briefly", 50, true},
	} {
		b.Run(of.name, func(b *testing.B) {
			body, err := json.Marshal(map[string]any{"document": document, "brief": of.brief})
			if err != nil {
				b.Fatal(err)
			}
			client := &http.Client{Transport: &http.Transport{MaxIdleConnsPerHost: of.clients}}
			var next atomic.Int64
			var group errgroup.Group
			for range of.clients {
				group.Go(func() error {
					for next.Add(1) <= int64(b.N) {
						if err := post(client, body); err != nil {
							return err
						}
					}
					return nil
				})
			}
			if err := group.Wait(); err != nil {
				b.Fatal(err)
			}
			b.ReportMetric(float64(b.N)/b.Elapsed().Seconds(), "postings/s")
		})
	}
	b.Run("bare inserts of the same rows", func(b *testing.B) {
		db, err := sql.Open("sqlite3", "file:"+file+"?_pragma=busy_timeout(10000)&_pragma=journal_mode(WAL)&_pragma=synchronous(FULL)&_txlock=immediate")
		if err != nil {
			b.Fatal(err)
		}
		defer func() { _ = db.Close() }()
		postings, posting := copied(b, db, "SELECT * FROM postings WHERE ledger = 'practice' ORDER BY sequence DESC LIMIT 1")
		trail, entry := copied(b, db, "SELECT * FROM trail ORDER BY id DESC LIMIT 1")
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
			posting["sequence"], posting["number"], entry["id"] = id, fmt.Sprint("B", id), id
			insert := func(table string, columns []string, row map[string]any) {
				values := make([]any, len(columns))
				for i, name := range columns {
					values[i] = row[name]
				}
				run("INSERT INTO "+table+" VALUES (?"+strings.Repeat(", ?", len(columns)-1)+")", values...)
			}
			insert("postings", postings, posting)
			insert("trail", trail, entry)
			if err := tx.Commit(); err != nil {
				b.Fatal(err)
			}
		}
		b.ReportMetric(float64(b.N)/b.Elapsed().Seconds(), "postings/s")
	})
}

// copied reads a row: its columns in their order, and their values.
func copied(b *testing.B, db *sql.DB, query string) (columns []string, row map[string]any) {
	b.Helper()
	rows, err := db.QueryContext(b.Context(), query)
	if err != nil {
		b.Fatal(err)
	}
	defer func() { _ = rows.Close() }()
	if columns, err = rows.Columns(); err != nil || !rows.Next() {
		b.Fatal("nothing to copy: ", err, rows.Err())
	}
	values, into := make([]any, len(columns)), make([]any, len(columns))
	for i := range values {
		into[i] = &values[i]
	}
	if err := rows.Scan(into...); err != nil {
		b.Fatal(err)
	}
	row = map[string]any{}
	for i, name := range columns {
		row[name] = values[i]
	}
	return columns, row
}
