// Package engine takes a document through a plan: every field of the header once
// and every field of the lines once per line through its stations, then the
// validations. The result tells every value and why.
//
// Run is a pure function of its arguments: no clock, no storage, no screen.
// Start reading there.
package engine

import (
	"slices"

	"codicil/core/decimal"
	"codicil/core/feel"
	"codicil/core/field"
	"codicil/core/notice"
	"codicil/core/record"
	"codicil/core/rule"
	"codicil/core/table"
)

// Case is a document on its way through a plan.
type Case struct {
	Header Values
	Lines  []Line
	// PreviousLines, PreviousOfTypeLines and PreviousOfAnyoneLines are all lines of the documents saved before,
	// each with its values by place.
	PreviousLines, PreviousOfTypeLines, PreviousOfAnyoneLines [][]feel.Value
	// StoredLines are the saved lines, removed ones too.
	StoredLines []StoredLine
	// Linked finds the records that links name; nil: links are taken as they are.
	Linked Linked
	// Uniqueness finds the other saved records; nil: there are none.
	Uniqueness Uniqueness
	// Record is the number of the saved record that the document is; "": a new one.
	Record string
	// Numbers gives the next numbers of series; nil: their first.
	Numbers Numbers
	// Tables finds values in crosswalks; nil: as the plan has them.
	Tables feel.Tables
	// Facts tells of which fields the values that decided it are told, by place in the kind and
	// number of the line, where there is detail; nil: of all.
	Facts func(place, line int) bool
	// Done, once it is closed, stops the run; nil: it is never stopped.
	Done <-chan struct{}
	// Watch is told of every formula of a rule that was computed, with what it read still
	// in the frame, which it may compute in; nil: nobody watches.
	Watch func(c *rule.Compiled, p *feel.Program, f *feel.Frame)
	// Moment decides which validations speak.
	Moment rule.Moment
	// User is the name of the person at work.
	User string
	// Now is the date and time of the work.
	Now feel.Value
	// Keyed tells that a person at the keyboard enters the document, who can be asked
	// to key a value twice.
	Keyed bool
	// Reasons are what a person said to go on in spite of a confirm, by rule.
	Reasons map[int64]string
	// Given are the reasons that were given when the record was saved before: none is asked
	// again while the values that its check reads are the same.
	Given []record.Reason
	// By is the origin of what is entered and did not come over from the record before.
	By record.Origin
	// Preceding is the record that the document follows; nil: none.
	Preceding *Preceding
}

// Preceding is the record that a document follows.
type Preceding struct {
	Kind   string `json:"kind"`
	Number string `json:"number"`
	// Followers counts the other records that follow it too and were not taken back.
	Followers int `json:"followers,omitempty"`
}

// Values are the values of the header, or of one line, each by its place among
// the fields of the header or of the lines.
type Values struct {
	// Entered are the values that were typed, loaded or carried over.
	Entered []feel.Value
	// Misfits are entered texts that are not of their field's type.
	Misfits map[int]*field.Misfit
	// Stored are the values as last saved; nil for a new record or a new line.
	Stored []feel.Value
	// Origins say who gave the stored values; nil: nobody knows.
	Origins []record.Origin
	// Carried tells which entered values came over from the record before, and Derive which
	// the rules are to give anew as on a new record.
	Carried, Derive map[int]bool
	// Previous and PreviousOfType are the values of the document that the person saved
	// last, of the kind and of the kind and type, and PreviousOfAnyone of that which anyone did, of the kind and type; for a
	// line those of the line with its number. nil: there is none.
	Previous, PreviousOfType, PreviousOfAnyone []feel.Value
	// Again are what was keyed a second time, by place; Same as the first or not.
	Again map[int]feel.Value
}

// StoredLine is one line as it was saved.
type StoredLine struct {
	Number int
	Values []feel.Value // by place
}

// Line is one line on its way through a plan.
type Line struct {
	Number int // names the line as long as it lives
	Values
}

// Uniqueness finds the other saved records of a kind.
type Uniqueness interface {
	// Same returns the numbers of records that have the values of a unique rule, which Key
	// made one text of, in the company, or in all; texts are the values themselves. A near
	// rule also gets those whose target is almost equal.
	Same(c *rule.Compiled, company, key string, texts []string) []string
}

