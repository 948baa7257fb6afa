package codicils

import (
	"context"
	"errors"
	"log/slog"
	"strings"
	"time"

	"codicil/core/record"
	"codicil/internal/actor"
	"codicil/internal/app/commit"
	"codicil/internal/fault"
	"codicil/internal/store"
)

// lookEach is how often it is looked whether a codicil is to come into force.
const lookEach = time.Second

// Keep brings codicils into force at their time, until the context ends. What came due while nobody looked comes into
// force at once.
func (s *Service) Keep(ctx context.Context) {
	tick := time.NewTicker(lookEach)
	defer tick.Stop()
	for {
		if err := s.Due(ctx); err != nil && ctx.Err() == nil {
			slog.Error("codicils that are due", "error", err)
		}
		select {
		case <-ctx.Done():
			return
		case <-tick.C:
		}
	}
}

// Due brings into force what is agreed and whose time has come, in its order; each once, in the name of who agreed. What
// cannot be is open again and says why. Cost: nothing where nothing is due; else the check of each.
func (s *Service) Due(ctx context.Context) error {
	due, err := s.base.Store.DueCodicils(ctx, store.Instant(s.base.Clock()))
	if err != nil {
		return err
	}
	for i := range due {
		c := &due[i]
		ctx := actor.With(ctx, actor.Actor{ID: c.Agreed.Person, Name: c.Agreed.By, Via: actor.Clock, Rights: actor.Rights{Whole: true}})
		err := s.force(ctx, c, "", false)
		var known *fault.Fault
		switch {
		case errors.As(err, &known) && known.Reason != fault.Unable:
			if err := s.hinder(ctx, c, known.Error()); err != nil {
				return err
			}
		case errors.Is(err, store.ErrStale), errors.Is(err, store.ErrNotFound):
			// Somebody decided otherwise in this moment.
		case err != nil:
			return err
		}
	}
	return nil
}

// hinder opens a codicil again that could not come into force.
func (s *Service) hinder(ctx context.Context, c *store.Codicil, why string) error {
	err := s.base.Line.Write(ctx, func(tx *store.Store, by record.Stamp) error {
		now, err := tx.Codicil(ctx, c.ID)
		if err != nil || now.Version != c.Version || now.State != store.CodicilAgreed {
			return err
		}
		now.State, now.Hindered, now.Agreed = store.CodicilOpen, why, record.Stamp{}
		_, err = tx.ChangeCodicil(ctx, now, "not in force: "+first(why), by)
		return err
	})
	return commit.Explain(err)
}

// first is the first sentence of what is said, for the trail.
func first(text string) string {
	text, _, _ = strings.Cut(text, ";")
	return text
}
