// Package finding says what can be said about the rules of a plan without running them.
//
// It must never know documents. Start reading at Of.
package finding

import (
	"fmt"
	"slices"

	"codicil/core/feel"
	"codicil/core/plan"
	"codicil/core/record"
	"codicil/core/rule"
)

// Finding is something about a field of a plan that somebody should look at.
type Finding struct {
	// Code is "required-hidden" or "required-unreachable".
	Code    string
	Field   int // place in the kind
	Rules   []*rule.Compiled
	Message string
}

// Of returns what is found in a plan whose forms have the layout, by field.
func Of(p *plan.Plan, layout *record.Layout) (findings []Finding) {
	hidden := hiddenBy(layout)
	for place := range p.Kind().Fields {
		if p.Quiet(place) {
			continue
		}
		field := &p.Kind().Fields[place]
		say := func(code, message string, rules ...*rule.Compiled) {
			findings = append(findings, Finding{code, place, rules, field.Label + " " + message})
		}
		filled := fills(p, place)
		closed := always(p, place, func(e *rule.Effect) bool { return e.Access != "" })
		if closed != nil && closed.Effect.Access == rule.Open {
			closed = nil
		}
		for _, c := range p.At(place, rule.Entry) {
			if c.Effect.Need == "" {
				continue
			}
			if c.Effect.Need == rule.Required {
				switch {
				case closed != nil:
					say("required-hidden", fmt.Sprintf("is required by %s, but %s makes it %s", c.Label(), closed.Label(), closed.Effect.Access), c, closed)
				case filled:
				case hidden[field.Key]:
					say("required-unreachable", fmt.Sprintf("is required by %s, but the form does not show it. Show it in the layout, or fill it by a rule", c.Label()), c)
				case c.Effect.Cursor == rule.PassedOver:
					say("required-unreachable", fmt.Sprintf("is required by %s, but the cursor passes it over and no rule fills it", c.Label()), c)
				}
			}
			if c.When == nil && c.On.New && c.On.Change && c != closed {
				break // those after it never decide
			}
		}
		if closed == nil || filled {
			continue
		}
		for _, c := range p.At(place, rule.Validate) {
			if c.When == nil && c.Effect.Severity == rule.Refuse && asksFilled(p, c, place) {
				say("required-hidden", fmt.Sprintf("must be filled by %s, but %s makes it %s and no rule fills it", c.Label(), closed.Label(), closed.Effect.Access), c, closed)
			}
		}
	}
	return findings
}

// always returns the entry rule that decides an aspect of a field for every document; nil
// where a rule that goes before it may decide otherwise, or none does.
func always(p *plan.Plan, place int, says func(*rule.Effect) bool) *rule.Compiled {
	for _, c := range p.At(place, rule.Entry) {
		if says(&c.Effect) {
			if c.When == nil && c.On.New && c.On.Change {
				return c
			}
			return nil
		}
	}
	return nil
}

// fills tells whether a rule may give the field a value.
func fills(p *plan.Plan, place int) bool {
	return slices.ContainsFunc([]rule.Family{rule.Source, rule.Default, rule.Compute, rule.Substitute}, func(f rule.Family) bool {
		return slices.ContainsFunc(p.At(place, f), func(c *rule.Compiled) bool { return !c.Sorts() })
	})
}

// asksFilled tells whether what must hold is that the field is filled.
func asksFilled(p *plan.Plan, c *rule.Compiled, place int) bool {
	if c.Must == nil {
		return false
	}
	call, ok := c.Must.Root().(*feel.Call)
	if !ok || call.Function != "is filled" || len(call.Arguments) != 1 {
		return false
	}
	slot, ok := feel.SlotOf(call.Arguments[0])
	read, known := p.Vocabulary.ReadAt(slot)
	return ok && known && read.Field == place && read.Form == rule.SoFar
}

func hiddenBy(layout *record.Layout) map[string]bool {
	hidden := map[string]bool{}
	for _, s := range layout.Sections {
		for _, f := range s.Fields {
			hidden[f.Key] = s.Hidden || f.Hidden
		}
	}
	return hidden
}
