package store_test

import (
	"fmt"
	"math/rand/v2"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"codicil/core/judge"
	"codicil/core/record"
)

// The histories of many records say of each version what it says when it is read by itself, with the judgement where one was kept;
// a version that changed no value has those of the one before.
func TestHistoriesAreTheVersionsOfTheirRecords(t *testing.T) {
	s, r := shipments(t), rand.New(rand.NewPCG(3, 4))
	var numbers []string
	versions := 0
	for i := range 120 {
		one := record.Record{Ref: record.Ref{Kind: "shipment"}, Company: "10", State: record.Kept, Content: record.Content{Values: map[string]string{"name": fmt.Sprint("Crate ", i)}}}
		kept, err := s.AddRecord(t.Context(), one, plain, nil, stamp("Ada"))
		require.NoError(t, err)
		numbers = append(numbers, kept.Number)
		for n := range r.IntN(4) {
			next := kept
			next.Content = kept.Clone()
			if r.IntN(2) == 0 {
				next.Values["city"] = fmt.Sprint("Quay ", n)
				next.Lines = []record.Line{{Number: 1, Values: map[string]string{"note": "fragile"}, Origins: record.Origins{"note": "person"}}}
			}
			var judged *judge.Kept
			if r.IntN(2) == 0 {
				judged = &judge.Kept{Document: judge.Document{Kind: "shipment", Company: "10"}, Basis: judge.Basis{User: "Ada", Sum: fmt.Sprint(n)}}
			}
			ready, err := s.Prepare(t.Context(), judged, &kept, &next)
			require.NoError(t, err)
			kept, err = s.ChangeRecord(t.Context(), next, "posted", ready, stamp("Ben"))
			require.NoError(t, err)
		}
		versions += kept.Version
	}
	histories, err := s.Histories(t.Context(), "shipment", append(numbers, "S999"))
	require.NoError(t, err)
	assert.Len(t, histories, len(numbers), "one that is not there has none")
	seen := 0
	for _, number := range numbers {
		now, err := s.Record(t.Context(), "shipment", number)
		require.NoError(t, err)
		all, err := histories[number].Versions(&now)
		require.NoError(t, err)
		for i, v := range all {
			seen++
			assert.Equal(t, i+1, v.Version.Version)
			alone, err := s.JudgedVersion(t.Context(), record.Ref{Kind: "shipment", Number: number}, i+1)
			require.NoError(t, err)
			assert.Equal(t, alone, v, "%s, version %d", number, i+1)
			bare, err := s.RecordVersion(t.Context(), record.Ref{Kind: "shipment", Number: number}, i+1)
			require.NoError(t, err)
			assert.Equal(t, alone.Version, bare)
		}
		some, err := histories[number].Versions(&record.Record{Version: 1, Content: all[0].Content}) // it was changed since it was read
		require.NoError(t, err)
		assert.Equal(t, all[:1], some)
	}
	assert.Equal(t, versions, seen)
}
