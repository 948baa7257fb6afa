package formulas

import (
	"cmp"
	"codicil/core/feel"
	"codicil/core/field"
	"codicil/core/rule"
	"codicil/internal/access"
	"codicil/internal/actor"
	"codicil/internal/contract"
	"codicil/internal/fault"
	"codicil/internal/view"
	"context"
)

// Tell tells a formula of a rule in words, and as cases where it is a chain of choices.
func (s *Service) Tell(ctx context.Context, request contract.TellRequest) (contract.FormulaTold, error) {
	if err := access.Need(ctx, actor.RulesRead); err != nil {
		return contract.FormulaTold{}, err
	}
	told := contract.FormulaTold{Words: []contract.FormulaWord{}, Problems: []contract.RuleProblem{}, Findings: []feel.CaseFinding{}}
	b, place, gives, err := s.target(ctx, request.Kind, request.Target)
	if err != nil {
		return told, err
	}
	v := b.Vocabulary
	program, problems := feel.Compile(request.Formula, v.ScopeOf(place), feel.Strict)
	if program == nil {
		told.Problems = view.List(feel.Advise(request.Formula, v.ScopeOf(place), feel.Strict, problems, nil), func(p feel.Problem) contract.RuleProblem {
			return view.Problem(request.Formula, rule.Problem{Part: "value", Problem: p})
		})
		return told, nil
	}
	m, err := s.base.Cache.Reference(ctx)
	if err != nil {
		return told, err
	}
	kind := m.Labelled(v.Kind, request.Company, request.Type)
	format, links := request.Format.OrPlain(), s.base.Links(ctx, m, request.Company)
	words := v.Tell(program, place, gives, rule.Wording{Kind: kind, Show: func(f *field.Field, value feel.Value) string {
		key, isText := value.Text()
		switch {
		case f == nil:
			return rule.Written(format)(nil, value)
		case isText && f.IsLink():
			return links.Link(f.Kind, key)
		}
		return f.Tell(value, format)
	}})
	told.Text = rule.Text(words)
	told.Words = view.Words(request.Formula, words)
	if cases, ok := program.Cases(); ok {
		told.Cases, told.Findings = &cases, cases.Judge(v.ScopeOf(place), v.Steps(&cases, place))
		shown := v.ShownCases(cases, place, gives, rule.Wording{Show: rule.Written(format)})
		told.Shown = &shown
		told.Subjects = view.List(cases.Columns, func(c feel.CaseColumn) string { return v.SubjectWords(c.Subject, place, rule.Wording{Kind: kind}) })
	}
	return told, links.Err()
}

// WriteCases writes cases as a formula of a rule.
func (s *Service) WriteCases(ctx context.Context, request contract.CasesRequest) (contract.CasesWritten, error) {
	if err := access.Need(ctx, actor.RulesRead); err != nil {
		return contract.CasesWritten{}, err
	}
	written := contract.CasesWritten{Problems: []contract.RuleProblem{}}
	b, place, field, err := s.target(ctx, request.Kind, request.Target)
	if err != nil {
		return written, err
	}
	cases, who := request.Cases, actor.Of(ctx)
	format := who.Format.OrPlain()
	if request.Typed {
		cases = b.Vocabulary.MeantCases(cases, place, field, format)
	}
	if written.Formula, err = cases.Formula(); err != nil {
		return written, fault.Bad(incompleteCase, err)
	}
	if request.Typed {
		shown := b.Vocabulary.ShownCases(cases, place, field, rule.Wording{Show: rule.Written(format)})
		written.Shown = &shown
	}
	_, problems := b.Vocabulary.Part(cmp.Or(string(request.Part), "value"), written.Formula, place, field)
	written.Problems = view.List(problems, func(p rule.Problem) contract.RuleProblem { return view.Problem(written.Formula, p) })
	written.Findings = cases.Judge(b.Vocabulary.ScopeOf(place), b.Vocabulary.Steps(&cases, place))
	return written, nil
}
