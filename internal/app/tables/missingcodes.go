package tables

import (
	"codicil/core/field"
	"codicil/core/plan"
	"codicil/core/table"
	"codicil/internal/access"
	"codicil/internal/actor"
	"codicil/internal/app/judging"
	"codicil/internal/contract"
	"codicil/internal/fault"
	"codicil/internal/view"
	"context"
	"fmt"
)

// MissingCodes returns the codes in saved records that rules would look up without finding a row today.
func (t *Service) MissingCodes(ctx context.Context, key string) ([]contract.MissingCode, error) {
	if err := access.Need(ctx, actor.RulesRead); err != nil {
		return nil, err
	}
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
		book, err := t.base.Cache.SeenBook(ctx, m.Kinds[i].Key)
		if err != nil {
			return nil, err
		}
		uses := judging.LookUps(book, c)
		if len(uses) == 0 {
			continue
		}
		for r, err := range t.base.Store.Records(ctx, m.Kinds[i].Key, access.Scope(ctx)) {
			if err != nil {
				return nil, err
			}

			judged, err := t.base.Again(ctx, r)
			if err != nil {
				continue // a record that no longer fits its kind tells so elsewhere
			}
			for _, use := range uses {
				if !plan.Covers(use.Rule, judged.Plan.Scope) {
					continue
				}
				for _, codes := range use.Codes(judged) {
					if index.Has(key, codes) {
						continue
					}
					texts := view.List(codes, field.Write)
					id := fmt.Sprint(use.Rule.ID, texts)
					at, known := places[id]
					if !known {
						at = len(missed)
						places[id] = at
						missed = append(missed, contract.MissingCode{Codes: texts, Rule: use.Rule.ID, Examples: []fault.Use{}})
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
