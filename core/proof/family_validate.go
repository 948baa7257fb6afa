package proof

import (
	"codicil/core/rule"
	"fmt"
	"slices"
)

func init() {
	// Every message is expected, so every proof watches.
	families[rule.Validate] = conduct{acts: "that it gives its message", mutate: mutateValidate, unordered: true, watched: func(*Proof) bool { return true }}
}

func mutateValidate(m *mutation) {
	e := &m.c.Effect
	other := map[rule.Severity]rule.Severity{rule.Refuse: rule.Advise, rule.Confirm: rule.Refuse, rule.Advise: rule.Refuse}[e.Severity]
	m.add(fmt.Sprintf("it would %s", other), func(b *rule.Body) { b.Effect.Severity = other })
	speaking(m)
}

// speaking makes wrong where and when a check speaks.
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
