// Package batch takes documents through their plans one after the other, for a program that
// asks: plain values go in, and what became of them comes out.
//
// It must never know where rules and records are kept, nor files. Start reading at Run.
package batch

import (
	"fmt"
	"slices"

	"codicil/core/engine"
	"codicil/core/feel"
	"codicil/core/plan"
	"codicil/core/proof"
	"codicil/core/record"
	"codicil/core/rule"
)

// Document is a document as a program gives it: every value in its stored form, an exact
// decimal or a day as text.
type Document struct {
	// ID is handed back with the result; may be "".
	ID      string `json:"id,omitempty"`
	Kind    string `json:"kind"`
	Company string `json:"company"`
	Type    string `json:"type"`
	// Day is the date of the document; "": the field of the kind that holds it, or today.
	Day    record.Day        `json:"day,omitempty"`
	Values map[string]string `json:"values"`
	Lines  []record.Line     `json:"lines,omitempty"`
	// Stored and StoredLines are what was last saved; nil: a new record.
	Stored      map[string]string `json:"stored,omitempty"`
	StoredLines []record.Line     `json:"storedLines,omitempty"`
	// Record is the number of the record that the document is; "": a new one.
	Record string `json:"record,omitempty"`
	// Linked are records that the document names, by kind and number; they go before those
	// that are saved.
	Linked map[string]map[string]map[string]string `json:"linked,omitempty"`
	// Previous and PreviousOfType are what was saved before.
	Previous       *record.Content `json:"previous,omitempty"`
	PreviousOfType *record.Content `json:"previousOfType,omitempty"`
	// Reasons are what was said to go on in spite of a confirm, by rule.
	Reasons map[int64]string `json:"reasons,omitempty"`
	// Moment is "typing", "saving" or "posting"; "": posting.
	Moment rule.Moment `json:"moment,omitempty"`
}

// Result is what became of a document.
type Result struct {
	ID string `json:"id,omitempty"`
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

// World is where documents find their plans and what they name.
type World interface {
	// Plan returns the plan of a scope; the error says what does not exist.
	Plan(kind, company, kindType string, day record.Day) (*plan.Plan, error)
	// Kind returns a kind; nil when there is none.
	Kind(key string) *record.Kind
	// Linked finds the records that documents of a company name; nil: links are taken as
	// they are.
	Linked(company string) engine.Linked
	// Peers finds the other records of a kind; nil: there are none.
	Peers(kind *record.Kind) engine.Peers
	// Today is the date of a document that has none.
	Today() record.Day
}

// Run takes one document through its plan. What is wrong with it stands in the result.
func Run(w World, d *Document, now func(record.Day) feel.Value) Result {
	result := Result{ID: d.ID}
	fail := func(format string, args ...any) Result {
		result.Error = fmt.Sprintf(format, args...)
		return result
	}
	kind := w.Kind(d.Kind)
	if kind == nil {
		return fail("there is no kind of record %q", d.Kind)
	}
	day := d.Day
	if day == "" {
		day = record.Day(d.Values[kind.Day])
	}
	if day == "" {
		day = w.Today()
	}
	if _, err := record.ParseDay(string(day)); err != nil {
		return fail("%v", err)
	}
	p, err := w.Plan(d.Kind, d.Company, d.Type, day)
	if err != nil {
		return fail("%v", err)
	}
	moment := d.Moment
	if moment == "" {
		moment = rule.Posting
	}
	given := d.given(day)
	p, c, err := given.Case(p, proof.Setting{
		Company: p.Scope.Company, Now: now(day), Moment: moment, Peers: w.Peers(kind),
		Linked: &linked{own: d.Linked, saved: w.Linked(d.Company), kind: w.Kind},
	})
	if err != nil {
		return fail("%v", err)
	}
	result.of(engine.Run(p, c, true), kind)
	return result
}

func (d *Document) given(day record.Day) proof.Document {
	given := proof.Document{
		Kind: d.Kind, Company: d.Company, Type: d.Type, Day: day, Record: d.Record, Entered: items(d.Values), Stored: d.Stored, StoredLines: d.StoredLines,
		Previous: d.Previous, PreviousOfType: d.PreviousOfType, Reasons: d.Reasons,
	}
	for i, line := range d.Lines {
		if line.Number == 0 {
			line.Number = i + 1
		}
		given.Lines = append(given.Lines, proof.Line{Number: line.Number, Entered: items(line.Values)})
	}
	return given
}

func items(values map[string]string) map[string]proof.Item {
	items := make(map[string]proof.Item, len(values))
	for key, value := range values {
		if value != "" {
			items[key] = proof.Item{Value: value}
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
	for _, s := range out.Spots() {
		field := &kind.Fields[s.Place]
		values := r.Values
		if s.Line > 0 {
			values = r.Lines[slices.IndexFunc(r.Lines, func(l record.Line) bool { return l.Number == s.Line })].Values
		}
		if !s.Final.IsNull() {
			values[field.Column()] = record.Write(s.Final)
		}
		for _, a := range s.Rules {
			if a.Did != engine.Acted && a.Did != engine.Speaks {
				continue
			}
			acting := Acting{Rule: a.Rule.ID, Version: a.Rule.Version, Name: a.Rule.Name, Family: a.Rule.Family, Field: field.Key, Line: s.Line}
			if a.Rule.Value != nil || a.Rule.Series != nil {
				acting.After = record.Write(a.After)
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
		r.Writes = append(r.Writes, Write{f.Rule.ID, f.Kind, f.Number, f.Field.Key, record.Write(f.Before), record.Write(f.After)})
	}
}

// linked finds the records that a document brings along, and then those that are saved.
type linked struct {
	own   map[string]map[string]map[string]string
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

// Missing says why a document may not name the record. Without saved records it may name
// any.
func (l *linked) Missing(kind, key string) string {
	if _, brought := l.own[kind][key]; brought || l.saved == nil {
		return ""
	}
	return l.saved.Missing(kind, key)
}
