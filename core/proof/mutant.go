package proof

import (
	"encoding/json"
	"fmt"
	"slices"

	"codicil/core/feel"
	"codicil/core/field"
	"codicil/core/match"
	"codicil/core/plan"
	"codicil/core/record"
	"codicil/core/rule"
)

// Mutant is a rule that is slightly wrong.
type Mutant struct {
	// Body is the wrong rule.
	Body rule.Body
	// Gone tells that the rule is not there at all; Body is then as it was.
	Gone bool
	// Change says what is wrong, after "no proof notices if".
	Change string
	// around is what else is wrong, where the rule itself is as it was.
	around *around
}

// OfRule tells whether it is the rule that is wrong, rather than what it reads.
func (m *Mutant) OfRule() bool { return m.around == nil && !m.Gone }

// Mutants returns slightly wrong versions of a sound rule, each once: boundaries moved by one
// unit, < for <=, and for or, conditions and cases left out or turned round, constants changed,
// another field or function of the same sort, companies and types dropped and added one by one,
// the effect weakened, the order changed with others of its station; and of what it reads: rows
// of crosswalks, periods of standing values, how the company rounds and works. Those that
// behave as the rule does are left out as far as that can be said without a document. Cost:
// the parts of the rule and the rows that it can read, within limits.
func Mutants(c *rule.Compiled, b *plan.Book, extent Extent, company *record.Company) []Mutant {
	m := &mutation{c: c, extent: extent, here: company.Surroundings(""), seen: map[string]bool{key(c.Body): true}}
	m.list = append(m.list, Mutant{Body: c.Body, Gone: true, Change: "the rule were not there"})
	m.condition("when", c.When, c.Rule.When, func(b *rule.Body, text string) { b.When = text })
	m.condition("must", c.Must, c.Effect.Must, func(b *rule.Body, text string) { b.Effect.Must = text })
	m.value()
	m.parts(c.When, c.Rule.When, "", func(b *rule.Body, text string) { b.When = text })
	m.parts(c.Must, c.Effect.Must, " in what must hold", func(b *rule.Body, text string) { b.Effect.Must = text })
	m.parts(c.Value, c.Effect.Value, " in its value", func(b *rule.Body, text string) { b.Effect.Value = text })
	m.effect()
	m.unique()
	m.bands()
	m.scope()
	m.order(b)
	m.crosswalks()
	m.standing()
	m.company()
	return m.list
}

type mutation struct {
	c      *rule.Compiled
	extent Extent
	here   field.Surroundings
	list   []Mutant
	seen   map[string]bool // bodies, so that no mutant is there twice
}

func key(b rule.Body) string {
	text, _ := json.Marshal(b) // a body is plain data
	return string(text)
}

// add keeps a wrong rule if it is one that could be put in force.
func (m *mutation) add(change string, turn func(*rule.Body)) {
	body := m.c.Body
	turn(&body)
	if m.seen[key(body)] {
		return
	}
	m.seen[key(body)] = true
	wrong := rule.Compile(rule.Rule{ID: m.c.ID, Body: body}, m.c.Vocabulary())
	if !wrong.Sound() || m.behavesTheSame(wrong) {
		return
	}
	m.list = append(m.list, Mutant{Body: body, Change: change})
}

// behavesTheSame tells whether a version is known to do what the rule does on every document.
func (m *mutation) behavesTheSame(wrong *rule.Compiled) bool {
	c := m.c
	if wrong.Rule.When != c.Rule.When {
		return c.When != nil && wrong.When != nil && sameCondition(c.When, wrong.When)
	}
	if wrong.Effect.Must != c.Effect.Must {
		return c.Must != nil && wrong.Must != nil && sameCondition(c.Must, wrong.Must)
	}
	return false
}

// became says that a part of the rule reads otherwise.
func (m *mutation) became(was, became string) string {
	return fmt.Sprintf("“%s” became “%s”", m.c.Words(was), m.c.Words(became))
}

// effect makes wrong versions of what a rule does.
func (m *mutation) effect() {
	own := families[m.c.Family]
	if own.mutate != nil {
		own.mutate(m)
	}
	on := m.c.On
	if on.New && on.Change && !own.noOccasions {
		m.add("it did not run for new records", func(b *rule.Body) { b.On.New = false })
		if own.changes == nil || own.changes(m.c) {
			m.add("it did not run for changes", func(b *rule.Body) { b.On.Change = false })
		}
	}
}

