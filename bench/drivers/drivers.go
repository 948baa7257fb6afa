// Package drivers measures drivers of SQLite at what Codicil asks of one. It is a module of its own, so
// that the drivers that were not chosen do not come along with the program. Two drivers that
// carry the same name cannot be in one program, so each has a test of its own:
//
//	go test -bench . ./...
package drivers

import (
	"database/sql"
	"fmt"
	"math/rand/v2"
	"path/filepath"
	"strings"
	"testing"
)

// The pragmas of the drivers that take them in the address.
const Pragmas = "?_pragma=busy_timeout(5000)&_pragma=journal_mode(WAL)&_pragma=synchronous(FULL)&_txlock=immediate"

const rows = 20_000

var words = strings.Fields("harbour quay rope salt pier lamp nets north south crane survey dock tank hull paint chain anchor buoy tide ferry freight carrow skerry")

// Run measures a driver. query follows the file in the address of the database.
func Run(b *testing.B, driver, query string) {
	db, err := sql.Open(driver, "file:"+filepath.Join(b.TempDir(), "a.db")+query)
	if err != nil {
		b.Fatal(err)
	}
	defer func() { _ = db.Close() }()
	do := func(statement string, values ...any) {
		if _, err := db.Exec(statement, values...); err != nil {
			b.Fatal(statement, err)
		}
	}
	r := rand.New(rand.NewPCG(1, 1))
	name := func() string {
		return words[r.IntN(len(words))] + " " + words[r.IntN(len(words))] + " " + fmt.Sprint(r.IntN(10_000))
	}
	body := func() string {
		return fmt.Sprintf(`{"name":%q,"amount":"%d","x":%q}`, name(), r.IntN(1_000_000), strings.Repeat("abcdefgh", 100))
	}
	do("CREATE TABLE r (kind TEXT, number TEXT, day TEXT, body TEXT, PRIMARY KEY (kind, number))")
	do("CREATE INDEX d ON r (kind, day, number)")
	b.Run("rows and words in transactions of 1000", func(b *testing.B) {
		for range b.N {
			do("DELETE FROM r")
			do("DROP TABLE IF EXISTS w")
			do("CREATE VIRTUAL TABLE w USING fts5(t, tokenize='trigram', detail='none', content='')")
			for first := 0; first < rows; first += 1000 {
				tx, err := db.Begin()
				if err != nil {
					b.Fatal(err)
				}
				for i := first; i < first+1000; i++ {
					if _, err := tx.Exec("INSERT INTO r VALUES ('v', ?, ?, ?)", fmt.Sprintf("V%06d", i), fmt.Sprint(r.IntN(1000)), body()); err != nil {
						b.Fatal(err)
					}
					if _, err := tx.Exec("INSERT INTO w (rowid, t) VALUES (?, ?)", i+1, name()); err != nil {
						b.Fatal(err)
					}
				}
				if err := tx.Commit(); err != nil {
					b.Fatal(err)
				}
			}
		}
		b.ReportMetric(float64(rows*b.N)/b.Elapsed().Seconds(), "rows/s")
	})
	count := 0
	b.Run("a durable insert", func(b *testing.B) {
		for range b.N {
			count++
			do("INSERT INTO r VALUES ('d', ?, '1', ?)", fmt.Sprint(count), body())
		}
	})
	ask := func(label, query string, values func() []any) {
		b.Run(label, func(b *testing.B) {
			statement, err := db.Prepare(query)
			if err != nil {
				b.Fatal(err)
			}
			defer func() { _ = statement.Close() }()
			for range b.N {
				found, err := statement.Query(values()...)
				if err != nil {
					b.Fatal(err)
				}
				var text string
				for found.Next() {
					if err := found.Scan(&text); err != nil {
						b.Fatal(err)
					}
				}
				if err := found.Err(); err != nil {
					b.Fatal(err)
				}
				_ = found.Close()
			}
		})
	}
	ask("a row by its key", "SELECT body FROM r WHERE kind = 'v' AND number = ?", func() []any { return []any{fmt.Sprintf("V%06d", r.IntN(rows))} })
	ask("a page of 100 by an index", "SELECT body FROM r WHERE kind = 'v' AND day >= ? ORDER BY day, number LIMIT 100", func() []any { return []any{fmt.Sprint(r.IntN(1000))} })
	ask("rows by two trigrams", "SELECT count(*) FROM w WHERE w MATCH ?", func() []any {
		word := words[r.IntN(len(words))]
		return []any{fmt.Sprintf("%q AND %q", word[:3], word[len(word)-3:])}
	})
	ask("a look into every row", "SELECT count(*) FROM r WHERE kind = 'v' AND json_extract(body, '$.amount') LIKE '%77%'", func() []any { return nil })
}
