package record

import (
	"maps"
	"slices"

	"codicil/core/decimal"
	"codicil/core/field"
)

// Content is what a record holds, every value in its stored form.
type Content struct {
	// Values are those of the header, by field; what is not there is blank.
	Values map[string]string `json:"values"`
	Lines  []Line            `json:"lines,omitempty"`
	// Origins say who gave the values of the header, by field; what is not there is not known.
	Origins Origins `json:"origins,omitempty"`
	// Reasons were given to go on in spite of a check that asks for one.
	Reasons []Reason `json:"reasons,omitempty"`
}

// Reason is what a person said to go on in spite of a check that asks for a reason.
type Reason struct {
	Rule int64  `json:"rule"` // the check
	Line int    `json:"line,omitempty"`
	Text string `json:"text"`
	By   string `json:"by"`
	At   string `json:"at"` // RFC 3339
	// Read stands for the values that the check read then: while they are the same, nobody is
	// asked again.
	Read string `json:"read"`
}

// Line is one line of a record.
type Line struct {
	// Number names the line as long as it lives, whatever its place: 1, 2, 3.
	Number int `json:"number"`
	// Values by column: the field's key without LinePrefix.
	Values map[string]string `json:"values"`
	// Origins say who gave the values, by column.
	Origins Origins `json:"origins,omitempty"`
}

// LineAt returns the place of the line with a number; -1: there is none. Cost: a search by halves where the lines stand in the order of
// their numbers, as nearly all do; else, and where it is not there, all of them.
func LineAt(lines []Line, number int) int {
	if i, found := slices.BinarySearchFunc(lines, number, func(l Line, number int) int { return l.Number - number }); found {
		return i
	}
	return slices.IndexFunc(lines, func(l Line) bool { return l.Number == number })
}

// Line returns the values of the line with the number; nil when there is none.
func (c *Content) Line(number int) map[string]string {
	if i := LineAt(c.Lines, number); i >= 0 {
		return c.Lines[i].Values
	}
	return nil
}

// OriginsOf returns the origins of the header, or of the line with the number; nil when
// none are known.
func (c *Content) OriginsOf(line int) Origins {
	if line == 0 {
		return c.Origins
	}
	if i := LineAt(c.Lines, line); i >= 0 {
		return c.Lines[i].Origins
	}
	return nil
}

// Get returns a value by field and, for a field of the lines, line number.
func (c *Content) Get(f *field.Field, line int) string {
	if f.OfLine() {
		return c.Line(line)[f.Column()]
	}
	return c.Values[f.Key]
}

// Clone returns the content with values and origins of its own.
func (c *Content) Clone() Content {
	clone := *c
	clone.Values, clone.Origins, clone.Lines = maps.Clone(c.Values), maps.Clone(c.Origins), slices.Clone(c.Lines)
	for i := range clone.Lines {
		clone.Lines[i].Values, clone.Lines[i].Origins = maps.Clone(clone.Lines[i].Values), maps.Clone(clone.Lines[i].Origins)
	}
	return clone
}

// Set puts a value and its origin in by field and, for a field of the lines, line number; ""
// makes it blank. Lines that are not there stay away.
func (c *Content) Set(f *field.Field, line int, text string, by Origin) {
	values, origins := &c.Values, &c.Origins
	if f.OfLine() {
		i := LineAt(c.Lines, line)
		if i < 0 {
			return
		}
		values, origins = &c.Lines[i].Values, &c.Lines[i].Origins
	}
	if *values == nil {
		*values = map[string]string{}
	}
	if *origins == nil {
		*origins = Origins{}
	}
	delete(*values, f.Column())
	delete(*origins, f.Column())
	if text != "" {
		(*values)[f.Column()], (*origins)[f.Column()] = text, by
	}
}

// Change is one value that differs between two states of a record.
type Change struct {
	Field  string `json:"field"`          // key
	Line   int    `json:"line,omitempty"` // number of the line; 0: the header
	Before string `json:"before"`
	After  string `json:"after"`
}

// Changes returns what differs between two states, the header first, then the
// lines by number. A line that is not there has only blanks.
func Changes(kind *Kind, before, after *Content) []Change {
	changes := []Change{}
	numbers := map[int]bool{}
	for _, c := range []*Content{before, after} {
		for _, l := range c.Lines {
			numbers[l.Number] = true
		}
	}
	compare := func(fields []field.Field, line int, before, after map[string]string) {
		for i := range fields {
			if was, is := before[fields[i].Column()], after[fields[i].Column()]; was != is {
				changes = append(changes, Change{fields[i].Key, line, was, is})
			}
		}
	}
	headers := kind.Headers()
	compare(kind.Fields[:headers], 0, before.Values, after.Values)
	for _, number := range slices.Sorted(maps.Keys(numbers)) {
		compare(kind.Fields[headers:], number, before.Line(number), after.Line(number))
	}
	return changes
}

// Clash is a field to which two people gave different values.
type Clash struct {
	Field  string `json:"field"`          // key
	Line   int    `json:"line,omitempty"` // number of the line; 0: the header
	Base   string `json:"base"`           // what both began with
	Theirs string `json:"theirs"`
	Mine   string `json:"mine"`
}

// Merge compares what two people made of the same record. theirs are the changes
// that only the other person made, clashes the fields that both changed
// differently; everything else is as mine has it.
func Merge(kind *Kind, base, theirs, mine *Content) (others []Change, clashes []Clash) {
	others, clashes = []Change{}, []Clash{}
	for _, c := range Changes(kind, base, theirs) {
		own := mine.Get(kind.Field(c.Field), c.Line)
		switch own {
		case c.After:
		case c.Before:
			others = append(others, c)
		default:
			clashes = append(clashes, Clash{c.Field, c.Line, c.Before, c.After, own})
		}
	}
	return others, clashes
}

// Reverse returns the content of the document that takes back a posted one:
// debits and credits change places, and signed fields their sign.
func Reverse(kind *Kind, posted *Content) Content {
	reversed := Content{Values: map[string]string{}}
	maps.Copy(reversed.Values, posted.Values)
	for _, l := range posted.Lines {
		values := maps.Clone(l.Values)
		if j := kind.Journal; j != nil {
			debit, credit := kind.Field(j.Debit).Column(), kind.Field(j.Credit).Column()
			values[debit], values[credit] = values[credit], values[debit]
		}
		reversed.Lines = append(reversed.Lines, Line{Number: l.Number, Values: values})
	}
	for _, key := range kind.Signed {
		f := kind.Field(key)
		if f == nil {
			continue
		}
		turn := func(values map[string]string) {
			if n, err := decimal.Parse(values[f.Column()]); err == nil && n.Sign() != 0 {
				values[f.Column()] = n.Neg().String()
			}
		}
		if !f.OfLine() {
			turn(reversed.Values)
			continue
		}
		for _, l := range reversed.Lines {
			turn(l.Values)
		}
	}
	return reversed
}
