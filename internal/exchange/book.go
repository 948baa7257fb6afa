package exchange

import (
	"bytes"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"maps"
	"slices"
	"strings"
	"time"

	"codicil/core/field"
	"codicil/core/finding"
	"codicil/core/judge"
	"codicil/core/plan"
	"codicil/core/proof"
	"codicil/core/record"
	"codicil/core/rule"
	"codicil/core/table"
	"codicil/internal/clock"
	"codicil/internal/codec"
	"codicil/internal/release"
)

// BookFormat names the format of the file, and BookVersion its version. Files of earlier versions
// are read too, and brought up to date as they are.
const (
	BookFormat  = "codicil book"
	BookVersion = 4
)

// shapes are the versions of what stands in the file, by that of the file.
var shapes = map[int]int{1: 1, 2: 1, 3: 2, BookVersion: 0}

// Book is a rule book with all that its rules need.
type Book struct {
	// RuleBook is the version that the rule book had, which documents that are judged by the
	// file name; 0: not known.
	RuleBook  int64
	Companies []record.Company
	// Kinds are those that were made or set up by an administrator, without fields.
	Kinds []record.Kind
	Types []record.Type
	// Fields are those that were added, by kind; the standard ones come with the program.
	Fields     map[string][]field.Field
	Standing   []table.Standing
	Crosswalks []table.Crosswalk
	Series     []table.Series
	Lists      []table.List
	Rules      []rule.Rule
	Proofs     []proof.Proof
	// Silenced are the findings that somebody has looked at and left as they are.
	Silenced []Silence
	// Codicil says that the book holds what one codicil changes; nil: it is a whole one.
	Codicil *CodicilHead
	// Layouts are those of forms, and Maps say what follows on what.
	Layouts []record.ScopedLayout
	Maps    []record.FollowOn
	// Removed is what a codicil takes away.
	Removed []Removed
}

// CodicilHead is what a codicil says of itself, where it was written.
type CodicilHead struct {
	Number  int64  `json:"number"`
	Title   string `json:"title"`
	AskedBy string `json:"askedBy,omitempty"`
	Reason  string `json:"reason,omitempty"`
	Texts   []Text `json:"texts,omitempty"`
	// Rules are the identifiers of rules that its proofs name and that it does not change, by number.
	Rules map[int64]string `json:"rules,omitempty"`
}

// Text is one that is filed with a codicil.
type Text struct {
	Title string `json:"title"`
	Text  string `json:"text"`
}

// Removed is something that a codicil takes away: a standing value, crosswalk or series by its key, a field by kind/key, a
// layout by kind/company/type, a map by from/to/name.
type Removed struct {
	What string `json:"what"`
	Key  string `json:"key"`
}

// Silence says why a finding is left as it is.
type Silence struct {
	Key    string `json:"key"` // of finding.Finding
	Reason string `json:"reason"`
}

// file is a book as it stands in its file.
type file struct {
	Format     string                       `json:"format"`
	Version    int                          `json:"version"`
	RuleBook   int64                        `json:"ruleBook,omitempty"`
	Companies  []json.RawMessage            `json:"companies"`
	Kinds      []json.RawMessage            `json:"kinds,omitempty"`
	Types      []json.RawMessage            `json:"types"`
	Fields     map[string][]json.RawMessage `json:"fields"`
	Standing   []json.RawMessage            `json:"standing"`
	Crosswalks []json.RawMessage            `json:"crosswalks"`
	Series     []json.RawMessage            `json:"series"`
	Lists      []json.RawMessage            `json:"lists,omitempty"`
	Rules      []json.RawMessage            `json:"rules"`
	Proofs     []json.RawMessage            `json:"proofs"`
	Silenced   []json.RawMessage            `json:"silenced,omitempty"`
	Codicil    *CodicilHead                 `json:"codicil,omitempty"`
	Layouts    []json.RawMessage            `json:"layouts,omitempty"`
	Maps       []json.RawMessage            `json:"maps,omitempty"`
	Removed    []json.RawMessage            `json:"removed,omitempty"`
}

// section is a list of the file by its name.
func (f *file) section(name string) *[]json.RawMessage {
	return map[string]*[]json.RawMessage{
		"companies": &f.Companies, "kinds": &f.Kinds, "types": &f.Types, "standing": &f.Standing, "crosswalks": &f.Crosswalks, "series": &f.Series, "lists": &f.Lists,
		"rules": &f.Rules, "proofs": &f.Proofs, "silenced": &f.Silenced, "layouts": &f.Layouts, "maps": &f.Maps, "removed": &f.Removed,
	}[name]
}

