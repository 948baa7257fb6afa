package record

import (
	"slices"
	"strings"

	"codicil/core/feel"
	"codicil/core/field"
	"codicil/core/notice"
)

// Listed is a record as lists know it.
type Listed struct {
	Number, Company, Type, State string
	Former                       []string // numbers that lead to it
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
	// Sort is the field of the header to sort by, or "number", "company", "type", "state", "changed"; "":
	// number. Among equals goes the number; descending turns both round.
	Sort       string `json:"sort,omitempty"`
	Descending bool   `json:"descending,omitempty"`
}

// Filter keeps records by one field. A field of the lines holds when it does in
// one line.
type Filter struct {
	Field    string `json:"field"`
	Relation string `json:"relation"` // "is", "is-not", "contains", "from", "up-to", "is-blank", "is-filled", "in-band"
	Value    string `json:"value,omitempty"`
	// Former are numbers that lead to the record that a link is compared with; the caller knows them.
	Former []string `json:"-"`
}

var (
	noFilterField    = notice.Define("unknown-field.filter", "a {kind} has no field {field:q} to filter by")
	noFilterRelation = notice.Define("unknown-relation", "records cannot be filtered by {relation:q}")
)

func misfit(d *notice.Definition, values ...any) *field.Misfit {
	return &field.Misfit{Notice: d.With(values...)}
}

// Columns that lists are sorted by besides fields.
const (
	ByNumber  = "number"
	ByCompany = "company"
	ByType    = "type"
	ByState   = "state"
	ByChange  = "changed"
)

// Selector is a selection made ready for the records of a kind. It may be used by one goroutine.
type Selector struct {
	Selection
	Kind *Kind
	// By is the field of the header that is sorted by; nil: the column that Sort names.
	By *field.Field
	// Words are those that are looked for, in small letters.
	Words []string
	// Bounds must all hold; a store may narrow its search by them.
	Bounds []Bound
	// Bands are the fields by whose bands is filtered.
	Bands []string
	tests []func(*Listed) bool
	key   func(text string) string
}

// Bound is what a filter says of a field, in a form that a store can look up.
type Bound struct {
	Field *field.Field
	// From and To are the first and last sort key of the field; "" for none. They are set for fields of
	// the header for which Ordered tells true.
	From, To string
	// Linked are the numbers of which the field, a link, must name one; empty: this bound is none of links.
	Linked []string
}

// NewSelector makes a selection ready. The misfit says which filter asks for a value that its field
// cannot have, or for a field that is not there.
func NewSelector(kind *Kind, s Selection, format field.Format) (*Selector, *field.Misfit) {
	c := &Selector{Selection: s, Kind: kind, Words: strings.Fields(strings.ToLower(s.Search))}
	for _, f := range s.Filters {
		if wrong := c.filter(f, format); wrong != nil {
			return nil, wrong
		}
	}
	if by := kind.Field(s.Sort); by != nil && !by.OfLine() {
		c.By, c.key = by, SortKeyOf(by)
	} else if !slices.Contains([]string{ByCompany, ByType, ByState, ByChange}, s.Sort) {
		c.Sort = ByNumber
	}
	return c, nil
}

// OfScope selects the records of a company and type.
func OfScope(kind *Kind, company, kindType string) *Selector {
	return &Selector{Kind: kind, Selection: Selection{Companies: []string{company}, Types: []string{kindType}, Sort: ByNumber}}
}

// Keeps tells whether the selection keeps a record.
func (s *Selector) Keeps(r *Listed) bool {
	if !among(s.Companies, r.Company) || !among(s.Types, r.Type) || !among(s.States, r.State) || !s.found(r) {
		return false
	}
	return !slices.ContainsFunc(s.tests, func(test func(*Listed) bool) bool { return !test(r) })
}

// ByColumns tells whether companies, types and states are all that decides which records are kept.
func (s *Selector) ByColumns() bool { return len(s.Words) == 0 && len(s.tests) == 0 }

// Key is what a stored value of the field that is sorted by sorts as; "" for a blank one, which goes last
// whichever way the rest goes.
func (s *Selector) Key(text string) string { return s.key(text) }

func among(allowed []string, value string) bool {
	return len(allowed) == 0 || slices.Contains(allowed, value)
}

// found tells whether every word is in the number or in a searched field.
func (s *Selector) found(r *Listed) bool {
	if len(s.Words) == 0 {
		return true
	}
	texts := textsOf(s.Kind, r.Number, r.Former, &r.Content)
	return !slices.ContainsFunc(s.Words, func(word string) bool {
		return !slices.ContainsFunc(texts, func(text string) bool { return holds(text, word) })
	})
}

// filter adds a filter.
func (s *Selector) filter(f Filter, format field.Format) *field.Misfit {
	by := s.Kind.Field(f.Field)
	if by == nil {
		return misfit(noFilterField, s.Kind.Noun(), f.Field)
	}
	var holds func(text string) bool
	switch f.Relation {
	case "is-blank":
		holds = func(text string) bool { return text == "" }
	case "is-filled":
		holds = func(text string) bool { return text != "" }
	case "in-band":
		want := strings.TrimSpace(f.Value)
		s.Bands = append(s.Bands, by.Key)
		s.tests = append(s.tests, func(r *Listed) bool { return strings.EqualFold(r.Bands[by.Key], want) })
		return nil
	case "contains":
		want := strings.ToLower(strings.TrimSpace(f.Value))
		holds = func(text string) bool { return strings.Contains(strings.ToLower(text), want) }
	case "is", "is-not", "from", "up-to":
		want, wrong := by.Read(f.Value, format, field.Surroundings{})
		if wrong != nil {
			return wrong
		}
		holds = comparison(by, f.Relation, want)
		switch of := holds; {
		case f.Relation == "is" && len(f.Former) > 0:
			holds = func(text string) bool { return of(text) || slices.Contains(f.Former, text) }
		case f.Relation == "is-not" && len(f.Former) > 0:
			holds = func(text string) bool { return of(text) && !slices.Contains(f.Former, text) }
		}
		if bound := s.bound(by, f.Relation, want, f.Former); bound != nil {
			s.Bounds = append(s.Bounds, *bound)
		}
	default:
		return misfit(noFilterRelation, f.Relation)
	}
	if !by.OfLine() {
		s.tests = append(s.tests, func(r *Listed) bool { return holds(r.Content.Values[by.Key]) })
		return nil
	}
	s.tests = append(s.tests, func(r *Listed) bool {
		return slices.ContainsFunc(r.Content.Lines, func(l Line) bool { return holds(l.Values[by.Column()]) })
	})
	return nil
}

// bound is what a filter says in a form that a store can look up; nil for nothing. It may hold of more
// records than the filter.
func (s *Selector) bound(f *field.Field, relation string, want feel.Value, former []string) *Bound {
	if want.IsNull() {
		return nil
	}
	if text, _ := want.Text(); f.IsLink() && relation == "is" {
		return &Bound{Field: f, Linked: append([]string{text}, former...)}
	}
	if !s.Kind.Ordered(f) {
		return nil
	}
	key := f.SortKey()(want)
	isText := want.Kind() == feel.String
	switch {
	case relation == "is":
		return &Bound{Field: f, From: key, To: key}
	case relation == "from" && !isText: // texts are compared by their letters and sorted as people do
		return &Bound{Field: f, From: key}
	case relation == "up-to" && !isText:
		return &Bound{Field: f, To: key}
	}
	return nil
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
