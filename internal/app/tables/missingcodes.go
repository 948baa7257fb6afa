package tables

import (
	"context"
	"fmt"
	"slices"

	"codicil/core/engine"
	"codicil/core/field"
	"codicil/core/plan"
	"codicil/core/record"
	"codicil/core/table"
	"codicil/internal/access"
	"codicil/internal/actor"
	"codicil/internal/app/judging"
	"codicil/internal/contract"
	"codicil/internal/fault"
	"codicil/internal/view"
)

// mostMissing is how many codes are told of which a crosswalk has no row.
const mostMissing = 500

// looked are codes that a rule looks up in a record.
type looked struct {
	rule  int64
	codes []string
}

// MissingCodes returns the codes in saved records that rules would look up without finding a row today, of the records that there is
// time to look at.
func (t *Service) MissingCodes(ctx context.Context, key string) (contract.MissingCodes, error) {
	found := contract.MissingCodes{Codes: []contract.MissingCode{}, Whole: true}
	if err := access.Need(ctx, actor.RulesRead); err != nil {
		return found, err
	}
	m, err := t.base.Cache.Reference(ctx)
	if err != nil {
		return found, err
	}
	c := m.Tables.Crosswalk(key)
	if c == nil {
		return found, fault.Missing("crosswalk %s", key)
	}
	index := table.NewIndex([]table.Crosswalk{*c}, t.base.Today(nil))
	places := map[string]int{}
	look, leave := context.WithTimeout(ctx, judging.LongestLook)
	defer leave()
	for i := range m.Kinds {
		ref, runner, err := t.base.Runner(ctx, m.Kinds[i].Key)
		if err != nil {
			return found, err
		}
		uses := judging.LookUps(runner.Book, c)
		if len(uses) == 0 {
			continue
		}
		var reads []int
		for i := range uses {
			reads = append(reads, uses[i].Reads()...)
		}
		links := t.base.Links(ctx, ref, "")
		err = judging.Look(look, t.base, ref, runner, reads, func(p *engine.Probes) (missed []looked) {
			for i := range uses {
				if !plan.Covers(uses[i].Rule, p.Plan.Scope) {
					continue
				}
				for _, codes := range uses[i].Codes(p) {
					if !index.Has(key, codes) {
						missed = append(missed, looked{uses[i].Rule.ID, view.List(codes, field.Write)})
					}
				}
			}
			return missed
		}, func(r *record.Record, missed []looked) error {
			found.Looked++
			var here []int // the codes that this record was counted for
			for _, l := range missed {
				id := fmt.Sprint(l.rule, l.codes)
				at, known := places[id]
				if !known {
					if at = len(found.Codes); at == mostMissing {
						found.Whole = false
						continue
					}
					places[id] = at
					found.Codes = append(found.Codes, contract.MissingCode{Codes: l.codes, Rule: l.rule, Examples: []fault.Use{}})
				}
				if slices.Contains(here, at) {
					continue
				}
				here = append(here, at)
				code := &found.Codes[at]
				code.Count++
				if len(code.Examples) < 3 {
					code.Examples = append(code.Examples, links.Use(*r))
				}
			}
			return links.Err()
		})
		if look.Err() != nil && ctx.Err() == nil {
			found.Whole = false
			break
		}
		if err != nil {
			return found, err
		}
	}
	return found, ctx.Err()
}
