package bench

import (
	"testing"
	"time"

	"codicil/core/proof"
	"codicil/core/record"
	"codicil/core/rule"
	"codicil/internal/app"
	"codicil/internal/exchange"
	"codicil/internal/standard"
)

// demoBook is the demo's rule book with its proofs, and its kinds.
func demoBook(b *testing.B) (*exchange.Book, []record.Kind) {
	s, _ := demoStore(b)
	book, err := app.New(s, clock).Books.Export(b.Context())
	if err != nil {
		b.Fatal(err)
	}
	kinds, err := standard.Kinds()
	if err != nil {
		b.Fatal(err)
	}
	return book, kinds
}

// BenchmarkProofs runs a thousand proofs of the demo's sales orders, on one processor and on
// all; and measures the full strength of all rules of the demo.
func BenchmarkProofs(b *testing.B) {
	book, kinds := demoBook(b)
	world := book.World(kinds, time.Now)
	proofsOf := func(kind string) (list []proof.Proof) {
		for _, p := range book.Proofs {
			if p.Given.Kind == kind {
				list = append(list, p)
			}
		}
		return list
	}
	var thousand []proof.Proof
	for own := proofsOf("sales_order"); len(thousand) < 1000; {
		thousand = append(thousand, own...)
	}
	thousand = thousand[:1000]
	rate := func(b *testing.B, count int, unit string) {
		b.ReportMetric(float64(count)*float64(b.N)/b.Elapsed().Seconds(), unit)
	}
	orders := world.Runner("sales_order")
	b.Run("a thousand on all processors", func(b *testing.B) {
		for range b.N {
			if _, err := orders.RunAll(b.Context(), thousand, nil); err != nil {
				b.Fatal(err)
			}
		}
		rate(b, len(thousand), "proofs/s")
	})
	b.Run("a thousand on one", func(b *testing.B) {
		for range b.N {
			for i := range thousand {
				orders.Run(&thousand[i], true)
			}
		}
		rate(b, len(thousand), "proofs/s")
	})
	b.Run("strength of all rules", func(b *testing.B) {
		mutants := 0
		for range b.N {
			mutants = 0
			for _, kind := range []string{"vendor", "quotation", "sales_order", "accounting_document", "item"} {
				runner := world.Runner(kind)
				results, err := runner.RunAll(b.Context(), proofsOf(kind), nil)
				if err != nil {
					b.Fatal(err)
				}
				var rules []*rule.Compiled
				for _, c := range proof.Confirm(runner.Book, results) {
					rules = append(rules, c.Rule)
				}
				strengths, err := runner.Measure(b.Context(), rules, results, nil)
				if err != nil {
					b.Fatal(err)
				}
				for i := range strengths {
					mutants += strengths[i].Mutants
				}
			}
		}
		rate(b, mutants, "mutants/s")
	})
}