// Numbers gives the next numbers of series.
type Numbers interface {
	// Next returns the next number at a place; the error says that there is none.
	Next(s *table.Series, p table.Place) (string, error)
}

// Linked finds the records that links name.
type Linked interface {
	feel.Linked
	// Missing says why a link may not name the record; "" when it may.
	Missing(kind, key string) string
	// Now is the number of the record to which a number leads: another one where that was merged into another.
	Now(kind, key string) string
}

// Verdict is what becomes of a document.
type Verdict string

// A document is accepted, needs a reason first, or is refused.
const (
	Accepted    Verdict = "accepted"
	NeedsReason Verdict = "needs reason"
	Refused     Verdict = "refused"
)

// Outcome is what the plan made of a case.
type Outcome struct {
	Verdict  Verdict
	Fields   []Field // of the header, by place
	Lines    []LineOutcome
	Messages []Message
	// Stopped tells that the run was stopped before it came to an end; nothing else holds then.
	Stopped bool
	// FollowUps are what posting the document writes to linked records, in order; none for
	// a document that is refused, or not posted.
	FollowUps []FollowUp
	// Balance is that of the journal; nil: the kind has none.
	Balance *Balance
	// places are those of the lines, by number.
	places map[int]int
	// active are the rules that gave a value or spoke; one may be there several times.
	active []int64
	// turned are rules that neither gave a value nor spoke, and had the turn all the same: they had nothing to do, or failed.
	turned []int64
}

// Touched tells whether a rule may have decided anything: it acted, spoke or failed, or had the turn before others. Without a rule
// of which it tells false the outcome is the same.
func (o *Outcome) Touched(id int64) bool {
	return slices.Contains(o.active, id) || slices.Contains(o.turned, id)
}

// Active returns the rules that gave a value, wrote one to another record or spoke, each once, by number; with detail or
// without.
func (o *Outcome) Active() []int64 {
	active := slices.Clone(o.active)
	for i := range o.FollowUps {
		active = append(active, o.FollowUps[i].Rule.ID)
	}
	slices.Sort(active)
	return slices.Compact(active)
}

// Balance is what the lines of a journal come to.
type Balance struct {
	Debits, Credits decimal.Number
	// Currency is that of the lines (ISO 4217).
	Currency string
	// Places are the decimals of its amounts.
	Places int
}

// Lacks is what the debits lack to be as much as the credits; negative: what they have too much.
func (b *Balance) Lacks() decimal.Number { return b.Credits.Minus(b.Debits) }

// Show writes an amount of it with its currency.
func (b *Balance) Show(n decimal.Number) string {
	return n.Fixed(max(n.Places(), b.Places)) + " " + b.Currency
}

// FollowUp is a value that posting writes to a linked record.
type FollowUp struct {
	Rule          *rule.Compiled
	Line          int // number of the line; 0: the header
	Kind, Number  string
	Field         *field.Field
	Before, After feel.Value
}

// LineOutcome is what became of one line.
type LineOutcome struct {
	Number int
	Fields []Field // by place among the fields of the lines
}

// Field returns what became of the field at the place in the kind; for a field
// of the lines, in the line with the number. nil when there is no such line.
func (o *Outcome) Field(place, line int) *Field {
	if place < len(o.Fields) {
		return &o.Fields[place]
	}
	if i, there := o.places[line]; there {
		return &o.Lines[i].Fields[place-len(o.Fields)]
	}
	return nil
}

// NumbersOf are those of the lines in which a field stands; of a field of the header 0.
func (o *Outcome) NumbersOf(place int) []int {
	if place < len(o.Fields) {
		return []int{0}
	}
	numbers := make([]int, len(o.Lines))
	for i := range o.Lines {
		numbers[i] = o.Lines[i].Number
	}
	return numbers
}

// Cell is a field of the header, or of one line.
type Cell struct {
	Index int // in the kind
	Line  int // number of the line; 0: the header
	*Field
}

// Cells returns every field of the document: the header in the order of the kind,
// then line by line.
func (o *Outcome) Cells() []Cell {
	cells := make([]Cell, 0, len(o.Fields)*(1+len(o.Lines)))
	for i := range o.Fields {
		cells = append(cells, Cell{i, 0, &o.Fields[i]})
	}
	for l := range o.Lines {
		for i := range o.Lines[l].Fields {
			cells = append(cells, Cell{len(o.Fields) + i, o.Lines[l].Number, &o.Lines[l].Fields[i]})
		}
	}
	return cells
}

