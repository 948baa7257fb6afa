package desk

import (
	"cmp"
	"context"
	"slices"

	"codicil/core/record"
	"codicil/internal/store"
)

// naming knows which records name a record, by a link of the header or of a line, or as the
// one that they follow. It is read and changed under the desk's mutex.
type naming struct {
	masters *masters
	by      map[ref]map[ref]struct{}
}

// linksOf are the records that a record names, each once or more.
func linksOf(k *record.Kind, r *store.Record) (links []ref) {
	for i := range k.Fields {
		f := &k.Fields[i]
		if !f.IsLink() {
			continue
		}
		if !f.OfLine() {
			if number := r.Values[f.Key]; number != "" {
				links = append(links, ref{f.Kind, number})
			}
			continue
		}
		for _, line := range r.Lines {
			if number := line.Values[f.Column()]; number != "" {
				links = append(links, ref{f.Kind, number})
			}
		}
	}
	if r.OriginNumber != "" {
		links = append(links, ref{r.OriginKind, r.OriginNumber})
	}
	return links
}

func (n *naming) add(r *store.Record) {
	k, err := n.masters.kind(r.Kind)
	if err != nil {
		return
	}
	for _, to := range linksOf(k, r) {
		if n.by[to] == nil {
			n.by[to] = map[ref]struct{}{}
		}
		n.by[to][ref{r.Kind, r.Number}] = struct{}{}
	}
}

func (n *naming) remove(r *store.Record) {
	k, err := n.masters.kind(r.Kind)
	if err != nil {
		return
	}
	for _, to := range linksOf(k, r) {
		delete(n.by[to], ref{r.Kind, r.Number})
	}
}

// namedBy returns the records that name one, by kind and number. Cost: the records that do;
// and once, after kinds changed, all records.
func (d *Desk) namedBy(ctx context.Context, m *masters, at ref) ([]store.Record, error) {
	for i := range m.kinds {
		if _, err := d.shelf(ctx, m.kinds[i].Key); err != nil {
			return nil, err
		}
	}
	d.mutex.Lock()
	defer d.mutex.Unlock()
	if d.naming == nil || d.naming.masters != m {
		n := &naming{m, map[ref]map[ref]struct{}{}}
		for _, s := range d.shelves {
			for i := range s.rows {
				n.add(&s.rows[i])
			}
		}
		if d.masters == m {
			d.naming = n
		}
		return d.named(n, at), nil
	}
	return d.named(d.naming, at), nil
}

// named finds the records on their shelves. It is called under the mutex.
func (d *Desk) named(n *naming, at ref) (rows []store.Record) {
	for by := range n.by[at] {
		if s := d.shelves[by.kind]; s != nil {
			if r := s.find(by.number); r != nil {
				rows = append(rows, *r)
			}
		}
	}
	slices.SortFunc(rows, func(a, b store.Record) int {
		return cmp.Or(cmp.Compare(a.Kind, b.Kind), cmp.Compare(a.Number, b.Number))
	})
	return rows
}

// followers returns the records that follow the one with the number.
func (d *Desk) followers(ctx context.Context, m *masters, kind, number string) ([]store.Record, error) {
	rows, err := d.namedBy(ctx, m, ref{kind, number})
	return slices.DeleteFunc(rows, func(r store.Record) bool { return r.OriginKind != kind || r.OriginNumber != number }), err
}
