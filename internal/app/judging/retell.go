package judging

import (
	"context"
	"errors"

	"codicil/core/engine"
	"codicil/core/judge"
	"codicil/core/plan"
	"codicil/core/record"
	"codicil/core/rule"
	"codicil/internal/app/commit"
	"codicil/internal/cache"
	"codicil/internal/clock"
	"codicil/internal/store"
)

// What was judged is kept with what it rested on, and its trace computed again when somebody asks: by the rules,
// tables and records of then. Fields, layouts, types and companies are those of now; where that, or a later
// release, makes another outcome of it, its sum tells.

// Kept is the judgement as it is kept, made at the time of a stamp. whole keeps the document with all facts that it
// states, as a test document has them.
func (t *Trial) Kept(by record.Stamp, whole bool) *judge.Kept {
	k := &judge.Kept{Document: t.Document, Basis: judge.Basis{
		At: by.At, Today: t.Today, User: by.By, Moment: t.asked.Moment, Keyed: t.asked.Keyed, Version: t.Version,
		Counts: t.Numbers.counts(), Sum: judge.Sum(t.Plan.Kind(), t.Judged.Outcome),
	}}
	t.Reads.Rested(&k.Basis)
	if !whole {
		k.Document = t.Document.Stated()
		if k.Basis.AsStored = t.Document.IsAsStored(); k.Basis.AsStored {
			k.Document.Entered, k.Document.Lines = nil, nil
		}
		k.Basis.Before = t.Reads.Version(record.Ref{Kind: t.Document.Kind, Number: t.Document.Record})
	}
	return k
}

// answers are what unique rules found then.
type answers []judge.Answer

// Same returns what a rule found.
func (a answers) Same(c *rule.Compiled, _, key string, _ []string) []string {
	for _, answer := range a {
		if answer.Rule == c.ID && answer.Key == key {
			return answer.Numbers
		}
	}
	return nil
}

// past is what a judgement rested on, read again.
type past struct {
	basis   *judge.Basis
	book    *plan.Book
	version judge.Version
	// own is the number of the record that the judgement made, where it is judged by other rules than then: what a unique
	// rule found then is no answer to another, so that it looks among the records of now that were there then.
	own      string
	versions *cache.Versions
}

// Past judges again what was judged before, by what it rested on.
type Past struct {
	*Service
	versions *cache.Versions
}

// PastOf judges again by the rules of a service. versions are remembered from one to the next; nil: none are.
func PastOf(s *Service, versions *cache.Versions) Past { return Past{s, versions} }

// Retell computes again what became of a judgement that was kept. same tells whether it is the outcome of then. Cost: judging it
// once; what a load brought, twice.
func (s Past) Retell(ctx context.Context, kept *judge.Kept, a Ask) (t *Trial, same bool, err error) {
	book, err := s.Cache.BookAt(ctx, kept.Document.Kind, kept.Basis.Version)
	if err != nil {
		return nil, false, err
	}
	// Who entered it, a person or a load, is not kept: the outcome tells.
	for _, a.By = range []record.Origin{record.Person, record.Load} {
		if t, err = s.again(ctx, kept, a, &past{basis: &kept.Basis, book: book, version: kept.Basis.Version, versions: s.versions}); err != nil {
			return nil, false, err
		}
		if judge.Sum(t.Plan.Kind(), t.Judged.Outcome) == kept.Basis.Sum {
			return t, true, nil
		}
	}
	return t, false, nil
}

// again judges what was kept with what it rested on.
func (s Past) again(ctx context.Context, kept *judge.Kept, a Ask, p *past) (*Trial, error) {
	document, basis := kept.Document, p.basis
	_, kind, err := s.KindOf(ctx, document.Kind)
	if err != nil {
		return nil, err
	}
	if p.own == "" && basis.Before > 0 {
		at := record.Ref{Kind: document.Kind, Number: document.Record}
		v, err := s.versions.Find(ctx, s.Store, at, basis.Before)
		if err != nil {
			return nil, commit.Explain(err)
		}
		preceding := document.Preceding
		Baseline(kind, &document, &record.Record{Ref: at, Content: v.Content})
		document.Preceding = preceding
		if basis.AsStored {
			document.EnterStored()
		}
	}
	a.Moment, a.Keyed, a.past = basis.Moment, basis.Keyed, p
	return s.Try(ctx, document, a)
}

