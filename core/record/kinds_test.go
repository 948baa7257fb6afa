package record_test

import (
	"fmt"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"codicil/core/feel"
	"codicil/core/record"
)

func TestIdentitiesAreCheckedAndKeptInOneForm(t *testing.T) {
	for _, c := range []struct {
		kind          record.FieldType
		country, text string
		want          string // stored form, or the code of the misfit after "!"
	}{
		{record.BankAccount, "", "IE29 aibk 9311 5212 3456 78", "IE29AIBK93115212345678"},
		{record.BankAccount, "", "IE28AIBK93115212345678", "!not-a-bank-account"},
		{record.BankAccount, "", "IE29AIBK9311521234567", "!not-a-bank-account"},
		{record.BankAccount, "", "XX29AIBK93115212345678", "!not-a-bank-account"},
		{record.BankAccount, "", "BY13 NBRB 3600 9000 0000 2Z00 AB00", "BY13NBRB3600900000002Z00AB00"}, {record.BankAccount, "", "LY83 0020 4800 0020 1001 2036 1", "LY83002048000020100120361"},
		{record.BankAccount, "", "RU03 0445 2522 5408 1781 0538 0913 1041 9", "RU0304452522540817810538091310419"}, {record.BankAccount, "", "SV62 CENR 0000 0000 0000 0070 0025", "SV62CENR00000000000000700025"},
		{record.BankAccount, "", "OM81 0180 0000 0129 9123 456", "OM810180000001299123456"}, {record.BankAccount, "", "SO21 1000 0010 0100 0100 141", "SO211000001001000100141"},
		{record.BankAccount, "", "DK50 0040 0440 1162 43", "DK5000400440116243"},
		{record.BankAccount, "JP", "0990-001-1234567", "0990-001-1234567"},
		{record.TaxNumber, "", "ATU13585627", "ATU13585627"}, {record.TaxNumber, "", "ATU13585626", "!not-a-tax-number"},
		{record.TaxNumber, "", "CHE-107.787.577", "CHE107787577"}, {record.TaxNumber, "", "CHE107787578", "!not-a-tax-number"},
		{record.TaxNumber, "", "DE 136 695 976", "DE136695976"}, {record.TaxNumber, "DE", "136695976", "DE136695976"}, {record.TaxNumber, "", "DE136695978", "!not-a-tax-number"},
		{record.TaxNumber, "", "DK 13585628", "DK13585628"}, {record.TaxNumber, "", "DK13585627", "!not-a-tax-number"},
		{record.TaxNumber, "", "ESA13585625", "ESA13585625"}, {record.TaxNumber, "", "ES54362315K", "ES54362315K"}, {record.TaxNumber, "", "ESX2482300W", "ESX2482300W"}, {record.TaxNumber, "", "ES54362315Z", "!not-a-tax-number"},
		{record.TaxNumber, "", "FR40303265045", "FR40303265045"}, {record.TaxNumber, "", "FRK7399859412", "FRK7399859412"}, {record.TaxNumber, "", "FR4Z123456782", "FR4Z123456782"}, {record.TaxNumber, "", "FRK8399859412", "!not-a-tax-number"}, {record.TaxNumber, "", "FR41303265045", "!not-a-tax-number"},
		{record.TaxNumber, "", "GB980780684", "GB980780684"}, {record.TaxNumber, "", "GBGD001", "GBGD001"}, {record.TaxNumber, "", "GBHA599", "GBHA599"}, {record.TaxNumber, "", "GBGD500", "!not-a-tax-number"}, {record.TaxNumber, "", "GB802311781", "!not-a-tax-number"},
		{record.TaxNumber, "", "IE6433435F", "IE6433435F"}, {record.TaxNumber, "", "IE8D79739I", "IE8D79739I"}, {record.TaxNumber, "", "IE8D79739J", "!not-a-tax-number"}, {record.TaxNumber, "", "IE6433435OA", "IE6433435OA"}, {record.TaxNumber, "", "IE6433435E", "!not-a-tax-number"},
		{record.TaxNumber, "", "T7000012050002", "T7000012050002"}, {record.TaxNumber, "JP", "7000012050003", "!not-a-tax-number"},
		{record.TaxNumber, "NO", "995525828", "NO995525828"}, {record.TaxNumber, "", "NO995525829MVA", "!not-a-tax-number"},
		{record.TaxNumber, "", "PT 501 964 843", "PT501964843"}, {record.TaxNumber, "", "PT501964842", "!not-a-tax-number"},
		{record.TaxNumber, "", "SE123456789701", "SE123456789701"}, {record.TaxNumber, "", "SE123456789101", "!not-a-tax-number"},
		{record.TaxNumber, "", "NL123", "NL123"}, {record.TaxNumber, "US", "12-3456789", "123456789"},
		{record.Telephone, "", "01 555 0142", "+35315550142"}, {record.Telephone, "DK", "33 12 34 56", "+4533123456"}, {record.Telephone, "", "+81 3-1234-5678", "+81312345678"},
		{record.Telephone, "", "call me", "!not-a-telephone-number"}, {record.Telephone, "", "123", "!not-a-telephone-number"},
		{record.WebAddress, "", "brinewell.example/salt", "https://brinewell.example/salt"}, {record.WebAddress, "", "http://brinewell.example", "http://brinewell.example"},
		{record.WebAddress, "", "brinewell", "!not-a-web-address"}, {record.WebAddress, "", "ftp://brinewell.example", "!not-a-web-address"}, {record.WebAddress, "", "two words.example", "!not-a-web-address"},
	} {
		f := record.Field{Key: "x", Label: "Field", Type: c.kind, Length: 60}
		v, wrong := f.Settle(feel.StringOf(c.text), record.Surroundings{Company: &ireland, Country: c.country})
		if c.want[0] == '!' {
			if assert.NotNil(t, wrong, c.text) {
				assert.Equal(t, c.want[1:], wrong.Code, c.text)
			}
			continue
		}
		assert.Nil(t, wrong, c.text)
		assert.Equal(t, c.want, record.Write(v))
		again, wrong := f.Settle(v, record.Surroundings{Company: &ireland, Country: c.country})
		assert.Nil(t, wrong, c.text)
		assert.Equal(t, v, again, "settling twice changes nothing")
	}
	account := record.Field{Type: record.BankAccount}
	assert.Equal(t, "IE29 AIBK 9311 5212 3456 78", account.Show(feel.StringOf("IE29AIBK93115212345678"), english, record.Surroundings{}))
	telephone := record.Field{Type: record.Telephone}
	assert.Equal(t, "+45 33 12 34 56", telephone.Show(feel.StringOf("+4533123456"), english, record.Surroundings{}))
	weight := record.Field{Type: record.Quantity, Decimals: 1}
	assert.Equal(t, "1,200 kg", weight.Show(feel.IntegerOf(1200), english, record.Surroundings{Unit: "kg"}))
}