func (m *mutation) unique() {
	u := m.c.Effect.Unique
	if u == nil {
		return
	}
	turn := func(change string, turn func(*rule.Unique)) {
		m.add(change, func(b *rule.Body) {
			other := *u
			other.With, other.Ignore = slices.Clone(u.With), slices.Clone(u.Ignore)
			turn(&other)
			b.Effect.Unique = &other
		})
	}
	for i, name := range u.With {
		turn("“together with "+name+"” were left out", func(u *rule.Unique) { u.With = slices.Delete(u.With, i, i+1) })
	}
	written := m.writtenOneWay() || u.Near // what is almost equal is so however it is written
	for i, difference := range u.Ignore {
		if written {
			break
		}
		turn(fmt.Sprintf("%s counted", difference), func(u *rule.Unique) { u.Ignore = slices.Delete(u.Ignore, i, i+1) })
	}
	if u.Everywhere {
		turn("it looked in its own company only", func(u *rule.Unique) { u.Everywhere = false })
	} else {
		turn("it looked in all companies", func(u *rule.Unique) { u.Everywhere = true })
	}
	for _, difference := range match.AllIgnored {
		if !slices.Contains(u.Ignore, difference) && !written {
			turn(fmt.Sprintf("%s were ignored", difference), func(u *rule.Unique) { u.Ignore = append(u.Ignore, difference) })
		}
	}
	if !u.Near {
		turn("it looked for values that are almost equal too", func(u *rule.Unique) { u.Near = true })
	} else {
		turn("it looked for equal values only", func(u *rule.Unique) { u.Near = false })
	}
}

// writtenOneWay tells whether all values that are unique together are kept in one way of
// writing, so that ignoring differences of writing makes none.
func (m *mutation) writtenOneWay() bool {
	kind := m.c.Vocabulary().Kind
	return !slices.ContainsFunc(m.c.Unique, func(place int) bool {
		return !kind.Fields[place].Traits().Uniform
	})
}

func (m *mutation) bands() {
	field := &m.c.Vocabulary().Kind.Fields[m.c.Field]
	for i, band := range m.c.Effect.Bands {
		if i >= len(m.c.Bounds) || m.c.Bounds[i].Open {
			continue
		}
		turn := func(change string, turn func(*rule.Band)) {
			m.add(change, func(b *rule.Body) {
				b.Effect.Bands = slices.Clone(b.Effect.Bands)
				turn(&b.Effect.Bands[i])
			})
		}
		for _, text := range m.next(feel.NumberOf(m.c.Bounds[i].Until), field) {
			turn(fmt.Sprintf("the band “%s” ended at %s", band.Label, text), func(b *rule.Band) { b.Until = text })
		}
		turn(fmt.Sprintf("%s itself belonged to the other band", band.Until), func(b *rule.Band) { b.Including = !b.Including })
	}
}

// order lets the rule change places with the others of its station and width.
func (m *mutation) order(b *plan.Book) {
	c := m.c
	if families[c.Family].unordered {
		return
	}
	for _, o := range b.Rules {
		if o.ID == c.ID || o.Family != c.Family || o.State != rule.InForce || o.Scope.Width() != c.Scope.Width() || !overlap(c, o) || exclusive(c, o) {
			continue
		}
		before := rule.Less(&c.Rule, &o.Rule)
		if before < 0 {
			m.add(fmt.Sprintf("rule %d went before it", o.ID), func(b *rule.Body) { b.Priority = o.Priority + 1 })
		} else {
			m.add(fmt.Sprintf("it went before rule %d", o.ID), func(b *rule.Body) { b.Priority = o.Priority - 1 })
		}
	}
}

// overlap tells whether two rules can stand at one station of one field.
func overlap(a, b *rule.Compiled) bool {
	meet := func(x, y []string) bool {
		return len(x) == 0 || len(y) == 0 || slices.ContainsFunc(x, func(key string) bool { return slices.Contains(y, key) })
	}
	return meet(a.Scope.Companies, b.Scope.Companies) && meet(a.Scope.Types, b.Scope.Types) &&
		slices.ContainsFunc(a.Fields, func(place int) bool { return slices.Contains(b.Fields, place) })
}

var lifetimeWords = map[rule.Lifetime]string{rule.NewOnly: "it filled new only", rule.WheneverBlank: "it filled whenever blank", rule.KeepsUp: "it kept up"}
