package proof

import (
	"cmp"
	"slices"

	"codicil/core/engine"
	"codicil/core/feel"
	"codicil/core/plan"
	"codicil/core/rule"
	"codicil/core/table"
)

// Show is a sort of thing that the proofs of a rule should show.
type Show string

// What proofs should show of a rule. Of an atomic condition both truths, each where it
// decides: where the other truth would have changed the whole condition, the others being as
// they are (modified condition/decision coverage with masking, as in RTCA DO-248C, FAQ 43).
const (
	Acts  Show = "acts"  // the rule acts; a validation speaks
	Still Show = "still" // the rule keeps still
	True  Show = "true"  // an atomic condition is true, and that decides
	False Show = "false" // an atomic condition is not true, and that decides
	Band  Show = "band"  // the number is in a band
	Row   Show = "row"   // a crosswalk has a row for the code
	Other Show = "other" // a crosswalk gives what it has for every other code
	New   Show = "new"   // a default fills a new record, or a source copies into it
	Again Show = "again" // a default fills its field again when something that it reads has changed
	Saved Show = "saved" // a default fills a saved record whose field was cleared, or leaves it
	Link  Show = "link"  // a source is taken anew when the link of a saved record changes
	Kept  Show = "kept"  // a source follows, or a copy stays, when the linked record has changed
)

// Goal is one thing that the proofs of a rule should show.
type Goal struct {
	Show Show
	// Part is the formula that an atomic condition stands in, "when", "must" or "value", and
	// Start and End its place there, in bytes.
	Part       string
	Start, End int
	Name       string // of a band, or of a crosswalk
}

// Goals returns what the proofs of a rule should show, in the order in which to tell it.
func Goals(c *rule.Compiled) []Goal {
	goals := []Goal{{Show: Acts}}
	if canKeepStill(c) {
		goals = append(goals, Goal{Show: Still})
	}
	for _, part := range parts(c) {
		for _, d := range part.program.Decisions() {
			for _, atom := range d.Atoms {
				if _, constant := feel.Constant(atom); constant {
					continue
				}
				start, end := atom.Span()
				goals = append(goals, Goal{Show: True, Part: part.name, Start: start, End: end}, Goal{Show: False, Part: part.name, Start: start, End: end})
			}
		}
	}
	for _, name := range crosswalks(c) {
		goals = append(goals, Goal{Show: Row, Name: name})
		if t := c.Vocabulary().Tables.Crosswalk(name); t != nil && len(t.Default) > 0 {
			goals = append(goals, Goal{Show: Other, Name: name})
		}
	}
	for _, band := range c.Effect.Bands {
		goals = append(goals, Goal{Show: Band, Name: band.Label})
	}
	if own := families[c.Family]; own.goals != nil {
		goals = append(goals, own.goals(c)...)
	}
	return slices.Compact(goals)
}

// occasions leaves out what the rule does not run on.
func occasions(c *rule.Compiled, shows ...Show) (goals []Goal) {
	for _, show := range shows {
		if on := c.On.Change; show == New && c.On.New || show != New && on {
			goals = append(goals, Goal{Show: show})
		}
	}
	return goals
}

// canKeepStill tells whether there is a document for which the rule does nothing.
func canKeepStill(c *rule.Compiled) bool {
	always := c.When == nil && families[c.Family].always
	return !always || len(c.Scope.Companies) > 0 || len(c.Scope.Types) > 0
}

type part struct {
	name    string
	program *feel.Program
}

func parts(c *rule.Compiled) (list []part) {
	for _, p := range []part{{"when", c.When}, {"value", c.Value}, {"must", c.Must}} {
		if p.program != nil {
			list = append(list, p)
		}
	}
	return list
}

// crosswalks are the names of the crosswalks that the rule looks up, each once.
func crosswalks(c *rule.Compiled) (names []string) {
	lookUps(c, func(_ []feel.Node, t *table.Crosswalk) {
		if !slices.Contains(names, t.Key) {
			names = append(names, t.Key)
		}
	})
	return names
}

// lookUps visits every look-up of the rule, with what is looked up, the keys first, and where.
func lookUps(c *rule.Compiled, visit func(arguments []feel.Node, t *table.Crosswalk)) {
	for _, part := range parts(c) {
		feel.Walk(part.program.Root(), func(n feel.Node) {
			call, ok := n.(*feel.Call)
			if !ok || call.Function != "crosswalk" || len(call.Arguments) == 0 {
				return
			}
			name, _ := feel.Constant(call.Arguments[0])
			key, _ := name.Text()
			if t := c.Vocabulary().Tables.Crosswalk(key); t != nil && len(call.Arguments) > len(t.Keys) {
				visit(call.Arguments[1:], t)
			}
		})
	}
}

