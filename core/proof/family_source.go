package proof

import (
	"codicil/core/engine"
	"codicil/core/feel"
	"codicil/core/rule"
	"fmt"
)

func init() {
	families[rule.Source] = conduct{goals: sourceGoals, shows: Coverage.source, mutate: mutateSource}
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
