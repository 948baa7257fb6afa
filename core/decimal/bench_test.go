package decimal_test

import (
	"testing"

	"github.com/cockroachdb/apd/v3"
	"github.com/woodsbury/decimal128"

	"codicil/core/decimal"
)

var sink int

// BenchmarkAmountTimesRate compares the candidates on the arithmetic of a typical
// rule: an amount times a rate, added to the amount, compared.
func BenchmarkAmountTimesRate(b *testing.B) {
	b.Run("codicil", func(b *testing.B) {
		b.ReportAllocs()
		amount, rate, limit := decimal.MustParse("1480.25"), decimal.MustParse("0.19"), decimal.MustParse("1700")
		for range b.N {
			tax, _ := amount.Mul(rate)
			gross, _ := amount.Add(tax)
			sink += gross.Cmp(limit)
		}
	})
	b.Run("decimal128", func(b *testing.B) {
		b.ReportAllocs()
		amount, rate, limit := decimal128.MustParse("1480.25"), decimal128.MustParse("0.19"), decimal128.MustParse("1700")
		for range b.N {
			if amount.Add(amount.Mul(rate)).Cmp(limit).Greater() {
				sink++
			}
		}
	})
	b.Run("apd", func(b *testing.B) {
		b.ReportAllocs()
		context := apd.BaseContext.WithPrecision(34)
		amount, _, _ := apd.NewFromString("1480.25")
		rate, _, _ := apd.NewFromString("0.19")
		limit, _, _ := apd.NewFromString("1700")
		for range b.N {
			var tax, gross apd.Decimal
			_, _ = context.Mul(&tax, amount, rate)
			_, _ = context.Add(&gross, amount, &tax)
			sink += gross.Cmp(limit)
		}
	})
}
