package books

import (
	"fmt"
	"slices"
	"strings"

	"codicil/core/finding"
	"codicil/core/proof"
	"codicil/core/record"
	"codicil/core/table"
	"codicil/internal/contract"
	"codicil/internal/exchange"
	"codicil/internal/view"
)

// newKinds makes the kinds that are not here, as far as they can be without their fields.
func (i *importer) newKinds() error {
	m, err := i.base.Cache.Reference(i.ctx)
	if err != nil {
		return err
	}
	for _, k := range i.book.Kinds {
		if here, _ := m.Kind(k.Key); here != nil {
			continue
		}
		first := k
		first.Title, first.Listed, first.Day, first.Journal, first.Signed = []string{}, nil, "", nil, nil
		change := contract.KindChange{Kind: first}
		for _, t := range i.book.Types {
			if t.Kind == k.Key {
				change.Types = append(change.Types, record.Type{Kind: t.Kind, Key: t.Key, Label: t.Label}) // its companies come with it
			}
		}
		i.changes = append(i.changes, Change{"kind", k.Label, "add"})
		i.made = append(i.made, k.Key)
		err := i.do(func() error {
			_, err := i.Kinds.Save(i.ctx, k.Key, change)
			return err
		})
		if err != nil {
			return fmt.Errorf("kind %s: %w", k.Key, err)
		}
	}
	return nil
}

// kinds sets the kinds up as the book has them, now that their fields are there.
func (i *importer) kinds() error {
	m, err := i.base.Cache.Reference(i.ctx)
	if err != nil {
		return err
	}
	for _, k := range i.book.Kinds {
		here, err := m.Kind(k.Key)
		if err != nil {
			return err
		}
		away := k.Away // what is put away here stays so
		k.Away = here.Away
		for _, key := range away {
			if f := here.Field(key); f != nil {
				i.changes = append(i.changes, Change{"field", here.Label + " " + f.Label, "remove"})
				if err := i.do(func() error { return i.Fields.Remove(i.ctx, k.Key, key) }); err != nil {
					return fmt.Errorf("field %s of %s: %w", key, k.Key, err)
				}
			}
		}
		if now := withoutFields(*here); same(now, k) || !slices.Contains(i.made, k.Key) && !differs(i, "kind", k.Label, &now, k) {
			continue
		}
		if _, err := i.Kinds.Save(i.ctx, k.Key, contract.KindChange{Kind: k}); err != nil {
			return fmt.Errorf("kind %s: %w", k.Key, err)
		}
	}
	return nil
}

func (i *importer) scopes() error {
	m, err := i.base.Cache.Reference(i.ctx)
	if err != nil {
		return err
	}
	for _, c := range i.book.Companies {
		if differs(i, "company", c.Key+" "+c.Name, m.Company(c.Key), c) {
			if _, err := i.Catalog.SaveCompany(i.ctx, c.Key, c); err != nil {
				return fmt.Errorf("company %s: %w", c.Key, err)
			}
		}
	}
	for _, t := range i.book.Types {
		if differs(i, "type", t.Kind+" "+t.Key, m.Type(t.Kind, t.Key), t) {
			if _, err := i.Catalog.SaveType(i.ctx, t.Kind, t.Key, t); err != nil {
				return fmt.Errorf("type %s of %s: %w", t.Key, t.Kind, err)
			}
		}
	}
	return nil
}

// lists takes the lists of the book, and gives its fields and tables what they choose from by those that are here then.
func (i *importer) lists() error {
	m, err := i.base.Cache.Reference(i.ctx)
	if err != nil {
		return err
	}
	for _, l := range i.book.Lists {
		here := m.Tables.List(l.Key)
		if here != nil {
			l = here.With(l)
		}
		if differs(i, "list", l.Label, here, l) {
			if _, err := i.Lists.Save(i.ctx, l.Key, contract.CodeListChange{List: l, Version: m.TableVersion("list", l.Key)}); err != nil {
				return fmt.Errorf("list %s: %w", l.Key, err)
			}
		}
	}
	if m, err = i.base.Cache.Reference(i.ctx); err != nil {
		return err
	}
	tables := i.book.Tables()
	tables.Lists = m.Tables.Lists
	tables.ChooseAll(nil)
	for _, fields := range i.book.Fields {
		tables.Choose(fields)
	}
	return nil
}

