package cache

import (
	"cmp"
	"context"
	"iter"
	"slices"
	"strings"
	"sync"

	"codicil/core/record"
	"codicil/core/rule"
	"codicil/internal/store"
)

// Records answers questions about saved records. What it returns is not to be changed.
type Records interface {
	// Find returns a record; nil when there is none.
	Find(ctx context.Context, at record.Ref) (*record.Record, error)
	// Each goes through the records of a kind by number. Cost: all of them.
	Each(ctx context.Context, kind string) (iter.Seq[*record.Record], error)
	// Count returns how many records of a kind there are.
	Count(ctx context.Context, kind string) (int, error)
	// NamedBy returns the records that name one, by a link of the header or of a line, or as the
	// one that they follow, by kind and number. Cost: the records that do.
	NamedBy(ctx context.Context, at record.Ref) ([]record.Record, error)
	// SavedLast returns the record that a person saved last in a company, of a kind and, where it
	// is not "", a type; nil when there is none. One number is passed over.
	SavedLast(ctx context.Context, kind, company, kindType, person, except string) (*record.Record, error)
	// Same returns the numbers of the records that have the values of a unique rule: equal ones,
	// and where the rule asks almost equal ones.
	Same(ctx context.Context, c *rule.Compiled, company, key string, texts []string) ([]string, error)
	// Put takes in records that were saved, and Remove one that was deleted. They are called at
	// the head of the line, so that of two saved at once the later stays.
	Put(records ...record.Record)
	Remove(r record.Record)
}

// ofKind are the saved records of one kind by number. They are never changed, only replaced.
type ofKind struct{ rows []record.Record }

func (s *ofKind) index(number string) (int, bool) {
	return slices.BinarySearchFunc(s.rows, number, func(r record.Record, n string) int { return strings.Compare(r.Number, n) })
}

func (s *ofKind) find(number string) *record.Record {
	if i, there := s.index(number); there {
		return &s.rows[i]
	}
	return nil
}

// recordCache holds the saved records in memory.
type recordCache struct {
	store     *store.Store
	reference func(context.Context) (*Reference, error)

	mutex      sync.Mutex
	kinds      map[string]*ofKind
	references *references
	unique     map[int64]*uniqueness // by rule
}

func (s *recordCache) ofKind(ctx context.Context, kind string) (*ofKind, error) {
	s.mutex.Lock()
	defer s.mutex.Unlock()
	if held := s.kinds[kind]; held != nil {
		return held, nil
	}
	rows, err := s.store.Records(ctx, kind)
	if err != nil {
		return nil, err
	}
	slices.SortFunc(rows, func(a, b record.Record) int { return strings.Compare(a.Number, b.Number) })
	s.kinds[kind] = &ofKind{rows}
	return s.kinds[kind], nil
}

func (s *recordCache) Find(ctx context.Context, at record.Ref) (*record.Record, error) {
	held, err := s.ofKind(ctx, at.Kind)
	if err != nil {
		return nil, err
	}
	return held.find(at.Number), nil
}

func (s *recordCache) Each(ctx context.Context, kind string) (iter.Seq[*record.Record], error) {
	held, err := s.ofKind(ctx, kind)
	if err != nil {
		return nil, err
	}
	return func(yield func(*record.Record) bool) {
		for i := range held.rows {
			if !yield(&held.rows[i]) {
				return
			}
		}
	}, nil
}

func (s *recordCache) Count(ctx context.Context, kind string) (int, error) {
	held, err := s.ofKind(ctx, kind)
	if err != nil {
		return 0, err
	}
	return len(held.rows), nil
}

// SavedLast looks through all records of the kind.
func (s *recordCache) SavedLast(ctx context.Context, kind, company, kindType, person, except string) (*record.Record, error) {
	held, err := s.ofKind(ctx, kind)
	if err != nil {
		return nil, err
	}
	var last *record.Record
	for i := range held.rows {
		r := &held.rows[i]
		if r.Company != company || r.Changed.Person != person || r.Number == except || !r.Standing() || (kindType != "" && r.Type != kindType) {
			continue
		}
		if last == nil || r.Changed.At > last.Changed.At {
			last = r
		}
	}
	return last, nil
}

