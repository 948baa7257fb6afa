package record

import (
	"cmp"
	"slices"
	"strings"

	"codicil/core/feel"
	"codicil/core/field"
	"codicil/core/notice"
)

// Listed is a record as lists know it.
type Listed struct {
	Number, Company, Type, State string
	Content                      Content
	// Bands are the labels of the bands that numbers of the header are in, by field; known
	// where a filter asks.
	Bands map[string]string
}

// Selection says which records of a kind a list shows, and in which order.
type Selection struct {
	// Search finds records whose number, or a searched field, holds all its words.
	Search    string   `json:"search,omitempty"`
	Companies []string `json:"companies,omitempty"` // empty: all
	Types     []string `json:"types,omitempty"`     // empty: all
	States    []string `json:"states,omitempty"`    // empty: all
	Filters   []Filter `json:"filters,omitempty"`   // all must hold
	// Sort is the field to sort by, or "number", "company", "type", "state"; "": number.
	Sort       string `json:"sort,omitempty"`
	Descending bool   `json:"descending,omitempty"`
}

// Filter keeps records by one field. A field of the lines holds when it does in
// one line.
type Filter struct {
	Field    string `json:"field"`
	Relation string `json:"relation"` // "is", "is-not", "contains", "from", "up-to", "is-blank", "is-filled", "in-band"
	Value    string `json:"value,omitempty"`
}

var (
	noFilterField    = notice.Define("unknown-field.filter", "a {kind} has no field {field:q} to filter by")
	noFilterRelation = notice.Define("unknown-relation", "records cannot be filtered by {relation:q}")
)

func misfit(d *notice.Definition, values ...any) *field.Misfit {
	return &field.Misfit{Notice: d.With(values...)}
}

// Select returns the places of the records that the selection keeps, sorted. The
// misfit says which filter asks for a value that its field cannot have, or for a
// field that is not there.
func Select(kind *Kind, records []Listed, s Selection, format field.Format) ([]int, *field.Misfit) {
	tests := make([]func(*Listed) bool, len(s.Filters))
	for i, f := range s.Filters {
		test, wrong := f.test(kind, format)
		if wrong != nil {
			return nil, wrong
		}
		tests[i] = test
	}
	words := strings.Fields(strings.ToLower(s.Search))
	places := []int{}
	for i := range records {
		r := &records[i]
		if !among(s.Companies, r.Company) || !among(s.Types, r.Type) || !among(s.States, r.State) || !found(kind, r, words) {
			continue
		}
		if !slices.ContainsFunc(tests, func(test func(*Listed) bool) bool { return !test(r) }) {
			places = append(places, i)
		}
	}
	sortPlaces(kind, records, places, s)
	return places, nil
}

func among(allowed []string, value string) bool {
	return len(allowed) == 0 || slices.Contains(allowed, value)
}

// found tells whether every word is in the number or in a searched field.
func found(kind *Kind, r *Listed, words []string) bool {
	if len(words) == 0 {
		return true
	}
	texts := []string{strings.ToLower(r.Number)}
	for i := range kind.Fields {
		f := &kind.Fields[i]
		if !f.Searched && !slices.Contains(kind.Title, f.Key) {
			continue
		}
		if !f.OfLine() {
			texts = append(texts, strings.ToLower(r.Content.Values[f.Key]))
			continue
		}
		for _, line := range r.Content.Lines {
			texts = append(texts, strings.ToLower(line.Values[f.Column()]))
		}
	}
	return !slices.ContainsFunc(words, func(word string) bool {
		return !slices.ContainsFunc(texts, func(text string) bool { return strings.Contains(text, word) })
	})
}

func (f Filter) test(kind *Kind, format field.Format) (func(*Listed) bool, *field.Misfit) {
	by := kind.Field(f.Field)
	if by == nil {
		return nil, misfit(noFilterField, kind.Noun(), f.Field)
	}
	var holds func(text string) bool
	switch f.Relation {
	case "is-blank":
		holds = func(text string) bool { return text == "" }
	case "is-filled":
		holds = func(text string) bool { return text != "" }
	case "in-band":
		want := strings.TrimSpace(f.Value)
		return func(r *Listed) bool { return strings.EqualFold(r.Bands[by.Key], want) }, nil
	case "contains":
		want := strings.ToLower(strings.TrimSpace(f.Value))
		holds = func(text string) bool { return strings.Contains(strings.ToLower(text), want) }
	case "is", "is-not", "from", "up-to":
		want, wrong := by.Read(f.Value, format, field.Surroundings{})
		if wrong != nil {
			return nil, wrong
		}
		holds = comparison(by, f.Relation, want)
	default:
		return nil, misfit(noFilterRelation, f.Relation)
	}
	if !by.OfLine() {
		return func(r *Listed) bool { return holds(r.Content.Values[by.Key]) }, nil
	}
	return func(r *Listed) bool {
		return slices.ContainsFunc(r.Content.Lines, func(l Line) bool { return holds(l.Values[by.Column()]) })
	}, nil
}

func comparison(f *field.Field, relation string, want feel.Value) func(string) bool {
	return func(text string) bool {
		v, wrong := f.Parse(text)
		if wrong != nil {
			return false
		}
		order, comparable := feel.Order(v, want)
		switch relation {
		case "is":
			return feel.Same(v, want)
		case "is-not":
			return !feel.Same(v, want)
		case "from":
			return comparable && order >= 0
		}
		return comparable && order <= 0
	}
}

// sortPlaces sorts by one field, blanks last, then by number.
func sortPlaces(kind *Kind, records []Listed, places []int, s Selection) {
	by := kind.Field(s.Sort)
	if by != nil && by.OfLine() {
		by = nil
	}
	values := make([]feel.Value, len(records))
	for _, place := range places {
		r := &records[place]
		switch {
		case by != nil:
			values[place], _ = by.Parse(r.Content.Values[by.Key])
		case s.Sort == "company":
			values[place] = feel.StringOf(r.Company)
		case s.Sort == "type":
			values[place] = feel.StringOf(r.Type)
		case s.Sort == "state":
			values[place] = feel.StringOf(r.State)
		default:
			values[place] = feel.StringOf(r.Number)
		}
	}
	if by == nil {
		by = &field.Field{Type: field.Text}
	}
	compare := by.Comparison()
	slices.SortStableFunc(places, func(a, b int) int {
		x, y := values[a], values[b]
		if x.IsNull() != y.IsNull() { // blanks last, whichever way the rest goes
			if x.IsNull() {
				return 1
			}
			return -1
		}
		order := 0
		if !x.IsNull() {
			order = compare(x, y)
		}
		if s.Descending {
			order = -order
		}
		return cmp.Or(order, strings.Compare(records[a].Number, records[b].Number))
	})
}