func (i *importer) fields() error {
	m, err := i.base.Cache.Reference(i.ctx)
	if err != nil {
		return err
	}
	for kindKey, fields := range i.book.Fields {
		kind, err := m.Kind(kindKey)
		if err != nil {
			return err
		}
		for _, f := range fields {
			here := kind.Field(f.Key)
			if !differs(i, "field", kind.Label+" "+f.Label, here, f) {
				continue
			}
			if here == nil {
				_, err = i.Fields.Add(i.ctx, kindKey, f)
			} else {
				_, err = i.Fields.Change(i.ctx, kindKey, f.Key, f)
			}
			if err != nil {
				return fmt.Errorf("field %s of %s: %w", f.Key, kindKey, err)
			}
		}
	}
	return nil
}

func (i *importer) lookups() error {
	m, err := i.base.Cache.Reference(i.ctx)
	if err != nil {
		return err
	}
	for _, s := range i.book.Standing {
		at := slices.IndexFunc(m.Tables.Standing, func(o table.Standing) bool { return o.Field.Key == s.Field.Key })
		if differs(i, "standing value", s.Field.Label, place(m.Tables.Standing, at), s) {
			if _, err := i.Tables.SaveStanding(i.ctx, s.Field.Key, contract.StandingChange{Standing: s, Version: m.TableVersion("standing", s.Field.Key)}); err != nil {
				return fmt.Errorf("standing value %s: %w", s.Field.Key, err)
			}
		}
	}
	for _, c := range i.book.Crosswalks {
		if differs(i, "crosswalk", c.Label, m.Tables.Crosswalk(c.Key), c) {
			if _, err := i.Tables.SaveCrosswalk(i.ctx, c.Key, contract.CrosswalkChange{Crosswalk: c, Version: m.TableVersion("crosswalk", c.Key)}); err != nil {
				return fmt.Errorf("crosswalk %s: %w", c.Key, err)
			}
		}
	}
	for _, n := range i.book.Series {
		if differs(i, "number series", n.Label, m.Tables.Numbers(n.Key), n) {
			if _, err := i.Tables.SaveSeries(i.ctx, n.Key, contract.SeriesChange{Series: n, Version: m.TableVersion("series", n.Key)}); err != nil {
				return fmt.Errorf("number series %s: %w", n.Key, err)
			}
		}
	}
	return nil
}

// layouts compares each with what is here as forms show them, with every field: one that was added since stands at the end of its section.
func (i *importer) layouts() error {
	m, err := i.base.Cache.Reference(i.ctx)
	if err != nil {
		return err
	}
	for _, l := range i.book.Layouts {
		kind, err := m.Kind(l.Kind)
		if err != nil {
			return err
		}
		var here *record.Layout
		if own := m.Layout(l.Kind, l.Company, l.Type); own != nil && own.Company == l.Company && own.Type == l.Type {
			shown := own.Layout.Complete(kind)
			here = &shown
		}
		if differs(i, "layout", strings.TrimSpace(l.Kind+" "+l.Company+" "+l.Type), here, l.Layout.Complete(kind)) {
			if _, err := i.Catalog.SaveLayout(i.ctx, l.Kind, l.Company, l.Type, l.Layout); err != nil {
				return fmt.Errorf("layout of %s: %w", l.Kind, err)
			}
		}
	}
	return nil
}

// maps matches a map with the one here that leads from and to the same kinds under the same name.
func (i *importer) maps() error {
	here, err := i.base.Store.FollowOns(i.ctx)
	if err != nil {
		return err
	}
	for _, m := range i.book.Maps {
		at := slices.IndexFunc(here, func(o record.FollowOn) bool { return o.From == m.From && o.To == m.To && o.Name == m.Name })
		m.ID = 0
		if at >= 0 {
			m.ID = here[at].ID
		}
		if differs(i, "map", m.Name, place(here, at), m) {
			if _, err := i.Catalog.SaveFollowOn(i.ctx, m); err != nil {
				return fmt.Errorf("map %s: %w", m.Name, err)
			}
		}
	}
	return nil
}

