package demo_test

import (
	"fmt"
	"slices"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"codicil/core/proof"
	"codicil/core/record"
	"codicil/core/rule"
	"codicil/internal/app"
	"codicil/internal/contract"
)

// What a replay passes over comes out the same with the codicil: each document is judged whole besides, both ways. Codicils
// change rules, slightly or wholly, a crosswalk and a standing value.
func TestAReplayPassesOverOnlyWhatStaysTheSame(t *testing.T) {
	t.Parallel()
	d := fill(t)
	const kind = "accounting_document"
	book, world := worldOf(t, d)
	runner := world.Finder(kind).Runner
	rules, err := d.Rules.List(ada(t), kind)
	require.NoError(t, err)
	changes := map[string]func(t *testing.T, d *app.App){
		"a crosswalk": func(t *testing.T, d *app.App) {
			v, err := d.Tables.Crosswalk(ada(t), "due_days")
			require.NoError(t, err)
			for i := range v.Crosswalk.Rows {
				v.Crosswalk.Rows[i].Results[0] += "1"
			}
			_, err = d.Tables.SaveCrosswalk(ada(t), "due_days", contract.CrosswalkChange{Crosswalk: v.Crosswalk, Version: v.Version})
			require.NoError(t, err)
		},
		"a standing value": func(t *testing.T, d *app.App) {
			all, err := d.Tables.Standing(ada(t))
			require.NoError(t, err)
			for _, v := range all {
				if v.Standing.Field.Key == "approver" {
					for i := range v.Standing.Periods {
						v.Standing.Periods[i].Value = "Somebody Else"
					}
					_, err = d.Tables.SaveStanding(ada(t), "approver", contract.StandingChange{Standing: v.Standing, Version: v.Version})
					require.NoError(t, err)
				}
			}
		},
	}
	for i, c := range runner.Book.Rules {
		if c.State != rule.InForce || (i%9 != 0 && !c.Vocabulary().LooksBack(c.Reads(), rule.Before...)) {
			continue
		}
		at := slices.IndexFunc(rules, func(r contract.RuleView) bool { return r.UID == c.UID })
		require.GreaterOrEqual(t, at, 0, c.Label())
		kept := rules[at]
		changes[c.Label()+" is suspended"] = func(t *testing.T, d *app.App) {
			_, err := d.Rules.Move(ada(t), kept.ID, contract.RuleMove{State: rule.Suspended, Version: kept.Version, Reason: "a test"})
			require.NoError(t, err)
		}
		mutants := proof.Mutants(c, runner.Book, runner.Extent, &book.Companies[0])
		if m := slices.IndexFunc(mutants, func(m proof.Mutant) bool { return m.OfRule() && !m.Gone }); m >= 0 {
			changes[c.Label()+" is otherwise"] = func(t *testing.T, d *app.App) {
				_, err := d.Rules.Change(ada(t), kept.ID, contract.RuleChange{Version: kept.Version, Body: mutants[m].Body, Reason: "a test"})
				require.NoError(t, err)
			}
		}
	}
	var documents []record.Ref
	for from := ""; len(documents) < 60; {
		page, err := d.Records.List(ada(t), contract.ListRequest{Kind: kind, After: from})
		require.NoError(t, err)
		for _, r := range page.Rows {
			documents = append(documents, record.Ref{Kind: kind, Number: r.Number})
		}
		if from = page.Next; from == "" {
			break
		}
	}
	passed := 0
	for name, change := range changes {
		c, err := d.Codicils.Begin(ada(t), contract.CodicilHead{Title: "Try", Reason: "a test"})
		require.NoError(t, err)
		view, err := d.Codicils.View(ada(t), fmt.Sprintf("codicil-%d", c.ID))
		require.NoError(t, err)
		within, err := d.Viewed(ada(t), view)
		require.NoError(t, err)
		change(t, within)
		begun, err := d.Replay.Start(ada(t), c.ID, contract.ReplayRequest{})
		require.NoError(t, err)
		require.Eventually(t, func() bool {
			run, err := d.Runs.Get(ada(t), begun.ID)
			require.NoError(t, err)
			return run.State == contract.RunStateDone
		}, time.Minute, time.Millisecond, name)
		found := map[string]contract.RunHit{}
		for from := ""; ; {
			page, err := d.Runs.Hits(ada(t), begun.ID, from, 500)
			require.NoError(t, err)
			for _, hit := range page.Hits {
				if hit.Kind == kind {
					found[hit.Number] = hit
				}
			}
			if from = page.Next; from == "" {
				break
			}
		}
		for _, at := range documents {
			one, err := d.Replay.One(ada(t), c.ID, at)
			require.NoError(t, err)
			hit, told := found[at.Number]
			if !told {
				passed++
				assert.Equal(t, contract.RunHitWhatSame, one.Hit.What, "%s: %s", name, at.Number)
				continue
			}
			assert.Equal(t, one.Hit.What, hit.What, "%s: %s", name, at.Number)
			assert.Equal(t, one.Hit.Told, hit.Told, "%s: %s", name, at.Number)
			assert.Equal(t, one.Drifted, hit.Drifted, "%s: %s", name, at.Number)
		}
	}
	t.Logf("%d of %d documents passed over by %d codicils", passed, len(changes)*len(documents), len(changes))
	assert.Positive(t, passed)
	assert.Less(t, passed, len(changes)*len(documents))
}
