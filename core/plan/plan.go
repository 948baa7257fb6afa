// Package plan resolves a rule book for one kind, company, type and day: which
// rules stand at each station of each field, in the order in which they get
// their chance, and in which order the fields go.
//
// It must never know a document. Start reading at Build.
package plan

import (
	"fmt"
	"maps"
	"slices"
	"strings"

	"codicil/core/feel"
	"codicil/core/field"
	"codicil/core/record"
	"codicil/core/rule"
	"codicil/core/table"
)

// Book is the compiled rules of one kind.
type Book struct {
	Vocabulary *rule.Vocabulary
	Rules      []*rule.Compiled
}

// NewBook compiles the rules of a kind; kinds are those that its links lead to, tables
// what the rules look up. Rules with errors stay in the book, with their problems, but
// never act.
func NewBook(kind *record.Kind, kinds []record.Kind, tables *table.Set, rules []rule.Rule) *Book {
	b := &Book{Vocabulary: rule.NewVocabulary(kind, kinds, tables)}
	for _, r := range rules {
		b.Rules = append(b.Rules, rule.Compile(r, b.Vocabulary))
	}
	return b
}

// With returns a book in which the rule takes the place of the one with its ID,
// or is added. It acts whatever its state: for trying a rule before it is in force.
func (b *Book) With(r rule.Rule) *Book {
	r.State = rule.InForce
	return b.Put(r)
}

// Put returns a book in which rules take the places of those with their IDs, or are added; of several with one ID the last. Only
// these are compiled. Cost: the rules of the book, and those.
func (b *Book) Put(changed ...rule.Rule) *Book {
	rules := slices.Clone(b.Rules)
	find := func(id int64) (int, bool) {
		i := slices.IndexFunc(rules, func(c *rule.Compiled) bool { return c.ID == id })
		return i, i >= 0
	}
	places := map[int64]int{}
	if len(changed) > 1 {
		for i, c := range rules {
			places[c.ID] = i
		}
		find = func(id int64) (int, bool) {
			i, there := places[id]
			return i, there
		}
	}
	for _, r := range changed {
		compiled := rule.Compile(r, b.Vocabulary)
		if i, there := find(r.ID); there {
			rules[i] = compiled
			continue
		}
		places[r.ID] = len(rules)
		rules = append(rules, compiled)
	}
	return &Book{Vocabulary: b.Vocabulary, Rules: rules}
}

// Scope is what a plan is made for.
type Scope struct {
	Company *record.Company
	Type    *record.Type
	Day     record.Day
	// Kind is the kind with the labels that the company gave its fields; nil: as it is.
	Kind *record.Kind
}

// Plan is a rule book resolved for one scope. It never changes and may be shared.
type Plan struct {
	Vocabulary *rule.Vocabulary
	Scope      Scope
	// Here is what values of the company and day are fitted and shown by.
	Here field.Surroundings
	// stations holds the candidates of each field, by place in the kind and by
	// place of the family.
	stations [][][]*rule.Compiled
	// Order lists the fields so that each comes after those its rules read; in a part of a plan only those of the part.
	Order []int
	// Partial tells that it is a part of a plan; Needed are then the fields that it reads or goes through, by place.
	Partial bool
	Needed  []bool
	// Loop is nil, or the path of fields that wait for each other.
	Loop *Loop
	// Lists are the slots of lists over lines that some rule reads.
	Lists map[int]bool
	// WholeLines tells of each field, by place, whether a rule on it reads the list of all lines.
	WholeLines []bool
	// LooksBack tells that some rule reads the document that was saved before.
	LooksBack bool
	// Counts tells that some rule takes numbers of a series.
	Counts bool
	// Standing are the standing values of the company on the day, and Crosswalks the rows
	// that hold on it.
	Standing   []feel.Value
	Crosswalks *table.Index
	// Gaps say why rules cannot run: they read a standing value that has no value on the
	// day.
	Gaps map[*rule.Compiled]string
}

