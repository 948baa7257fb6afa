package store_test

import (
	"errors"
	"fmt"
	"slices"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"codicil/core/field"
	"codicil/core/match"
	"codicil/core/record"
	"codicil/internal/store"
)

// What waits for the end of a transaction goes with the part that it belongs to, and is there for who reads it before.
func TestWhatWaitsForTheEndBelongsToItsPart(t *testing.T) {
	s := shipments(t)
	ctx := t.Context()
	add := func(tx *store.Store, name string) error {
		_, err := tx.AddRecord(ctx, record.Record{Ref: record.Ref{Kind: "shipment"}, Company: "10", Type: "T", State: record.Kept, Content: record.Content{Values: map[string]string{"name": name}, Origins: record.Origins{"name": record.ByRule(7, 1)}}}, plain, nil, stamp("Ada"))
		return err
	}
	found := func(s *store.Store, word string) []string {
		selector, wrong := record.NewSelector(&shipment, record.Selection{Search: word}, field.Plain)
		require.Nil(t, wrong)
		page, err := s.List(ctx, store.ListQuery{Selector: selector, Limit: 10})
		require.NoError(t, err)
		var numbers []string
		for _, r := range page.Rows {
			numbers = append(numbers, r.Number)
		}
		return numbers
	}
	failed := errors.New("failed")
	require.NoError(t, s.Transaction(ctx, func(tx *store.Store) error {
		require.NoError(t, add(tx, "lanterns"))
		require.ErrorIs(t, tx.Part(func(part *store.Store) error {
			require.NoError(t, add(part, "ropes"))
			assert.Equal(t, []string{"S002"}, found(part, "ropes"), "it is found within")
			return failed
		}), failed)
		require.NoError(t, tx.Part(func(part *store.Store) error { return add(part, "nets") }))
		last, err := tx.LastCount(ctx, "shipment")
		require.NoError(t, err)
		assert.EqualValues(t, 2, last, "the number of what failed is given again")
		return nil
	}))
	assert.Equal(t, []string{"S001"}, found(s, "lanterns"))
	assert.Equal(t, []string{"S002"}, found(s, "nets"))
	assert.Empty(t, found(s, "ropes"))
	count, err := s.CountRecords(ctx, "shipment", nil)
	require.NoError(t, err)
	assert.Equal(t, 2, count)
	uses, err := s.RuleUses(ctx)
	require.NoError(t, err)
	assert.Equal(t, 2, uses[7].Standing)
	require.ErrorIs(t, s.Transaction(ctx, func(tx *store.Store) error { require.NoError(t, add(tx, "anchors")); return failed }), failed)
	assert.Empty(t, found(s, "anchors"))
}

