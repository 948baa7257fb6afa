// Package books writes the rule book as a file, and reads one into the application.
//
// It must never know the format of the file: that is exchange's. Start reading at Service.
package books

import (
	"codicil/core/field"
	"codicil/core/judge"
	"codicil/core/proof"
	"codicil/core/record"
	"codicil/core/rule"
	"codicil/core/table"
	"codicil/internal/app/catalog"
	"codicil/internal/app/commit"
	"codicil/internal/app/fields"
	"codicil/internal/app/judging"
	"codicil/internal/app/kinds"
	"codicil/internal/app/lists"
	"codicil/internal/app/rules"
	"codicil/internal/app/tables"
	"codicil/internal/exchange"
	"codicil/internal/store"
	"codicil/internal/view"
	"context"
	"crypto/sha256"
	"encoding/hex"
	"maps"
	"slices"
	"strings"
)

// Service serves these use cases.
type Service struct {
	base  *judging.Service
	rules *rules.Service
	over  func(*judging.Service) Parts
}

// Parts are the use cases by which a book is read in: as people would enter it.
type Parts struct {
	Catalog *catalog.Service
	Fields  *fields.Service
	Tables  *tables.Service
	Lists   *lists.Service
	Kinds   *kinds.Service
	Rules   *rules.Service
}

// New returns the use cases; over makes those of a transaction.
func New(j *judging.Service, r *rules.Service, over func(*judging.Service) Parts) *Service {
	return &Service{j, r, over}
}

// Export returns the rule book with all that its rules need, and with the layouts of forms and the maps of what follows on.
func (s *Service) Export(ctx context.Context) (*exchange.Book, error) {
	m, err := s.base.Cache.Reference(ctx)
	if err != nil {
		return nil, err
	}
	version, _, err := s.base.Cache.Version(ctx)
	if err != nil {
		return nil, err
	}
	b := &exchange.Book{
		RuleBook: version.Book, Companies: m.Companies, Types: []record.Type{}, Fields: map[string][]field.Field{}, Standing: m.Tables.Standing, Crosswalks: m.Tables.Crosswalks,
		Series: m.Tables.Series, Lists: m.Tables.Lists, Rules: []rule.Rule{}, Proofs: []proof.Proof{},
	}
	setUp, err := s.base.Store.SetUpKinds(ctx)
	if err != nil {
		return nil, err
	}
	for i := range m.Kinds {
		k := &m.Kinds[i]
		if slices.Contains(setUp, k.Key) {
			b.Kinds = append(b.Kinds, withoutFields(*k))
		}
		b.Types = append(b.Types, m.Types[k.Key]...)
		for _, f := range k.Fields {
			if f.Added {
				b.Fields[k.Key] = append(b.Fields[k.Key], f)
			}
		}
		rules, err := s.base.Store.Rules(ctx, k.Key)
		if err != nil {
			return nil, err
		}
		proofs, err := s.base.Store.Proofs(ctx, k.Key)
		if err != nil {
			return nil, err
		}
		layouts, err := s.base.Store.Layouts(ctx, k.Key)
		if err != nil {
			return nil, err
		}
		b.Rules, b.Proofs, b.Layouts = append(b.Rules, rules...), append(b.Proofs, proofs...), append(b.Layouts, layouts...)
	}
	followOns, err := s.base.Store.FollowOns(ctx)
	if err != nil {
		return nil, err
	}
	for _, m := range followOns {
		m.ID = 0 // it is found by its name and kinds
		b.Maps = append(b.Maps, m)
	}
	silences, err := s.base.Store.Silences(ctx)
	if err != nil {
		return nil, err
	}
	for _, key := range slices.Sorted(maps.Keys(silences)) {
		b.Silenced = append(b.Silenced, exchange.Silence{Key: key, Reason: silences[key].Reason})
	}
	return b, nil
}

// withoutFields is a kind as a book's file has it: its fields stand by themselves.
func withoutFields(k record.Kind) record.Kind {
	k.Fields = nil
	return k
}

// Hash stands for the rules, tables and added fields of the book, as its file has them.
func (s *Service) Hash(ctx context.Context) (string, error) {
	b, err := s.Export(ctx)
	if err != nil {
		return "", err
	}
	sum := sha256.New()
	only := exchange.Book{Kinds: b.Kinds, Fields: b.Fields, Standing: b.Standing, Crosswalks: b.Crosswalks, Series: b.Series, Lists: b.Lists, Rules: b.Rules}
	err = only.Write(sum)
	return hex.EncodeToString(sum.Sum(nil)), err
}

