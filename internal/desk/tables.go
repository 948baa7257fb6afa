package desk

import (
	"context"
	"fmt"
	"slices"
	"strings"

	"codicil/core/record"
	"codicil/core/rule"
	"codicil/core/table"
	"codicil/internal/contract"
	"codicil/internal/store"
)

// tablesWith is all that rules look up, with a change.
func (m *masters) tablesWith(change func(*table.Set)) *table.Set {
	next := &table.Set{Standing: slices.Clone(m.tables.Standing), Crosswalks: slices.Clone(m.tables.Crosswalks), Series: slices.Clone(m.tables.Series)}
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

// staySound refuses changed tables with which a rule would no longer be sound, and names
// the rules.
func (d *Desk) staySound(ctx context.Context, m *masters, what string, tables *table.Set) error {
	var uses []contract.Use
	for i := range m.kinds {
		book, err := d.book(ctx, m.kinds[i].Key)
		if err != nil {
			return err
		}
		vocabulary := rule.NewVocabulary(book.Vocabulary.Kind, m.kinds, tables)
		for _, c := range book.Rules {
			if c.State != rule.Retired && c.Sound() && !rule.Compile(c.Rule, vocabulary).Sound() {
				uses = append(uses, contract.Use{What: "rule", Key: fmt.Sprint(c.ID), Title: c.Name})
			}
		}
	}
	if len(uses) == 0 {
		return nil
	}
	return &Error{
		Reason: Conflict, Code: "in-use", Count: len(uses), Uses: uses[:min(len(uses), mostUses)],
		Detail: fmt.Sprintf("%s is used by %d rules, which could no longer run; change or retire them first", what, len(uses)),
	}
}

// refuse refuses a table with problems; they stand in the detail by row and column.
func refuse(problems []table.Problem) error {
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
	return &Error{Reason: Invalid, Code: "table-problems", Detail: text, Count: len(problems)}
}

func noProblems(problems []table.Problem) []table.Problem {
	if problems == nil {
		return []table.Problem{}
	}
	return problems
}

// Standing returns the standing values, with what should be known of them ahead.
func (d *Desk) Standing(ctx context.Context) ([]contract.StandingView, error) {
	m, err := d.master(ctx)
	if err != nil {
		return nil, err
	}
	return list(m.tables.Standing, func(s table.Standing) contract.StandingView { return d.viewStanding(m, s) }), nil
}

func (d *Desk) viewStanding(m *masters, s table.Standing) contract.StandingView {
	s.Periods = slices.Clone(s.Periods)
	view := contract.StandingView{Version: m.versions.VersionOf("standing", s.Field.Key), Problems: noProblems(s.Check()), Notices: []table.Notice{}}
	for i := range s.Periods {
		if p := &s.Periods[i]; p.Company != "" && m.company(p.Company) == nil {
			view.Problems = append(view.Problems, table.Problem{Row: i, Column: "company", Message: fmt.Sprintf("there is no company %q", p.Company)})
		}
	}
	if len(view.Problems) == 0 {
		view.Notices = append(view.Notices, s.Notices(list(m.companies, func(c record.Company) string { return c.Key }), d.today(nil))...)
	}
	if s.Periods == nil {
		s.Periods = []table.StandingValue{}
	}
	view.Standing = s
	return view
}

// CheckStanding says what is wrong with a standing value.
func (d *Desk) CheckStanding(ctx context.Context, s table.Standing) (contract.StandingView, error) {
	m, err := d.master(ctx)
	if err != nil {
		return contract.StandingView{}, err
	}
	d.meantIn(ctx, m, &s)
	return d.viewStanding(m, s), nil
}

// meantIn puts the numbers of records in place of what people call them.
func (d *Desk) meantIn(ctx context.Context, m *masters, s *table.Standing) {
	for i := range s.Periods {
		s.Periods[i].Value = d.meant(ctx, m, &s.Field, s.Periods[i].Value)
	}
}

// SaveStanding keeps a new or changed standing value.
func (d *Desk) SaveStanding(ctx context.Context, key string, change contract.StandingChange) (contract.StandingView, error) {
	m, err := d.master(ctx)
	if err != nil {
		return contract.StandingView{}, err
	}
	s := change.Standing
	s.Field.Key = key
	d.meantIn(ctx, m, &s)
	view := d.viewStanding(m, s)
	if err := refuse(view.Problems); err != nil {
		return view, err
	}
	with := func(t *table.Set) {
		t.Standing = put(t.Standing, func(o *table.Standing) bool { return o.Field.Key == key }, &s)
	}
	if err := d.writeTable(ctx, "the standing value "+s.Field.Label, with, func(tx *store.Store) error {
		return tx.SaveStanding(ctx, view.Standing, change.Version, d.clock(), d.user)
	}); err != nil {
		return view, d.kept(err)
	}
	if m, err = d.master(ctx); err != nil {
		return view, err
	}
	return d.viewStanding(m, view.Standing), nil
}

// kept explains why something could not be kept: one that is new may be there already.
func (d *Desk) kept(err error) error {
	if strings.Contains(err.Error(), "UNIQUE") {
		return conflict("key-taken", "there is one with this key already; choose another key")
	}
	return explain(err)
}

// DeleteStanding removes a standing value that no rule reads.
func (d *Desk) DeleteStanding(ctx context.Context, key string) error {
	return d.deleteLookup(ctx, "standing", key, "the standing value "+key, func(t *table.Set) {
		t.Standing = put(t.Standing, func(o *table.Standing) bool { return o.Field.Key == key }, nil)
	})
}

func (d *Desk) deleteLookup(ctx context.Context, what, key, named string, change func(*table.Set)) error {
	return d.writeTable(ctx, named, change, func(tx *store.Store) error { return tx.DeleteLookup(ctx, what, key, d.clock(), d.user) })
}

// writeTable writes a changed table with which all rules stay sound; that is checked at the
// head of the line, where no rule can change meanwhile.
func (d *Desk) writeTable(ctx context.Context, named string, change func(*table.Set), write func(tx *store.Store) error) error {
	return d.bookChange(ctx, func() (func(tx *store.Store) error, error) {
		m, err := d.master(ctx)
		if err != nil {
			return nil, err
		}
		return write, d.staySound(ctx, m, named, m.tablesWith(change))
	})
}
