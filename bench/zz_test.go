package bench

import (
	"path/filepath"
	"testing"

	"codicil/internal/demo"
)

func BenchmarkZZGenerate(b *testing.B) {
	file := filepath.Join(b.TempDir(), "g.db")
	if err := demo.Write(b.Context(), file); err != nil {
		b.Fatal(err)
	}
	for range b.N {
		b.ResetTimer()
		if err := demo.Generate(b.Context(), file, demo.Size{Vendors: 1000, Documents: 3000}, 7, func(what string, done, of int) { b.Log(what, done, b.Elapsed()) }); err != nil {
			b.Fatal(err)
		}
	}
}
