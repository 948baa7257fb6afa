package rule

import (
	"slices"
	"sync"

	"codicil/core/feel"
	"codicil/core/field"
	"codicil/core/record"
	"codicil/core/table"
)

// Form tells the forms of a field's value apart.
type Form uint8

// A field can be read as its value so far, as it was entered, as it was last saved, and
// as the document has it that the person saved last, of any type or of this one, or that anyone saved last of this one.
const (
	SoFar Form = iota
	Entered
	Stored
	Previous
	PreviousOfType
	PreviousOfAnyone
	forms = 6
)

// Before are the forms of what was saved before.
var Before = []Form{Previous, PreviousOfType, PreviousOfAnyone}

// Vocabulary holds the names that the rules of one kind may use, and the slots
// in which the engine keeps their values. In feel.Frame.Slots stand, for each
// form, a slot per field of the header; then the context and the standing values; then,
// for each form, a slot per column of the lines with the list of its values; then all lines. In
// feel.Frame.Row stand, for each form, a slot per column of the current line; then
// the line's number.
type Vocabulary struct {
	Kind *record.Kind
	// Scope holds the names for rules on fields of the header, LineScope those for
	// rules on fields of the lines.
	Scope, LineScope feel.Scope
	// Size and RowSize are the numbers of slots.
	Size, RowSize int
	// Lines is the slot of the list of all lines; -1: the kind has none.
	Lines int
	// Headers and Columns are the numbers of fields of the header and of the lines.
	Headers, Columns int
	// Beside are the places of the fields that each field is fitted by.
	Beside []record.Beside
	// Tables are what the rules look up.
	Tables   *table.Set
	lists    int // the first slot of the columns' lists
	standing int // the first slot of the standing values, in the order of Tables
	kinds    []record.Kind

	onceHeader, onceLine   sync.Once
	headerNames, lineNames []Name
	headerIndex, lineIndex map[string]int
}

// The names of the context, by group, in the order of their slots.
var contextNames = []struct {
	group   string
	members []string
}{
	{"company", []string{"key", "name", "country", "currency"}},
	{"type", []string{"key", "label"}},
	{"user", []string{"name"}},
	{"preceding", []string{"kind", "number", "followers"}},
}

// Group names of the forms; the values so far go without one.
var formGroups = [forms]string{"", "entered", "stored", "previous", "previous_of_type", "previous_of_anyone"}

// NewVocabulary returns the names of a kind. kinds are those that links may lead to,
// tables what the rules look up.
func NewVocabulary(kind *record.Kind, kinds []record.Kind, tables *table.Set) *Vocabulary {
	v := &Vocabulary{Kind: kind, Scope: feel.Scope{}, LineScope: feel.Scope{}, Headers: kind.Headers(), Columns: kind.Columns(), Lines: -1, Tables: tables, kinds: kinds}
	types := linkTypes{kinds}
	slot := forms * v.Headers
	for _, group := range contextNames {
		members := map[string]feel.Symbol{}
		for _, member := range group.members {
			members[member] = feel.Symbol{Slot: slot, Type: feel.StringType}
			if member == "followers" {
				members[member] = feel.Symbol{Slot: slot, Type: feel.NumberType}
			}
			slot++
		}
		v.Scope[group.group] = feel.Symbol{Slot: -1, Members: members}
	}
	v.standing = slot
	v.nameTables(types)
	slot += len(tables.Standing)
	v.lists = slot
	v.Size = v.lists + forms*v.Columns
	if v.Columns > 0 {
		v.Lines = v.Size
		v.Size++
	}
	v.RowSize = forms*v.Columns + 1
	for i := range kind.Fields {
		v.Beside = append(v.Beside, kind.Beside(i))
	}
	for form := SoFar; form < forms; form++ {
		v.name(form, types)
	}
	return v
}

// Linkable returns a kind that links may lead to; nil when there is none of the key.
func (v *Vocabulary) Linkable(key string) *record.Kind {
	for i := range v.kinds {
		if v.kinds[i].Key == key {
			return &v.kinds[i]
		}
	}
	return nil
}