// Write writes the book so that two of the same are the same text.
func (b *Book) Write(w io.Writer) error {
	f, err := b.file()
	if err != nil {
		return err
	}
	encoder := json.NewEncoder(w)
	encoder.SetIndent("", "  ")
	encoder.SetEscapeHTML(false)
	return encoder.Encode(f)
}

// file is the book as it stands in its file.
func (b *Book) file() (file, error) {
	f := file{Format: BookFormat, Version: BookVersion, RuleBook: b.RuleBook, Codicil: b.Codicil, Fields: map[string][]json.RawMessage{}}
	var errs []error
	put := func(section string) func(list []json.RawMessage, err error) {
		return func(list []json.RawMessage, err error) {
			*f.section(section) = list
			errs = append(errs, err)
		}
	}
	for kind, list := range b.Fields {
		written, err := parts(list)
		f.Fields[kind], errs = written, append(errs, err)
	}
	put("companies")(parts(b.Companies))
	put("kinds")(parts(b.Kinds))
	put("types")(parts(b.Types))
	put("standing")(parts(b.Standing))
	put("crosswalks")(parts(b.Crosswalks))
	put("series")(parts(b.Series))
	put("lists")(parts(b.Lists))
	put("rules")(parts(b.Rules))
	put("proofs")(parts(b.Proofs))
	put("layouts")(parts(b.Layouts))
	put("maps")(parts(b.Maps))
	put("silenced")(simple(b.Silenced))
	put("removed")(simple(b.Removed))
	return f, errors.Join(errs...)
}

// simple are parts whose shape is that of the file alone.
func simple[T any](list []T) ([]json.RawMessage, error) {
	written := make([]json.RawMessage, len(list))
	for i, item := range list {
		var text bytes.Buffer
		encoder := json.NewEncoder(&text)
		encoder.SetEscapeHTML(false)
		if err := encoder.Encode(item); err != nil {
			return nil, err
		}
		written[i] = bytes.TrimSpace(text.Bytes())
	}
	return written, nil
}

func sortedKeys[T any](m map[string]T) []string { return slices.Sorted(maps.Keys(m)) }

func parts[T any](list []T) ([]json.RawMessage, error) {
	written := make([]json.RawMessage, len(list))
	for i, item := range list {
		var err error
		if written[i], err = codec.WritePart(item); err != nil {
			return nil, err
		}
	}
	return written, nil
}

// ReadBook reads a book's file: as JSON, or as text. The error says what it is instead, and where.
func ReadBook(r io.Reader) (*Book, error) {
	text, err := io.ReadAll(r)
	if err != nil {
		return nil, err
	}
	var f file
	var lines map[string][]int
	if bytes.HasPrefix(bytes.TrimSpace(text), []byte("{")) {
		decoder := json.NewDecoder(bytes.NewReader(text))
		decoder.DisallowUnknownFields()
		if err := decoder.Decode(&f); err != nil {
			return nil, fmt.Errorf("this is no book of rules: %w", inPlace("", err))
		}
	} else if f, lines, err = readText(text); err != nil {
		return nil, err
	}
	version, known := shapes[f.Version]
	switch {
	case f.Format != BookFormat:
		return nil, fmt.Errorf("this is no book of rules: its format is %q, not %q", f.Format, BookFormat)
	case !known:
		return nil, fmt.Errorf("the book is of version %d; this program reads versions 1 to %d", f.Version, BookVersion)
	}
	b := &Book{RuleBook: f.RuleBook, Codicil: f.Codicil, Fields: map[string][]field.Field{}}
	at := reading{version, lines}
	failed := []error{
		readParts(at, "companies", f.Companies, &b.Companies), readParts(at, "kinds", f.Kinds, &b.Kinds), readParts(at, "types", f.Types, &b.Types), readParts(at, "standing", f.Standing, &b.Standing),
		readParts(at, "crosswalks", f.Crosswalks, &b.Crosswalks), readParts(at, "series", f.Series, &b.Series), readParts(at, "lists", f.Lists, &b.Lists), readParts(at, "rules", f.Rules, &b.Rules),
		readParts(at, "proofs", f.Proofs, &b.Proofs), readParts(at, "layouts", f.Layouts, &b.Layouts), readParts(at, "maps", f.Maps, &b.Maps),
		readPlain(at, "silenced", f.Silenced, &b.Silenced), readPlain(at, "removed", f.Removed, &b.Removed),
	}
	for _, kind := range sortedKeys(f.Fields) {
		var fields []field.Field
		failed = append(failed, readParts(at, "fields."+kind, f.Fields[kind], &fields))
		b.Fields[kind] = fields
	}
	for _, err := range failed {
		if err != nil {
			return nil, fmt.Errorf("this is no book of rules: %w", err)
		}
	}
	if version > 0 {
		b.Lists = append(b.Lists, codec.ListsBefore...)
	}
	return b, nil
}

