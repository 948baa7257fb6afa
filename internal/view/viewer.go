// Package view makes what the contract shows: it turns rules, records, outcomes and postings
// into the types of the contract, as one person reads them.
//
// It is the only place that does. It must never know where things are kept, nor decide
// anything about them. Start reading at Viewer and Reader.
package view

import (
	"strings"

	"codicil/core/engine"
	"codicil/core/feel"
	"codicil/core/field"
	"codicil/core/record"
	"codicil/core/rule"
	"codicil/internal/contract"
	"codicil/internal/fault"
)

// Titles knows what people call records.
type Titles interface {
	// Title is the name of a record; "" when there is none.
	Title(kind, number string) string
	// Link writes a link as people read it: number and name.
	Link(kind, number string) string
	// Elsewhere tells whether a record is of a company that is not of who reads.
	Elsewhere(kind, number string) bool
	// Now is the number of the record to which a number leads: another one where that was merged.
	Now(kind, number string) string
}

// InAnotherCompany stands for a record that who reads may not know.
const InAnotherCompany = "in another company"

// same is a record that has the same values.
func same(titles Titles, kind, number, title string) fault.Use {
	if titles.Elsewhere(kind, number) {
		return fault.Use{What: kind, Title: InAnotherCompany}
	}
	return fault.Use{What: kind, Key: number, Title: title}
}

// Viewer shows the saved values of one kind to one person.
type Viewer struct {
	Kind    *record.Kind
	Company *record.Company
	Titles  Titles
	Format  field.Format
}

// Wording is how rules are told to the person.
func (v *Viewer) Wording() rule.Wording {
	return rule.Wording{Kind: v.Kind, Show: rule.Written(v.Format)}
}

// brief tells a value in a few words: of a long list how many items it has.
func (v *Viewer) brief(value feel.Value) string {
	switch value.Kind() {
	case feel.Number, feel.Date, feel.Boolean:
		return rule.Written(v.Format)(nil, value)
	}
	return value.Brief(longest)
}

// List turns rows into what the contract shows; never nil.
func List[Row, Shown any](rows []Row, show func(Row) Shown) []Shown {
	shown := make([]Shown, len(rows))
	for i, row := range rows {
		shown[i] = show(row)
	}
	return shown
}

// text shows a value; beside returns the text of a field beside it, "" for -1.
func (v *Viewer) text(place int, value feel.Value, beside func(place int) string) string {
	f := &v.Kind.Fields[place]
	if key, ok := value.Text(); ok && f.IsLink() {
		return v.Titles.Link(f.Kind, key)
	}
	at := v.Kind.Beside(place)
	return f.Show(value, v.Format, v.Company.Surroundings("").Beside(beside(at.Currency), beside(at.Unit), beside(at.Country)))
}

// Stored shows a saved text of a field of the content.
func (v *Viewer) Stored(content *record.Content, place, line int, text string) contract.Shown {
	value, wrong := v.Kind.Fields[place].Parse(text)
	if wrong != nil {
		return contract.Shown{Value: text, Text: text}
	}
	return contract.Shown{Value: text, Text: v.text(place, value, func(p int) string {
		if p < 0 {
			return ""
		}
		return content.Get(&v.Kind.Fields[p], line)
	})}
}

// Cell shows a field in a list; of the lines, every different value.
func (v *Viewer) Cell(content *record.Content, key string) string {
	place := v.Kind.Index(key)
	f := &v.Kind.Fields[place]
	if !f.OfLine() {
		return v.Stored(content, place, 0, content.Get(f, 0)).Text
	}
	var texts []string
	for _, l := range content.Lines {
		text := v.Stored(content, place, l.Number, content.Get(f, l.Number)).Text
		if text != "" && (len(texts) == 0 || texts[len(texts)-1] != text) {
			texts = append(texts, text)
		}
	}
	return strings.Join(texts, ", ")
}

// Change shows one change between two states of a record.
func (v *Viewer) Change(before, after *record.Content, c record.Change) contract.ValueChange {
	place := v.Kind.Index(c.Field)
	return contract.ValueChange{
		Field: c.Field, Line: c.Line, Label: v.Kind.Fields[place].Label,
		Before: v.Stored(before, place, c.Line, c.Before), After: v.Stored(after, place, c.Line, c.After),
	}
}

// Clash shows where two people changed the same value of a record.
func (v *Viewer) Clash(base, theirs, mine *record.Content, c record.Clash) contract.Clash {
	place := v.Kind.Index(c.Field)
	return contract.Clash{
		Field: c.Field, Line: c.Line, Label: v.Kind.Fields[place].Label, Base: v.Stored(base, place, c.Line, c.Base),
		Theirs: v.Stored(theirs, place, c.Line, c.Theirs), Mine: v.Stored(mine, place, c.Line, c.Mine),
	}
}

// LabelOf names a field for people: "Amount", or "Amount in line 2".
func LabelOf(kind *record.Kind, place, line int) string {
	if line == 0 {
		return kind.Fields[place].Label
	}
	return labelInLine(kind.Fields[place].Label, line)
}

// OrBlank is a text, or "blank" for none.
func OrBlank(text string) string {
	if text == "" {
		return "blank"
	}
	return text
}

// fieldText is the final value of a field as it is stored.
func fieldText(f *engine.Field) string { return field.Write(f.Final) }

// Days writes days as a person does.
func Days(format field.Format) func(record.Day) string {
	write := rule.Written(format)
	return func(d record.Day) string { return write(nil, d.Value()) }
}
