package feel

import (
	"fmt"
	"slices"
	"strings"
	"unicode/utf8"

	"codicil/core/decimal"
)

// Kind is the type of a value in the semantic domain of DMN 1.5, section 10.3.2.
type Kind uint8

// The kinds of value. Null is the zero value's kind.
const (
	Null Kind = iota
	Number
	String
	Boolean
	Date
	Time
	DateTime
	DayTimeDuration
	YearMonthDuration
	List
	Context
	Range
	Function
	Any // only as a type: not known before the formula runs
)

var kindNames = [...]string{
	Null: "null", Number: "number", String: "string", Boolean: "boolean", Date: "date", Time: "time",
	DateTime: "date and time", DayTimeDuration: "days and time duration",
	YearMonthDuration: "years and months duration", List: "list", Context: "context", Range: "range", Function: "function", Any: "anything",
}

// String returns the standard's name of the kind.
func (k Kind) String() string { return kindNames[k] }

// Value is one value of the language. The zero value is null. Values never
// change; copy them freely.
type Value struct {
	kind Kind
	// number holds, by kind: the number; 0 or 1 for a boolean; days since
	// 1970-01-01 for a date; seconds since midnight for a time and since
	// 1970-01-01T00:00:00 (in its own zone) for a date and time; seconds or
	// months for a duration.
	number decimal.Number
	// object holds, by kind: a string, *Zone, *sequence, *Entries, *Interval or *function.
	object any
}

// sequence is a list, and how many values there are in it, also in the lists and
// contexts inside. As parts may be shared, that can be far more than memory holds.
type sequence struct {
	items  []Value
	weight int
}

// Entries are the entries of a context, in their order.
type Entries struct {
	Keys   []string
	Values []Value
	weight int            // as that of a sequence
	places map[string]int // of the keys, where they are many
}

// fewKeys are so few that looking through them is as fast as a map.
const fewKeys = 64

// weight is how many values there are in a value, itself included; 64 characters of a text
// count as one.
func (v Value) weight() int {
	switch v.kind {
	case List:
		return v.object.(*sequence).weight
	case Context:
		return v.entries().weight
	case String:
		return 1 + len(v.text())/64
	}
	return 1
}

func weigh(values []Value) int {
	total := 1
	for i := range values {
		total += values[i].weight()
	}
	return total
}

// Get returns the value of a key; null and false when there is none.
func (e *Entries) Get(key string) (Value, bool) {
	if i := e.place(key); i >= 0 {
		return e.Values[i], true
	}
	return Value{}, false
}

func (e *Entries) place(key string) int {
	if e.places != nil {
		if i, there := e.places[key]; there {
			return i
		}
		return -1
	}
	return slices.Index(e.Keys, key)
}

// Interval is a range: two ends, each open (not part of it) or closed. A null
// end is no bound; it is open.
type Interval struct {
	Low, High         Value
	LowOpen, HighOpen bool
}

// String writes the range as the language does: "[1..5)", and "(< 5)" without a
// lower bound.
func (i *Interval) String() string {
	switch {
	case i.Low.IsNull() && i.HighOpen:
		return "(< " + i.High.String() + ")"
	case i.Low.IsNull():
		return "(<= " + i.High.String() + ")"
	case i.High.IsNull() && i.LowOpen:
		return "(> " + i.Low.String() + ")"
	case i.High.IsNull():
		return "(>= " + i.Low.String() + ")"
	}
	open, closing := "[", "]"
	if i.LowOpen {
		open = "("
	}
	if i.HighOpen {
		closing = ")"
	}
	return open + i.Low.String() + ".." + i.High.String() + closing
}

// NullValue is the value null.
var NullValue = Value{}

// True and False are the two booleans.
var (
	True  = Value{kind: Boolean, number: decimal.FromInt(1)}
	False = Value{kind: Boolean}
)

// NumberOf returns n as a value.
func NumberOf(n decimal.Number) Value { return Value{kind: Number, number: n} }

// IntegerOf returns i as a number.
func IntegerOf(i int64) Value { return NumberOf(decimal.FromInt(i)) }

// StringOf returns s as a value.
func StringOf(s string) Value { return Value{kind: String, object: s} }

// BooleanOf returns b as a value.
func BooleanOf(b bool) Value {
	if b {
		return True
	}
	return False
}

// ListOf returns a list of the values, which must not be changed afterwards.
func ListOf(values []Value) Value {
	return Value{kind: List, object: &sequence{values, weigh(values)}}
}

// ContextOf returns a context of the entries, which must not be changed afterwards.
func ContextOf(entries *Entries) Value {
	entries.weight = weigh(entries.Values)
	if len(entries.Keys) > fewKeys && entries.places == nil {
		entries.places = make(map[string]int, len(entries.Keys))
		for i, key := range entries.Keys {
			entries.places[key] = i
		}
	}
	return Value{kind: Context, object: entries}
}

// RangeOf returns the range of the interval.
func RangeOf(interval *Interval) Value { return Value{kind: Range, object: interval} }

// Kind returns the kind of the value.
func (v Value) Kind() Kind { return v.kind }

// IsNull tells whether the value is null.
func (v Value) IsNull() bool { return v.kind == Null }

// IsTrue tells whether the value is the boolean true. Null and values of other
// kinds are not.
func (v Value) IsTrue() bool { return v.kind == Boolean && v.number.Sign() != 0 }

// IsFalse tells whether the value is the boolean false.
func (v Value) IsFalse() bool { return v.kind == Boolean && v.number.Sign() == 0 }

// Number returns the number; 0 and false for any other kind.
func (v Value) Number() (decimal.Number, bool) {
	if v.kind != Number {
		return decimal.Zero, false
	}
	return v.number, true
}

