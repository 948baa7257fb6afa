package engine_test

import (
	"encoding/json"
	"fmt"
	"os"
	"slices"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"codicil/core/engine"
	"codicil/core/feel"
	"codicil/core/field"
	"codicil/core/judge"
	"codicil/core/plan"
	"codicil/core/record"
	"codicil/core/rule"
	"codicil/core/table"
)

var documentKinds = []record.Kind{
	{Key: "invoice", Label: "Invoice", Plural: "Invoices", Posted: true,
		Journal: &record.Journal{Account: "lines.account", Debit: "lines.debit", Credit: "lines.credit", Control: "kept_by", Partners: []string{"customer"}},
		Fields: []field.Field{
			{Key: "customer", Label: "Customer", Type: field.Link, Kind: "customer"},
			{Key: "currency", Label: "Currency", Type: field.Text, Length: 3, Section: "texts"},
			{Key: "total", Label: "Total", Type: field.Amount, Currency: "currency"},
			{Key: "note", Label: "Note", Type: field.Text, Section: "texts"},
			{Key: "lines.account", Label: "Account", Type: field.Link, Kind: "account"},
			{Key: "lines.item", Label: "Item", Type: field.Link, Kind: "item"},
			{Key: "lines.quantity", Label: "Quantity", Type: field.Quantity, Decimals: 2, Unit: "unit"},
			{Key: "lines.unit", Label: "Unit", Type: field.Text},
			{Key: "lines.price", Label: "Price", Type: field.Amount, Currency: "currency"},
			{Key: "lines.debit", Label: "Debit", Type: field.Amount, Currency: "currency"},
			{Key: "lines.credit", Label: "Credit", Type: field.Amount, Currency: "currency"},
		}},
	{Key: "customer", Label: "Customer", Fields: []field.Field{{Key: "name", Label: "Name", Type: field.Text}, {Key: "clerk", Label: "Clerk", Type: field.Link, Kind: "person"}}},
	{Key: "person", Label: "Person", Fields: []field.Field{{Key: "name", Label: "Name", Type: field.Text}, {Key: "chief", Label: "Chief", Type: field.Link, Kind: "person"}}},
	{Key: "item", Label: "Item", Fields: []field.Field{{Key: "price", Label: "Price", Type: field.Amount}, {Key: "sold", Label: "Sold", Type: field.Number, Digits: 3}, {Key: "seen", Label: "Last sold to", Type: field.Text}}},
	{Key: "account", Label: "Account", Fields: []field.Field{{Key: "name", Label: "Name", Type: field.Text}, {Key: "kept_by", Label: "Kept by", Type: field.Text}}},
}

// linked are the records that the cases link to.
type linked map[string]map[string]string

var masters = linked{
	"customer C1": {"name": "Quay Grocers", "clerk": "P1"}, "customer C2": {"name": "Tide & Sons", "clerk": "P2"}, "person P1": {"name": "Moya", "chief": "P2"}, "person P2": {"name": "Tarrant"},
	"item I1": {"price": "12.50", "sold": "4"}, "item I2": {"price": "3"}, "account 4000": {"name": "Revenue"}, "account 1200": {"name": "Receivables"}, "account 1300": {"name": "Customers", "kept_by": "customer"},
}

func (l linked) Follow(kind, key, field string) feel.Value {
	for i := range documentKinds {
		if documentKinds[i].Key == kind {
			v, _ := documentKinds[i].Field(field).Parse(l[kind+" "+key][field])
			return v
		}
	}
	return feel.NullValue
}

func (l linked) Now(_, key string) string { return key }

func (l linked) Missing(kind, key string) string {
	if l[kind+" "+key] == nil {
		return fmt.Sprintf("there is no %s %q", kind, key)
	}
	return ""
}

// tables are what the cases look up.
var tables = &table.Set{
	Standing: []table.Standing{
		{Field: field.Field{Key: "freight", Label: "Freight", Type: field.Number, Decimals: 2}, Periods: []table.StandingValue{
			{Value: "12.5", Period: table.Period{Until: "2026-12-31"}}, {Value: "13", Period: table.Period{From: "2027-01-01"}}, {Company: "30", Value: "900"}}},
		{Field: field.Field{Key: "approver", Label: "Approver", Type: field.Link, Kind: "person"}, Periods: []table.StandingValue{{Value: "P1"}}},
		{Field: field.Field{Key: "lapsed", Label: "Lapsed", Type: field.Text}, Periods: []table.StandingValue{{Value: "x", Period: table.Period{Until: "2025-12-31"}}}},
	},
	Crosswalks: []table.Crosswalk{{Key: "units", Label: "Units", Keys: []field.Field{{Key: "unit", Label: "Unit", Type: field.Text}},
		Results: []field.Field{{Key: "code", Label: "Code", Type: field.Text}, {Key: "factor", Label: "Factor", Type: field.Number, Decimals: 3}},
		Rows:    []table.Row{{Keys: []string{"kg"}, Results: []string{"KGM", "1"}}, {Keys: []string{"t"}, Results: []string{"TNE", "1000"}}, {Keys: []string{"lb"}, Results: []string{"LBR", "0.454"}, Period: table.Period{From: "2027-01-01"}}}}},
	Series: []table.Series{{Key: "refs", Label: "References", Parts: []table.Part{{Is: table.Constant, Text: "R"}, {Is: table.Year}, {Is: table.Counter, Digits: 3}}, Start: 7, Step: 1}},
}

