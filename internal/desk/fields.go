package desk

import (
	"context"
	"fmt"
	"slices"
	"strings"

	"codicil/core/field"
	"codicil/core/plan"
	"codicil/core/record"
	"codicil/core/rule"
	"codicil/internal/contract"
	"codicil/internal/store"
)

// AddField adds a field to a kind, for all companies.
func (d *Desk) AddField(ctx context.Context, kindKey string, f field.Field) (field.Field, error) {
	m, kind, err := d.masterOf(ctx, kindKey)
	if err != nil {
		return f, err
	}
	if err := checkField(m, kind, &f); err != nil {
		return f, err
	}
	if kind.Field(f.Key) != nil {
		return f, conflict("key-taken", "a %s already has a field %q; choose another key", kind.Noun(), f.Key)
	}
	added, err := d.store.AddedFields(ctx, kindKey)
	if err != nil {
		return f, err
	}
	if slices.ContainsFunc(added, func(a store.AddedField) bool { return a.Key == f.Key }) {
		return f, conflict("key-removed", "a removed field has the key %q, and its values are still there; bring it back, or choose another key", f.Key)
	}
	defer d.forgetMasters()
	return f, d.store.SaveField(ctx, kindKey, f)
}

func (d *Desk) masterOf(ctx context.Context, kindKey string) (*masters, *record.Kind, error) {
	m, err := d.master(ctx)
	if err != nil {
		return nil, nil, err
	}
	kind, err := m.kind(kindKey)
	return m, kind, err
}

// checkField refuses a field that cannot be one of the kind, and completes it.
func checkField(m *masters, kind *record.Kind, f *field.Field) error {
	f.Added, f.Label = true, strings.TrimSpace(f.Label)
	if f.OfLine() {
		f.Section = record.LineSection
	}
	linked, _ := m.kind(f.Kind)
	switch {
	case !field.IsKey(f.Column()):
		return invalid("not-a-key", "%q cannot be the key of a field; use small letters, digits and _, beginning with a letter", f.Column())
	case f.OfLine() && kind.Columns() == 0:
		return invalid("no-lines", "a %s has no lines", kind.Noun())
	case !slices.ContainsFunc(kind.Sections, func(s record.Section) bool { return s.Key == f.Section && (s.Key == record.LineSection) == f.OfLine() }):
		return invalid("unknown-section", "choose the section in which the field stands")
	case f.IsLink() && linked == nil:
		return invalid("unknown-kind", "choose the kind of record that the field links to")
	}
	if wrong := f.Sound(); wrong != nil {
		return invalid(wrong.Code, "%s", wrong)
	}
	for _, beside := range []string{f.Currency, f.Unit, f.Country} {
		if beside != "" && kind.Field(beside) == nil && (!f.OfLine() || kind.Field(field.LinePrefix+beside) == nil) {
			return invalid("unknown-field", "a %s has no field %q beside this one", kind.Noun(), beside)
		}
	}
	return nil
}

// addedField returns an added field of a kind; a standard one may not be changed.
func (d *Desk) addedField(ctx context.Context, kindKey, key string) (*masters, *record.Kind, *field.Field, error) {
	m, kind, err := d.masterOf(ctx, kindKey)
	if err != nil {
		return nil, nil, nil, err
	}
	f := kind.Field(key)
	switch {
	case f == nil:
		return nil, nil, nil, missing("field " + key)
	case !f.Added:
		return nil, nil, nil, conflict("standard-field", "%s is a standard field and stays as it is; hide it or name it otherwise in a layout", f.Label)
	}
	return m, kind, f, nil
}

// CheckField tells which saved values would not fit a changed field.
func (d *Desk) CheckField(ctx context.Context, kindKey, key string, f field.Field) (contract.FieldCheck, error) {
	check := contract.FieldCheck{Examples: []contract.FieldMisfit{}}
	m, kind, _, err := d.addedField(ctx, kindKey, key)
	if err != nil {
		return check, err
	}
	f.Key = key
	if err := checkField(m, kind, &f); err != nil {
		return check, err
	}
	s, err := d.shelf(ctx, kindKey)
	if err != nil {
		return check, err
	}
	for i := range s.rows {
		r := &s.rows[i]
		content := r.Content()
		for _, line := range linesWith(&f, r) {
			text := content.Get(&f, line)
			if text == "" {
				continue
			}
			check.Values++
			v, wrong := f.Parse(text)
			if wrong == nil {
				_, wrong = f.Settle(v, m.company(r.Company).Surroundings(""))
			}
			why := ""
			if wrong != nil {
				why = wrong.String()
			}
			if f.IsLink() && wrong == nil {
				why = d.links(ctx, m, r.Company).Missing(f.Kind, text)
			}
			if why == "" {
				continue
			}
			if check.Misfits++; len(check.Examples) < mostUses {
				check.Examples = append(check.Examples, contract.FieldMisfit{Number: r.Number, Line: line, Value: text, Message: why})
			}
		}
	}
	return check, nil
}

