// Package formulas helps to write the formulas of rules: the names that they may use, what is wrong
// with one, what it gives for a document, conditions and cases instead of it, and its words.
//
// It must never know how rules are kept. Start reading at Service.
package formulas

import (
	"codicil/core/engine"
	"codicil/core/feel"
	"codicil/core/field"
	"codicil/core/plan"
	"codicil/core/rule"
	"codicil/internal/access"
	"codicil/internal/actor"
	"codicil/internal/app/judging"
	"codicil/internal/contract"
	"codicil/internal/fault"
	"codicil/internal/view"
	"context"
	"slices"
	"strings"
)

// Service serves these use cases.
type Service struct{ base *judging.Service }

// New returns the use cases.
func New(j *judging.Service) *Service { return &Service{j} }

// target finds the names that the rules on a target may use, the place from which they
// see the document, and the field that their values go into.
func (s *Service) target(ctx context.Context, kind, target string) (b *plan.Book, place int, f *field.Field, err error) {
	if b, err = s.base.Cache.Book(ctx, kind); err != nil {
		return nil, 0, nil, err
	}
	if place, f = b.Vocabulary.TargetOf(target); place < 0 {
		return nil, 0, nil, fault.Bad(fault.UnknownField, b.Vocabulary.Kind.Noun(), target)
	}
	return b, place, f, nil
}

// Names returns the names that the formulas of a rule on a field may use.
func (s *Service) Names(ctx context.Context, kind, of string) (contract.Names, error) {
	if err := access.Need(ctx, actor.RulesRead); err != nil {
		return contract.Names{}, err
	}
	b, place, target, err := s.target(ctx, kind, of)
	if err != nil {
		return contract.Names{}, err
	}
	return view.Names(b.Vocabulary.Names(place), target.FeelType()), nil
}

// Check says what is wrong with a formula of a rule, and computes it for a
// document.
func (s *Service) Check(ctx context.Context, request contract.FormulaAsk) (contract.FormulaAnswer, error) {
	if err := access.Need(ctx, actor.RulesRead); err != nil {
		return contract.FormulaAnswer{}, err
	}
	answer := contract.FormulaAnswer{Problems: []contract.RuleProblem{}, Steps: []contract.FormulaStep{}, Failures: []contract.FormulaFailure{}}
	b, place, field, err := s.target(ctx, request.Kind, request.Target)
	if err != nil || strings.TrimSpace(request.Formula) == "" {
		return answer, err
	}
	program, problems := b.Vocabulary.Part(string(request.Part), request.Formula, place, field)
	answer.Problems = view.List(problems, func(p rule.Problem) contract.RuleProblem { return view.Problem(request.Formula, p) })
	if program == nil {
		return answer, nil
	}
	answer.Type = program.Type().String()
	if request.Document == nil || request.Document.Kind != request.Kind {
		return answer, nil
	}
	if err := access.Company(ctx, request.Document.Company); err != nil {
		return answer, err
	}
	t, err := s.base.Try(ctx, *request.Document, judging.Ask{Format: request.Format})
	if err != nil {
		return answer, err
	}
	probe := engine.Probe{Place: place, Line: request.Line, Family: request.Family, Program: program}
	found, ok := probe.Try(t.Plan, t.Case, t.Judged.Outcome)
	if !ok {
		return answer, t.Links.Err()
	}
	cell := engine.Cell{Index: place, Line: request.Line}
	answer.Value = t.Reader.Computed(cell, found.Value, request.Part == contract.FormulaAskPartValue)
	answer.Steps = t.Reader.Steps(request.Formula, found.Steps, func(step feel.Step) string { return t.Reader.Fact(cell, step) })
	answer.Failures = view.Failures(request.Formula, found.Failures)
	return answer, t.Links.Err()
}

// Compose writes conditions as a formula.
func (s *Service) Compose(ctx context.Context, request contract.ComposeRequest) (contract.Formula, error) {
	if err := access.Need(ctx, actor.RulesRead); err != nil {
		return contract.Formula{}, err
	}
	b, place, _, err := s.target(ctx, request.Kind, request.Target)
	if err != nil {
		return contract.Formula{}, err
	}
	m, err := s.base.Cache.Reference(ctx)
	if err != nil {
		return contract.Formula{}, err
	}
	links := s.base.Links(ctx, m, "")
	understood := b.Vocabulary.Understand(request.Conditions, place, func(f *field.Field, text string) bool {
		return f.IsLink() && links.Meant(f, text) != text
	})
	text, err := b.Vocabulary.Compose(asMeant(links, b.Vocabulary, place, understood, actor.Of(ctx).Format), place)
	if err != nil {
		return contract.Formula{}, fault.Bad(incompleteCondition, err)
	}
	return contract.Formula{Formula: text, Conditions: &understood}, nil
}

// asMeant puts the numbers of records in place of what people call them, and values as everybody
// writes them in place of what the person typed, as a formula holds them.
func asMeant(links *judging.Links, v *rule.Vocabulary, place int, c rule.Conditions, format field.Format) rule.Conditions {
	c.Conditions = slices.Clone(c.Conditions)
	for i := range c.Conditions {
		condition := &c.Conditions[i]
		if condition.Group != nil {
			group := asMeant(links, v, place, *condition.Group, format)
			condition.Group = &group
		}
		if name := v.NameOf(place, condition.Field); name != nil {
			condition.Values = view.List(condition.Values, func(text string) string { return links.Meant(name.Field, plainly(name.Field, text, &format)) })
		}
	}
	return c
}

// plainly writes what a person typed as everybody reads it; what is not of the field's
// type stays as it is.
func plainly(f *field.Field, typed string, format *field.Format) string {
	v, wrong := f.Read(typed, format.OrPlain(), field.Surroundings{})
	if wrong != nil || v.IsNull() {
		return typed
	}
	return f.Plain(v)
}

// Constant writes what a person typed as the value of a rule as a formula.
func (s *Service) Constant(ctx context.Context, request contract.ConstantRequest) (contract.Formula, error) {
	if err := access.Need(ctx, actor.RulesRead); err != nil {
		return contract.Formula{}, err
	}
	b, place, f, err := s.target(ctx, request.Kind, request.Target)
	if err != nil {
		return contract.Formula{}, err
	}
	m, err := s.base.Cache.Reference(ctx)
	if err != nil {
		return contract.Formula{}, err
	}
	text, err := b.Vocabulary.Meant(s.base.Links(ctx, m, "").Meant(f, request.Text), place, f, request.Format.OrPlain())
	if err != nil {
		return contract.Formula{}, fault.Bad(misfit, err)
	}
	return contract.Formula{Formula: text}, nil
}
