package record_test

import (
	"cmp"
	"slices"
	"strings"

	"fmt"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"codicil/core/field"
	"codicil/core/record"
)

var order = record.Kind{Key: "order", Label: "Order", Title: []string{"customer"}, Sections: []record.Section{{Key: "general"}, {Key: "terms"}, {Key: "lines"}}, Fields: []field.Field{
	{Key: "customer", Label: "Customer", Section: "general", Type: field.Link, Kind: "customer"},
	{Key: "note", Label: "Note", Section: "general", Type: field.Text, Length: 20, Searched: true},
	{Key: "total", Label: "Total", Section: "terms", Type: field.Amount},
	{Key: "due", Label: "Due", Section: "terms", Type: field.Date},
	{Key: "rate", Label: "Rate", Section: "terms", Type: field.Percent, Decimals: 1},
	{Key: "terms", Label: "Terms", Section: "terms", Type: field.Choice, Choices: []field.Option{{Code: "N30"}}},
	{Key: "lines.item", Label: "Item", Section: "lines", Type: field.Link, Kind: "item"},
	{Key: "lines.quantity", Label: "Quantity", Section: "lines", Type: field.Quantity, Decimals: 3, Digits: 8},
	{Key: "lines.amount", Label: "Amount", Section: "lines", Type: field.Amount},
}}

// Whatever a layout says, every field of the kind is on the form once, inside the grid.
func TestALayoutCannotLoseOrRepeatAField(t *testing.T) {
	keys := []string{"nope"}
	for _, f := range order.Fields {
		keys = append(keys, f.Key)
	}
	rapid.Check(t, func(rt *rapid.T) {
		layout := record.Layout{}
		for range rapid.IntRange(0, 4).Draw(rt, "sections") {
			s := record.LayoutSection{Key: rapid.SampledFrom([]string{"general", "terms", "lines", "nope"}).Draw(rt, "section")}
			for range rapid.IntRange(0, 6).Draw(rt, "fields") {
				s.Fields = append(s.Fields, record.LayoutField{Key: rapid.SampledFrom(keys).Draw(rt, "field"), Width: rapid.IntRange(-3, 40).Draw(rt, "width")})
			}
			layout.Sections = append(layout.Sections, s)
		}
		whole := layout.Complete(&order)
		seen := map[string]int{}
		for _, s := range whole.Sections {
			for _, f := range s.Fields {
				seen[f.Key]++
				if f.Width < 1 || f.Width > record.LayoutColumns {
					rt.Fatalf("%s is %d wide", f.Key, f.Width)
				}
				if order.Field(f.Key).OfLine() != (s.Key == record.LineSection) {
					rt.Fatalf("%s stands in %s", f.Key, s.Key)
				}
			}
		}
		for _, f := range order.Fields {
			if seen[f.Key] != 1 {
				rt.Fatalf("%s is there %d times", f.Key, seen[f.Key])
			}
		}
		if len(seen) != len(order.Fields) || len(whole.Sections) != len(order.Sections) {
			rt.Fatalf("unknown fields or sections: %v", seen)
		}
		assert.Equal(rt, whole, whole.Complete(&order), "a complete layout stays as it is")
	})
}

func TestChangesAreToldByFieldAndLine(t *testing.T) {
	before := record.Content{Values: map[string]string{"note": "old", "total": "5"}, Lines: []record.Line{{Number: 1, Values: map[string]string{"item": "I1"}}, {Number: 2, Values: map[string]string{"item": "I2"}}}}
	after := record.Content{Values: map[string]string{"note": "new", "total": "5"}, Lines: []record.Line{{Number: 3, Values: map[string]string{"amount": "7"}}, {Number: 1, Values: map[string]string{"item": "I1", "quantity": "2"}}}}
	assert.Equal(t, []record.Change{
		{Field: "note", Before: "old", After: "new"}, {Field: "lines.quantity", Line: 1, After: "2"},
		{Field: "lines.item", Line: 2, Before: "I2"}, {Field: "lines.amount", Line: 3, After: "7"},
	}, record.Changes(&order, &before, &after))
	assert.Empty(t, record.Changes(&order, &after, &after))
}

