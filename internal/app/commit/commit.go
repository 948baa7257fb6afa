// Package commit is the one door through which everything is written. A change is judged
// outside the line of writers. When its turn comes, all that the judgement relied on must still
// stand, or it is judged again, the third time at the head of the line. All that waits is written in one
// commit, each change with a verdict of its own.
//
// It must never know what is written or why. Start reading at Line.Commit.
package commit

import (
	"cmp"
	"context"
	"errors"
	"slices"
	"strings"
	"sync"
	"sync/atomic"

	"codicil/core/judge"
	"codicil/core/notice"
	"codicil/core/record"
	"codicil/core/rule"
	"codicil/internal/actor"
	"codicil/internal/cache"
	"codicil/internal/clock"
	"codicil/internal/fault"
	"codicil/internal/store"
)

// Line is where writers queue.
type Line struct {
	store *store.Store
	cache *cache.Cache
	clock clock.Clock
	// head is held by who writes: what a judgement relied on is verified, the change written and brought
	// into memory under it. Lines to what is shown by another rule book have the same.
	head *sync.Mutex

	mutex   sync.Mutex
	waiting []*pending
	written atomic.Int64
}

// Written counts the changes that were written since the start.
func (l *Line) Written() int64 { return l.written.Load() }

// New returns a line of writers to a store, whose changes are told to the cache.
func New(s *store.Store, c *cache.Cache, now clock.Clock) *Line {
	return &Line{store: s, cache: c, clock: now, head: &sync.Mutex{}}
}

// Viewed returns the line to the same store as it shows by another rule book.
func (l *Line) Viewed(s *store.Store, c *cache.Cache) *Line {
	return &Line{store: s, cache: c, clock: l.clock, head: l.head}
}

// Change is a judged change that is ready to be written.
type Change struct {
	Reads *ReadSet // nil: it was judged at the head of the line
	// Write writes it; nil: there is nothing to write. No formula runs here. The context does not end
	// with the caller's.
	Write func(ctx context.Context, tx *store.Store) error
	// Done brings what is in memory up to date, after the commit.
	Done func()
}

// Nothing is the change that writes nothing.
func Nothing() *Change { return &Change{} }

// Unwritten is the change that writes nothing because of what was read: among changes that are written in their order it is
// judged again where that is no longer so.
func Unwritten(reads *ReadSet) *Change { return &Change{Reads: reads} }

// Judge judges a change, possibly several times. The context says which numbers are next.
type Judge func(ctx context.Context) (*Change, error)

// ReadSet is what a judgement relied on. It is used by one goroutine. A set of nil notes
// nothing.
type ReadSet struct {
	book int64 // the version of the rule book
	// records are the versions of the records that were read; 0: there was none.
	records map[record.Ref]int
	keys    []askedKey
	prior   []askedPrior
	follows map[record.Ref]int // how many records followed one
	// named are records of which it is known what names them, since a turn of the links.
	named     map[record.Ref]bool
	namedTurn int64
	own       string // the number of the record that is judged; "": a new one
	counts    map[string]int64
	given     map[string]int64 // the last that the change takes, by name
}

// askedKey is a question of a unique rule, with its answer.
type askedKey struct {
	rule         *rule.Compiled
	company, key string
	texts        []string
	found        []string
	counting     []string // those that count for what is judged
	turn         int64    // of the keys, before it was asked
}

// askedPrior is the question what was saved last, with its answer.
type askedPrior struct {
	asked   store.LastQuery
	last    record.Ref
	version int
	// implied tells that another answer says the same: what is the last of all types is the last of its own.
	implied bool
}

// NewReadSet returns the set of a judgement by a version of the rule book.
func NewReadSet(book int64) *ReadSet {
	return &ReadSet{book: book, records: map[record.Ref]int{}, follows: map[record.Ref]int{}}
}

// Record notes that a record was read; r is nil where there was none. The first reading counts:
// a later one that differs must not hide it.
func (s *ReadSet) Record(at record.Ref, r *record.Record) {
	if s == nil {
		return
	}
	if _, there := s.records[at]; there {
		return
	}
	s.records[at] = 0
	if r != nil {
		s.records[at] = r.Version
	}
}

// Key notes what a unique rule asked, the numbers that were found, and those of them that count for what is judged.
// turn is that of the keys before they were asked for.
func (s *ReadSet) Key(c *rule.Compiled, company, key string, texts, found, counting []string, turn int64) {
	if s != nil {
		s.keys = append(s.keys, askedKey{c, company, key, texts, slices.Clone(found), slices.Clone(counting), turn})
	}
}

// Own notes which record is judged, so that its own keys are told from those of others.
func (s *ReadSet) Own(number string) {
	if s != nil {
		s.own = number
	}
}

// claims are the keys that a refusing rule let pass because no other record has them.
func (s *ReadSet) claims() (claims []store.Claim) {
	if s == nil {
		return nil
	}
	for i := range s.keys {
		k := &s.keys[i]
		taken := slices.ContainsFunc(k.counting, func(number string) bool { return number != s.own })
		if !taken && k.rule.Effect.Severity == rule.Refuse {
			claims = append(claims, store.Claim{Kind: k.rule.Kind, Unique: k.rule.UniqueBy(), Company: k.company, Key: k.key})
		}
	}
	return claims
}

