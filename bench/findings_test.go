package bench

import (
	"fmt"
	"testing"
	"time"

	"github.com/stretchr/testify/require"

	"codicil/core/finding"
	"codicil/core/rule"
	"codicil/internal/exchange"
)

// BenchmarkFindings looks for what can be said about a book of 1,000 rules of vendors: of the whole
// book, and of one rule as while it is written. The rules are those of the demo again and again, each
// time for one company and with constants of its own, so that many meet at every station.
func BenchmarkFindings(b *testing.B) {
	demo, kinds := demoBook(b)
	var own []rule.Rule
	for _, r := range demo.Rules {
		if r.Kind == "vendor" && r.State == rule.InForce {
			own = append(own, r)
		}
	}
	large := *demo
	large.Rules = append([]rule.Rule{}, own...)
	for i := 0; len(large.Rules) < 1000; i++ {
		r := own[i%len(own)]
		r.ID, r.Priority = int64(10_000+i), i
		r.Scope.Companies = []string{demo.Companies[i%len(demo.Companies)].Key}
		if r.When != "" {
			r.When = fmt.Sprintf("(%s) and credit_limit > %d", r.When, i*100)
		} else {
			r.When = fmt.Sprintf("credit_limit > %d and payment_terms != \"N%d\"", i*100, i%90)
		}
		large.Rules = append(large.Rules, r)
	}
	fresh := func(e *exchange.Book) *finding.Finder { return e.World(kinds, time.Now).Finder("vendor") }
	sound := 0
	for _, c := range fresh(&large).Runner.Book.Rules {
		if c.Sound() {
			sound++
		}
	}
	b.Run("whole book of 1000 rules", func(b *testing.B) {
		for b.Loop() {
			found := 0
			require.NoError(b, fresh(&large).All(b.Context(), func(*finding.Finding) { found++ }))
			b.ReportMetric(float64(found), "findings")
			b.ReportMetric(float64(sound), "rules")
		}
	})
	b.Run("one rule of them", func(b *testing.B) {
		f := fresh(&large)
		for i := 0; b.Loop(); i++ {
			c := f.Runner.Book.Rules[len(f.Runner.Book.Rules)-1-i%100]
			again := fresh(&large)
			again.Runner = f.Runner.With(c.Rule)
			require.NoError(b, again.About(b.Context(), again.Runner.Book.Rules[len(f.Runner.Book.Rules)-1-i%100], func(*finding.Finding) {}))
		}
	})
}
