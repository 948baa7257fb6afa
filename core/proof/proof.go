// Package proof holds kept test documents with what is expected of them, and
// tells where an outcome differs.
//
// It must never know where proofs are kept. Start reading at Proof and Runner.
package proof

import (
	"fmt"
	"strconv"
	"strings"

	"codicil/core/engine"
	"codicil/core/feel"
	"codicil/core/plan"
	"codicil/core/record"
	"codicil/core/rule"
)

// Item is one entered value: the stored form of a value, or a text that was not
// of the field's type, kept as typed.
type Item struct {
	Value string `json:"value,omitempty"`
	Typed string `json:"typed,omitempty"`
	// Again is what was typed the second time, where a value is keyed twice: in stored
	// form beside a Value.
	Again string `json:"again,omitempty"`
}

// Document is a test document as it is kept.
type Document struct {
	Kind    string          `json:"kind"`
	Company string          `json:"company"`
	Type    string          `json:"type"`
	Day     record.Day      `json:"day"`
	Entered map[string]Item `json:"entered"` // by field; what is not there is blank
	Lines   []Line          `json:"lines,omitempty"`
	// Stored holds the saved values of the header that the document changes; nil:
	// a new record.
	Stored map[string]string `json:"stored,omitempty"`
	// StoredLines are the saved lines; those whose number is not among Lines are removed.
	StoredLines []record.Line `json:"storedLines,omitempty"`
	// Record is the number of the saved record that Stored was taken from, for people.
	Record string `json:"record,omitempty"`
	// Previous and PreviousOfType are what the person saved before, of the kind and of the
	// kind and type; nil: nothing.
	Previous       *record.Content `json:"previous,omitempty"`
	PreviousOfType *record.Content `json:"previousOfType,omitempty"`
	// Reasons are what was said to go on in spite of a confirm, by rule.
	Reasons map[int64]string `json:"reasons,omitempty"`
	// User is the name of the person who is taken to enter the document; "": who runs it.
	User string `json:"user,omitempty"`
	// Format is how typed texts are to be read; nil: record.Plain.
	Format *record.Format `json:"format,omitempty"`
	// Carried is what the document read besides itself when it was kept; nil: everything is
	// read as it is now.
	Carried *Carried `json:"carried,omitempty"`
}

// Line is an entered line.
type Line struct {
	Number  int             `json:"number"`  // names the line; a saved line has the same
	Entered map[string]Item `json:"entered"` // by column: the field's key without record.LinePrefix
}

// Proof is a kept test document with what is expected of it.
type Proof struct {
	ID     int64       `json:"id"`
	Name   string      `json:"name"`
	Rules  []int64     `json:"rules"` // the rules that it proves
	Given  Document    `json:"given"`
	Expect Expectation `json:"expect"`
	// Posting is the number of the test posting that the proof was kept from; may be "".
	Posting string `json:"posting,omitempty"`
	// Seen are the versions of the rules in the plan when the proof was kept, or what came
	// out was accepted, by number.
	Seen map[int64]int `json:"seen,omitempty"`
	// Unread tells that the proof was suggested and accepted, and that no person has read it
	// since.
	Unread bool `json:"unread,omitempty"`
}

// Setting is what the case of a document needs besides the document.
type Setting struct {
	Company *record.Company
	User    string
	Now     feel.Value
	Moment  rule.Moment
	Keyed   bool          // a person keys the document
	Linked  engine.Linked // nil: links are taken as they are
	Peers   engine.Peers  // nil: there are no other records
	// record is where to note what the case reads besides the document; nil: nowhere.
	record *Carried
}

// Case makes the case of a document, and the plan that it goes through: with the standing
// values that the document carries. The error says that the document names fields that its
// kind does not have, or lines twice.
func (d *Document) Case(p *plan.Plan, s Setting) (*plan.Plan, *engine.Case, error) {
	c := &engine.Case{Linked: s.Linked, Peers: s.Peers, Record: d.Record, Moment: s.Moment, Keyed: s.Keyed, User: s.User, Now: s.Now, Reasons: d.Reasons}
	if d.User != "" {
		c.User = d.User
	}
	if d.Carried != nil || s.record != nil {
		p = p.WithStanding(d.Carried.standing())
		w := &world{carried: d.Carried, kinds: p.Vocabulary.Linkable, linked: s.Linked, tables: p.Crosswalks, peers: s.Peers, record: s.record, looked: map[string]bool{}}
		c.Linked, c.Peers, c.Tables = w, w, w
	}
	return p, c, d.read(c, p.Kind(), s.Company)
}

