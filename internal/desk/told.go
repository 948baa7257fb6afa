package desk

import (
	"cmp"
	"context"

	"codicil/core/feel"
	"codicil/core/field"
	"codicil/core/rule"
	"codicil/internal/contract"
)

// TellFormula tells a formula of a rule in words, and as cases where it is a chain of choices.
func (d *Desk) TellFormula(ctx context.Context, request contract.TellRequest) (contract.FormulaTold, error) {
	told := contract.FormulaTold{Words: []contract.FormulaWord{}, Problems: []contract.RuleProblem{}, Findings: []feel.CaseFinding{}}
	b, place, _, err := d.target(ctx, request.Kind, request.Target)
	if err != nil {
		return told, err
	}
	v := b.Vocabulary
	program, problems := feel.Compile(request.Formula, v.ScopeOf(place), feel.Strict)
	if program == nil {
		told.Problems = list(feel.Advise(request.Formula, v.ScopeOf(place), feel.Strict, problems, nil), func(p feel.Problem) contract.RuleProblem {
			return problemIn(request.Formula, rule.Problem{Part: "value", Problem: p})
		})
		return told, nil
	}
	m, err := d.master(ctx)
	if err != nil {
		return told, err
	}
	kind := v.Kind
	if labelled := m.labelled[[3]string{kind.Key, request.Company, request.Type}]; labelled != nil {
		kind = labelled
	}
	format, links := formatOf(request.Format), d.links(ctx, m, request.Company)
	words := v.Tell(program, place, kind, func(f *field.Field, value feel.Value) string {
		key, isText := value.Text()
		switch {
		case f == nil:
			return field.Holding(value).Show(value, format, field.Surroundings{})
		case isText && f.IsLink():
			return links.show(f.Kind, key)
		}
		return f.Show(value, format, m.company(request.Company).Surroundings(""))
	})
	told.Text = rule.Text(words)
	told.Words = list(words, func(w rule.Word) contract.FormulaWord {
		return contract.FormulaWord{Text: w.Text, Start: units(request.Formula, w.Start), End: units(request.Formula, w.End), Code: w.Code}
	})
	if cases, ok := program.Cases(); ok {
		told.Cases, told.Findings = &cases, cases.Judge(v.ScopeOf(place), v.Steps(&cases, place))
	}
	return told, links.failed
}

// WriteCases writes cases as a formula of a rule.
func (d *Desk) WriteCases(ctx context.Context, request contract.CasesRequest) (contract.CasesWritten, error) {
	written := contract.CasesWritten{Problems: []contract.RuleProblem{}}
	b, place, field, err := d.target(ctx, request.Kind, request.Target)
	if err != nil {
		return written, err
	}
	if written.Formula, err = request.Cases.Formula(); err != nil {
		return written, invalid("incomplete-case", "%v", err)
	}
	_, problems := b.Vocabulary.Part(cmp.Or(string(request.Part), "value"), written.Formula, place, field)
	written.Problems = list(problems, func(p rule.Problem) contract.RuleProblem { return problemIn(written.Formula, p) })
	written.Findings = request.Cases.Judge(b.Vocabulary.ScopeOf(place), b.Vocabulary.Steps(&request.Cases, place))
	return written, nil
}
