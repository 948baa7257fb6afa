package rule

import (
	"slices"
	"strings"

	"codicil/core/feel"
	"codicil/core/field"
	"codicil/core/record"
)

// Name is a name that the formulas of a rule may use, as people know it.
type Name struct {
	// Text is the name as formulas write it: "vendor.payment_terms".
	Text string
	// Label is what people call it: "Payment terms of Vendor".
	Label string
	// Group is where it belongs: "This document", "Vendor", "As last saved".
	Group string
	Type  feel.Type
	// Field is the field that the name reads; for the context one that is like it.
	Field *field.Field
	// Kind is the kind that the field belongs to; "" for the context.
	Kind string
	// Linked tells that the field is one of a linked record.
	Linked bool
}

// Single tells whether the name stands for one value, as a sentence can compare it;
// otherwise it is a list over all lines.
func (n *Name) Single() bool { return n.Type.Kind != feel.List }

// Today is the one name that is a call: the day of the document.
const Today = "today()"

// Groups of names.
const (
	groupOwn     = "This document"
	groupLine    = "The current line"
	groupLines   = "All lines"
	groupContext = "Company, type and user"
	groupTables  = "Standing values"
)

var formGroupLabels = [forms]string{"", "As entered", "As last saved", "In the document before", "In the one of this type before", "In the one of this type before, by anyone"}

var formSuffixes = [forms]string{"", " as entered", " as last saved", " in the document before", " in the one of this type before", " in the one of this type before by anyone"}

var contextLabels = map[string]string{
	"company.key": "Company", "company.name": "Name of the company", "company.country": "Country of the company", "company.currency": "Currency of the company",
	"type.key": "Type", "type.label": "Name of the type", "user.name": "User",
}

// Names returns the names that a rule on the field at the place may use, in the order
// to offer them.
func (v *Vocabulary) Names(place int) []Name {
	if place >= v.Headers {
		v.onceLine.Do(func() { v.lineNames, v.lineIndex = v.collect(true) })
		return v.lineNames
	}
	v.onceHeader.Do(func() { v.headerNames, v.headerIndex = v.collect(false) })
	return v.headerNames
}

// NameOf returns the name with the text; nil when a rule on the field at the place
// cannot use it.
func (v *Vocabulary) NameOf(place int, text string) *Name {
	names := v.Names(place)
	index := v.headerIndex
	if place >= v.Headers {
		index = v.lineIndex
	}
	if i, found := index[text]; found {
		return &names[i]
	}
	return nil
}

func (v *Vocabulary) collect(ofLine bool) (names []Name, index map[string]int) {
	kind := v.Kind
	links := linkTypes{v.kinds}
	add := func(text, label, group string, f *field.Field, of string, list bool) {
		t := links.of(f)
		if list {
			t = feel.ListType(t)
		}
		names = append(names, Name{Text: text, Label: label, Group: group, Type: t, Field: f, Kind: of})
	}
	var linked []Name
	for form := SoFar; form < forms; form++ {
		prefix := ""
		if form != SoFar {
			prefix = formGroups[form] + "."
		}
		group := func(own string) string {
			if form != SoFar {
				return formGroupLabels[form]
			}
			return own
		}
		for i := range kind.Fields {
			f := &kind.Fields[i]
			switch {
			case !f.OfLine():
				add(prefix+f.Key, f.Label+formSuffixes[form], group(groupOwn), f, kind.Key, false)
			case ofLine:
				add(prefix+lineGroup+f.Column(), v.lineLabel(f)+formSuffixes[form], group(groupLine), f, kind.Key, false)
			default:
				continue
			}
			if form == SoFar && f.IsLink() {
				linked = append(linked, names[len(names)-1])
			}
		}
	}
	if ofLine && v.Columns > 0 {
		number := &field.Field{Key: lineGroup + LineNumber, Label: "Line number", Type: field.Number}
		add(lineGroup+LineNumber, number.Label, groupLine, number, "", false)
	}
	for i := range kind.Fields {
		if f := &kind.Fields[i]; f.OfLine() {
			add(f.Key, f.Label+" of all lines", groupLines, f, kind.Key, true)
		}
	}
	for range feel.LinkDepth {
		first := len(names)
		for _, link := range linked {
			v.behind(link, add)
		}
		linked = nil
		for i := range names[first:] {
			name := &names[first+i]
			name.Linked = true
			if name.Field.IsLink() {
				linked = append(linked, *name)
			}
		}
	}
	for i := range v.Tables.Standing {
		f := &v.Tables.Standing[i].Field
		add(StandingGroup+"."+f.Key, f.Label+" (standing)", groupTables, f, "", false)
	}
	for _, group := range contextNames {
		for _, member := range group.members {
			text := group.group + "." + member
			f := &field.Field{Key: text, Label: contextLabels[text], Type: field.Text, Length: 200}
			if text == "preceding.followers" {
				f.Type = field.Number
			}
			add(text, f.Label, groupContext, f, "", false)
		}
	}
	add(Today, "today", groupContext, &field.Field{Key: Today, Label: "Today", Type: field.Date}, "", false)
	index = make(map[string]int, len(names))
	for i := range names {
		index[names[i].Text] = i
	}
	return names, index
}

