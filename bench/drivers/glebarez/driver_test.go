package glebarez_test

import (
	"testing"

	_ "github.com/glebarez/go-sqlite"

	"codicil/bench/drivers"
)

func BenchmarkGlebarez(b *testing.B) { drivers.Run(b, "sqlite", drivers.Pragmas) }
