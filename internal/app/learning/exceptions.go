package learning

import (
	"context"
	"errors"
	"slices"

	"codicil/core/field"
	"codicil/core/learn"
	"codicil/core/plan"
	"codicil/core/record"
	"codicil/core/rule"
	"codicil/internal/access"
	"codicil/internal/actor"
	"codicil/internal/app/judging"
	"codicil/internal/contract"
	"codicil/internal/store"
	"codicil/internal/view"
)

// Exceptions returns the first records that do not bear a proposal out, or one of its other forms, as they are
// now: the fields that the rule is about, and what it would give. What was put right since, or is gone, is left
// out. Cost: judging each by the one rule, 200 at most.
func (s *Service) Exceptions(ctx context.Context, key, proposal string, instead int, format *field.Format) ([]contract.ExceptionAsItIs, error) {
	found := []contract.ExceptionAsItIs{}
	if err := access.NeedFor(ctx, key, actor.RecordsRead); err != nil {
		return found, err
	}
	if err := access.Companies(ctx, nil); err != nil {
		return found, err
	}
	ref, kind, err := s.base.KindOf(ctx, key)
	if err != nil {
		return found, err
	}
	learned, err := s.base.Store.Learned(ctx, key)
	if err != nil {
		return found, err
	}
	p, err := chosen(learned, proposal, instead)
	if err != nil {
		return found, err
	}
	book := plan.NewBook(kind, ref.Kinds, with(ref, p), []rule.Rule{{ID: 1, State: rule.InForce, Body: p.Rule}})
	target := kind.Index(p.Rule.Target)
	if target < 0 || !book.Rules[0].Sound() {
		return found, nil // fields or tables are others since
	}
	for _, at := range p.Exceptions {
		shown, err := s.exception(ctx, book, p, target, at, format)
		if err != nil {
			return found, err
		}
		if shown != nil {
			found = append(found, *shown)
		}
	}
	return found, nil
}

// exception is one of them; nil where it is none any more.
func (s *Service) exception(ctx context.Context, book *plan.Book, p *learn.Proposal, target int, at learn.Place, format *field.Format) (*contract.ExceptionAsItIs, error) {
	kind := book.Vocabulary.Kind
	r, err := s.base.Store.Record(ctx, kind.Key, at.Number)
	if errors.Is(err, store.ErrNotFound) {
		return nil, nil //nolint:nilnil // it is gone since
	}
	if err != nil {
		return nil, err
	}
	d := judging.DocumentOf(kind, &r)
	d.Record = ""
	if gives(p.Rule.Family) {
		clear(&d, kind, p.Rule.Target, at.Line)
	}
	t, err := s.base.Try(ctx, d, judging.Ask{Moment: rule.Typing, NoTrace: true, Book: book, Format: format})
	if err != nil {
		return nil, err
	}
	content := t.Judged.Content("", "")
	f := &kind.Fields[target]
	is, would := r.Content.Get(f, at.Line), content.Get(f, at.Line)
	if gives(p.Rule.Family) && is == would {
		return nil, nil //nolint:nilnil // it was put right since
	}
	shown := contract.ExceptionAsItIs{
		Kind: r.Kind, Number: r.Number, Title: t.Links.Title(r.Kind, r.Number), Company: r.Company, Type: r.Type, Posted: r.State == record.Posted,
		Changes: []contract.ValueChange{},
	}
	tell := func(place int) {
		of, line := &kind.Fields[place], 0
		if of.OfLine() {
			line = at.Line
		}
		change := contract.ValueChange{Field: of.Key, Line: line, Label: view.LabelOf(kind, place, line), Before: t.Reader.Stored(&r.Content, place, line, r.Content.Get(of, line))}
		if place == target && gives(p.Rule.Family) {
			change.After = t.Reader.Stored(&content, place, line, would)
		}
		shown.Changes = append(shown.Changes, change)
	}
	tell(target) // what is to be put right stands first
	for i := range kind.Fields {
		of := &kind.Fields[i]
		if i != target && slices.Contains(p.Reads, of.Key) && (!of.OfLine() || at.Line > 0) {
			tell(i)
		}
	}
	return &shown, nil
}
