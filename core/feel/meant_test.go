package feel_test

import (
	"os"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"codicil/core/feel"
)

// office is the scope in which the mistakes stand, on the header and in a line, and documents
// to compare by.
func office(t testing.TB) (header, line feel.Scope, documents []*feel.Frame) {
	t.Helper()
	vendor := feel.Type{Kind: feel.String, Link: &feel.Link{Kind: "vendor", Fields: func() map[string]feel.Type {
		return map[string]feel.Type{"country": feel.StringType, "payment_terms": feel.StringType, "credit_limit": feel.NumberType}
	}, Label: func(field string) string {
		return map[string]string{"country": "Country", "payment_terms": "Payment terms", "credit_limit": "Credit limit"}[field]
	}}}
	header = feel.Scope{}
	fields := []struct {
		name, label string
		typ         feel.Type
	}{
		{"country", "Country", feel.StringType}, {"amount", "Amount", feel.NumberType}, {"limit", "Credit limit", feel.NumberType}, {"net_total", "Net total", feel.NumberType},
		{"tax_rate", "Tax rate", feel.Type{Kind: feel.Number, Percent: true}}, {"payment_block", "Payment block", feel.BooleanType}, {"active", "Active", feel.BooleanType},
		{"due", "Due date", feel.DateType}, {"name", "Name", feel.StringType}, {"terms", "Payment terms", feel.StringType}, {"account", "G/L account", feel.StringType}, {"vendor", "Vendor", vendor},
	}
	for i, f := range fields {
		header[f.name] = feel.Symbol{Slot: i, Type: f.typ, Label: f.label}
	}
	at := len(fields)
	header["company"] = feel.Symbol{Slot: -1, Members: map[string]feel.Symbol{"country": {Slot: at, Type: feel.StringType}}}
	columns := []struct {
		name, label string
		typ         feel.Type
	}{{"item", "Item", feel.StringType}, {"quantity", "Quantity", feel.NumberType}, {"price", "Price", feel.NumberType}}
	lists, row, entries := map[string]feel.Symbol{}, map[string]feel.Symbol{}, map[string]feel.Type{}
	for i, c := range columns {
		lists[c.name] = feel.Symbol{Slot: at + 1 + i, Type: feel.ListType(c.typ), Label: c.label}
		row[c.name] = feel.Symbol{Slot: feel.RowSlot + i, Type: c.typ, Label: c.label}
		entries[c.name] = c.typ
	}
	header["lines"] = feel.Symbol{Slot: at + 1 + len(columns), Type: feel.ListType(feel.Type{Kind: feel.Context, Entries: entries}), Members: lists}
	header["crosswalk"] = feel.Symbol{Slot: -1, Tables: map[string]feel.Table{"terms": {Keys: []feel.Type{feel.StringType}, Columns: map[string]feel.Type{"days": feel.NumberType}, First: "days"}}}
	line = feel.Scope{"line": feel.Symbol{Slot: -1, Members: row}}
	for name, symbol := range header {
		line[name] = symbol
	}
	for _, texts := range []string{
		`["IE", 100, 5, 1200.5, 0.1, true, false, @"2026-11-24", "Salt", "N30", "5000", "V1", "IE", ["A", "B"], [2, 3], [6, 60]]`,
		`["DK", 1.5, 500, 7, 0.075, false, true, @"2026-12-31", "sea salt.", null, "5100", "V2", "DK", ["C"], [1], [120]]`,
		`[null, 1000, 1000, 1000, 0.025, false, false, @"2025-12-01", "St", "N45", "12", "V1", "IE", ["A"], [0], [1]]`,
		`["JP", 3, null, 0, 0.3, true, true, @"2026-10-01", null, "N30", "5000", "V2", "JP", ["A", "A", null], [1, 1, 1], [100, 1, 7]]`,
	} {
		program, problems := feel.Compile(texts, nil, feel.Lenient)
		require.NoError(t, problems.Errors())
		var frame feel.Frame
		values := program.Eval(&frame)
		for i := range at + 1 + len(columns) {
			frame.Slots = append(frame.Slots, values.At(i))
		}
		var lines []feel.Value
		count, _ := frame.Slots[at+1].Count()
		for n := range count {
			frame.Row = nil
			for i := range columns {
				frame.Row = append(frame.Row, frame.Slots[at+1+i].At(n))
			}
			lines = append(lines, feel.ContextOf(&feel.Entries{Keys: []string{"item", "quantity", "price"}, Values: frame.Row}))
		}
		frame.Slots = append(frame.Slots, feel.ListOf(lines))
		frame.Now, frame.Linked = literal(t, `@"2026-11-24T10:15:00"`), vendors{}
		frame.Tables = tables{"terms/N30/days": feel.IntegerOf(30), "terms/N45/days": feel.IntegerOf(45)}
		documents = append(documents, &frame)
	}
	return header, line, documents
}

type vendors struct{}

func (vendors) Follow(_, key, field string) feel.Value {
	return map[string]feel.Value{"V1 country": feel.StringOf("IE"), "V1 payment_terms": feel.StringOf("N30"), "V2 credit_limit": feel.IntegerOf(50), "V2 country": feel.StringOf("DK")}[key+" "+field]
}