var invoice = record.Kind{Key: "invoice", Label: "Invoice", Fields: []field.Field{
	{Key: "order", Label: "Order", Type: field.Link, Kind: "order"}, {Key: "customer", Label: "Customer", Type: field.Link, Kind: "customer"},
	{Key: "text", Label: "Text", Type: field.Text, Length: 10}, {Key: "rate", Label: "Rate", Type: field.Number, Decimals: 2},
	{Key: "terms", Label: "Terms", Type: field.Choice, Choices: []field.Option{{Code: "N45"}}}, {Key: "lines.debit", Label: "Debit", Type: field.Amount}, {Key: "lines.credit", Label: "Credit", Type: field.Amount},
	{Key: "lines.count", Label: "Count", Type: field.Quantity, Decimals: 1}, {Key: "lines.text", Label: "Line text", Type: field.Text},
}}

func TestAPairThatDoesNotFitIsToldWhenItIsWritten(t *testing.T) {
	for _, c := range []struct {
		pair record.Pair
		want string // part of the message; "": it fits
	}{
		{record.Pair{From: "customer", To: "customer"}, ""}, {record.Pair{From: "#", To: "order"}, ""}, {record.Pair{From: "#", To: "lines.text"}, ""}, {record.Pair{From: "total", To: "lines.debit", Line: 1}, ""},
		{record.Pair{From: "lines.amount", To: "lines.credit"}, ""}, {record.Pair{Constant: "hello", To: "lines.text", Line: 2}, ""}, {record.Pair{From: "customer", To: "lines.text"}, ""},
		{record.Pair{From: "#", To: "customer"}, "the number of a order does not fit"}, {record.Pair{From: "note", To: "text"}, "Note may have 20 characters, and Text takes 10"},
		{record.Pair{From: "rate", To: "rate"}, "a percentage is a fraction"}, {record.Pair{From: "terms", To: "terms"}, "it has no code N30"}, {record.Pair{From: "note", To: "terms"}, "its own codes only"},
		{record.Pair{From: "due", To: "lines.debit"}, "Due (date) does not fit Debit (amount)"}, {record.Pair{From: "lines.item", To: "customer"}, "does not fit"},
		{record.Pair{From: "lines.quantity", To: "lines.count"}, "3 decimals into 1"}, {record.Pair{From: "lines.amount", To: "rate"}, "cannot go into Rate"}, {record.Pair{From: "lines.amount", To: "lines.debit", Line: 1}, "the line made of it"},
		{record.Pair{From: "note", To: "customer"}, "does not fit"}, {record.Pair{From: "nope", To: "text"}, `no field "nope"`}, {record.Pair{From: "note", To: "nope"}, `no field "nope"`},
		{record.Pair{Constant: "x", To: "lines.debit", Line: 1}, "must be a number"}, {record.Pair{From: "customer", To: "customer", Line: 1}, "cannot be in a line"},
	} {
		m := record.FollowOn{Pairs: []record.Pair{c.pair}}
		problems := m.Check(&order, &invoice)
		if c.want == "" {
			assert.Empty(t, problems, c.pair)
			continue
		}
		require.NotEmpty(t, problems, c.pair)
		assert.Contains(t, problems[0].Message, c.want)
	}
	twice := record.FollowOn{Pairs: []record.Pair{{From: "customer", To: "customer"}, {From: "customer", To: "customer"}}}
	assert.Len(t, twice.Check(&order, &invoice), 1)
}

