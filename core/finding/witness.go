package finding

import (
	"iter"
	"maps"
	"slices"
	"strings"

	"codicil/core/engine"
	"codicil/core/feel"
	"codicil/core/field"
	"codicil/core/judge"
	"codicil/core/proof"
	"codicil/core/record"
	"codicil/core/rule"
)

// Limits on the documents that are made to show one thing.
const (
	mostBoxes  = 6  // ways in which it can come about
	mostPlaces = 24 // companies and types
	mostBases  = 3  // documents that one is made from
	mostMade   = 150
	mostTries  = 220 // documents near the rule
)

// showing tells whether a judged document shows what is looked for, and in which line; 0: the header.
type showing func(*proof.Result) (line int, ok bool)

// witness looks for a document that shows something: it makes documents that lie in the region, and
// where none of them shows it, such as lie near others that the rule acts on. nil: none was found.
func (l *look) witness(region feel.Region, regions *feel.Regions, shows showing) *Witness {
	tries := 0
	for i, box := range region {
		if i == mostBoxes || l.ctx.Err() != nil {
			break
		}
		for base := range l.made(box, regions) {
			if tries++; tries > mostMade {
				break
			}
			if w := l.try(base, shows); w != nil {
				return w
			}
		}
	}
	if l.ctx.Err() != nil {
		return nil
	}
	numbers := l.Numbers
	if numbers == nil {
		numbers = func(string, string) []string { return nil }
	}
	search := proof.Search{Runner: l.Runner, Rule: l.c, Bases: l.Bases, Numbers: numbers}
	for _, base := range search.Near(mostTries) {
		if l.ctx.Err() != nil {
			return nil
		}
		if w := l.try(base, shows); w != nil {
			return w
		}
	}
	return nil
}

// try judges one document.
func (l *look) try(base proof.Base, shows showing) *Witness {
	p := proof.Proof{Given: base.Document}
	result := l.Runner.Run(&p, true)
	if result.Err != nil {
		return nil
	}
	line, ok := shows(&result)
	if !ok {
		return nil
	}
	return &Witness{Document: base.Document, Origin: base.Origin, Result: result, Line: line}
}

// made are documents that lie in a box, as far as what is entered decides that.
func (l *look) made(box feel.Box, regions *feel.Regions) iter.Seq[proof.Base] {
	return func(yield func(proof.Base) bool) {
		for _, at := range l.places(box) {
			bases := slices.Clone(l.Bases)
			slices.SortStableFunc(bases, func(a, b proof.Base) int { return l.distance(&a, at) - l.distance(&b, at) })
			bases = append(bases[:min(len(bases), mostBases)], proof.Base{Origin: blank, Document: judge.Document{Kind: l.c.Kind, Entered: map[string]judge.Item{}}})
			for _, base := range bases {
				if d, ok := l.within(base.Document, at, box, regions); ok && !yield(proof.Base{Document: d, Origin: base.Origin}) {
					return
				}
			}
		}
	}
}

// place is a company and type that a document may have.
type place struct{ company, kindType string }

func (l *look) places(box feel.Box) (list []place) {
	lets := func(name, text string) bool {
		s, there := box[name]
		return !there || text != "" && s.Values.Contains(feel.StringOf(text)) || text == "" && s.Null
	}
	// One after the other they differ in company and type: what the first hides the second may show.
	all, kinds := l.Runner.Extent.Companies, l.Runner.Extent.Types
	for step := range kinds {
		for i := range all {
			c, t := &all[i], &kinds[(i+step)%len(kinds)]
			if len(list) < mostPlaces && t.UsedIn(c.Key) && lets(company, c.Key) && lets("company.country", c.Country) && lets("company.currency", c.Currency) && lets("company.name", c.Name) &&
				lets(kindType, t.Key) && lets("type.label", t.Label) {
				list = append(list, place{c.Key, t.Key})
			}
		}
	}
	return list
}

// distance tells how far a base is from a place; a document that is refused already is farther.
func (l *look) distance(b *proof.Base, at place) (far int) {
	if b.Document.Company != at.company {
		far += 2
	}
	if b.Document.Type != at.kindType {
		far++
	}
	return far
}

