package exchange

import (
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"slices"

	"codicil/core/engine"
	"codicil/core/feel"
	"codicil/core/plan"
	"codicil/core/proof"
	"codicil/core/record"
	"codicil/core/rule"
	"codicil/core/table"
)

// BookFormat names the format of the file, and BookVersion its version.
const (
	BookFormat  = "codicil book"
	BookVersion = 1
)

// Book is a rule book with all that its rules need, as one file.
type Book struct {
	Format    string           `json:"format"`
	Version   int              `json:"version"`
	Companies []record.Company `json:"companies"`
	Types     []record.Type    `json:"types"`
	// Fields are those that were added, by kind; the standard ones come with the program.
	Fields     map[string][]record.Field `json:"fields"`
	Standing   []table.Standing          `json:"standing"`
	Crosswalks []table.Crosswalk         `json:"crosswalks"`
	Series     []table.Series            `json:"series"`
	Rules      []rule.Rule               `json:"rules"`
	Proofs     []proof.Proof             `json:"proofs"`
}

// Write writes the book so that two of the same are the same text.
func (b *Book) Write(w io.Writer) error {
	b.Format, b.Version = BookFormat, BookVersion
	encoder := json.NewEncoder(w)
	encoder.SetIndent("", "  ")
	encoder.SetEscapeHTML(false)
	return encoder.Encode(b)
}

// ReadBook reads a book's file. The error says what it is instead.
func ReadBook(r io.Reader) (*Book, error) {
	decoder := json.NewDecoder(r)
	decoder.DisallowUnknownFields()
	var b Book
	if err := decoder.Decode(&b); err != nil {
		var wrong *json.UnmarshalTypeError
		if errors.As(err, &wrong) {
			return nil, fmt.Errorf("this is no book of rules: %s holds a %s, which does not belong there (byte %d); export --schema says what does", wrong.Field, wrong.Value, wrong.Offset)
		}
		return nil, fmt.Errorf("this is no book of rules: %w", err)
	}
	switch {
	case b.Format != BookFormat:
		return nil, fmt.Errorf("this is no book of rules: its format is %q, not %q", b.Format, BookFormat)
	case b.Version != BookVersion:
		return nil, fmt.Errorf("the book is of version %d; this program reads version %d", b.Version, BookVersion)
	}
	return &b, nil
}

// World makes the book one that documents can be taken through. kinds are the standard
// ones; there are no saved records. It may be used by one goroutine.
func (b *Book) World(kinds []record.Kind, today record.Day) *World {
	w := &World{book: b, today: today, kinds: slices.Clone(kinds), books: map[string]*plan.Book{}, plans: map[[4]string]*plan.Plan{}}
	for i := range w.kinds {
		k := &w.kinds[i]
		k.Fields = append(slices.Clone(k.Fields), b.Fields[k.Key]...)
		k.Sort()
	}
	return w
}

// World is a book with its plans.
type World struct {
	book  *Book
	today record.Day
	kinds []record.Kind
	books map[string]*plan.Book
	plans map[[4]string]*plan.Plan
}

// Kind returns a kind; nil when there is none.
func (w *World) Kind(key string) *record.Kind {
	for i := range w.kinds {
		if w.kinds[i].Key == key {
			return &w.kinds[i]
		}
	}
	return nil
}

// scope finds what a plan is for; the error says what does not exist.
func (w *World) scope(kind, company, kindType string, day record.Day) (plan.Scope, error) {
	s := plan.Scope{Day: day}
	for i := range w.book.Companies {
		if w.book.Companies[i].Key == company {
			s.Company = &w.book.Companies[i]
		}
	}
	for i := range w.book.Types {
		if t := &w.book.Types[i]; t.Kind == kind && t.Key == kindType {
			s.Type = t
		}
	}
	switch {
	case s.Company == nil:
		return s, fmt.Errorf("there is no company %q", company)
	case s.Type == nil || !s.Type.UsedIn(company):
		return s, fmt.Errorf("company %s uses no type %q of this kind", company, kindType)
	}
	return s, nil
}

// rules returns the compiled rules of a kind.
func (w *World) rules(kind string) *plan.Book {
	if w.books[kind] == nil {
		rules := slices.DeleteFunc(slices.Clone(w.book.Rules), func(r rule.Rule) bool { return r.Kind != kind })
		w.books[kind] = plan.NewBook(w.Kind(kind), w.kinds, w.book.Tables(), rules)
	}
	return w.books[kind]
}

// Runner runs the proofs of a kind. They carry what they read besides their documents; what
// they do not carry, the book does not have.
func (w *World) Runner(kind string, now func(record.Day) feel.Value) *proof.Runner {
	return &proof.Runner{
		Book: w.rules(kind),
		Scope: func(company, kindType string, day record.Day) (plan.Scope, error) {
			return w.scope(kind, company, kindType, day)
		},
		Setting: func(s plan.Scope) (proof.Setting, func() error) {
			return proof.Setting{Company: s.Company, Now: now(s.Day), Moment: rule.Posting}, func() error { return nil }
		},
	}
}

// Plan returns the plan of a scope.
func (w *World) Plan(kind, company, kindType string, day record.Day) (*plan.Plan, error) {
	id := [4]string{kind, company, kindType, string(day)}
	if p := w.plans[id]; p != nil {
		return p, nil
	}
	s, err := w.scope(kind, company, kindType, day)
	if err != nil {
		return nil, err
	}
	w.rules(kind)
	if len(w.plans) > 1000 {
		clear(w.plans) // a batch over many days would keep them all
	}
	w.plans[id] = plan.Build(w.books[kind], s)
	return w.plans[id], nil
}

// Tables are what the rules of the book look up.
func (b *Book) Tables() *table.Set {
	return &table.Set{Standing: b.Standing, Crosswalks: b.Crosswalks, Series: b.Series}
}

// Linked finds nothing: a book has no records.
func (w *World) Linked(string) engine.Linked { return nil }

// Peers finds nothing: a book has no records.
func (w *World) Peers(*record.Kind) engine.Peers { return nil }

// Today is the date of a document that has none.
func (w *World) Today() record.Day { return w.today }