// Version is that of a record that was read; 0: none was.
func (s *ReadSet) Version(at record.Ref) int {
	if s == nil {
		return 0
	}
	return s.records[at]
}

// Rested says in a basis what was read, in an order that is always the same.
func (s *ReadSet) Rested(b *judge.Basis) {
	if s == nil {
		return
	}
	for at, version := range s.records {
		b.Records = append(b.Records, judge.Read{Kind: at.Kind, Number: at.Number, Version: version})
	}
	slices.SortFunc(b.Records, func(x, y judge.Read) int {
		return cmp.Or(strings.Compare(x.Kind, y.Kind), strings.Compare(x.Number, y.Number))
	})
	for _, p := range s.prior {
		read := judge.Read{Kind: p.last.Kind, Number: p.last.Number, Version: p.version}
		switch {
		case p.asked.Person == "":
			b.PreviousOfAnyone = read
		case p.asked.Type == "":
			b.Previous = read
		default:
			b.PreviousOfType = read
		}
	}
	for i := range s.keys {
		if k := &s.keys[i]; len(k.counting) > 0 {
			b.Same = append(b.Same, judge.Answer{Rule: k.rule.ID, Key: k.key, Numbers: k.counting})
		}
	}
}

// Prior notes which record had been saved last; nil for none.
func (s *ReadSet) Prior(asked store.LastQuery, last *record.Record) {
	if s == nil {
		return
	}
	prior := askedPrior{asked: asked}
	if last != nil {
		prior.last, prior.version = last.Ref, last.Version
		ofAll := asked
		ofAll.Type = ""
		prior.implied = asked.Type == last.Type && slices.ContainsFunc(s.prior, func(p askedPrior) bool {
			return p.asked == ofAll && p.last == prior.last && p.version == prior.version
		})
	}
	s.prior = append(s.prior, prior)
}

// Named notes that all that name some records were looked for; turn is that of the links before.
func (s *ReadSet) Named(records []record.Ref, turn int64) {
	if s == nil || len(records) == 0 {
		return
	}
	if s.named == nil {
		s.named, s.namedTurn = map[record.Ref]bool{}, turn
	}
	for _, at := range records {
		s.named[at] = true
	}
}

// Also notes the records that another judgement read, for one that rests on it.
func (s *ReadSet) Also(other *ReadSet) {
	if s == nil || other == nil {
		return
	}
	for at, version := range other.records {
		if _, there := s.records[at]; !there {
			s.records[at] = version
		}
	}
}

// Followers notes how many standing records followed one.
func (s *ReadSet) Followers(at record.Ref, count int) {
	if s != nil {
		s.follows[at] = count
	}
}

// Counts notes the last counts of series before those that a change takes, and the last that it takes, by
// name.
func (s *ReadSet) Counts(before, given map[string]int64) {
	if s != nil {
		s.counts, s.given = before, given
	}
}

// tries is how often a change is judged before it is judged at the head of the line, where
// nobody writes meanwhile.
const tries = 3

// Commit judges a change and writes it. Cost of verifying: what was read.
func (l *Line) Commit(ctx context.Context, judge Judge) error {
	for attempt := 1; attempt < tries; attempt++ {
		c, err := judge(ctx)
		if err != nil || c.Write == nil {
			return err
		}
		p := &pending{ctx: ctx, judge: judge, change: c}
		l.queue(p) //nolint:contextcheck // a commit is not one caller's: each change carries its own context
		if p.verdict != moved {
			return p.err
		}
		if err := ctx.Err(); err != nil {
			return err
		}
	}
	return l.Alone(ctx, judge)
}

// Alone judges and writes at the head of the line.
func (l *Line) Alone(ctx context.Context, judge Judge) error {
	l.head.Lock()
	defer l.head.Unlock()
	if l.store.View() != nil {
		l.cache.Forget() // others may have changed what is in force, or the codicil
	}
	c, err := judge(ctx)
	if err != nil || c.Write == nil {
		return err
	}
	c.Reads = nil
	p := &pending{ctx: ctx, change: c}
	l.writeAll([]*pending{p}) //nolint:contextcheck // as in Commit
	return p.err
}

// Write writes at the head of the line what needs no judgement.
func (l *Line) Write(ctx context.Context, write func(tx *store.Store, by record.Stamp) error) error {
	return l.Alone(ctx, func(ctx context.Context) (*Change, error) {
		by, err := l.Stamp(ctx)
		return &Change{Write: func(_ context.Context, tx *store.Store) error { return write(tx, by) }}, err
	})
}

// Definition checks a change of what documents are judged by (rules, tables, fields, layouts, companies, types, maps) and returns
// what writes it, with the stamp of who asks.
type Definition func() (write func(tx *store.Store, by record.Stamp) error, err error)

func (l *Line) definition(ctx context.Context, change Definition) (*Change, error) {
	write, err := change()
	if err != nil {
		return nil, err
	}
	by, err := l.Stamp(ctx)
	return &Change{Write: func(_ context.Context, tx *store.Store) error { return write(tx, by) }, Done: l.cache.Forget}, err
}