// StandingGroup begins the names of standing values.
const StandingGroup = "standing"

// nameTables adds the standing values and the crosswalks to the scope.
func (v *Vocabulary) nameTables(types linkTypes) {
	members := map[string]feel.Symbol{}
	for i := range v.Tables.Standing {
		f := &v.Tables.Standing[i].Field
		members[f.Key] = feel.Symbol{Slot: v.standing + i, Type: types.of(f), Label: f.Label}
	}
	if len(members) > 0 {
		v.Scope[StandingGroup] = feel.Symbol{Slot: -1, Members: members}
	}
	tables := map[string]feel.Table{}
	for i := range v.Tables.Crosswalks {
		tables[v.Tables.Crosswalks[i].Key] = v.Tables.Crosswalks[i].Table(types.of)
	}
	v.Scope["crosswalk"] = feel.Symbol{Slot: -1, Tables: tables}
}

// StandingAt returns the place among the standing values that a slot holds; false when it
// holds none.
func (v *Vocabulary) StandingAt(slot int) (place int, ok bool) {
	place = slot - v.standing
	return place, place >= 0 && place < len(v.Tables.Standing)
}

// FillStanding puts the values of a day into the slots.
func (v *Vocabulary) FillStanding(slots []feel.Value, values []feel.Value) {
	copy(slots[v.standing:], values)
}

// name adds the names of one form to the scopes.
func (v *Vocabulary) name(form Form, types linkTypes) {
	members, lists, row := map[string]feel.Symbol{}, map[string]feel.Symbol{}, map[string]feel.Symbol{}
	line := map[string]feel.Type{"number": feel.NumberType}
	for i := range v.Kind.Fields {
		f := &v.Kind.Fields[i]
		t := types.of(f)
		if !f.OfLine() {
			members[f.Key] = feel.Symbol{Slot: int(form)*v.Headers + i, Type: t, Label: f.Label}
			continue
		}
		column := int(form)*v.Columns + i - v.Headers
		lists[f.Column()] = feel.Symbol{Slot: v.lists + column, Type: feel.ListType(t), Label: f.Label}
		row[f.Column()] = feel.Symbol{Slot: feel.RowSlot + column, Type: t, Label: f.Label}
		line[f.Column()] = t
	}
	lineMembers := map[string]feel.Symbol{}
	if v.Columns > 0 {
		lines := feel.Symbol{Slot: -1, Members: lists}
		if form == SoFar {
			row["number"] = feel.Symbol{Slot: feel.RowSlot + v.RowSize - 1, Type: feel.NumberType}
			lines.Slot, lines.Type = v.Lines, feel.ListType(feel.Type{Kind: feel.Context, Entries: line})
		}
		members["lines"] = lines
		lineMembers["line"] = feel.Symbol{Slot: -1, Members: row}
	}
	for key, symbol := range members {
		lineMembers[key] = symbol
	}
	if form != SoFar {
		v.Scope[formGroups[form]] = feel.Symbol{Slot: -1, Members: members}
		v.LineScope[formGroups[form]] = feel.Symbol{Slot: -1, Members: lineMembers}
		return
	}
	for name, symbol := range v.Scope {
		v.LineScope[name] = symbol
	}
	for name, symbol := range members {
		v.Scope[name] = symbol
	}
	for name, symbol := range lineMembers {
		v.LineScope[name] = symbol
	}
}

// linkTypes finds the types of fields behind links.
type linkTypes struct{ kinds []record.Kind }

func (l linkTypes) of(f *field.Field) feel.Type {
	t := f.FeelType()
	if f.IsLink() {
		t.Link = &feel.Link{Kind: f.Kind, Fields: func() map[string]feel.Type { return l.fields(f.Kind) }, Label: func(fd string) string { return l.label(f.Kind, fd) }}
	}
	return t
}

