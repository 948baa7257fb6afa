// Package evaluation takes documents through their plans one after the other, for a program that
// asks: plain values go in, and what became of them comes out.
//
// It must never know where rules and records are kept, nor files. Start reading at Run.
package evaluation

import (
	"bytes"
	"encoding/json"
	"errors"
	"fmt"
	"strings"

	"codicil/core/engine"
	"codicil/core/feel"
	"codicil/core/field"
	"codicil/core/judge"
	"codicil/core/record"
	"codicil/core/rule"
)

// Document is a document as a program gives it: every value in its stored form, an exact
// decimal or a day as text. A JSON number is taken as it is written.
type Document struct {
	// ID is handed back with the result; may be "".
	ID      string `json:"id,omitempty"`
	Kind    string `json:"kind"`
	Company string `json:"company"`
	Type    string `json:"type"`
	// Day is the day on which the work is taken to be done; "": today. The rules are those of
	// the document's own day, the final value of its kind's day field, if it has one.
	Day    record.Day `json:"day,omitempty"`
	Values Values     `json:"values"`
	Lines  []Line     `json:"lines,omitempty"`
	// Stored and StoredLines are what was last saved; nil: a new record.
	Stored      Values `json:"stored,omitzero"`
	StoredLines []Line `json:"storedLines,omitempty"`
	// Record is the number of the record that the document is; "": a new one.
	Record string `json:"record,omitempty"`
	// Preceding is the record that the document follows; nil: none.
	Preceding *engine.Preceding `json:"preceding,omitempty"`
	// Linked are records that the document names, by kind and number; they go before those
	// that are saved.
	Linked map[string]map[string]Values `json:"linked,omitempty"`
	// Previous, PreviousOfType and PreviousOfAnyone are what was saved before; nil: as it is saved.
	Previous         *Content `json:"previous,omitempty"`
	PreviousOfType   *Content `json:"previousOfType,omitempty"`
	PreviousOfAnyone *Content `json:"previousOfAnyone,omitempty"`
	// User is who is taken to enter the document; "": who asks.
	User string `json:"user,omitempty"`
	// Reasons are what was said to go on in spite of a confirm, by rule.
	Reasons map[int64]string `json:"reasons,omitempty"`
	// Moment is "typing", "saving" or "posting"; "": posting.
	Moment rule.Moment `json:"moment,omitempty"`
}

// Line is one line of a document; its number may be left out where all are in their order.
type Line struct {
	Number int    `json:"number,omitempty"`
	Values Values `json:"values"`
}

// Content is what a record holds.
type Content struct {
	Values Values `json:"values"`
	Lines  []Line `json:"lines,omitempty"`
}

// Values are values by field, or by column.
type Values map[string]string

// UnmarshalJSON reads texts, numbers as they are written, true and false, and null for a
// blank.
func (v *Values) UnmarshalJSON(data []byte) error {
	var raw map[string]json.RawMessage
	if err := json.Unmarshal(data, &raw); err != nil {
		return errors.New("values are an object of texts, numbers, true, false and null by field")
	}
	*v = make(Values, len(raw))
	for key, text := range raw {
		switch value := strings.TrimSpace(string(text)); {
		case value == "null":
		case value == "true" || value == "false" || strings.ContainsAny(value[:1], "-0123456789"):
			(*v)[key] = value
		case value[0] == '"':
			var s string
			if err := json.Unmarshal(text, &s); err != nil {
				return err
			}
			(*v)[key] = s
		default:
			return fmt.Errorf("%s is a text, a number, true, false or null; this is %s", key, value)
		}
	}
	return nil
}

// Read reads one document as JSON. The error says which part does not belong there, or is
// missing: nothing of it is passed over.
func Read(data []byte) (Document, error) {
	decoder := json.NewDecoder(bytes.NewReader(data))
	decoder.DisallowUnknownFields()
	var d Document
	if err := decoder.Decode(&d); err != nil {
		return d, errors.New(strings.TrimPrefix(err.Error(), "json: "))
	}
	if decoder.More() {
		return d, errors.New("there is more after the document; write one a line")
	}
	return d, d.sound()
}

