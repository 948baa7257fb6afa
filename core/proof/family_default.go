package proof

import (
	"codicil/core/engine"
	"codicil/core/rule"
)

func init() {
	families[rule.Default] = conduct{goals: defaultGoals, shows: Coverage.lifetime, mutate: mutateDefault, changes: func(c *rule.Compiled) bool { return c.Effect.Lifetime == rule.WheneverBlank }}
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
