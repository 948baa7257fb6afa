package store_test

import (
	"cmp"
	"errors"
	"fmt"
	"path/filepath"
	"slices"
	"strings"
	"sync"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"codicil/core/field"
	"codicil/core/match"
	"codicil/core/record"
	"codicil/internal/store"
)

// shipment is a kind with a field of every way to be found.
var shipment = record.Kind{Key: "shipment", Label: "Shipment", Title: []string{"name"}, Day: "sent_on", Fields: []field.Field{
	{Key: "name", Type: field.Text}, {Key: "city", Type: field.Text, Searched: true}, {Key: "value", Type: field.Amount}, {Key: "sent_on", Type: field.Date},
	{Key: "crates", Type: field.Number}, {Key: "carrier", Type: field.Link, Kind: "shipment"},
	{Key: "lines.note", Type: field.Text, Searched: true}, {Key: "lines.item", Type: field.Link, Kind: "shipment"},
}}

func shipments(t *testing.T) *store.Store {
	t.Helper()
	s := open(t, "")
	require.NoError(t, s.SaveKinds(t.Context(), []record.Kind{shipment}))
	for _, company := range []string{"10", "20"} {
		require.NoError(t, s.SaveCompany(t.Context(), record.Company{Key: company, Rounding: "half-up"}, stamp("Ada")))
	}
	return s
}

var plain = store.Numbering{Name: "shipment", Next: func(last int64) int64 { return last + 1 }, Format: func(n int64) (string, error) { return fmt.Sprintf("S%03d", n), nil }}

// kept is what the store should hold, in the order in which it was first saved.
type kept []record.Record

func (k kept) page(s *record.Selector) []string {
	var chosen []record.Record
	for i := range k {
		if r := &k[i]; s.Keeps(&record.Listed{Number: r.Number, Company: r.Company, Type: r.Type, State: r.State, Content: r.Content}) {
			chosen = append(chosen, *r)
		}
	}
	key := func(r record.Record) string {
		switch {
		case s.By != nil:
			return s.Key(r.Values[s.By.Key])
		case s.Sort == record.ByCompany:
			return r.Company
		case s.Sort == record.ByType:
			return r.Type
		case s.Sort == record.ByState:
			return r.State
		case s.Sort == record.ByChange:
			return r.Changed.At
		}
		return r.Number
	}
	place := func(r record.Record) int {
		return slices.IndexFunc(k, func(o record.Record) bool { return o.Number == r.Number })
	}
	slices.SortFunc(chosen, func(a, b record.Record) int {
		x, y := key(a), key(b)
		if (x == "") != (y == "") {
			return strings.Compare(y, x)
		}
		order := cmp.Or(strings.Compare(x, y), cmp.Compare(place(a), place(b)))
		if s.Descending {
			return -order
		}
		return order
	})
	numbers := []string{}
	for _, r := range chosen {
		numbers = append(numbers, r.Number)
	}
	return numbers
}

func drawRecord(rt *rapid.T, kind string, numbers []string) record.Record {
	text := rapid.StringMatching(`(|quay|Quay rope|salt 12|salt 9|潮風包装|Ærø) ?(pier|Pier|)`)
	link := rapid.SampledFrom(append([]string{"", "S900"}, numbers...))
	r := record.Record{Ref: record.Ref{Kind: kind}, Company: rapid.SampledFrom([]string{"10", "20"}).Draw(rt, "company"), Type: rapid.SampledFrom([]string{"A", "B"}).Draw(rt, "type"), State: rapid.SampledFrom([]string{record.Kept, record.Kept, record.Posted}).Draw(rt, "state"), Content: record.Content{Values: map[string]string{}}}
	for key, value := range map[string]string{
		"name": text.Draw(rt, "name"), "city": text.Draw(rt, "city"), "value": rapid.SampledFrom([]string{"", "5", "-3.5", "12", "nonsense"}).Draw(rt, "value"), "carrier": link.Draw(rt, "carrier"),
		"sent_on": rapid.SampledFrom([]string{"", "2026-01-05", "2026-02-01"}).Draw(rt, "sent"), "crates": rapid.SampledFrom([]string{"", "1", "20", "3"}).Draw(rt, "crates"),
	} {
		if value = strings.TrimSpace(value); value != "" {
			r.Values[key] = value
		}
	}
	for n := range rapid.IntRange(0, 2).Draw(rt, "lines") {
		r.Lines = append(r.Lines, record.Line{Number: n + 1, Values: map[string]string{"note": strings.TrimSpace(text.Draw(rt, "note")), "item": link.Draw(rt, "item")}})
	}
	return r
}

