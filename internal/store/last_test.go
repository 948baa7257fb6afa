package store_test

import (
	"fmt"
	"math/rand/v2"
	"slices"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"codicil/core/field"
	"codicil/core/record"
	"codicil/internal/store"
)

// What was saved last is the same as by going through all records, also where it is far behind the newest.
func TestWhatWasSavedLast(t *testing.T) {
	ctx := t.Context()
	s, err := store.Open(ctx, "")
	require.NoError(t, err)
	t.Cleanup(func() { require.NoError(t, s.Close()) })
	require.NoError(t, s.SaveCompany(ctx, record.Company{Key: "10", Name: "Salt Works", Country: "IE", Currency: "EUR", Rounding: "half-up"}, record.Stamp{}))
	require.NoError(t, s.SaveCompany(ctx, record.Company{Key: "20", Name: "Chandlery", Country: "DK", Currency: "DKK", Rounding: "half-up"}, record.Stamp{}))
	require.NoError(t, s.SaveKinds(ctx, []record.Kind{{Key: "bill", Label: "Bill", Fields: []field.Field{{Key: "vendor", Label: "Vendor", Type: field.Link, Kind: "vendor"}}}}))
	for _, key := range []string{"A", "B"} {
		require.NoError(t, s.SaveType(ctx, record.Type{Kind: "bill", Key: key, Label: key}, record.Stamp{}))
	}
	r := rand.New(rand.NewPCG(1, 2))
	pick := func(of ...string) string { return of[r.IntN(len(of))] }
	var all []record.Record
	require.NoError(t, s.Transaction(ctx, func(tx *store.Store) error {
		for i := range 800 {
			persons, vendors := []string{"ada", "ben"}, []string{"V1", "V2"}
			if i < 20 { // who and what is only among the oldest
				persons, vendors = append(persons, "old"), append(vendors, "V9")
			}
			by := record.Stamp{At: fmt.Sprintf("2026-11-24T09:%02d:00.000000Z", i/15), Person: pick(persons...)}
			one := record.Record{Ref: record.Ref{Kind: "bill", Number: fmt.Sprintf("B%04d", r.IntN(10_000)*1000+i)}, Company: pick("10", "20"), Type: pick("A", "A", "A", "B"), State: pick(record.Kept, record.Posted, record.Reversed)}
			one.Content.Values = map[string]string{"vendor": pick(vendors...)}
			saved, err := tx.AddRecord(ctx, one, store.Numbering{}, nil, by)
			if err != nil {
				return err
			}
			all = append(all, saved)
		}
		return nil
	}))
	slices.Reverse(all) // the newest first, as they were added in the order of time
	for _, company := range []string{"10", "20", "30"} {
		for _, kindType := range []string{"", "A", "B", "C"} {
			for _, person := range []string{"", "ada", "old", "nobody"} {
				for _, vendor := range []string{"", "V1", "V9", "V0"} {
					for _, except := range []string{"", all[0].Number, all[1].Number} {
						q := store.LastQuery{Kind: "bill", Company: company, Type: kindType, Person: person, Except: except}
						if vendor != "" {
							q.Naming = record.Ref{Kind: "vendor", Number: vendor}
						}
						var want record.Ref
						for _, one := range all {
							if one.Company == company && one.Standing() && one.Number != except && (kindType == "" || one.Type == kindType) && (person == "" || one.Changed.Person == person) && (vendor == "" || one.Values["vendor"] == vendor) {
								want = one.Ref
								break
							}
						}
						at, version, err := s.SavedLast(ctx, q)
						require.NoError(t, err)
						require.Equal(t, want, at, "%+v", q)
						assert.Equal(t, want.Number != "", version > 0)
						last, err := s.Last(ctx, q)
						require.NoError(t, err)
						assert.Equal(t, want.Number != "", last != nil)
					}
				}
			}
		}
	}
}
