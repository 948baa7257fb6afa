package desk

import (
	"slices"
	"strings"

	"codicil/core/engine"
	"codicil/core/feel"
	"codicil/core/field"
	"codicil/core/judge"
	"codicil/core/plan"
	"codicil/core/record"
	"codicil/core/rule"
	"codicil/internal/contract"
)

// viewer shows the saved values of one kind to one person.
type viewer struct {
	kind    *record.Kind
	company *record.Company
	links   *links
	format  field.Format
}

// text shows a value; beside returns the text of a field beside it, "" for -1.
func (v *viewer) text(place int, value feel.Value, beside func(place int) string) string {
	f := &v.kind.Fields[place]
	if key, ok := value.Text(); ok && f.IsLink() {
		return v.links.show(f.Kind, key)
	}
	at := v.kind.Beside(place)
	return f.Show(value, v.format, v.company.Surroundings("").Beside(beside(at.Currency), beside(at.Unit), beside(at.Country)))
}

// stored shows a saved text of a field of the content.
func (v *viewer) stored(content *record.Content, place, line int, text string) contract.Shown {
	value, wrong := v.kind.Fields[place].Parse(text)
	if wrong != nil {
		return contract.Shown{Value: text, Text: text}
	}
	return contract.Shown{Value: text, Text: v.text(place, value, func(p int) string {
		if p < 0 {
			return ""
		}
		return content.Get(&v.kind.Fields[p], line)
	})}
}

// cell shows a field in a list; of the lines, every different value.
func (v *viewer) cell(content *record.Content, key string) string {
	place := v.kind.Index(key)
	f := &v.kind.Fields[place]
	if !f.OfLine() {
		return v.stored(content, place, 0, content.Get(f, 0)).Text
	}
	var texts []string
	for _, l := range content.Lines {
		text := v.stored(content, place, l.Number, content.Get(f, l.Number)).Text
		if text != "" && (len(texts) == 0 || texts[len(texts)-1] != text) {
			texts = append(texts, text)
		}
	}
	return strings.Join(texts, ", ")
}

// again writes the texts of an outcome that was kept as another person read it.
func (v *viewer) again(o *contract.Outcome) {
	final := record.Content{Values: map[string]string{}}
	for _, f := range o.Fields {
		final.Values[f.Key] = f.Final.Value
	}
	for _, l := range o.Lines {
		values := map[string]string{}
		for _, f := range l.Fields {
			values[strings.TrimPrefix(f.Key, field.LinePrefix)] = f.Final.Value
		}
		final.Lines = append(final.Lines, record.Line{Number: l.Number, Values: values})
	}
	write := func(fields []contract.FieldOutcome, line int) {
		for i := range fields {
			f := &fields[i]
			place := v.kind.Index(f.Key)
			if place < 0 {
				continue // the field was removed meanwhile
			}
			texts := []*contract.Shown{&f.Entered, &f.Sourced, &f.Defaulted, &f.Computed, &f.Substituted, &f.Final}
			for j := range f.Acts {
				texts = append(texts, &f.Acts[j].Before, &f.Acts[j].After)
			}
			for _, t := range texts {
				if t.Value != "" {
					*t = v.stored(&final, place, line, t.Value)
				}
			}
		}
	}
	write(o.Fields, 0)
	for _, l := range o.Lines {
		write(l.Fields, l.Number)
	}
}

// reader shows the outcome of a run to one person.
type reader struct {
	viewer
	plan *plan.Plan
	out  *engine.Outcome
}

func newReader(p *plan.Plan, out *engine.Outcome, links *links, format *field.Format) *reader {
	return &reader{viewer{p.Kind(), p.Scope.Company, links, formatOf(format)}, p, out}
}

func (r *reader) shown(s engine.Spot, v feel.Value) contract.Shown {
	return contract.Shown{Value: field.Write(v), Text: r.at(s, v)}
}

// at shows a value at a spot of the outcome.
func (r *reader) at(s engine.Spot, v feel.Value) string {
	return r.text(s.Place, v, func(place int) string {
		if place < 0 {
			return ""
		}
		line := s.Line
		if place < len(r.out.Fields) {
			line = 0
		}
		text, _ := r.out.Field(place, line).Final.Text()
		return text
	})
}

