package store

import (
	"codicil/core/judge"
	"codicil/core/record"
	"codicil/core/rule"
	"codicil/internal/ledger"
)

// The trace of a posting as it is kept: one JSON text a posting. What a name means here never
// changes; what is said otherwise gets a new version of the text and a step that brings older
// ones up to date (see versioned.go).

type traceModel struct {
	Verdict   string         `json:"verdict"`
	Day       record.Day     `json:"day"`
	Today     record.Day     `json:"today"`
	Version   judge.Version  `json:"version"`
	Changes   []changedModel `json:"changes,omitempty"`
	Fields    []fieldTrace   `json:"fields"`
	Lines     []lineTrace    `json:"lines"`
	Messages  []messageModel `json:"messages"`
	FollowUps []writeModel   `json:"followUps,omitempty"`
}

type changedModel struct {
	Rule    int64  `json:"rule"`
	Version int    `json:"version"`
	Name    string `json:"name,omitempty"`
}

type told struct {
	Text  string `json:"text"`
	Value string `json:"value"`
}

type lineTrace struct {
	Number int          `json:"number"`
	Fields []fieldTrace `json:"fields"`
}

type fieldTrace struct {
	Key         string     `json:"key"`
	Entered     told       `json:"entered"`
	Sourced     told       `json:"sourced"`
	Defaulted   told       `json:"defaulted"`
	Computed    told       `json:"computed"`
	Substituted told       `json:"substituted"`
	Final       told       `json:"final"`
	Offered     *told      `json:"offered,omitempty"`
	Stored      *told      `json:"stored,omitempty"`
	Made        string     `json:"made"`
	Origin      string     `json:"origin,omitempty"`
	Misfit      string     `json:"misfit,omitempty"`
	Need        string     `json:"need,omitempty"`
	Access      string     `json:"access,omitempty"`
	Cursor      string     `json:"cursor,omitempty"`
	Twice       bool       `json:"twice,omitempty"`
	Band        *rule.Band `json:"band,omitempty"`
	BandRule    int64      `json:"bandRule,omitempty"`
	Acts        []actModel `json:"acts"`
}

type actModel struct {
	Rule    int64       `json:"rule"`
	Version int         `json:"version"`
	Family  string      `json:"family"`
	Phrase  string      `json:"phrase"`
	Did     string      `json:"did"`
	Reason  string      `json:"reason,omitempty"`
	By      int64       `json:"by,omitempty"`
	Before  told        `json:"before"`
	After   told        `json:"after"`
	Facts   []factModel `json:"facts"`
}

type factModel struct {
	Text  string `json:"text"`
	Value string `json:"value"`
}

type messageModel struct {
	Severity string         `json:"severity"`
	Code     string         `json:"code"`
	Field    string         `json:"field"`
	Label    string         `json:"label,omitempty"`
	Text     string         `json:"text"`
	Reason   string         `json:"reason,omitempty"`
	Line     int            `json:"line,omitempty"`
	Rule     int64          `json:"rule,omitempty"`
	Given    *record.Reason `json:"given,omitempty"`
	Records  []namedModel   `json:"records,omitempty"`
}

type namedModel struct {
	Kind   string `json:"what"`
	Number string `json:"key"`
	Title  string `json:"title"`
}

type writeModel struct {
	Rule   int64  `json:"rule"`
	Line   int    `json:"line,omitempty"`
	Kind   string `json:"kind"`
	Number string `json:"number"`
	Title  string `json:"title"`
	Field  string `json:"field"`
	Label  string `json:"label"`
	Before told   `json:"before"`
	After  told   `json:"after"`
}

// each converts a list; an empty one stays empty, nil stays nil.
func each[From, To any](list []From, convert func(From) To) []To {
	if list == nil {
		return nil
	}
	made := make([]To, len(list))
	for i, item := range list {
		made[i] = convert(item)
	}
	return made
}

