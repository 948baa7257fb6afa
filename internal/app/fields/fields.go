// Package fields adds fields to kinds, changes and removes them.
//
// It must never know how rules or proofs are kept: what uses a field it asks of their own use
// cases. Start reading at Service.
package fields

import (
	"codicil/core/field"
	"codicil/core/record"
	"codicil/core/rule"
	"codicil/internal/access"
	"codicil/internal/actor"
	"codicil/internal/app/commit"
	"codicil/internal/app/judging"
	"codicil/internal/app/rules"
	"codicil/internal/cache"
	"codicil/internal/contract"
	"codicil/internal/fault"
	"codicil/internal/store"
	"codicil/internal/view"
	"context"
	"slices"
	"strings"
)

// Service serves these use cases.
type Service struct {
	base  *judging.Service
	rules *rules.Service
	users []Users
}

// Users tells what uses a field.
type Users interface {
	OfField(ctx context.Context, kind *record.Kind, key string) ([]fault.Use, error)
}

// New returns the use cases; users are all that may use a field.
func New(j *judging.Service, r *rules.Service, users ...Users) *Service {
	return &Service{j, r, users}
}

// Add adds a field to a kind, for all companies.
func (s *Service) Add(ctx context.Context, kindKey string, f field.Field) (field.Field, error) {
	if err := access.Need(ctx, actor.SetupChange); err != nil {
		return field.Field{}, err
	}
	if err := access.Companies(ctx, nil); err != nil { // a field is one of all companies
		return field.Field{}, err
	}
	err := s.base.Line.Book(ctx, func() (func(tx *store.Store, by record.Stamp) error, error) {
		ref, kind, err := s.base.KindOf(ctx, kindKey)
		if err != nil {
			return nil, err
		}
		if err := checkField(ref, kind, &f); err != nil {
			return nil, err
		}
		if kind.Field(f.Key) != nil {
			return nil, fault.Hindered(keyTakenField, kind.Noun(), f.Key)
		}
		added, err := s.base.Store.AddedFields(ctx, kindKey)
		if err != nil {
			return nil, err
		}
		if slices.ContainsFunc(added, func(a store.AddedField) bool { return a.Key == f.Key }) {
			return nil, fault.Hindered(keyRemoved, f.Key)
		}
		return func(tx *store.Store, by record.Stamp) error { return tx.SaveField(ctx, kindKey, f, by) }, nil
	})
	return f, err
}

// checkField refuses a field that cannot be one of the kind, and completes it.
func checkField(m *cache.Reference, kind *record.Kind, f *field.Field) error {
	f.Added, f.Label = true, strings.TrimSpace(f.Label)
	if f.OfLine() {
		f.Section = record.LineSection
	}
	m.Tables.ChooseOne(f)
	linked, _ := m.Kind(f.Kind)
	switch {
	case !field.IsKey(f.Column()):
		return fault.Bad(notAFieldKey, f.Column())
	case f.OfLine() && !slices.ContainsFunc(kind.Sections, func(s record.Section) bool { return s.Key == record.LineSection }):
		return fault.Bad(noLines, kind.Noun())
	case !slices.ContainsFunc(kind.Sections, func(s record.Section) bool { return s.Key == f.Section && (s.Key == record.LineSection) == f.OfLine() }):
		return fault.Bad(unknownSection)
	case f.IsLink() && linked == nil:
		return fault.Bad(noLinkedKind)
	}
	if wrong := f.Sound(); wrong != nil {
		return fault.Of(wrong.Notice)
	}
	for _, beside := range []string{f.Currency, f.Unit, f.Country} {
		if beside != "" && kind.Field(beside) == nil && (!f.OfLine() || kind.Field(field.LinePrefix+beside) == nil) {
			return fault.Bad(unknownBeside, kind.Noun(), beside)
		}
	}
	return nil
}