// savedBefore puts into a document what was saved before it then, as far as anyone looked.
func (p *past) savedBefore(ctx context.Context, s Past, d *judge.Document) error {
	kind := p.book.Vocabulary.Kind
	for _, prior := range []struct {
		read judge.Read
		into **record.Content
	}{{p.basis.Previous, &d.Previous}, {p.basis.PreviousOfType, &d.PreviousOfType}, {p.basis.PreviousOfAnyone, &d.PreviousOfAnyone}} {
		if prior.read.Number == "" {
			continue
		}
		v, err := s.versions.Find(ctx, s.Store, record.Ref{Kind: prior.read.Kind, Number: prior.read.Number}, prior.read.Version)
		if err != nil {
			return commit.Explain(err)
		}
		*prior.into = &record.Content{Values: KnownValues(kind, "", v.Content.Values), Lines: KnownLines(kind, v.Content.Lines)}
	}
	return nil
}

// asOf returns what reads a record as it was: in the version that was read then, where one was. What was not read then is
// read as it is, or as it was at that time where other rules read than then.
func (p *past) asOf(ctx context.Context, s Past, company string) func(record.Ref, *record.Record) (*record.Record, error) {
	versions := make(map[record.Ref]int, len(p.basis.Records))
	for _, read := range p.basis.Records {
		versions[record.Ref{Kind: read.Kind, Number: read.Number}] = read.Version
	}
	return func(at record.Ref, now *record.Record) (*record.Record, error) {
		version, read := versions[at]
		switch {
		case read && version == 0:
			return nil, nil
		case read:
			then, err := s.inVersion(ctx, at, version, now, company)
			if errors.Is(err, store.ErrNotFound) {
				return now, nil // nobody knows how it was
			}
			return then, err
		case p.own == "":
			return now, nil
		}
		return s.asOf(ctx, at, now, p.basis.At, company)
	}
}

// inVersion returns a record as it was in a version. now is what it is, nil where it is no longer there: it is then
// taken as of company.
func (s Past) inVersion(ctx context.Context, at record.Ref, version int, now *record.Record, company string) (*record.Record, error) {
	if now != nil && now.Version == version {
		return now, nil
	}
	v, err := s.versions.Find(ctx, s.Store, at, version)
	if err != nil {
		return nil, err
	}
	then := record.Record{Ref: at, Company: company, Type: v.Type, Version: v.Version, Content: v.Content}
	if now != nil {
		then.Company = now.Company
	}
	return &then, nil
}

// at puts the circumstances of then in place of those of now. seed is for the random parts of numbers.
func (p *past) at(ctx context.Context, s Past, w *around, company *record.Company, seed string) {
	c := &w.Circumstances
	w.looking(func(d *judge.Document) error { return p.savedBefore(ctx, s, d) })
	w.links.over, w.links.asOf = map[record.Ref]*record.Record{}, p.asOf(ctx, s, company.Key)
	c.Today, c.User = p.basis.Today, p.basis.User
	if p.own == "" {
		c.Uniqueness = answers(p.basis.Same)
	} else {
		w.uniqueness.own, w.uniqueness.without = p.own, []string{p.own}
		w.uniqueness.there = func(at record.Ref) (bool, error) {
			version, err := s.Store.VersionAsOf(ctx, at, p.basis.At)
			return version > 0, err
		}
	}
	if at, known := clock.When(record.Stamp{At: p.basis.At}); known {
		c.Now = clock.Now(company, at)
	}
	counts := p.basis.Counts
	if counts == nil {
		counts = map[string]int64{}
	}
	c.Numbers = func() engine.Numbers { return &Numbers{counted: counts, seed: seed, given: map[string]int64{}} }
}
