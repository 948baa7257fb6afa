package proof

import (
	"cmp"
	"context"
	"errors"
	"fmt"
	"runtime"
	"runtime/debug"
	"slices"
	"sync"
	"sync/atomic"

	"codicil/core/engine"
	"codicil/core/feel"
	"codicil/core/judge"
	"codicil/core/plan"
	"codicil/core/record"
	"codicil/core/rule"
)

// Runner runs proofs of one kind against a rule book. Its functions are called by many at once.
type Runner struct {
	Book *plan.Book
	// Scope finds what a plan is for; the error says what does not exist.
	Scope func(company, kindType string, day record.Day) (plan.Scope, error)
	// Facts are what the documents of a company are judged by besides what they carry: who
	// runs the proofs, linked and other records; the function that comes with them tells after
	// the run what could not be read.
	Facts func(company string) (judge.Circumstances, func() error)

	// Single runs one after the other: what the facts are read from is not for several at once.
	Single bool

	// Extent is where rules of the kind can stand; none: nobody says.
	Extent Extent

	// instead stands in for tables, and company changes each company; nil: neither is changed.
	instead *judge.Instead
	company func(*record.Company)
	mutex   sync.Mutex
	books   map[string]*plan.Book // by the drafts in them
	plans   plan.Plans
}

// drafts are those of the rules that are drafts, in the order of the book.
func drafts(b *plan.Book, rules []int64) (list []*rule.Compiled) {
	for _, c := range b.Rules {
		if c.State == rule.Draft && c.Sound() && slices.Contains(rules, c.ID) {
			list = append(list, c)
		}
	}
	return list
}

// WithDrafts returns the book in which those of the rules that are drafts stand as if they
// were in force: what a proof of a draft is about.
func WithDrafts(b *plan.Book, rules []int64) *plan.Book {
	for _, c := range drafts(b, rules) {
		b = b.With(c.Rule)
	}
	return b
}

// book returns the book of a proof, made once for the drafts that the proof names.
func (r *Runner) book(p *Proof) *plan.Book {
	named := ""
	for _, c := range drafts(r.Book, p.Rules) {
		named += c.Label() + " "
	}
	if named == "" {
		return r.Book
	}
	r.mutex.Lock()
	defer r.mutex.Unlock()
	if r.books[named] == nil {
		if r.books == nil {
			r.books = map[string]*plan.Book{}
		}
		r.books[named] = WithDrafts(r.Book, p.Rules)
	}
	return r.books[named]
}

// scope finds what a plan is for, with the company as the runner has it.
func (r *Runner) scope(company, kindType string, day record.Day) (plan.Scope, error) {
	s, err := r.Scope(company, kindType, day)
	if err == nil && r.company != nil {
		changed := *s.Company
		r.company(&changed)
		s.Company = &changed
	}
	return s, err
}

// plan returns the plan that a document would go through as it was entered.
func (r *Runner) plan(d *judge.Document) (*plan.Plan, error) {
	s, err := r.scope(d.Company, d.Type, d.EnteredDay(r.Book.Vocabulary.Kind, d.Day))
	if err != nil {
		return nil, err
	}
	return r.plans.Plan(r.Book, s), nil
}

// noon of the day that a proof is taken to be run on is the time of its work, so that one that
// reads today() comes out the same whenever it is run.
func noon(day record.Day) feel.Value {
	v, _ := feel.ParseDateTime(string(day) + "T12:00:00")
	return v
}

// circumstances are what the document of a proof is judged by.
func (r *Runner) circumstances(p *Proof) (judge.Circumstances, func() error) {
	c, failed := r.Facts(p.Given.Company)
	c.Book, c.Scope, c.Build, c.Now, c.Moment, c.Instead = r.book(p), r.scope, r.plans.Plan, noon, rule.Posting, r.instead
	return c, failed
}

// judge takes the document of a proof through the rules. watch, if any, may watch the case.
func (r *Runner) judge(p *Proof, detail bool, watch func(*plan.Plan, *engine.Case)) (*judge.Judged, error) {
	c, failed := r.circumstances(p)
	c.Detail, c.Watch, c.Facts = detail, watch, judge.NoFacts
	judged, err := judge.Judge(&p.Given, &c)
	return judged, cmp.Or(err, failed())
}

// Carry returns what the document of a proof reads besides itself.
func (r *Runner) Carry(p *Proof) (*judge.Fixtures, error) {
	c, failed := r.circumstances(p)
	carried, err := judge.Carry(&p.Given, c)
	return carried, cmp.Or(err, failed())
}

// With returns a runner for the book in which a rule stands as it is given.
func (r *Runner) With(changed rule.Rule) *Runner {
	return &Runner{Book: r.Book.Put(changed), Scope: r.Scope, Facts: r.Facts, Single: r.Single, Extent: r.Extent}
}

// mutated returns a runner in whose book the rule is slightly wrong.
func (r *Runner) mutated(c *rule.Compiled, m *Mutant) *Runner {
	if m.around != nil {
		return &Runner{Book: r.Book, Scope: r.Scope, Facts: r.Facts, Single: r.Single, Extent: r.Extent, instead: m.around.instead, company: m.around.company}
	}
	wrong := c.Rule
	wrong.Body, wrong.State = m.Body, rule.InForce
	if m.Gone {
		wrong.State = rule.Retired
	}
	return r.With(wrong)
}

