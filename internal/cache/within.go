package cache

import (
	"context"
	"slices"

	"codicil/core/plan"
	"codicil/core/record"
	"codicil/core/table"
	"codicil/internal/access"
)

// Within is the reference data as far as it is of some companies: for showing it to who may not know of others. Cost: the
// companies, types, layouts and tables.
func (r *Reference) Within(companies []string) *Reference {
	ours := func(key string) bool { return slices.Contains(companies, key) }
	kept := func(keys []string) (of []string, none bool) {
		if len(keys) == 0 {
			return keys, false
		}
		for _, key := range keys {
			if ours(key) {
				of = append(of, key)
			}
		}
		return of, len(of) == 0
	}
	w := &Reference{Kinds: r.Kinds, Types: map[string][]record.Type{}, Layouts: map[string][]record.ScopedLayout{}, versions: r.versions, labelled: r.labelled}
	w.Companies = slices.DeleteFunc(slices.Clone(r.Companies), func(c record.Company) bool { return !ours(c.Key) })
	for kind, types := range r.Types {
		for _, t := range types {
			if of, none := kept(t.Companies); !none {
				t.Companies = of
				w.Types[kind] = append(w.Types[kind], t)
			}
		}
	}
	for kind, layouts := range r.Layouts {
		w.Layouts[kind] = slices.DeleteFunc(slices.Clone(layouts), func(l record.ScopedLayout) bool { return l.Company != "" && !ours(l.Company) })
	}
	tables := *r.Tables
	tables.Standing = slices.Clone(r.Tables.Standing)
	for i := range tables.Standing {
		s := &tables.Standing[i]
		s.Periods = slices.DeleteFunc(slices.Clone(s.Periods), func(p table.StandingValue) bool { return p.Company != "" && !ours(p.Company) })
	}
	tables.Series = nil
	for _, s := range r.Tables.Series {
		if n := s.Numbers; n != nil {
			of, none := kept(n.Companies)
			if none {
				continue
			}
			own := *n
			own.Companies, s.Numbers = of, &own
		}
		tables.Series = append(tables.Series, s)
	}
	tables.Lists = slices.Clone(r.Tables.Lists)
	for i := range tables.Lists {
		l := &tables.Lists[i]
		l.Views = slices.DeleteFunc(slices.Clone(l.Views), func(v table.ListView) bool { return v.Company != "" && !ours(v.Company) })
	}
	w.Tables = &tables
	return w
}

// Within is a book with the rules that hold in one of some companies, and of their scope only those companies. Cost: the rules.
func Within(b *plan.Book, companies []string) *plan.Book {
	w := &plan.Book{Vocabulary: b.Vocabulary}
	for _, c := range b.Rules {
		if len(c.Scope.Companies) > 0 {
			of := slices.DeleteFunc(slices.Clone(c.Scope.Companies), func(key string) bool { return !slices.Contains(companies, key) })
			if len(of) == 0 {
				continue
			}
			if len(of) < len(c.Scope.Companies) {
				own := *c
				own.Scope.Companies = of
				c = &own
			}
		}
		w.Rules = append(w.Rules, c)
	}
	return w
}

// Seen is the reference data as far as who asks may see it: for showing it. What is judged is judged by all of it.
func (c *Cache) Seen(ctx context.Context) (*Reference, error) {
	ref, err := c.Reference(ctx)
	if companies := access.Scope(ctx); err == nil && companies != nil {
		ref = ref.Within(companies)
	}
	return ref, err
}

// SeenBook is the book of a kind with the rules that who asks may see: for showing it.
func (c *Cache) SeenBook(ctx context.Context, kind string) (*plan.Book, error) {
	book, err := c.Book(ctx, kind)
	if companies := access.Scope(ctx); err == nil && companies != nil {
		book = Within(book, companies)
	}
	return book, err
}