func TestAFollowOnCarriesHeaderAndLines(t *testing.T) {
	m := record.FollowOn{Pairs: []record.Pair{{From: "#", To: "order"}, {From: "customer", To: "customer"}, {From: "total", To: "lines.debit", Line: 1}, {Constant: "Due", To: "lines.text", Line: 1}, {From: "lines.amount", To: "lines.credit"}, {From: "note", To: "lines.text"}}}
	made := m.Apply(&order, &invoice, "SO7", &record.Content{
		Values: map[string]string{"customer": "C1", "total": "30", "note": "rush"},
		Lines:  []record.Line{{Number: 2, Values: map[string]string{"amount": "10"}}, {Number: 5, Values: map[string]string{"amount": "20"}}}})
	assert.Equal(t, record.Content{Values: map[string]string{"order": "SO7", "customer": "C1"}, Lines: []record.Line{
		{Number: 1, Values: map[string]string{"debit": "30", "text": "Due"}}, {Number: 2, Values: map[string]string{"credit": "10", "text": "rush"}}, {Number: 3, Values: map[string]string{"credit": "20", "text": "rush"}}}}, made)
}

// selected are the places of the records that a selection keeps, in its order.
func selected(s *record.Selector, records []record.Listed) []int {
	places := []int{}
	for i := range records {
		if s.Keeps(&records[i]) {
			places = append(places, i)
		}
	}
	key := func(place int) string {
		if s.By == nil {
			return records[place].Number
		}
		return s.Key(records[place].Content.Values[s.By.Key])
	}
	slices.SortFunc(places, func(a, b int) int {
		x, y := key(a), key(b)
		if (x == "") != (y == "") {
			return strings.Compare(y, x)
		}
		order := cmp.Or(strings.Compare(x, y), strings.Compare(records[a].Number, records[b].Number))
		if s.Descending {
			return -order
		}
		return order
	})
	return places
}

func TestWordsAreFound(t *testing.T) {
	kind := record.Kind{Key: "vendor", Title: []string{"name"}, Fields: []field.Field{{Key: "name", Type: field.Text}}}
	for _, c := range []struct {
		name, words string
		found       bool
	}{
		{"Harrow Point Tank Inspection", "harrow insp", true}, {"Harrow Point", "oin", true}, {"Harrow Point", "po", true}, {"Harrow Point", "oi", false}, {"Harrow Point", "h", true}, {"Harrow Point", "a", false},
		{"潮風包装株式会社", "潮", true}, {"潮風包装株式会社", "包装", true}, {"潮風包装株式会社", "装株式", true}, {"潮風包装株式会社", "潮包", false}, {"Toge 計量", "計量", true}, {"Quay-Ropes (North)", "ro", true}, {"Quay-Ropes (North)", "(n", true}, {"Ærø Æg", "æ", true},
	} {
		selector, wrong := record.NewSelector(&kind, record.Selection{Search: c.words}, english)
		require.Nil(t, wrong)
		r := record.Record{Ref: record.Ref{Kind: "vendor", Number: "V1"}, Content: record.Content{Values: map[string]string{"name": c.name}}}
		assert.Equal(t, c.found, selector.Keeps(&record.Listed{Number: "V1", Content: r.Content}), "%s in %s", c.words, c.name)
		grams := record.NewIndexer(&kind).Of(&r).Grams
		for _, word := range selector.Words {
			for _, gram := range record.GramsOfWord(word) {
				if c.found {
					assert.Contains(t, grams, gram, "%s in %s", word, c.name)
				}
			}
		}
	}
}