func TestATextFollowsItsPattern(t *testing.T) {
	f := record.Field{Label: "Berth", Type: record.Text, Pattern: `[A-Z]\d{2}`, Case: "upper", Help: "a letter and two digits"}
	v, wrong := f.Settle(feel.StringOf("k12"), record.Surroundings{})
	assert.Nil(t, wrong)
	assert.Equal(t, "K12", record.Write(v))
	_, wrong = f.Settle(feel.StringOf("K123"), record.Surroundings{})
	assert.ErrorContains(t, wrong, "a letter and two digits")
}

// No change of one digit, and no swap of two neighbours, passes for the same IBAN.
func TestAMistypedAccountIsNoticed(t *testing.T) {
	f := record.Field{Label: "Account", Type: record.BankAccount}
	const good = "DE89370400440532013000"
	rapid.Check(t, func(rt *rapid.T) {
		text := []byte(good)
		at := rapid.IntRange(2, len(text)-2).Draw(rt, "at")
		if rapid.Bool().Draw(rt, "swap") {
			text[at], text[at+1] = text[at+1], text[at]
		} else {
			text[at] = byte('0' + rapid.IntRange(0, 9).Draw(rt, "digit"))
		}
		_, wrong := f.Settle(feel.StringOf(string(text)), record.Surroundings{})
		if (string(text) == good) != (wrong == nil) {
			rt.Fatalf("%s: %v", text, wrong)
		}
	})
}

