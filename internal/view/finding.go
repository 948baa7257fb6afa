package view

import (
	"slices"
	"strings"

	"codicil/core/engine"
	"codicil/core/feel"
	"codicil/core/finding"
	"codicil/core/record"
	"codicil/core/rule"
	"codicil/internal/contract"
)

// Finding shows what was found of rules or a table; kind is nil for a table.
func Finding(f *finding.Finding, kind *record.Kind, w rule.Wording) contract.Finding {
	shown := contract.Finding{
		Key: f.Key(), Code: string(f.Code), Kind: f.Kind, Message: f.Message(w), Because: f.Because(w),
		Rules: List(f.Rules, func(c *rule.Compiled) contract.FoundRule { return FoundRule(c, w) }),
	}
	if len(f.Rules) > 0 {
		shown.Family = string(f.Rules[0].Family)
	}
	if kind != nil && f.Field >= 0 {
		shown.Field = kind.Fields[f.Field].Key
	}
	return shown
}

// FoundRule shows a rule that a finding is about.
func FoundRule(c *rule.Compiled, w rule.Wording) contract.FoundRule {
	return contract.FoundRule{ID: c.ID, Version: c.Version, Name: c.Name, Sentence: rule.Sentence(c, w), Companies: list(c.Scope.Companies), Types: list(c.Scope.Types)}
}

func list(keys []string) []string { return append([]string{}, keys...) }

// Silenced shows who left a finding as it is, and why.
func Silenced(reason string, by record.Stamp) *contract.Silenced {
	s := SetAside("", reason, by)
	return &contract.Silenced{Reason: reason, At: s.At, By: s.By}
}

// Witness shows the document of a finding, with the values that its rules read.
func (r *Reader) Witness(f *finding.Finding) *contract.Witness {
	w := f.Witness
	shown := &contract.Witness{Document: w.Document, Origin: w.Origin, Line: w.Line, Verdict: r.out.Verdict, Entered: []string{}}
	place := f.Field
	if at := r.out.Field(place, w.Line); at != nil {
		cell := engine.Cell{Index: place, Line: w.Line, Field: at}
		shown.Result = LabelOf(r.plan.Kind(), place, w.Line) + " " + OrBlank(r.At(cell, at.Final))
	}
	for _, m := range r.out.Messages {
		if m.Field == place && m.Line == w.Line && m.Severity == rule.Refuse {
			shown.Result += ": " + m.Text
			break
		}
	}
	for _, c := range f.Rules {
		for _, program := range []*feel.Program{c.When, c.Value, c.Must} {
			if program == nil {
				continue
			}
			feel.Walk(program.Root(), func(n feel.Node) {
				name := c.NameAt(n)
				if name == nil || !name.Single() {
					return
				}
				part, problems := feel.Compile(feel.Format(n), c.Vocabulary().ScopeOf(c.Field), feel.Strict)
				if problems.Errors() != nil {
					return
				}
				found, ok := engine.Probe{Place: c.Field, Line: w.Line, Family: c.Family, Program: part}.Try(r.plan, w.Result.Case, r.out)
				if !ok {
					return
				}
				text := strings.TrimSpace(name.Label + " " + OrBlank(r.value(name, found.Value)))
				if !slices.Contains(shown.Entered, text) {
					shown.Entered = append(shown.Entered, text)
				}
			})
		}
	}
	return shown
}

// value writes the value of a name as the person does.
func (r *Reader) value(name *rule.Name, v feel.Value) string {
	if key, ok := v.Text(); ok && name.Field.IsLink() {
		return r.Titles.Link(name.Field.Kind, key)
	}
	return name.Field.Show(v, r.Format, r.Company.Surroundings(""))
}
