package proof

import (
	"codicil/core/rule"
	"fmt"
)

func init() {
	families[rule.Entry] = conduct{always: true, mutate: mutateEntry, manners: true}
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
	if e.Keying == rule.NotLower {
		aspect("it could be lower than before", func(e *rule.Effect) { e.Keying = rule.Once })
	}
	if e.Keying == rule.Twice {
		aspect("it were keyed once", func(e *rule.Effect) { e.Keying = rule.Once })
	}
}
