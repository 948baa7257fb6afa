package desk

import (
	"cmp"
	"context"
	"slices"
	"strings"

	"codicil/core/feel"
	"codicil/core/record"
	"codicil/internal/store"
)

// shelf holds the saved records of one kind by number. It is never changed, only
// replaced.
type shelf struct{ rows []store.Record }

func (s *shelf) place(number string) (int, bool) {
	return slices.BinarySearchFunc(s.rows, number, func(r store.Record, n string) int { return strings.Compare(r.Number, n) })
}

// find returns the record with the number, or nil.
func (s *shelf) find(number string) *store.Record {
	if i, there := s.place(number); there {
		return &s.rows[i]
	}
	return nil
}

// shelf returns the records of a kind.
func (d *Desk) shelf(ctx context.Context, kind string) (*shelf, error) {
	d.mutex.Lock()
	defer d.mutex.Unlock()
	if s := d.shelves[kind]; s != nil {
		return s, nil
	}
	rows, err := d.store.Records(ctx, kind)
	if err != nil {
		return nil, err
	}
	slices.SortFunc(rows, func(a, b store.Record) int { return strings.Compare(a.Number, b.Number) })
	d.shelves[kind] = &shelf{rows}
	return d.shelves[kind], nil
}

// shelve puts saved records on the shelves of their kinds. It is called at the head of the
// line, so that of two saved at once the later stays. Cost: a copy of the shelf for each kind.
func (d *Desk) shelve(records ...store.Record) {
	d.mutex.Lock()
	defer d.mutex.Unlock()
	for _, r := range records {
		d.put(r, false)
	}
}

// unshelve takes a deleted record from its shelf.
func (d *Desk) unshelve(r store.Record) {
	d.mutex.Lock()
	defer d.mutex.Unlock()
	d.put(r, true)
}

// put replaces, adds or removes a record in memory. It is called under the mutex.
func (d *Desk) put(r store.Record, gone bool) {
	s := d.shelves[r.Kind]
	if s == nil {
		return
	}
	i, there := s.place(r.Number)
	next := &shelf{slices.Clone(s.rows)}
	if there && d.naming != nil {
		d.naming.remove(&s.rows[i])
	}
	switch {
	case there && gone:
		next.rows = slices.Delete(next.rows, i, i+1)
	case there:
		next.rows[i] = r
	case !gone:
		next.rows = slices.Insert(next.rows, i, r)
	}
	if !gone && d.naming != nil {
		d.naming.add(&r)
	}
	d.shelves[r.Kind] = next
}

// links follows links for a document of one company.
type links struct {
	desk    *Desk
	ctx     context.Context
	masters *masters
	company string
	// reads notes which records are read; nil: nobody relies on them.
	reads *readSet
	// over are records as they would be, which go before those that are saved.
	over map[ref]*store.Record
	// failed is the first error of reading records; the run it happened in is not
	// to be used.
	failed error
}

func (d *Desk) links(ctx context.Context, m *masters, company string) *links {
	return &links{desk: d, ctx: ctx, masters: m, company: company}
}

func (l *links) find(kind, number string) (*record.Kind, *store.Record) {
	k, err := l.masters.kind(kind)
	if err != nil {
		return nil, nil
	}
	if r := l.over[ref{kind, number}]; r != nil {
		return k, r
	}
	s, err := l.desk.shelf(l.ctx, kind)
	if err != nil {
		if l.failed == nil {
			l.failed = err
		}
		return k, nil
	}
	r := s.find(number)
	l.reads.note(ref{kind, number}, r)
	return k, r
}

// Follow returns a field of a linked record, or its lines; null when there is no
// such record.
func (l *links) Follow(kind, key, field string) feel.Value {
	k, r := l.find(kind, key)
	if r == nil {
		return feel.NullValue
	}
	if field == "lines" {
		return linesOf(k, r.Lines)
	}
	f := k.Field(field)
	if f == nil {
		return feel.NullValue
	}
	v, _ := f.Parse(r.Values[field])
	return v
}

func linesOf(k *record.Kind, lines []record.Line) feel.Value {
	keys := []string{"number"}
	for i := k.Headers(); i < len(k.Fields); i++ {
		keys = append(keys, k.Fields[i].Column())
	}
	contexts := make([]feel.Value, len(lines))
	for i, line := range lines {
		values := []feel.Value{feel.IntegerOf(int64(line.Number))}
		for place := k.Headers(); place < len(k.Fields); place++ {
			v, _ := k.Fields[place].Parse(line.Values[k.Fields[place].Column()])
			values = append(values, v)
		}
		contexts[i] = feel.ContextOf(&feel.Entries{Keys: keys, Values: values})
	}
	return feel.ListOf(contexts)
}

// Missing says why a document of the company may not name the record; "" when it may.
func (l *links) Missing(kind, key string) string {
	k, r := l.find(kind, key)
	switch {
	case k == nil:
		return "there is no kind of record " + kind
	case r == nil:
		return "there is no " + k.Noun() + " " + key + "; choose one from the list"
	case !k.Shared && r.Company != l.company:
		return k.Noun() + " " + key + " belongs to company " + r.Company + "; choose one of company " + l.company
	}
	return ""
}

// title returns the name of a record, or "" when there is none.
func (l *links) title(kind, key string) string {
	k, r := l.find(kind, key)
	if r == nil {
		return ""
	}
	return l.titleOf(k, r.Values)
}

// titleOf returns what people call a record: the first of the kind's title fields
// that is filled, by name where it is a link.
func (l *links) titleOf(k *record.Kind, values map[string]string) string {
	for _, key := range k.Title {
		text := values[key]
		if f := k.Field(key); text != "" && f != nil && f.IsLink() {
			if name := l.title(f.Kind, text); name != "" {
				return name
			}
		}
		if text != "" {
			return text
		}
	}
	return k.Label + " without a name"
}

// show writes a link as people read it: number and name.
func (l *links) show(kind, key string) string {
	if name := l.title(kind, key); name != "" {
		return key + " " + name
	}
	return key
}

// resolve finds the record that a person means: by its number, by number and name
// as we show them, or by a part of its name that fits no other as well. What it does not
// find it returns as typed.
func (l *links) resolve(kind, typed string) string {
	typed = strings.TrimSpace(typed)
	first, _, _ := strings.Cut(typed, " ")
	s, err := l.desk.shelf(l.ctx, kind)
	if err != nil {
		l.failed = cmp.Or(l.failed, err)
		return typed
	}
	for _, number := range []string{typed, strings.ToUpper(typed), first, strings.ToUpper(first)} {
		if s.find(number) != nil {
			return number
		}
	}
	if hits := l.hits(kind, typed); len(hits) == 1 || (len(hits) > 1 && hits[0].rank < hits[1].rank) {
		return hits[0].Number // no other fits as well
	}
	return typed
}
