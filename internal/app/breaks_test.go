package app_test

import (
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"codicil/core/rule"
	"codicil/internal/contract"
)

// Records that were saved before a check was in force are found by it, by company; once they are mended they are not, and
// it says how many there were before.
func TestRecordsThatBreakChecksAreCounted(t *testing.T) {
	d := harbour(t)
	t.Cleanup(d.Close)
	first := save(t, d, document("vendor", "10", "TRAD", values{"name": "Quay"}))
	save(t, d, document("vendor", "20", "TRAD", values{"name": "Tern"}))
	save(t, d, document("vendor", "20", "TRAD", values{"name": "Gull", "street": "Pier 1"}))
	none, err := d.Breaks.Get(as(t), "vendor")
	require.NoError(t, err)
	assert.Zero(t, none.Run)
	check := add(t, d, body("vendor", rule.Validate, "street", rule.Effect{Severity: rule.Refuse, Must: "is filled(street)", Message: "Enter the street."}), rule.InForce)
	count := func() (contract.Breaks, []contract.RunHit) {
		r, err := d.Breaks.Start(as(t), "vendor")
		require.NoError(t, err)
		run, _ := done(t, d, r.ID)
		assert.Equal(t, 3, run.Counts["records"])
		hits, err := d.Runs.HitsOf(as(t), r.ID, "", 10, int(check.ID))
		require.NoError(t, err)
		b, err := d.Breaks.Get(as(t), "vendor")
		require.NoError(t, err)
		return b, hits.Hits
	}
	b, hits := count()
	require.Len(t, b.Rules, 1)
	assert.Equal(t, [2]int{2, -1}, [2]int{b.Rules[0].Broken, b.Rules[0].Before})
	assert.Equal(t, map[string]int{"10": 1, "20": 1}, b.Rules[0].Companies)
	assert.NotNil(t, b.Rules[0].Since)
	require.Len(t, hits, 2)
	assert.Equal(t, []string{"street", "Enter the street."}, []string{hits[0].Changes[0].Field, hits[0].Said})

	var file strings.Builder
	require.NoError(t, d.Runs.Export(as(t), b.Run, check.ID, &file))
	assert.True(t, strings.HasPrefix(file.String(), "number,record,why,line,street\n"+first.Number+",Quay,Enter the street.,,\n"), file.String())
	l := bring(t, d, "vendor", "corrected.csv", strings.ReplaceAll(file.String(), ",,\n", ",,Pier 7\n"))
	run, _ := checked(t, d, l.ID)
	assert.Equal(t, map[string]int{"change": 2}, run.Counts, "corrected, it can be loaded")

	mended := document("vendor", "10", "TRAD", values{"name": "Quay", "street": "Pier 2"})
	mended.Record = first.Number
	_, err = d.Records.Save(as(t), contract.SaveRequest{Document: mended, Version: first.Version})
	require.NoError(t, err)
	b, hits = count()
	assert.Equal(t, [2]int{1, 2}, [2]int{b.Rules[0].Broken, b.Rules[0].Before})
	assert.Len(t, hits, 1)
	_, err = d.Breaks.Start(as(t), "nope")
	assert.Equal(t, "unknown-kind", code(t, err))
}

// What breaks the checks is counted by itself once it is long ago, each kind once.
func TestBrokenChecksAreCountedByThemselves(t *testing.T) {
	d := harbour(t)
	t.Cleanup(d.Close)
	save(t, d, document("vendor", "10", "TRAD", values{"name": "Quay"}))
	add(t, d, body("vendor", rule.Validate, "street", rule.Effect{Severity: rule.Refuse, Must: "is filled(street)", Message: "Enter the street."}), rule.InForce)
	counted := func() (kinds []string) {
		runs, err := d.Runs.List(as(t))
		require.NoError(t, err)
		for _, r := range runs {
			if r.What == contract.RunWhatBreaks {
				run, _ := done(t, d, r.ID)
				kinds = append(kinds, run.Title+" by "+run.StartedBy)
			}
		}
		return kinds
	}
	require.NoError(t, d.Breaks.Due(as(t), time.Hour))
	assert.Equal(t, []string{"Vendors by Codicil"}, counted(), "of the kind that has a check")
	require.NoError(t, d.Breaks.Due(as(t), time.Hour))
	assert.Len(t, counted(), 1, "it was counted within the hour")
	b, err := d.Breaks.Get(as(t), "vendor")
	require.NoError(t, err)
	assert.Equal(t, 1, b.Rules[0].Broken)
	require.NoError(t, d.Breaks.Due(as(t), 0))
	assert.Len(t, counted(), 2, "it is long ago")
}
