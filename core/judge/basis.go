package judge

import (
	"crypto/sha256"
	"encoding/hex"
	"fmt"
	"strings"

	"codicil/core/engine"
	"codicil/core/field"
	"codicil/core/record"
	"codicil/core/rule"
)

// Basis is what an outcome rested on besides the document, by reference: it is kept in place of the trace,
// which can be computed again from it.
type Basis struct {
	At      string      `json:"at"` // when, RFC 3339
	Today   record.Day  `json:"today"`
	User    string      `json:"user"` // the name of who was at work
	Moment  rule.Moment `json:"moment"`
	Keyed   bool        `json:"keyed,omitempty"`
	Version Version     `json:"version"`
	// Before is the version of the record that the document changed; 0: it was a new one.
	Before int `json:"before,omitempty"`
	// AsStored tells that the document was entered as it was saved before: it is not kept again.
	AsStored bool `json:"asStored,omitempty"`
	// Records are those that were read.
	Records []Read `json:"records,omitempty"`
	// Previous and PreviousOfType are what the person had saved before, and PreviousOfAnyone what anyone had; of no number: nothing.
	Previous         Read `json:"previous,omitzero"`
	PreviousOfType   Read `json:"previousOfType,omitzero"`
	PreviousOfAnyone Read `json:"previousOfAnyone,omitzero"`
	// Same are the answers to unique rules that found other records.
	Same []Answer `json:"same,omitempty"`
	// Counts are the last counts of series before the numbers that the document got, by name.
	Counts map[string]int64 `json:"counts,omitempty"`
	// Sum stands for the outcome: what is computed again and has another is another outcome.
	Sum string `json:"sum"`
}

// Read is a record in a version; 0: there was none.
type Read struct {
	Kind    string `json:"kind"`
	Number  string `json:"number"`
	Version int    `json:"version"`
}

// Answer is what a unique rule found.
type Answer struct {
	Rule    int64    `json:"rule"`
	Key     string   `json:"key"`
	Numbers []string `json:"numbers"`
}

// Kept is a judgement as it is kept: of which document it was, and what it rested on.
type Kept struct {
	// Document is as it was stated, without what is saved elsewhere: the record before, and the records
	// before that.
	Document Document `json:"document"`
	Basis    Basis    `json:"basis"`
}

// Stated is the document without what the basis refers to.
func (d *Document) Stated() Document {
	stated := *d
	stated.Stored, stated.StoredLines, stated.StoredOrigins, stated.StoredReasons = nil, nil, nil, nil
	stated.Previous, stated.PreviousOfType, stated.PreviousOfAnyone = nil, nil, nil
	return stated
}

// IsAsStored tells whether the document is entered as it was saved.
func (d *Document) IsAsStored() bool {
	same := func(entered map[string]Item, stored map[string]string) bool {
		filled := 0
		for key, value := range stored {
			if value != "" {
				if filled++; entered[key] != (Item{Value: value}) {
					return false
				}
			}
		}
		return filled == len(entered)
	}
	if d.Stored == nil || len(d.Lines) != len(d.StoredLines) || !same(d.Entered, d.Stored) {
		return false
	}
	for i, l := range d.Lines {
		if stored := &d.StoredLines[i]; stored.Number != l.Number || !same(l.Entered, stored.Values) {
			return false
		}
	}
	return true
}

// EnterStored enters what is saved.
func (d *Document) EnterStored() {
	entered := func(stored map[string]string) map[string]Item {
		items := make(map[string]Item, len(stored))
		for key, value := range stored {
			if value != "" {
				items[key] = Item{Value: value}
			}
		}
		return items
	}
	d.Entered, d.Lines = entered(d.Stored), nil
	for _, l := range d.StoredLines {
		d.Lines = append(d.Lines, Line{Number: l.Number, Entered: entered(l.Values)})
	}
}

// Sum stands for an outcome: its verdict, every final value with who gave it, and what spoke. It is
// the same with and without trace.
func Sum(kind *record.Kind, o *engine.Outcome) string {
	var b strings.Builder
	fmt.Fprintf(&b, "%s\n", o.Verdict)
	for _, c := range o.Cells() {
		if c.Final.IsNull() && c.Origin == record.Unknown && c.Access == "" && c.Need == "" {
			continue
		}
		fmt.Fprintf(&b, "%s %d %q %s %s %s\n", kind.Fields[c.Index].Key, c.Line, field.Write(c.Final), c.Origin, c.Need, c.Access)
	}
	for _, m := range o.Messages {
		id := int64(0)
		if m.Rule != nil {
			id = m.Rule.ID
		}
		fmt.Fprintf(&b, "%s %s %d %d %d\n", m.Severity, m.Code, m.Field, m.Line, id)
	}
	sum := sha256.Sum256([]byte(b.String()))
	return hex.EncodeToString(sum[:8])
}
