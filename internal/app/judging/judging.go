// Package judging takes documents as people state them through the rules: it finds in the store
// the facts that a document is judged by, and lets the core judge. Every use case that judges
// does it here, so that what is shown is what happens.
//
// It must never know what becomes of an outcome. Start reading at Service.Try.
package judging

import (
	"cmp"
	"context"
	"errors"
	"slices"
	"strings"
	"time"

	"codicil/core/engine"
	"codicil/core/feel"
	"codicil/core/field"
	"codicil/core/judge"
	"codicil/core/notice"
	"codicil/core/plan"
	"codicil/core/proof"
	"codicil/core/record"
	"codicil/core/rule"
	"codicil/core/table"
	"codicil/internal/access"
	"codicil/internal/actor"
	"codicil/internal/app/commit"
	"codicil/internal/cache"
	"codicil/internal/clock"
	"codicil/internal/contract"
	"codicil/internal/fault"
	"codicil/internal/store"
	"codicil/internal/view"
)

// Service judges documents. It may be used by several goroutines.
type Service struct {
	Store *store.Store
	Cache *cache.Cache
	Line  *commit.Line
	Clock clock.Clock
}

// Over returns a service over a transaction, with nothing in memory yet.
func (s *Service) Over(tx *store.Store) *Service { return New(tx, s.Clock) }

// New returns a service over a store.
func New(s *store.Store, now clock.Clock) *Service {
	c := cache.New(s)
	return &Service{Store: s, Cache: c, Line: commit.New(s, c, now), Clock: now}
}

// Viewed returns a service as it shows by another rule book.
func Viewed(s *Service, v store.View) *Service {
	shown, c := s.Store.Viewed(v), s.Cache.Viewed(v)
	return &Service{Store: shown, Cache: c, Line: s.Line.Viewed(shown, c), Clock: s.Clock}
}

// With returns a service that shows rules as they are given, though they are kept otherwise: to look at what moving or changing them
// together would do. Nothing is written by it.
func With(ctx context.Context, s *Service, rules ...rule.Rule) (*Service, error) {
	c, err := s.Cache.With(ctx, rules...)
	return &Service{Store: s.Store, Cache: c, Line: s.Line, Clock: s.Clock}, err
}

// Today is the date in the company's time zone; nil: in that of the machine.
func (s *Service) Today(c *record.Company) record.Day { return clock.Today(c, s.Clock()) }

// KindOf returns a kind with the reference data.
func (s *Service) KindOf(ctx context.Context, key string) (*cache.Reference, *record.Kind, error) {
	ref, err := s.Cache.Reference(ctx)
	if err != nil {
		return nil, nil, err
	}
	kind, err := ref.Kind(key)
	return ref, kind, err
}

var (
	noRecord     = notice.Define("not-found.record", "{kind} {number} does not exist; it may have been deleted")
	mergedRecord = notice.Define("not-found.merged", "{kind} {number} was merged into {survivor}; open that")
)

// Saved is a saved record with its kind.
type Saved struct {
	Reference *cache.Reference
	Kind      *record.Kind
	record.Record
}

// Saved returns a saved record, to who may see it.
func (s *Service) Saved(ctx context.Context, at record.Ref) (*Saved, error) {
	ref, kind, err := s.KindOf(ctx, at.Kind)
	if err != nil {
		return nil, err
	}
	r, err := s.Cache.Records.Find(ctx, at)
	if err != nil {
		return nil, err
	}
	if r != nil && !kind.Shared && !access.In(ctx, r.Company) {
		return nil, &fault.Fault{Reason: fault.NotFound, Notice: noRecord.With(kind.Noun(), at.Number)}
	}
	if r == nil {
		survivor, err := s.Store.Survivor(ctx, at)
		switch {
		case err != nil:
			return nil, err
		case survivor != "" && !s.Links(ctx, ref, "").Elsewhere(at.Kind, survivor):
			return nil, &fault.Fault{Reason: fault.NotFound, Notice: mergedRecord.With(kind.Noun(), at.Number, survivor)}
		}
		return nil, &fault.Fault{Reason: fault.NotFound, Notice: noRecord.With(kind.Noun(), at.Number)}
	}
	return &Saved{ref, kind, *r}, nil
}

