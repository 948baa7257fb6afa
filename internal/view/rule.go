package view

import (
	"unicode/utf16"

	"codicil/core/feel"
	"codicil/core/plan"
	"codicil/core/record"
	"codicil/core/rule"
	"codicil/internal/contract"
)

// Rule shows a rule; proofs are those of its kind.
func Rule(c *rule.Compiled, names rule.Wording, proofs []int64) contract.RuleView {
	v := contract.RuleView{
		ID: c.ID, UID: c.UID, Version: c.Version, State: c.State, Name: c.Name, Reason: c.Reason, Body: c.Body,
		ProposedName: rule.ProposeName(c), Named: rule.IsNamed(c), ProposedMessage: rule.ProposeMessage(c), Sentence: rule.Sentence(c, names), Phrase: rule.Phrase(c, names),
		Problems: Problems(c), Sound: c.Sound(), Proofs: append([]int64{}, proofs...),
	}
	v.When, v.Must = rule.ShownConditions(c, "when", names), rule.ShownConditions(c, "must", names)
	v.Reads = c.ReadFields()
	if c.Field >= 0 {
		v.Constant, v.IsConstant = rule.ValueText(c, names)
		v.FieldValue, v.LookUp, v.LineOf = c.ValueName(), c.LookUp(), c.LineOf()
	}
	return v
}

// LastChange tells who changed a rule last, and when.
func LastChange(v *contract.RuleView, by record.Stamp) {
	v.ChangedAt, v.ChangedBy = At(by), by.By
}

// RuleVersion shows a rule as it was at one time; then is compiled as it was.
func RuleVersion(then *rule.Compiled, names rule.Wording, changed record.Stamp) contract.RuleVersion {
	return contract.RuleVersion{
		Rule: then.ID, Version: then.Version, State: then.State, Name: then.Name, Body: then.Body, Reason: then.Reason, ChangedAt: At(changed), ChangedBy: changed.By,
		Sentence: rule.Sentence(then, names),
	}
}

// Problems shows what is wrong with a rule, with what is advised.
func Problems(c *rule.Compiled) []contract.RuleProblem {
	texts := map[string]string{"when": c.Rule.When, "value": c.Effect.Value, "must": c.Effect.Must, "message": c.Effect.Message}
	return List(c.Advised(), func(p rule.Problem) contract.RuleProblem { return Problem(texts[p.Part], p) })
}

// Problem places a problem in the text of its formula as a browser counts.
func Problem(text string, p rule.Problem) contract.RuleProblem {
	severity := contract.Error
	if p.Severity == feel.Warning {
		severity = contract.Warning
	}
	return contract.RuleProblem{
		Part: p.Part, Severity: severity, Code: p.Code, Message: p.Message, Suggestion: p.Suggestion,
		Start: units(text, p.Start), End: units(text, p.End), Line: p.Line, Column: p.Column,
	}
}

// units turns a byte offset into one that a browser counts by.
func units(text string, offset int) int {
	return len(utf16.Encode([]rune(text[:min(offset, len(text))])))
}

// Plan shows the rules of a scope by field and station. Drafts and suspended rules of the book
// stand after those in force; retired ones are left out.
func Plan(built *plan.Plan, book *plan.Book, names rule.Wording) contract.Plan {
	kind := built.Kind()
	out := contract.Plan{Fields: make([]contract.PlanField, len(kind.Fields))}
	if built.Loop != nil {
		out.Loop = built.Loop.Describe(kind)
	}
	for i := range out.Fields {
		f := contract.PlanField{Key: kind.Fields[i].Key, Label: kind.Fields[i].Label, Stations: map[string][]contract.PlanRule{}}
		for _, family := range rule.Families {
			for _, c := range built.At(i, family) {
				f.Stations[string(family)] = append(f.Stations[string(family)], planRule(c, names))
			}
		}
		out.Fields[i] = f
	}
	for _, c := range book.Rules {
		resting := c.State == rule.Draft || c.State == rule.Suspended || (c.State == rule.InForce && !c.Sound())
		if c.Field >= 0 && resting && plan.Covers(c, built.Scope) {
			for _, place := range c.Fields {
				stations := out.Fields[place].Stations
				stations[string(c.Family)] = append(stations[string(c.Family)], planRule(c, names))
			}
		}
	}
	return out
}

func planRule(c *rule.Compiled, names rule.Wording) contract.PlanRule {
	return contract.PlanRule{
		ID: c.ID, State: c.State, Sound: c.Sound(), Phrase: rule.Phrase(c, names),
		Sentence: rule.Sentence(c, names), Inherited: c.Scope.Width() > 0, Width: c.Scope.Width(), Occasions: rule.RunsOn(c, names),
	}
}

// Names shows the names that formulas may use; want is the type of value that fits.
func Names(names []rule.Name, want feel.Type) contract.Names {
	answer := contract.Names{Relations: map[string][]contract.Relation{}}
	answer.Names = List(names, func(n rule.Name) contract.Name {
		fieldType := string(n.Field.Type)
		answer.Relations[fieldType] = n.Field.Relations()
		return contract.Name{
			Name: n.Text, Label: n.Label, Group: n.Group, Type: n.Type.String(), FieldType: fieldType, Kind: n.Kind, Field: n.Field.Key, Linked: n.Linked,
			Single: n.Single(), Fits: n.Single() && n.Type.Fits(want),
		}
	})
	return answer
}

// Steps shows the parts of a formula with the values that they had at a cell.
func (r *Reader) Steps(formula string, steps []feel.Step, fact func(feel.Step) string) []contract.FormulaStep {
	return List(steps, func(step feel.Step) contract.FormulaStep {
		start, end := step.Node.Span()
		shown := contract.FormulaStep{Start: units(formula, start), End: units(formula, end), Text: step.Text, Value: fact(step), Times: step.Times()}
		if values := step.Values(); values != nil {
			shown.Values = List(values, r.brief)
		}
		return shown
	})
}

// Failures shows where a formula failed.
func Failures(formula string, failures []feel.Failure) []contract.FormulaFailure {
	return List(failures, func(f feel.Failure) contract.FormulaFailure {
		return contract.FormulaFailure{Message: f.Message, Start: units(formula, f.Start), End: units(formula, f.End)}
	})
}

// Words shows a formula told in words.
func Words(formula string, words []rule.Word) []contract.FormulaWord {
	return List(words, func(w rule.Word) contract.FormulaWord {
		return contract.FormulaWord{Text: w.Text, Start: units(formula, w.Start), End: units(formula, w.End), Code: w.Code}
	})
}
