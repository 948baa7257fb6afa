package bench

import (
	"testing"
	"time"

	"github.com/stretchr/testify/require"

	"codicil/core/rule"
	"codicil/internal/actor"
	"codicil/internal/app"
	"codicil/internal/contract"
	"codicil/internal/demo"
)

// BenchmarkImpact tells what each of some rules in force does to the saved records of its kind.
func BenchmarkImpact(b *testing.B) {
	ctx := actor.With(b.Context(), actor.Named(demo.Author, actor.CommandLine))
	s := manyRecords(b)
	d := app.New(s, time.Now)
	defer d.Close()
	for _, kind := range []string{"vendor", "accounting_document"} {
		all, err := s.Rules(ctx, kind)
		require.NoError(b, err)
		b.Run(kind, func(b *testing.B) {
			done, begun := 0, time.Now()
			for b.Loop() {
				for _, family := range []rule.Family{rule.Validate, rule.Default} {
					for _, r := range all {
						if r.State != rule.InForce || r.Family != family {
							continue
						}
						run, err := d.Impact.Start(ctx, contract.ImpactRequest{Rule: r.ID})
						require.NoError(b, err)
						done += finished(ctx, b, d, run.ID).Done
						break
					}
				}
			}
			b.ReportMetric(float64(done)/time.Since(begun).Seconds(), "records/s")
		})
	}
}
