// Package finding says what can be said about rules before somebody meets it: what can happen, each
// with a document that shows it, and what can never happen, each with the conditions that exclude it.
//
// What can happen is only told once a document has shown it, and what can never happen only where
// the conditions leave nothing over, so that neither is a guess. It must never know where rules and
// records are kept. Start reading at Finder.
package finding

import (
	"context"
	"fmt"
	"slices"
	"strconv"
	"strings"

	"codicil/core/feel"
	"codicil/core/judge"
	"codicil/core/plan"
	"codicil/core/proof"
	"codicil/core/record"
	"codicil/core/rule"
	"codicil/core/table"
)

// Code is a sort of finding.
type Code string

// What can happen: a document shows it.
const (
	Overlap         Code = "overlap"              // two rules of one rank want different values for one document
	RefusedValue    Code = "refused-value"        // a value that a rule gives is refused by a check of the same field
	Unfit           Code = "unfit"                // a value that a rule gives does not fit its field
	TooLong         Code = "too-long"             // a field takes over a text that can be longer than it takes
	RequiredHidden  Code = "required-hidden"      // a field is required where nobody may type into it
	Unreachable     Code = "required-unreachable" // a field is required where nobody comes to it
	Replaced        Code = "replaced"             // a value that a rule fills in is always replaced by another rule
	NoCase          Code = "no-case"              // no case of a rule fits, so that it gives nothing
	Contradiction   Code = "contradiction"        // two checks of one field that no value passes
	CaseUnreachable Code = "case-unreachable"     // the cases before it take all that a case fits
)

// What can never happen: conditions exclude it.
const (
	NeverActs         Code = "never-acts"         // the conditions of a rule leave no document over
	AlwaysBeaten      Code = "always-beaten"      // other rules have the turn wherever it could act
	SaysTheSame       Code = "says-the-same"      // another rule does the same wherever it acts
	PassesAll         Code = "passes-all"         // every document passes a check
	RefusesAll        Code = "refuses-all"        // no document passes a check
	RowUnreachable    Code = "row-unreachable"    // no rule can look up a row of a crosswalk
	PeriodUnreachable Code = "period-unreachable" // no company gets the value of a period
	NearLoop          Code = "near-loop"          // rules would wait for each other if they held for one document
)

// Codes are all that the Finder finds, in the order to tell them in.
var Codes = []Code{
	Contradiction, RefusedValue, Unfit, TooLong, RequiredHidden, Unreachable, Overlap, NoCase, Replaced,
	NeverActs, AlwaysBeaten, RefusesAll, PassesAll, CaseUnreachable, SaysTheSame, RowUnreachable, PeriodUnreachable, NearLoop,
}

// Finding is something about rules or tables that somebody should look at.
type Finding struct {
	Code Code
	// Kind is that of the rules; "" for a table.
	Kind string
	// Field is the place in the kind that it is about; -1: none.
	Field int
	// Rules are those concerned; first the one to look at.
	Rules []*rule.Compiled
	// Table is the key of the crosswalk or standing value that it is about; "": none.
	Table string
	// Part tells several findings about the same rules apart: a case, a row, a value; in a form
	// that does not depend on who is told.
	Part string
	// Witness is the document that shows it; nil: it is one of those that can never happen.
	Witness *Witness

	message func(rule.Wording) string
	because []reason
}

// Witness is a document that shows a finding.
type Witness struct {
	Document judge.Document
	// Origin is what the document was made from, for people.
	Origin string
	Result proof.Result
	// Line is the number of the line that shows it; 0: the header.
	Line int
}

// reason is a condition that excludes something, told when somebody asks.
type reason func(rule.Wording) string

// Key names the finding as long as it is about the same: by it a person silences it.
func (f *Finding) Key() string {
	ids := make([]int64, len(f.Rules))
	for i, c := range f.Rules {
		ids[i] = c.ID
	}
	return KeyOf(string(f.Code), f.Kind, f.Table, ids, f.Part)
}

