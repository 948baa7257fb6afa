//go:build cgo && sqlite_fts5

package mattn_test

import (
	"testing"

	_ "github.com/mattn/go-sqlite3"

	"codicil/bench/drivers"
)

// With a C compiler: go test -tags sqlite_fts5 -bench . ./mattn
func BenchmarkMattn(b *testing.B) {
	drivers.Run(b, "sqlite3", "?_busy_timeout=5000&_journal_mode=WAL&_synchronous=FULL&_txlock=immediate")
}
