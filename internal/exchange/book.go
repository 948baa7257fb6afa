package exchange

import (
	"bytes"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"slices"
	"time"

	"codicil/core/field"
	"codicil/core/judge"
	"codicil/core/plan"
	"codicil/core/proof"
	"codicil/core/record"
	"codicil/core/rule"
	"codicil/core/table"
	"codicil/internal/clock"
	"codicil/internal/release"
)

// BookFormat names the format of the file, and BookVersion its version. Files of version 1 are
// read too: what was said otherwise then, how entry rules meet a field and which messages a
// proof expects, is read as it is said now.
const (
	BookFormat  = "codicil book"
	BookVersion = 2
)

// Book is a rule book with all that its rules need, as one file.
type Book struct {
	Format  string `json:"format"`
	Version int    `json:"version"`
	// RuleBook is the version that the rule book had, which documents that are judged by the
	// file name; 0: not known.
	RuleBook  int64            `json:"ruleBook,omitempty"`
	Companies []record.Company `json:"companies"`
	Types     []record.Type    `json:"types"`
	// Fields are those that were added, by kind; the standard ones come with the program.
	Fields     map[string][]field.Field `json:"fields"`
	Standing   []table.Standing         `json:"standing"`
	Crosswalks []table.Crosswalk        `json:"crosswalks"`
	Series     []table.Series           `json:"series"`
	Rules      []rule.Rule              `json:"rules"`
	Proofs     []proof.Proof            `json:"proofs"`
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
	text, err := io.ReadAll(r)
	if err != nil {
		return nil, err
	}
	if text, err = upgraded(text); err != nil {
		return nil, fmt.Errorf("this is no book of rules: %w", err)
	}
	decoder := json.NewDecoder(bytes.NewReader(text))
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

// upgraded turns a file of version 1 into one of this version; others stay as they are.
func upgraded(text []byte) ([]byte, error) {
	var head struct {
		Version int `json:"version"`
	}
	if err := json.Unmarshal(text, &head); err != nil || head.Version != 1 {
		return text, nil // what is wrong is said where all of it is read
	}
	var book map[string]any
	decoder := json.NewDecoder(bytes.NewReader(text))
	decoder.UseNumber()
	if err := decoder.Decode(&book); err != nil {
		return nil, err
	}
	book["version"] = BookVersion
	proofs, _ := book["proofs"].([]any)
	for _, p := range proofs {
		expect, _ := p.(map[string]any)["expect"].(map[string]any)
		messages, _ := expect["messages"].([]any)
		for _, m := range messages {
			if message, ok := m.(map[string]any); ok {
				delete(message, "text") // proofs expect who speaks, not how it reads
			}
		}
	}
	return json.Marshal(book)
}

// World makes the book one that documents can be taken through. kinds are the standard
// ones; there are no saved records. clock tells the time of the work. It may be used by one
// goroutine.
func (b *Book) World(kinds []record.Kind, clock func() time.Time) *World {
	w := &World{book: b, clock: clock, kinds: slices.Clone(kinds), books: map[string]*plan.Book{}, plans: map[planned]*plan.Plan{}}
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
	clock func() time.Time
	kinds []record.Kind
	books map[string]*plan.Book
	plans map[planned]*plan.Plan
}

type planned struct {
	book              *plan.Book
	company, kindType string
	day               record.Day
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

func (w *World) company(key string) *record.Company {
	for i := range w.book.Companies {
		if w.book.Companies[i].Key == key {
			return &w.book.Companies[i]
		}
	}
	return nil
}

// scope finds what a plan is for; the error says what does not exist.
func (w *World) scope(kind, company, kindType string, day record.Day) (plan.Scope, error) {
	s := plan.Scope{Company: w.company(company), Day: day}
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

// build makes each plan once; a batch over many days does not keep them all.
func (w *World) build(b *plan.Book, s plan.Scope) *plan.Plan {
	at := planned{b, s.Company.Key, s.Type.Key, s.Day}
	if w.plans[at] == nil {
		if len(w.plans) > 1000 {
			clear(w.plans)
		}
		w.plans[at] = plan.Build(b, s)
	}
	return w.plans[at]
}

// Runner runs the proofs of a kind. They carry what they read besides their documents; what
// they do not carry, the book does not have.
func (w *World) Runner(kind string) *proof.Runner {
	types := slices.DeleteFunc(slices.Clone(w.book.Types), func(t record.Type) bool { return t.Kind != kind })
	return &proof.Runner{
		Book: w.rules(kind), Extent: proof.Extent{Companies: w.book.Companies, Types: types},
		Scope: func(company, kindType string, day record.Day) (plan.Scope, error) {
			return w.scope(kind, company, kindType, day)
		},
		Facts: func(string) (judge.Circumstances, func() error) {
			return judge.Circumstances{}, func() error { return nil }
		},
	}
}

// Circumstances are those of a document of a kind in a company: the rules in force of the
// book, the time in the company's zone, and no records.
func (w *World) Circumstances(kind, company string) (judge.Circumstances, error) {
	at := w.company(company)
	switch {
	case w.Kind(kind) == nil:
		return judge.Circumstances{}, fmt.Errorf("there is no kind of record %q", kind)
	case at == nil:
		return judge.Circumstances{}, fmt.Errorf("there is no company %q", company)
	}
	now := w.clock()
	return judge.Circumstances{
		Book: w.rules(kind), Build: w.build, Today: clock.Today(at, now), Now: clock.Now(at, now),
		Scope: func(company, kindType string, day record.Day) (plan.Scope, error) {
			return w.scope(kind, company, kindType, day)
		},
	}, nil
}

// Prior finds nothing: a book has no records.
func (w *World) Prior(*judge.Document) error { return nil }

// Version is what documents are judged by.
func (w *World) Version() judge.Version {
	return judge.Version{Book: w.book.RuleBook, Program: release.Version}
}

// Tables are what the rules of the book look up.
func (b *Book) Tables() *table.Set {
	return &table.Set{Standing: b.Standing, Crosswalks: b.Crosswalks, Series: b.Series}
}
