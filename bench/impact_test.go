package bench

import (
	"context"
	"fmt"
	"slices"
	"testing"
	"time"

	"github.com/stretchr/testify/require"

	"codicil/core/rule"
	"codicil/internal/actor"
	"codicil/internal/app"
	"codicil/internal/contract"
	"codicil/internal/demo"
	"codicil/internal/store"
)

// BenchmarkImpact tells what each of some rules in force does to the saved records of its kind.
func BenchmarkImpact(b *testing.B) {
	ctx := actor.With(b.Context(), actor.Named(demo.Author, actor.CommandLine))
	s := manyRecords(b)
	d := app.New(s, time.Now)
	defer d.Close()
	for _, kind := range effectKinds {
		rules := effectRules(ctx, b, s, kind)
		b.Run(kind, func(b *testing.B) {
			done, begun := 0, time.Now()
			for b.Loop() {
				for _, r := range rules {
					run, err := d.Impact.Start(ctx, contract.ImpactRequest{Rule: r.ID})
					require.NoError(b, err)
					done += finished(ctx, b, d, run.ID).Done
				}
			}
			b.ReportMetric(float64(done)/time.Since(begun).Seconds(), "records/s")
		})
	}
}

// BenchmarkReplay replays codicils that suspend one of these rules each, over the saved records and posted documents of
// its kind. The codicils stay in the file.
func BenchmarkReplay(b *testing.B) {
	ctx := actor.With(b.Context(), actor.Named(demo.Author, actor.CommandLine))
	s := manyRecords(b)
	d := app.New(s, time.Now)
	defer d.Close()
	for _, kind := range effectKinds {
		for _, r := range effectRules(ctx, b, s, kind) {
			b.Run(kind+"/"+string(r.Family), func(b *testing.B) {
				c, err := d.Codicils.Begin(ctx, contract.CodicilHead{Title: "Measured", Reason: "A measurement"})
				require.NoError(b, err)
				view, err := d.Codicils.View(ctx, fmt.Sprintf("codicil-%d", c.ID))
				require.NoError(b, err)
				within, err := d.Viewed(ctx, view)
				require.NoError(b, err)
				_, err = within.Rules.Move(ctx, r.ID, contract.RuleMove{State: rule.Suspended, Version: r.Version, Reason: "A measurement"})
				require.NoError(b, err)
				done, begun := 0, time.Now()
				for b.Loop() {
					run, err := d.Replay.Start(ctx, c.ID, contract.ReplayRequest{})
					require.NoError(b, err)
					done += finished(ctx, b, d, run.ID).Done
				}
				b.ReportMetric(float64(done)/time.Since(begun).Seconds(), "records/s")
			})
		}
	}
}

// effectKinds are the kinds whose records are looked at.
var effectKinds = []string{"vendor", "accounting_document"}

// effectRules are a check and a default of a kind, the first in force.
func effectRules(ctx context.Context, b *testing.B, s *store.Store, kind string) (rules []rule.Rule) {
	b.Helper()
	all, err := s.Rules(ctx, kind)
	require.NoError(b, err)
	for _, family := range []rule.Family{rule.Validate, rule.Default} {
		if i := slices.IndexFunc(all, func(r rule.Rule) bool { return r.State == rule.InForce && r.Family == family }); i >= 0 {
			rules = append(rules, all[i])
		}
	}
	return rules
}