// At returns the candidates of a field at the station of a family, in the order
// in which they get their chance.
func (p *Plan) At(field int, family rule.Family) []*rule.Compiled {
	if p.stations[field] == nil {
		return nil
	}
	return p.stations[field][family.Station()]
}

// Versions returns the versions of all rules in the plan, by number.
func (p *Plan) Versions() map[int64]int {
	versions := map[int64]int{}
	for _, stations := range p.stations {
		for _, c := range slices.Concat(stations...) {
			versions[c.ID] = c.Version
		}
	}
	return versions
}

// Candidates counts the rules at all stations of the field.
func (p *Plan) Candidates(field int) (count int) {
	for _, rules := range p.stations[field] {
		count += len(rules)
	}
	return count
}

// Quiet tells whether no rule stands at any station of the field.
func (p *Plan) Quiet(field int) bool { return p.stations[field] == nil }

// Needs tells whether the plan reads the field at a place, or goes through it.
func (p *Plan) Needs(place int) bool { return !p.Partial || p.Needed[place] }

// Loop is a circle of fields, each waiting for the next.
type Loop struct {
	Fields []int // the first is also the end
	Rules  []*rule.Compiled
}

// Kind returns the kind of record that the plan is for, labelled as its company does.
func (p *Plan) Kind() *record.Kind {
	if p.Scope.Kind != nil {
		return p.Scope.Kind
	}
	return p.Vocabulary.Kind
}

// Describe writes the loop as the path it takes: "Payment terms (rule 3) → Credit limit (rule 5) → Payment terms".
func (l *Loop) Describe(kind *record.Kind) string {
	var b strings.Builder
	for i, f := range l.Fields {
		b.WriteString(kind.Fields[f].Label + " (" + l.Rules[i].Label() + ") → ")
	}
	return b.String() + kind.Fields[l.Fields[0]].Label
}

// Build resolves the book for a scope: the sound rules in force that cover it.
// A loop is reported in the plan, whose Order then is the order of the kind.
func Build(b *Book, s Scope) *Plan {
	kind := b.Vocabulary.Kind
	p := &Plan{Vocabulary: b.Vocabulary, Scope: s, Here: s.Company.Surroundings(s.Day), stations: make([][][]*rule.Compiled, len(kind.Fields)), Lists: map[int]bool{}, WholeLines: make([]bool, len(kind.Fields))}
	for _, c := range b.Rules {
		if c.State != rule.InForce || !c.Sound() || !Covers(c, s) {
			continue
		}
		station := c.Family.Station()
		for _, field := range c.Fields {
			if p.stations[field] == nil {
				p.stations[field] = make([][]*rule.Compiled, len(rule.Families))
			}
			p.stations[field][station] = append(p.stations[field][station], c)
			p.WholeLines[field] = p.WholeLines[field] || (b.Vocabulary.Lines >= 0 && slices.Contains(c.Reads(), b.Vocabulary.Lines))
		}
		maps.Copy(p.Lists, b.Vocabulary.Lists(c.Reads()))
		p.Counts = p.Counts || c.Series != nil
		p.LooksBack = p.LooksBack || b.Vocabulary.LooksBack(c.Reads(), rule.Before...)
	}
	for _, families := range p.stations {
		for _, candidates := range families {
			slices.SortFunc(candidates, func(x, y *rule.Compiled) int { return rule.Less(&x.Rule, &y.Rule) })
		}
	}
	p.lookUp()
	p.order()
	return p
}

// WithStanding returns the plan with values of its own for some standing values, by key.
func (p *Plan) WithStanding(own map[string]feel.Value) *Plan {
	if len(own) == 0 {
		return p
	}
	with := *p
	with.stand(own)
	return &with
}

// lookUp resolves the tables for the day.
func (p *Plan) lookUp() {
	p.Crosswalks = table.NewIndex(p.Vocabulary.Tables.Crosswalks, p.Scope.Day)
	p.stand(nil)
}

