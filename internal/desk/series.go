package desk

import (
	"context"
	"crypto/sha256"
	"fmt"
	"math/rand/v2"
	"slices"
	"strings"

	"codicil/core/record"
	"codicil/core/table"
	"codicil/internal/contract"
	"codicil/internal/store"
)

// numbers gives the next numbers of series to one document. Nothing is taken before the
// document is kept: see take.
type numbers struct {
	desk    *Desk
	ctx     context.Context
	counted map[string]int64 // the last count that was given, by name; nil: not read yet
	seed    string
	given   map[string]int64 // the last that this document got
	failed  error
}

// countName is where the counts of a series stand among those of the store.
func countName(s *table.Series, p table.Place) string { return "#" + s.Counts(p) }

// Next returns the next number of a series.
func (n *numbers) Next(s *table.Series, p table.Place) (string, error) {
	if n.counted == nil {
		n.given = map[string]int64{}
		if _, n.seed, n.failed = n.desk.version(n.ctx); n.failed != nil {
			return "", n.failed
		}
		if n.counted, n.failed = n.desk.store.Counted(n.ctx); n.failed != nil {
			return "", n.failed
		}
	}
	name := countName(s, p)
	last, here := n.given[name]
	if !here {
		last = n.counted[name]
	}
	next := s.Next(last)
	text, err := s.Format(next, p, drawn(n.seed, name, next))
	if err == nil {
		n.given[name] = next
	}
	return text, err
}

// drawn makes the random parts of one number: from a seed that nobody sees and the count, so
// that the number that is shown ahead is the one that will be given.
func drawn(seed, name string, count int64) func(int64) int64 {
	source := rand.New(rand.NewChaCha8(sha256.Sum256([]byte(fmt.Sprintf("%s\x00%s\x00%d", seed, name, count)))))
	return source.Int64N
}

// counts are the last counts before those that the document got, by name.
func (n *numbers) counts() map[string]int64 {
	before := map[string]int64{}
	for name := range n.given {
		before[name] = n.counted[name]
	}
	return before
}

// take takes the numbers that the document got, in the transaction that keeps it.
func (n *numbers) take(ctx context.Context, tx *store.Store) error {
	for name, last := range n.given {
		if err := tx.Count(ctx, name, n.counted[name], last); err != nil {
			return err
		}
	}
	return nil
}

// numbering returns how the records of a kind, company and type get their numbers: by the
// series that was designed for them, or else by the plain one of the kind. seed is for the
// random parts.
func (m *masters) numbering(kind *record.Kind, p table.Place, seed string) store.Numbering {
	for i := range m.tables.Series {
		s := &m.tables.Series[i]
		if !s.Numbers.Covers(kind.Key, p.Company, p.Type) {
			continue
		}
		name := countName(s, p)
		return store.Numbering{Name: name, Next: s.Next, Format: func(count int64) (string, error) {
			text, err := s.Format(count, p, drawn(seed, name, count))
			if err != nil {
				err = conflict("exhausted", "%v", err)
			}
			return text, err
		}}
	}
	return store.Numbering{
		Name: kind.Key + "/" + p.Company, Next: func(last int64) int64 { return last + 1 },
		Format: func(count int64) (string, error) {
			return fmt.Sprintf("%s%s%0*d", kind.Prefix, p.Company, kind.Digits, count), nil
		},
	}
}

// previewed is how many numbers are shown ahead.
const previewed = 4

