package rule

import (
	"codicil/core/feel"
	"codicil/core/field"
	"codicil/core/record"
)

// LineOf is a value that stands in a line of a linked record: in the first of its lines whose columns
// equal names of this document and which holds on a day, such as the price of an item in a price list.
type LineOf struct {
	Link   string    `json:"link"`   // the name of the link
	Column string    `json:"column"` // key of the column of the value
	Keys   []LineKey `json:"keys"`
	// From and Until are the columns with the first and the last day of a line, and Day is the name of
	// the day that it is to hold on; "": days make no difference. A blank day is open.
	From  string `json:"from,omitempty"`
	Until string `json:"until,omitempty"`
	Day   string `json:"day,omitempty"`
}

// LineKey is a column of a line and the name that it equals. The column LineNumber is the line's number.
type LineKey struct {
	Column string `json:"column"`
	Name   string `json:"name"`
}

// LineNumber names the number of a line, as if it were a column.
const LineNumber = "number"

// LineOf returns the value as one of a line of a linked record, as a sentence can hold it; nil for any
// other.
func (c *Compiled) LineOf() *LineOf {
	if c.Value == nil {
		return nil
	}
	return c.vocabulary.lineOf(c.Value.Root(), c.Field)
}

// lineOf reads link.lines[column = name and …][1].column.
func (v *Vocabulary) lineOf(n feel.Node, place int) *LineOf {
	path, ok := n.(*feel.Path)
	if !ok {
		return nil
	}
	first, ok := path.Base.(*feel.Filter)
	if !ok {
		return nil
	}
	if one, constant := feel.Constant(first.Condition); !constant || !feel.Same(one, feel.IntegerOf(1)) {
		return nil
	}
	filter, ok := first.Base.(*feel.Filter)
	if !ok {
		return nil
	}
	lines, ok := filter.Base.(*feel.Path)
	if !ok || lines.Member != "lines" {
		return nil
	}
	link := v.NameAt(place, lines.Base)
	if link == nil || !link.Single() || !link.Field.IsLink() {
		return nil
	}
	kind := v.Linkable(link.Field.Kind)
	if kind == nil || kind.Field(field.LinePrefix+path.Member) == nil {
		return nil
	}
	found := &LineOf{Link: link.Text, Column: path.Member, Keys: []LineKey{}}
	for _, part := range feel.Conjuncts(filter.Condition) {
		if !v.lineCondition(found, kind, part, place) {
			return nil
		}
	}
	return found
}

// lineCondition reads one condition on a line; false where it is none that a sentence can hold.
func (v *Vocabulary) lineCondition(l *LineOf, kind *record.Kind, n feel.Node, place int) bool {
	b, ok := n.(*feel.Binary)
	if !ok {
		return false
	}
	column := func(n feel.Node) string {
		text := feel.Format(n)
		if _, isName := n.(*feel.Name); isName && (text == LineNumber || kind.Field(field.LinePrefix+text) != nil) {
			return text
		}
		return ""
	}
	switch b.Operator {
	case "=":
		of, name := column(b.Left), v.NameOf(place, feel.Format(b.Right))
		if of == "" || name == nil || !name.Single() {
			return false
		}
		l.Keys = append(l.Keys, LineKey{of, name.Text})
		return true
	case "or":
		blank, isCall := b.Left.(*feel.Call)
		within, compares := b.Right.(*feel.Binary)
		if !isCall || !compares || blank.Function != "is blank" || len(blank.Arguments) != 1 || within.Operator != "<=" {
			return false
		}
		end := column(blank.Arguments[0])
		day := within.Right
		switch end {
		case "":
			return false
		case column(within.Left):
			l.From = end
		case column(within.Right):
			l.Until, day = end, within.Left
		default:
			return false
		}
		name := v.NameAt(place, day)
		if name == nil || l.Day != "" && l.Day != name.Text {
			return false
		}
		l.Day = name.Text
		return true
	}
	return false
}

// lineOf tells a value of a line of a linked record.
func (t *teller) lineOf(n feel.Node, l *LineOf) {
	kind := t.v.Linkable(t.v.NameOf(t.place, l.Link).Field.Kind)
	label := func(column string) string {
		if column == LineNumber {
			return "number"
		}
		return kind.Field(field.LinePrefix + column).Label
	}
	named := func(text string) string { return t.v.NameOf(t.place, text).Label }
	t.say(n, label(l.Column)+" of the line of "+named(l.Link))
	for i, key := range l.Keys {
		word := " whose "
		if i > 0 {
			word = " and whose "
		}
		t.say(n, word+label(key.Column)+" is "+named(key.Name))
	}
	if l.Day != "" {
		t.say(n, " valid on "+named(l.Day))
	}
}
