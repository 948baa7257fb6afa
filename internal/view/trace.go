package view

import (
	"strings"

	"codicil/core/field"
	"codicil/core/judge"
	"codicil/core/record"
	"codicil/internal/contract"
	"codicil/internal/fault"
	"codicil/internal/ledger"
)

// TraceOf is what is kept of an outcome with its posting.
func TraceOf(o *contract.Outcome) ledger.Trace {
	return ledger.Trace{
		Verdict: string(o.Verdict), Day: record.Day(o.Day), Today: record.Day(o.Today), Version: o.Version,
		Changes: List(o.Changes, func(c contract.RuleRef) ledger.Changed {
			return ledger.Changed{Rule: c.Rule, Version: c.Version, Name: c.Name}
		}),
		Fields: List(o.Fields, traceOfField),
		Lines: List(o.Lines, func(l contract.LineOutcome) ledger.Line {
			return ledger.Line{Number: l.Number, Fields: List(l.Fields, traceOfField)}
		}),
		Messages: List(o.Messages, traceOfMessage), FollowUps: List(o.FollowUps, WriteOf),
	}
}

// Receipt is what is kept of an outcome whose trace can be computed again: what it said, and what it wrote.
func Receipt(o *contract.Outcome) ledger.Trace {
	t := TraceOf(o)
	t.Fields, t.Lines = nil, nil
	return t
}

// Values is what is kept of the values of a document whose trace cannot be told again.
func Values(kind *record.Kind, c *record.Content) (fields []ledger.Field, lines []ledger.Line) {
	told := func(place int, line int, origins record.Origins) ledger.Field {
		f := &kind.Fields[place]
		text := c.Get(f, line)
		key := f.Key
		if line > 0 {
			key = f.Column()
		}
		return ledger.Field{Key: f.Key, Final: ledger.Told{Text: text, Value: text}, Origin: string(origins[key]), Acts: []ledger.Act{}}
	}
	for i := range kind.Headers() {
		fields = append(fields, told(i, 0, c.Origins))
	}
	for _, l := range c.Lines {
		line := ledger.Line{Number: l.Number}
		for i := kind.Headers(); i < len(kind.Fields); i++ {
			line.Fields = append(line.Fields, told(i, l.Number, l.Origins))
		}
		lines = append(lines, line)
	}
	return fields, lines
}

// Values shows the values of a document that was accepted and whose trace cannot be told again.
func (v *Viewer) Values(c *record.Content, b *judge.Basis) contract.Outcome {
	t := ledger.Trace{Verdict: string(contract.Accepted), Day: record.Day(c.Values[v.Kind.Day]), Today: b.Today, Version: b.Version}
	t.Fields, t.Lines = Values(v.Kind, c)
	return v.Trace(&t)
}

// WriteOf is what is kept of what a posting writes to a linked record.
func WriteOf(f contract.FollowUp) ledger.Write {
	return ledger.Write{Rule: f.Rule, Line: f.Line, Kind: f.Kind, Number: f.Number, Title: f.Title, Field: f.Field, Label: f.Label, Before: ledger.Told(f.Before), After: ledger.Told(f.After)}
}

// FollowUp shows what a posting writes to a linked record.
func FollowUp(w ledger.Write) contract.FollowUp {
	return contract.FollowUp{Rule: w.Rule, Line: w.Line, Kind: w.Kind, Number: w.Number, Title: w.Title, Field: w.Field, Label: w.Label, Before: contract.Shown(w.Before), After: contract.Shown(w.After)}
}

func traceOfField(f contract.FieldOutcome) ledger.Field {
	return ledger.Field{
		Key: f.Key, Entered: ledger.Told(f.Entered), Sourced: ledger.Told(f.Sourced), Defaulted: ledger.Told(f.Defaulted), Computed: ledger.Told(f.Computed), Substituted: ledger.Told(f.Substituted), Final: ledger.Told(f.Final),
		Offered: (*ledger.Told)(f.Offered), Stored: (*ledger.Told)(f.Stored), Made: f.Made, Origin: f.Origin, Misfit: f.Misfit,
		Need: f.Need, Access: f.Access, Cursor: f.Cursor, Twice: f.Twice, Band: f.Band, BandRule: f.BandRule,
		Acts: List(f.Acts, func(a contract.Act) ledger.Act {
			return ledger.Act{Rule: a.Rule, Version: a.Version, Family: a.Family, Phrase: a.Phrase, Did: string(a.Did), Reason: a.Reason, By: a.By,
				Before: ledger.Told(a.Before), After: ledger.Told(a.After), Facts: List(a.Facts, func(f contract.Fact) ledger.Fact { return ledger.Fact{Text: f.Text, Value: f.Value} })}
		}),
	}
}

