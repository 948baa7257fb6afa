package ledger

import (
	"codicil/core/judge"
	"codicil/core/record"
	"codicil/core/rule"
)

// Trace is what rules did to a document that was posted, as it is kept with the posting. Rules
// are named by number and version; their words are those of the time.
type Trace struct {
	Verdict    string
	Day, Today record.Day
	Version    judge.Version
	Changes    []Changed
	Fields     []Field // of the header
	Lines      []Line
	Messages   []Message
	FollowUps  []Write
}

// Changed is a rule as it was changed on top of those in force.
type Changed struct {
	Rule    int64 // 0: one that is not kept yet
	Version int
	Name    string
}

// Told is a value: exact, and as the person who posted read it.
type Told struct{ Text, Value string }

// Line is what rules did to the fields of a line.
type Line struct {
	Number int
	Fields []Field
}

// Field is the journey of the value of one field.
type Field struct {
	Key                                                       string
	Entered, Sourced, Defaulted, Computed, Substituted, Final Told
	Offered, Stored                                           *Told
	Made, Origin, Misfit                                      string
	Need, Access, Cursor                                      string
	Twice                                                     bool
	Band                                                      *rule.Band
	BandRule                                                  int64
	Acts                                                      []Act
}

// Act is what one rule did at a field.
type Act struct {
	Rule                        int64
	Version                     int
	Family, Phrase, Did, Reason string
	By                          int64
	Before, After               Told
	Facts                       []Fact
}

// Fact is a part of a formula with the value that it had.
type Fact struct{ Text, Value string }

// Message is what a rule or a check said.
type Message struct {
	Severity, Code, Field, Label, Text, Reason string
	Line                                       int
	Rule                                       int64
	Given                                      *record.Reason
	Records                                    []Named
}

// Named is a record with what people call it.
type Named struct{ Kind, Number, Title string }

// Write is what the posting wrote to a linked record.
type Write struct {
	Rule                int64
	Line                int
	Kind, Number, Title string
	Field, Label        string
	Before, After       Told
}
