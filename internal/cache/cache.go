package cache

import (
	"context"
	"sync"

	"codicil/core/judge"
	"codicil/core/plan"
	"codicil/core/record"
	"codicil/core/rule"
	"codicil/internal/release"
	"codicil/internal/store"
)

// Cache is what is kept in memory of one store. It may be used by several goroutines.
type Cache struct {
	store *store.Store
	// Records are the saved records that were read lately.
	Records *Records

	mutex     sync.Mutex
	reference *Reference
	books     map[string]*plan.Book // by kind
	plans     map[planKey]*plan.Plan
	before    map[bookAt]*plan.Book
	// version is that of the rule book; 0: it is to be read.
	version int64
	seed    string
}

// mostRecords is about how many bytes of records are kept.
const mostRecords = 64 << 20

// New returns an empty cache over the store.
func New(s *store.Store) *Cache {
	c := &Cache{store: s, Records: newRecords(s, mostRecords), books: map[string]*plan.Book{}, plans: map[planKey]*plan.Plan{}, before: map[bookAt]*plan.Book{}}
	return c
}

// planKey names a plan: that of a book, which is replaced when anything in it changes.
type planKey struct {
	book              *plan.Book
	company, kindType string
	day               record.Day
}

// mostPlans is how many plans are kept.
const mostPlans = 500

// Plan returns the plan of a book for a scope.
func (c *Cache) Plan(book *plan.Book, s plan.Scope) *plan.Plan {
	key := planKey{book, s.Company.Key, s.Type.Key, s.Day}
	c.mutex.Lock()
	p := c.plans[key]
	c.mutex.Unlock()
	if p != nil {
		return p
	}
	p = plan.Build(book, s)
	c.mutex.Lock()
	defer c.mutex.Unlock()
	if len(c.plans) >= mostPlans {
		clear(c.plans)
	}
	c.plans[key] = p
	return p
}

// Book returns the compiled rules of a kind.
func (c *Cache) Book(ctx context.Context, kind string) (*plan.Book, error) {
	ref, err := c.Reference(ctx)
	if err != nil {
		return nil, err
	}
	k, err := ref.Kind(kind)
	if err != nil {
		return nil, err
	}
	c.mutex.Lock()
	defer c.mutex.Unlock()
	if b := c.books[kind]; b != nil && c.reference == ref {
		return b, nil
	}
	rules, err := c.store.Rules(ctx, kind)
	if err != nil {
		return nil, err
	}
	c.books[kind] = plan.NewBook(k, ref.Kinds, ref.Tables, rules)
	return c.books[kind], nil
}

// mostBooks is how many books of before are kept.
const mostBooks = 30

// BookAt returns the rules of a kind as they were at a version of the rule book, with the tables of then; fields,
// types and companies are those of now.
func (c *Cache) BookAt(ctx context.Context, kind string, version int64) (*plan.Book, error) {
	now, _, err := c.Version(ctx)
	if err != nil {
		return nil, err
	}
	if now.Book == version {
		return c.Book(ctx, kind)
	}
	ref, err := c.Reference(ctx)
	if err != nil {
		return nil, err
	}
	k, err := ref.Kind(kind)
	if err != nil {
		return nil, err
	}
	at := bookAt{ref, kind, version}
	c.mutex.Lock()
	book := c.before[at]
	c.mutex.Unlock()
	if book != nil {
		return book, nil
	}
	rules, err := c.store.RulesAt(ctx, kind, version)
	if err != nil {
		return nil, err
	}
	tables, err := c.store.TablesAt(ctx, version)
	if err != nil {
		return nil, err
	}
	book = plan.NewBook(k, ref.Kinds, &tables.Set, rules)
	c.mutex.Lock()
	defer c.mutex.Unlock()
	if len(c.before) >= mostBooks {
		clear(c.before)
	}
	c.before[at] = book
	return book, nil
}

// bookAt names a book of before, under the reference data of now.
type bookAt struct {
	reference *Reference
	kind      string
	version   int64
}

// Version returns what documents are judged by now, and the seed of random numbers.
func (c *Cache) Version(ctx context.Context) (judge.Version, string, error) {
	c.mutex.Lock()
	defer c.mutex.Unlock()
	if c.version == 0 {
		var err error
		if c.version, c.seed, err = c.store.BookVersion(ctx); err != nil {
			return judge.Version{}, "", err
		}
	}
	return judge.Version{Book: c.version, Program: release.Version}, c.seed, nil
}

// PutRules puts changed rules into the books of their kinds, those that are in memory. It is
// called at the head of the line, so that the later of two changes stays.
func (c *Cache) PutRules(rules ...rule.Rule) {
	c.mutex.Lock()
	defer c.mutex.Unlock()
	c.version = 0
	for _, r := range rules {
		if b := c.books[r.Kind]; b != nil {
			c.books[r.Kind] = b.Put(r)
		}
	}
}

// Forget drops reference data, of which something changed, and the rules, which were compiled
// for it.
func (c *Cache) Forget() {
	c.mutex.Lock()
	defer c.mutex.Unlock()
	c.reference, c.version = nil, 0
	clear(c.books)
}