// KeyOf makes the key of a finding: what it is, and what it is about.
func KeyOf(code, kind, table string, rules []int64, part string) string {
	parts := []string{code, kind, table}
	for _, id := range rules {
		parts = append(parts, fmt.Sprintf("r%d", id))
	}
	return strings.Join(append(parts, part), "|")
}

// Renumber returns the key of a finding whose rules have other numbers; false where one has none.
func Renumber(key string, numbers map[int64]int64) (string, bool) {
	parts := strings.Split(key, "|")
	for i := 3; i < len(parts)-1; i++ {
		id, err := strconv.ParseInt(strings.TrimPrefix(parts[i], "r"), 10, 64)
		if err != nil || !strings.HasPrefix(parts[i], "r") {
			break
		}
		if numbers[id] == 0 {
			return "", false
		}
		parts[i] = fmt.Sprintf("r%d", numbers[id])
	}
	return strings.Join(parts, "|"), true
}

// Message says what was found, in the words of a person.
func (f *Finding) Message(w rule.Wording) string { return f.message(w) }

// Because says what excludes that it happens, a sentence each; none where a document shows it.
func (f *Finding) Because(w rule.Wording) []string {
	texts := []string{}
	for _, r := range f.because {
		if text := r(w); text != "" && !slices.Contains(texts, text) {
			texts = append(texts, text)
		}
	}
	return texts
}

// Finder looks for what can be said about the rules of one kind.
type Finder struct {
	// Runner has the book, and where rules of the kind can stand.
	Runner *proof.Runner
	// Bases are documents to make others from, the likeliest first; none: from nothing.
	Bases []proof.Base
	// Numbers returns some records that a link may name in a company; nil: none are known.
	Numbers func(kind, company string) []string
	// Layout is that of the forms of a company and type; nil: every field is shown.
	Layout func(company, kindType string) *record.Layout
	// Today is the day on which documents are made.
	Today record.Day

	stations map[station][]*rule.Compiled
	known    map[int64]*known
	idle     map[int64]bool // rules that never have a turn, as far as that was asked
}

// station is where rules stand on the journey of a field.
type station struct {
	place  int
	family rule.Family
	remote string // the target of a follow-up
}

// prepare puts the rules at their stations, in the order in which they get their chance: all that
// are in force, whatever their scope. Cost: sorting the rules.
func (f *Finder) prepare() {
	if f.stations != nil {
		return
	}
	f.stations, f.known, f.idle = map[station][]*rule.Compiled{}, map[int64]*known{}, map[int64]bool{}
	for _, c := range f.Runner.Book.Rules {
		if c.State != rule.InForce || !c.Sound() {
			continue
		}
		for _, at := range stationsOf(c) {
			f.stations[at] = append(f.stations[at], c)
		}
	}
	if len(f.Bases) == 0 {
		for i := range f.Runner.Extent.Companies {
			for j := range f.Runner.Extent.Types {
				at, t := f.Runner.Extent.Companies[i].Key, &f.Runner.Extent.Types[j]
				if t.UsedIn(at) && len(f.Bases) < mostBlank {
					f.Bases = append(f.Bases, proof.Base{Origin: blank, Document: judge.Document{Kind: f.Runner.Book.Vocabulary.Kind.Key, Company: at, Type: t.Key, Day: f.Today, Entered: map[string]judge.Item{}}})
				}
			}
		}
	}
	for _, rules := range f.stations {
		slices.SortFunc(rules, func(x, y *rule.Compiled) int { return rule.Less(&x.Rule, &y.Rule) })
	}
}

// mostBlank is how many blank documents stand in for bases where there are none.
const mostBlank = 24

const blank = "a blank document"

func stationsOf(c *rule.Compiled) (list []station) {
	remote := ""
	if c.Family == rule.FollowUp {
		remote = c.Target
	}
	for _, place := range c.Fields {
		list = append(list, station{place, c.Family, remote})
	}
	return list
}

// at are the rules at a station of a field.
func (f *Finder) at(place int, family rule.Family) []*rule.Compiled {
	return f.stations[station{place, family, ""}]
}