// Put costs a copy of the list of the kind for each record.
func (s *recordCache) Put(records ...record.Record) {
	s.mutex.Lock()
	defer s.mutex.Unlock()
	for _, r := range records {
		s.put(r, false)
	}
}

func (s *recordCache) Remove(r record.Record) {
	s.mutex.Lock()
	defer s.mutex.Unlock()
	s.put(r, true)
}

// put replaces, adds or removes a record. It is called under the mutex.
func (s *recordCache) put(r record.Record, gone bool) {
	held := s.kinds[r.Kind]
	if held == nil {
		return
	}
	i, there := held.index(r.Number)
	next := &ofKind{slices.Clone(held.rows)}
	if there && s.references != nil {
		s.references.remove(&held.rows[i])
	}
	switch {
	case there && gone:
		next.rows = slices.Delete(next.rows, i, i+1)
	case there:
		next.rows[i] = r
	case !gone:
		next.rows = slices.Insert(next.rows, i, r)
	}
	if !gone && s.references != nil {
		s.references.add(&r)
	}
	s.kinds[r.Kind] = next
}

// references knows which records name a record. It is read and changed under the mutex.
type references struct {
	reference *Reference
	by        map[record.Ref]map[record.Ref]struct{}
}

// linksOf are the records that a record names, each once or more.
func linksOf(k *record.Kind, r *record.Record) (links []record.Ref) {
	for i := range k.Fields {
		f := &k.Fields[i]
		if !f.IsLink() {
			continue
		}
		if !f.OfLine() {
			if number := r.Values[f.Key]; number != "" {
				links = append(links, record.Ref{Kind: f.Kind, Number: number})
			}
			continue
		}
		for _, line := range r.Lines {
			if number := line.Values[f.Column()]; number != "" {
				links = append(links, record.Ref{Kind: f.Kind, Number: number})
			}
		}
	}
	if r.Preceding.Number != "" {
		links = append(links, r.Preceding)
	}
	return links
}

func (n *references) add(r *record.Record) {
	k, err := n.reference.Kind(r.Kind)
	if err != nil {
		return
	}
	for _, to := range linksOf(k, r) {
		if n.by[to] == nil {
			n.by[to] = map[record.Ref]struct{}{}
		}
		n.by[to][r.Ref] = struct{}{}
	}
}

func (n *references) remove(r *record.Record) {
	k, err := n.reference.Kind(r.Kind)
	if err != nil {
		return
	}
	for _, to := range linksOf(k, r) {
		delete(n.by[to], r.Ref)
	}
}

// NamedBy goes through all records once after kinds changed.
func (s *recordCache) NamedBy(ctx context.Context, at record.Ref) (rows []record.Record, err error) {
	ref, err := s.reference(ctx)
	if err != nil {
		return nil, err
	}
	for i := range ref.Kinds {
		if _, err := s.ofKind(ctx, ref.Kinds[i].Key); err != nil {
			return nil, err
		}
	}
	s.mutex.Lock()
	defer s.mutex.Unlock()
	if s.references == nil || s.references.reference != ref {
		s.references = &references{ref, map[record.Ref]map[record.Ref]struct{}{}}
		for _, held := range s.kinds {
			for i := range held.rows {
				s.references.add(&held.rows[i])
			}
		}
	}
	for by := range s.references.by[at] {
		if held := s.kinds[by.Kind]; held != nil {
			if r := held.find(by.Number); r != nil {
				rows = append(rows, *r)
			}
		}
	}
	slices.SortFunc(rows, func(a, b record.Record) int {
		return cmp.Or(cmp.Compare(a.Kind, b.Kind), cmp.Compare(a.Number, b.Number))
	})
	return rows, nil
}

// Followers returns the records that follow one.
func Followers(ctx context.Context, records Records, at record.Ref) ([]record.Record, error) {
	rows, err := records.NamedBy(ctx, at)
	return slices.DeleteFunc(rows, func(r record.Record) bool { return r.Preceding != at }), err
}

// Standing counts the records that were not taken back; one is left out.
func Standing(followers []record.Record, except record.Ref) (count int) {
	for i := range followers {
		if r := &followers[i]; r.Standing() && r.Ref != except {
			count++
		}
	}
	return count
}