// However records are saved, changed and removed, what the store finds is what looking at each finds.
func TestTheStoreFindsWhatLookingAtEachFinds(t *testing.T) {
	unique := []match.Unique{{Fields: []string{"name"}, Ignore: match.Differences{match.Case}, Near: true}, {Fields: []string{"lines.note", "lines.item"}, Everywhere: true, Ignore: match.Differences{}}}
	s := shipments(t)
	defer func() { require.NoError(t, s.Close()) }()
	tries := 0
	rapid.Check(t, func(rt *rapid.T) {
		tries++
		shipment, plain := shipment, plain // a kind for each try, beside those before
		shipment.Key, plain.Name = fmt.Sprintf("shipment%d", tries), fmt.Sprint(tries)
		shipment.Fields = slices.Clone(shipment.Fields)
		for i := range shipment.Fields {
			if shipment.Fields[i].IsLink() {
				shipment.Fields[i].Kind = shipment.Key
			}
		}
		require.NoError(rt, s.SaveKinds(t.Context(), []record.Kind{shipment}))
		var all kept
		numbers := []string{}
		clock := 0
		same := func() {
			for _, u := range unique {
				for i := range all {
					r := &all[i]
					line := 0
					if len(r.Lines) > 0 {
						line = 1
					}
					texts := []string{}
					for _, key := range u.Fields {
						texts = append(texts, r.Content.Get(shipment.Field(key), line))
					}
					key, filled := u.Ignore.Key(texts)
					if !filled {
						continue
					}
					company := r.Company
					if u.Everywhere {
						company = ""
					}
					want := map[string]bool{}
					for j := range all {
						o := &all[j]
						if company != "" && o.Company != company {
							continue
						}
						lines := []int{0}
						if len(u.Fields) > 1 {
							lines = lines[:0]
							for _, l := range o.Lines {
								lines = append(lines, l.Number)
							}
						}
						for _, l := range lines {
							others := []string{}
							for _, key := range u.Fields {
								others = append(others, o.Content.Get(shipment.Field(key), l))
							}
							other, filled := u.Ignore.Key(others)
							if filled && (other == key || (u.Near && match.Similar(texts[0], others[0]) >= match.Alike && match.Plain(texts[0]) != "")) {
								want[o.Number] = true
							}
						}
					}
					got, err := s.SameRecords(t.Context(), &shipment, u, company, key, texts)
					require.NoError(rt, err)
					require.Len(rt, got, len(want), "%v of %v in %v", u, texts, got)
					for _, number := range got {
						require.True(rt, want[number], "%v of %v in %v", u, texts, got)
					}
					unkept, err := s.SameUnkept(t.Context(), &shipment, []store.UniqueAsked{{Unique: u, Company: company, Key: key, Texts: texts}})
					require.NoError(rt, err)
					require.ElementsMatch(rt, got, unkept[0], "%v of %v without keys", u, texts)
				}
			}
		}
		for range rapid.IntRange(1, 20).Draw(rt, "steps") {
			clock++
			s.LimitNames(rapid.SampledFrom([]int{0, 8 * match.MarkSize, 30 * match.MarkSize, store.DefaultHeldNames}).Draw(rt, "names held"))
			by := stamp("Ada")
			by.At = fmt.Sprintf("2026-11-24T09:%02d:00.000000Z", clock/2) // some at once
			deed := rapid.IntRange(0, 5).Draw(rt, "deed")
			switch {
			case deed == 0 && len(all) > 0:
				i := rapid.IntRange(0, len(all)-1).Draw(rt, "which")
				require.NoError(rt, s.DeleteRecord(t.Context(), all[i], by))
				all = slices.Delete(all, i, i+1)
			case deed == 1 && len(all) > 0:
				i := rapid.IntRange(0, len(all)-1).Draw(rt, "which")
				next := drawRecord(rt, shipment.Key, numbers)
				next.Number, next.Version, next.Company = all[i].Number, all[i].Version, all[i].Company
				changed, err := s.ChangeRecord(t.Context(), next, "saved", nil, by)
				require.NoError(rt, err)
				all[i] = changed
			case deed == 2:
				same() // the keys are made in the middle
			default:
				added, err := s.AddRecord(t.Context(), drawRecord(rt, shipment.Key, numbers), plain, nil, by)
				require.NoError(rt, err)
				all, numbers = append(all, added), append(numbers, added.Number)
			}
		}
		same()
		for range 4 {
			selection := record.Selection{
				Search: rapid.SampledFrom([]string{"", "", "quay", "pi", "salt 12", "s0", "潮", "包装", "rope pier", "ie"}).Draw(rt, "search"), Sort: rapid.SampledFrom([]string{"", "name", "value", "sent_on", "crates", "carrier", "company", "type", "state", "changed"}).Draw(rt, "sort"),
				Descending: rapid.Bool().Draw(rt, "descending"), Companies: rapid.SampledFrom([][]string{nil, {"10"}, {"10", "20"}}).Draw(rt, "companies"), Types: rapid.SampledFrom([][]string{nil, {"A"}, {"B", "C"}}).Draw(rt, "types"),
				States: rapid.SampledFrom([][]string{nil, {"kept"}, {"kept", "posted"}, {"reversed"}}).Draw(rt, "states"),
			}
			if rapid.Bool().Draw(rt, "filtered") {
				selection.Filters = []record.Filter{rapid.SampledFrom([]record.Filter{
					{Field: "value", Relation: "from", Value: "5"}, {Field: "value", Relation: "up-to", Value: "5"}, {Field: "city", Relation: "is", Value: "quay"}, {Field: "carrier", Relation: "is", Value: "S001"}, {Field: "lines.item", Relation: "is", Value: "S001"},
					{Field: "crates", Relation: "is-blank"}, {Field: "sent_on", Relation: "is", Value: "2026-02-01"}, {Field: "city", Relation: "is-not", Value: "quay"}, {Field: "name", Relation: "contains", Value: "a"},
				}).Draw(rt, "filter")}
			}
			selector, wrong := record.NewSelector(&shipment, selection, field.Plain)
			require.Nil(rt, wrong)
			want := all.page(selector)
			total, more, err := s.CountListed(t.Context(), store.ListQuery{Selector: selector})
			require.NoError(rt, err)
			require.Equal(rt, len(want), total, "%+v", selection)
			require.False(rt, more)
			got := []string{}
			for after := ""; ; {
				page, err := s.List(t.Context(), store.ListQuery{Selector: selector, After: after, Limit: 3})
				require.NoError(rt, err)
				require.Equal(rt, len(want), page.Total, "%+v", selection)
				for _, r := range page.Rows {
					got = append(got, r.Number)
				}
				if after = page.Next; after == "" {
					break
				}
			}
			require.Equal(rt, want, got, "%+v", selection)
			offset := rapid.IntRange(0, len(want)).Draw(rt, "offset")
			page, err := s.List(t.Context(), store.ListQuery{Selector: selector, Offset: offset, Limit: 2})
			require.NoError(rt, err)
			skipped := []string{}
			for _, r := range page.Rows {
				skipped = append(skipped, r.Number)
			}
			require.Equal(rt, want[offset:min(offset+2, len(want))], skipped, "%+v from %d", selection, offset)
			whole := []string{}
			require.NoError(rt, s.EachListed(t.Context(), store.ListQuery{Selector: selector}, func(r *record.Record) error { whole = append(whole, r.Number); return nil }))
			require.Equal(rt, want, whole, "%+v", selection)
		}
		for _, number := range append(numbers, "S900") {
			at := record.Ref{Kind: shipment.Key, Number: number}
			want := []string{}
			for i := range all {
				if slices.Contains(record.LinksOf(&shipment, &all[i]), at) {
					want = append(want, all[i].Number)
				}
			}
			slices.Sort(want)
			naming, err := s.RecordsNaming(t.Context(), store.NamedBy{Records: []record.Ref{at}, Limit: 100})
			require.NoError(rt, err)
			got := []string{}
			for _, r := range naming {
				got = append(got, r.Number)
			}
			require.Equal(rt, want, got)
		}
		count, err := s.CountRecords(t.Context(), shipment.Key, nil)
		require.NoError(rt, err)
		require.Equal(rt, len(all), count)
	})
}