// Trial is a document that was judged.
type Trial struct {
	*judge.Judged
	Reference *cache.Reference
	// Book holds the rules with the changes that the document states.
	Book     *plan.Book
	Document judge.Document
	// Links are for showing; what the judgement read is in Reads.
	Links   *Links
	Reader  *view.Reader
	Numbers *Numbers
	Reads   *commit.ReadSet
	Version judge.Version

	typed map[string]string // texts that are not of their field's type, by address
	asked Ask
}

// Place is for what the document gets its numbers.
func (t *Trial) Place() table.Place {
	s := t.Plan.Scope
	return table.Place{Company: s.Company.Key, Type: s.Type.Key, Day: s.Day}
}

// Outcome shows what became of the document; where no trace was asked for, only what was said.
func (t *Trial) Outcome() contract.Outcome {
	o := t.Reader.Said()
	if !t.asked.NoTrace {
		o = t.Reader.Outcome(t.Case, t.typed)
	}
	o.Day, o.Today, o.Version = string(t.Plan.Scope.Day), string(t.Today), t.Version
	for _, r := range t.Document.Changes.Left(t.Book) {
		o.Changes = append(o.Changes, contract.RuleRef{Rule: r.ID, Version: r.Version, Name: r.Name})
	}
	return o
}

// Accepted tells whether nothing refuses the document.
func (t *Trial) Accepted() bool { return t.Judged.Outcome.Verdict == engine.Accepted }

// Title is what people call a record with the content.
func (t *Trial) Title(content *record.Content) string {
	return t.Links.TitleOf(t.Plan.Kind(), content.Values)
}

// Ask is how a document is to be judged.
type Ask struct {
	Format *field.Format
	// Moment is posting, where it is "".
	Moment rule.Moment
	// Keyed tells that a person keys the document.
	Keyed bool
	// By is the origin of what is entered; a person's, where it is "".
	By record.Origin
	// Beside, if any, knows records that are not saved yet, for unique rules.
	Beside Beside
	// Without are the numbers of records of the kind that go with what is judged: unique rules do not find them.
	Without []string
	// Real tells that the document is to be saved or posted, or is shown as it would be: it may
	// state no facts, and the work is done today.
	Real bool
	// Drafts are rules that are taken as if they were in force where they are drafts.
	Drafts []int64
	// Over are records as they would be, which go before those that are saved.
	Over map[record.Ref]*record.Record
	// NoTrace leaves out the detail of the trace.
	NoTrace bool
	// Facts are the addresses of the fields whose facts are told; nil: all, of a document of few
	// lines.
	Facts []string
	// Empty leaves out all rules: what is posted is taken back without asking any.
	Empty bool
	// Book are the only rules that are asked; nil: those that are in force.
	Book *plan.Book
	// Build makes the plan of a book for a scope, or a part of it; nil: the whole plan.
	Build func(*plan.Book, plan.Scope) *plan.Plan
	// past is what a judgement that is told again rested on; nil: it is judged now.
	past *past
}

var statedFacts = notice.Define("stated-facts", "a document that is saved or posted is judged by what is saved: leave out {facts}")

