package record_test

import (
	"testing"

	"github.com/stretchr/testify/assert"
	"pgregory.net/rapid"

	"codicil/core/field"
	"codicil/core/record"
)

func TestWhatTwoPeopleChangedIsToldApart(t *testing.T) {
	base := record.Content{Values: map[string]string{"note": "old", "total": "5", "due": "2026-12-01"}, Lines: []record.Line{{Number: 1, Values: map[string]string{"item": "I1"}}}}
	theirs := record.Content{Values: map[string]string{"note": "theirs", "total": "6", "due": "2026-12-24"}, Lines: []record.Line{{Number: 1, Values: map[string]string{"item": "I1"}}, {Number: 2, Values: map[string]string{"item": "I2"}}}}
	mine := record.Content{Values: map[string]string{"note": "mine", "total": "5", "due": "2026-12-24"}, Lines: []record.Line{{Number: 1, Values: map[string]string{"item": "I9"}}}}
	others, clashes := record.Merge(&order, &base, &theirs, &mine)
	assert.Equal(t, []record.Change{{Field: "total", Before: "5", After: "6"}, {Field: "lines.item", Line: 2, After: "I2"}}, others, "the same change of both is none")
	assert.Equal(t, []record.Clash{{Field: "note", Base: "old", Theirs: "theirs", Mine: "mine"}}, clashes)
}

// contents draws a record with few values, so that changes meet.
func contents(rt *rapid.T, name string) record.Content {
	values := func(keys ...string) map[string]string {
		drawn := map[string]string{}
		for _, key := range keys {
			if v := rapid.SampledFrom([]string{"", "1", "2"}).Draw(rt, name+key); v != "" {
				drawn[key] = v
			}
		}
		return drawn
	}
	c := record.Content{Values: values("note", "total", "rate")}
	for number := 1; number <= 2; number++ {
		c.Lines = append(c.Lines, record.Line{Number: number, Values: values("item", "amount")})
	}
	return c
}

// Whoever takes the other's changes, and chooses at every clash, loses nothing that
// only one of the two changed.
func TestAMergeLosesNobodysChange(t *testing.T) {
	rapid.Check(t, func(rt *rapid.T) {
		base, theirs, mine := contents(rt, "base"), contents(rt, "theirs"), contents(rt, "mine")
		others, clashes := record.Merge(&order, &base, &theirs, &mine)
		clashing := map[string]bool{}
		for _, c := range clashes {
			clashing[c.Field+string(rune(c.Line))] = true
		}
		merged := record.Content{Values: map[string]string{}, Lines: make([]record.Line, len(mine.Lines))}
		for key, value := range mine.Values {
			merged.Values[key] = value
		}
		for i := range merged.Lines {
			merged.Lines[i] = record.Line{Number: mine.Lines[i].Number, Values: map[string]string{}}
			for key, value := range mine.Lines[i].Values {
				merged.Lines[i].Values[key] = value
			}
		}
		for _, c := range others {
			values := merged.Values
			if c.Line > 0 {
				values = merged.Line(c.Line)
			}
			values[order.Field(c.Field).Column()] = c.After
		}
		for i := range order.Fields {
			f := &order.Fields[i]
			lines := []int{0}
			if f.OfLine() {
				lines = []int{1, 2}
			}
			for _, line := range lines {
				b, th, m, got := base.Get(f, line), theirs.Get(f, line), mine.Get(f, line), merged.Get(f, line)
				want := m
				if m == b {
					want = th
				}
				if got != want {
					rt.Fatalf("%s %d: base %q, theirs %q, mine %q gives %q", f.Key, line, b, th, m, got)
				}
				if both := m != b && th != b && m != th; both != clashing[f.Key+string(rune(line))] {
					rt.Fatalf("%s %d: a clash is %v", f.Key, line, both)
				}
			}
		}
	})
}

var booked = record.Kind{
	Key: "booked", Journal: &record.Journal{Account: "lines.account", Debit: "lines.debit", Credit: "lines.credit"}, Signed: []string{"total", "lines.count"},
	Fields: []field.Field{
		{Key: "total", Type: field.Amount}, {Key: "rate", Type: field.Amount}, {Key: "lines.account", Type: field.Text},
		{Key: "lines.debit", Type: field.Amount}, {Key: "lines.credit", Type: field.Amount}, {Key: "lines.count", Type: field.Quantity},
	},
}

func TestAReversalTurnsSidesAndSignsAndNothingElse(t *testing.T) {
	posted := record.Content{Values: map[string]string{"total": "12.50", "rate": "3"}, Lines: []record.Line{
		{Number: 1, Values: map[string]string{"account": "5", "debit": "12.5", "count": "2"}}, {Number: 3, Values: map[string]string{"account": "1", "credit": "12.5", "count": "0"}}}}
	back := record.Reverse(&booked, &posted)
	assert.Equal(t, "-12.5", back.Values["total"])
	assert.Equal(t, "3", back.Values["rate"])
	assert.Equal(t, map[string]string{"account": "5", "debit": "", "credit": "12.5", "count": "-2"}, back.Lines[0].Values)
	assert.Equal(t, 3, back.Lines[1].Number)
	assert.Equal(t, "12.50", posted.Values["total"], "what was posted never changes")
	again := record.Reverse(&booked, &back)
	assert.Equal(t, "12.5", again.Values["total"])
	assert.Equal(t, "12.5", again.Lines[0].Values["debit"])
}

func TestALineOfItsOwnWithoutANumberIsLeftOut(t *testing.T) {
	m := record.FollowOn{Pairs: []record.Pair{
		{From: "total", To: "lines.debit", Line: 1}, {Constant: "Tax", To: "lines.text", Line: 1}, {Constant: "Note", To: "lines.text", Line: 2}, {From: "lines.amount", To: "lines.credit"},
	}}
	lines := []record.Line{{Number: 4, Values: map[string]string{"amount": "1"}}}
	for total, want := range map[string][]string{"7": {"Tax", "Note", ""}, "0": {"Note", ""}, "": {"Note", ""}} {
		made := m.Apply(&order, &invoice, "SO7", &record.Content{Values: map[string]string{"total": total}, Lines: lines})
		texts := []string{}
		for i, l := range made.Lines {
			assert.Equal(t, i+1, l.Number)
			texts = append(texts, l.Values["text"])
		}
		assert.Equal(t, want, texts, "total %q", total)
	}
}