// A key that a check let pass is written once: the database refuses the second, whoever judged it.
func TestAClaimedKeyIsWrittenOnce(t *testing.T) {
	s := shipments(t)
	defer func() { require.NoError(t, s.Close()) }()
	u := match.Unique{Fields: []string{"name"}, Ignore: match.Differences{}}
	_, err := s.SameRecords(t.Context(), &shipment, u, "10", "quay", []string{"quay"})
	require.NoError(t, err)
	claiming := s.Claiming([]store.Claim{{Kind: "shipment", Unique: u, Company: "10", Key: "quay"}})
	add := func(s *store.Store) error {
		_, err := s.AddRecord(t.Context(), record.Record{Ref: record.Ref{Kind: "shipment"}, Company: "10", State: record.Kept, Content: record.Content{Values: map[string]string{"name": "quay"}}}, plain, nil, stamp("Ada"))
		return err
	}
	require.NoError(t, add(claiming))
	require.ErrorIs(t, add(claiming), store.ErrStale)
	require.NoError(t, add(s), "what a person let through stands beside it")
	found, err := s.SameRecords(t.Context(), &shipment, u, "10", "quay", []string{"quay"})
	require.NoError(t, err)
	assert.Equal(t, []string{"S001", "S002"}, found, "no number is lost with what was refused")
}

