package record

import (
	"slices"

	"codicil/core/field"
)

// Index is by what a record is found among many.
type Index struct {
	// Keys are what the record is sorted by, by column: a field of the header for which Ordered tells true.
	// Blank ones are left out.
	Keys map[string]string
	// Grams are what words find it by.
	Grams []string
	// Links are the records that it names, each once.
	Links []Ref
}

// Ordered tells whether records of the kind are kept in the order of a field: what lists are mostly sorted and
// narrowed by.
func (k *Kind) Ordered(f *field.Field) bool {
	return !f.OfLine() && (f.Searched || f.IsLink() || f.Type == field.Amount || f.Key == k.Day || slices.Contains(k.Title, f.Key))
}

// Indexer makes the index of records of one kind. It may be used by one goroutine.
type Indexer struct {
	kind *Kind
	keys []sortKey
}

type sortKey struct {
	field *field.Field
	of    func(text string) string
}

// NewIndexer returns what makes the index of records of a kind.
func NewIndexer(kind *Kind) *Indexer {
	x := &Indexer{kind: kind}
	for i := range kind.Fields {
		if f := &kind.Fields[i]; kind.Ordered(f) {
			x.keys = append(x.keys, sortKey{f, SortKeyOf(f)})
		}
	}
	return x
}

// SortKeyOf returns what makes the sort keys of stored values; "" for what is blank or cannot be read.
func SortKeyOf(f *field.Field) func(text string) string {
	key := f.SortKey()
	return func(text string) string {
		if text == "" {
			return ""
		}
		v, wrong := f.Parse(text)
		if wrong != nil || v.IsNull() {
			return ""
		}
		return key(v)
	}
}

// Of returns the index of a record.
func (x *Indexer) Of(r *Record) Index {
	index := Index{Keys: make(map[string]string, len(x.keys)), Grams: GramsOf(textsOf(x.kind, r.Number, r.Former, &r.Content)), Links: LinksOf(x.kind, r)}
	for _, k := range x.keys {
		if key := k.of(r.Values[k.field.Key]); key != "" {
			index.Keys[k.field.Key] = key
		}
	}
	return index
}

// LinksOf are the records that a record names, each once: by a link of the header or of a line, and the one that
// it follows.
func LinksOf(k *Kind, r *Record) (links []Ref) {
	add := func(kind, number string) {
		if to := (Ref{Kind: kind, Number: number}); number != "" && !slices.Contains(links, to) {
			links = append(links, to)
		}
	}
	for i := range k.Fields {
		f := &k.Fields[i]
		switch {
		case !f.IsLink():
		case !f.OfLine():
			add(f.Kind, r.Values[f.Key])
		default:
			for _, line := range r.Lines {
				add(f.Kind, line.Values[f.Column()])
			}
		}
	}
	add(r.Preceding.Kind, r.Preceding.Number)
	return links
}