// read puts the values of the document into its case.
func (d *Document) read(c *engine.Case, kind *record.Kind, company *record.Company) error {
	reader := reader{kind: kind, format: record.Plain, here: record.Surroundings{Company: company, Day: d.Day}}
	if d.Format != nil {
		reader.format = *d.Format
	}
	var err error
	headers := kind.Headers()
	if c.Header, err = reader.values("", 0, headers, d.Entered, d.Stored); err != nil {
		return err
	}
	reader.before(&c.Header, d, "", 0, headers, 0)
	stored := record.Content{Lines: d.StoredLines}
	seen := map[int]bool{}
	for _, line := range d.Lines {
		if seen[line.Number] || line.Number < 1 {
			return fmt.Errorf("line number %d is there twice or is no number of a line; number the lines from 1", line.Number)
		}
		seen[line.Number] = true
		values, err := reader.values(record.LinePrefix, headers, kind.Columns(), line.Entered, stored.Line(line.Number))
		if err != nil {
			return fmt.Errorf("line %d: %w", line.Number, err)
		}
		reader.before(&values, d, record.LinePrefix, headers, kind.Columns(), line.Number)
		c.Lines = append(c.Lines, engine.Line{Number: line.Number, Values: values})
	}
	if d.Previous != nil {
		c.PreviousLines = reader.rows(d.Previous.Lines)
	}
	if d.PreviousOfType != nil {
		c.PreviousOfTypeLines = reader.rows(d.PreviousOfType.Lines)
	}
	return nil
}

// rows reads the lines of a document that was saved before.
func (r *reader) rows(lines []record.Line) [][]feel.Value {
	rows := make([][]feel.Value, len(lines))
	for i, line := range lines {
		// What no longer fits its field is blank: it is only a proposal.
		rows[i], _ = r.parsed(record.LinePrefix, r.kind.Headers(), r.kind.Columns(), line.Values)
	}
	return rows
}

// again reads what was keyed a second time; what is not of the field's type is like
// nothing else that was keyed.
func (r *reader) again(values *engine.Values, at int, field *record.Field, item Item) {
	if item.Again == "" {
		return
	}
	second, wrong := field.Parse(item.Again)
	if item.Typed != "" {
		second, wrong = field.Read(item.Again, r.format, r.here)
	}
	if wrong != nil {
		second = feel.NullValue
	}
	if values.Again == nil {
		values.Again = map[int]feel.Value{}
	}
	values.Again[at] = second
}

// before puts in what the documents have that were saved before, of the header or of the
// line with the number.
func (r *reader) before(values *engine.Values, d *Document, prefix string, first, count, line int) {
	of := func(c *record.Content) []feel.Value {
		if c == nil {
			return nil
		}
		texts := c.Values
		if line > 0 {
			texts = c.Line(line)
		}
		// What no longer fits its field is blank: it is only a proposal.
		parsed, _ := r.parsed(prefix, first, count, texts)
		return parsed
	}
	values.Previous, values.PreviousOfType = of(d.Previous), of(d.PreviousOfType)
}

// parsed reads saved texts: count fields from first on. The error tells of the first that
// does not fit its field.
func (r *reader) parsed(prefix string, first, count int, texts map[string]string) (values []feel.Value, err error) {
	values = make([]feel.Value, count)
	for key, text := range texts {
		if i := r.kind.Index(prefix + key); i >= first && i < first+count {
			v, wrong := r.kind.Fields[i].Parse(text)
			if wrong != nil {
				err = fmt.Errorf("stored %s: %w", r.kind.Fields[i].Label, wrong)
				continue
			}
			values[i-first] = v
		}
	}
	return values, err
}

type reader struct {
	kind   *record.Kind
	format record.Format
	here   record.Surroundings
}

// values reads the header, or one line: count fields from first on.
func (r *reader) values(prefix string, first, count int, entered map[string]Item, stored map[string]string) (engine.Values, error) {
	values := engine.Values{Entered: make([]feel.Value, count)}
	for key, item := range entered {
		i := r.kind.Index(prefix + key)
		if i < first || i >= first+count {
			return values, fmt.Errorf("a %s has no field %q", r.kind.Noun(), prefix+key)
		}
		field := &r.kind.Fields[i]
		var v feel.Value
		var wrong *record.Misfit
		if item.Typed != "" {
			here := r.here
			if unit := entered[field.Unit]; field.Unit != "" {
				here.Unit = unit.Value + unit.Typed
			}
			v, wrong = field.Read(item.Typed, r.format, here)
		} else {
			v, wrong = field.Parse(item.Value)
		}
		values.Entered[i-first] = v
		r.again(&values, i-first, field, item)
		if wrong != nil {
			if values.Misfits == nil {
				values.Misfits = map[int]*record.Misfit{}
			}
			values.Misfits[i-first] = wrong
		}
	}
	if stored == nil {
		return values, nil
	}
	var err error
	values.Stored, err = r.parsed(prefix, first, count, stored)
	return values, err
}

// Address names a field of a document: "country", or "lines.2.amount" for the
// line with the number 2.
func Address(kind *record.Kind, place, line int) string {
	if line == 0 {
		return kind.Fields[place].Key
	}
	return addressOf(kind.Fields[place].Key, line)
}

func addressOf(key string, line int) string {
	return record.LinePrefix + strconv.Itoa(line) + "." + strings.TrimPrefix(key, record.LinePrefix)
}

// Place reads an address: the place of the field in the kind, or -1, and the
// number of the line, or 0.
func Place(kind *record.Kind, address string) (place, line int) {
	rest, ofLine := strings.CutPrefix(address, record.LinePrefix)
	if !ofLine {
		return kind.Index(address), 0
	}
	number, column, _ := strings.Cut(rest, ".")
	line, err := strconv.Atoi(number)
	if err != nil || line < 1 {
		return -1, 0
	}
	return kind.Index(record.LinePrefix + column), line
}
