package cache

import (
	"context"
	"maps"
	"sync"

	"codicil/core/judge"
	"codicil/core/plan"
	"codicil/core/rule"
	"codicil/internal/release"
	"codicil/internal/store"
)

// Cache is what is kept in memory of one store. It may be used by several goroutines.
type Cache struct {
	store *store.Store
	// Records are the saved records that were read lately.
	Records *Records

	mutex sync.Mutex
	// reference is nil where it is to be read.
	reference *Reference
	books     map[string]*plan.Book // by kind
	plans     plan.Plans
	before    map[judge.Version]*Cache
	// version is what documents are judged by. It is read before the rest, which may be of a later one, never of an
	// earlier: who relies on it is refused rather than let through.
	version judge.Version
	seed    string
}

// mostRecords is about how many bytes of records are kept.
const mostRecords = 64 << 20

// New returns an empty cache over the store.
func New(s *store.Store) *Cache { return over(s, newRecords(s, mostRecords)) }

func over(s *store.Store, r *Records) *Cache {
	return &Cache{store: s, Records: r, books: map[string]*plan.Book{}, before: map[judge.Version]*Cache{}}
}

// Viewed returns an empty cache over the store as it shows by another rule book; saved records are the same.
func (c *Cache) Viewed(v store.View) *Cache { return over(c.store.Viewed(v), c.Records) }

// With returns a cache that shows rules as they are given, though they are kept otherwise: to look at what they would do. Cost: the
// rules of their kinds.
func (c *Cache) With(ctx context.Context, rules ...rule.Rule) (*Cache, error) {
	c.mutex.Lock()
	err := c.read(ctx)
	with := over(c.store, c.Records)
	with.version, with.seed, with.reference, with.books = c.version, c.seed, c.reference, maps.Clone(c.books)
	c.mutex.Unlock()
	for kind, changed := range byKind(rules) {
		if err != nil {
			break
		}
		var m Moment
		if m, err = with.Now(ctx, kind); err == nil {
			with.books[kind] = m.Book.Put(changed...)
		}
	}
	return with, err
}

func byKind(rules []rule.Rule) map[string][]rule.Rule {
	of := map[string][]rule.Rule{}
	for _, r := range rules {
		of[r.Kind] = append(of[r.Kind], r)
	}
	return of
}

// Plan returns the plan of a book for a scope.
func (c *Cache) Plan(book *plan.Book, s plan.Scope) *plan.Plan { return c.plans.Plan(book, s) }

// Book returns the compiled rules of a kind.
func (c *Cache) Book(ctx context.Context, kind string) (*plan.Book, error) {
	m, err := c.Now(ctx, kind)
	return m.Book, err
}

// Moment is what documents of a kind are judged by at one moment. Seed is that of random numbers.
type Moment struct {
	Version   judge.Version
	Seed      string
	Reference *Reference
	Book      *plan.Book
}

// Now returns what documents of a kind are judged by, all of the same moment.
func (c *Cache) Now(ctx context.Context, kind string) (Moment, error) {
	c.mutex.Lock()
	defer c.mutex.Unlock()
	if err := c.read(ctx); err != nil {
		return Moment{}, err
	}
	if c.books[kind] == nil {
		k, err := c.reference.Kind(kind)
		if err != nil {
			return Moment{}, err
		}
		rules, err := c.store.Rules(ctx, kind)
		if err != nil {
			return Moment{}, err
		}
		c.books[kind] = plan.NewBook(k, c.reference.Kinds, c.reference.Tables, rules)
	}
	return Moment{c.version, c.seed, c.reference, c.books[kind]}, nil
}

// read reads the version and the reference data where they are not in memory. The caller holds the mutex.
func (c *Cache) read(ctx context.Context) error {
	if c.reference != nil {
		return nil
	}
	version, seed, err := c.kept(ctx)
	if err != nil {
		return err
	}
	r, err := readReference(ctx, c.store)
	if err == nil {
		c.version, c.seed, c.reference = version, seed, r
	}
	return err
}

// kept reads what documents are judged by, and the seed of random numbers.
func (c *Cache) kept(ctx context.Context) (judge.Version, string, error) {
	book, seed, err := c.store.BookVersion(ctx)
	if err != nil {
		return judge.Version{}, "", err
	}
	version := judge.Version{Book: book, Program: release.Version}
	if view := c.store.View(); view != nil && view.Codicil > 0 {
		codicil, err := c.store.Codicil(ctx, view.Codicil)
		if err != nil {
			return judge.Version{}, "", err
		}
		version.Codicil, version.Revision = view.Codicil, codicil.Revision
	}
	return version, seed, nil
}

// mostBefore is of how many versions of before the books are kept.
const mostBefore = 30

// BookAt returns the rules of a kind as they were at a version, with the tables, fields and layouts of then; types and
// companies are those of now.
func (c *Cache) BookAt(ctx context.Context, kind string, version judge.Version) (*plan.Book, error) {
	now, _, err := c.Version(ctx)
	if err != nil {
		return nil, err
	}
	if now == version {
		return c.Book(ctx, kind)
	}
	version.Program = ""
	c.mutex.Lock()
	then := c.before[version]
	c.mutex.Unlock()
	if then == nil {
		view := store.View{Codicil: version.Codicil, Revision: version.Revision, Book: version.Book}
		then = c.Viewed(view)
		c.mutex.Lock()
		if len(c.before) >= mostBefore {
			clear(c.before)
		}
		c.before[version] = then
		c.mutex.Unlock()
	}
	return then.Book(ctx, kind)
}

// Version returns what documents are judged by now, and the seed of random numbers.
func (c *Cache) Version(ctx context.Context) (judge.Version, string, error) {
	c.mutex.Lock()
	defer c.mutex.Unlock()
	err := c.read(ctx)
	return c.version, c.seed, err
}

// PutRules puts changed rules into the books of their kinds, those that are in memory. It is
// called at the head of the line, so that the later of two changes stays and the version that is kept is that of the change.
func (c *Cache) PutRules(ctx context.Context, rules ...rule.Rule) {
	c.mutex.Lock()
	defer c.mutex.Unlock()
	version, seed, err := c.kept(context.WithoutCancel(ctx))
	if err != nil { // who asks next is told
		c.forget()
		return
	}
	c.version, c.seed = version, seed
	for kind, changed := range byKind(rules) {
		if b := c.books[kind]; b != nil {
			c.books[kind] = b.Put(changed...)
		}
	}
}

// Forget drops reference data, of which something changed, and the rules, which were compiled
// for it.
func (c *Cache) Forget() {
	c.mutex.Lock()
	defer c.mutex.Unlock()
	c.forget()
}

func (c *Cache) forget() {
	c.reference = nil
	clear(c.books)
}