// bookAlone checks and writes a change at the head of the line.
func (l *Line) bookAlone(ctx context.Context, change Definition) error {
	return l.Alone(ctx, func(ctx context.Context) (*Change, error) { return l.definition(ctx, change) })
}

// Book writes a change whose check reads nothing but what documents are judged by. It is checked while others save, and again where
// any of that changed meanwhile; a change of a codicil, in which others change things too, at the head of the line.
func (l *Line) Book(ctx context.Context, change Definition) error {
	if l.store.View() != nil {
		return l.bookAlone(ctx, change)
	}
	return l.Commit(ctx, func(ctx context.Context) (*Change, error) {
		version, _, err := l.cache.Version(ctx)
		if err != nil {
			return nil, err
		}
		c, err := l.definition(ctx, change)
		if err == nil {
			c.Reads = NewReadSet(version.Book)
		}
		return c, err
	})
}

// BookLooking writes a change whose check looks at the saved records, while others save: change is asked with 0 to look at all
// of them; and then at the head of the line, with an entry of the trail, to look at least at those that were written after it, see
// store.RecordsSince. What is refused the first time never comes there. Where what documents are judged by changed meanwhile, all of it is
// done again, the third time at the head of the line.
func (l *Line) BookLooking(ctx context.Context, change func(since int64) Definition) error {
	for attempt := 1; attempt < tries && !l.store.Within(); attempt++ {
		before, _, err := l.cache.Version(ctx)
		if err != nil {
			return err
		}
		at, err := l.store.TrailHead(ctx)
		if err != nil {
			return err
		}
		if _, err := change(0)(); err != nil {
			return err
		}
		stands := false
		err = l.Alone(ctx, func(ctx context.Context) (*Change, error) {
			now, _, err := l.cache.Version(ctx)
			if err != nil {
				return nil, err
			}
			if stands = now == before; !stands {
				return Nothing(), nil
			}
			return l.definition(ctx, change(at.Last))
		})
		if err != nil || stands {
			return err
		}
	}
	return l.bookAlone(ctx, change(0))
}

// ErrDry ends a transaction that is only tried, so that nothing is kept.
var ErrDry = errors.New("a dry run keeps nothing")

// Whole changes the rule book at the head of the line in one transaction: all of it is kept, as one codicil with the head, or
// nothing. dry is true where work returned ErrDry.
func (l *Line) Whole(ctx context.Context, head store.CodicilHead, work func(tx *store.Store) error) (dry bool, err error) {
	l.head.Lock()
	defer l.head.Unlock()
	by, err := l.Stamp(ctx)
	if err != nil {
		return false, err
	}
	err = l.store.Amend(ctx, head, by, work)
	switch {
	case errors.Is(err, ErrDry):
		return true, nil
	case err == nil:
		l.cache.Forget()
	}
	return false, Explain(err)
}

// Stamp is who writes now, for the rows that are written. The error is that nobody asks, which
// is a mistake of the program.
func (l *Line) Stamp(ctx context.Context) (record.Stamp, error) {
	who := actor.Of(ctx)
	if who.ID == "" {
		return record.Stamp{}, errors.New("commit: the context says nobody who asks")
	}
	return record.Stamp{At: store.Instant(l.clock()), By: who.Name, Person: who.ID, Via: string(who.Via)}, nil
}

// Explain turns an error of the store into one that a person can act on.
func Explain(err error) error {
	var missing *store.NotFoundError
	var elsewhere *store.ElsewhereError
	var known *store.RuleKnownError
	switch {
	case errors.As(err, &missing):
		return fault.Missing("%s %s", missing.What, missing.Key)
	case errors.Is(err, store.ErrStale):
		return fault.Hindered(fault.Stale)
	case errors.Is(err, store.ErrTaken):
		return fault.Hindered(fault.KeyTaken)
	case errors.Is(err, store.ErrOvertaken):
		return fault.Hindered(overtaken)
	case errors.As(err, &elsewhere):
		return fault.Hindered(newElsewhere, elsewhere.Codicil)
	case errors.As(err, &known):
		return fault.Hindered(ruleKnown, known.Rule)
	case errors.Is(err, store.ErrEnded):
		return fault.Hindered(takesNothing)
	case errors.Is(err, store.ErrShown):
		return fault.Hindered(shownAsItWas)
	}
	return err
}

var (
	overtaken    = notice.Define("overtaken", "something else came into force since this was prepared; look at the codicil and keep the change, or take it out")
	newElsewhere = notice.Define("in-another-codicil", "this rule is new in codicil {codicil}; change it there, or take it out of it")
	ruleKnown    = notice.Define("rule-known", "rule {rule} came with this identifier already; change that one, or leave the identifier out")
	takesNothing = notice.Define("codicil-ended", "the codicil that is shown is in force or withdrawn and takes no changes; go back to the rules in force")
	shownAsItWas = notice.Define("shown-as-it-was", "the rules are shown as they were on a day, and cannot be changed there; go back to the rules in force")
)
