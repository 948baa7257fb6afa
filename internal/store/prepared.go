package store

import (
	"context"
	"encoding/json"
	"maps"
	"reflect"
	"slices"
	"strings"

	"codicil/core/judge"
	"codicil/core/record"
	"codicil/internal/codec"
)

// Prepared is a record as it is to be written, with what it was judged by and by what it is found: all that can be made before
// its turn to be written comes, as one writes at a time. It holds for the version that it was made from only.
type Prepared struct {
	before  *record.Record // nil: the record is new
	judged  []byte         // compressed; nil: nobody knows
	content *writtenContent
	was     []byte // the hash of what the version before holds
	same    sameParts
	found   *foundBy // nil: by the same as before
}

// sameParts are the parts of a record that are as in the version before.
type sameParts struct{ values, lines, origins, reasons bool }

func (p sameParts) all() bool { return p.values && p.lines && p.origins && p.reasons }

// Prepare makes a record ready to be written after the version before, nil where it is new; k is what it was judged by, nil:
// nobody knows. Versions never change: before may have been read at any time.
func (s *Store) Prepare(ctx context.Context, k *judge.Kept, before, r *record.Record) (*Prepared, error) {
	p := &Prepared{before: before}
	if k != nil {
		text, err := codec.Write(*k)
		if err != nil {
			return nil, err
		}
		p.judged = pack(text)
	}
	if before != nil {
		p.same = sameParts{
			maps.Equal(before.Values, r.Values), sameOrNone(before.Lines, r.Lines, len(before.Lines)+len(r.Lines)),
			sameOrNone(before.Origins, r.Origins, len(before.Origins)+len(r.Origins)), sameOrNone(before.Reasons, r.Reasons, len(before.Reasons)+len(r.Reasons)),
		}
		var err error
		if p.was, err = hashOfContent(&before.Content); err != nil {
			return nil, err
		}
	}
	var err error
	if p.content, err = writeContent(&r.Content, p.same); err != nil {
		return nil, err
	}
	if before != nil && p.foundAlike(r) {
		return p, nil
	}
	x, err := s.indexOf(ctx, r.Kind)
	if err != nil {
		return nil, err
	}
	p.found = x.found(before, r)
	return p, nil
}

// of tells whether it was made of a record that is new, or comes after a version.
func (p *Prepared) of(r *record.Record, isNew bool) bool {
	return p != nil && p.content.is(&r.Content) && isNew == (p.before == nil) && (isNew || p.before.Version == r.Version) && (p.found != nil || p.foundAlike(r))
}

// foundAlike tells whether the record is found by the same as the version before.
func (p *Prepared) foundAlike(r *record.Record) bool {
	old := p.before
	return p.same.values && p.same.lines && old.Company == r.Company && old.Standing() == r.Standing() && old.Preceding == r.Preceding && slices.Equal(old.Former, r.Former)
}

// sameOrNone tells whether two values are equal, of which nil and empty are one; count is how much is in both.
func sameOrNone(x, y any, count int) bool { return count == 0 || reflect.DeepEqual(x, y) }

// writtenContent is what a record holds, ready to be written; what is the same as before is left out.
type writtenContent struct {
	content                 record.Content
	whole                   []byte // compressed
	hash                    []byte // as the trail tells it
	header                  string // the values of the header, as JSON
	lines, origins, reasons []byte // compressed; nil: there are none
}

func writeContent(c *record.Content, same sameParts) (*writtenContent, error) {
	w := &writtenContent{content: *c}
	if same.all() {
		return w, nil
	}
	text, err := codec.Write(*c)
	if err != nil {
		return nil, err
	}
	w.whole, w.hash, w.header = pack(text), HashOf(text), "{}"
	if c.Values != nil && !same.values {
		header, err := json.Marshal(c.Values)
		if err != nil {
			return nil, err
		}
		w.header = string(header)
	}
	for _, part := range []struct {
		into  *[]byte
		same  bool
		count int
		value any
	}{{&w.lines, same.lines, len(c.Lines), c.Lines}, {&w.origins, same.origins, len(c.Origins), c.Origins}, {&w.reasons, same.reasons, len(c.Reasons), c.Reasons}} {
		if part.same || part.count == 0 {
			continue
		}
		text, err := packable(part.value)
		if err != nil {
			return nil, err
		}
		*part.into = pack(text)
	}
	return w, nil
}

// values are those of its columns.
func (w *writtenContent) values() []any { return []any{w.header, w.lines, w.origins, w.reasons} }

// is tells whether it was written of a content, not of an equal one.
func (w *writtenContent) is(c *record.Content) bool {
	same := func(x, y any) bool { return reflect.ValueOf(x).UnsafePointer() == reflect.ValueOf(y).UnsafePointer() }
	return same(w.content.Values, c.Values) && same(w.content.Origins, c.Origins) && len(w.content.Lines) == len(c.Lines) && same(w.content.Lines, c.Lines) &&
		len(w.content.Reasons) == len(c.Reasons) && same(w.content.Reasons, c.Reasons)
}

// recordColumns are those of a new record, those of its content first, and versionColumns those of a version, in the order in which
// they are written.
var (
	recordColumns = []string{
		"field_values", "record_lines", "origins", "reasons", "kind", "number", "company", "type", "state", "version", "late",
		"origin_kind", "origin_number", "reverses", "reversed_by", "former", "changed_at", "changed_by", "changed_person", "changed_via",
	}
	versionColumns = []string{"kind", "number", "version", "what", "type", "company", "content", "judged", "changed_at", "changed_by", "changed_person", "changed_via"}

	addRecord  = insertion("records", recordColumns) + " RETURNING id"
	addVersion = insertion("record_versions", versionColumns)
)

// insertion is the statement that adds a row.
func insertion(table string, columns []string) string {
	return "INSERT INTO " + table + " (" + strings.Join(columns, ", ") + ") VALUES (" + strings.Repeat("?, ", len(columns)-1) + "?)"
}
