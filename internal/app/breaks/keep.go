package breaks

import (
	"context"
	"log/slog"
	"time"

	"codicil/core/record"
	"codicil/internal/actor"
)

// clockwork is who counts by itself, as the runs tell.
const clockwork = "Codicil"

// lookEach is how often it is looked whether something is to be counted.
const lookEach = 10 * time.Minute

// Keep counts what breaks the checks, again and again until the context ends: each kind whose counting is older than that.
func (s *Service) Keep(ctx context.Context, every time.Duration) {
	tick := time.NewTicker(min(lookEach, every))
	defer tick.Stop()
	for {
		select {
		case <-ctx.Done():
			return
		case <-tick.C:
		}
		if err := s.Due(ctx, every); err != nil && ctx.Err() == nil {
			slog.Error("what breaks the checks was to be counted", "error", err)
		}
	}
}

// Due begins to count the kinds that have records and checks in force and were counted longer ago than that, or never. One that
// is being counted is left. Cost: a look at each kind.
func (s *Service) Due(ctx context.Context, every time.Duration) error {
	ctx = actor.With(ctx, actor.Named(clockwork, actor.Clock))
	ref, err := s.base.Cache.Reference(ctx)
	if err != nil {
		return err
	}
	for i := range ref.Kinds {
		due, err := s.due(ctx, &ref.Kinds[i], every)
		if err != nil {
			return err
		}
		if !due {
			continue
		}
		if _, err := s.Start(ctx, ref.Kinds[i].Key); err != nil {
			return err
		}
		s.began[ref.Kinds[i].Key] = s.base.Clock()
	}
	return nil
}

func (s *Service) due(ctx context.Context, kind *record.Kind, every time.Duration) (bool, error) {
	now := s.base.Clock()
	if began, known := s.began[kind.Key]; known && now.Sub(began) < every {
		return false, nil
	}
	book, err := s.base.Cache.Book(ctx, kind.Key)
	if err != nil || len(checks(book)) == 0 {
		return false, err
	}
	records, err := s.base.Store.CountRecords(ctx, kind.Key, nil)
	if err != nil || records == 0 {
		return false, err
	}
	counts, err := s.base.Store.BreakCounts(ctx, kind.Key)
	if err != nil || len(counts) == 0 {
		return err == nil, err
	}
	last, err := time.Parse(time.RFC3339, counts[len(counts)-1].CountedAt)
	return err == nil && now.Sub(last) >= every, err
}
