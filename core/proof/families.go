package proof

import (
	"codicil/core/engine"
	"codicil/core/feel"
	"codicil/core/rule"
	"fmt"
	"slices"
)

// conduct is what proofs of the rules of one family show, would miss, and tell.
type conduct struct {
	// goals are those that the family has besides truths, rows and bands, and shows sees them
	// in an act; blank tells whether the field came out blank.
	goals func(c *rule.Compiled) []Goal
	shows func(s Coverage, a *engine.Act, saved, blank bool)
	// acts is how the goal to act is said; "": that it acts.
	acts string
	// always tells that a rule without a condition acts on every document of its scope.
	always bool
	// mutate makes wrong versions of the effect.
	mutate func(m *mutation)
	// noOccasions tells that rules ask for no occasion, and changes whether one makes a
	// difference to saved records; nil: it does.
	noOccasions bool
	changes     func(c *rule.Compiled) bool
	// unordered rules do not give way to each other.
	unordered bool
	// manners tells that proofs expect how the field is met, instead of its value. watched, if
	// any, tells whether a proof that expects no value would tell that the rule does something
	// else.
	manners bool
	watched func(p *Proof) bool
}

var families = map[rule.Family]conduct{
	rule.Entry:      {always: true, mutate: mutateEntry, manners: true},
	rule.Source:     {goals: sourceGoals, shows: Coverage.source, mutate: mutateSource},
	rule.Default:    {goals: defaultGoals, shows: Coverage.lifetime, mutate: mutateDefault, changes: func(c *rule.Compiled) bool { return c.Effect.Lifetime == rule.WheneverBlank }},
	rule.Compute:    {always: true},
	rule.Substitute: {always: true},
	// Every message is expected.
	rule.Validate: {acts: "that it speaks", mutate: mutateValidate, unordered: true, watched: func(*Proof) bool { return true }},
	rule.FollowUp: {always: true, noOccasions: true, unordered: true, watched: func(p *Proof) bool { return p.Expect.Writes != nil }},
}

func mutateEntry(m *mutation) {
	e := &m.c.Effect
	aspect := func(words string, change func(*rule.Effect)) {
		m.add(words, func(b *rule.Body) { change(&b.Effect) })
	}
	if other := map[rule.Need]rule.Need{rule.Required: rule.Optional, rule.Optional: rule.Required}[e.Need]; other != "" && (e.Access == "" || e.Access == rule.Open) {
		aspect(fmt.Sprintf("the field were %s", other), func(e *rule.Effect) { e.Need = other })
	}
	if other := map[rule.Access]rule.Access{rule.ReadOnly: rule.Hidden, rule.Hidden: rule.ReadOnly}[e.Access]; other != "" {
		aspect(fmt.Sprintf("the field were %s", other), func(e *rule.Effect) { e.Access = other })
	}
	if e.Cursor == rule.PassedOver || e.Cursor == rule.Stop {
		aspect("the cursor went there in its turn", func(e *rule.Effect) { e.Cursor = rule.InTurn })
	}
	if e.Keying == rule.Twice {
		aspect("it were keyed once", func(e *rule.Effect) { e.Keying = rule.Once })
	}
}

func sourceGoals(c *rule.Compiled) []Goal { return occasions(c, New, Link, Kept) }

func (s Coverage) source(a *engine.Act, saved, _ bool) {
	id := a.Rule.ID
	switch {
	case a.Did == engine.Acted && !saved:
		s.see(id, Goal{Show: New})
	case a.Rule.Effect.Mode == rule.Live && a.Did == engine.Acted && !feel.Same(a.Before, a.After):
		s.see(id, Goal{Show: Link})
		s.see(id, Goal{Show: Kept})
	case a.Rule.Effect.Mode == rule.Copied && (a.Did == engine.Acted || a.Did == engine.NotTaken):
		s.see(id, Goal{Show: Link})
	case a.Rule.Effect.Mode == rule.Copied && a.Did == engine.NotNeeded:
		s.see(id, Goal{Show: Kept})
	}
}

func mutateSource(m *mutation) {
	e := &m.c.Effect
	other := map[rule.SourceMode]rule.SourceMode{rule.Copied: rule.Live, rule.Live: rule.Copied}[e.Mode]
	m.add(fmt.Sprintf("it were %s", other), func(b *rule.Body) { b.Effect.Mode = other })
}

func defaultGoals(c *rule.Compiled) (goals []Goal) {
	if c.Effect.Fixed {
		return nil
	}
	goals = occasions(c, New, Saved)
	if c.Effect.Lifetime == rule.KeepsUp {
		goals = append(goals, occasions(c, Again)...)
	}
	return goals
}

func (s Coverage) lifetime(a *engine.Act, saved, blank bool) {
	id := a.Rule.ID
	switch {
	case a.Did == engine.Acted && !saved:
		s.see(id, Goal{Show: New})
	case a.Rule.Effect.Lifetime == rule.KeepsUp && a.Did == engine.Acted && !a.Before.IsNull():
		s.see(id, Goal{Show: Again})
	case a.Rule.Effect.Lifetime != rule.NewOnly && a.Did == engine.Acted,
		a.Rule.Effect.Lifetime == rule.NewOnly && a.Did == engine.OtherOccasion && saved && blank:
		s.see(id, Goal{Show: Saved})
	}
}

func mutateDefault(m *mutation) {
	e := &m.c.Effect
	for _, other := range map[rule.Lifetime][]rule.Lifetime{rule.NewOnly: {rule.WheneverBlank}, rule.WheneverBlank: {rule.NewOnly}, rule.KeepsUp: {rule.WheneverBlank, rule.NewOnly}}[e.Lifetime] {
		if !m.c.On.Change {
			continue // it never comes to a saved record
		}
		m.add(lifetimeWords[other], func(b *rule.Body) { b.Effect.Lifetime = other })
	}
	m.add("fixed were the other way round", func(b *rule.Body) { b.Effect.Fixed = !b.Effect.Fixed })
}

func mutateValidate(m *mutation) {
	e := &m.c.Effect
	other := map[rule.Severity]rule.Severity{rule.Refuse: rule.Advise, rule.Confirm: rule.Refuse, rule.Advise: rule.Refuse}[e.Severity]
	m.add(fmt.Sprintf("it would %s", other), func(b *rule.Body) { b.Effect.Severity = other })
	speaking(m)
}

// pointings and moments make wrong where and when a check speaks.
func speaking(m *mutation) {
	e := &m.c.Effect
	if e.Points != rule.ToDocument {
		m.add("it pointed to the document", func(b *rule.Body) { b.Effect.Points = rule.ToDocument })
	} else {
		m.add("it pointed to the field", func(b *rule.Body) { b.Effect.Points = "" })
	}
	m.add("it spoke only while typing", func(b *rule.Body) { b.Effect.Moments = []rule.Moment{rule.Typing} })
	for i, name := range m.c.Effect.WhenChanged {
		m.add(fmt.Sprintf("it did not ask whether %s changed", name), func(b *rule.Body) { b.Effect.WhenChanged = slices.Delete(slices.Clone(b.Effect.WhenChanged), i, i+1) })
	}
}