// addedField returns the kind of an added field; a standard one may not be changed.
func (s *Service) addedField(ctx context.Context, kindKey, key string) (*cache.Reference, *record.Kind, error) {
	m, kind, err := s.base.KindOf(ctx, kindKey)
	if err != nil {
		return nil, nil, err
	}
	f := kind.Field(key)
	switch {
	case f == nil:
		return nil, nil, fault.Missing("field %s", key)
	case !f.Added:
		return nil, nil, fault.Hindered(standardField, f.Label)
	}
	return m, kind, nil
}

// Check tells which saved values would not fit a changed field.
func (s *Service) Check(ctx context.Context, kindKey, key string, f field.Field) (contract.FieldCheck, error) {
	if err := access.Need(ctx, actor.RulesRead); err != nil {
		return contract.FieldCheck{}, err
	}
	if err := access.Companies(ctx, nil); err != nil { // a field is one of all companies
		return contract.FieldCheck{}, err
	}
	return s.check(ctx, kindKey, key, f, 0)
}

// check is Check of the records that were written after an entry of the trail; 0: of all.
func (s *Service) check(ctx context.Context, kindKey, key string, f field.Field, since int64) (contract.FieldCheck, error) {
	check := contract.FieldCheck{Examples: []contract.FieldMisfit{}}
	m, kind, err := s.addedField(ctx, kindKey, key)
	if err != nil {
		return check, err
	}
	f.Key = key
	if err := checkField(m, kind, &f); err != nil {
		return check, err
	}
	records := s.base.Store.RecordValues(ctx, kindKey, []string{f.Key})
	if since > 0 {
		records = s.base.Store.RecordsSince(ctx, kindKey, since)
	}
	for r, err := range records {
		if err != nil {
			return check, err
		}
		content := &r.Content
		for _, line := range linesWith(&f, r) {
			text := content.Get(&f, line)
			if text == "" {
				continue
			}
			check.Values++
			v, wrong := f.Parse(text)
			if wrong == nil {
				_, wrong = f.Settle(v, m.Company(r.Company).Surroundings(""))
			}
			why := ""
			if wrong != nil {
				why = wrong.String()
			}
			if f.IsLink() && wrong == nil {
				why = s.base.Links(ctx, m, r.Company).Missing(f.Kind, text)
			}
			if why == "" {
				continue
			}
			if check.Misfits++; len(check.Examples) < fault.MostUses {
				check.Examples = append(check.Examples, contract.FieldMisfit{Number: r.Number, Line: line, Value: text, Message: why})
			}
		}
	}
	return check, nil
}

// linesWith returns the numbers of the lines that may hold the field; 0 for the header.
func linesWith(f *field.Field, r *record.Record) []int {
	if !f.OfLine() {
		return []int{0}
	}
	return view.List(r.Lines, func(l record.Line) int { return l.Number })
}

// Change changes an added field, if all saved values fit it.
func (s *Service) Change(ctx context.Context, kindKey, key string, f field.Field) (field.Field, error) {
	if err := access.Need(ctx, actor.SetupChange); err != nil {
		return field.Field{}, err
	}
	if err := access.Companies(ctx, nil); err != nil { // a field is one of all companies
		return field.Field{}, err
	}
	err := s.base.Line.BookLooking(ctx, func(since int64) commit.Definition {
		return func() (write func(tx *store.Store, by record.Stamp) error, err error) {
			f, err = s.mayChangeField(ctx, kindKey, key, f, since)
			return func(tx *store.Store, by record.Stamp) error { return tx.SaveField(ctx, kindKey, f, by) }, err
		}
	})
	return f, err
}

