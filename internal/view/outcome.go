package view

import (
	"codicil/core/decimal"
	"codicil/core/engine"
	"codicil/core/feel"
	"codicil/core/field"
	"codicil/core/judge"
	"codicil/core/notice"
	"codicil/core/plan"
	"codicil/core/rule"
	"codicil/internal/contract"
	"fmt"
	"regexp"
	"slices"
	"strings"
)

// Reader shows the outcome of a run to one person.
type Reader struct {
	Viewer
	plan *plan.Plan
	out  *engine.Outcome
}

// NewReader returns what shows the outcome of a run through a plan.
func NewReader(p *plan.Plan, out *engine.Outcome, titles Titles, format *field.Format) *Reader {
	return &Reader{Viewer{p.Kind(), p.Scope.Company, titles, format.OrPlain()}, p, out}
}

func (r *Reader) shown(s engine.Cell, v feel.Value) contract.Shown {
	return contract.Shown{Value: field.Write(v), Text: r.At(s, v)}
}

// At shows a value at a cell of the outcome.
func (r *Reader) At(s engine.Cell, v feel.Value) string {
	return r.text(s.Index, v, func(place int) string {
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

// Outcome is what the engine made of a case, as a person reads it. typed holds
// the texts that were not of their field's type, by address.
func (r *Reader) Outcome(c *engine.Case, typed map[string]string) contract.Outcome {
	result := r.Said()
	result.Lines = make([]contract.LineOutcome, len(r.out.Lines))
	misfits, stored := map[int]map[int]*field.Misfit{0: c.Header.Misfits}, map[int][]feel.Value{0: c.Header.Stored}
	places := map[int]int{}
	for i, l := range c.Lines {
		misfits[l.Number], stored[l.Number], places[l.Number] = l.Misfits, l.Stored, i
		result.Lines[i] = contract.LineOutcome{Number: l.Number, Fields: []contract.FieldOutcome{}}
	}
	for _, s := range r.out.Cells() {
		f := contract.FieldOutcome{
			Key: r.Kind.Fields[s.Index].Key, Entered: r.shown(s, s.Entered), Sourced: r.shown(s, s.Sourced), Defaulted: r.shown(s, s.Defaulted),
			Computed: r.shown(s, s.Computed), Substituted: r.shown(s, s.Substituted), Final: r.shown(s, s.Final),
			Made: s.Made, Origin: string(s.Origin), Need: string(s.Need), Access: string(s.Access), Cursor: string(s.Cursor), Twice: s.Twice, Acts: r.Acts(s),
		}
		if !s.Offered.IsNull() {
			offered := r.shown(s, s.Offered)
			f.Offered = &offered
		}
		at := s.Index
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
			f.Entered = contract.Shown{Text: typed[judge.Address(r.Kind, s.Index, s.Line)]}
		}
		if s.Line == 0 {
			result.Fields = append(result.Fields, f)
		} else {
			line := &result.Lines[places[s.Line]]
			line.Fields = append(line.Fields, f)
		}
	}
	return result
}

// Said shows what was said about a document and what posting it writes, without its fields.
func (r *Reader) Said() contract.Outcome {
	result := contract.Outcome{Verdict: contract.OutcomeVerdict(r.out.Verdict), Fields: []contract.FieldOutcome{}, Lines: []contract.LineOutcome{}, Messages: []contract.Message{}}
	for _, m := range r.out.Messages {
		message := contract.Message{
			Severity: contract.MessageSeverity(m.Severity), Code: m.Code, Line: m.Line,
			Field: m.Key(r.Kind), Text: m.Text, Reason: m.Reason, Given: m.Given,
		}
		if m.Rule != nil {
			message.Rule = m.Rule.ID
			if m.Code == engine.FailedCode {
				message.Ask = m.Rule.Note.AskedBy
			}
		}
		if m.Notice.Definition != nil {
			message.Variant, message.Params = m.Notice.Variant, m.Notice.Named()
			if n, changed := r.inFormat(&m); changed {
				message.Text, message.Params = n.String(), n.Named()
			}
		}
		if m.Field >= 0 {
			message.Label = r.Kind.Fields[m.Field].Label
		}
		if len(m.Values) > 0 {
			message.Text = m.Rule.MessageText(m.Values, func(piece rule.Piece, v feel.Value) string { return r.inMessage(m, piece, v) })
		}
		for _, number := range m.Records {
			if number != "" {
				message.Records = append(message.Records, same(r.Titles, r.Kind.Key, number, r.Titles.Title(r.Kind.Key, number)))
			}
		}
		result.Messages = append(result.Messages, message)
	}
	result.FollowUps = List(r.out.FollowUps, r.followUp)
	if b := r.out.Balance; b != nil {
		show := func(n decimal.Number) contract.Shown { return Amounts{r.Format}.always(n, b.Currency) }
		result.Balance = &contract.JournalBalance{Debits: show(b.Debits), Credits: show(b.Credits), Difference: show(b.Lacks().Neg())}
	}
	return result
}

// followUp shows what posting writes to a linked record.
func (r *Reader) followUp(f engine.FollowUp) contract.FollowUp {
	shown := func(v feel.Value) contract.Shown {
		return contract.Shown{Value: field.Write(v), Text: r.remote(f.Field, v)}
	}
	return contract.FollowUp{
		Rule: f.Rule.ID, Line: f.Line, Kind: f.Kind, Number: f.Number, Title: r.Titles.Title(f.Kind, f.Number),
		Field: f.Field.Key, Label: f.Field.Label, Before: shown(f.Before), After: shown(f.After),
	}
}

// remote shows a value of a field of a linked record.
func (r *Reader) remote(f *field.Field, v feel.Value) string {
	if key, ok := v.Text(); ok && f.IsLink() {
		return r.Titles.Link(f.Kind, key)
	}
	return f.Show(v, r.Format, r.Company.Surroundings(""))
}

// linesInFull is how many lines a document may have of which every act is told; of a longer one
// those in lines are told that made something, or spoke.
const linesInFull = 1_000

// Acts tells what rules did at a cell.
func (r *Reader) Acts(s engine.Cell) []contract.Act {
	rules := s.Rules
	if s.Line > 0 && len(r.out.Lines) > linesInFull {
		rules = slices.DeleteFunc(slices.Clone(rules), func(a engine.Act) bool {
			return a.Did != engine.Acted && a.Did != engine.Speaks && a.Did != engine.Failed
		})
	}
	return List(rules, func(a engine.Act) contract.Act {
		act := contract.Act{
			Rule: a.Rule.ID, Version: a.Rule.Version, Family: string(a.Rule.Family), Phrase: r.phrase(a.Rule),
			Did: contract.ActDid(a.Did), Before: r.shown(s, a.Before), After: r.shown(s, a.After),
			Reason: a.Reason, Facts: []contract.Fact{},
		}
		if a.By != nil {
			act.By = a.By.ID
		}
		for _, f := range a.Facts {
			act.Facts = append(act.Facts, contract.Fact{Text: r.part(f.Node, s.Index), Value: r.Fact(s, f)})
		}
		return act
	})
}

// Fact shows the value that a part of a formula had: that of a field as the field is read.
func (r *Reader) Fact(s engine.Cell, f feel.Step) string {
	place := -1
	if slot, ok := feel.SlotOf(f.Node); ok {
		if read, isField := r.plan.Vocabulary.ReadAt(slot); isField && read.Form == rule.SoFar && !read.List {
			place = read.Field
		}
	}
	switch {
	case f.Values() != nil:
		return strings.Join(List(f.Values(), r.brief), " · ")
	case f.Value.IsNull() && place < 0:
		return "undecided"
	case f.Value.IsNull():
		return "blank"
	case place >= 0:
		return r.At(engine.Cell{Index: place, Line: s.Line}, f.Value)
	}
	if name := r.plan.Vocabulary.NameAt(s.Index, f.Node); name != nil {
		return name.Field.Tell(f.Value, r.Format)
	}
	return r.brief(f.Value)
}

// inMessage shows a value in a message: that of a field as the field is read.
func (r *Reader) inMessage(m engine.Message, piece rule.Piece, v feel.Value) string {
	switch {
	case piece.Place >= 0:
		return r.At(engine.Cell{Index: piece.Place, Line: m.Line}, v)
	case piece.Field != nil:
		return piece.Field.Show(v, r.Format, r.Company.Surroundings(""))
	}
	return r.brief(v)
}

// longest is how many characters of a value are told.
const longest = 80

// Computed shows the value of a formula: that of a field as the field is read.
func (r *Reader) Computed(s engine.Cell, v feel.Value, ofField bool) string {
	switch {
	case v.IsNull() && ofField:
		return "blank"
	case v.IsNull():
		return "undecided"
	case ofField:
		return r.At(s, v)
	}
	return r.brief(v)
}

func labelInLine(label string, line int) string { return fmt.Sprintf("%s in line %d", label, line) }

// inFormat writes the amounts of a notice as the person does; false where it has none.
func (r *Reader) inFormat(m *engine.Message) (shown notice.Notice, changed bool) {
	n := m.Notice
	named := n.Named()
	values := make([]any, len(n.Definition.Params))
	for i, name := range n.Definition.Params {
		text := r.amount(named[name])
		if m.Code == engine.LowerCode && (name == "value" || name == "before") {
			text = r.ofField(m, text)
		}
		values[i], changed = text, changed || text != named[name]
	}
	return n.Definition.With(values...), changed
}

// ofField writes a value of the field that a message is about, as the person does.
func (r *Reader) ofField(m *engine.Message, text string) string {
	v, wrong := r.Kind.Fields[m.Field].Parse(text)
	if wrong != nil {
		return text
	}
	return r.At(engine.Cell{Index: m.Field, Line: m.Line}, v)
}

// amountForm is an amount as the engine writes it in a notice: exact, with its currency.
var amountForm = regexp.MustCompile(`^(\d+(?:\.\d+)?) ([A-Z]{3})$`)

// amount writes an amount of a notice as the person does; any other text stays.
func (r *Reader) amount(text string) string {
	parts := amountForm.FindStringSubmatch(text)
	if parts == nil {
		return text
	}
	f := field.Field{Type: field.Amount}
	v, wrong := f.Parse(parts[1])
	if wrong != nil {
		return text
	}
	return f.Show(v, r.Format, field.Surroundings{Currency: parts[2]}) + " " + parts[2]
}
