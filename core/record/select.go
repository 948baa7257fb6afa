package record

import (
	"slices"
	"strings"

	"golang.org/x/text/collate"
	"golang.org/x/text/language"

	"codicil/core/feel"
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

// Select returns the places of the records that the selection keeps, sorted. The
// misfit says which filter asks for a value that its field cannot have, or for a
// field that is not there.
func Select(kind *Kind, records []Listed, s Selection, format Format) ([]int, *Misfit) {
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

func (f Filter) test(kind *Kind, format Format) (func(*Listed) bool, *Misfit) {
	field := kind.Field(f.Field)
	if field == nil {
		return nil, misfit("unknown-field", "a %s has no field %q to filter by", kind.Noun(), f.Field)
	}
	var holds func(text string) bool
	switch f.Relation {
	case "is-blank":
		holds = func(text string) bool { return text == "" }
	case "is-filled":
		holds = func(text string) bool { return text != "" }
	case "in-band":
		want := strings.TrimSpace(f.Value)
		return func(r *Listed) bool { return strings.EqualFold(r.Bands[field.Key], want) }, nil
	case "contains":
		want := strings.ToLower(strings.TrimSpace(f.Value))
		holds = func(text string) bool { return strings.Contains(strings.ToLower(text), want) }
	case "is", "is-not", "from", "up-to":
		want, wrong := field.Read(f.Value, format, Surroundings{})
		if wrong != nil {
			return nil, wrong
		}
		holds = field.comparison(f.Relation, want)
	default:
		return nil, misfit("unknown-relation", "records cannot be filtered by %q", f.Relation)
	}
	if !field.OfLine() {
		return func(r *Listed) bool { return holds(r.Content.Values[field.Key]) }, nil
	}
	return func(r *Listed) bool {
		return slices.ContainsFunc(r.Content.Lines, func(l Line) bool { return holds(l.Values[field.Column()]) })
	}, nil
}

func (f *Field) comparison(relation string, want feel.Value) func(string) bool {
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
	key := func(r *Listed) string {
		switch s.Sort {
		case "company":
			return r.Company
		case "type":
			return r.Type
		case "state":
			return r.State
		}
		return r.Number
	}
	field := kind.Field(s.Sort)
	var values []feel.Value
	if field != nil && !field.OfLine() {
		values = make([]feel.Value, len(records))
		for _, place := range places {
			values[place], _ = field.Parse(records[place].Content.Values[field.Key])
		}
	}
	words := collate.New(language.Und, collate.IgnoreCase, collate.Numeric)
	slices.SortStableFunc(places, func(a, b int) int {
		order := 0
		if values == nil {
			order = words.CompareString(key(&records[a]), key(&records[b]))
		} else {
			x, y := values[a], values[b]
			if x.IsNull() != y.IsNull() { // blanks last, whichever way the rest goes
				if x.IsNull() {
					return 1
				}
				return -1
			}
			if x.Kind() == feel.String {
				order = words.CompareString(x.Plain(), y.Plain())
			} else {
				order, _ = feel.Order(x, y)
			}
		}
		if s.Descending {
			order = -order
		}
		if order == 0 {
			order = strings.Compare(records[a].Number, records[b].Number)
		}
		return order
	})
}
