package feel_test

import (
	"strings"
	"testing"

	"codicil/core/feel"
)

// BenchmarkFormula reads, runs, explains, and corrects everyday formulas.
func BenchmarkFormula(b *testing.B) {
	scope, _, documents := office(b)
	const formula = `country in ("IE", "DK") and amount * (1 + tax_rate) > 1000 or sum(lines.price) > limit and not(payment_block)`
	program, problems := feel.Compile(formula, scope, feel.Strict)
	if problems.Errors() != nil {
		b.Fatal(problems)
	}
	b.Run("compile", func(b *testing.B) {
		for range b.N {
			feel.Compile(formula, scope, feel.Strict)
		}
	})
	b.Run("evaluate", func(b *testing.B) {
		b.ReportAllocs()
		for i := range b.N {
			program.Eval(documents[i%len(documents)])
		}
	})
	b.Run("explain", func(b *testing.B) {
		for i := range b.N {
			_, _ = program.Explain(documents[i%len(documents)])
		}
	})
	b.Run("advise", func(b *testing.B) {
		const mistake = `=IF(AND(country="IE";amount>1.000,50);ROUND(amount*10%;2);0)`
		_, found := feel.Compile(mistake, scope, feel.Strict)
		for range b.N {
			feel.Advise(mistake, scope, feel.Strict, found, nil)
		}
	})
	b.Run("check an or of 400 pairs", func(b *testing.B) {
		long := strings.Repeat(`amount = 1 and country = "IE" or `, 399) + "active"
		for range b.N {
			feel.Compile(long, scope, feel.Strict)
		}
	})
}
