package tables

import (
	"codicil/core/engine"
	"codicil/core/feel"
	"codicil/core/field"
	"codicil/core/plan"
	"codicil/core/rule"
	"codicil/core/table"
	"codicil/internal/app/judging"
	"codicil/internal/contract"
	"codicil/internal/fault"
	"codicil/internal/view"
	"context"
	"fmt"
)

// lookUp is a place in a rule where it looks a crosswalk up: the formulas of the codes.
type lookUp struct {
	rule *rule.Compiled
	keys []*feel.Program
}

// lookUps finds where the rules of a book look a crosswalk up. A code that the rule makes
// within a loop cannot be told from outside of it, and is left out.
func lookUps(book *plan.Book, c *table.Crosswalk) (found []lookUp) {
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
				use := lookUp{rule: r}
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

// MissingCodes returns the codes in saved records that rules would look up without finding a row today.
func (t *Service) MissingCodes(ctx context.Context, key string) ([]contract.MissingCode, error) {
	m, err := t.base.Cache.Reference(ctx)
	if err != nil {
		return nil, err
	}
	c := m.Tables.Crosswalk(key)
	if c == nil {
		return nil, fault.Missing("crosswalk %s", key)
	}
	index := table.NewIndex([]table.Crosswalk{*c}, t.base.Today(nil))
	missed := []contract.MissingCode{}
	places := map[string]int{}
	for i := range m.Kinds {
		book, err := t.base.Cache.Book(ctx, m.Kinds[i].Key)
		if err != nil {
			return nil, err
		}
		uses := lookUps(book, c)
		if len(uses) == 0 {
			continue
		}
		rows, err := t.base.Cache.Records.Each(ctx, m.Kinds[i].Key)
		if err != nil {
			return nil, err
		}
		for r := range rows {

			judged, err := t.base.Again(ctx, r)
			if err != nil {
				continue // a record that no longer fits its kind tells so elsewhere
			}
			for _, use := range uses {
				if !plan.Covers(use.rule, judged.Plan.Scope) {
					continue
				}
				for _, codes := range use.codes(judged) {
					if index.Has(key, codes) {
						continue
					}
					texts := view.List(codes, field.Write)
					id := fmt.Sprint(use.rule.ID, texts)
					at, known := places[id]
					if !known {
						at = len(missed)
						places[id] = at
						missed = append(missed, contract.MissingCode{Codes: texts, Rule: use.rule.ID, Examples: []fault.Use{}})
					}
					missed[at].Count++
					if len(missed[at].Examples) < 3 {
						missed[at].Examples = append(missed[at].Examples, judged.Links.Use(*r))
					}
				}
			}
		}
	}
	return missed, nil
}

// codes are what a use looks up for a document: one for the header, or for every line.
// What is blank is not looked up.
func (u *lookUp) codes(t *judging.Trial) (all [][]feel.Value) {
	lines := []int{0}
	if u.rule.Field >= t.Plan.Vocabulary.Headers {
		lines = view.List(t.Judged.Outcome.Lines, func(l engine.LineOutcome) int { return l.Number })
	}
	for _, line := range lines {
		var codes []feel.Value
		for _, key := range u.keys {
			found, ok := engine.Probe{Place: u.rule.Field, Line: line, Family: u.rule.Family, Program: key}.Try(t.Plan, t.Case, t.Judged.Outcome)
			if !ok || found.Value.IsNull() {
				break
			}
			codes = append(codes, found.Value)
		}
		if len(codes) == len(u.keys) {
			all = append(all, codes)
		}
	}
	return all
}