// Field is what became of one field.
type Field struct {
	// Entered is the value at the start, Final that after settling.
	Entered, Final feel.Value
	// Need and Access say whether the field must be filled and whether a person may type
	// there; "" is optional and open.
	Need   rule.Need
	Access rule.Access
	// Cursor is what the cursor does at the field, and Twice whether a new value is
	// keyed twice.
	Cursor rule.Cursor
	Twice  bool
	// NotLower tells that a new value may not be lower than the one before.
	NotLower bool
	// Made tells which station made the final value: "entered", "stored", "source",
	// "default", "compute", "substitute", or "" for a blank nobody made.
	Made string
	// Origin says who gave the final value; unknown for a blank, and for a stored value of
	// which that is not known.
	Origin record.Origin
	// Live tells that the value is always that of a linked record.
	Live bool
	// Computer is the rule that computed the value; nil: none did.
	Computer *rule.Compiled
	// Band is the place of the band that the number is in, of the rule that sorts it; nil:
	// none does.
	Sorted *rule.Compiled
	Band   int
	// Journey is told with detail only; nil without.
	*Journey
}

// Journey is how a field came by its final value.
type Journey struct {
	// Values after each station.
	Sourced, Defaulted, Computed, Substituted feel.Value
	// Offered is what the linked record has where the field keeps another value: a person's
	// own, or one that was copied before; null: nothing.
	Offered feel.Value
	// Rules tells what every rule at the field's stations did, in their order.
	Rules []Act
}

// What a rule did.
const (
	Acted         = "acted"
	Beaten        = "beaten"         // a rule before it acted
	WhenNotTrue   = "when not true"  // its condition did not hold, or was null
	OtherOccasion = "other occasion" // it does not run for new records, or for changes, or now
	NotNeeded     = "not needed"     // a default found its field filled, or a source its link unchanged
	NotTaken      = "not taken"      // a source found a value that a person gave
	NotReached    = "not reached"    // the entered text is not of the field's type
	Failed        = "failed"         // a formula failed
	Holds         = "holds"          // a validation found what must hold
	Speaks        = "speaks"         // a validation found that it does not hold
	Undecided     = "undecided"      // what must hold is null, because a field is blank
)

// Act is what one rule did in one run, and the values that decided it.
type Act struct {
	Rule   *rule.Compiled
	Did    string
	By     *rule.Compiled // Beaten: the rule that acted
	Before feel.Value     // the value so far when the rule had its chance
	After  feel.Value     // what the rule made of it
	// Facts are the parts of the rule's formulas and the values that they had.
	Facts  []feel.Step
	Reason string // Failed: what went wrong, and where
}

// Message is something that a rule, or the field itself, says about the document.
type Message struct {
	Severity rule.Severity
	// Code is "rule" or "unique" where a rule's author wrote the text, or else that of the notice.
	Code string
	// Notice is what the text is made of; nothing where an author wrote it.
	Notice notice.Notice
	// Field is where it points: place in the kind; -1: the line, or the document.
	Field int
	Line  int            // number of the line it points to; 0: none
	Rule  *rule.Compiled // nil: the field itself speaks
	Text  string
	// Values are the values in the text of a rule's message, one for each piece of it
	// that is no text.
	Values []feel.Value
	// Records are the numbers of the records that a unique value clashes with, of the
	// document's kind; "" for another line of the document itself.
	Records []string
	// Reason is what a person said to go on; "" when nobody did. Given is the reason that was
	// given before, if it was.
	Reason string
	Given  *record.Reason
	// Read stands for the values that a check read which asks for a reason.
	Read string
}

// Refuse adds a message that refuses the document, which then writes nothing elsewhere.
func (o *Outcome) Refuse(m Message) {
	o.Messages = append(o.Messages, m)
	o.Verdict, o.FollowUps = Refused, nil
}

// Key returns the key of the field that the message points to; "" for the line, or the
// document.
func (m *Message) Key(kind *record.Kind) string {
	if m.Field < 0 {
		return ""
	}
	return kind.Fields[m.Field].Key
}