// outcome is what the engine made of a case, as a person reads it. typed holds
// the texts that were not of their field's type, by address.
func (r *reader) outcome(c *engine.Case, typed map[string]string) contract.Outcome {
	result := contract.Outcome{
		Verdict: contract.OutcomeVerdict(r.out.Verdict), Fields: []contract.FieldOutcome{},
		Lines: make([]contract.LineOutcome, len(r.out.Lines)), Messages: []contract.Message{},
	}
	misfits, stored := map[int]map[int]*field.Misfit{0: c.Header.Misfits}, map[int][]feel.Value{0: c.Header.Stored}
	places := map[int]int{}
	for i, l := range c.Lines {
		misfits[l.Number], stored[l.Number], places[l.Number] = l.Misfits, l.Stored, i
		result.Lines[i] = contract.LineOutcome{Number: l.Number, Fields: []contract.FieldOutcome{}}
	}
	for _, s := range r.out.Spots() {
		f := contract.FieldOutcome{
			Key: r.kind.Fields[s.Place].Key, Entered: r.shown(s, s.Entered), Sourced: r.shown(s, s.Sourced), Defaulted: r.shown(s, s.Defaulted),
			Computed: r.shown(s, s.Computed), Substituted: r.shown(s, s.Substituted), Final: r.shown(s, s.Final),
			Made: s.Made, Origin: string(s.Origin), Need: string(s.Need), Access: string(s.Access), Cursor: string(s.Cursor), Twice: s.Twice, Acts: r.acts(s),
		}
		if !s.Offered.IsNull() {
			offered := r.shown(s, s.Offered)
			f.Offered = &offered
		}
		at := s.Place
		if s.Line > 0 {
			at -= len(r.out.Fields)
		}
		if was := stored[s.Line]; was != nil && !feel.Same(was[at], s.Final) {
			before := r.shown(s, was[at])
			f.Stored = &before
		}
		if s.Sorted != nil {
			f.Band, f.BandRule = &s.Sorted.Effect.Bands[s.Band], s.Sorted.ID
		}
		if wrong := misfits[s.Line][at]; wrong != nil {
			f.Misfit = wrong.String()
			f.Entered = contract.Shown{Text: typed[judge.Address(r.kind, s.Place, s.Line)]}
		}
		if s.Line == 0 {
			result.Fields = append(result.Fields, f)
		} else {
			line := &result.Lines[places[s.Line]]
			line.Fields = append(line.Fields, f)
		}
	}
	for _, m := range r.out.Messages {
		message := contract.Message{
			Severity: contract.MessageSeverity(m.Severity), Code: m.Code, Line: m.Line,
			Field: m.Key(r.kind), Text: m.Text, Reason: m.Reason, Given: m.Given,
		}
		if m.Rule != nil {
			message.Rule = m.Rule.ID
		}
		if m.Field >= 0 {
			message.Label = r.kind.Fields[m.Field].Label
		}
		if len(m.Values) > 0 {
			message.Text = m.Rule.MessageText(m.Values, func(piece rule.Piece, v feel.Value) string { return r.inMessage(m, piece, v) })
		}
		for _, number := range m.Records {
			if number != "" {
				message.Records = append(message.Records, contract.Use{What: r.kind.Key, Key: number, Title: r.links.title(r.kind.Key, number)})
			}
		}
		result.Messages = append(result.Messages, message)
	}
	result.FollowUps = list(r.out.FollowUps, r.followUp)
	return result
}

// followUp shows what posting writes to a linked record.
func (r *reader) followUp(f engine.FollowUp) contract.FollowUp {
	shown := func(v feel.Value) contract.Shown {
		text := f.Field.Show(v, r.format, r.company.Surroundings(""))
		if key, ok := v.Text(); ok && f.Field.IsLink() {
			text = r.links.show(f.Field.Kind, key)
		}
		return contract.Shown{Value: field.Write(v), Text: text}
	}
	return contract.FollowUp{
		Rule: f.Rule.ID, Line: f.Line, Kind: f.Kind, Number: f.Number, Title: r.links.title(f.Kind, f.Number),
		Field: f.Field.Key, Label: f.Field.Label, Before: shown(f.Before), After: shown(f.After),
	}
}

// linesInFull is how many lines a document may have of which every act is told; of a longer one
// those in lines are told that made something, or spoke.
const linesInFull = 1_000

func (r *reader) acts(s engine.Spot) []contract.Act {
	rules := s.Rules
	if s.Line > 0 && len(r.out.Lines) > linesInFull {
		rules = slices.DeleteFunc(slices.Clone(rules), func(a engine.Act) bool {
			return a.Did != engine.Acted && a.Did != engine.Speaks && a.Did != engine.Failed
		})
	}
	return list(rules, func(a engine.Act) contract.Act {
		act := contract.Act{
			Rule: a.Rule.ID, Version: a.Rule.Version, Family: string(a.Rule.Family), Phrase: rule.Phrase(a.Rule, r.kind),
			Did: contract.ActDid(a.Did), Before: r.shown(s, a.Before), After: r.shown(s, a.After),
			Reason: a.Reason, Facts: []contract.Fact{},
		}
		if a.By != nil {
			act.By = a.By.ID
		}
		for _, f := range a.Facts {
			act.Facts = append(act.Facts, contract.Fact{Text: f.Text, Value: r.fact(s, f)})
		}
		return act
	})
}

// fact shows the value that a part of a formula had: that of a field as the field is read.
func (r *reader) fact(s engine.Spot, f feel.Step) string {
	place := -1
	if slot, ok := feel.SlotOf(f.Node); ok {
		if read, isField := r.plan.Vocabulary.ReadAt(slot); isField && read.Form == rule.SoFar && !read.List {
			place = read.Field
		}
	}
	switch {
	case f.Values() != nil:
		return strings.Join(list(f.Values(), brief), " · ")
	case f.Value.IsNull() && place < 0:
		return "undecided"
	case f.Value.IsNull():
		return "blank"
	case place >= 0:
		return r.at(engine.Spot{Place: place, Line: s.Line}, f.Value)
	}
	return brief(f.Value)
}

// inMessage shows a value in a message: that of a field as the field is read.
func (r *reader) inMessage(m engine.Message, piece rule.Piece, v feel.Value) string {
	switch {
	case piece.Place >= 0:
		return r.at(engine.Spot{Place: piece.Place, Line: m.Line}, v)
	case piece.Field != nil:
		return piece.Field.Show(v, r.format, r.company.Surroundings(""))
	}
	return brief(v)
}

// longest is how many characters of a value are told.
const longest = 80

// brief tells a value in a few words: of a long list how many items it has.
func brief(v feel.Value) string { return v.Brief(longest) }