// A field that a kind gets or that is searched from now on is found by at once.
func TestAKindThatChangesIsIndexedAnew(t *testing.T) {
	s := shipments(t)
	defer func() { require.NoError(t, s.Close()) }()
	_, err := s.AddRecord(t.Context(), record.Record{Ref: record.Ref{Kind: "shipment"}, Company: "10", State: record.Kept, Content: record.Content{Values: map[string]string{"name": "quay", "mark": "blue anchor"}}}, plain, nil, stamp("Ada"))
	require.NoError(t, err)
	changed := shipment
	changed.Fields = append(slices.Clone(shipment.Fields), field.Field{Key: "mark", Type: field.Text, Searched: true})
	require.NoError(t, s.SaveKinds(t.Context(), []record.Kind{changed}))
	selector, wrong := record.NewSelector(&changed, record.Selection{Search: "anchor", Sort: "mark"}, field.Plain)
	require.Nil(t, wrong)
	page, err := s.List(t.Context(), store.ListQuery{Selector: selector, Limit: 5})
	require.NoError(t, err)
	assert.Equal(t, 1, page.Total)
}

func TestAPlaceThatNoPageToldIsRefused(t *testing.T) {
	s := shipments(t)
	defer func() { require.NoError(t, s.Close()) }()
	selector, _ := record.NewSelector(&shipment, record.Selection{}, field.Plain)
	_, err := s.List(t.Context(), store.ListQuery{Selector: selector, After: "x!", Limit: 5})
	assert.ErrorIs(t, err, store.ErrPlace)
}

// Keys that no rule asks for any more take no room, and are made anew where one does.
func TestKeysThatNobodyAsksForAreForgotten(t *testing.T) {
	s := prepared(t, "")
	defer func() { require.NoError(t, s.Close()) }()
	ctx := t.Context()
	kinds, err := s.Kinds(ctx)
	require.NoError(t, err)
	kind := &kinds[slices.IndexFunc(kinds, func(k record.Kind) bool { return k.Key == "vendor" })]
	byName, byTown := match.Unique{Fields: []string{"name"}, Ignore: match.Differences{}}, match.Unique{Fields: []string{"city"}, Ignore: match.Differences{}}
	for _, u := range []match.Unique{byName, byTown} {
		count, told := 0, 0
		require.NoError(t, s.MakeUnique(ctx, kind, u, func(done int) error { told++; count = done; return nil }))
		saved, err := s.CountRecords(ctx, "vendor", nil)
		require.NoError(t, err)
		assert.Equal(t, saved, count)
		assert.Positive(t, told)
	}
	require.NoError(t, s.KeepUnique(ctx, "vendor", []match.Unique{byTown}))
	for u, want := range map[*match.Unique]bool{&byName: false, &byTown: true} {
		kept, err := s.HasUnique(ctx, "vendor", *u)
		require.NoError(t, err)
		assert.Equal(t, want, kept, u.Fields)
	}
	stop := errors.New("stopped")
	require.ErrorIs(t, s.MakeUnique(ctx, kind, byName, func(int) error { return stop }), stop)
	kept, err := s.HasUnique(ctx, "vendor", byName)
	require.NoError(t, err)
	assert.False(t, kept, "what was begun is not relied on")
}