// behind adds the fields of the records that a link leads to.
func (v *Vocabulary) behind(link Name, add func(text, label, group string, f *field.Field, of string, list bool)) {
	i := slices.IndexFunc(v.kinds, func(k record.Kind) bool { return k.Key == link.Field.Kind })
	if i < 0 {
		return
	}
	for j := range v.kinds[i].Fields {
		f := &v.kinds[i].Fields[j]
		if !f.OfLine() {
			add(link.Text+"."+f.Key, f.Label+" of "+link.Label, link.Label, f, v.kinds[i].Key, false)
		} else if link.Single() {
			add(link.Text+".lines."+f.Column(), f.Label+" of the lines of "+link.Label, link.Label, f, v.kinds[i].Key, true)
		}
	}
}

const lineGroup = "line."

// named returns the name that a node is; nil for any other node.
func (c *Compiled) named(n feel.Node) *Name { return c.vocabulary.NameAt(c.Field, n) }

// NameAt returns the name that a node of a formula of a rule on the field at the place is; nil for
// any other node.
func (v *Vocabulary) NameAt(place int, n feel.Node) *Name {
	switch n := n.(type) {
	case *feel.Name, *feel.Path:
		return v.NameOf(place, feel.Format(n))
	case *feel.Call:
		if n.Function+"()" == Today && len(n.Arguments) == 0 {
			return v.NameOf(place, Today)
		}
	}
	return nil
}

// NameAt returns the name that a node of one of the rule's formulas is; nil for any other node.
func (c *Compiled) NameAt(n feel.Node) *Name { return c.named(n) }

// lineLabel is what a field of the current line is called: so that nobody takes it for
// one of the header with the same label.
func (v *Vocabulary) lineLabel(f *field.Field) string {
	if slices.ContainsFunc(v.Kind.Fields, func(other field.Field) bool { return !other.OfLine() && other.Label == f.Label }) {
		return f.Label + " of the line"
	}
	return f.Label
}

// own is the name of the field that the rule is on.
func (c *Compiled) own() *Name {
	text := c.vocabulary.Kind.Fields[c.Field].Key
	if column, ok := strings.CutPrefix(text, field.LinePrefix); ok {
		text = lineGroup + column
	}
	return c.vocabulary.NameOf(c.Field, text)
}

// FieldOf returns the field that a part of one of the rule's formulas reads; nil where it
// reads none by itself.
func (c *Compiled) FieldOf(n feel.Node) *field.Field {
	if name := c.named(n); name != nil {
		return name.Field
	}
	return nil
}