// All tells what is found about every rule of the kind, rule by rule. Cost: every rule with the
// others of its stations, and for what can happen the documents that are tried, within limits.
func (f *Finder) All(ctx context.Context, found func(*Finding)) error {
	f.prepare()
	for _, c := range f.Runner.Book.Rules {
		if c.State != rule.InForce || !c.Sound() {
			continue
		}
		// Of two rules the later one tells what there is between them.
		if err := f.about(ctx, c, func(o *rule.Compiled) bool { return o.ID < c.ID }, found); err != nil {
			return err
		}
	}
	f.nearLoops(func(*rule.Compiled) bool { return true }, found)
	return ctx.Err()
}

// About tells what is found about one rule of the book, and between it and any other. What needs
// no document comes first.
func (f *Finder) About(ctx context.Context, c *rule.Compiled, found func(*Finding)) error {
	f.prepare()
	if err := f.about(ctx, c, func(o *rule.Compiled) bool { return o.ID != c.ID }, found); err != nil {
		return err
	}
	f.nearLoops(func(o *rule.Compiled) bool { return o.ID == c.ID }, found)
	return ctx.Err()
}

func (f *Finder) about(ctx context.Context, c *rule.Compiled, with func(*rule.Compiled) bool, found func(*Finding)) error {
	one := &look{Finder: f, ctx: ctx, c: c, found: found}
	idle := one.never()
	one.cases()
	if idle {
		return ctx.Err() // what it would do is not met
	}
	one.with = func(o *rule.Compiled) bool { return with(o) && !f.isIdle(o) }
	one.same()
	one.happens()
	return ctx.Err()
}

// isIdle tells whether a rule never has a turn.
func (f *Finder) isIdle(c *rule.Compiled) bool {
	idle, asked := f.idle[c.ID]
	if !asked {
		quietly := &look{Finder: f, c: c, found: func(*Finding) {}}
		idle = quietly.never()
		f.idle[c.ID] = idle
	}
	return idle
}

// look is a look at one rule.
type look struct {
	*Finder
	ctx  context.Context
	c    *rule.Compiled
	with func(*rule.Compiled) bool // tells the rules that are compared with it
	// found is told what is found.
	found func(*Finding)
}

// say tells a finding about the rule and others.
func (l *look) say(code Code, part string, others []*rule.Compiled, w *Witness, because []reason, message func(rule.Wording) string) {
	l.found(&Finding{
		Code: code, Kind: l.c.Kind, Field: l.c.Field, Rules: append([]*rule.Compiled{l.c}, others...), Part: part,
		Witness: w, because: because, message: message,
	})
}

// saying makes a message that needs no wording but the labels of fields.
func saying(format string, values ...any) func(rule.Wording) string {
	return func(rule.Wording) string { return fmt.Sprintf(format, values...) }
}

// label is what a person calls a field.
func label(v *rule.Vocabulary, w rule.Wording, place int) string {
	kind := v.Kind
	if w.Kind != nil {
		kind = w.Kind
	}
	return kind.Fields[place].Label
}

// shown writes a value of a field as the person does.
func shown(v *rule.Vocabulary, w rule.Wording, place int, value feel.Value) string {
	if value.IsNull() {
		return "nothing"
	}
	f := &v.Kind.Fields[place]
	if w.Show == nil || !feel.TypeOf(value).Fits(f.FeelType()) {
		return f.Plain(value)
	}
	return w.Show(f, value)
}

// Tables tells which rows of crosswalks and periods of standing values nobody can reach. books are
// those of all kinds. Cost: the rows, for each place where a rule looks them up.
func Tables(set *table.Set, books []*plan.Book, companies []record.Company, types []record.Type, found func(*Finding)) {
	for i := range set.Standing {
		unreachablePeriods(&set.Standing[i], companies, found)
	}
	for i := range set.Crosswalks {
		unreachableRows(&set.Crosswalks[i], books, companies, types, found)
	}
}