// Whatever holds a word has its grams, so that looking for grams misses nothing.
func TestGramsMissNoWord(t *testing.T) {
	kind := record.Kind{Key: "vendor", Title: []string{"name"}, Fields: []field.Field{{Key: "name", Type: field.Text}}}
	rapid.Check(t, func(rt *rapid.T) {
		name, word := rapid.StringMatching(`[ab潮包 .-]{1,12}`).Draw(rt, "name"), rapid.StringMatching(`[ab潮包.-]{1,4}`).Draw(rt, "word")
		selector, _ := record.NewSelector(&kind, record.Selection{Search: word}, english)
		r := record.Record{Ref: record.Ref{Number: "7"}, Content: record.Content{Values: map[string]string{"name": name}}}
		if !selector.Keeps(&record.Listed{Number: "7", Content: r.Content}) {
			return
		}
		grams := record.NewIndexer(&kind).Of(&r).Grams
		for _, gram := range record.GramsOfWord(word) {
			if !slices.Contains(grams, gram) {
				rt.Fatalf("%q holds %q, and has no %q among %q", name, word, gram, grams)
			}
		}
	})
}

func TestListsAreSearchedFilteredAndSorted(t *testing.T) {
	var records []record.Listed
	for i, values := range []map[string]string{
		{"customer": "C1", "note": "rush to Quay", "total": "9.5", "due": "2026-12-01"}, {"customer": "C2", "total": "100"}, {"customer": "C1", "note": "quiet", "total": "20", "due": "2026-11-01"}, {"note": "Äpfel"},
	} {
		r := record.Listed{Number: fmt.Sprintf("O%02d", i+9), Company: "10", State: "kept", Content: record.Content{Values: values}}
		if i == 2 {
			r.Content.Lines = []record.Line{{Number: 1, Values: map[string]string{"item": "I7", "amount": "3"}}}
		}
		records = append(records, r)
	}
	records[1].Company = "20"
	for _, c := range []struct {
		s    record.Selection
		want []int
	}{
		{record.Selection{}, []int{0, 1, 2, 3}},
		{record.Selection{Descending: true}, []int{3, 2, 1, 0}},
		{record.Selection{Search: "QUAY ru"}, []int{0}},
		{record.Selection{Search: "o10"}, []int{1}},
		{record.Selection{Search: "c1 quiet"}, []int{2}},
		{record.Selection{Companies: []string{"20"}}, []int{1}},
		{record.Selection{Sort: "total"}, []int{0, 2, 1, 3}},
		{record.Selection{Sort: "total", Descending: true}, []int{1, 2, 0, 3}},
		{record.Selection{Sort: "note"}, []int{3, 2, 0, 1}},
		{record.Selection{Sort: "due"}, []int{2, 0, 1, 3}},
		{record.Selection{Filters: []record.Filter{{Field: "total", Relation: "from", Value: "20,00"}}}, []int{1, 2}},
		{record.Selection{Filters: []record.Filter{{Field: "total", Relation: "up-to", Value: "20"}, {Field: "due", Relation: "is-filled"}}}, []int{0, 2}},
		{record.Selection{Filters: []record.Filter{{Field: "due", Relation: "is", Value: "1.11.2026"}}}, []int{2}},
		{record.Selection{Filters: []record.Filter{{Field: "note", Relation: "is-blank"}}}, []int{1}},
		{record.Selection{Filters: []record.Filter{{Field: "customer", Relation: "is-not", Value: "C1"}}}, []int{1, 3}},
		{record.Selection{Filters: []record.Filter{{Field: "lines.item", Relation: "is", Value: "I7"}}}, []int{2}},
		{record.Selection{Filters: []record.Filter{{Field: "note", Relation: "contains", Value: "QUI"}}}, []int{2}},
	} {
		selector, wrong := record.NewSelector(&order, c.s, continental)
		require.Nil(t, wrong)
		assert.Equal(t, c.want, selected(selector, records), "%+v", c.s)
	}
	_, wrong := record.NewSelector(&order, record.Selection{Filters: []record.Filter{{Field: "total", Relation: "from", Value: "much"}}}, english)
	assert.ErrorContains(t, wrong, "Total must be a number")
	_, wrong = record.NewSelector(&order, record.Selection{Filters: []record.Filter{{Field: "nope", Relation: "is"}}}, english)
	assert.ErrorContains(t, wrong, "no field")
}