func traceOf(t *ledger.Trace) traceModel {
	return traceModel{
		t.Verdict, t.Day, t.Today, t.Version, each(t.Changes, func(c ledger.Changed) changedModel { return changedModel(c) }), each(t.Fields, fieldTraceOf),
		each(t.Lines, func(l ledger.Line) lineTrace { return lineTrace{l.Number, each(l.Fields, fieldTraceOf)} }),
		each(t.Messages, func(m ledger.Message) messageModel {
			return messageModel{m.Severity, m.Code, m.Field, m.Label, m.Text, m.Reason, m.Line, m.Rule, m.Given, each(m.Records, func(n ledger.Named) namedModel { return namedModel(n) })}
		}),
		each(t.FollowUps, func(w ledger.Write) writeModel {
			return writeModel{w.Rule, w.Line, w.Kind, w.Number, w.Title, w.Field, w.Label, told(w.Before), told(w.After)}
		}),
	}
}

func fieldTraceOf(f ledger.Field) fieldTrace {
	return fieldTrace{
		f.Key, told(f.Entered), told(f.Sourced), told(f.Defaulted), told(f.Computed), told(f.Substituted), told(f.Final),
		(*told)(f.Offered), (*told)(f.Stored), f.Made, f.Origin, f.Misfit, f.Need, f.Access, f.Cursor, f.Twice, f.Band, f.BandRule,
		each(f.Acts, func(a ledger.Act) actModel {
			return actModel{a.Rule, a.Version, a.Family, a.Phrase, a.Did, a.Reason, a.By, told(a.Before), told(a.After), each(a.Facts, func(x ledger.Fact) factModel { return factModel(x) })}
		}),
	}
}

func (t *traceModel) trace() ledger.Trace {
	return ledger.Trace{
		Verdict: t.Verdict, Day: t.Day, Today: t.Today, Version: t.Version, Changes: each(t.Changes, func(c changedModel) ledger.Changed { return ledger.Changed(c) }),
		Fields: each(t.Fields, fieldTrace.field), Lines: each(t.Lines, func(l lineTrace) ledger.Line {
			return ledger.Line{Number: l.Number, Fields: each(l.Fields, fieldTrace.field)}
		}),
		Messages: each(t.Messages, func(m messageModel) ledger.Message {
			return ledger.Message{Severity: m.Severity, Code: m.Code, Field: m.Field, Label: m.Label, Text: m.Text, Reason: m.Reason, Line: m.Line, Rule: m.Rule, Given: m.Given,
				Records: each(m.Records, func(n namedModel) ledger.Named { return ledger.Named(n) })}
		}),
		FollowUps: each(t.FollowUps, func(w writeModel) ledger.Write {
			return ledger.Write{Rule: w.Rule, Line: w.Line, Kind: w.Kind, Number: w.Number, Title: w.Title, Field: w.Field, Label: w.Label, Before: ledger.Told(w.Before), After: ledger.Told(w.After)}
		}),
	}
}

func (f fieldTrace) field() ledger.Field {
	return ledger.Field{
		Key: f.Key, Entered: ledger.Told(f.Entered), Sourced: ledger.Told(f.Sourced), Defaulted: ledger.Told(f.Defaulted), Computed: ledger.Told(f.Computed),
		Substituted: ledger.Told(f.Substituted), Final: ledger.Told(f.Final), Offered: (*ledger.Told)(f.Offered), Stored: (*ledger.Told)(f.Stored),
		Made: f.Made, Origin: f.Origin, Misfit: f.Misfit, Need: f.Need, Access: f.Access, Cursor: f.Cursor, Twice: f.Twice, Band: f.Band, BandRule: f.BandRule,
		Acts: each(f.Acts, func(a actModel) ledger.Act {
			return ledger.Act{Rule: a.Rule, Version: a.Version, Family: a.Family, Phrase: a.Phrase, Did: a.Did, Reason: a.Reason, By: a.By,
				Before: ledger.Told(a.Before), After: ledger.Told(a.After), Facts: each(a.Facts, func(x factModel) ledger.Fact { return ledger.Fact(x) })}
		}),
	}
}
