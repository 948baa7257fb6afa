package desk

import (
	"cmp"
	"context"
	"slices"
	"strconv"
	"strings"

	"codicil/core/field"
	"codicil/core/plan"
	"codicil/core/record"
	"codicil/core/rule"
	"codicil/internal/contract"
	"codicil/internal/exchange"
	"codicil/internal/store"
)

// hit is a record that fits the words of a search.
type hit struct {
	rank  int // how well, 1 best
	title string
	about string
	*store.Record
}

// hits returns the records that fit the words, best first: those the company may
// name, by number first, then by name.
func (l *links) hits(kind, words string) []hit {
	k, err := l.masters.kind(kind)
	if err != nil {
		return nil
	}
	s, err := l.desk.shelf(l.ctx, kind)
	if err != nil {
		l.failed = err
		return nil
	}
	wanted := strings.Fields(strings.ToLower(words))
	var hits []hit
	for i := range s.rows {
		r := &s.rows[i]
		if !k.Shared && l.company != "" && r.Company != l.company {
			continue
		}
		h := hit{0, l.titleOf(k, r.Values), about(k, r), r}
		if h.rank = rankOf(wanted, strings.ToLower(r.Number), strings.ToLower(h.title), strings.ToLower(h.about)); h.rank > 0 {
			hits = append(hits, h)
		}
	}
	slices.SortStableFunc(hits, func(a, b hit) int { return cmp.Compare(a.rank, b.rank) })
	return hits
}

// rankOf ranks how well a record fits: 1 best, 0 not at all.
func rankOf(wanted []string, number, title, about string) int {
	whole := strings.Join(wanted, " ")
	switch {
	case number == whole:
		return 1
	case strings.HasPrefix(number, whole):
		return 2
	case strings.HasPrefix(title, whole):
		return 3
	}
	all := number + " " + title + " " + about
	for _, word := range wanted {
		if !strings.Contains(all, word) {
			return 0
		}
	}
	return 4
}

// about tells two records of one name apart.
func about(k *record.Kind, r *store.Record) string {
	var parts []string
	for i := range k.Fields {
		if f := &k.Fields[i]; f.Searched && !f.OfLine() && r.Values[f.Key] != "" {
			parts = append(parts, r.Values[f.Key])
		}
	}
	return strings.Join(parts, " · ")
}

// mostLinks is how many records a person is offered at once.
const mostLinks = 20

// FindLinks returns records to choose from for a link.
func (d *Desk) FindLinks(ctx context.Context, kind, words, company string) ([]contract.LinkOption, error) {
	m, err := d.master(ctx)
	if err != nil {
		return nil, err
	}
	if _, err := m.kind(kind); err != nil {
		return nil, err
	}
	l := d.links(ctx, m, company)
	hits := l.hits(kind, words)
	return list(hits[:min(len(hits), mostLinks)], func(h hit) contract.LinkOption {
		return contract.LinkOption{Number: h.Number, Title: h.title, About: h.about, Company: h.Company}
	}), l.failed
}

// selected returns the records that a list shows, in their order.
func (d *Desk) selected(ctx context.Context, request contract.ListRequest) (k *record.Kind, rows []store.Record, places []int, err error) {
	m, err := d.master(ctx)
	if err != nil {
		return nil, nil, nil, err
	}
	if k, err = m.kind(request.Kind); err != nil {
		return nil, nil, nil, err
	}
	for _, column := range request.Columns {
		if k.Field(column) == nil {
			return nil, nil, nil, invalid("unknown-field", "a %s has no field %q to show", k.Noun(), column)
		}
	}
	s, err := d.shelf(ctx, request.Kind)
	if err != nil {
		return nil, nil, nil, err
	}
	listed := make([]record.Listed, len(s.rows))
	for i := range s.rows {
		r := &s.rows[i]
		listed[i] = record.Listed{Number: r.Number, Company: r.Company, Type: r.Type, State: r.State, Content: r.Content()}
	}
	if err := d.sortInto(ctx, m, k, s.rows, listed, request.Selection.Filters); err != nil {
		return nil, nil, nil, err
	}
	places, wrong := record.Select(k, listed, request.Selection, formatOf(request.Format))
	if wrong != nil {
		return nil, nil, nil, invalid(wrong.Code, "%s", wrong)
	}
	return k, s.rows, places, nil
}