// label is that of a field of a kind; "" where there is none.
func (l linkTypes) label(kind, field string) string {
	for i := range l.kinds {
		if l.kinds[i].Key == kind {
			if f := l.kinds[i].Field(field); f != nil {
				return f.Label
			}
		}
	}
	return ""
}

func (l linkTypes) fields(kind string) map[string]feel.Type {
	fields, line := map[string]feel.Type{}, map[string]feel.Type{}
	for i := range l.kinds {
		if l.kinds[i].Key != kind {
			continue
		}
		for j := range l.kinds[i].Fields {
			f := &l.kinds[i].Fields[j]
			if f.OfLine() {
				line[f.Column()] = l.of(f)
			} else {
				fields[f.Key] = l.of(f)
			}
		}
	}
	if len(line) > 0 {
		fields["lines"] = feel.ListType(feel.Type{Kind: feel.Context, Entries: line})
	}
	return fields
}

// ScopeOf returns the names for rules on the field at the place.
func (v *Vocabulary) ScopeOf(place int) feel.Scope {
	if place >= v.Headers {
		return v.LineScope
	}
	return v.Scope
}

// Read is what a slot holds of the document.
type Read struct {
	Field int // place in the kind
	Form  Form
	// List means the values of all lines; otherwise that of the header or of the
	// current line.
	List bool
}

// ReadAt returns what a slot holds of the document; false for a slot of the
// context, the number of a line and Lines.
func (v *Vocabulary) ReadAt(slot int) (Read, bool) {
	switch {
	case slot < 0:
	case slot < forms*v.Headers:
		return Read{Field: slot % v.Headers, Form: Form(slot / v.Headers)}, true
	case slot >= v.lists && slot < v.lists+forms*v.Columns:
		slot -= v.lists
		return Read{v.Headers + slot%v.Columns, Form(slot / v.Columns), true}, true
	case slot >= feel.RowSlot && slot < feel.RowSlot+forms*v.Columns:
		slot -= feel.RowSlot
		return Read{Field: v.Headers + slot%v.Columns, Form: Form(slot / v.Columns)}, true
	}
	return Read{}, false
}

// Lists returns those of the slots that hold lists over lines.
func (v *Vocabulary) Lists(slots []int) map[int]bool {
	lists := map[int]bool{}
	for _, slot := range slots {
		if read, ok := v.ReadAt(slot); (v.Lines >= 0 && slot == v.Lines) || (ok && read.List) {
			lists[slot] = true
		}
	}
	return lists
}

// LooksBack tells whether one of the slots holds a value in one of some forms.
func (v *Vocabulary) LooksBack(slots []int, in ...Form) bool {
	return slices.ContainsFunc(slots, func(slot int) bool {
		read, ok := v.ReadAt(slot)
		return ok && slices.Contains(in, read.Form)
	})
}

// Slot returns that of a field in a form: of a field of the lines, the one of the current line.
func (v *Vocabulary) Slot(place int, form Form) int {
	if place >= v.Headers {
		return feel.RowSlot + int(form)*v.Columns + place - v.Headers
	}
	return int(form)*v.Headers + place
}

// ListSlot returns the slot of the list of a column's values.
func (v *Vocabulary) ListSlot(column int, form Form) int {
	return v.lists + int(form)*v.Columns + column
}

// FillContext puts company, type and user into the slots.
func (v *Vocabulary) FillContext(slots []feel.Value, company *record.Company, kindType *record.Type, user string) {
	at := forms * v.Headers
	for _, text := range []string{company.Key, company.Name, company.Country, company.Currency, kindType.Key, kindType.Label, user} {
		slots[at] = feel.StringOf(text)
		at++
	}
}

// FillPreceding puts the record that the document follows into the slots, and how many
// others follow it.
func (v *Vocabulary) FillPreceding(slots []feel.Value, kind, number string, followers int) {
	at := v.standing - 3
	slots[at], slots[at+1], slots[at+2] = feel.StringOf(kind), feel.StringOf(number), feel.IntegerOf(int64(followers))
}
