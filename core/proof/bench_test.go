package proof_test

import (
	"testing"

	"codicil/core/judge"
	"codicil/core/proof"
	"codicil/core/rule"
)

// BenchmarkProofs runs a thousand proofs with what they show, and measures the strength of a
// rule with them.
func BenchmarkProofs(b *testing.B) {
	r := invoices(b,
		rule.Body{Family: rule.Compute, Target: "net", Effect: rule.Effect{Value: "sum(lines.amount)"}},
		rule.Body{Family: rule.Default, Target: "rate", Effect: rule.Effect{Lifetime: rule.NewOnly, Value: `crosswalk("rates", country)`}},
		rule.Body{Family: rule.Compute, Target: "tax", When: "rate > 0", Effect: rule.Effect{Value: "net * rate"}},
		rule.Body{Family: rule.Validate, Target: "net", When: `country in ("IE", "DK") and net > 100`, Effect: rule.Effect{Severity: rule.Confirm, Must: "terms != null or net <= 1000", Message: "no terms"}})
	var documents []judge.Document
	for i := range 1000 {
		documents = append(documents, invoice([]string{"10", "20", "30"}[i%3], "VI", text{"country": []string{"IE", "DK", "SE"}[i%3]}, text{"amount": "70"}, text{"amount": "45.5"}))
	}
	proofs := keep(b, r, documents...)
	b.Run("a thousand with what they show", func(b *testing.B) {
		for range b.N {
			if _, err := r.RunAll(b.Context(), proofs, nil); err != nil {
				b.Fatal(err)
			}
		}
	})
	all := results(b, r, proofs[:60])
	b.Run("strength of a rule, 60 proofs", func(b *testing.B) {
		versions := len(proof.Mutants(r.Book.Rules[3], r.Book, r.Extent, nil))
		for range b.N {
			if _, err := r.Measure(b.Context(), r.Book.Rules[3:], all, nil); err != nil {
				b.Fatal(err)
			}
		}
		b.ReportMetric(float64(versions), "versions")
	})
}
