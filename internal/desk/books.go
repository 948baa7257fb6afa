package desk

import (
	"cmp"
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"reflect"
	"slices"
	"strings"

	"codicil/core/batch"
	"codicil/core/field"
	"codicil/core/judge"
	"codicil/core/proof"
	"codicil/core/record"
	"codicil/core/rule"
	"codicil/core/table"
	"codicil/internal/contract"
	"codicil/internal/exchange"
	"codicil/internal/store"
)

// ExportBook returns the rule book with all that its rules need.
func (d *Desk) ExportBook(ctx context.Context) (*exchange.Book, error) {
	m, err := d.master(ctx)
	if err != nil {
		return nil, err
	}
	version, _, err := d.version(ctx)
	if err != nil {
		return nil, err
	}
	b := &exchange.Book{
		RuleBook: version, Companies: m.companies, Types: []record.Type{}, Fields: map[string][]field.Field{}, Standing: m.tables.Standing, Crosswalks: m.tables.Crosswalks,
		Series: m.tables.Series, Rules: []rule.Rule{}, Proofs: []proof.Proof{},
	}
	for i := range m.kinds {
		k := &m.kinds[i]
		b.Types = append(b.Types, m.types[k.Key]...)
		for _, f := range k.Fields {
			if f.Added {
				b.Fields[k.Key] = append(b.Fields[k.Key], f)
			}
		}
		rules, err := d.store.Rules(ctx, k.Key)
		if err != nil {
			return nil, err
		}
		proofs, err := d.store.Proofs(ctx, k.Key)
		if err != nil {
			return nil, err
		}
		b.Rules, b.Proofs = append(b.Rules, rules...), append(b.Proofs, proofs...)
	}
	return b, nil
}

// BookChange is one thing that reading a book changes.
type BookChange struct {
	What string // "company", "type", "field", "standing value", "crosswalk", "number series", "rule" or "proof"
	Name string
	Deed string // "add" or "change"
}

// ImportBook reads a book into the application: all of it, or nothing. What the book does
// not have stays. With dry, nothing is kept, but everything is checked. The changes are
// those that were, or would be, made.
func (d *Desk) ImportBook(ctx context.Context, b *exchange.Book, dry bool) ([]BookChange, error) {
	var changes []BookChange
	d.line.Lock()
	defer d.line.Unlock()
	err := d.store.Transaction(ctx, func(tx *store.Store) error {
		i := &importer{ctx: ctx, d: New(tx, d.clock, d.user), book: b, rules: map[int64]int64{}}
		for _, step := range []func() error{i.scopes, i.fields, i.tables, i.putRules, i.proofs} {
			if err := step(); err != nil {
				return err
			}
		}
		changes = i.changes
		if dry {
			return errDry
		}
		return nil
	})
	if errors.Is(err, errDry) {
		err = nil
	}
	if err == nil && !dry {
		d.forgetMasters()
	}
	return changes, err
}

// errDry ends the transaction of a dry run, so that nothing is kept.
var errDry = errors.New("a dry run keeps nothing")

type importer struct {
	ctx     context.Context
	d       *Desk
	book    *exchange.Book
	changes []BookChange
	rules   map[int64]int64 // the numbers here by those of the book
}

// differs notes what is done with something; false when nothing needs to be.
func differs[T any](i *importer, what, name string, here *T, there T) bool {
	switch {
	case here == nil:
		i.changes = append(i.changes, BookChange{what, name, "add"})
	case !same(*here, there):
		i.changes = append(i.changes, BookChange{what, name, "change"})
	default:
		return false
	}
	return true
}

// same compares as the file would: nil and empty lists are one.
func same(a, b any) bool {
	if reflect.DeepEqual(a, b) {
		return true
	}
	one, errOne := json.Marshal(a)
	other, errOther := json.Marshal(b)
	plain := strings.NewReplacer(":null", ":[]", ":{}", ":[]")
	return errOne == nil && errOther == nil && plain.Replace(string(one)) == plain.Replace(string(other))
}

func (i *importer) scopes() error {
	m, err := i.d.master(i.ctx)
	if err != nil {
		return err
	}
	for _, c := range i.book.Companies {
		if differs(i, "company", c.Key+" "+c.Name, m.company(c.Key), c) {
			if _, err := i.d.SaveCompany(i.ctx, c.Key, c); err != nil {
				return fmt.Errorf("company %s: %w", c.Key, err)
			}
		}
	}
	for _, t := range i.book.Types {
		if differs(i, "type", t.Kind+" "+t.Key, m.kindType(t.Kind, t.Key), t) {
			if _, err := i.d.SaveType(i.ctx, t.Kind, t.Key, t); err != nil {
				return fmt.Errorf("type %s of %s: %w", t.Key, t.Kind, err)
			}
		}
	}
	return nil
}