// Result is what came of one proof.
type Result struct {
	Proof       *Proof
	Plan        *plan.Plan
	Case        *engine.Case
	Outcome     *engine.Outcome
	Differences []Difference
	// Coverage are what the run showed of rules.
	Coverage Coverage
	// Err says that the proof can no longer be run; the rest is then empty.
	Err error
}

// Held tells whether everything came out as expected.
func (r *Result) Held() bool { return r.Err == nil && len(r.Differences) == 0 }

// Run runs one proof. With coverage it also notes what the run shows of the rules.
func (r *Runner) Run(p *Proof, coverage bool) Result {
	result := Result{Proof: p}
	var watching func(*plan.Plan, *engine.Case)
	if coverage {
		watching = func(p *plan.Plan, c *engine.Case) {
			result.Coverage = watch(p, c, func(*rule.Compiled) bool { return true })
		}
	}
	judged, err := r.judge(p, coverage || len(p.Expect.Acting) > 0, watching)
	if result.Err = err; err != nil {
		return result
	}
	result.Plan, result.Case, result.Outcome = judged.Plan, judged.Case, judged.Outcome
	if coverage {
		result.Coverage.acts(result.Case, result.Outcome)
	}
	result.Differences = Compare(&p.Expect, result.Outcome, result.Plan.Kind())
	if coverage && len(result.Differences) > 0 {
		r.tellFacts(&result)
	}
	return result
}

// tellFacts runs a proof that fails once more for the facts that decided: who reads it asks
// why.
func (r *Runner) tellFacts(result *Result) {
	c, failed := r.circumstances(result.Proof)
	c.Detail = true
	if judged, err := judge.Judge(&result.Proof.Given, &c); err == nil && failed() == nil {
		result.Plan, result.Case, result.Outcome = judged.Plan, judged.Case, judged.Outcome
		result.Differences = Compare(&result.Proof.Expect, result.Outcome, result.Plan.Kind())
	}
}

// RunAll runs proofs on all processors; done is told of each as it ends, one after the other.
// Where the context ends the rest is not run, and the error says so.
func (r *Runner) RunAll(ctx context.Context, proofs []Proof, done func(*Result)) ([]Result, error) {
	results := make([]Result, len(proofs))
	var mutex sync.Mutex
	err := r.Each(ctx, len(proofs), func(i int) {
		results[i] = r.Run(&proofs[i], true)
		if done != nil {
			mutex.Lock()
			defer mutex.Unlock()
			done(&results[i])
		}
	})
	return results, err
}

// JudgeAll takes documents through the rules on all processors, without asking what they expect; detail tells what
// every rule did. Where the context ends the rest is not judged, and the error says so.
func (r *Runner) JudgeAll(ctx context.Context, documents []Proof, detail bool) ([]Result, error) {
	results := make([]Result, len(documents))
	err := r.Each(ctx, len(documents), func(i int) {
		result := &results[i]
		result.Proof = &documents[i]
		judged, err := r.judge(&documents[i], detail, nil)
		if result.Err = err; err == nil {
			result.Plan, result.Case, result.Outcome = judged.Plan, judged.Case, judged.Outcome
		}
	})
	return results, err
}

// Each does work for each number under count on all processors until the context ends. Where the work panics, it
// panics here, where the caller can meet it; in a goroutine of its own it would end the program.
func (r *Runner) Each(ctx context.Context, count int, work func(int)) error {
	var next atomic.Int64
	var group sync.WaitGroup
	ctx, stop := context.WithCancelCause(ctx)
	defer stop(nil)
	workers := min(runtime.GOMAXPROCS(0), count)
	if r.Single {
		workers = min(1, count)
	}
	for range workers {
		group.Go(func() {
			defer func() {
				if cause := recover(); cause != nil {
					stop(panicked{cause, debug.Stack()})
				}
			}()
			for ctx.Err() == nil {
				i := int(next.Add(1)) - 1
				if i >= count {
					return
				}
				work(i)
			}
		})
	}
	group.Wait()
	var p panicked
	if errors.As(context.Cause(ctx), &p) {
		panic(p)
	}
	return ctx.Err()
}

// panicked is a panic of another goroutine, with where it was.
type panicked struct {
	cause any
	stack []byte
}

// Error tells the panic and where it was.
func (p panicked) Error() string { return fmt.Sprintf("%v\n%s", p.cause, p.stack) }

// watches tells whether a proof would tell that the rule does something else: it names the
// rule, or expects what the rule makes.
func (p *Proof) watches(c *rule.Compiled) bool {
	if slices.Contains(p.Rules, c.ID) {
		return true
	}
	kind, own := c.Vocabulary().Kind, families[c.Family]
	if own.watched != nil {
		return own.watched(p)
	}
	expected := p.Expect.Values
	switch {
	case own.manners:
		expected = p.Expect.EntryStates
	case c.Sorts():
		expected = p.Expect.Bands
	}
	for address := range expected {
		if at, _ := judge.IndexOf(kind, address); at >= 0 && slices.Contains(c.Fields, at) {
			return true
		}
	}
	return false
}