// Try judges the document as the person typed it. All that differs between the plan, the form,
// saving, posting and programs stands in the document and in how it is asked.
func (s *Service) Try(ctx context.Context, document judge.Document, a Ask) (*Trial, error) {
	now, err := s.Cache.Now(ctx, document.Kind)
	if err != nil {
		return nil, err
	}
	version, ref, book := now.Version, now.Reference, now.Book
	if a.past != nil {
		version, book = a.past.version, a.past.book
	}
	if facts := document.Facts(); a.Real && len(facts) > 0 {
		return nil, fault.Bad(statedFacts, strings.Join(facts, ", "))
	}
	if _, err := record.ParseDay(string(document.Day)); document.Day != "" && err != nil {
		return nil, fault.Bad(fault.NotADay, err)
	}
	if a.Book != nil {
		book = a.Book
	}
	if a.Empty {
		book = plan.NewBook(book.Vocabulary.Kind, ref.Kinds, ref.Tables, nil)
	}
	t := &Trial{Reference: ref, Document: document, typed: map[string]string{}, Version: version, Reads: commit.NewReadSet(version.Book), asked: a}
	t.asked.Moment = cmp.Or(a.Moment, rule.Posting)
	t.Reads.Own(document.Record)
	w := s.around(ctx, ref, book, document.Company, t.Reads)
	c := &w.Circumstances
	w.uniqueness.aside = !a.Real
	c.By, w.uniqueness.beside, w.uniqueness.own, w.uniqueness.without = a.By, a.Beside, document.Record, a.Without
	c.Moment, c.Keyed, c.Detail, c.Facts = cmp.Or(a.Moment, rule.Posting), a.Keyed, !a.NoTrace, a.told(book.Vocabulary.Kind, &document)
	w.links.over, w.links.asIs = a.Over, a.Empty
	w.looking(func(d *judge.Document) error { return savedBefore(ctx, s, d, c.Book, t.Reads) })
	if a.Build != nil {
		c.Build = a.Build
	}
	if a.past != nil {
		at := ref.Company(document.Company)
		if at == nil {
			return nil, fault.Bad(fault.UnknownCompany, document.Company)
		}
		a.past.at(ctx, PastOf(s, a.past.versions), w, at, now.Seed)
	}
	t.Links = s.Links(ctx, ref, document.Company)
	if a.Real {
		t.Document.Day = ""
	}
	remainders := takeRemainders(book.Vocabulary.Kind, &t.Document, a.Keyed)
	if err := s.state(ctx, t, c, a.Format); err != nil {
		return nil, err
	}
	c.Book = proof.WithDrafts(book, a.Drafts)
	t.Book = c.Book
	if err := putRemainders(ctx, s, t, c, remainders); err != nil {
		return nil, err
	}
	waiting, leave := context.WithTimeout(ctx, longestJudging)
	defer leave()
	c.Done = waiting.Done()
	if t.Judged, err = judge.Judge(&t.Document, c); err != nil {
		return nil, cmp.Or(ctx.Err(), Unjudged(err))
	}
	t.Case.Done = ctx.Done() // what is asked of the case later has time of its own
	t.Document.Day = t.Today
	t.Numbers = t.Case.Numbers.(*Numbers)
	t.Reads.Counts(t.Numbers.counts(), t.Numbers.given)
	t.Reader = view.NewReader(t.Plan, t.Judged.Outcome, t.Links, a.Format)
	return t, cmp.Or(w.failed(), t.Numbers.failed)
}

// told tells of which fields the facts are told.
func (a *Ask) told(kind *record.Kind, document *judge.Document) func(place, line int) bool {
	switch {
	case a.Facts == nil && len(document.Lines) <= linesWithFacts:
		return nil
	case len(a.Facts) == 0:
		return judge.NoFacts
	}
	wanted := map[[2]int]bool{}
	for _, address := range a.Facts {
		place, line := judge.IndexOf(kind, address)
		wanted[[2]int{place, line}] = true
	}
	return func(place, line int) bool { return wanted[[2]int{place, line}] }
}

// linesWithFacts is how many lines a document may have of which all facts are told.
const linesWithFacts = 50

// longestJudging is how long judging one document may take.
const longestJudging = 20 * time.Second

var (
	tookTooLong  = notice.Define("took-too-long", "the rules took longer than {time} over this document and were stopped; the document has too many lines, or a formula does too much work")
	tooManyLines = notice.Define("too-many-lines", "{why}; divide it")
	unreadable   = notice.Define("unknown-field.document", "{why}")
)

// Unjudged is the error of a document that could not be judged.
func Unjudged(err error) error {
	var known *fault.Fault
	switch {
	case errors.As(err, &known):
		return err
	case errors.Is(err, judge.ErrStopped):
		return fault.Bad(tookTooLong, longestJudging)
	case errors.Is(err, judge.ErrTooManyLines):
		return fault.Bad(tooManyLines, err)
	}
	return fault.Bad(unreadable, err)
}

