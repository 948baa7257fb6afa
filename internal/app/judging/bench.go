package judging

import (
	"context"
	"slices"
	"strings"

	"codicil/core/engine"
	"codicil/core/field"
	"codicil/core/judge"
	"codicil/core/notice"
	"codicil/core/plan"
	"codicil/core/proof"
	"codicil/core/record"
	"codicil/core/rule"
	"codicil/internal/access"
	"codicil/internal/cache"
	"codicil/internal/clock"
	"codicil/internal/contract"
	"codicil/internal/fault"
	"codicil/internal/store"
	"codicil/internal/view"
)

// Bench is what the proofs of a kind are run with.
type Bench struct {
	Reference *cache.Reference
	Runner    *proof.Runner
	Proofs    []proof.Proof
	looks     *looks
}

// Bench reads the proofs of a kind, all of them.
func (s *Service) Bench(ctx context.Context, kind string) (*Bench, error) {
	ref, book, err := seen(ctx, s.Cache, kind)
	if err != nil {
		return nil, err
	}
	looks := &looks{store: s.Store, kind: book.Vocabulary.Kind, kept: map[string]bool{}, answers: map[askedUnique][]string{}, asked: map[askedUnique]store.UniqueAsked{}}
	proofs, err := Proofs(ctx, s.Store, kind)
	return &Bench{ref, s.runnerOf(ctx, ref, book, looks), proofs, looks}, err
}

// Runner runs single proofs and documents of a kind; it reads no proof.
func (s *Service) Runner(ctx context.Context, kind string) (*cache.Reference, *proof.Runner, error) {
	ref, book, err := seen(ctx, s.Cache, kind)
	if err != nil {
		return nil, nil, err
	}
	return ref, s.runnerOf(ctx, ref, book, nil), nil
}

// seen are the data and the book of a kind, as who asks sees them.
func seen(ctx context.Context, c *cache.Cache, kind string) (*cache.Reference, *plan.Book, error) {
	m, err := c.Now(ctx, kind)
	if companies := access.Scope(ctx); err == nil && companies != nil {
		return m.Reference.Within(companies), cache.Within(m.Book, companies), nil
	}
	return m.Reference, m.Book, err
}

// runnerOf runs the proofs of a kind against a book.
func (s *Service) runnerOf(ctx context.Context, ref *cache.Reference, book *plan.Book, looks *looks) *proof.Runner {
	kind, known := book.Vocabulary.Kind, &answered{answers: map[askedUnique][]string{}}
	return &proof.Runner{
		Book: book, Single: s.Store.Within(), Extent: proof.Extent{Companies: ref.Companies, Types: ref.Types[kind.Key]},
		Scope: func(company, kindType string, day record.Day) (plan.Scope, error) {
			return ref.Scope(kind, company, kindType, day)
		},
		Facts: func(company string) (judge.Circumstances, func() error) {
			a := s.around(ctx, ref, book, company, nil)
			a.uniqueness.answered, a.uniqueness.looks = known, looks
			a.Numbers = nil // a proof begins every series at its first number
			return a.Circumstances, a.failed
		},
	}
}

// Changed makes the rule that a change asks for.
func Changed(change contract.RuleChange) rule.Rule {
	return rule.Rule{ID: change.ID, Version: change.Version, State: rule.Draft, Name: strings.TrimSpace(change.Name), Body: change.Body}
}

var unsound = notice.Define("unsound", "{rule} has an error: {why}. Correct it first")

// Measured are the results of the proofs of a rule's kind; the rule stands in the book as it is
// given, as if it were in force.
func (s *Service) Measured(ctx context.Context, r rule.Rule) (*Bench, *rule.Compiled, []proof.Result, error) {
	b, err := s.Bench(ctx, r.Kind)
	if err != nil {
		return nil, nil, nil, err
	}
	r.State = rule.InForce
	b.Runner = b.Runner.With(r)
	c := InBook(b.Runner.Book, r.ID)
	if !c.Sound() {
		return nil, nil, nil, fault.Hindered(unsound, c.Label(), c.Problems[0].Message)
	}
	results, err := b.Runner.RunAll(ctx, b.Proofs, nil)
	return b, c, results, err
}

// InBook is the rule of a book with the number; nil when there is none.
func InBook(b *plan.Book, id int64) *rule.Compiled {
	if i := slices.IndexFunc(b.Rules, func(c *rule.Compiled) bool { return c.ID == id }); i >= 0 {
		return b.Rules[i]
	}
	return nil
}

// Shown tells what came of a proof as a person reads it.
func Shown(ctx context.Context, s *Service, ref *cache.Reference, r *proof.Result, format *field.Format) contract.ProofResult {
	if r.Err != nil {
		return view.ProofResult(r, nil)
	}
	return view.ProofResult(r, view.NewReader(r.Plan, r.Outcome, s.Links(ctx, ref, r.Plan.Scope.Company.Key), format))
}

// fewFirst is how many documents are done first, so that something is told soon; then it is twice as many each time.
const fewFirst = 20