func (s *Service) mayChangeField(ctx context.Context, kindKey, key string, f field.Field, since int64) (field.Field, error) {
	m, kind, err := s.addedField(ctx, kindKey, key)
	if err != nil {
		return f, err
	}
	f.Key, f.Personal = key, kind.Field(key).Personal // which is said by itself
	if err := checkField(m, kind, &f); err != nil {
		return f, err
	}
	check, err := s.check(ctx, kindKey, key, f, since)
	if err != nil {
		return f, err
	}
	if check.Misfits > 0 {
		refused := fault.Hindered(valuesMisfit, check.Misfits, check.Values, check.Examples[0].Number, check.Examples[0].Message)
		refused.Count = check.Misfits
		return f, refused
	}
	if since > 0 { // the rules are as they were when they were asked
		return f, nil
	}
	// Rules of other kinds may read the field through a link.
	kinds := slices.Clone(m.Kinds)
	changed := &kinds[slices.IndexFunc(kinds, func(k record.Kind) bool { return k.Key == kind.Key })]
	changed.Fields = slices.Clone(kind.Fields)
	changed.Fields[kind.Index(f.Key)] = f
	unsound, err := s.rules.Unsound(ctx, kinds, m.Tables)
	if err != nil {
		return f, err
	}
	unsound = slices.DeleteFunc(unsound, func(r rule.Rule) bool { return r.State != rule.InForce })
	if len(unsound) > 0 {
		return f, fault.Hindered(rulesMisfit, len(unsound)).With(rules.Uses(unsound))
	}
	return f, nil
}

// Uses returns what uses a field: values, rules, proofs, layouts, maps.
func (s *Service) Uses(ctx context.Context, kindKey, key string) (contract.FieldUses, error) {
	if err := access.Need(ctx, actor.RulesRead); err != nil {
		return contract.FieldUses{}, err
	}
	if err := access.Companies(ctx, nil); err != nil { // a field is one of all companies
		return contract.FieldUses{}, err
	}
	uses := contract.FieldUses{Uses: []fault.Use{}}
	_, kind, err := s.base.KindOf(ctx, kindKey)
	if err != nil {
		return uses, err
	}
	f := kind.Field(key)
	if f == nil {
		return uses, fault.Missing("field %s", key)
	}
	counts, err := s.valuesOf(ctx, kindKey, f)
	if err != nil {
		return uses, err
	}
	uses.Values = counts[0]
	uses.Uses, err = s.fieldUses(ctx, kindKey, key)
	return uses, err
}

// valuesOf counts the records that hold a value of each of some fields. Cost: all records of the kind, once.
func (s *Service) valuesOf(ctx context.Context, kindKey string, fields ...*field.Field) ([]int, error) {
	counts := make([]int, len(fields))
	if len(fields) == 0 {
		return counts, nil
	}
	keys := view.List(fields, func(f *field.Field) string { return f.Key })
	for r, err := range s.base.Store.RecordValues(ctx, kindKey, keys) {
		if err != nil {
			return nil, err
		}
		for i, f := range fields {
			if slices.ContainsFunc(linesWith(f, r), func(line int) bool { return r.Content.Get(f, line) != "" }) {
				counts[i]++
			}
		}
	}
	return counts, nil
}

func (s *Service) fieldUses(ctx context.Context, kindKey, key string) ([]fault.Use, error) {
	uses := []fault.Use{}
	_, kind, err := s.base.KindOf(ctx, kindKey)
	if err != nil {
		return nil, err
	}
	for _, u := range s.users {
		more, err := u.OfField(ctx, kind, key)
		if err != nil {
			return nil, err
		}
		uses = append(uses, more...)
	}
	return uses, nil
}

// Remove takes an added field out of its kind, or puts a standard one away. Its values stay with the
// records, and come back with the field.
func (s *Service) Remove(ctx context.Context, kindKey, key string) error {
	if err := access.Need(ctx, actor.SetupChange); err != nil {
		return err
	}
	if err := access.Companies(ctx, nil); err != nil { // a field is one of all companies
		return err
	}
	return s.base.Line.Book(ctx, func() (func(tx *store.Store, by record.Stamp) error, error) {
		kind, f, err := s.mayRemoveField(ctx, kindKey, key)
		if err != nil {
			return nil, err
		}
		return func(tx *store.Store, by record.Stamp) error {
			if f.Added {
				return tx.RemoveField(ctx, kindKey, key, by)
			}
			settled := *kind
			settled.Away = append(slices.Clone(kind.Away), key)
			return tx.SaveKind(ctx, settled, by)
		}, nil
	})
}