type lineJourney struct {
	journey
	Lines, StoredLines, PreviousLines []map[string]string
	// Again is what is keyed a second time, by field of the header; nil: nobody keys.
	Again    map[string]string
	Previous map[string]string
	Final    map[string]string // by address
	Made     map[string]string
	Did      map[string]string // by "rule address"
	Unsound  string
	// Uniqueness are the other saved documents with the same unique values, by "company key".
	Uniqueness map[string][]string
	FollowUps  []string
	Sorted     map[string]string // label of the band by address
}

// Same answers from the list of the case.
func (j *lineJourney) Same(_ *rule.Compiled, company, key string, _ []string) []string {
	return slices.Clone(j.Uniqueness[strings.TrimSpace(company+" "+strings.ReplaceAll(key, "\x1f", "|"))])
}

func (j *lineJourney) run(t testing.TB, detail bool) (*engine.Outcome, *plan.Plan) {
	t.Helper()
	p, c := j.prepare(t)
	return engine.Run(p, c, detail), p
}

func (j *lineJourney) prepare(t testing.TB) (*plan.Plan, *engine.Case) {
	t.Helper()
	kind := &documentKinds[0]
	book := plan.NewBook(kind, documentKinds, tables, rulesOf(j.journey))
	for _, c := range book.Rules {
		if j.Unsound != "" {
			require.NotEmpty(t, c.Problems)
			assert.Contains(t, c.Problems[0].Message, j.Unsound)
			continue
		}
		require.True(t, c.Sound(), "%v", c.Problems)
	}
	d := judge.Document{Kind: "invoice", Company: "10", Type: "VI", Record: "D7", Day: "2026-11-24", Entered: items(j.Entered), Stored: j.Stored}
	for i, line := range j.Lines {
		if line != nil {
			d.Lines = append(d.Lines, judge.Line{Number: i + 1, Entered: items(line)})
		}
	}
	for i, line := range j.StoredLines {
		d.StoredLines = append(d.StoredLines, record.Line{Number: i + 1, Values: line})
	}
	for key, text := range j.Again {
		d.Entered[key] = judge.Item{Typed: d.Entered[key].Typed, Again: text}
	}
	if j.Previous != nil {
		d.Previous = &record.Content{Values: j.Previous}
		for i, line := range j.PreviousLines {
			d.Previous.Lines = append(d.Previous.Lines, record.Line{Number: i + 1, Values: line})
		}
	}
	return caseOf(t, &d, judge.Circumstances{Book: book, User: "Ada", Moment: j.Moment, Keyed: j.Again != nil, Linked: masters, Uniqueness: j})
}

func items(texts map[string]string) map[string]judge.Item {
	entered := map[string]judge.Item{}
	for key, text := range texts {
		entered[key] = judge.Item{Typed: text}
	}
	return entered
}

func TestJourneysOfLines(t *testing.T) {
	text, err := os.ReadFile("testdata/lines.json")
	require.NoError(t, err)
	var list []lineJourney
	require.NoError(t, json.Unmarshal(text, &list))
	kind := &documentKinds[0]
	for _, j := range list {
		t.Run(j.Name, func(t *testing.T) {
			if j.Moment == "" {
				j.Moment = rule.Saving
			}
			out, p := j.run(t, true)
			if j.Unsound != "" {
				return
			}
			if j.Loop != "" {
				require.NotNil(t, p.Loop)
				assert.Equal(t, j.Loop, p.Loop.Describe(kind))
				return
			}
			if j.Verdict != "" {
				assert.Equal(t, j.Verdict, out.Verdict)
			}
			final, made, did := map[string]string{}, map[string]string{}, map[string]string{}
			for _, s := range out.Cells() {
				address := judge.Address(kind, s.Index, s.Line)
				final[address], made[address] = field.Write(s.Final), s.Made
				for _, a := range s.Rules {
					did[fmt.Sprint(a.Rule.ID, " ", address)] = a.Did
				}
			}
			for address, want := range j.Final {
				assert.Equal(t, want, final[address], address)
			}
			for address, want := range j.Made {
				assert.Equal(t, want, made[address], address)
			}
			for key, want := range j.Did {
				assert.Equal(t, want, did[key], key)
			}
			var after []string
			for _, f := range out.FollowUps {
				after = append(after, fmt.Sprintf("%d %s %s %s: %s > %s", f.Line, f.Kind, f.Number, f.Field.Key, field.Write(f.Before), field.Write(f.After)))
			}
			assert.Equal(t, j.FollowUps, after)
			for _, s := range out.Cells() {
				want, asked := j.Sorted[judge.Address(kind, s.Index, s.Line)]
				switch {
				case s.Sorted != nil:
					assert.Equal(t, want, s.Sorted.Effect.Bands[s.Band].Label)
				case asked:
					assert.Empty(t, want)
				}
			}
			if j.Messages == nil {
				return
			}
			messages := []string{}
			for i := range out.Messages {
				m := &out.Messages[i]
				messages = append(messages, strings.TrimSpace(fmt.Sprintf("%s %s %d: %s", m.Severity, m.Key(kind), m.Line, m.Text)))
			}
			assert.ElementsMatch(t, j.Messages, messages)
		})
	}
}

