package ncruces_test

import (
	"testing"

	"github.com/ncruces/go-sqlite3"
	_ "github.com/ncruces/go-sqlite3/driver"
	"github.com/ncruces/go-sqlite3/ext/fts5"

	"codicil/bench/drivers"
)

func BenchmarkNcruces(b *testing.B) {
	sqlite3.AutoExtension(fts5.Register)
	drivers.Run(b, "sqlite3", drivers.Pragmas)
}
