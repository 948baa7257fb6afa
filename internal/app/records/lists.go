package records

import (
	"codicil/core/plan"
	"codicil/core/record"
	"codicil/core/rule"
	"codicil/internal/app/judging"
	"codicil/internal/cache"
	"codicil/internal/contract"
	"codicil/internal/exchange"
	"codicil/internal/fault"
	"codicil/internal/view"
	"context"
	"slices"
	"strconv"
)

// mostLinks is how many records a person is offered at once.
const mostLinks = 20

// FindLinks returns records to choose from for a link.
func (s *Service) FindLinks(ctx context.Context, kind, words, company string) ([]contract.LinkOption, error) {
	m, err := s.base.Cache.Reference(ctx)
	if err != nil {
		return nil, err
	}
	if _, err := m.Kind(kind); err != nil {
		return nil, err
	}
	l := s.base.Links(ctx, m, company)
	hits := l.Search(kind, words)
	return view.List(hits[:min(len(hits), mostLinks)], func(h judging.Hit) contract.LinkOption {
		return contract.LinkOption{Number: h.Number, Title: h.Title, About: h.About, Company: h.Company}
	}), l.Err()
}

// selected returns the records that a list shows, in their order, and how many there are of the
// kind. Cost: the records of the kind.
func (s *Service) selected(ctx context.Context, request contract.ListRequest) (k *record.Kind, chosen []*record.Record, all int, err error) {
	ref, k, err := s.base.KindOf(ctx, request.Kind)
	if err != nil {
		return nil, nil, 0, err
	}
	for _, column := range request.Columns {
		if k.Field(column) == nil {
			return nil, nil, 0, fault.Bad(unknownColumn, k.Noun(), column)
		}
	}
	rows, err := s.base.Cache.Records.Each(ctx, request.Kind)
	if err != nil {
		return nil, nil, 0, err
	}
	var records []*record.Record
	var listed []record.Listed
	for r := range rows {
		records = append(records, r)
		listed = append(listed, record.Listed{Number: r.Number, Company: r.Company, Type: r.Type, State: r.State, Content: r.Content})
	}
	if err := s.sortInto(ctx, ref, k, records, listed, request.Selection.Filters); err != nil {
		return nil, nil, 0, err
	}
	places, wrong := record.Select(k, listed, request.Selection, request.Format.OrPlain())
	if wrong != nil {
		return nil, nil, 0, fault.Of(wrong.Notice)
	}
	return k, view.List(places, func(place int) *record.Record { return records[place] }), len(records), nil
}

// sortInto finds the bands of the records where a filter asks for one. Cost: judging every
// record of the kind.
func (s *Service) sortInto(ctx context.Context, m *cache.Reference, k *record.Kind, rows []*record.Record, listed []record.Listed, filters []record.Filter) error {
	var columns []string
	for _, f := range filters {
		if f.Relation == "in-band" && k.Field(f.Field) != nil {
			columns = append(columns, f.Field)
		}
	}
	if len(columns) == 0 {
		return nil
	}
	sorted, err := s.scales(ctx, m, k)
	if err != nil || sorted == nil {
		return err
	}
	for i, r := range rows {
		if err := ctx.Err(); err != nil {
			return err
		}
		listed[i].Bands = map[string]string{}
		for _, b := range sorted.of(r, columns) {
			listed[i].Bands[b.Column] = b.Band.Label
		}
	}
	return nil
}

// List returns a page of a list.
func (s *Service) List(ctx context.Context, request contract.ListRequest) (contract.RecordPage, error) {
	k, rows, all, err := s.selected(ctx, request)
	if err != nil {
		return contract.RecordPage{}, err
	}
	ref, err := s.base.Cache.Reference(ctx)
	if err != nil {
		return contract.RecordPage{}, err
	}
	limit := request.Limit
	if limit == 0 {
		limit = 100
	}
	first := min(request.Offset, len(rows))
	links := s.base.Links(ctx, ref, "")
	shown := view.Viewer{Kind: k, Titles: links, Format: request.Format.OrPlain()}
	sorted, err := s.scales(ctx, ref, k)
	if err != nil {
		return contract.RecordPage{}, err
	}
	page := contract.RecordPage{Total: len(rows), All: all, Rows: []contract.RecordRow{}}
	for _, r := range rows[first:min(first+limit, len(rows))] {
		shown.Company = ref.Company(r.Company)
		row := shown.Row(r, links.TitleOf(k, r.Values), request.Columns)
		if sorted != nil {
			row.Bands = sorted.of(r, request.Columns)
		}
		page.Rows = append(page.Rows, row)
	}
	return page, links.Err()
}

// scales sorts the numbers of saved records into their bands.
type scales struct {
	service *Service
	ctx     context.Context
	m       *cache.Reference
	book    *plan.Book
}

// scales returns what sorts the numbers of a kind; nil when no rule does.
func (s *Service) scales(ctx context.Context, m *cache.Reference, k *record.Kind) (*scales, error) {
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
	t, err := s.service.base.Again(s.ctx, r)
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

// Export returns a whole list as CSV, every value exact and the same for everybody.
// With a column of the lines it has a row for each line.
func (s *Service) Export(ctx context.Context, request contract.ListRequest) (string, error) {
	k, rows, _, err := s.selected(ctx, request)
	if err != nil {
		return "", err
	}
	columns := request.Columns
	if len(columns) == 0 {
		for i := range k.Headers() {
			columns = append(columns, k.Fields[i].Key)
		}
	}
	ofLines := slices.ContainsFunc(columns, func(c string) bool { return k.Field(c).OfLine() })
	head := []string{"number", "company", "type", "state"}
	if ofLines {
		head = append(head, "line")
	}
	m, err := s.base.Cache.Reference(ctx)
	if err != nil {
		return "", err
	}
	sorted, err := s.scales(ctx, m, k)
	if err != nil {
		return "", err
	}
	var banded []string // columns whose numbers a rule sorts
	if sorted != nil {
		banded = sorted.columns(columns)
	}
	head = append(head, columns...)
	for _, column := range banded {
		head = append(head, column+" band")
	}
	written := [][]string{head}
	for _, r := range rows {
		bands := map[string]string{}
		if len(banded) > 0 {
			if err := ctx.Err(); err != nil {
				return "", err
			}
			for _, b := range sorted.of(r, banded) {
				bands[b.Column] = b.Band.Label
			}
		}
		write := func(line int) {
			cells := []string{r.Number, r.Company, r.Type, r.State}
			if ofLines {
				cells = append(cells, strconv.Itoa(line))
			}
			for _, column := range columns {
				cells = append(cells, r.Content.Get(k.Field(column), line))
			}
			for _, column := range banded {
				cells = append(cells, bands[column])
			}
			written = append(written, cells)
		}
		if !ofLines {
			write(0)
			continue
		}
		for _, line := range r.Lines {
			write(line.Number)
		}
	}
	return exchange.WriteRows(written)
}