// Covered goes through the records that a rule would stand for, on the day of the work, or of their posting. do gets some
// at a time, and how many records were gone through for them. Cost: the records of the kind in the companies of who asks,
// some of them in memory.
func (s *Service) Covered(ctx context.Context, ref *cache.Reference, kind *record.Kind, covers func(company, kindType string, day record.Day) bool, atOnce int, do func(rows []record.Record, gone int) error) error {
	var rows []record.Record
	gone, some := 0, min(atOnce, fewFirst)
	flush := func() error {
		err := do(rows, gone)
		rows, gone = nil, 0
		some = min(2*some, atOnce)
		return err
	}
	for r, err := range s.Store.Records(ctx, kind.Key, access.Scope(ctx)) {
		if err != nil {
			return err
		}
		gone++
		if r.Standing() && covers(r.Company, r.Type, dayOf(s, ref, kind, r)) {
			rows = append(rows, *r)
		}
		if len(rows) == some || gone == 10*some {
			if err := flush(); err != nil {
				return err
			}
		}
	}
	return flush()
}

// dayOf is the day for which the rules of a saved record are chosen.
func dayOf(s *Service, ref *cache.Reference, kind *record.Kind, r *record.Record) record.Day {
	d := judge.Document{Entered: map[string]judge.Item{}}
	if day, there := r.Values[kind.Day]; there {
		d.Entered[kind.Day] = judge.Item{Value: day}
	}
	return d.EnteredDay(kind, judgedOn(s, ref, r))
}

// judgedOn is the day on which a saved record is judged as it stands: that of the work, or of its posting.
func judgedOn(s *Service, ref *cache.Reference, r *record.Record) record.Day {
	company := ref.Company(r.Company)
	if at, known := clock.When(r.Changed); known && r.State == record.Posted {
		return clock.Today(company, at)
	}
	return s.Today(company)
}

// standing is the document of a saved record that changes nothing.
func standing(s *Service, ref *cache.Reference, kind *record.Kind, r *record.Record) judge.Document {
	document := DocumentOf(kind, r)
	document.Day = judgedOn(s, ref, r)
	Baseline(kind, &document, r)
	return document
}

// Standing are the documents of saved records that change nothing, made on all processors.
func Standing(ctx context.Context, s *Service, ref *cache.Reference, runner *proof.Runner, rows []record.Record) ([]proof.Proof, error) {
	documents := make([]proof.Proof, len(rows))
	err := runner.Each(ctx, len(rows), func(i int) {
		documents[i] = proof.Proof{ID: int64(i + 1), Given: standing(s, ref, runner.Book.Vocabulary.Kind, &rows[i])}
	})
	return documents, err
}

// Acting are the numbers of the rules that acted, spoke or failed.
func Acting(out *engine.Outcome) []int64 {
	rules := []int64{}
	for _, s := range out.Cells() {
		for _, a := range s.Rules {
			speaking := slices.Contains([]string{engine.Acted, engine.Speaks, engine.Failed}, a.Did)
			if speaking && !slices.Contains(rules, a.Rule.ID) {
				rules = append(rules, a.Rule.ID)
			}
		}
	}
	return rules
}

// most is how many numbers documents are made with.
const most = 12

// SomeNumbers returns what tells some records that a link may name in a company. What cannot be read
// is none.
func (s *Service) SomeNumbers(ctx context.Context, ref *cache.Reference) func(kind, company string) []string {
	return func(kind, company string) (numbers []string) {
		k, err := ref.Kind(kind)
		if err != nil {
			return nil
		}
		selector := &record.Selector{Kind: k, Selection: record.Selection{Sort: record.ByNumber}}
		if !k.Shared {
			selector.Companies = []string{company}
		}
		page, err := s.Store.List(ctx, store.ListQuery{Selector: selector, Limit: most, Uncounted: true})
		if err != nil {
			return nil
		}
		return view.List(page.Rows, func(r record.Record) string { return r.Number })
	}
}

// RecordBases are documents to make others from: two saved records of every company and type. Cost:
// an index over the records of the kind.
func (s *Service) RecordBases(ctx context.Context, ref *cache.Reference, book *plan.Book) (bases []proof.Base, err error) {
	kind := book.Vocabulary.Kind
	scopes, err := s.Store.RecordScopes(ctx, kind.Key)
	if err != nil {
		return nil, err
	}
	var rows []record.Record
	for _, scope := range scopes {
		if !access.In(ctx, scope.Company) {
			continue
		}
		page, err := s.Store.List(ctx, store.ListQuery{Selector: record.OfScope(kind, scope.Company, scope.Type), Limit: 2, Uncounted: true})
		if err != nil {
			return nil, err
		}
		rows = append(rows, page.Rows...)
	}
	slices.SortFunc(rows, func(a, b record.Record) int { return strings.Compare(a.Number, b.Number) })
	for i := range rows {
		r := &rows[i]
		document := DocumentOf(kind, r)
		document.Record, document.Day = "", s.Today(ref.Company(r.Company))
		// What no other record may have is the record's own: a document made from it has another.
		for _, c := range book.Rules {
			for _, place := range c.Unique {
				if f := &kind.Fields[place]; f.Type == field.Text && !f.OfLine() && document.Entered[f.Key].Value != "" {
					document.Entered[f.Key] = judge.Item{Value: document.Entered[f.Key].Value + "-2"}
				}
			}
		}
		blank := func() *record.Content { return &record.Content{Values: map[string]string{}} }
		document.Previous, document.PreviousOfType, document.PreviousOfAnyone = blank(), blank(), blank()
		bases = append(bases, proof.Base{Document: document, Origin: kind.Noun() + " " + r.Number})
	}
	return bases, nil
}
