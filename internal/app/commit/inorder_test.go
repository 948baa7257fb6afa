package commit_test

import (
	"context"
	"errors"
	"fmt"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"codicil/internal/app/commit"
	"codicil/internal/store"
)

var (
	errWrite = fmt.Errorf("it is another by now: %w", store.ErrStale)
	errJudge = errors.New("the document is odd")
)

// ordered is one change of many that are written in their order.
type ordered struct {
	What string
	// Overtaken is how often what it relied on has moved when its turn comes.
	Overtaken int
}

func orderedChanges(t *rapid.T) ordered {
	return ordered{rapid.SampledFrom([]string{"good", "good", "good", "no write", "write fails", "judging fails"}).Draw(t, "what"), rapid.SampledFrom([]int{0, 0, 0, 1, 2, 3, 5}).Draw(t, "overtaken")}
}

// Whatever becomes of single ones, and however often one is overtaken: each that can be is written once, in the order of all,
// each of the others has its own error, and what was told to be kept is.
func TestChangesAreWrittenInTheirOrder(t *testing.T) {
	ctx := t.Context()
	line, s, book := begun(t)
	runs := 0
	rapid.Check(t, func(rt *rapid.T) {
		runs++
		changes := rapid.SliceOfN(rapid.Custom(orderedChanges), 0, 8).Draw(rt, "changes")
		before, err := s.LastCount(ctx, "all")
		require.NoError(rt, err)
		judged, numbers, noted, kept, done := make([]int, len(changes)), make([]int64, len(changes)), make([]error, 0, len(changes)), 0, 0
		batch := commit.Batch{
			With: func(ctx context.Context, tx *store.Store, until int, errs []error) error {
				require.Greater(rt, until, len(noted), "each is noted once")
				noted = append(noted, errs[len(noted):until]...)
				_, err := tx.NextNumber(ctx, fmt.Sprint("noted ", runs, until))
				return err
			},
			Kept: func(until int) {
				require.Len(rt, noted, until)
				kept = until
			},
		}
		for i, c := range changes {
			batch.Judges = append(batch.Judges, func(context.Context) (*commit.Change, error) {
				judged[i]++
				reads := commit.NewReadSet(book)
				if judged[i] <= c.Overtaken {
					reads = commit.NewReadSet(-1)
				}
				switch c.What {
				case "judging fails":
					return nil, errJudge
				case "no write":
					return &commit.Change{Reads: reads}, nil
				}
				return &commit.Change{Reads: reads, Done: func() { done++ }, Write: func(ctx context.Context, tx *store.Store) (err error) {
					if numbers[i], err = tx.NextNumber(ctx, "all"); err == nil && c.What == "write fails" {
						err = errWrite
					}
					return err
				}}, nil
			})
		}
		require.NoError(rt, line.InOrder(ctx, batch))
		assert.Equal(rt, len(changes), kept)
		require.Len(rt, noted, len(changes))
		good := 0
		for i, c := range changes {
			switch c.What {
			case "good":
				good++
				assert.NoError(rt, noted[i])
				assert.Equal(rt, before+int64(good), numbers[i], "the change at %d", i)
			case "no write":
				assert.NoError(rt, noted[i])
			case "write fails":
				assert.Error(rt, noted[i])
			case "judging fails":
				assert.ErrorIs(rt, noted[i], errJudge)
			}
		}
		assert.Equal(rt, good, done)
		after, err := s.LastCount(ctx, "all")
		require.NoError(rt, err)
		assert.Equal(rt, before+int64(good), after, "what failed left nothing behind")
	})
}