// reading is how the parts of a file are read: in which version they are, and in text on which lines they begin.
type reading struct {
	version int
	lines   map[string][]int
}

// place names a part.
func (r reading) place(section string, i int) string {
	if lines := r.lines[section]; i < len(lines) {
		return fmt.Sprintf("%s, the block at line %d", section, lines[i])
	}
	return fmt.Sprintf("%s[%d]", section, i)
}

func readParts[T any](r reading, section string, texts []json.RawMessage, list *[]T) error {
	*list = make([]T, len(texts))
	for i, text := range texts {
		if err := codec.ReadPart(text, &(*list)[i], r.version); err != nil {
			return inPlace(r.place(section, i), err)
		}
	}
	return nil
}

func readPlain[T any](r reading, section string, texts []json.RawMessage, list *[]T) error {
	for i, text := range texts {
		var item T
		decoder := json.NewDecoder(bytes.NewReader(text))
		decoder.DisallowUnknownFields()
		if err := decoder.Decode(&item); err != nil {
			return inPlace(r.place(section, i), err)
		}
		*list = append(*list, item)
	}
	return nil
}

// inPlace says where in the file something does not belong.
func inPlace(place string, err error) error {
	var wrong *json.UnmarshalTypeError
	if errors.As(err, &wrong) {
		return fmt.Errorf("%s holds a %s, which does not belong there; export --schema says what does", strings.Trim(place+"."+wrong.Field, "."), wrong.Value)
	}
	if place == "" {
		return err
	}
	return fmt.Errorf("%s: %w", place, err)
}

// World makes the book one that documents can be taken through. kinds are the standard
// ones; there are no saved records. clock tells the time of the work. It may be used by one
// goroutine.
func (b *Book) World(kinds []record.Kind, clock func() time.Time) *World {
	w := &World{book: b, clock: clock, kinds: slices.Clone(kinds), books: map[string]*plan.Book{}}
	for i := range b.Kinds {
		settings := &b.Kinds[i]
		at := slices.IndexFunc(w.kinds, func(k record.Kind) bool { return k.Key == settings.Key })
		if at < 0 {
			w.kinds = append(w.kinds, record.Kind{Key: settings.Key, Own: true})
			at = len(w.kinds) - 1
		}
		w.kinds[at] = w.kinds[at].Settled(settings)
	}
	for i := range w.kinds {
		k := &w.kinds[i]
		k.Fields = append(slices.Clone(k.Fields), b.Fields[k.Key]...)
		k.Sort()
	}
	tables := b.Tables()
	tables.ChooseAll(w.kinds)
	minor := tables.Minor()
	for i := range b.Companies {
		b.Companies[i].Minor = minor
	}
	return w
}

// World is a book with its plans.
type World struct {
	book  *Book
	clock func() time.Time
	kinds []record.Kind
	books map[string]*plan.Book
	plans plan.Plans
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

// Finder looks for what can be said about the rules of a kind. Its documents are made from those of
// the proofs, with the records that they carry.
func (w *World) Finder(kind string) *finding.Finder {
	f := &finding.Finder{Runner: w.Runner(kind), Today: clock.Today(nil, w.clock())}
	seen := map[[2]string]int{}
	for i := range w.book.Proofs {
		p := &w.book.Proofs[i]
		at := [2]string{p.Given.Company, p.Given.Type}
		if p.Given.Kind != kind || p.Given.Stored != nil || len(p.Given.Entered) == 0 || seen[at] > 1 {
			continue
		}
		seen[at]++
		f.Bases = append(f.Bases, proof.Base{Document: p.Given, Origin: fmt.Sprintf("proof %d, %s", p.ID, p.Name)})
	}
	return f
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
		Book: w.rules(kind), Build: w.plans.Plan, Today: clock.Today(at, now), Now: clock.Now(at, now),
		Scope: func(company, kindType string, day record.Day) (plan.Scope, error) {
			return w.scope(kind, company, kindType, day)
		},
	}, nil
}

// Complete finds nothing: a book has no records.
func (w *World) Complete(*judge.Document) error { return nil }

// Version is what documents are judged by.
func (w *World) Version() judge.Version {
	return judge.Version{Book: w.book.RuleBook, Program: release.Version}
}

// Tables are what the rules of the book look up.
func (b *Book) Tables() *table.Set {
	return &table.Set{Standing: b.Standing, Crosswalks: b.Crosswalks, Series: b.Series, Lists: b.Lists}
}
