// Package tables keeps what rules look up: standing values, crosswalks and number series.
//
// It must never know how a document uses them. Start reading at Service.
package tables

import (
	"codicil/core/record"
	"codicil/core/table"
	"codicil/internal/access"
	"codicil/internal/actor"
	"codicil/internal/app/judging"
	"codicil/internal/app/rules"
	"codicil/internal/cache"
	"codicil/internal/contract"
	"codicil/internal/fault"
	"codicil/internal/store"
	"codicil/internal/view"
	"context"
	"fmt"
	"slices"
)

// Service serves these use cases.
type Service struct {
	base  *judging.Service
	rules *rules.Service
}

// New returns the use cases; the rules are asked whether they stay sound.
func New(j *judging.Service, r *rules.Service) *Service { return &Service{j, r} }

// with is all that rules look up, with a change.
func with(m *cache.Reference, change func(*table.Set)) *table.Set {
	next := &table.Set{Standing: slices.Clone(m.Tables.Standing), Crosswalks: slices.Clone(m.Tables.Crosswalks), Series: slices.Clone(m.Tables.Series), Lists: slices.Clone(m.Tables.Lists)}
	change(next)
	return next
}

// put replaces the item that is the same, or adds it; a nil item is removed.
func put[T any](list []T, same func(*T) bool, item *T) []T {
	i := slices.IndexFunc(list, func(t T) bool { return same(&t) })
	switch {
	case i < 0 && item == nil:
		return list
	case i < 0:
		return append(list, *item)
	case item == nil:
		return slices.Delete(list, i, i+1)
	}
	list[i] = *item
	return list
}

// Refuse refuses a table with problems; they stand in the detail by row and column.
func Refuse(problems []table.Problem) error {
	if len(problems) == 0 {
		return nil
	}
	p := problems[0]
	text := p.Message
	if p.Row >= 0 {
		text = fmt.Sprintf("row %d: %s", p.Row+1, p.Message)
	}
	if len(problems) > 1 {
		text += fmt.Sprintf(" (and %d more)", len(problems)-1)
	}
	refused := fault.Bad(tableProblems, text)
	refused.Count = len(problems)
	return refused
}

// Problems are none where there are none: an empty list, not null.
func Problems(problems []table.Problem) []table.Problem {
	if problems == nil {
		return []table.Problem{}
	}
	return problems
}

// Standing returns the standing values, with what should be known of them ahead.
func (t *Service) Standing(ctx context.Context) ([]contract.StandingView, error) {
	if err := access.Need(ctx, actor.RulesRead); err != nil {
		return nil, err
	}
	m, err := t.base.Cache.Seen(ctx)
	if err != nil {
		return nil, err
	}
	return view.List(m.Tables.Standing, func(s table.Standing) contract.StandingView { return t.viewStanding(ctx, m, s) }), nil
}

func (t *Service) viewStanding(ctx context.Context, m *cache.Reference, s table.Standing) contract.StandingView {
	s.Periods = slices.Clone(s.Periods)
	m.Tables.ChooseOne(&s.Field)
	shown := contract.StandingView{Version: m.TableVersion("standing", s.Field.Key), Problems: Problems(s.Check()), Notices: []table.Notice{}}
	for i := range s.Periods {
		if p := &s.Periods[i]; p.Company != "" && m.Company(p.Company) == nil {
			shown.Problems = append(shown.Problems, table.ProblemOf(i, "company", fault.UnknownCompany.With(p.Company)))
		}
	}
	if len(shown.Problems) == 0 {
		shown.Notices = append(shown.Notices, s.Notices(view.List(m.Companies, func(c record.Company) string { return c.Key }), t.base.Today(nil), view.Days(actor.Of(ctx).Format))...)
	}
	if s.Periods == nil {
		s.Periods = []table.StandingValue{}
	}
	if s.Field.List != "" {
		s.Field.Choices = nil
	}
	shown.Standing = s
	return shown
}

// CheckStanding says what is wrong with a standing value.
func (t *Service) CheckStanding(ctx context.Context, s table.Standing) (contract.StandingView, error) {
	if err := access.Need(ctx, actor.RulesRead); err != nil {
		return contract.StandingView{}, err
	}
	m, err := t.base.Cache.Seen(ctx)
	if err != nil {
		return contract.StandingView{}, err
	}
	t.meantIn(ctx, m, &s)
	return t.viewStanding(ctx, m, s), nil
}

// meantIn puts the numbers of records in place of what people call them.
func (t *Service) meantIn(ctx context.Context, m *cache.Reference, s *table.Standing) {
	for i := range s.Periods {
		s.Periods[i].Value = t.base.Links(ctx, m, "").Meant(&s.Field, s.Periods[i].Value)
	}
}

// SaveStanding keeps a new or changed standing value.
func (t *Service) SaveStanding(ctx context.Context, key string, request contract.StandingChange) (contract.StandingView, error) {
	if err := access.Need(ctx, actor.TablesChange); err != nil {
		return contract.StandingView{}, err
	}
	if err := access.Companies(ctx, nil); err != nil {
		return contract.StandingView{}, err
	}
	m, err := t.base.Cache.Reference(ctx)
	if err != nil {
		return contract.StandingView{}, err
	}
	s := request.Standing
	s.Field.Key = key
	t.meantIn(ctx, m, &s)
	shown := t.viewStanding(ctx, m, s)
	if err := Refuse(shown.Problems); err != nil {
		return shown, err
	}
	change := func(t *table.Set) {
		t.Standing = put(t.Standing, func(o *table.Standing) bool { return o.Field.Key == key }, &s)
	}
	if err := t.writeTable(ctx, "the standing value "+s.Field.Label, change, func(tx *store.Store, by record.Stamp) error {
		return tx.SaveStanding(ctx, shown.Standing, request.Version, by)
	}); err != nil {
		return shown, err
	}
	if m, err = t.base.Cache.Reference(ctx); err != nil {
		return shown, err
	}
	return t.viewStanding(ctx, m, shown.Standing), nil
}

// DeleteStanding removes a standing value that no rule reads.
func (t *Service) DeleteStanding(ctx context.Context, key string) error {
	if err := access.Need(ctx, actor.TablesChange); err != nil {
		return err
	}
	if err := access.Companies(ctx, nil); err != nil {
		return err
	}
	return t.deleteLookup(ctx, "standing", key, "the standing value "+key, func(t *table.Set) {
		t.Standing = put(t.Standing, func(o *table.Standing) bool { return o.Field.Key == key }, nil)
	})
}

func (t *Service) deleteLookup(ctx context.Context, what, key, named string, change func(*table.Set)) error {
	return t.writeTable(ctx, named, change, func(tx *store.Store, by record.Stamp) error { return tx.DeleteLookup(ctx, what, key, by) })
}

// writeTable writes a changed table with which all rules stay sound; that is checked at the
// head of the line, where no rule can change meanwhile.
func (t *Service) writeTable(ctx context.Context, named string, change func(*table.Set), write func(tx *store.Store, by record.Stamp) error) error {
	return t.base.Line.Book(ctx, func() (func(tx *store.Store, by record.Stamp) error, error) {
		ref, err := t.base.Cache.Reference(ctx)
		if err != nil {
			return nil, err
		}
		unsound, err := t.rules.Unsound(ctx, ref.Kinds, with(ref, change))
		if err != nil {
			return nil, err
		}
		if len(unsound) > 0 {
			return nil, fault.Hindered(tableInUse, named, len(unsound)).With(rules.Uses(unsound))
		}
		return write, nil
	})
}
