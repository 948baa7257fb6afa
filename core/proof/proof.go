// Package proof holds kept test documents with what is expected of them, and
// tells where an outcome differs.
//
// It must never know where proofs are kept. Start reading at Proof and Run.
package proof

import (
	"fmt"
	"slices"
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
}

// Document is a test document as it is kept.
type Document struct {
	Kind    string          `json:"kind"`
	Company string          `json:"company"`
	Type    string          `json:"type"`
	Day     record.Day      `json:"day"`
	Entered map[string]Item `json:"entered"` // by field; what is not there is blank
	// Stored holds the saved values that the document changes; nil: a new record.
	Stored map[string]string `json:"stored,omitempty"`
	// Record is the number of the saved record that Stored was taken from, for people.
	Record string `json:"record,omitempty"`
	// Reasons are what was said to go on in spite of a confirm, by rule.
	Reasons map[int64]string `json:"reasons,omitempty"`
	// Format is how typed texts are to be read; nil: record.Plain.
	Format *record.Format `json:"format,omitempty"`
}

// Expectation is what a proof expects.
type Expectation struct {
	Verdict engine.Verdict `json:"verdict"`
	// Values are final values by field; "" expects a blank. Fields that are not
	// there may have any value.
	Values   map[string]string `json:"values"`
	Messages []Message         `json:"messages"`
}

// Message is an expected message. All messages of an outcome are expected, and no others.
type Message struct {
	Severity rule.Severity `json:"severity"`
	Field    string        `json:"field"`
	Text     string        `json:"text"`
	Rule     int64         `json:"rule,omitempty"` // 0: the field itself speaks
}

// Proof is a kept test document with what is expected of it.
type Proof struct {
	ID     int64       `json:"id"`
	Name   string      `json:"name"`
	Rules  []int64     `json:"rules"` // the rules that it proves
	Given  Document    `json:"given"`
	Expect Expectation `json:"expect"`
}

// Difference is one thing in which an outcome is not what was expected.
type Difference struct {
	// What is "verdict", "value" or "message".
	What     string `json:"what"`
	Field    string `json:"field,omitempty"`
	Expected string `json:"expected"`
	Actual   string `json:"actual"`
}

// Case makes the case of a document. user and now are of the run, not the proof.
func (d *Document) Case(kind *record.Kind, s record.Surroundings, user string, now feel.Value) (*engine.Case, error) {
	c := &engine.Case{
		Entered: make([]feel.Value, len(kind.Fields)), Misfits: map[int]*record.Misfit{},
		Moment: rule.Posting, User: user, Now: now, Reasons: d.Reasons,
	}
	format := record.Plain
	if d.Format != nil {
		format = *d.Format
	}
	for key, item := range d.Entered {
		i := kind.Index(key)
		if i < 0 {
			return nil, fmt.Errorf("a %s has no field %q", strings.ToLower(kind.Label), key)
		}
		read := kind.Fields[i].Parse
		text := item.Value
		if item.Typed != "" {
			text = item.Typed
			read = func(text string) (feel.Value, *record.Misfit) { return kind.Fields[i].Read(text, format, s) }
		}
		v, wrong := read(text)
		c.Entered[i] = v
		if wrong != nil {
			c.Misfits[i] = wrong
		}
	}
	if d.Stored == nil {
		return c, nil
	}
	c.Stored = make([]feel.Value, len(kind.Fields))
	for key, text := range d.Stored {
		if i := kind.Index(key); i >= 0 {
			v, wrong := kind.Fields[i].Parse(text)
			if wrong != nil {
				return nil, fmt.Errorf("stored %s: %w", kind.Fields[i].Label, wrong)
			}
			c.Stored[i] = v
		}
	}
	return c, nil
}

// Run takes the proof's document through the plan and returns the differences;
// none means that the proof holds. The error says that the document no longer
// fits its kind.
func Run(p *Proof, pl *plan.Plan, user string, now feel.Value, detail bool) ([]Difference, *engine.Outcome, error) {
	s := record.Surroundings{Company: pl.Scope.Company, Day: pl.Scope.Day}
	c, err := p.Given.Case(pl.Kind(), s, user, now)
	if err != nil {
		return nil, nil, err
	}
	out := engine.Run(pl, c, detail)
	return Compare(&p.Expect, out, pl.Kind()), out, nil
}

// Compare returns the differences between what is expected and what came out.
func Compare(e *Expectation, out *engine.Outcome, kind *record.Kind) []Difference {
	var differences []Difference
	if e.Verdict != out.Verdict {
		differences = append(differences, Difference{What: "verdict", Expected: string(e.Verdict), Actual: string(out.Verdict)})
	}
	for i, f := range kind.Fields {
		want, expected := e.Values[f.Key]
		if got := record.Write(out.Fields[i].Final); expected && got != want {
			differences = append(differences, Difference{"value", f.Key, want, got})
		}
	}
	for key, want := range e.Values {
		if kind.Index(key) < 0 {
			differences = append(differences, Difference{"value", key, want, "the field does not exist"})
		}
	}
	actual := MessagesOf(out, kind)
	for _, m := range e.Messages {
		if at := slices.Index(actual, m); at >= 0 {
			actual = slices.Delete(actual, at, at+1)
			continue
		}
		differences = append(differences, Difference{"message", m.Field, m.write(), ""})
	}
	for _, m := range actual {
		// A message whose text changed is one difference, not two.
		at := slices.IndexFunc(differences, func(d Difference) bool {
			return d.What == "message" && d.Field == m.Field && d.Actual == "" && d.Expected != ""
		})
		if at >= 0 {
			differences[at].Actual = m.write()
			continue
		}
		differences = append(differences, Difference{"message", m.Field, "", m.write()})
	}
	return differences
}

func (m Message) write() string { return string(m.Severity) + ": " + m.Text }

// MessagesOf returns the messages of an outcome as a proof keeps them.
func MessagesOf(out *engine.Outcome, kind *record.Kind) []Message {
	list := make([]Message, 0, len(out.Messages))
	for _, m := range out.Messages {
		kept := Message{Severity: m.Severity, Field: kind.Fields[m.Field].Key, Text: m.Text}
		if m.Rule != nil {
			kept.Rule = m.Rule.ID
		}
		list = append(list, kept)
	}
	return list
}
