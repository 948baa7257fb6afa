package judging

import (
	"context"
	"time"

	"codicil/core/engine"
	"codicil/core/proof"
	"codicil/core/record"
	"codicil/internal/access"
	"codicil/internal/cache"
)

// LongestLook is how long saved records are looked at, at most, while somebody waits for the answer.
const LongestLook = 3 * time.Second

// lookedAtOnce is how many records are in memory while they are looked at.
const lookedAtOnce = 200

// Look judges the saved records of a kind as they stand, those that who asks may see. look gets what came of one, on all
// processors, with formulas that read nothing but reads; tell gets each record in its order with what look saw, or nothing of one that
// no longer fits its kind. Cost: each record is judged once; some of them in memory.
func Look[T any](ctx context.Context, s *Service, ref *cache.Reference, runner *proof.Runner, reads []int, look func(*engine.Probes) T, tell func(*record.Record, T) error) error {
	rows := make([]record.Record, 0, lookedAtOnce)
	flush := func() error {
		documents, err := Standing(ctx, s, ref, runner, rows)
		if err != nil {
			return err
		}
		results, err := runner.JudgeAll(ctx, documents, true)
		if err != nil {
			return err
		}
		seen := make([]T, len(rows))
		err = runner.Each(ctx, len(rows), func(i int) {
			if r := &results[i]; r.Err == nil {
				seen[i] = look(engine.ProbesOf(r.Plan, r.Case, r.Outcome, reads))
			}
		})
		for i := range rows {
			if err == nil {
				err = tell(&rows[i], seen[i])
			}
		}
		rows = rows[:0]
		return err
	}
	for r, err := range s.Store.Records(ctx, runner.Book.Vocabulary.Kind.Key, access.Scope(ctx)) {
		if err != nil {
			return err
		}
		if rows = append(rows, *r); len(rows) == lookedAtOnce {
			if err := flush(); err != nil {
				return err
			}
		}
	}
	return flush()
}