func traceOfMessage(m contract.Message) ledger.Message {
	return ledger.Message{
		Severity: string(m.Severity), Code: m.Code, Field: m.Field, Label: m.Label, Text: m.Text, Reason: m.Reason, Line: m.Line, Rule: m.Rule, Given: m.Given,
		Records: List(m.Records, func(u fault.Use) ledger.Named { return ledger.Named{Kind: u.What, Number: u.Key, Title: u.Title} }),
	}
}

// Trace shows what was kept of an outcome, its values as this person reads them.
func (v *Viewer) Trace(t *ledger.Trace) contract.Outcome {
	final := record.Content{Values: map[string]string{}}
	for _, f := range t.Fields {
		final.Values[f.Key] = f.Final.Value
	}
	for _, l := range t.Lines {
		values := map[string]string{}
		for _, f := range l.Fields {
			values[strings.TrimPrefix(f.Key, field.LinePrefix)] = f.Final.Value
		}
		final.Lines = append(final.Lines, record.Line{Number: l.Number, Values: values})
	}
	fields := func(kept []ledger.Field, line int) []contract.FieldOutcome {
		return List(kept, func(f ledger.Field) contract.FieldOutcome {
			return v.keptField(f, &final, line)
		})
	}
	return contract.Outcome{
		Verdict: contract.OutcomeVerdict(t.Verdict), Day: string(t.Day), Today: string(t.Today), Version: t.Version,
		Changes: List(t.Changes, func(c ledger.Changed) contract.RuleRef {
			return contract.RuleRef{Rule: c.Rule, Version: c.Version, Name: c.Name}
		}),
		Fields: fields(t.Fields, 0),
		Lines: List(t.Lines, func(l ledger.Line) contract.LineOutcome {
			return contract.LineOutcome{Number: l.Number, Fields: fields(l.Fields, l.Number)}
		}),
		Messages: List(t.Messages, func(m ledger.Message) contract.Message {
			return contract.Message{
				Severity: contract.MessageSeverity(m.Severity), Code: m.Code, Field: m.Field, Label: m.Label, Text: m.Text, Reason: m.Reason, Line: m.Line, Rule: m.Rule, Given: m.Given,
				Records: List(m.Records, func(n ledger.Named) fault.Use { return same(v.Titles, n.Kind, n.Number, n.Title) }),
			}
		}),
		FollowUps: List(t.FollowUps, FollowUp),
	}
}

// keptField shows the journey of a value that was kept. Of a field that was removed meanwhile
// the texts are those of then.
func (v *Viewer) keptField(f ledger.Field, final *record.Content, line int) contract.FieldOutcome {
	place := v.Kind.Index(f.Key)
	show := func(t ledger.Told) contract.Shown {
		if place < 0 || t.Value == "" {
			return contract.Shown(t)
		}
		return v.Stored(final, place, line, t.Value)
	}
	return contract.FieldOutcome{
		Key: f.Key, Entered: show(f.Entered), Sourced: show(f.Sourced), Defaulted: show(f.Defaulted), Computed: show(f.Computed), Substituted: show(f.Substituted), Final: show(f.Final),
		Offered: (*contract.Shown)(f.Offered), Stored: (*contract.Shown)(f.Stored), Made: f.Made, Origin: f.Origin, Misfit: f.Misfit, Need: f.Need, Access: f.Access, Cursor: f.Cursor, Twice: f.Twice, Band: f.Band, BandRule: f.BandRule,
		Acts: List(f.Acts, func(a ledger.Act) contract.Act {
			return contract.Act{Rule: a.Rule, Version: a.Version, Family: a.Family, Phrase: a.Phrase, Did: contract.ActDid(a.Did), Reason: a.Reason, By: a.By,
				Before: show(a.Before), After: show(a.After), Facts: List(a.Facts, func(f ledger.Fact) contract.Fact { return contract.Fact{Text: f.Text, Value: f.Value} })}
		}),
	}
}
