package app

import (
	"context"

	"codicil/internal/actor"
	"codicil/internal/contract"
	"codicil/internal/view"
)

// Hits returns what a run found after a place, most important first, as who asks writes values; of one rule where its number is
// given.
func (a *App) Hits(ctx context.Context, run int64, after string, limit int, rule int64) (page contract.RunHits, err error) {
	if rule != 0 {
		page, err = a.Runs.HitsOf(ctx, run, after, limit, int(rule))
	} else {
		page, err = a.Runs.Hits(ctx, run, after, limit)
	}
	if err != nil {
		return page, err
	}
	ref, err := a.base.Cache.Reference(ctx)
	if err != nil {
		return page, err
	}
	format := actor.Of(ctx).Format
	for i := range page.Hits {
		if kind, unknown := ref.Kind(page.Hits[i].Kind); unknown == nil { // one that is gone by now stays as it was told
			view.Retell(&page.Hits[i], kind, format.OrPlain())
		}
	}
	return page, nil
}