// linesWith returns the numbers of the lines that may hold the field; 0 for the header.
func linesWith(f *field.Field, r *store.Record) []int {
	if !f.OfLine() {
		return []int{0}
	}
	return list(r.Lines, func(l record.Line) int { return l.Number })
}

// ChangeField changes an added field, if all saved values fit it.
func (d *Desk) ChangeField(ctx context.Context, kindKey, key string, f field.Field) (field.Field, error) {
	err := d.bookChange(ctx, func() (write func(tx *store.Store) error, err error) {
		f, err = d.mayChangeField(ctx, kindKey, key, f)
		return func(tx *store.Store) error { return tx.SaveField(ctx, kindKey, f) }, err
	})
	return f, err
}

func (d *Desk) mayChangeField(ctx context.Context, kindKey, key string, f field.Field) (field.Field, error) {
	m, kind, _, err := d.addedField(ctx, kindKey, key)
	if err != nil {
		return f, err
	}
	f.Key = key
	if err := checkField(m, kind, &f); err != nil {
		return f, err
	}
	check, err := d.CheckField(ctx, kindKey, key, f)
	if err != nil {
		return f, err
	}
	if check.Misfits > 0 {
		return f, &Error{Reason: Conflict, Code: "values-misfit", Count: check.Misfits, Detail: fmt.Sprintf("%d of %d saved values would not fit: %s: %s. Change them first", check.Misfits, check.Values, check.Examples[0].Number, check.Examples[0].Message)}
	}
	if err := d.rulesStaySound(ctx, kind, f); err != nil {
		return f, err
	}
	return f, nil
}

// rulesStaySound refuses a changed field that a rule in force would not be sound with.
func (d *Desk) rulesStaySound(ctx context.Context, kind *record.Kind, f field.Field) error {
	rules, err := d.store.Rules(ctx, kind.Key)
	if err != nil {
		return err
	}
	m, err := d.master(ctx)
	if err != nil {
		return err
	}
	changed := *kind
	changed.Fields = slices.Clone(kind.Fields)
	changed.Fields[kind.Index(f.Key)] = f
	kinds := list(m.kinds, func(k record.Kind) record.Kind {
		if k.Key == changed.Key {
			return changed
		}
		return k
	})
	uses := []contract.Use{}
	for _, c := range plan.NewBook(&changed, kinds, m.tables, rules).Rules {
		if c.State == rule.InForce && !c.Sound() {
			uses = append(uses, contract.Use{What: "rule", Key: fmt.Sprint(c.ID), Title: c.Name})
		}
	}
	if len(uses) > 0 {
		return &Error{Reason: Conflict, Code: "rules-misfit", Count: len(uses), Uses: uses, Detail: fmt.Sprintf("%d rules in force would no longer be right with this field; change or suspend them first", len(uses))}
	}
	return nil
}

// FieldUses returns what uses a field: values, rules, proofs, layouts, maps.
func (d *Desk) FieldUses(ctx context.Context, kindKey, key string) (contract.FieldUses, error) {
	uses := contract.FieldUses{Uses: []contract.Use{}}
	_, _, f, err := d.addedField(ctx, kindKey, key)
	if err != nil {
		return uses, err
	}
	if uses.Values, err = d.valuesOf(ctx, kindKey, f); err != nil {
		return uses, err
	}
	uses.Uses, err = d.fieldUses(ctx, kindKey, key)
	return uses, err
}

// valuesOf counts the records that hold a value of a field.
func (d *Desk) valuesOf(ctx context.Context, kindKey string, f *field.Field) (int, error) {
	s, err := d.shelf(ctx, kindKey)
	if err != nil {
		return 0, err
	}
	count := 0
	for i := range s.rows {
		content := s.rows[i].Content()
		if slices.ContainsFunc(linesWith(f, &s.rows[i]), func(line int) bool { return content.Get(f, line) != "" }) {
			count++
		}
	}
	return count, nil
}