func (i *importer) fields() error {
	m, err := i.d.master(i.ctx)
	if err != nil {
		return err
	}
	for kindKey, fields := range i.book.Fields {
		kind, err := m.kind(kindKey)
		if err != nil {
			return err
		}
		for _, f := range fields {
			here := kind.Field(f.Key)
			if !differs(i, "field", kind.Label+" "+f.Label, here, f) {
				continue
			}
			if here == nil {
				_, err = i.d.AddField(i.ctx, kindKey, f)
			} else {
				_, err = i.d.ChangeField(i.ctx, kindKey, f.Key, f)
			}
			if err != nil {
				return fmt.Errorf("field %s of %s: %w", f.Key, kindKey, err)
			}
		}
	}
	return nil
}

func (i *importer) tables() error {
	m, err := i.d.master(i.ctx)
	if err != nil {
		return err
	}
	for _, s := range i.book.Standing {
		at := slices.IndexFunc(m.tables.Standing, func(o table.Standing) bool { return o.Field.Key == s.Field.Key })
		if differs(i, "standing value", s.Field.Label, place(m.tables.Standing, at), s) {
			if _, err := i.d.SaveStanding(i.ctx, s.Field.Key, contract.StandingChange{Standing: s, Version: m.versions.VersionOf("standing", s.Field.Key)}); err != nil {
				return fmt.Errorf("standing value %s: %w", s.Field.Key, err)
			}
		}
	}
	for _, c := range i.book.Crosswalks {
		if differs(i, "crosswalk", c.Label, m.tables.Crosswalk(c.Key), c) {
			if _, err := i.d.SaveCrosswalk(i.ctx, c.Key, contract.CrosswalkChange{Crosswalk: c, Version: m.versions.VersionOf("crosswalk", c.Key)}); err != nil {
				return fmt.Errorf("crosswalk %s: %w", c.Key, err)
			}
		}
	}
	for _, n := range i.book.Series {
		if differs(i, "number series", n.Label, m.tables.Numbers(n.Key), n) {
			if _, err := i.d.SaveSeries(i.ctx, n.Key, contract.SeriesChange{Series: n, Version: m.versions.VersionOf("series", n.Key)}); err != nil {
				return fmt.Errorf("number series %s: %w", n.Key, err)
			}
		}
	}
	return nil
}

// putRules matches a rule of the book with the one here that has its number, kind, family
// and target, or else that says the same; the others are new.
func (i *importer) putRules() error {
	here := map[string][]rule.Rule{}
	for _, r := range i.book.Rules {
		if here[r.Kind] == nil {
			rules, err := i.d.store.Rules(i.ctx, r.Kind)
			if err != nil {
				return err
			}
			here[r.Kind] = append(rules, rule.Rule{})
		}
		known := here[r.Kind]
		at := slices.IndexFunc(known, func(o rule.Rule) bool {
			return o.ID == r.ID && o.Kind == r.Kind && o.Family == r.Family && o.Target == r.Target && o.State != rule.Retired
		})
		if at < 0 {
			at = slices.IndexFunc(known, func(o rule.Rule) bool { return o.State != rule.Retired && same(o.Body, r.Body) })
		}
		if err := i.putRule(place(known, at), r); err != nil {
			return fmt.Errorf("rule %d %s: %w", r.ID, r.Name, err)
		}
	}
	return nil
}

func (i *importer) putRule(here *rule.Rule, r rule.Rule) error {
	change := contract.RuleChange{Body: r.Body, Name: r.Name, Reason: cmp.Or(r.Reason, "as the book has it")}
	var view contract.RuleView
	var err error
	switch {
	case here == nil && r.State == rule.Retired:
		return nil // what is over is not begun anew
	case here == nil:
		i.changes = append(i.changes, BookChange{"rule", r.Name, "add"})
		if view, err = i.d.CreateRule(i.ctx, change); err != nil {
			return err
		}
	case same(here.Body, r.Body) && here.Name == r.Name && here.State == r.State:
		i.rules[r.ID] = here.ID
		return nil
	default:
		i.changes = append(i.changes, BookChange{"rule", r.Name, "change"})
		change.Id, change.Version = here.ID, here.Version
		if view, err = i.d.ChangeRule(i.ctx, here.ID, change); err != nil {
			return err
		}
	}
	i.rules[r.ID] = view.Id
	path := map[rule.State][]rule.State{rule.InForce: {rule.InForce}, rule.Suspended: {rule.InForce, rule.Suspended}, rule.Retired: {rule.Retired}}
	for _, next := range path[r.State] {
		if view.State == r.State {
			break
		}
		if view, err = i.d.MoveRule(i.ctx, view.Id, contract.RuleMove{State: next, Version: view.Version, Reason: cmp.Or(r.Reason, "as the book has it")}); err != nil {
			return err
		}
	}
	return nil
}