// Where the store says that an answer about keys still stands, asking again gives the same.
func TestAnAnswerThatStandsIsTheSame(t *testing.T) {
	by := []match.Unique{
		{Fields: []string{"name"}, Ignore: match.AllIgnored, Near: true}, {Fields: []string{"name"}, Everywhere: true, Near: true}, {Fields: []string{"city"}, Ignore: match.AllIgnored},
	}
	names := []string{"quay ropes", "quay roeps", "quay ropes ltd", "harbour lamps", "harbour lamp", "north pier"}
	s, tries := shipments(t), 0
	defer func() { require.NoError(t, s.Close()) }()
	rapid.Check(t, func(rt *rapid.T) {
		ctx := t.Context()
		tries++
		shipment, plain := shipment, plain // a kind for each try, beside those before
		shipment.Key, plain.Name = fmt.Sprintf("shipment%d", tries), fmt.Sprint(tries)
		require.NoError(rt, s.SaveKinds(ctx, []record.Kind{shipment}))
		var kept []record.Record
		change := func(tx *store.Store) {
			values := map[string]string{"name": rapid.SampledFrom(names).Draw(rt, "name"), "city": rapid.SampledFrom([]string{"", "Carrow", "carrow"}).Draw(rt, "city")}
			company := rapid.SampledFrom([]string{"10", "20"}).Draw(rt, "company")
			if len(kept) > 0 && rapid.Bool().Draw(rt, "old") {
				i := rapid.IntRange(0, len(kept)-1).Draw(rt, "which")
				if rapid.Bool().Draw(rt, "gone") {
					require.NoError(rt, tx.DeleteRecord(ctx, kept[i], stamp("Ada")))
					kept = slices.Delete(kept, i, i+1)
					return
				}
				kept[i].Content = record.Content{Values: values}
				next, err := tx.ChangeRecord(ctx, kept[i], "saved", nil, stamp("Ada"))
				require.NoError(rt, err)
				kept[i] = next
				return
			}
			r, err := tx.AddRecord(ctx, record.Record{Ref: record.Ref{Kind: shipment.Key}, Company: company, Type: "T", State: record.Kept, Content: record.Content{Values: values}}, plain, nil, stamp("Ada"))
			require.NoError(rt, err)
			kept = append(kept, r)
		}
		for range rapid.IntRange(0, 4).Draw(rt, "before") {
			require.NoError(rt, s.Transaction(ctx, func(tx *store.Store) error { change(tx); return nil }))
		}
		u := rapid.SampledFrom(by).Draw(rt, "by")
		company := ""
		if !u.Everywhere {
			company = "10"
		}
		texts := []string{rapid.SampledFrom(names).Draw(rt, "sought")}
		if u.Fields[0] == "city" {
			texts = []string{"Carrow"}
		}
		key, _ := u.Ignore.Key(texts)
		turn := s.KeyTurn()
		before, err := s.SameRecords(ctx, &shipment, u, company, key, texts)
		require.NoError(rt, err)
		require.NoError(rt, s.Transaction(ctx, func(tx *store.Store) error {
			for range rapid.IntRange(0, 3).Draw(rt, "changes") {
				change(tx)
			}
			stand, err := tx.KeysStand(ctx, &shipment, u, company, key, texts, turn)
			require.NoError(rt, err)
			now, err := tx.SameRecords(ctx, &shipment, u, company, key, texts)
			require.NoError(rt, err)
			if stand && fmt.Sprint(before) != fmt.Sprint(now) {
				rt.Fatalf("%v was to stand, and is %v", before, now)
			}
			return nil
		}))
	})
}

// Numbers of merged records lead on, however often is merged, and back.
func TestNumbersOfMergedRecordsLeadOn(t *testing.T) {
	s := shipments(t)
	ctx := t.Context()
	by := stamp("Ada")
	kept := map[string]record.Record{}
	for _, name := range []string{"a", "b", "c"} {
		r, err := s.AddRecord(ctx, record.Record{Ref: record.Ref{Kind: "shipment"}, Company: "10", Type: "T", State: record.Kept, Content: record.Content{Values: map[string]string{"name": name}}}, plain, nil, by)
		require.NoError(t, err)
		kept[name] = r
	}
	lead := func(name string) string {
		number, err := s.Survivor(ctx, kept[name].Ref)
		require.NoError(t, err)
		return number
	}
	into := func(loser, survivor string) store.MergedRecord {
		require.NoError(t, s.Absorb(ctx, kept[loser], store.MergedRecord{Survivor: kept[survivor].Number, Why: "one", Run: 1, Part: 1}, by))
		m, err := s.Merged(ctx, kept[loser].Ref)
		require.NoError(t, err)
		return *m
	}
	again := plain
	again.Name = "anew" // it begins with the first number, which is that of another
	into("a", "b")
	next, err := s.AddRecord(ctx, record.Record{Ref: record.Ref{Kind: "shipment"}, Company: "10", Type: "T", State: record.Kept, Content: record.Content{Values: map[string]string{"name": "d"}}}, again, nil, by)
	require.NoError(t, err)
	assert.Equal(t, "S004", next.Number, "the number of what was merged is not given again")
	second := into("b", "c")
	assert.Equal(t, [3]string{kept["c"].Number, kept["c"].Number, ""}, [3]string{lead("a"), lead("b"), lead("c")})
	former, err := s.FormerOf(ctx, kept["c"].Ref)
	require.NoError(t, err)
	assert.Equal(t, []string{kept["a"].Number, kept["b"].Number}, former)
	back, err := s.Release(ctx, second, by)
	require.NoError(t, err)
	assert.Equal(t, []string{kept["a"].Number}, back.Former)
	assert.Equal(t, 3, back.Version)
	assert.Equal(t, kept["b"].Values, back.Values)
	assert.Equal(t, [2]string{kept["b"].Number, ""}, [2]string{lead("a"), lead("b")})
	count, err := s.CountRecords(ctx, "shipment", nil)
	require.NoError(t, err)
	assert.Equal(t, 3, count)
}
