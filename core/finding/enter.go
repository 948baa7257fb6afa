package finding

import (
	"maps"

	"codicil/core/feel"
	"codicil/core/field"
	"codicil/core/judge"
	"codicil/core/record"
	"codicil/core/rule"
)

// enter makes the document one in which a subject has the value, where that is to be entered: of a
// field of the header or of the first line, of the record as it was saved or of the one before, of a
// linked record, a standing value, or the user.
func (l *look) enter(d *judge.Document, n feel.Node, value feel.Value) {
	v := l.c.Vocabulary()
	text := field.Write(value)
	if slot, ok := feel.SlotOf(n); ok {
		if at, isStanding := v.StandingAt(slot); isStanding {
			carried(d)
			if d.Fixtures.Standing == nil {
				d.Fixtures.Standing = map[string]string{}
			}
			d.Fixtures.Standing[v.Tables.Standing[at].Field.Key] = judge.Literal(value)
			return
		}
		read, known := v.ReadAt(slot)
		if !known {
			if feel.Format(n) == "user.name" {
				d.User = text
			}
			return
		}
		l.put(d, read, text)
		return
	}
	switch n := n.(type) {
	case *feel.Path:
		l.enterLinked(d, n, text)
	case *feel.Call:
		l.enterLines(d, n, value)
	}
}

// put enters a value into the document, or into what it is compared with.
func (l *look) put(d *judge.Document, read rule.Read, text string) {
	f := &l.c.Vocabulary().Kind.Fields[read.Field]
	key := f.Column()
	enter := func(items map[string]judge.Item) {
		if delete(items, key); text != "" {
			items[key] = judge.Item{Value: text}
		}
	}
	switch read.Form {
	case rule.SoFar, rule.Entered:
		if !f.OfLine() {
			enter(d.Entered)
			return
		}
		if len(d.Lines) == 0 {
			d.Lines = []judge.Line{{Number: 1, Entered: map[string]judge.Item{}}}
		}
		enter(d.Lines[0].Entered)
	case rule.Stored:
		if d.Stored == nil {
			d.AsSaved()
		}
		if !f.OfLine() {
			d.Stored[key] = text
		} else if len(d.StoredLines) > 0 {
			d.StoredLines[0].Values[key] = text
		}
	default:
		at := &d.Previous
		switch read.Form {
		case rule.PreviousOfType:
			at = &d.PreviousOfType
		case rule.PreviousOfAnyone:
			at = &d.PreviousOfAnyone
		}
		before := &record.Content{Values: map[string]string{}, Lines: []record.Line{{Number: 1, Values: map[string]string{}}}}
		if *at != nil {
			before.Values = maps.Clone((*at).Values)
			if len((*at).Lines) > 0 {
				before.Lines[0].Values = maps.Clone((*at).Lines[0].Values)
			}
		}
		if *at = before; !f.OfLine() {
			before.Values[key] = text
		} else {
			before.Lines[0].Values[key] = text
		}
	}
}

func carried(d *judge.Document) {
	fresh := judge.Fixtures{}
	if d.Fixtures != nil {
		fresh = *d.Fixtures
		fresh.Standing, fresh.Records = maps.Clone(fresh.Standing), maps.Clone(fresh.Records)
	}
	d.Fixtures = &fresh
}

// enterLinked takes the linked record to have the value: the document carries it as it is, or one
// that is made up, with that value.
func (l *look) enterLinked(d *judge.Document, n *feel.Path, text string) {
	kind, number := l.linked(d, n.Base)
	if kind == nil || number == "" {
		return
	}
	f := kind.Field(n.Member)
	if f == nil || f.OfLine() {
		return
	}
	carried(d)
	if d.Fixtures.Records == nil {
		d.Fixtures.Records = map[string]map[string]map[string]string{}
	}
	values := maps.Clone(d.Fixtures.Records[kind.Key][number])
	if values == nil {
		values = l.saved(d.Company, kind, number)
	}
	if delete(values, f.Key); text != "" {
		values[f.Key] = text
	}
	records := maps.Clone(d.Fixtures.Records[kind.Key])
	if records == nil {
		records = map[string]map[string]string{}
	}
	records[number] = values
	d.Fixtures.Records[kind.Key] = records
}

