package desk

import (
	"codicil/core/engine"
	"codicil/core/feel"
	"codicil/core/plan"
	"codicil/core/record"
	"codicil/core/rule"
	"codicil/internal/contract"
)

// reader shows values to one person.
type reader struct {
	plan   *plan.Plan
	format record.Format
	// currency of each amount that has one of its own, by field
	currency map[int]string
}

func newReader(p *plan.Plan, out *engine.Outcome, format *record.Format) *reader {
	r := &reader{plan: p, format: record.Plain, currency: map[int]string{}}
	if format != nil {
		r.format = *format
	}
	for i, f := range p.Kind().Fields {
		if c := p.Kind().Index(f.Currency); c >= 0 {
			r.currency[i], _ = out.Fields[c].Final.Text()
		}
	}
	return r
}

func (r *reader) text(field int, v feel.Value) string {
	s := record.Surroundings{Company: r.plan.Scope.Company, Day: r.plan.Scope.Day, Currency: r.currency[field]}
	return r.plan.Kind().Fields[field].Show(v, r.format, s)
}

func (r *reader) shown(field int, v feel.Value) contract.Shown {
	return contract.Shown{Value: record.Write(v), Text: r.text(field, v)}
}

// outcome is what the engine made of a case, as a person reads it. typed holds
// the texts that were not of their field's type.
func (r *reader) outcome(out *engine.Outcome, c *engine.Case, typed map[string]string) contract.Outcome {
	kind := r.plan.Kind()
	result := contract.Outcome{Verdict: contract.OutcomeVerdict(out.Verdict), Messages: []contract.Message{}}
	for i, f := range out.Fields {
		field := contract.FieldOutcome{
			Key: kind.Fields[i].Key, Entered: r.shown(i, f.Entered), Defaulted: r.shown(i, f.Defaulted),
			Substituted: r.shown(i, f.Substituted), Final: r.shown(i, f.Final),
			Made: f.Made, Manner: string(f.Manner), Acts: r.acts(i, f.Rules),
		}
		if wrong := c.Misfits[i]; wrong != nil {
			field.Misfit = wrong.Message
			field.Entered = contract.Shown{Text: typed[kind.Fields[i].Key]}
		}
		result.Fields = append(result.Fields, field)
	}
	for _, m := range out.Messages {
		message := contract.Message{
			Severity: contract.MessageSeverity(m.Severity), Code: m.Code,
			Field: kind.Fields[m.Field].Key, Text: m.Text, Reason: m.Reason,
		}
		if m.Rule != nil {
			message.Rule = m.Rule.ID
		}
		result.Messages = append(result.Messages, message)
	}
	return result
}

func (r *reader) acts(field int, acts []engine.Act) []contract.Act {
	list := make([]contract.Act, len(acts))
	for i, a := range acts {
		list[i] = contract.Act{
			Rule: a.Rule.ID, Version: a.Rule.Version, Family: string(a.Rule.Family), Phrase: rule.Phrase(a.Rule, r.plan.Kind()),
			Did: contract.ActDid(a.Did), Before: r.shown(field, a.Before), After: r.shown(field, a.After),
			Reason: a.Reason, Facts: []contract.Fact{},
		}
		if a.By != nil {
			list[i].By = a.By.ID
		}
		for _, f := range a.Facts {
			value := f.Value.Plain()
			switch {
			case f.Value.IsNull() && f.Field < 0:
				value = "undecided"
			case f.Value.IsNull():
				value = "blank"
			case f.Field >= 0:
				value = r.text(f.Field, f.Value)
			}
			list[i].Facts = append(list[i].Facts, contract.Fact{Text: f.Text, Value: value})
		}
	}
	return list
}