// sortInto finds the bands of the records where a filter asks for one. Cost: judging every
// record of the kind.
func (d *Desk) sortInto(ctx context.Context, m *masters, k *record.Kind, rows []store.Record, listed []record.Listed, filters []record.Filter) error {
	var columns []string
	for _, f := range filters {
		if f.Relation == "in-band" && k.Field(f.Field) != nil {
			columns = append(columns, f.Field)
		}
	}
	if len(columns) == 0 {
		return nil
	}
	sorted, err := d.scales(ctx, m, k)
	if err != nil || sorted == nil {
		return err
	}
	for i := range rows {
		if err := ctx.Err(); err != nil {
			return err
		}
		listed[i].Bands = map[string]string{}
		for _, b := range sorted.of(&rows[i], columns) {
			listed[i].Bands[b.Column] = b.Band.Label
		}
	}
	return nil
}

func formatOf(f *field.Format) field.Format {
	if f == nil || *f == (field.Format{}) {
		return field.Plain
	}
	return *f
}

// List returns a page of a list.
func (d *Desk) List(ctx context.Context, request contract.ListRequest) (contract.RecordPage, error) {
	k, rows, places, err := d.selected(ctx, request)
	if err != nil {
		return contract.RecordPage{}, err
	}
	m, err := d.master(ctx)
	if err != nil {
		return contract.RecordPage{}, err
	}
	limit := request.Limit
	if limit == 0 {
		limit = 100
	}
	first := min(request.Offset, len(places))
	links := d.links(ctx, m, "")
	shown := viewer{kind: k, links: links, format: formatOf(request.Format)}
	sorted, err := d.scales(ctx, m, k)
	if err != nil {
		return contract.RecordPage{}, err
	}
	page := contract.RecordPage{Total: len(places), All: len(rows), Rows: []contract.RecordRow{}}
	for _, place := range places[first:min(first+limit, len(places))] {
		r := &rows[place]
		row := contract.RecordRow{Number: r.Number, Company: r.Company, Type: r.Type, State: contract.RecordState(r.State), Title: links.titleOf(k, r.Values), Cells: []string{}}
		shown.company = m.company(r.Company)
		content := r.Content()
		for _, column := range request.Columns {
			row.Cells = append(row.Cells, shown.cell(&content, column))
		}
		if sorted != nil {
			row.Bands = sorted.of(r, request.Columns)
		}
		page.Rows = append(page.Rows, row)
	}
	return page, links.failed
}

// scales sorts the numbers of saved records into their bands.
type scales struct {
	desk *Desk
	ctx  context.Context
	m    *masters
	book *plan.Book
}

// scales returns what sorts the numbers of a kind; nil when no rule does.
func (d *Desk) scales(ctx context.Context, m *masters, k *record.Kind) (*scales, error) {
	book, err := d.book(ctx, k.Key)
	if err != nil {
		return nil, err
	}
	if !slices.ContainsFunc(book.Rules, func(c *rule.Compiled) bool { return c.State == rule.InForce && len(c.Bounds) > 0 }) {
		return nil, nil
	}
	return &scales{d, ctx, m, book}, nil
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
func (s *scales) of(r *store.Record, columns []string) (bands []contract.CellBand) {
	t, err := s.desk.again(s.ctx, r)
	if err != nil {
		return nil
	}
	for _, column := range columns {
		place := t.Plan.Kind().Index(column)
		if place >= len(t.Outcome.Fields) {
			continue
		}
		if f := &t.Outcome.Fields[place]; f.Sorted != nil {
			bands = append(bands, contract.CellBand{Column: column, Band: f.Sorted.Effect.Bands[f.Band]})
		}
	}
	return bands
}

// Export returns a whole list as CSV, every value exact and the same for everybody.
// With a column of the lines it has a row for each line.
func (d *Desk) Export(ctx context.Context, request contract.ListRequest) (string, error) {
	k, rows, places, err := d.selected(ctx, request)
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
	m, err := d.master(ctx)
	if err != nil {
		return "", err
	}
	sorted, err := d.scales(ctx, m, k)
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
	for _, place := range places {
		r := &rows[place]
		content := r.Content()
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
				cells = append(cells, content.Get(k.Field(column), line))
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