// linked is the record that a link of the document leads to; where it leads to none yet, one that
// is made up.
func (l *look) linked(d *judge.Document, n feel.Node) (*record.Kind, string) {
	v := l.c.Vocabulary()
	link := n.Type().Link
	if link == nil {
		return nil, ""
	}
	kind := v.Linkable(link.Kind)
	if kind == nil {
		return nil, ""
	}
	const madeUp = "EXAMPLE"
	if slot, ok := feel.SlotOf(n); ok {
		read, known := v.ReadAt(slot)
		if !known || read.List || read.Form != rule.SoFar && read.Form != rule.Entered {
			return nil, ""
		}
		f := &v.Kind.Fields[read.Field]
		items := d.Entered
		if f.OfLine() {
			if len(d.Lines) == 0 {
				d.Lines = []judge.Line{{Number: 1, Entered: map[string]judge.Item{}}}
			}
			items = d.Lines[0].Entered
		}
		if items[f.Column()].Value == "" {
			items[f.Column()] = judge.Item{Value: l.some(kind.Key, d.Company, madeUp)}
		}
		return kind, items[f.Column()].Value
	}
	path, ok := n.(*feel.Path)
	if !ok {
		return nil, ""
	}
	before, number := l.linked(d, path.Base)
	if before == nil {
		return nil, ""
	}
	next := l.saved(d.Company, before, number)[path.Member]
	if d.Fixtures != nil && d.Fixtures.Records[before.Key][number] != nil {
		next = d.Fixtures.Records[before.Key][number][path.Member]
	}
	if next == "" {
		next = l.some(kind.Key, d.Company, madeUp)
		l.enterLinked(d, path, next)
	}
	return kind, next
}

func (l *look) some(kind, company, otherwise string) string {
	if l.Numbers != nil {
		if numbers := l.Numbers(kind, company); len(numbers) > 0 {
			return numbers[0]
		}
	}
	return otherwise
}

// saved are the values of a record's header as it is saved; none where there is no such record.
func (l *look) saved(company string, kind *record.Kind, number string) map[string]string {
	values := map[string]string{}
	c, _ := l.Runner.Facts(company)
	if c.Linked == nil {
		return values
	}
	for i := range kind.Fields[:kind.Headers()] {
		if value := c.Linked.Follow(kind.Key, number, kind.Fields[i].Key); !value.IsNull() {
			values[kind.Fields[i].Key] = field.Write(value)
		}
	}
	return values
}

// enterLines gives the document so many lines, or a line with such a sum, that a function over the
// lines comes to the value.
func (l *look) enterLines(d *judge.Document, n *feel.Call, value feel.Value) {
	v := l.c.Vocabulary()
	number, isNumber := value.Number()
	if len(n.Arguments) != 1 || v.Columns == 0 || !isNumber {
		return
	}
	slot, ok := feel.SlotOf(n.Arguments[0])
	if !ok {
		return
	}
	if len(d.Lines) == 0 {
		d.Lines = []judge.Line{{Number: 1, Entered: map[string]judge.Item{}}}
	}
	read, known := v.ReadAt(slot)
	switch n.Function {
	case "count":
		count, whole := number.Int64()
		if !whole || count < 0 || count > 200 {
			return
		}
		for len(d.Lines) < int(count) {
			last := d.Lines[len(d.Lines)-1]
			d.Lines = append(d.Lines, judge.Line{Number: last.Number + 1, Entered: maps.Clone(last.Entered)})
		}
		d.Lines = d.Lines[:count]
	case "sum", "max", "min":
		if !known || !read.List || read.Form != rule.SoFar && read.Form != rule.Entered {
			return
		}
		// A blank among them would make the whole blank.
		column, rest := v.Kind.Fields[read.Field].Column(), field.Write(value)
		if n.Function == "sum" {
			rest = "0"
		}
		for i := range d.Lines {
			d.Lines[i].Entered[column] = judge.Item{Value: rest}
		}
		d.Lines[0].Entered[column] = judge.Item{Value: field.Write(value)}
	}
}