// around is what the store has to say of documents of a company.
type around struct {
	judge.Circumstances
	links      *Links
	uniqueness *uniqueness
	before     error // of looking for what was saved before
}

func (a *around) failed() error { return cmp.Or(a.links.failed, a.uniqueness.failed, a.before) }

// looking lets a document look back at what find puts into it; it is asked once, however often the document is judged. What is judged
// without it, as proofs and saved records are, has only what it states.
func (a *around) looking(find func(*judge.Document) error) {
	var found *judge.Document
	a.Prior = func(d *judge.Document) {
		if found == nil {
			own := *d
			found, a.before = &own, find(&own)
		}
		d.Previous, d.PreviousOfType, d.PreviousOfAnyone = found.Previous, found.PreviousOfType, found.PreviousOfAnyone
	}
}

// around returns the circumstances of a company: who asks, when, and all other records. reads
// notes what is read; nil: nobody relies on it.
func (s *Service) around(ctx context.Context, ref *cache.Reference, book *plan.Book, company string, reads *commit.ReadSet) *around {
	kind := book.Vocabulary.Kind
	at := ref.Company(company)
	a := &around{links: s.Links(ctx, ref, company), uniqueness: &uniqueness{store: s.Store, ctx: ctx, reads: reads}}
	a.links.reads = reads
	a.Circumstances = judge.Circumstances{
		Book: book, Build: s.Cache.Plan, Today: s.Today(at), Now: clock.Now(at, s.Clock()), User: actor.Of(ctx).Name,
		Scope: func(company, kindType string, day record.Day) (plan.Scope, error) {
			return ref.Scope(kind, company, kindType, day)
		},
		Linked: a.links, Uniqueness: a.uniqueness, Numbers: func() engine.Numbers { return &Numbers{service: s, ctx: ctx} }, Done: ctx.Done(),
	}
	return a
}

// state fills in what the document does not state: the saved record that it changes and what
// it follows; and it turns typed texts into values, as far as they are of their field's type.
func (s *Service) state(ctx context.Context, t *Trial, c *judge.Circumstances, format *field.Format) error {
	document, kind := &t.Document, c.Book.Vocabulary.Kind
	if t.asked.past != nil { // it states all that was read
		return s.read(t, c, format)
	}
	if document.Record != "" && document.Stored == nil {
		at := record.Ref{Kind: document.Kind, Number: document.Record}
		saved, err := s.Saved(ctx, at)
		if err != nil {
			return err
		}
		t.Reads.Record(at, &saved.Record)
		Baseline(kind, document, &saved.Record)
	}
	if p := document.Preceding; p != nil && p.Followers == 0 {
		at := record.Ref{Kind: p.Kind, Number: p.Number}
		all, err := s.Store.CountFollowers(ctx, at, record.Ref{})
		if err != nil {
			return err
		}
		t.Reads.Followers(at, all)
		others, err := s.Store.CountFollowers(ctx, at, record.Ref{Kind: document.Kind, Number: document.Record})
		if err != nil {
			return err
		}
		document.Preceding = &engine.Preceding{Kind: p.Kind, Number: p.Number, Followers: others}
	}
	return s.read(t, c, format)
}

// Baseline states of a document what is saved of the record that it changes.
func Baseline(kind *record.Kind, document *judge.Document, r *record.Record) {
	document.Stored, document.StoredLines = KnownValues(kind, "", r.Values), KnownLines(kind, r.Lines)
	document.StoredOrigins, document.StoredReasons = r.Origins, r.Reasons
	document.Preceding = nil
	if p := r.Preceding; p.Number != "" {
		document.Preceding = &engine.Preceding{Kind: p.Kind, Number: p.Number}
	}
}