// Text returns the characters of a string; "" and false for any other kind.
func (v Value) Text() (string, bool) {
	if v.kind != String {
		return "", false
	}
	return v.object.(string), true
}

// Count returns how many items a list has; false for any other kind.
func (v Value) Count() (int, bool) {
	if v.kind != List {
		return 0, false
	}
	return len(v.items()), true
}

// At returns the item at a place of a list, from 0; null outside it and of any other kind.
func (v Value) At(place int) Value {
	if v.kind != List || place < 0 || place >= len(v.items()) {
		return NullValue
	}
	return v.items()[place]
}

func (v Value) text() string       { return v.object.(string) }
func (v Value) items() []Value     { return v.object.(*sequence).items }
func (v Value) entries() *Entries  { return v.object.(*Entries) }
func (v Value) bounds() *Interval  { return v.object.(*Interval) }
func (v Value) callee() *function  { return v.object.(*function) }
func (v Value) zone() *Zone        { z, _ := v.object.(*Zone); return z }
func (v Value) integer() int64     { i, _ := v.number.Int64(); return i }
func (v Value) is(kinds Kind) bool { return v.kind == kinds }

// String writes the value as the language writes it: strings in quotes, dates as
// @"2026-11-24". What it writes reads back as the same value.
func (v Value) String() string {
	switch v.kind {
	case Null:
		return "null"
	case Number:
		return v.number.String()
	case String:
		return quote(v.text())
	case Boolean:
		if v.IsTrue() {
			return "true"
		}
		return "false"
	case List:
		parts := make([]string, len(v.items()))
		for i, item := range v.items() {
			parts[i] = item.String()
		}
		return "[" + strings.Join(parts, ", ") + "]"
	case Context:
		e := v.entries()
		parts := make([]string, len(e.Keys))
		for i, key := range e.Keys {
			parts[i] = entryName(key) + ": " + e.Values[i].String()
		}
		return "{" + strings.Join(parts, ", ") + "}"
	case Range:
		return v.bounds().String()
	case Function:
		return v.callee().String()
	default:
		return `@"` + v.Plain() + `"`
	}
}

// Plain writes the value as the function string() does: strings without quotes,
// dates as 2026-11-24, null as "".
func (v Value) Plain() string {
	switch v.kind {
	case Null:
		return ""
	case String:
		return v.text()
	case Date, Time, DateTime, DayTimeDuration, YearMonthDuration:
		return writeTemporal(v)
	default:
		return v.String()
	}
}

// Brief tells the value in at most so many characters: of a longer list how many items it
// has, of anything else longer its beginning. Cost: the characters, not the value.
func (v Value) Brief(most int) string {
	if items, isList := v.Count(); isList && items > most/2 { // each takes two characters at least
		return fmt.Sprintf("a list of %d", items)
	}
	if text, isText := v.Text(); isText && len(text) > utf8.UTFMax*most {
		return string([]rune(text[:utf8.UTFMax*most])[:most-1]) + "…"
	}
	text := v.Plain()
	if utf8.RuneCountInString(text) <= most {
		return text
	}
	if items, isList := v.Count(); isList {
		return fmt.Sprintf("a list of %d", items)
	}
	return string([]rune(text)[:most-1]) + "…"
}

// Identical tells whether two values are one and the same list, context or text. Cost: none,
// whatever their size.
func Identical(a, b Value) bool {
	if a.kind != b.kind {
		return false
	}
	switch a.kind {
	case List:
		return a.object.(*sequence) == b.object.(*sequence)
	case Context:
		return a.entries() == b.entries()
	}
	return Same(a, b)
}

func quote(s string) string {
	var b strings.Builder
	b.WriteByte('"')
	for _, r := range s {
		switch r {
		case '"':
			b.WriteString(`\"`)
		case '\\':
			b.WriteString(`\\`)
		case '\n':
			b.WriteString(`\n`)
		case '\r':
			b.WriteString(`\r`)
		case '\t':
			b.WriteString(`\t`)
		default:
			b.WriteRune(r)
		}
	}
	b.WriteByte('"')
	return b.String()
}

// Same tells whether two values are equal, null being equal to null. Values of
// different kinds are never the same, but for durations of nothing.
func Same(a, b Value) bool {
	if a.kind != b.kind {
		// A month has no number of seconds, so only no time at all is the same either way.
		return isDuration(a.kind) && isDuration(b.kind) && a.number.Sign() == 0 && b.number.Sign() == 0
	}
	switch a.kind {
	case Null:
		return true
	case String:
		return a.text() == b.text()
	case List:
		return slices.EqualFunc(a.items(), b.items(), Same)
	case Context:
		x, y := a.entries(), b.entries()
		if len(x.Keys) != len(y.Keys) {
			return false
		}
		for i, key := range x.Keys {
			if other, found := y.Get(key); !found || !Same(x.Values[i], other) {
				return false
			}
		}
		return true
	case Range:
		x, y := a.bounds(), b.bounds()
		return x.LowOpen == y.LowOpen && x.HighOpen == y.HighOpen && Same(x.Low, y.Low) && Same(x.High, y.High)
	case Time, DateTime:
		return instant(a, b) == 0 && (a.zone() == nil) == (b.zone() == nil)
	case Function:
		return a.callee() == b.callee()
	default:
		return a.number.Cmp(b.number) == 0
	}
}

// Order compares two values of one ordered kind; false when they have no order.
func Order(a, b Value) (int, bool) {
	if a.kind != b.kind {
		return 0, false
	}
	switch a.kind {
	case Number, Date, DayTimeDuration, YearMonthDuration:
		return a.number.Cmp(b.number), true
	case String:
		return strings.Compare(a.text(), b.text()), true
	case Time, DateTime:
		return instant(a, b), (a.zone() == nil) == (b.zone() == nil)
	}
	return 0, false
}
