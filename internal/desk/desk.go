// Package desk holds the use cases: it fetches what a use case needs from the
// store, lets the core compute, and keeps the result.
//
// It must never know HTTP or screens; it speaks the types of the contract. Start
// reading at Desk; each file holds the use cases of one subject.
package desk

import (
	"context"
	"errors"
	"fmt"
	"strings"
	"sync"
	"time"

	"codicil/core/judge"
	"codicil/core/plan"
	"codicil/core/record"
	"codicil/core/rule"
	"codicil/internal/clock"
	"codicil/internal/contract"
	"codicil/internal/release"
	"codicil/internal/store"
)

// Reason sorts errors by what a caller can do about them.
type Reason int

// The reasons of errors.
const (
	Invalid  Reason = iota // the request is wrong; it says where
	NotFound               // there is no such thing
	Conflict               // somebody changed it meanwhile, or it may not be done now
)

// Error is an error that a user can act on.
type Error struct {
	Reason   Reason
	Code     string // stable
	Detail   string // what is wrong and what to do
	Problems []contract.RuleProblem
	Uses     []contract.Use // what stands in the way, as far as it can be listed
	Count    int            // how much stands in the way
}

// Error returns the detail.
func (e *Error) Error() string { return e.Detail }

func invalid(code, format string, args ...any) error {
	return &Error{Reason: Invalid, Code: code, Detail: fmt.Sprintf(format, args...)}
}

func conflict(code, format string, args ...any) error {
	return &Error{Reason: Conflict, Code: code, Detail: fmt.Sprintf(format, args...)}
}

// missing is the error of something that the caller named and that is not there.
func missing(what string) error {
	return &Error{Reason: NotFound, Code: "not-found", Detail: what + " does not exist"}
}

// explain turns an error of the store into one that a user can act on.
func explain(err error) error {
	switch {
	case errors.Is(err, store.ErrNotFound):
		return missing(strings.TrimSuffix(err.Error(), ": not found"))
	case errors.Is(err, store.ErrStale):
		return conflict("changed-meanwhile", "somebody changed this since you opened it. Look at what was changed and make your change again")
	}
	return err
}

// Clock tells the time; a test sets its own.
type Clock func() time.Time

// Desk serves the use cases over one store. It may be used by several goroutines.
type Desk struct {
	store *store.Store
	clock Clock
	user  string

	// What is read at every step of a document is kept in memory. A change drops or
	// replaces what it touches; nothing that was handed out is ever changed.
	mutex sync.Mutex
	// line is where writers queue: held while what a judgement relied on is verified and the
	// change is written and brought into memory. See commit.
	line    sync.Mutex
	masters *masters
	naming  *naming
	late    []ref                 // records of which a live value is to be taken anew
	books   map[string]*plan.Book // by kind
	shelves map[string]*shelf     // by kind
	alike   map[int64]*likeness   // by rule
	plans   map[planKey]*plan.Plan
	// bookVersion is that of the rule book; 0: it is to be read.
	bookVersion int64
	seed        string
}

// planKey names a plan: that of a book, which is replaced when anything in it changes.
type planKey struct {
	book              *plan.Book
	company, kindType string
	day               record.Day
}

// mostPlans is how many plans are kept in memory.
const mostPlans = 500

// plan returns the plan of a book for a scope.
func (d *Desk) plan(book *plan.Book, s plan.Scope) *plan.Plan {
	key := planKey{book, s.Company.Key, s.Type.Key, s.Day}
	d.mutex.Lock()
	p := d.plans[key]
	d.mutex.Unlock()
	if p != nil {
		return p
	}
	p = plan.Build(book, s)
	d.mutex.Lock()
	defer d.mutex.Unlock()
	if len(d.plans) >= mostPlans {
		clear(d.plans)
	}
	d.plans[key] = p
	return p
}

// New returns a desk over the store. user is the name under which changes are kept.
func New(s *store.Store, clock Clock, user string) *Desk {
	return &Desk{store: s, clock: clock, user: user, books: map[string]*plan.Book{}, shelves: map[string]*shelf{}, alike: map[int64]*likeness{}, plans: map[planKey]*plan.Plan{}}
}

// today is the date in the company's time zone; nil: in that of the machine.
func (d *Desk) today(c *record.Company) record.Day { return clock.Today(c, d.clock()) }

// book returns the compiled rules of a kind.
func (d *Desk) book(ctx context.Context, kind string) (*plan.Book, error) {
	m, err := d.master(ctx)
	if err != nil {
		return nil, err
	}
	k, err := m.kind(kind)
	if err != nil {
		return nil, err
	}
	d.mutex.Lock()
	defer d.mutex.Unlock()
	if b := d.books[kind]; b != nil && d.masters == m {
		return b, nil
	}
	rules, err := d.store.Rules(ctx, kind)
	if err != nil {
		return nil, err
	}
	d.books[kind] = plan.NewBook(k, m.kinds, m.tables, rules)
	return d.books[kind], nil
}

// version returns the version of the rule book, and the seed of random numbers.
func (d *Desk) version(ctx context.Context) (int64, string, error) {
	d.mutex.Lock()
	defer d.mutex.Unlock()
	if d.bookVersion == 0 {
		var err error
		if d.bookVersion, d.seed, err = d.store.BookVersion(ctx); err != nil {
			return 0, "", err
		}
	}
	return d.bookVersion, d.seed, nil
}

// judgedBy is what documents are judged by now.
func (d *Desk) judgedBy(ctx context.Context) (judge.Version, error) {
	book, _, err := d.version(ctx)
	return judge.Version{Book: book, Program: release.Version}, err
}

// rewrite puts changed rules into the books of their kinds, those that are in memory. It is
// called at the head of the line, so that the later of two changes stays.
func (d *Desk) rewrite(rules ...rule.Rule) {
	d.mutex.Lock()
	defer d.mutex.Unlock()
	d.bookVersion = 0
	for _, r := range rules {
		if b := d.books[r.Kind]; b != nil {
			d.books[r.Kind] = b.Put(r)
		}
	}
}

// forgetMasters drops companies, kinds, fields and types, of which one changed,
// and the rules, which were compiled for them.
func (d *Desk) forgetMasters() {
	d.mutex.Lock()
	defer d.mutex.Unlock()
	d.masters, d.naming, d.bookVersion = nil, nil, 0
	clear(d.books)
}

// list turns rows into what the contract shows; never nil.
func list[Row, Shown any](rows []Row, show func(Row) Shown) []Shown {
	shown := make([]Shown, len(rows))
	for i, row := range rows {
		shown[i] = show(row)
	}
	return shown
}