// savedBefore puts into a document what its person saved before, and what anyone did where a rule of a book reads that.
func savedBefore(ctx context.Context, s *Service, document *judge.Document, b *plan.Book, reads *commit.ReadSet) error {
	kind, who := b.Vocabulary.Kind, actor.Of(ctx)
	if document.User != "" {
		who = actor.Named(document.User, who.Via)
	}
	last := func(kindType, person string, known *record.Record) (*record.Record, error) {
		asked := store.LastQuery{Kind: document.Kind, Company: document.Company, Type: kindType, Person: person, Except: document.Record}
		if known == nil {
			at, version, err := s.Store.SavedLast(ctx, asked)
			if err != nil {
				return nil, err
			}
			if version > 0 { // most often it was saved a moment ago
				if known, err = s.Cache.Records.Find(ctx, at); err != nil {
					return nil, err
				}
			}
		}
		reads.Prior(asked, known)
		return known, nil
	}
	held := func(r *record.Record) *record.Content {
		if r == nil {
			return nil
		}
		return &record.Content{Values: KnownValues(kind, "", r.Values), Lines: KnownLines(kind, r.Lines)}
	}
	ofAll, err := last("", who.ID, nil)
	if err != nil {
		return err
	}
	ofType := ofAll
	if ofAll != nil && ofAll.Type != document.Type {
		ofType = nil
	}
	if ofAll != nil {
		if ofType, err = last(document.Type, who.ID, ofType); err != nil {
			return err
		}
	}
	document.Previous, document.PreviousOfType = held(ofAll), held(ofType)
	// What somebody else saves meanwhile makes it another: it is read only where a rule asks for it.
	if looksBack(document.Changes.On(b), rule.PreviousOfAnyone) {
		r, err := last(document.Type, "", nil)
		if err != nil {
			return err
		}
		document.PreviousOfAnyone = held(r)
	}
	return nil
}

// looksBack tells whether a rule that may act reads what was saved before, in one of some forms. Cost: the rules.
func looksBack(b *plan.Book, forms ...rule.Form) bool {
	return slices.ContainsFunc(b.Rules, func(c *rule.Compiled) bool {
		return c.State == rule.InForce && b.Vocabulary.LooksBack(c.Reads(), forms...)
	})
}

// read turns typed texts into values, as far as they are of their field's type: first the day
// of the document, from which the others' short dates are read.
func (s *Service) read(t *Trial, c *judge.Circumstances, format *field.Format) error {
	document, kind := &t.Document, c.Book.Vocabulary.Kind
	if format == nil {
		format = document.Format
	}
	if format == nil {
		format = &field.Plain
	}
	company := t.Reference.Company(document.Company)
	if company == nil {
		return fault.Bad(fault.UnknownCompany, document.Company)
	}
	stated := *document
	stated.Format = format
	from := cmp.Or(document.Day, c.Today)
	here := company.Surroundings(stated.EnteredDay(kind, from))
	here.Keyed = c.Keyed
	entered, err := t.enter(kind, "", 0, document.Entered, *format, here, from.Value())
	if err != nil {
		return err
	}
	document.Entered = entered
	lines := slices.Clone(document.Lines)
	for i := range lines {
		if lines[i].Entered, err = t.enter(kind, field.LinePrefix, lines[i].Number, lines[i].Entered, *format, here, here.Day); err != nil {
			return err
		}
	}
	document.Lines, document.Format = lines, nil
	if len(t.typed) > 0 {
		document.Format = format
	}
	return nil
}

// enter reads the entered values of the header, or of one line; dayFrom is what the day field
// itself is read from.
func (t *Trial) enter(kind *record.Kind, prefix string, line int, items map[string]judge.Item, format field.Format, here field.Surroundings, dayFrom feel.Value) (map[string]judge.Item, error) {
	entered := make(map[string]judge.Item, len(items))
	for key, item := range items {
		place := kind.Index(prefix + key)
		if place < 0 {
			return nil, fault.Bad(fault.UnknownField, kind.Noun(), prefix+key)
		}
		f := &kind.Fields[place]
		if item.Typed == "" {
			if item.Value != "" || item.Derive {
				entered[key] = item
			}
			continue
		}
		typed, again := item.Typed, item.Again
		typed, again = t.Links.Meant(f, typed), t.Links.Meant(f, again)
		from := here
		if prefix == "" && key == kind.Day {
			from.Day = dayFrom
		}
		if unit := items[f.Unit]; f.Unit != "" {
			from.Unit = unit.Value + unit.Typed
		}
		v, wrong := f.Read(typed, format, from)
		switch {
		case wrong != nil:
			t.typed[judge.Address(kind, place, line)] = item.Typed
			entered[key] = item
		case !v.IsNull():
			read := judge.Item{Value: field.Write(v), Again: again, Carried: item.Carried}
			if second, wrong := f.Read(again, format, from); wrong == nil {
				read.Again = field.Write(second)
			}
			entered[key] = read
		}
	}
	return entered, nil
}