func (d *Desk) viewSeries(ctx context.Context, m *masters, s table.Series) (contract.SeriesView, error) {
	view := contract.SeriesView{Version: m.versions.VersionOf("series", s.Key), Problems: noProblems(s.Check()), Counts: []contract.SeriesCount{}}
	if s.Parts == nil {
		s.Parts = []table.Part{}
	}
	view.Series = s
	if n := s.Numbers; n != nil {
		if problem := m.numbered(n); problem != "" {
			view.Problems = append(view.Problems, table.Problem{Row: -1, Column: "numbers", Message: problem})
		}
		for i := range m.tables.Series {
			if other := &m.tables.Series[i]; other.Key != s.Key && n.Overlaps(other.Numbers) {
				view.Problems = append(view.Problems, table.Problem{Row: -1, Column: "numbers", Message: "the series " + other.Label + " numbers some of these records already; choose other companies or types"})
			}
		}
	}
	counted, err := d.store.Counted(ctx)
	if err != nil || len(view.Problems) > 0 {
		return view, err
	}
	_, seed, err := d.version(ctx)
	if err != nil {
		return view, err
	}
	companyLength, typeLength := 0, 0
	for _, c := range m.companies {
		companyLength = max(companyLength, len(c.Key))
	}
	for _, types := range m.types {
		for _, t := range types {
			typeLength = max(typeLength, len(t.Key))
		}
	}
	view.Longest = s.Longest(companyLength, typeLength)
	for i := range m.companies {
		key := m.companies[i].Key
		if n := s.Numbers; n != nil && len(n.Companies) > 0 && !slices.Contains(n.Companies, key) {
			continue
		}
		p := table.Place{Company: key, Type: m.someType(s.Numbers), Day: d.today(&m.companies[i])}
		name := countName(&s, p)
		count := contract.SeriesCount{Company: key, Last: counted[name], Next: []string{}}
		if !s.ByCompany {
			count.Company = ""
		}
		last := count.Last
		for range previewed {
			last = s.Next(last)
			number, err := s.Format(last, p, drawn(seed, name, last))
			if err != nil {
				break
			}
			count.Next = append(count.Next, number)
		}
		count.Left, count.Notice = s.Left(count.Last), s.Notice(count.Last, count.Company)
		view.Counts = append(view.Counts, count)
		if !s.ByCompany {
			break
		}
	}
	return view, nil
}

// someType is a type to show numbers for: one that the series is for.
func (m *masters) someType(n *table.Numbered) string {
	if n == nil {
		return "XX"
	}
	if len(n.Types) > 0 {
		return n.Types[0]
	}
	if types := m.types[n.Kind]; len(types) > 0 {
		return types[0].Key
	}
	return "XX"
}

// numbered says what is wrong with the records that a series is to number.
func (m *masters) numbered(n *table.Numbered) string {
	kind, err := m.kind(n.Kind)
	if err != nil {
		return err.Error()
	}
	for _, key := range n.Companies {
		if m.company(key) == nil {
			return fmt.Sprintf("there is no company %q", key)
		}
	}
	for _, key := range n.Types {
		if m.kindType(n.Kind, key) == nil {
			return fmt.Sprintf("there is no %s %q", strings.ToLower(kind.TypeLabel), key)
		}
	}
	return ""
}

// SeriesList returns the number series, with their next numbers.
func (d *Desk) SeriesList(ctx context.Context) ([]contract.SeriesView, error) {
	m, err := d.master(ctx)
	if err != nil {
		return nil, err
	}
	views := make([]contract.SeriesView, len(m.tables.Series))
	for i, s := range m.tables.Series {
		if views[i], err = d.viewSeries(ctx, m, s); err != nil {
			return nil, err
		}
	}
	return views, nil
}

// PreviewSeries shows the numbers that a series would give. Nothing is kept.
func (d *Desk) PreviewSeries(ctx context.Context, s table.Series) (contract.SeriesView, error) {
	m, err := d.master(ctx)
	if err != nil {
		return contract.SeriesView{}, err
	}
	return d.viewSeries(ctx, m, s)
}

// SaveSeries keeps a new or changed number series. It goes on counting where it was.
func (d *Desk) SaveSeries(ctx context.Context, key string, change contract.SeriesChange) (contract.SeriesView, error) {
	m, err := d.master(ctx)
	if err != nil {
		return contract.SeriesView{}, err
	}
	s := change.Series
	s.Key = key
	view, err := d.viewSeries(ctx, m, s)
	if err == nil {
		err = refuse(view.Problems)
	}
	if err != nil {
		return view, err
	}
	with := func(t *table.Set) {
		t.Series = put(t.Series, func(o *table.Series) bool { return o.Key == key }, &s)
	}
	if err := d.writeTable(ctx, "the number series "+s.Label, with, func(tx *store.Store) error { return tx.SaveSeries(ctx, view.Series, change.Version, d.clock(), d.user) }); err != nil {
		return view, d.kept(err)
	}
	if m, err = d.master(ctx); err != nil {
		return view, err
	}
	return d.viewSeries(ctx, m, view.Series)
}

// DeleteSeries removes a number series that no rule uses.
func (d *Desk) DeleteSeries(ctx context.Context, key string) error {
	return d.deleteLookup(ctx, "series", key, "the number series "+key, func(t *table.Set) {
		t.Series = put(t.Series, func(o *table.Series) bool { return o.Key == key }, nil)
	})
}
