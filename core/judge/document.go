package judge

import (
	"slices"
	"strconv"
	"strings"

	"codicil/core/engine"
	"codicil/core/field"
	"codicil/core/plan"
	"codicil/core/record"
)

// Item is one entered value: the stored form of a value, or a text that was not
// of the field's type, kept as typed.
type Item struct {
	Value string `json:"value,omitempty"`
	Typed string `json:"typed,omitempty"`
	// Again is what was typed the second time, where a value is keyed twice: in stored
	// form beside a Value.
	Again string `json:"again,omitempty"`
	// Carried tells that the value came over from the record before.
	Carried bool `json:"carried,omitempty"`
	// Derive asks the rules for the value anew, as on a new record; there is no Value then.
	Derive bool `json:"derive,omitempty"`
}

// Document is a document with all that it was judged by and that is not read elsewhere: what
// a person states of a record, or a test document as it is kept, which states further facts.
type Document struct {
	Kind    string `json:"kind"`
	Company string `json:"company"`
	Type    string `json:"type"`
	// Day is the day on which the work is taken to be done, what today() gives; "": today. The
	// day of the document is another: the final value of its kind's day field, if it has one.
	Day     record.Day      `json:"day"`
	Entered map[string]Item `json:"entered"` // by field; what is not there is blank
	Lines   []Line          `json:"lines,omitempty"`
	// Stored holds the saved values of the header that the document changes; nil:
	// a new record.
	Stored map[string]string `json:"stored,omitzero"`
	// StoredLines are the saved lines; those whose number is not among Lines are removed.
	StoredLines []record.Line `json:"storedLines,omitempty"`
	// StoredOrigins say who gave the saved values of the header; those of the lines stand there.
	StoredOrigins record.Origins `json:"storedOrigins,omitempty"`
	// StoredReasons were given when the record was saved before.
	StoredReasons []record.Reason `json:"storedReasons,omitempty"`
	// Record is the number of the saved record that Stored was taken from, for people.
	Record string `json:"record,omitempty"`
	// Previous and PreviousOfType are what the person saved before, of the kind and of the
	// kind and type, and PreviousOfAnyone what anyone did, of the kind and type; nil: nothing.
	Previous         *record.Content `json:"previous,omitempty"`
	PreviousOfType   *record.Content `json:"previousOfType,omitempty"`
	PreviousOfAnyone *record.Content `json:"previousOfAnyone,omitempty"`
	// Preceding is the record that the document follows; nil: none.
	Preceding *engine.Preceding `json:"preceding,omitempty"`
	// Reasons are what was said to go on in spite of a confirm, by rule.
	Reasons map[int64]string `json:"reasons,omitempty"`
	// User is the name of the person who is taken to enter the document; "": who runs it.
	User string `json:"user,omitempty"`
	// Format is how typed texts are to be read; nil: field.Plain.
	Format *field.Format `json:"format,omitempty"`
	// Fixtures is what the document read besides itself when it was kept; nil: everything is
	// read as it is now.
	Fixtures *Fixtures `json:"carried,omitempty"`
	// Changes stand on top of the rules in force; nil: none.
	Changes *plan.Changes `json:"changes,omitempty"`
}

// LooksBack tells whether the document states what was saved before.
func (d *Document) LooksBack() bool {
	return d.Previous != nil || d.PreviousOfType != nil || d.PreviousOfAnyone != nil
}

// Facts names the facts that the document states though they are not its own to state, when
// it is to be saved or posted to the books; nil: none.
func (d *Document) Facts() (facts []string) {
	for name, stated := range map[string]bool{
		"stored":   d.Stored != nil || d.StoredLines != nil || d.StoredOrigins != nil || d.StoredReasons != nil,
		"previous": d.LooksBack(), "user": d.User != "", "carried": d.Fixtures != nil,
		"changes": !d.Changes.Empty(),
	} {
		if stated {
			facts = append(facts, name)
		}
	}
	slices.Sort(facts)
	return facts
}

// AsSaved makes the document the change of a record that is saved as it is entered.
func (d *Document) AsSaved() {
	d.Stored, d.StoredLines = map[string]string{}, nil
	for key, item := range d.Entered {
		if item.Value != "" {
			d.Stored[key] = item.Value
		}
	}
	for _, line := range d.Lines {
		values := map[string]string{}
		for key, item := range line.Entered {
			values[key] = item.Value
		}
		d.StoredLines = append(d.StoredLines, record.Line{Number: line.Number, Values: values})
	}
}

// Line is an entered line.
type Line struct {
	Number  int             `json:"number"`  // names the line; a saved line has the same
	Entered map[string]Item `json:"entered"` // by column: the field's key without field.LinePrefix
}

// Address names a field of a document: "country", or "lines.2.amount" for the
// line with the number 2.
func Address(kind *record.Kind, place, line int) string {
	if line == 0 {
		return kind.Fields[place].Key
	}
	return AddressOf(kind.Fields[place].Key, line)
}

// AddressOf names a field, by its key, of the line with the number.
func AddressOf(key string, line int) string {
	return field.LinePrefix + strconv.Itoa(line) + "." + strings.TrimPrefix(key, field.LinePrefix)
}

// IndexOf reads an address: the place of the field in the kind, or -1, and the
// number of the line, or 0.
func IndexOf(kind *record.Kind, address string) (place, line int) {
	rest, ofLine := strings.CutPrefix(address, field.LinePrefix)
	if !ofLine {
		return kind.Index(address), 0
	}
	number, column, _ := strings.Cut(rest, ".")
	line, err := strconv.Atoi(number)
	if err != nil || line < 1 {
		return -1, 0
	}
	return kind.Index(field.LinePrefix + column), line
}