// removed takes away what a codicil takes away.
func (i *importer) removed() error {
	for _, r := range i.book.Removed {
		parts := append(strings.SplitN(r.Key, "/", 3), "", "")
		m, err := i.base.Cache.Reference(i.ctx)
		if err != nil {
			return err
		}
		switch r.What {
		case "field":
			kind, err := m.Kind(parts[0])
			if err != nil {
				return err
			}
			if kind.Field(parts[1]) == nil {
				continue
			}
			if err := i.do(func() error { return i.Fields.Remove(i.ctx, parts[0], parts[1]) }); err != nil {
				return fmt.Errorf("field %s: %w", r.Key, err)
			}
		case "layout":
			if own := m.Layout(parts[0], parts[1], parts[2]); own == nil || own.Company != parts[1] || own.Type != parts[2] {
				continue
			}
			err := i.do(func() error {
				_, err := i.Catalog.DeleteLayout(i.ctx, parts[0], parts[1], parts[2])
				return err
			})
			if err != nil {
				return fmt.Errorf("layout %s: %w", r.Key, err)
			}
		case "map":
			here, err := i.base.Store.FollowOns(i.ctx)
			if err != nil {
				return err
			}
			at := slices.IndexFunc(here, func(o record.FollowOn) bool { return o.From == parts[0] && o.To == parts[1] && o.Name == parts[2] })
			if at < 0 {
				continue
			}
			if err := i.do(func() error { return i.Catalog.DeleteFollowOn(i.ctx, here[at].ID) }); err != nil {
				return fmt.Errorf("map %s: %w", r.Key, err)
			}
		default:
			continue
		}
		i.changes = append(i.changes, Change{r.What, r.Key, "remove"})
	}
	return nil
}

func (i *importer) proofs() error {
	here, taken := map[string][]proof.Proof{}, map[int64]bool{}
	for _, p := range i.book.Proofs {
		kind := p.Given.Kind
		if here[kind] == nil {
			proofs, err := i.base.Store.Proofs(i.ctx, kind)
			if err != nil {
				return err
			}
			here[kind] = append(proofs, proof.Proof{})
		}
		p.Rules = view.List(p.Rules, func(id int64) int64 { return i.rules[id] })
		p.Rules = slices.DeleteFunc(p.Rules, func(id int64) bool { return id == 0 })
		p.Expect.Messages = slices.Clone(p.Expect.Messages)
		for j := range p.Expect.Messages {
			p.Expect.Messages[j].Rule = i.rules[p.Expect.Messages[j].Rule]
		}
		if p.Given.Fixtures != nil {
			carried := *p.Given.Fixtures
			carried.Alike, p.Given.Fixtures = slices.Clone(carried.Alike), &carried
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
		p.Expect.Acting = view.List(p.Expect.Acting, func(id int64) int64 { return i.rules[id] })
		at := slices.IndexFunc(here[kind], func(o proof.Proof) bool { return o.Name == p.Name && !taken[o.ID] && same(o.Given, p.Given) })
		before := place(here[kind], at)
		p.Posting, p.ID, p.Version, p.ChangedAt, p.ChangedBy, p.Codicil = "", 0, 0, "", "", 0
		if before != nil {
			p.ID, p.Posting, p.Version, p.ChangedAt, p.ChangedBy = before.ID, before.Posting, before.Version, before.ChangedAt, before.ChangedBy
			taken[p.ID], p.Codicil = true, before.Codicil
		}
		if differs(i, "proof", p.Name, before, p) {
			if _, err := i.base.Store.SaveProof(i.ctx, p, "kept", "as the book has it", i.by); err != nil {
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

// silences leaves findings as they are that the book leaves so.
func (i *importer) silences() error {
	here, err := i.base.Store.Silences(i.ctx)
	if err != nil {
		return err
	}
	for _, s := range i.book.Silenced {
		key, known := finding.Renumber(s.Key, i.rules)
		if !known {
			continue // it is about a rule that the book does not have
		}
		var before *exchange.Silence
		if kept, there := here[key]; there {
			before = &exchange.Silence{Key: key, Reason: kept.Reason}
		}
		s.Key = key
		if differs(i, "silenced finding", s.Reason, before, s) {
			if err := i.base.Store.SaveSilence(i.ctx, key, s.Reason, i.by); err != nil {
				return err
			}
		}
	}
	return nil
}