// A page of a long list tells how many there are as far as that is soon known; who asks for it is told exactly, up to ten thousand.
func TestALongListIsCountedExactly(t *testing.T) {
	s := shipments(t)
	defer func() { require.NoError(t, s.Close()) }()
	const all = 10_200
	require.NoError(t, s.Transaction(t.Context(), func(tx *store.Store) error {
		for i := range all {
			v := map[string]string{"name": "rope", "city": []string{"quay", "cork"}[i%2], "value": fmt.Sprint(i)}
			if i%3 > 0 {
				v["name"] += " pier"
			}
			if _, err := tx.AddRecord(t.Context(), record.Record{Ref: record.Ref{Kind: "shipment"}, Company: []string{"10", "20"}[i%2], State: record.Kept, Content: record.Content{Values: v}}, plain, nil, stamp("Ada")); err != nil {
				return err
			}
		}
		return nil
	}))
	filter := func(key, relation, value string) []record.Filter {
		return []record.Filter{{Field: key, Relation: relation, Value: value}}
	}
	for name, c := range map[string]struct {
		selection record.Selection
		total     int
		more      bool
	}{
		"all":                             {record.Selection{}, 10_000, true},
		"of a company":                    {record.Selection{Companies: []string{"10"}}, all / 2, false},
		"by a word that all have":         {record.Selection{Search: "rope"}, 10_000, true},
		"by a word that many have":        {record.Selection{Search: "pier"}, all / 3 * 2, false},
		"by one that all have, of a city": {record.Selection{Search: "rope", Filters: filter("city", "contains", "or")}, all / 2, false},
		"from a value":                    {record.Selection{Filters: filter("value", "from", "1000")}, all - 1000, false},
		"by what nothing is kept for":     {record.Selection{Filters: filter("name", "is-not", "rope")}, all / 3 * 2, false},
		"nothing":                         {record.Selection{Search: "tern"}, 0, false},
	} {
		selector, wrong := record.NewSelector(&shipment, c.selection, field.Plain)
		require.Nil(t, wrong, name)
		total, more, err := s.CountListed(t.Context(), store.ListQuery{Selector: selector})
		require.NoError(t, err, name)
		assert.Equal(t, c.total, total, name)
		assert.Equal(t, c.more, more, name)
		page, err := s.List(t.Context(), store.ListQuery{Selector: selector, Limit: 1})
		require.NoError(t, err, name)
		assert.LessOrEqual(t, page.Total, total, name)
		assert.True(t, page.More || page.Total == total, name)
		// Far down the list stands what going through all of it meets there.
		const from = 4000
		met, want, got := 0, []string{}, []string{}
		require.NoError(t, s.EachListed(t.Context(), store.ListQuery{Selector: selector}, func(r *record.Record) error {
			if met++; met > from && met <= from+3 {
				want = append(want, r.Number)
			}
			return nil
		}))
		page, err = s.List(t.Context(), store.ListQuery{Selector: selector, Offset: from, Limit: 3})
		require.NoError(t, err, name)
		for _, r := range page.Rows {
			got = append(got, r.Number)
		}
		assert.Equal(t, want, got, name)
	}
}

// Whoever asks for almost equal names right after the start is answered while they are still being read, and closing waits for that.
func TestNamesAreAskedForBeforeTheyAreHeld(t *testing.T) {
	path := filepath.Join(t.TempDir(), "names.db")
	s := open(t, path)
	require.NoError(t, s.SaveKinds(t.Context(), []record.Kind{shipment}))
	require.NoError(t, s.SaveCompany(t.Context(), record.Company{Key: "10", Rounding: "half-up"}, stamp("Ada")))
	u := match.Unique{Fields: []string{"name"}, Ignore: match.AllIgnored, Near: true}
	same := func(s *store.Store, name string) []string {
		key, _ := u.Ignore.Key([]string{name})
		found, err := s.SameRecords(t.Context(), &shipment, u, "10", key, []string{name})
		assert.NoError(t, err)
		slices.Sort(found)
		return found
	}
	same(s, "Quay Ropes") // the set is made, and written to from now on
	require.NoError(t, s.Transaction(t.Context(), func(tx *store.Store) error {
		for i := range 1500 {
			name := fmt.Sprintf("%s Rigging %d", strings.Repeat(string(rune('a'+i%26)), 3+i%7), i)
			if _, err := tx.AddRecord(t.Context(), record.Record{Ref: record.Ref{Kind: "shipment"}, Company: "10", State: record.Kept, Content: record.Content{Values: map[string]string{"name": name}}}, plain, nil, stamp("Ada")); err != nil {
				return err
			}
		}
		return nil
	}))
	want := same(s, "ccccc Rigging 2")
	require.Contains(t, want, "S003")
	require.NoError(t, s.Close())
	for range 3 {
		s = open(t, path)
		var group sync.WaitGroup
		for range 4 {
			group.Go(func() { assert.Equal(t, want, same(s, "ccccc Rigging 2")) })
		}
		group.Wait()
		require.NoError(t, s.Close())
	}
}
