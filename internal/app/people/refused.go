package people

import (
	"context"
	"log/slog"
	"sync"
	"time"

	"codicil/core/record"
	"codicil/internal/actor"
	"codicil/internal/store"
)

// refusals sums what was refused, so that a thousand tries a second are a line a minute in the trail.
type refusals struct {
	mutex sync.Mutex
	sums  map[refusal]int
}

type refusal struct {
	actor           actorKey
	what, kind, key string
}

type actorKey struct{ id, name, via, address, session string }

// mostRefusals is how many sorts are told apart within a minute; the rest is one sum.
const mostRefusals = 500

// Refused tells the trail that something was refused: what, and for whom or at what.
func (s *core) Refused(ctx context.Context, what, key string) {
	who := actor.Of(ctx)
	r := refusal{actorKey{who.ID, who.Name, string(who.Via), who.Address, who.Session}, what, "refusal", short(key)}
	s.refusals.mutex.Lock()
	defer s.refusals.mutex.Unlock()
	if s.refusals.sums == nil {
		s.refusals.sums = map[refusal]int{}
	}
	if _, known := s.refusals.sums[r]; !known && len(s.refusals.sums) >= mostRefusals {
		r = refusal{what: "more was refused", kind: "refusal"}
	}
	s.refusals.sums[r]++
}

// WriteRefusals writes what was refused since it was last done.
func (s *core) WriteRefusals(ctx context.Context) error {
	s.refusals.mutex.Lock()
	sums := s.refusals.sums
	s.refusals.sums = nil
	s.refusals.mutex.Unlock()
	if len(sums) == 0 {
		return nil
	}
	at := store.Instant(s.base.Clock())
	return s.base.Store.Transaction(ctx, func(tx *store.Store) error {
		for r, count := range sums {
			who := actor.With(ctx, actor.Actor{Address: r.actor.address, Session: r.actor.session})
			by := record.Stamp{At: at, By: r.actor.name, Person: r.actor.id, Via: r.actor.via}
			if err := tx.Note(who, by, store.TrailEntry{What: r.what, Kind: r.kind, Key: r.key, Count: count}); err != nil {
				return err
			}
		}
		return nil
	})
}

// sumEach is how long refusals are summed.
const sumEach = time.Minute

// Keep writes refusals every minute, until the context ends; then it writes the last.
func (s *core) Keep(ctx context.Context) {
	tick := time.NewTicker(sumEach)
	defer tick.Stop()
	for {
		select {
		case <-tick.C:
		case <-ctx.Done():
		}
		if err := s.WriteRefusals(context.WithoutCancel(ctx)); err != nil {
			slog.Error("what was refused could not be written to the trail", "error", err)
		}
		if ctx.Err() != nil {
			return
		}
	}
}
