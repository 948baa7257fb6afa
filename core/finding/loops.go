package finding

import (
	"fmt"
	"slices"
	"strings"

	"codicil/core/plan"
	"codicil/core/record"
	"codicil/core/rule"
)

// mostLoops is how many loops are told.
const mostLoops = 10

// nearLoops tells where rules would wait for each other if all held for one document. Each loop is told
// once; wanted tells of which rules one must be in it.
func (f *Finder) nearLoops(wanted func(*rule.Compiled) bool, found func(*Finding)) {
	book := &plan.Book{Vocabulary: f.Runner.Book.Vocabulary}
	originals := map[int64]*rule.Compiled{}
	for _, c := range f.Runner.Book.Rules {
		if c.State != rule.InForce || !c.Sound() {
			continue
		}
		originals[c.ID] = c
		everywhere := *c
		everywhere.Scope = rule.Scope{}
		book.Rules = append(book.Rules, &everywhere)
	}
	scope := plan.Scope{Company: &record.Company{}, Type: &record.Type{}, Day: f.Today}
	for range mostLoops {
		loop := plan.Build(book, scope).Loop
		if loop == nil {
			return
		}
		var rules []*rule.Compiled
		for _, c := range loop.Rules {
			if o := originals[c.ID]; !slices.Contains(rules, o) {
				rules = append(rules, o)
			}
		}
		if slices.ContainsFunc(rules, wanted) {
			v, fields := book.Vocabulary, loop.Fields
			var because []reason
			for _, c := range rules {
				because = append(because, holdsFor(c))
			}
			last := loop.Rules
			found(&Finding{Code: NearLoop, Kind: v.Kind.Key, Field: fields[0], Rules: rules, because: because, message: func(w rule.Wording) string {
				var path strings.Builder
				for i, place := range fields {
					fmt.Fprintf(&path, "%s (%s) → ", label(v, w, place), last[i].Label())
				}
				return "If these rules held for one document, the fields would wait for each other: " + path.String() + label(v, w, fields[0])
			}})
		}
		// Without one of its rules the next loop shows.
		book.Rules = slices.DeleteFunc(book.Rules, func(c *rule.Compiled) bool { return c.ID == loop.Rules[len(loop.Rules)-1].ID })
	}
}

func holdsFor(c *rule.Compiled) reason {
	return func(w rule.Wording) string {
		where := scopeWords(c, w)
		if where == "" {
			where = "every company and type"
		}
		return c.Label() + " holds for " + where
	}
}

// scopeWords say where and when a rule holds; "" where it does everywhere and always.
func scopeWords(c *rule.Compiled, w rule.Wording) string {
	text := strings.Trim(names(c.Scope.Companies, w.Companies)+", "+names(c.Scope.Types, w.Types), ", ")
	if c.Scope.From != "" || c.Scope.Until != "" {
		text = strings.TrimSpace(text + " " + period(c.Scope.From, c.Scope.Until))
	}
	return text
}
