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
	fresh bool // there is what is not written down yet
}

type refusal struct {
	id, name         string
	via              string
	address, session string
	what, key        string
}

const (
	// mostRefusals is how many sorts are told apart within a minute; the rest is one sum.
	mostRefusals = 500
	// sumEach is how long refusals are summed before the trail is told.
	sumEach = time.Minute
	// heldEach is how long a refusal is only in memory. A kill loses no more.
	heldEach = 250 * time.Millisecond
)

// Refused tells the trail that something was refused: what, and for whom or at what.
func (s *core) Refused(ctx context.Context, what, key string) {
	who := actor.Of(ctx)
	s.refusals.add(refusal{who.ID, who.Name, string(who.Via), who.Address, who.Session, what, short(key)}, 1)
}

func (r *refusals) add(one refusal, count int) {
	r.mutex.Lock()
	defer r.mutex.Unlock()
	if r.sums == nil {
		r.sums = map[refusal]int{}
	}
	if _, known := r.sums[one]; !known && len(r.sums) >= mostRefusals {
		one = refusal{what: "more was refused"}
	}
	r.sums[one] += count
	r.fresh = true
}

// now returns the sums as they stand, at most mostRefusals+1, and whether any is not written down yet. Where
// they are taken, summing begins anew.
func (r *refusals) now(at string, take bool) (found []store.Refusal, fresh bool) {
	r.mutex.Lock()
	defer r.mutex.Unlock()
	for one, count := range r.sums {
		by := record.Stamp{At: at, By: one.name, Person: one.id, Via: one.via}
		found = append(found, store.Refusal{What: one.what, Key: one.key, Address: one.address, Session: one.session, By: by, Count: count})
	}
	fresh, r.fresh = r.fresh, false
	if take {
		r.sums = nil
	}
	return found, fresh
}

// WriteRefusals tells the trail what was refused since that was last done. What cannot be written is summed on.
func (s *core) WriteRefusals(ctx context.Context) error {
	found, _ := s.refusals.now(store.Instant(s.base.Clock()), true)
	if len(found) == 0 {
		return nil
	}
	err := s.base.Store.TellRefusals(ctx, found)
	if err != nil {
		for _, r := range found {
			s.refusals.add(refusal{r.By.Person, r.By.By, r.By.Via, r.Address, r.Session, r.What, r.Key}, r.Count)
		}
	}
	return err
}

// hold writes down what was refused since the trail was told, where there is more than the last time.
func (s *core) hold(ctx context.Context) error {
	found, fresh := s.refusals.now(store.Instant(s.base.Clock()), false)
	if !fresh {
		return nil
	}
	return s.base.Store.HoldRefusals(ctx, found)
}

// tellHeld tells the trail what an earlier run of the program wrote down and could not tell it.
func (s *core) tellHeld(ctx context.Context) error {
	held, err := s.base.Store.HeldRefusals(ctx)
	if err != nil || len(held) == 0 {
		return err
	}
	return s.base.Store.TellRefusals(ctx, held)
}

// Keep tells the trail what was refused, every minute, until the context ends; then it tells the last. Between
// it writes down what came, so that a kill loses no more than the last moment.
func (s *core) Keep(ctx context.Context) {
	lasting := context.WithoutCancel(ctx)
	report(s.tellHeld(lasting))
	minute, moment := time.NewTicker(sumEach), time.NewTicker(heldEach)
	defer minute.Stop()
	defer moment.Stop()
	for {
		select {
		case <-moment.C:
			report(s.hold(lasting))
		case <-minute.C:
			report(s.WriteRefusals(lasting))
		case <-ctx.Done():
			report(s.WriteRefusals(lasting))
			return
		}
	}
}

func report(err error) {
	if err != nil {
		slog.Error("what was refused could not be written to the trail", "error", err)
	}
}