// stand resolves the standing values; own go before those of the tables.
func (p *Plan) stand(own map[string]feel.Value) {
	tables := p.Vocabulary.Tables
	p.Standing, p.Gaps = make([]feel.Value, len(tables.Standing)), nil
	gaps := map[int]string{}
	for i := range tables.Standing {
		v, there := tables.Standing[i].On(p.Scope.Company.Key, p.Scope.Day)
		if given, carried := own[tables.Standing[i].Field.Key]; carried {
			v, there = given, true
		}
		if p.Standing[i] = v; !there {
			f := &tables.Standing[i].Field
			gaps[i] = fmt.Sprintf("the standing value %s (%s.%s) has no value in company %s on %s", f.Label, rule.StandingGroup, f.Key, p.Scope.Company.Key, p.Scope.Day)
		}
	}
	if len(gaps) == 0 {
		return
	}
	p.Gaps = map[*rule.Compiled]string{}
	for _, stations := range p.stations {
		for _, c := range slices.Concat(stations...) {
			for _, slot := range c.Reads() {
				if place, ok := p.Vocabulary.StandingAt(slot); ok && gaps[place] != "" {
					p.Gaps[c] = gaps[place]
				}
			}
		}
	}
}

// Covers tells whether the rule stands in plans of the scope.
func Covers(c *rule.Compiled, s Scope) bool {
	return c.Scope.Covers(s.Company.Key, s.Type.Key, s.Day)
}

type wait struct {
	field int
	by    *rule.Compiled
}

// waits returns the fields that must be finished before the field's journey
// starts. Validations speak, and follow-ups are made, when all fields are finished, so
// they wait for none.
func (p *Plan) waits(field int) []wait {
	var list []wait
	for _, family := range rule.Families {
		if family == rule.Validate || family == rule.FollowUp {
			continue
		}
		for _, c := range p.At(field, family) {
			for _, slot := range c.Reads() {
				if slot == p.Vocabulary.Lines {
					for column := range p.Vocabulary.Columns {
						list = append(list, wait{p.Vocabulary.Headers + column, c})
					}
				}
				read, ok := p.Vocabulary.ReadAt(slot)
				if ok && read.Form == rule.SoFar && (read.Field != field || read.List) {
					list = append(list, wait{read.Field, c})
				}
			}
		}
	}
	return list
}

// order sorts the fields by what they wait for (depth first), keeping the order
// of the kind where nothing is waited for.
func (p *Plan) order() {
	fields := p.Kind().Fields
	const unseen, open, finished = 0, 1, 2
	state := make([]int, len(fields))
	var path []wait
	var visit func(field int) bool
	visit = func(field int) bool {
		state[field] = open
		for _, w := range p.waits(field) {
			path = append(path, wait{field, w.by})
			switch state[w.field] {
			case open:
				begin := slices.IndexFunc(path, func(s wait) bool { return s.field == w.field })
				p.Loop = &Loop{}
				for _, step := range path[begin:] {
					p.Loop.Fields = append(p.Loop.Fields, step.field)
					p.Loop.Rules = append(p.Loop.Rules, step.by)
				}
				return false
			case unseen:
				if !visit(w.field) {
					return false
				}
			}
			path = path[:len(path)-1]
		}
		// A field is fitted by those beside it: an amount by its currency.
		beside := p.Vocabulary.Beside[field]
		for _, other := range []int{beside.Currency, beside.Unit, beside.Country} {
			if other >= 0 && state[other] == unseen && !visit(other) {
				return false
			}
		}
		state[field] = finished
		p.Order = append(p.Order, field)
		return true
	}
	for field := range fields {
		if state[field] == unseen && !visit(field) {
			break
		}
	}
	if p.Loop != nil {
		p.Order = p.Order[:0]
		for field := range fields {
			p.Order = append(p.Order, field)
		}
	}
}