// sound says what is missing in a document.
func (d *Document) sound() error {
	if d.Values == nil {
		return errors.New("values are missing; write {} where the header is blank")
	}
	for i, line := range d.Lines {
		if line.Values == nil {
			return fmt.Errorf("line %d has no values; write {\"values\": {…}} around its columns", i+1)
		}
	}
	return nil
}

// Result is what became of a document.
type Result struct {
	ID string `json:"id,omitempty"`
	judge.Version
	// Day is the day of the document, whose rules it was judged by.
	Day record.Day `json:"day,omitempty"`
	// Error says why the document could not be taken through a plan; the rest is then blank.
	Error    string            `json:"error,omitempty"`
	Verdict  engine.Verdict    `json:"verdict,omitempty"`
	Values   map[string]string `json:"values,omitempty"`
	Lines    []record.Line     `json:"lines,omitempty"`
	Acting   []Acting          `json:"acting,omitempty"`
	Messages []Message         `json:"messages,omitempty"`
	Writes   []Write           `json:"writes,omitempty"`
}

// Acting is a rule that acted, or spoke.
type Acting struct {
	Rule    int64       `json:"rule"`
	Version int         `json:"version"`
	Name    string      `json:"name"`
	Family  rule.Family `json:"family"`
	Field   string      `json:"field"`
	Line    int         `json:"line,omitempty"`
	After   string      `json:"after,omitempty"` // the value that it made
}

// Message is what a rule, or a field, says.
type Message struct {
	Severity rule.Severity `json:"severity"`
	Code     string        `json:"code"`
	Field    string        `json:"field"`
	Line     int           `json:"line,omitempty"`
	Rule     int64         `json:"rule,omitempty"`
	Text     string        `json:"text"`
}

// Write is what posting the document writes to a linked record.
type Write struct {
	Rule   int64  `json:"rule"`
	Kind   string `json:"kind"`
	Number string `json:"number"`
	Field  string `json:"field"`
	Before string `json:"before"`
	After  string `json:"after"`
}

// World is where documents find what they are judged by.
type World interface {
	// Circumstances returns those of a document of a kind in a company; the error says what
	// does not exist. For the moment and the documents' own facts Run cares.
	Circumstances(kind, company string) (judge.Circumstances, error)
	// Complete puts into the document what is saved of its record, where it does not say.
	Complete(d *judge.Document) error
	// Version is what documents are judged by.
	Version() judge.Version
}

// Run takes one document through its plan. What is wrong with it stands in the result.
func Run(w World, d *Document) Result {
	result := Result{ID: d.ID, Version: w.Version()}
	fail := func(err error) Result {
		result.Error = err.Error()
		return result
	}
	if err := d.sound(); err != nil {
		return fail(err)
	}
	c, err := w.Circumstances(d.Kind, d.Company)
	if err != nil {
		return fail(err)
	}
	kinds := c.Book.Vocabulary.Linkable
	if c.Moment = d.Moment; c.Moment == "" {
		c.Moment = rule.Posting
	}
	c.Linked, c.Detail, c.Facts = &linked{own: d.Linked, saved: c.Linked, kind: kinds}, true, judge.NoFacts
	given := d.given()
	if err := w.Complete(&given); err != nil {
		return fail(err)
	}
	judged, err := judge.Judge(&given, &c)
	if err != nil {
		return fail(err)
	}
	result.Day = judged.Plan.Scope.Day
	result.of(judged.Outcome, judged.Plan.Kind())
	return result
}

