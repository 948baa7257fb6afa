package tables

import (
	"codicil/core/notice"
	"codicil/core/record"
	"codicil/core/table"
	"codicil/internal/access"
	"codicil/internal/actor"
	"codicil/internal/app/judging"
	"codicil/internal/cache"
	"codicil/internal/contract"
	"codicil/internal/fault"
	"codicil/internal/store"
	"context"
	"slices"
	"strings"
)

// previewed is how many numbers are shown ahead.
const previewed = 4

func (t *Service) viewSeries(ctx context.Context, m *cache.Reference, s table.Series) (contract.SeriesView, error) {
	shown := contract.SeriesView{Version: m.TableVersion("series", s.Key), Problems: Problems(s.Check()), Counts: []contract.SeriesCount{}}
	if s.Parts == nil {
		s.Parts = []table.Part{}
	}
	shown.Series = s
	if n := s.Numbers; n != nil {
		if wrong, is := numbered(m, n); is {
			shown.Problems = append(shown.Problems, table.ProblemOf(-1, "numbers", wrong))
		}
		for i := range m.Tables.Series {
			if other := &m.Tables.Series[i]; other.Key != s.Key && n.Overlaps(other.Numbers) {
				shown.Problems = append(shown.Problems, table.ProblemOf(-1, "numbers", numberedTwice.With(other.Label)))
			}
		}
	}
	counted, err := t.base.Store.Counted(ctx)
	if err != nil || len(shown.Problems) > 0 {
		return shown, err
	}
	_, seed, err := t.base.Cache.Version(ctx)
	if err != nil {
		return shown, err
	}
	companyLength, typeLength := 0, 0
	for _, c := range m.Companies {
		companyLength = max(companyLength, len(c.Key))
	}
	for _, types := range m.Types {
		for _, t := range types {
			typeLength = max(typeLength, len(t.Key))
		}
	}
	shown.Longest = s.Longest(companyLength, typeLength)
	for i := range m.Companies {
		key := m.Companies[i].Key
		if n := s.Numbers; n != nil && len(n.Companies) > 0 && !slices.Contains(n.Companies, key) {
			continue
		}
		p := table.Place{Company: key, Type: someType(m, s.Numbers), Day: t.base.Today(&m.Companies[i])}
		name := judging.CountName(&s, p)
		count := contract.SeriesCount{Company: key, Last: counted[name], Next: []string{}}
		if !s.ByCompany {
			count.Company = ""
		}
		last := count.Last
		for range previewed {
			last = s.Next(last)
			number, err := s.Format(last, p, judging.Drawn(seed, name, last))
			if err != nil {
				break
			}
			count.Next = append(count.Next, number)
		}
		count.Left, count.Notice = s.Left(count.Last), s.Notice(count.Last, count.Company)
		shown.Counts = append(shown.Counts, count)
		if !s.ByCompany {
			break
		}
	}
	return shown, nil
}

// someType is a type to show numbers for: one that the series is for.
func someType(m *cache.Reference, n *table.Numbered) string {
	if n == nil {
		return "XX"
	}
	if len(n.Types) > 0 {
		return n.Types[0]
	}
	if types := m.Types[n.Kind]; len(types) > 0 {
		return types[0].Key
	}
	return "XX"
}

// numbered says what is wrong with the records that a series is to number, if anything is.
func numbered(m *cache.Reference, n *table.Numbered) (wrong notice.Notice, is bool) {
	kind, err := m.Kind(n.Kind)
	if err != nil {
		return fault.UnknownKind.With(n.Kind), true
	}
	for _, key := range n.Companies {
		if m.Company(key) == nil {
			return fault.UnknownCompany.With(key), true
		}
	}
	for _, key := range n.Types {
		if m.Type(n.Kind, key) == nil {
			return noTypeToNumber.With(strings.ToLower(kind.TypeLabel), key), true
		}
	}
	return wrong, false
}

// SeriesList returns the number series, with their next numbers.
func (t *Service) SeriesList(ctx context.Context) ([]contract.SeriesView, error) {
	if err := access.Need(ctx, actor.RulesRead); err != nil {
		return nil, err
	}
	m, err := t.base.Cache.Seen(ctx)
	if err != nil {
		return nil, err
	}
	views := make([]contract.SeriesView, len(m.Tables.Series))
	for i, s := range m.Tables.Series {
		if views[i], err = t.viewSeries(ctx, m, s); err != nil {
			return nil, err
		}
	}
	return views, nil
}

// PreviewSeries shows the numbers that a series would give. Nothing is kept.
func (t *Service) PreviewSeries(ctx context.Context, s table.Series) (contract.SeriesView, error) {
	if err := access.Need(ctx, actor.RulesRead); err != nil {
		return contract.SeriesView{}, err
	}
	m, err := t.base.Cache.Seen(ctx)
	if err != nil {
		return contract.SeriesView{}, err
	}
	return t.viewSeries(ctx, m, s)
}

// SaveSeries keeps a new or changed number series. It goes on counting where it was.
func (t *Service) SaveSeries(ctx context.Context, key string, request contract.SeriesChange) (contract.SeriesView, error) {
	if err := access.Need(ctx, actor.TablesChange); err != nil {
		return contract.SeriesView{}, err
	}
	if err := access.Companies(ctx, nil); err != nil {
		return contract.SeriesView{}, err
	}
	m, err := t.base.Cache.Reference(ctx)
	if err != nil {
		return contract.SeriesView{}, err
	}
	s := request.Series
	s.Key = key
	shown, err := t.viewSeries(ctx, m, s)
	if err == nil {
		err = Refuse(shown.Problems)
	}
	if err != nil {
		return shown, err
	}
	change := func(t *table.Set) {
		t.Series = put(t.Series, func(o *table.Series) bool { return o.Key == key }, &s)
	}
	if err := t.writeTable(ctx, "the number series "+s.Label, change, func(tx *store.Store, by record.Stamp) error {
		return tx.SaveSeries(ctx, shown.Series, request.Version, by)
	}); err != nil {
		return shown, err
	}
	if m, err = t.base.Cache.Reference(ctx); err != nil {
		return shown, err
	}
	return t.viewSeries(ctx, m, shown.Series)
}

// DeleteSeries removes a number series that no rule uses.
func (t *Service) DeleteSeries(ctx context.Context, key string) error {
	if err := access.Need(ctx, actor.TablesChange); err != nil {
		return err
	}
	if err := access.Companies(ctx, nil); err != nil {
		return err
	}
	return t.deleteLookup(ctx, "series", key, "the number series "+key, func(t *table.Set) {
		t.Series = put(t.Series, func(o *table.Series) bool { return o.Key == key }, nil)
	})
}
