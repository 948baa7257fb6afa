package judging

import (
	"fmt"

	"codicil/core/engine"
	"codicil/core/feel"
	"codicil/core/plan"
	"codicil/core/rule"
	"codicil/core/table"
)

// LookUp is a place in a rule where it looks a crosswalk up: the formulas of the codes.
type LookUp struct {
	Rule *rule.Compiled
	keys []*feel.Program
}

// LookUps finds where the rules of a book look a crosswalk up. A code that the rule makes
// within a loop cannot be told from outside of it, and is left out.
func LookUps(book *plan.Book, c *table.Crosswalk) (found []LookUp) {
	for _, r := range book.Rules {
		if r.State == rule.Retired || !r.Sound() {
			continue
		}
		for _, program := range []*feel.Program{r.When, r.Value, r.Must} {
			if program == nil {
				continue
			}
			feel.Walk(program.Root(), func(n feel.Node) {
				call, ok := n.(*feel.Call)
				if !ok || call.Function != "crosswalk" || len(call.Arguments) <= len(c.Keys) || feel.Format(call.Arguments[0]) != fmt.Sprintf("%q", c.Key) {
					return
				}
				use := LookUp{Rule: r}
				for _, argument := range call.Arguments[1 : len(c.Keys)+1] {
					key, _ := feel.Compile(feel.Format(argument), book.Vocabulary.ScopeOf(r.Field), feel.Strict)
					if key == nil {
						return
					}
					use.keys = append(use.keys, key)
				}
				found = append(found, use)
			})
		}
	}
	return found
}

// Reads are the slots that must be there to tell what a use looks up.
func (u *LookUp) Reads() (slots []int) {
	for _, key := range u.keys {
		slots = append(slots, key.Reads()...)
	}
	return slots
}

// Codes are what a use looks up for a document: one for the header, or for every line.
// What is blank is not looked up. Cost: the formulas of the codes, in every line.
func (u *LookUp) Codes(t *engine.Probes) (all [][]feel.Value) {
	for _, line := range t.Out.NumbersOf(u.Rule.Field) {
		var codes []feel.Value
		for _, key := range u.keys {
			found, ok := t.Value(engine.Probe{Place: u.Rule.Field, Line: line, Family: u.Rule.Family, Program: key})
			if !ok || found.IsNull() {
				break
			}
			codes = append(codes, found)
		}
		if len(codes) == len(u.keys) {
			all = append(all, codes)
		}
	}
	return all
}
