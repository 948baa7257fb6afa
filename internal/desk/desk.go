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
	"slices"
	"strings"
	"sync"
	"time"

	"codicil/core/plan"
	"codicil/core/record"
	"codicil/core/rule"
	"codicil/internal/contract"
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
}

// Error returns the detail.
func (e *Error) Error() string { return e.Detail }

func invalid(code, format string, args ...any) error {
	return &Error{Reason: Invalid, Code: code, Detail: fmt.Sprintf(format, args...)}
}

// explain turns an error of the store into one that a user can act on.
func explain(err error) error {
	switch {
	case errors.Is(err, store.ErrNotFound):
		return &Error{Reason: NotFound, Code: "not-found", Detail: strings.TrimSuffix(err.Error(), ": not found") + " does not exist"}
	case errors.Is(err, store.ErrStale):
		return &Error{Reason: Conflict, Code: "changed-meanwhile", Detail: "somebody changed this rule since you opened it. Reload it and make your change again"}
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

	mutex sync.Mutex
	books map[string]*plan.Book // by kind; emptied when a rule changes
}

// New returns a desk over the store. user is the name under which changes are kept.
func New(s *store.Store, clock Clock, user string) *Desk {
	return &Desk{store: s, clock: clock, user: user, books: map[string]*plan.Book{}}
}

func (d *Desk) today() record.Day { return record.Day(d.clock().Format(time.DateOnly)) }

// Catalog returns companies, kinds and types.
func (d *Desk) Catalog(ctx context.Context) (contract.Catalog, error) {
	c := contract.Catalog{Today: string(d.today()), User: d.user, Companies: []record.Company{}, Kinds: []contract.KindEntry{}}
	companies, err := d.store.Companies(ctx)
	if err != nil {
		return c, err
	}
	c.Companies = append(c.Companies, companies...)
	kinds, err := d.store.Kinds(ctx)
	if err != nil {
		return c, err
	}
	for _, k := range kinds {
		types, err := d.store.Types(ctx, k.Key)
		if err != nil {
			return c, err
		}
		entry := contract.KindEntry{Kind: k, Types: types, Relations: map[string][]rule.Relation{}}
		for _, family := range rule.Families {
			entry.Families = append(entry.Families, string(family))
		}
		for i := range k.Fields {
			entry.Relations[k.Fields[i].Key] = rule.Relations(&k.Fields[i])
		}
		c.Kinds = append(c.Kinds, entry)
	}
	return c, nil
}

// book returns the compiled rules of a kind.
func (d *Desk) book(ctx context.Context, kind string) (*plan.Book, error) {
	d.mutex.Lock()
	defer d.mutex.Unlock()
	if b := d.books[kind]; b != nil {
		return b, nil
	}
	k, err := d.kind(ctx, kind)
	if err != nil {
		return nil, err
	}
	rules, err := d.store.Rules(ctx, kind)
	if err != nil {
		return nil, err
	}
	d.books[kind] = plan.NewBook(k, rules)
	return d.books[kind], nil
}

func (d *Desk) forget(kind string) {
	d.mutex.Lock()
	defer d.mutex.Unlock()
	delete(d.books, kind)
}

func (d *Desk) kind(ctx context.Context, key string) (*record.Kind, error) {
	kinds, err := d.store.Kinds(ctx)
	if err != nil {
		return nil, err
	}
	if i := slices.IndexFunc(kinds, func(k record.Kind) bool { return k.Key == key }); i >= 0 {
		return &kinds[i], nil
	}
	return nil, invalid("unknown-kind", "there is no kind of record %q", key)
}

// scope resolves company, type and day, and tells what does not exist.
func (d *Desk) scope(ctx context.Context, kind, company, kindType string, day record.Day) (plan.Scope, error) {
	var s plan.Scope
	companies, err := d.store.Companies(ctx)
	if err != nil {
		return s, err
	}
	types, err := d.store.Types(ctx, kind)
	if err != nil {
		return s, err
	}
	c := slices.IndexFunc(companies, func(c record.Company) bool { return c.Key == company })
	if c < 0 {
		return s, invalid("unknown-company", "there is no company %q", company)
	}
	t := slices.IndexFunc(types, func(t record.Type) bool { return t.Key == kindType })
	if t < 0 {
		return s, invalid("unknown-type", "there is no type %q of this kind", kindType)
	}
	if !types[t].UsedIn(company) {
		return s, invalid("type-not-used", "%s is not used in company %s; choose another type or company", types[t].Label, company)
	}
	if _, err := record.ParseDay(string(day)); err != nil {
		return s, invalid("not-a-day", "%v", err)
	}
	return plan.Scope{Company: &companies[c], Type: &types[t], Day: day}, nil
}

// names returns the labels for sentences about a kind.
func (d *Desk) names(ctx context.Context, kind *record.Kind) (rule.Names, error) {
	n := rule.Names{Kind: kind, Companies: map[string]string{}, Types: map[string]string{}}
	companies, err := d.store.Companies(ctx)
	if err != nil {
		return n, err
	}
	for _, c := range companies {
		n.Companies[c.Key] = c.Key + " " + c.Name
	}
	types, err := d.store.Types(ctx, kind.Key)
	for _, t := range types {
		n.Types[t.Key] = strings.ToLower(t.Label) + " " + strings.ToLower(kind.Plural)
	}
	return n, err
}