func (i *importer) proofs() error {
	here, taken := map[string][]proof.Proof{}, map[int64]bool{}
	for _, p := range i.book.Proofs {
		kind := p.Given.Kind
		if here[kind] == nil {
			proofs, err := i.d.store.Proofs(i.ctx, kind)
			if err != nil {
				return err
			}
			here[kind] = append(proofs, proof.Proof{})
		}
		p.Rules = list(p.Rules, func(id int64) int64 { return i.rules[id] })
		p.Rules = slices.DeleteFunc(p.Rules, func(id int64) bool { return id == 0 })
		for j := range p.Expect.Messages {
			p.Expect.Messages[j].Rule = i.rules[p.Expect.Messages[j].Rule]
		}
		if carried := p.Given.Carried; carried != nil {
			for j := range carried.Alike {
				carried.Alike[j].Rule = i.rules[carried.Alike[j].Rule]
			}
		}
		seen := map[int64]int{}
		for id, version := range p.Seen {
			if i.rules[id] != 0 {
				seen[i.rules[id]] = version
			}
		}
		p.Seen = seen
		p.Expect.Acting = list(p.Expect.Acting, func(id int64) int64 { return i.rules[id] })
		at := slices.IndexFunc(here[kind], func(o proof.Proof) bool { return o.Name == p.Name && !taken[o.ID] && same(o.Given, p.Given) })
		before := place(here[kind], at)
		p.Posting, p.ID, p.Version, p.ChangedAt, p.ChangedBy = "", 0, 0, "", ""
		if before != nil {
			p.ID, p.Posting, p.Version, p.ChangedAt, p.ChangedBy = before.ID, before.Posting, before.Version, before.ChangedAt, before.ChangedBy
			taken[p.ID] = true
		}
		if differs(i, "proof", p.Name, before, p) {
			if _, err := i.d.store.SaveProof(i.ctx, p, "kept", "as the book has it", i.d.clock(), i.d.user); err != nil {
				return fmt.Errorf("proof %s: %w", p.Name, err)
			}
		}
	}
	return nil
}

// place returns the item at a place of a list; nil for -1.
func place[T any](list []T, at int) *T {
	if at < 0 {
		return nil
	}
	return &list[at]
}

// Evaluate takes documents through the rules in force and keeps nothing.
func (d *Desk) Evaluate(ctx context.Context, documents []batch.Document) ([]batch.Result, error) {
	m, err := d.master(ctx)
	if err != nil {
		return nil, err
	}
	version, err := d.judgedBy(ctx)
	if err != nil {
		return nil, err
	}
	w := &world{d: d, ctx: ctx, m: m, version: version}
	results := make([]batch.Result, len(documents))
	for i := range documents {
		if err := ctx.Err(); err != nil {
			return nil, err
		}
		results[i] = batch.Run(w, &documents[i])
		if w.failed != nil {
			return nil, w.failed
		}
	}
	return results, nil
}

// world is the application as documents of a batch find it.
type world struct {
	d       *Desk
	ctx     context.Context
	m       *masters
	version judge.Version
	failed  error
}

// Circumstances are those of a document of a kind in a company.
func (w *world) Circumstances(kind, company string) (judge.Circumstances, error) {
	book, err := w.d.book(w.ctx, kind)
	if err != nil {
		return judge.Circumstances{}, err
	}
	if w.m.company(company) == nil {
		return judge.Circumstances{}, invalid("unknown-company", "there is no company %q", company)
	}
	return w.d.circumstances(w.ctx, w.m, book, company, nil), nil
}

// Prior puts in what the store has to say of the document, where it does not say it itself.
func (w *world) Prior(document *judge.Document) error {
	book, err := w.d.book(w.ctx, document.Kind)
	if err != nil {
		return err
	}
	t := &trial{masters: w.m, document: *document, typed: map[string]string{}, reads: newReadSet(0), links: w.d.links(w.ctx, w.m, document.Company)}
	c := w.d.circumstances(w.ctx, w.m, book, document.Company, nil)
	if err := w.d.state(w.ctx, t, &c, nil); err != nil {
		return err
	}
	*document = t.document
	return nil
}

// Version is what documents are judged by.
func (w *world) Version() judge.Version { return w.version }