// Codicil returns what a codicil changes as a book of its own, with the proofs that were kept with it.
func (s *Service) Codicil(ctx context.Context, id int64) (*exchange.Book, error) {
	c, err := s.base.Store.Codicil(ctx, id)
	if err != nil {
		return nil, commit.Explain(err)
	}
	contents, err := s.base.Store.ChangesOf(ctx, id, 0)
	if err != nil {
		return nil, err
	}
	version, _, err := s.base.Cache.Version(ctx)
	if err != nil {
		return nil, err
	}
	m, err := s.base.Cache.Reference(ctx)
	if err != nil {
		return nil, err
	}
	b := &exchange.Book{
		RuleBook: version.Book, Fields: map[string][]field.Field{},
		Codicil: &exchange.CodicilHead{Number: c.ID, Title: c.Title, AskedBy: c.AskedBy, Reason: c.Reason, Texts: view.List(c.Texts, func(t store.Text) exchange.Text { return exchange.Text(t) })},
	}
	own := map[int64]bool{}
	for i := range contents {
		change := &contents[i]
		definition, err := change.Definition(change.After)
		if err != nil {
			return nil, err
		}
		parts := strings.SplitN(change.Key, "/", 3)
		switch d := definition.(type) {
		case nil:
			gone, err := removedBy(change)
			if err != nil {
				return nil, err
			}
			b.Removed = append(b.Removed, gone)
		case rule.Rule:
			d.ID = change.Number()
			b.Rules, own[d.ID] = append(b.Rules, d), true
		case table.Standing:
			b.Standing = append(b.Standing, d)
		case table.Crosswalk:
			b.Crosswalks = append(b.Crosswalks, d)
		case table.Series:
			b.Series = append(b.Series, d)
		case table.List:
			b.Lists = append(b.Lists, d)
		case field.Field:
			b.Fields[parts[0]] = append(b.Fields[parts[0]], d)
		case record.Layout:
			b.Layouts = append(b.Layouts, record.ScopedLayout{Kind: parts[0], Company: parts[1], Type: parts[2], Layout: d})
		case record.FollowOn:
			b.Maps = append(b.Maps, d)
		}
	}
	with := s.base.Store.Viewed(store.View{Codicil: id}) // where its own are shown
	for i := range m.Kinds {
		kind := m.Kinds[i].Key
		proofs, err := with.Proofs(ctx, kind)
		if err != nil {
			return nil, err
		}
		proofs = slices.DeleteFunc(proofs, func(p proof.Proof) bool { return p.Codicil != id })
		if b.Proofs = append(b.Proofs, proofs...); len(proofs) == 0 {
			continue
		}
		rules, err := s.base.Store.Rules(ctx, kind)
		if err != nil {
			return nil, err
		}
		if b.Codicil.Rules == nil {
			b.Codicil.Rules = map[int64]string{}
		}
		for j := range rules {
			if r := &rules[j]; !own[r.ID] && slices.ContainsFunc(proofs, func(p proof.Proof) bool { return names(&p, r.ID) }) {
				b.Codicil.Rules[r.ID] = r.UID
			}
		}
	}
	return b, nil
}

// removedBy says what a change takes away. A map has another number elsewhere: it is told by its kinds and name.
func removedBy(change *store.CodicilChange) (exchange.Removed, error) {
	before, err := change.Definition(change.Before)
	gone := exchange.Removed{What: change.What, Key: change.Key}
	if m, is := before.(record.FollowOn); is {
		gone.Key = strings.Join([]string{m.From, m.To, m.Name}, "/")
	}
	return gone, err
}

// names tells whether a proof names a rule anywhere.
func names(p *proof.Proof, id int64) bool {
	if _, seen := p.Seen[id]; seen || slices.Contains(p.Rules, id) || slices.Contains(p.Expect.Acting, id) {
		return true
	}
	if slices.ContainsFunc(p.Expect.Messages, func(m proof.Message) bool { return m.Rule == id }) {
		return true
	}
	return p.Given.Fixtures != nil && slices.ContainsFunc(p.Given.Fixtures.Alike, func(a judge.Alike) bool { return a.Rule == id })
}