// Content is what a record holds that is saved as the document came out.
func (s *Service) Content(ctx context.Context, t *Trial) record.Content {
	return t.Judged.Content(actor.Of(ctx).Name, s.Clock().UTC().Format(time.RFC3339))
}

// Again judges a saved record as it stands, as posting it would.
func (s *Service) Again(ctx context.Context, r *record.Record) (*Trial, error) {
	_, kind, err := s.KindOf(ctx, r.Kind)
	if err != nil {
		return nil, err
	}
	return s.Try(ctx, DocumentOf(kind, r), Ask{Moment: rule.Posting, Real: true})
}

// Holds tells whether a condition is true for a saved record as it is saved, without the rules of
// today. One that can no longer be read, or fails, is not true.
func (s *Service) Holds(ctx context.Context, r *Saved, formula string) (bool, error) {
	book, err := s.Cache.Book(ctx, r.Ref.Kind)
	if err != nil {
		return false, err
	}
	v := book.Vocabulary
	program, _ := v.Part("when", formula, 0, &r.Kind.Fields[0])
	if program == nil {
		return false, nil
	}
	a := s.around(ctx, r.Reference, &plan.Book{Vocabulary: v}, r.Company, nil)
	a.Build, a.Detail = nil, true
	document := DocumentOf(r.Kind, &r.Record)
	judged, err := judge.Judge(&document, &a.Circumstances)
	if err != nil {
		return false, err
	}
	found, _ := engine.Probe{Family: rule.Validate, Program: program}.Try(judged.Plan, judged.Case, judged.Outcome)
	return found.Value.IsTrue() && len(found.Failures) == 0, a.failed()
}

// DocumentOf is the document of a saved record as it stands, without fields that were removed
// from the kind.
func DocumentOf(kind *record.Kind, r *record.Record) judge.Document {
	document := judge.Document{Kind: r.Kind, Company: r.Company, Type: r.Type, Record: r.Number, Entered: Entered(KnownValues(kind, "", r.Values))}
	for _, l := range KnownLines(kind, r.Lines) {
		document.Lines = append(document.Lines, judge.Line{Number: l.Number, Entered: Entered(l.Values)})
	}
	return document
}

// Entered makes the entered values of saved ones.
func Entered(values map[string]string) map[string]judge.Item {
	items := make(map[string]judge.Item, len(values))
	for key, value := range values {
		items[key] = judge.Item{Value: value}
	}
	return items
}

// KnownValues leaves out the values of fields that were removed from the kind; prefix is that of
// the keys, "" for the header. What it returns is not to be changed: where all fields are there, it is what was given.
func KnownValues(kind *record.Kind, prefix string, values map[string]string) map[string]string {
	removed := 0
	for key := range values {
		if kind.Index(prefix+key) < 0 {
			removed++
		}
	}
	if removed == 0 && values != nil {
		return values
	}
	known := make(map[string]string, len(values)-removed)
	for key, value := range values {
		if kind.Index(prefix+key) >= 0 {
			known[key] = value
		}
	}
	return known
}

// KnownLines does the same for lines.
func KnownLines(kind *record.Kind, lines []record.Line) []record.Line {
	known := slices.Grow([]record.Line(nil), len(lines))
	for _, l := range lines {
		known = append(known, record.Line{Number: l.Number, Values: KnownValues(kind, field.LinePrefix, l.Values), Origins: l.Origins})
	}
	return known
}