// within makes of a document one that lies in a box; false where the box asks what no document has.
func (l *look) within(base judge.Document, at place, box feel.Box, regions *feel.Regions) (judge.Document, bool) {
	v := l.c.Vocabulary()
	d := base
	d.Kind, d.Company, d.Type, d.Record = l.c.Kind, at.company, at.kindType, ""
	d.Entered, d.Lines, d.Changes = maps.Clone(base.Entered), nil, nil
	for _, line := range base.Lines {
		d.Lines = append(d.Lines, judge.Line{Number: line.Number, Entered: maps.Clone(line.Entered)})
	}
	d.Stored, d.StoredLines, d.StoredOrigins, d.StoredReasons, d.Preceding, d.Reasons = nil, nil, nil, nil, nil, nil
	if d.Fixtures != nil { // tables and other records are as they are now
		d.Fixtures = &judge.Fixtures{Records: d.Fixtures.Records, Missing: d.Fixtures.Missing}
	}
	if d.Day == "" {
		d.Day = l.Today
	}
	if l.c.Field >= v.Headers && len(d.Lines) == 0 {
		d.Lines = []judge.Line{{Number: 1, Entered: map[string]judge.Item{}}}
	}
	if s, there := box[day]; there {
		if value, ok := dayWithin(s, l.Today); ok {
			d.Day = value
			if v.Kind.Day != "" {
				d.Entered[v.Kind.Day] = judge.Item{Value: string(value)}
			}
		}
	}
	if s, there := box[occasion]; there && !s.Values.Contains(feel.StringOf("new")) {
		d.AsSaved()
	}
	for _, name := range slices.Sorted(maps.Keys(box)) {
		n := regions.Subjects[name]
		if n == nil || name == company || name == kindType {
			continue
		}
		value, ok := regions.Pick(name, box[name])
		if !ok {
			return d, false
		}
		l.enter(&d, n, value)
	}
	l.fillLines(&d, box)
	return d, true
}

// fillLines enters something into lines that are blank, which would not count: into a column that
// nothing asks about.
func (l *look) fillLines(d *judge.Document, box feel.Box) {
	v := l.c.Vocabulary()
	for i := range d.Lines {
		for place := v.Headers; place < len(v.Kind.Fields) && len(d.Lines[i].Entered) == 0; place++ {
			f := &v.Kind.Fields[place]
			asked := slices.ContainsFunc(slices.Collect(maps.Keys(box)), func(name string) bool { return strings.Contains(name, f.Column()) })
			if asked || slices.Contains(l.c.Fields, place) || f.IsLink() || len(l.at(place, rule.Compute)) > 0 {
				continue
			}
			for _, sample := range f.Samples(field.Surroundings{Day: l.Today.Value()}) {
				if !sample.IsNull() {
					d.Lines[i].Entered[f.Column()] = judge.Item{Value: field.Write(sample)}
					break
				}
			}
		}
	}
}

func dayWithin(s feel.Side, today record.Day) (record.Day, bool) {
	if s.Values.Contains(today.Value()) {
		return today, true
	}
	for _, i := range s.Values {
		for _, end := range []feel.Value{i.Low, i.High} {
			if !end.IsNull() {
				return record.Day(field.Write(end)), true
			}
		}
	}
	return "", false
}

// cells are those of a field in an outcome: of the header, or of every line.
func cells(r *proof.Result, place int) (list []engine.Cell) {
	if place < len(r.Outcome.Fields) {
		return []engine.Cell{{Index: place, Field: &r.Outcome.Fields[place]}}
	}
	for i := range r.Outcome.Lines {
		line := &r.Outcome.Lines[i]
		list = append(list, engine.Cell{Index: place, Line: line.Number, Field: &line.Fields[place-len(r.Outcome.Fields)]})
	}
	return list
}

// act is what a rule did at a cell; nil: it does not stand there.
func act(cell *engine.Cell, c *rule.Compiled) *engine.Act {
	for i := range cell.Rules {
		if cell.Rules[i].Rule.ID == c.ID {
			return &cell.Rules[i]
		}
	}
	return nil
}

func did(cell *engine.Cell, c *rule.Compiled, what string) bool {
	a := act(cell, c)
	return a != nil && a.Did == what
}

// anywhere makes of a look at one cell one at all cells of a field.
func anywhere(place int, shows func(*proof.Result, *engine.Cell) bool) showing {
	return func(r *proof.Result) (int, bool) {
		for _, cell := range cells(r, place) {
			if shows(r, &cell) {
				return cell.Line, true
			}
		}
		return 0, false
	}
}

// holdsAt tells whether the condition of a rule is true for a cell of a judged document, at its
// station.
func holdsAt(r *proof.Result, cell *engine.Cell, c *rule.Compiled) bool {
	if c.When == nil {
		return true
	}
	probe := engine.Probe{Place: cell.Index, Line: cell.Line, Family: c.Family, Program: c.When}
	found, ok := probe.Try(r.Plan, r.Case, r.Outcome)
	return ok && len(found.Failures) == 0 && found.Value.IsTrue()
}
