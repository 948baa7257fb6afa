package app

import (
	"context"
	"sync"

	"codicil/internal/app/judging"
	"codicil/internal/store"
)

// views keeps the application as it shows by some other rule books, so that their rules are compiled once.
type views struct {
	mutex sync.Mutex
	kept  map[viewKey]*App
}

// viewKey names what is shown: with the versions of the rule book and the codicil, so that what changed is read again.
type viewKey struct {
	view    store.View
	book    int64
	changes int
}

// mostViews is how many are kept.
const mostViews = 8

// Viewed returns the application as it shows by another rule book. What it changes of the rule book goes into the codicil
// that is shown; saved records, runs, persons and all else are the same.
func (a *App) Viewed(ctx context.Context, v store.View) (*App, error) {
	version, _, err := a.base.Cache.Version(ctx)
	if err != nil {
		return nil, err
	}
	key := viewKey{view: v, book: version.Book}
	if v.Codicil > 0 {
		c, err := a.store.Codicil(ctx, v.Codicil)
		if err != nil {
			return nil, err
		}
		key.changes = c.Revision
	}
	a.views.mutex.Lock()
	defer a.views.mutex.Unlock()
	if kept := a.views.kept[key]; kept != nil {
		return kept, nil
	}
	if len(a.views.kept) >= mostViews || a.views.kept == nil {
		a.views.kept = map[viewKey]*App{}
	}
	shown := assemble(judging.Viewed(a.base, v), a.Runs)
	shown.store, shown.Codicils, shown.Replay, shown.Signing = a.store, a.Codicils, a.Replay, a.Signing
	shown.Backups, shown.News, shown.People = a.Backups, a.News, a.People
	a.views.kept[key] = shown
	return shown, nil
}
