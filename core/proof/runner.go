package proof

import (
	"context"

	"runtime"
	"slices"
	"sync"
	"sync/atomic"

	"codicil/core/engine"
	"codicil/core/plan"
	"codicil/core/record"
	"codicil/core/rule"
)

// Runner runs proofs of one kind against a rule book. Its functions are called by many at once.
type Runner struct {
	Book *plan.Book
	// Scope finds what a plan is for; the error says what does not exist.
	Scope func(company, kindType string, day record.Day) (plan.Scope, error)
	// Setting makes what the case of a document needs besides it; the function that comes
	// with it tells after the run what could not be read.
	Setting func(s plan.Scope) (Setting, func() error)

	mutex sync.Mutex
	plans map[place]planned
}

type place struct {
	company, kindType string
	day               record.Day
	drafts            string // the drafts that are taken as if they were in force
}

type planned struct {
	plan *plan.Plan
	err  error
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

// plan returns the plan of a proof, made once for each scope and for the drafts it names.
func (r *Runner) plan(p *Proof) (*plan.Plan, error) {
	d := &p.Given
	at := place{d.Company, d.Type, d.Day, ""}
	for _, c := range drafts(r.Book, p.Rules) {
		at.drafts += c.Label() + " "
	}
	r.mutex.Lock()
	defer r.mutex.Unlock()
	made, have := r.plans[at]
	if !have {
		if s, err := r.Scope(d.Company, d.Type, d.Day); err != nil {
			made = planned{err: err}
		} else {
			made = planned{plan: plan.Build(WithDrafts(r.Book, p.Rules), s)}
		}
		if r.plans == nil {
			r.plans = map[place]planned{}
		}
		r.plans[at] = made
	}
	return made.plan, made.err
}

// With returns a runner for the book in which a rule stands as it is given.
func (r *Runner) With(changed rule.Rule) *Runner {
	return &Runner{Book: r.Book.Put(changed), Scope: r.Scope, Setting: r.Setting}
}

// mutated returns a runner in whose book the rule is slightly wrong.
func (r *Runner) mutated(c *rule.Compiled, m *Mutant) *Runner {
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
	// Sights are what the run showed of rules.
	Sights Sights
	// Err says that the proof can no longer be run; the rest is then empty.
	Err error
}

// Held tells whether everything came out as expected.
func (r *Result) Held() bool { return r.Err == nil && len(r.Differences) == 0 }

// Run runs one proof. With sights it also notes what the run shows of the rules.
func (r *Runner) Run(p *Proof, sights bool) Result {
	result := Result{Proof: p}
	if result.Plan, result.Err = r.plan(p); result.Err != nil {
		return result
	}
	setting, failed := r.Setting(result.Plan.Scope)
	if result.Plan, result.Case, result.Err = p.Given.Case(result.Plan, setting); result.Err != nil {
		return result
	}
	if sights {
		result.Sights = watch(result.Plan, result.Case, func(*rule.Compiled) bool { return true })
	}
	result.Outcome = engine.Run(result.Plan, result.Case, sights || len(p.Expect.Acting) > 0)
	if result.Err = failed(); result.Err != nil {
		return result
	}
	if sights {
		result.Sights.acts(result.Case, result.Outcome)
	}
	result.Differences = Compare(&p.Expect, result.Outcome, result.Plan.Kind())
	return result
}

// RunAll runs proofs on all processors; done is told of each as it ends, one after the other.
// Where the context ends the rest is not run, and the error says so.
func (r *Runner) RunAll(ctx context.Context, proofs []Proof, done func(*Result)) ([]Result, error) {
	results := make([]Result, len(proofs))
	var mutex sync.Mutex
	err := parallel(ctx, len(proofs), func(i int) {
		results[i] = r.Run(&proofs[i], true)
		if done != nil {
			mutex.Lock()
			defer mutex.Unlock()
			done(&results[i])
		}
	})
	return results, err
}

// parallel does work for each number under count on all processors until the context ends.
func parallel(ctx context.Context, count int, work func(int)) error {
	var next atomic.Int64
	var group sync.WaitGroup
	for range min(runtime.GOMAXPROCS(0), count) {
		group.Go(func() {
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
	return ctx.Err()
}

// watches tells whether a proof would tell that the rule does something else: it names the
// rule, or expects what the rule makes.
func (p *Proof) watches(c *rule.Compiled) bool {
	if slices.Contains(p.Rules, c.ID) || c.Family == rule.Validate {
		return true // every message is expected
	}
	kind := c.Vocabulary().Kind
	expected := p.Expect.Values
	switch {
	case c.Family == rule.FollowUp:
		return p.Expect.Writes != nil
	case c.Family == rule.Entry:
		expected = p.Expect.Manners
	case c.Sorts():
		expected = p.Expect.Bands
	}
	for address := range expected {
		if at, _ := Place(kind, address); at >= 0 && slices.Contains(c.Fields, at) {
			return true
		}
	}
	return false
}