// A posting is accepted exactly when its debits equal its credits to the last
// cent, however they are spread over lines, and leaving out the detail changes
// nothing.
func TestAPostingBalancesOrIsRefused(t *testing.T) {
	cents := func(n int) string { return fmt.Sprintf("%d.%02d", n/100, n%100) }
	rapid.Check(t, func(rt *rapid.T) {
		j := lineJourney{journey: journey{Moment: rule.Posting, Entered: map[string]string{"currency": "EUR"}}}
		balance := 0
		for range rapid.IntRange(1, 8).Draw(rt, "lines") {
			n := rapid.IntRange(1, 99999).Draw(rt, "amount")
			side := rapid.SampledFrom([]string{"debit", "credit"}).Draw(rt, "side")
			if side == "credit" {
				balance -= n
			} else {
				balance += n
			}
			j.Lines = append(j.Lines, map[string]string{"account": "4000", side: cents(n)})
		}
		if side := map[bool]string{true: "credit", false: "debit"}[balance > 0]; balance != 0 && rapid.Bool().Draw(rt, "mended") {
			j.Lines = append(j.Lines, map[string]string{"account": "1200", side: cents(max(balance, -balance))})
			balance = 0
		}
		want := engine.Accepted
		if balance != 0 {
			want = engine.Refused
		}
		for _, detail := range []bool{true, false} {
			if out, _ := j.run(t, detail); out.Verdict != want {
				rt.Fatalf("balance %d gives %s: %v", balance, out.Verdict, out.Messages)
			}
		}
	})
}

// Rules in lines that read all lines: the cost of a document grows with its lines, so that the
// most lines that there may be stay within what its formulas may take together.
func TestRulesThatReadAllLinesTakeManyLines(t *testing.T) {
	j := lineJourney{journey: journey{Moment: rule.Saving, Entered: map[string]string{"currency": "EUR"}, Rules: []given{
		{ID: 1, Family: rule.Validate, Target: "lines.quantity", effect: effect{Must: "line.quantity <= sum(lines.quantity) and count(lines[item = \"I1\"]) < 1000000", Severity: rule.Confirm, Message: "{line.quantity} of {sum(lines.quantity)}"}},
		{ID: 2, Family: rule.Default, Target: "lines.price", effect: effect{Lifetime: rule.KeepsUp, Value: "max(lines.quantity) + line.quantity"}},
	}}}
	for range judge.MaxLines {
		j.Lines = append(j.Lines, map[string]string{"quantity": "1"})
		j.StoredLines = append(j.StoredLines, map[string]string{"quantity": "1", "price": "2"})
	}
	j.Lines[0]["quantity"] = "2"
	out, _ := j.run(t, false)
	for _, m := range out.Messages {
		require.NotEqual(t, "failed", m.Code, m.Text)
	}
	assert.Equal(t, "3", field.Write(out.Lines[len(out.Lines)-1].Fields[4].Final), "the default keeps up in every line")
	j.Lines = append(j.Lines, map[string]string{"quantity": "1"})
	d := judge.Document{Kind: "invoice", Lines: make([]judge.Line, len(j.Lines))}
	_, err := judge.Judge(&d, &judge.Circumstances{})
	assert.ErrorIs(t, err, judge.ErrTooManyLines)
}

func TestARunThatNobodyWaitsForStops(t *testing.T) {
	j := lineJourney{journey: journey{Moment: rule.Saving}, Lines: []map[string]string{{"quantity": "1"}}}
	p, c := j.prepare(t)
	done := make(chan struct{})
	c.Done = done
	assert.False(t, engine.Run(p, c, true).Stopped)
	close(done)
	assert.True(t, engine.Run(p, c, true).Stopped)
}

// Facts are told of the fields that they are asked for.
func TestFactsAreToldWhereTheyAreAskedFor(t *testing.T) {
	j := lineJourney{journey: journey{Moment: rule.Saving, Rules: []given{{ID: 1, Family: rule.Compute, Target: "lines.price", effect: effect{Value: "line.quantity * 2"}}}}, Lines: []map[string]string{{"quantity": "1"}, {"quantity": "2"}}}
	p, c := j.prepare(t)
	place := documentKinds[0].Index("lines.price")
	c.Facts = func(at, line int) bool { return at == place && line == 2 }
	out := engine.Run(p, c, true)
	assert.Empty(t, out.Field(place, 1).Rules[0].Facts)
	assert.NotEmpty(t, out.Field(place, 2).Rules[0].Facts)
	assert.Equal(t, engine.Acted, out.Field(place, 1).Rules[0].Did)
}
