package modernc_test

import (
	"testing"

	_ "modernc.org/sqlite"

	"codicil/bench/drivers"
)

func BenchmarkModernc(b *testing.B) { drivers.Run(b, "sqlite", drivers.Pragmas) }