func (s *Service) mayRemoveField(ctx context.Context, kindKey, key string) (*record.Kind, *field.Field, error) {
	_, kind, err := s.base.KindOf(ctx, kindKey)
	if err != nil {
		return nil, nil, err
	}
	f := kind.Field(key)
	if f == nil {
		return nil, nil, fault.Missing("field %s", key)
	}
	if what := kind.Needs(key); what != "" {
		return nil, nil, fault.Hindered(neededField, f.Label, what)
	}
	using, err := s.rules.UsingField(ctx, kind, key)
	if err != nil {
		return nil, nil, err
	}
	using = slices.DeleteFunc(using, func(r rule.Rule) bool { return r.State != rule.InForce })
	if len(using) > 0 {
		return nil, nil, fault.Hindered(fieldInUse, len(using), f.Label).With(rules.Uses(using))
	}
	return kind, f, nil
}

// Removed returns the added fields of a kind that were removed, and the standard ones that were put
// away.
func (s *Service) Removed(ctx context.Context, kindKey string) ([]contract.RemovedField, error) {
	if err := access.Need(ctx, actor.RulesRead); err != nil {
		return nil, err
	}
	if _, _, err := s.base.KindOf(ctx, kindKey); err != nil {
		return nil, err
	}
	removed, err := s.removed(ctx, kindKey)
	if err != nil {
		return nil, err
	}
	counts, err := s.valuesOf(ctx, kindKey, view.List(removed, func(r contract.RemovedField) *field.Field { return &r.Field })...)
	if err != nil {
		return nil, err
	}
	for i := range removed {
		removed[i].Values = counts[i]
	}
	return removed, nil
}

// removed are the fields without how many values there are of each.
func (s *Service) removed(ctx context.Context, kindKey string) ([]contract.RemovedField, error) {
	added, err := s.base.Store.AddedFields(ctx, kindKey)
	if err != nil {
		return nil, err
	}
	removed := []contract.RemovedField{}
	for _, a := range added {
		if a.Removed != nil {
			removed = append(removed, contract.RemovedField{Field: a.Field, RemovedAt: a.Removed.At, RemovedBy: a.Removed.By})
		}
	}
	away, by, err := s.base.Store.PutAway(ctx, kindKey)
	for i := range away {
		removed = append(removed, contract.RemovedField{Field: away[i], RemovedAt: by.At, RemovedBy: by.By})
	}
	return removed, err
}

// Restore brings a removed field back.
func (s *Service) Restore(ctx context.Context, kindKey, key string) (field.Field, error) {
	if err := access.Need(ctx, actor.SetupChange); err != nil {
		return field.Field{}, err
	}
	if err := access.Companies(ctx, nil); err != nil { // a field is one of all companies
		return field.Field{}, err
	}
	removed, err := s.removed(ctx, kindKey)
	if err != nil {
		return field.Field{}, err
	}
	i := slices.IndexFunc(removed, func(r contract.RemovedField) bool { return r.Field.Key == key })
	if i < 0 {
		return field.Field{}, fault.Missing("removed field %s", key)
	}
	err = s.base.Line.Book(ctx, func() (func(tx *store.Store, by record.Stamp) error, error) {
		_, kind, err := s.base.KindOf(ctx, kindKey)
		if err != nil {
			return nil, err
		}
		return func(tx *store.Store, by record.Stamp) error {
			if removed[i].Field.Added {
				return tx.SaveField(ctx, kindKey, removed[i].Field, by)
			}
			settled := *kind
			settled.Away = slices.DeleteFunc(slices.Clone(kind.Away), func(away string) bool { return away == key })
			return tx.SaveKind(ctx, settled, by)
		}, nil
	})
	return removed[i].Field, err
}
