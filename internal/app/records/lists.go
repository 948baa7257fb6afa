package records

import (
	"codicil/core/field"
	"codicil/core/plan"
	"codicil/core/record"
	"codicil/core/rule"
	"codicil/internal/access"
	"codicil/internal/actor"
	"codicil/internal/app/judging"
	"codicil/internal/app/runs"
	"codicil/internal/cache"
	"codicil/internal/contract"
	"codicil/internal/fault"
	"codicil/internal/store"
	"codicil/internal/view"
	"context"
	"errors"
	"slices"
)

// Lists serves lists of records, and what is made of them.
type Lists struct {
	base *judging.Service
	runs *runs.Service
}

// mostLinks is how many records a person is offered at once.
const mostLinks = 20

// FindLinks returns records to choose from for a link.
func (s *Lists) FindLinks(ctx context.Context, kind, words, company string) ([]contract.LinkOption, error) {
	if err := access.Need(ctx, actor.RecordsRead); err != nil {
		return nil, err
	}
	m, err := s.base.Cache.Reference(ctx)
	if err != nil {
		return nil, err
	}
	if _, err := m.Kind(kind); err != nil {
		return nil, err
	}
	if err := access.Company(ctx, company); err != nil {
		return nil, err
	}
	l := s.base.Links(ctx, m, company)
	hits := l.Search(kind, words)
	return view.List(hits[:min(len(hits), mostLinks)], func(h judging.Hit) contract.LinkOption {
		return contract.LinkOption{Number: h.Number, Title: h.Title, About: h.About, Company: access.Shown(ctx, h.Company)}
	}), l.Err()
}

// nowhere is the key of no company: who sees none finds nothing.
const nowhere = "-"

// Selected makes a selection of the records that who asks may see ready, to go through them. Where a filter asks for a band, every
// record that is met is judged.
func (s *Lists) Selected(ctx context.Context, kind string, selection record.Selection, format *field.Format) (store.ListQuery, error) {
	_, q, _, err := s.query(ctx, contract.ListRequest{Kind: kind, Selection: selection, Format: format})
	return q, err
}

// query makes what a person asks of a list ready. Where a filter asks for a band, every record that is met is
// judged.
func (s *Lists) query(ctx context.Context, request contract.ListRequest) (ref *cache.Reference, q store.ListQuery, sorted *scales, err error) {
	ref, k, err := s.base.KindOf(ctx, request.Kind)
	if err != nil {
		return nil, q, nil, err
	}
	for _, column := range request.Columns {
		if k.Field(column) == nil {
			return nil, q, nil, fault.Bad(unknownColumn, k.Noun(), column)
		}
	}
	companies, none := access.Narrow(ctx, request.Selection.Companies)
	if none {
		companies = []string{nowhere}
	}
	request.Selection.Companies = companies
	selector, err := s.base.Selector(ctx, k, request.Selection, request.Format.OrPlain())
	if err != nil {
		return nil, q, nil, err
	}
	q = store.ListQuery{Selector: selector, Limit: 100, After: request.After, Offset: request.Offset}
	if request.Limit > 0 {
		q.Limit = request.Limit
	}
	if sorted, err = s.scales(ctx, ref, k); err != nil {
		return nil, q, nil, err
	}
	if sorted != nil && len(selector.Bands) > 0 {
		q.Bands = func(r *record.Record) map[string]string {
			bands := map[string]string{}
			for _, b := range sorted.of(r, selector.Bands) {
				bands[b.Column] = b.Band.Label
			}
			return bands
		}
	}
	return ref, q, sorted, nil
}

// List returns a page of a list.
func (s *Lists) List(ctx context.Context, request contract.ListRequest) (contract.RecordPage, error) {
	if err := access.NeedFor(ctx, request.Kind, actor.RecordsRead); err != nil {
		return contract.RecordPage{}, err
	}
	ref, q, sorted, err := s.query(ctx, request)
	if err != nil {
		return contract.RecordPage{}, err
	}
	found, err := s.base.Store.List(ctx, q)
	if errors.Is(err, store.ErrPlace) {
		return contract.RecordPage{}, fault.Bad(fault.NotAPlace, request.After)
	}
	if err != nil {
		return contract.RecordPage{}, err
	}
	page := contract.RecordPage{Total: found.Total, More: found.More, Next: found.Next, Rows: []contract.RecordRow{}}
	if page.All, err = s.base.Store.CountRecords(ctx, request.Kind, access.Scope(ctx)); err != nil {
		return page, err
	}
	links := s.base.Links(ctx, ref, "")
	shown := view.Viewer{Kind: q.Kind, Titles: links, Format: request.Format.OrPlain()}
	for i := range found.Rows {
		r := &found.Rows[i]
		shown.Company = ref.Company(r.Company)
		row := shown.Row(r, links.TitleOf(q.Kind, r.Values), request.Columns)
		if sorted != nil {
			row.Bands = sorted.of(r, request.Columns)
		}
		page.Rows = append(page.Rows, row)
	}
	return page, links.Err()
}

// Count tells how many records a list finds, exactly up to ten thousand. Cost: up to a look into every record of the kind.
func (s *Lists) Count(ctx context.Context, request contract.ListRequest) (contract.RecordCount, error) {
	if err := access.NeedFor(ctx, request.Kind, actor.RecordsRead); err != nil {
		return contract.RecordCount{}, err
	}
	request.After, request.Offset = "", 0 // all are counted, from wherever a page begins
	_, q, _, err := s.query(ctx, request)
	if err != nil {
		return contract.RecordCount{}, err
	}
	total, more, err := s.base.Store.CountListed(ctx, q)
	return contract.RecordCount{Total: total, More: more}, err
}

// scales sorts the numbers of saved records into their bands.
type scales struct {
	lists *Lists
	ctx   context.Context
	m     *cache.Reference
	book  *plan.Book
}

// scales returns what sorts the numbers of a kind; nil when no rule does.
func (s *Lists) scales(ctx context.Context, m *cache.Reference, k *record.Kind) (*scales, error) {
	book, err := s.base.Cache.Book(ctx, k.Key)
	if err != nil {
		return nil, err
	}
	if !slices.ContainsFunc(book.Rules, func(c *rule.Compiled) bool { return c.State == rule.InForce && len(c.Bounds) > 0 }) {
		return nil, nil
	}
	return &scales{s, ctx, m, book}, nil
}

// columns are those of the header whose numbers a rule in force sorts.
func (s *scales) columns(among []string) (sorted []string) {
	for _, column := range among {
		place := s.book.Vocabulary.Kind.Index(column)
		if slices.ContainsFunc(s.book.Rules, func(c *rule.Compiled) bool {
			return c.State == rule.InForce && len(c.Bounds) > 0 && c.Field == place
		}) {
			sorted = append(sorted, column)
		}
	}
	return sorted
}

// of returns the bands of a record's columns. A record that no longer fits its kind has none.
func (s *scales) of(r *record.Record, columns []string) (bands []contract.CellBand) {
	t, err := s.lists.base.Again(s.ctx, r)
	if err != nil {
		return nil
	}
	for _, column := range columns {
		place := t.Plan.Kind().Index(column)
		if place >= len(t.Judged.Outcome.Fields) {
			continue
		}
		if f := &t.Judged.Outcome.Fields[place]; f.Sorted != nil {
			bands = append(bands, contract.CellBand{Column: column, Band: f.Sorted.Effect.Bands[f.Band]})
		}
	}
	return bands
}