// Every correction that is offered parses, is of the type that is wanted, and comes to what
// was meant.
func TestMistakesAreCorrectedAsTheyWereMeant(t *testing.T) {
	header, line, documents := office(t)
	scope, count := header, 0
	text, err := os.ReadFile("testdata/mistakes.txt")
	require.NoError(t, err)
	for row := range strings.Lines(string(text)) {
		row = strings.TrimSpace(row)
		if row == "## lines" {
			scope = line
		}
		if row == "" || row[0] == '#' {
			continue
		}
		count++
		if mistake, advice, ok := strings.Cut(row, " !! "); ok {
			_, problems := feel.Compile(mistake, scope, feel.Strict)
			require.Error(t, problems.Errors(), mistake)
			advised := feel.Advise(mistake, scope, feel.Strict, problems, nil)
			assert.Contains(t, advised[0].Message, advice, mistake)
			assert.Empty(t, advised[0].Suggestion, mistake)
			continue
		}
		i := strings.LastIndex(row, " => ")
		mistake, meant := row[:i], row[i+len(" => "):]
		wanted, problems := feel.Compile(meant, scope, feel.Strict)
		require.NoError(t, problems.Errors(), meant)
		wrong, problems := feel.Compile(mistake, scope, feel.Strict)
		if wrong != nil && problems.Errors() == nil {
			if len(problems) == 0 || problems[0].Suggestion == "" {
				t.Errorf("%s is accepted as it stands", mistake)
				continue
			}
		} else {
			problems = feel.Advise(mistake, scope, feel.Strict, problems, func(p *feel.Program) bool { return p.Type().Fits(wanted.Type()) })
		}
		p := problems[0]
		if !assert.NotEmpty(t, p.Suggestion, "%s: %s", mistake, p.Message) {
			continue
		}
		corrected := mistake[:p.Start] + p.Suggestion + mistake[p.End:]
		program, problems := feel.Compile(corrected, scope, feel.Strict)
		if !assert.NoError(t, problems.Errors(), "%s becomes %s", mistake, corrected) {
			continue
		}
		assert.Equal(t, wanted.Type().String(), program.Type().String(), "%s becomes %s", mistake, corrected)
		for _, frame := range documents {
			assert.Equal(t, wanted.Eval(frame).String(), program.Eval(frame).String(), "%s becomes %s (%s)", mistake, corrected, p.Message)
		}
		assert.NotEmpty(t, p.Message)
	}
	assert.GreaterOrEqual(t, count, 200)
}

// said is a condition as a spreadsheet has it, and what is meant.
type said struct{ written, meant string }

// spreadsheet draws conditions of several, one in the other.
func spreadsheet(t *rapid.T, depth int, separator string) said {
	if depth == 0 {
		return rapid.SampledFrom([]said{
			{`amount<>100`, `amount != 100`}, {`amount>=1,5`, `amount >= 1.5`}, {`country="IE"`, `country = "IE"`}, {`active`, `active`}, {`payment_block=TRUE`, `payment_block = true`},
			{`ISBLANK(terms)`, `is blank(terms)`}, {`YEAR(due)=2026`, `due.year = 2026`}, {`ROUND(net_total*19%` + separator + `2)>20`, `round half up(net_total * 0.19, 2) > 20`}, {`LEN(name)>3`, `string length(name) > 3`},
		}).Draw(t, "condition")
	}
	a, b := spreadsheet(t, depth-1, separator), spreadsheet(t, depth-1, separator)
	switch rapid.SampledFrom([]string{"AND", "OR", "NOT", "IF", "and", "!"}).Draw(t, "form") {
	case "AND":
		return said{"AND(" + a.written + separator + b.written + ")", "(" + a.meant + ") and (" + b.meant + ")"}
	case "OR":
		return said{"OR(" + a.written + separator + b.written + ")", "(" + a.meant + ") or (" + b.meant + ")"}
	case "NOT":
		return said{"NOT(" + a.written + ")", "not(" + a.meant + ")"}
	case "IF":
		return said{"IF(" + a.written + separator + b.written + separator + "FALSE)", "if (" + a.meant + ") then (" + b.meant + ") else false"}
	case "and":
		return said{"(" + a.written + ") AND (" + b.written + ")", "(" + a.meant + ") and (" + b.meant + ")"}
	}
	return said{"!(" + a.written + ")", "not(" + a.meant + ")"}
}

func TestConditionsOfSpreadsheetsAreReadAsTheyAreMeant(t *testing.T) {
	scope, _, documents := office(t)
	rapid.Check(t, func(rt *rapid.T) {
		drawn := spreadsheet(rt, rapid.IntRange(0, 3).Draw(rt, "depth"), ";")
		written := "=" + drawn.written
		_, problems := feel.Compile(written, scope, feel.Strict)
		require.Error(rt, problems.Errors(), written)
		p := feel.Advise(written, scope, feel.Strict, problems, nil)[0]
		require.NotEmpty(rt, p.Suggestion, "%s: %s", written, p.Message)
		corrected := written[:p.Start] + p.Suggestion + written[p.End:]
		program, problems := feel.Compile(corrected, scope, feel.Strict)
		require.NoError(rt, problems.Errors(), corrected)
		wanted, problems := feel.Compile(drawn.meant, scope, feel.Strict)
		require.NoError(rt, problems.Errors(), drawn.meant)
		for _, frame := range documents {
			assert.Equal(rt, wanted.Eval(frame).String(), program.Eval(frame).String(), "%s becomes %s", written, corrected)
		}
	})
}

// Whatever is typed: advice stands in the text, and what it offers for the whole compiles.
func FuzzAdvise(f *testing.F) {
	text, err := os.ReadFile("testdata/mistakes.txt")
	require.NoError(f, err)
	for row := range strings.Lines(string(text)) {
		f.Add(row)
	}
	scope, _, _ := office(f)
	f.Fuzz(func(t *testing.T, text string) {
		program, problems := feel.Compile(text, scope, feel.Strict)
		if program != nil {
			return
		}
		for _, p := range feel.Advise(text, scope, feel.Strict, problems, nil) {
			require.True(t, 0 <= p.Start && p.Start <= p.End && p.End <= len(text), "%q: %d to %d", text, p.Start, p.End)
			require.NotEmpty(t, p.Message)
		}
	})
}
