package desk

import (
	"context"
	"slices"
	"strings"

	"codicil/core/engine"
	"codicil/core/feel"
	"codicil/core/field"
	"codicil/core/plan"
	"codicil/core/rule"
	"codicil/internal/contract"
)

// target finds the names that the rules on a target may use, the place from which they
// see the document, and the field that their values go into.
func (d *Desk) target(ctx context.Context, kind, target string) (b *plan.Book, place int, f *field.Field, err error) {
	if b, err = d.book(ctx, kind); err != nil {
		return nil, 0, nil, err
	}
	if place, f = b.Vocabulary.TargetOf(target); place < 0 {
		return nil, 0, nil, invalid("unknown-field", "a %s has no field %q", b.Vocabulary.Kind.Noun(), target)
	}
	return b, place, f, nil
}

// Names returns the names that the formulas of a rule on a field may use.
func (d *Desk) Names(ctx context.Context, kind, of string) (contract.Names, error) {
	b, place, target, err := d.target(ctx, kind, of)
	if err != nil {
		return contract.Names{}, err
	}
	answer := contract.Names{Relations: map[string][]field.Relation{}}
	want := target.FeelType()
	answer.Names = list(b.Vocabulary.Names(place), func(n rule.Name) contract.Name {
		fieldType := string(n.Field.Type)
		answer.Relations[fieldType] = n.Field.Relations()
		return contract.Name{
			Name: n.Text, Label: n.Label, Group: n.Group, Type: n.Type.String(), FieldType: fieldType, Kind: n.Kind, Field: n.Field.Key, Linked: n.Linked,
			Single: n.Single(), Fits: n.Single() && n.Type.Fits(want),
		}
	})
	return answer, nil
}

// CheckFormula says what is wrong with a formula of a rule, and computes it for a
// document.
func (d *Desk) CheckFormula(ctx context.Context, request contract.FormulaAsk) (contract.FormulaAnswer, error) {
	answer := contract.FormulaAnswer{Problems: []contract.RuleProblem{}, Steps: []contract.FormulaStep{}, Failures: []contract.FormulaFailure{}}
	b, place, field, err := d.target(ctx, request.Kind, request.Target)
	if err != nil || strings.TrimSpace(request.Formula) == "" {
		return answer, err
	}
	program, problems := b.Vocabulary.Part(string(request.Part), request.Formula, place, field)
	answer.Problems = list(problems, func(p rule.Problem) contract.RuleProblem { return problemIn(request.Formula, p) })
	if program == nil {
		return answer, nil
	}
	answer.Type = program.Type().String()
	if request.Document == nil || request.Document.Kind != request.Kind {
		return answer, nil
	}
	t, err := d.try(ctx, *request.Document, ask{format: request.Format})
	if err != nil {
		return answer, err
	}
	probe := engine.Probe{Place: place, Line: request.Line, Family: rule.Family(request.Family), Program: program}
	found, ok := probe.Try(t.Plan, t.Case, t.Outcome)
	if !ok {
		return answer, t.links.failed
	}
	spot := engine.Spot{Place: place, Line: request.Line}
	answer.Value = t.reader.computed(spot, found.Value, request.Part == contract.FormulaAskPartValue)
	for _, step := range found.Steps {
		start, end := step.Node.Span()
		told := contract.FormulaStep{
			Start: units(request.Formula, start), End: units(request.Formula, end), Text: step.Text,
			Value: t.reader.fact(spot, step), Times: step.Times(),
		}
		if values := step.Values(); values != nil {
			told.Values = list(values, brief)
		}
		answer.Steps = append(answer.Steps, told)
	}
	for _, f := range found.Failures {
		answer.Failures = append(answer.Failures, contract.FormulaFailure{Message: f.Message, Start: units(request.Formula, f.Start), End: units(request.Formula, f.End)})
	}
	return answer, t.links.failed
}

// computed shows the value of a formula: that of a field as the field is read.
func (r *reader) computed(s engine.Spot, v feel.Value, ofField bool) string {
	switch {
	case v.IsNull() && ofField:
		return "blank"
	case v.IsNull():
		return "undecided"
	case ofField:
		return r.at(s, v)
	}
	return brief(v)
}

// Compose writes conditions as a formula.
func (d *Desk) Compose(ctx context.Context, request contract.ComposeRequest) (contract.Formula, error) {
	b, place, _, err := d.target(ctx, request.Kind, request.Target)
	if err != nil {
		return contract.Formula{}, err
	}
	m, err := d.master(ctx)
	if err != nil {
		return contract.Formula{}, err
	}
	text, err := b.Vocabulary.Compose(d.asMeant(ctx, m, b.Vocabulary, place, request.Conditions), place)
	if err != nil {
		return contract.Formula{}, invalid("incomplete-condition", "%v", err)
	}
	return contract.Formula{Formula: text}, nil
}

// asMeant puts the numbers of records in place of what people call them, as a formula
// holds them.
func (d *Desk) asMeant(ctx context.Context, m *masters, v *rule.Vocabulary, place int, c rule.Conditions) rule.Conditions {
	c.Conditions = slices.Clone(c.Conditions)
	for i := range c.Conditions {
		condition := &c.Conditions[i]
		if condition.Group != nil {
			group := d.asMeant(ctx, m, v, place, *condition.Group)
			condition.Group = &group
		}
		if name := v.NameOf(place, condition.Field); name != nil {
			condition.Values = list(condition.Values, func(text string) string { return d.meant(ctx, m, name.Field, text) })
		}
	}
	return c
}

// meant returns the number of the record that a text names, for a link; any other
// text as it is.
func (d *Desk) meant(ctx context.Context, m *masters, f *field.Field, text string) string {
	if f == nil || !f.IsLink() || text == "" {
		return text
	}
	return d.links(ctx, m, "").resolve(f.Kind, text)
}

// plainly writes what a person typed as everybody reads it; what is not of the field's
// type stays as it is.
func plainly(f *field.Field, typed string, format *field.Format) string {
	v, wrong := f.Read(typed, formatOf(format), field.Surroundings{})
	switch {
	case wrong != nil || v.IsNull():
		return typed
	case f.Type == field.Percent || f.Type == field.YesNo:
		return f.Show(v, field.Plain, field.Surroundings{})
	}
	return field.Write(v)
}

// Constant writes a value that a person gave for a field as a formula.
func (d *Desk) Constant(ctx context.Context, request contract.ConstantRequest) (contract.Formula, error) {
	m, kind, err := d.masterOf(ctx, request.Kind)
	if err != nil {
		return contract.Formula{}, err
	}
	field := kind.Field(request.Field)
	if field == nil {
		return contract.Formula{}, invalid("unknown-field", "a %s has no field %q", kind.Noun(), request.Field)
	}
	text, err := rule.Constant(field, d.meant(ctx, m, field, plainly(field, request.Text, request.Format)))
	if err != nil {
		return contract.Formula{}, invalid("misfit", "%v", err)
	}
	return contract.Formula{Formula: text}, nil
}