// Sight is what one run of a document showed of one rule.
type Sight map[Goal]bool

// Coverage are what one run showed of rules, by the rule's number.
type Coverage map[int64]Sight

func (s Coverage) see(id int64, g Goal) {
	if s[id] == nil {
		s[id] = Sight{}
	}
	s[id][g] = true
}

// looks tells crosswalks apart that had a row for their codes.
type looks struct {
	feel.Tables
	has    func(name string, keys []feel.Value) bool
	looked []Goal
}

// Lookup finds a value in a crosswalk.
func (l *looks) Lookup(name string, keys []feel.Value, column string) (feel.Value, bool) {
	v, found := l.Tables.Lookup(name, keys, column)
	switch {
	case !found:
	case l.has(name, keys):
		l.looked = append(l.looked, Goal{Show: Row, Name: name})
	default:
		l.looked = append(l.looked, Goal{Show: Other, Name: name})
	}
	return v, found
}

// watch makes the case note what the rules that are watched show. None named: all.
func watch(p *plan.Plan, c *engine.Case, only func(*rule.Compiled) bool) Coverage {
	coverage := Coverage{}
	tables := &looks{Tables: cmp.Or[feel.Tables](c.Tables, p.Crosswalks), has: p.Crosswalks.Has}
	c.Tables = tables
	c.Watch = func(r *rule.Compiled, program *feel.Program, f *feel.Frame) {
		if !only(r) {
			tables.looked = tables.looked[:0]
			return
		}
		for _, g := range tables.looked {
			coverage.see(r.ID, g)
		}
		name := "must"
		switch program {
		case r.When:
			name = "when"
		case r.Value:
			name = "value"
		}
		for _, d := range program.Decisions() {
			values := program.Look(d, f)
			for i, atom := range d.Atoms {
				if !d.Decides(values, i, alike(name)) {
					continue
				}
				start, end := atom.Span()
				show := False
				if values[i].IsTrue() {
					show = True
				}
				coverage.see(r.ID, Goal{Show: show, Part: name, Start: start, End: end})
			}
		}
		tables.looked = tables.looked[:0] // also what was looked up only to tell the conditions
	}
	return coverage
}

// alike tells whether two outcomes of a condition count as the same: a must is broken only
// by false, everything else is needed to be true.
func alike(part string) func(a, b feel.Value) bool {
	if part == "must" {
		return func(a, b feel.Value) bool { return a.IsFalse() == b.IsFalse() }
	}
	return func(a, b feel.Value) bool { return a.IsTrue() == b.IsTrue() }
}

// acts adds what the acts of an outcome show.
func (s Coverage) acts(c *engine.Case, out *engine.Outcome) {
	saved := c.Header.Stored != nil
	for _, cell := range out.Cells() {
		for i := range cell.Rules {
			a := &cell.Rules[i]
			id := a.Rule.ID
			switch a.Did {
			case engine.Acted, engine.Speaks:
				s.see(id, Goal{Show: Acts})
			case engine.WhenNotTrue, engine.Holds, engine.NotNeeded, engine.NotTaken, engine.Undecided:
				s.see(id, Goal{Show: Still})
			}
			if own := families[a.Rule.Family]; own.shows != nil {
				own.shows(s, a, saved, cell.Final.IsNull())
			}
		}
		if cell.Sorted != nil {
			s.see(cell.Sorted.ID, Goal{Show: Band, Name: cell.Sorted.Effect.Bands[cell.Band].Label})
		}
	}
}

// Words says a goal of a rule: "Credit limit is over 120 000: true, and that decides".
func (g Goal) Words(c *rule.Compiled) string {
	switch g.Show {
	case Acts:
		return cmp.Or(families[c.Family].acts, "that it acts")
	case Still:
		return "that it does not act"
	case Band:
		return "the band " + g.Name
	case Row:
		return "a code that has a row in the crosswalk " + g.Name
	case Other:
		return "a code that has no row of its own in the crosswalk " + g.Name
	case New:
		return "a new record"
	case Link:
		return "a saved record whose link changes"
	case Kept:
		if c.Effect.Mode == rule.Live {
			return "a saved record, after its linked record has changed"
		}
		return "a saved record whose link stays"
	case Again:
		return "a saved record in which something that it reads has changed"
	case Saved:
		if c.Effect.Lifetime == rule.NewOnly {
			return "a saved record whose field was cleared stays as it is"
		}
		return "a saved record whose field was cleared is filled again"
	}
	text := map[string]string{"when": c.Rule.When, "value": c.Effect.Value, "must": c.Effect.Must}[g.Part]
	words := c.Words(text[g.Start:g.End])
	if g.Show == True {
		return words + ": so, and that decides"
	}
	return words + ": not so, and that decides"
}