func (d *Document) given() judge.Document {
	given := judge.Document{
		Kind: d.Kind, Company: d.Company, Type: d.Type, Day: d.Day, Record: d.Record, Entered: items(d.Values), Stored: d.Stored,
		StoredLines: lines(d.StoredLines), Preceding: d.Preceding, Previous: d.Previous.content(), PreviousOfType: d.PreviousOfType.content(), PreviousOfAnyone: d.PreviousOfAnyone.content(),
		User: d.User, Reasons: d.Reasons,
	}
	for _, line := range lines(d.Lines) {
		given.Lines = append(given.Lines, judge.Line{Number: line.Number, Entered: items(line.Values)})
	}
	return given
}

// lines numbers those that have no number by their place.
func lines(given []Line) (list []record.Line) {
	for i, line := range given {
		if line.Number == 0 {
			line.Number = i + 1
		}
		list = append(list, record.Line{Number: line.Number, Values: line.Values})
	}
	return list
}

func (c *Content) content() *record.Content {
	if c == nil {
		return nil
	}
	return &record.Content{Values: c.Values, Lines: lines(c.Lines)}
}

func items(values map[string]string) map[string]judge.Item {
	items := make(map[string]judge.Item, len(values))
	for key, value := range values {
		if value != "" {
			items[key] = judge.Item{Value: value}
		}
	}
	return items
}

// of puts an outcome into the result.
func (r *Result) of(out *engine.Outcome, kind *record.Kind) {
	r.Verdict, r.Values = out.Verdict, map[string]string{}
	for _, line := range out.Lines {
		r.Lines = append(r.Lines, record.Line{Number: line.Number, Values: map[string]string{}})
	}
	for _, s := range out.Cells() {
		fd := &kind.Fields[s.Index]
		values := r.Values
		if s.Line > 0 {
			values = r.Lines[record.LineAt(r.Lines, s.Line)].Values
		}
		if !s.Final.IsNull() {
			values[fd.Column()] = field.Write(s.Final)
		}
		for _, a := range s.Rules {
			if a.Did != engine.Acted && a.Did != engine.Speaks {
				continue
			}
			acting := Acting{Rule: a.Rule.ID, Version: a.Rule.Version, Name: a.Rule.Name, Family: a.Rule.Family, Field: fd.Key, Line: s.Line}
			if a.Rule.Value != nil || a.Rule.Series != nil {
				acting.After = field.Write(a.After)
			}
			r.Acting = append(r.Acting, acting)
		}
	}
	for i := range out.Messages {
		m := &out.Messages[i]
		said := Message{Severity: m.Severity, Code: m.Code, Field: m.Key(kind), Line: m.Line, Text: m.Text}
		if m.Rule != nil {
			said.Rule = m.Rule.ID
		}
		r.Messages = append(r.Messages, said)
	}
	for i := range out.FollowUps {
		f := &out.FollowUps[i]
		r.Writes = append(r.Writes, Write{f.Rule.ID, f.Kind, f.Number, f.Field.Key, field.Write(f.Before), field.Write(f.After)})
	}
}

// linked finds the records that a document brings along, and then those that are saved.
type linked struct {
	own   map[string]map[string]Values
	saved engine.Linked
	kind  func(string) *record.Kind
}

// Follow returns a field of a linked record.
func (l *linked) Follow(kind, key, field string) feel.Value {
	if values, brought := l.own[kind][key]; brought {
		if k := l.kind(kind); k != nil {
			if f := k.Field(field); f != nil {
				v, _ := f.Parse(values[field])
				return v
			}
		}
		return feel.NullValue
	}
	if l.saved == nil {
		return feel.NullValue
	}
	return l.saved.Follow(kind, key, field)
}

// Now is the number of the record to which a number leads. One that is brought along is what it is.
func (l *linked) Now(kind, key string) string {
	if _, brought := l.own[kind][key]; brought || l.saved == nil {
		return key
	}
	return l.saved.Now(kind, key)
}

// Missing says why a document may not name the record. Without saved records it may name
// any.
func (l *linked) Missing(kind, key string) string {
	if _, brought := l.own[kind][key]; brought || l.saved == nil {
		return ""
	}
	return l.saved.Missing(kind, key)
}