func (d *Desk) fieldUses(ctx context.Context, kindKey, key string) ([]contract.Use, error) {
	uses := []contract.Use{}
	add := func(what string, id any, title string) {
		uses = append(uses, contract.Use{What: what, Key: fmt.Sprint(id), Title: title})
	}
	m, kind, err := d.masterOf(ctx, kindKey)
	if err != nil {
		return nil, err
	}
	rules, err := d.ruleUses(ctx, m, kind, key)
	if err != nil {
		return nil, err
	}
	for _, r := range rules {
		add("rule", r.ID, r.Name)
	}
	proofs, err := d.store.Proofs(ctx, kindKey)
	if err != nil {
		return nil, err
	}
	for _, p := range proofs {
		if proofNames(kind, &p.Given, p.Expect.Values, key) {
			add("proof", p.ID, p.Name)
		}
	}
	layouts, err := d.store.Layouts(ctx, kindKey)
	if err != nil {
		return nil, err
	}
	for _, l := range layouts {
		for _, s := range l.Layout.Sections {
			if slices.ContainsFunc(s.Fields, func(f record.LayoutField) bool { return f.Key == key }) {
				add("layout", l.Company+"/"+l.Type, layoutTitle(m, kind, l))
			}
		}
	}
	maps, err := d.store.FollowOns(ctx)
	for _, f := range maps {
		if slices.ContainsFunc(f.Pairs, func(p record.Pair) bool {
			return (f.From == kindKey && p.From == key) || (f.To == kindKey && p.To == key)
		}) {
			add("map", f.ID, f.Name)
		}
	}
	return uses, err
}

// ruleUses returns the rules, retired ones left out, that target or read a field;
// of any kind that links to it too. A rule uses the field when it is no longer
// sound without it.
func (d *Desk) ruleUses(ctx context.Context, m *masters, kind *record.Kind, key string) ([]rule.Rule, error) {
	without := *kind
	without.Fields = slices.Clone(kind.Fields)
	without.Fields = slices.Delete(without.Fields, kind.Index(key), kind.Index(key)+1)
	kinds := list(m.kinds, func(k record.Kind) record.Kind {
		if k.Key == kind.Key {
			return without
		}
		return k
	})
	var using []rule.Rule
	for i := range kinds {
		rules, err := d.store.Rules(ctx, kinds[i].Key)
		if err != nil {
			return nil, err
		}
		book, err := d.book(ctx, kinds[i].Key)
		if err != nil {
			return nil, err
		}
		for j, c := range plan.NewBook(&kinds[i], kinds, m.tables, rules).Rules {
			if c.State != rule.Retired && len(c.Problems) > len(book.Rules[j].Problems) {
				using = append(using, c.Rule)
			}
		}
	}
	return using, nil
}

// RemoveField takes an added field out of its kind. Its values stay with the
// records, and come back with the field.
func (d *Desk) RemoveField(ctx context.Context, kindKey, key string) error {
	return d.bookChange(ctx, func() (func(tx *store.Store) error, error) {
		return func(tx *store.Store) error { return tx.RemoveField(ctx, kindKey, key, d.clock(), d.user) }, d.mayRemoveField(ctx, kindKey, key)
	})
}

func (d *Desk) mayRemoveField(ctx context.Context, kindKey, key string) error {
	m, kind, f, err := d.addedField(ctx, kindKey, key)
	if err != nil {
		return err
	}
	rules, err := d.ruleUses(ctx, m, kind, key)
	if err != nil {
		return err
	}
	rules = slices.DeleteFunc(rules, func(r rule.Rule) bool { return r.State != rule.InForce })
	if len(rules) > 0 {
		return &Error{
			Reason: Conflict, Code: "in-use", Count: len(rules), Detail: fmt.Sprintf("%d rules in force use %s; suspend or change them first", len(rules), f.Label),
			Uses: list(rules, func(r rule.Rule) contract.Use {
				return contract.Use{What: "rule", Key: fmt.Sprint(r.ID), Title: r.Name}
			}),
		}
	}
	return nil
}

// RemovedFields returns the added fields of a kind that were removed.
func (d *Desk) RemovedFields(ctx context.Context, kindKey string) ([]contract.RemovedField, error) {
	if _, _, err := d.masterOf(ctx, kindKey); err != nil {
		return nil, err
	}
	added, err := d.store.AddedFields(ctx, kindKey)
	if err != nil {
		return nil, err
	}
	removed := []contract.RemovedField{}
	for _, a := range added {
		if a.RemovedAt == nil {
			continue
		}
		values, err := d.valuesOf(ctx, kindKey, &a.Definition)
		if err != nil {
			return nil, err
		}
		removed = append(removed, contract.RemovedField{Field: a.Definition, RemovedAt: *a.RemovedAt, RemovedBy: a.RemovedBy, Values: values})
	}
	return removed, nil
}

// RestoreField brings a removed field back.
func (d *Desk) RestoreField(ctx context.Context, kindKey, key string) (field.Field, error) {
	removed, err := d.RemovedFields(ctx, kindKey)
	if err != nil {
		return field.Field{}, err
	}
	i := slices.IndexFunc(removed, func(r contract.RemovedField) bool { return r.Field.Key == key })
	if i < 0 {
		return field.Field{}, missing("removed field " + key)
	}
	err = d.bookChange(ctx, func() (func(tx *store.Store) error, error) {
		return func(tx *store.Store) error { return tx.SaveField(ctx, kindKey, removed[i].Field) }, nil
	})
	return removed[i].Field, err
}