var order = record.Kind{Key: "order", Label: "Order", Title: []string{"customer"}, Sections: []record.Section{{Key: "general"}, {Key: "terms"}, {Key: "lines"}}, Fields: []record.Field{
	{Key: "customer", Label: "Customer", Section: "general", Type: record.ToRecord, Kind: "customer"},
	{Key: "note", Label: "Note", Section: "general", Type: record.Text, Length: 20, Searched: true},
	{Key: "total", Label: "Total", Section: "terms", Type: record.Amount},
	{Key: "due", Label: "Due", Section: "terms", Type: record.Date},
	{Key: "rate", Label: "Rate", Section: "terms", Type: record.Percent, Decimals: 1},
	{Key: "terms", Label: "Terms", Section: "terms", Type: record.Choice, Choices: []record.Option{{Code: "N30"}}},
	{Key: "lines.item", Label: "Item", Section: "lines", Type: record.ToRecord, Kind: "item"},
	{Key: "lines.quantity", Label: "Quantity", Section: "lines", Type: record.Quantity, Decimals: 3, Digits: 8},
	{Key: "lines.amount", Label: "Amount", Section: "lines", Type: record.Amount},
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

var invoice = record.Kind{Key: "invoice", Label: "Invoice", Fields: []record.Field{
	{Key: "order", Label: "Order", Type: record.ToRecord, Kind: "order"}, {Key: "customer", Label: "Customer", Type: record.ToRecord, Kind: "customer"},
	{Key: "text", Label: "Text", Type: record.Text, Length: 10}, {Key: "rate", Label: "Rate", Type: record.Number, Decimals: 2},
	{Key: "terms", Label: "Terms", Type: record.Choice, Choices: []record.Option{{Code: "N45"}}}, {Key: "lines.debit", Label: "Debit", Type: record.Amount}, {Key: "lines.credit", Label: "Credit", Type: record.Amount},
	{Key: "lines.count", Label: "Count", Type: record.Quantity, Decimals: 1}, {Key: "lines.text", Label: "Line text", Type: record.Text},
}}

func TestAPairThatDoesNotFitIsToldWhenItIsWritten(t *testing.T) {
	for _, c := range []struct {
		pair record.Pair
		want string // part of the message; "": it fits
	}{
		{record.Pair{From: "customer", To: "customer"}, ""}, {record.Pair{From: "#", To: "order"}, ""}, {record.Pair{From: "#", To: "lines.text"}, ""}, {record.Pair{From: "total", To: "lines.debit", Line: 1}, ""},
		{record.Pair{From: "lines.amount", To: "lines.credit"}, ""}, {record.Pair{Constant: "hello", To: "lines.text", Line: 2}, ""}, {record.Pair{From: "customer", To: "lines.text"}, ""},
		{record.Pair{From: "#", To: "customer"}, "the number of a order does not fit"}, {record.Pair{From: "note", To: "text"}, "up to 20 characters into 10"},
		{record.Pair{From: "rate", To: "rate"}, "a percentage is a fraction"}, {record.Pair{From: "terms", To: "terms"}, "it has no code N30"}, {record.Pair{From: "note", To: "terms"}, "its own codes only"},
		{record.Pair{From: "due", To: "lines.debit"}, "Due (date) does not fit Debit (amount)"}, {record.Pair{From: "lines.item", To: "customer"}, "does not fit"},
		{record.Pair{From: "lines.quantity", To: "lines.count"}, "3 decimals into 1"}, {record.Pair{From: "lines.amount", To: "rate"}, "cannot go into Rate"}, {record.Pair{From: "lines.amount", To: "lines.debit", Line: 1}, "the line made of it"},
		{record.Pair{From: "note", To: "customer"}, "does not fit"}, {record.Pair{From: "nope", To: "text"}, `no field "nope"`}, {record.Pair{From: "note", To: "nope"}, `no field "nope"`},
		{record.Pair{Constant: "x", To: "lines.debit", Line: 1}, "is a number"}, {record.Pair{From: "customer", To: "customer", Line: 1}, "stands in no line"},
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

func TestListsAreSearchedFilteredAndSorted(t *testing.T) {
	var records []record.Listed
	for i, values := range []map[string]string{
		{"customer": "C1", "note": "rush to Quay", "total": "9.5", "due": "2026-12-01"}, {"customer": "C2", "total": "100"}, {"customer": "C1", "note": "quiet", "total": "20", "due": "2026-11-01"}, {"note": "Äpfel"},
	} {
		r := record.Listed{Number: fmt.Sprintf("O%d", i+9), Company: "10", State: "kept", Content: record.Content{Values: values}}
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
		got, wrong := record.Select(&order, records, c.s, continental)
		require.Nil(t, wrong)
		assert.Equal(t, c.want, got, "%+v", c.s)
	}
	_, wrong := record.Select(&order, records, record.Selection{Filters: []record.Filter{{Field: "total", Relation: "from", Value: "much"}}}, english)
	assert.ErrorContains(t, wrong, "Total is a number")
	_, wrong = record.Select(&order, records, record.Selection{Filters: []record.Filter{{Field: "nope", Relation: "is"}}}, english)
	assert.ErrorContains(t, wrong, "no field")
}

// What a person writes is read by their own format, and where that cannot be meant
// by the one that can.
func TestNumbersAreReadAsTheyAreMeant(t *testing.T) {
	f := record.Field{Label: "Amount", Type: record.Amount}
	for _, c := range []struct {
		typed                string
		english, continental string // "": no number
	}{
		{"1200", "1200", "1200"}, {"1,200", "1200", "1.2"}, {"1.200", "1.2", "1200"}, {"1,200.50", "1200.5", "1200.5"}, {"1.200,50", "1200.5", "1200.5"},
		{"1,5", "1.5", "1.5"}, {"1.5", "1.5", "1.5"}, {"1.234.567", "1234567", "1234567"}, {"1,234,567", "1234567", "1234567"}, {"1.234.567,8", "1234567.8", "1234567.8"},
		{"-1.200,5", "-1200.5", "-1200.5"}, {"1,2,3", "", ""}, {"1.2,3,4", "", ""}, {"12,34.5,6", "", ""}, {",5", "0.5", "0.5"}, {"1 200,5", "1200.5", "1200.5"},
	} {
		for format, want := range map[record.Format]string{english: c.english, continental: c.continental} {
			v, wrong := f.Read(c.typed, format, record.Surroundings{})
			if want == "" {
				assert.NotNil(t, wrong, c.typed)
				continue
			}
			assert.Nil(t, wrong, "%s %v", c.typed, format)
			assert.Equal(t, want, record.Write(v), "%s %v", c.typed, format)
		}
	}
}
