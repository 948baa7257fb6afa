package commit_test

import (
	"context"
	"errors"
	"fmt"
	"sync"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"codicil/internal/app/commit"
	"codicil/internal/cache"
	"codicil/internal/store"
)

// begun is a line of writers to a store of its own, with the version of its rule book.
func begun(t *testing.T) (*commit.Line, *store.Store, int64) {
	t.Helper()
	s, err := store.Open(t.Context(), "")
	require.NoError(t, err)
	t.Cleanup(func() { require.NoError(t, s.Close()) })
	book, _, err := s.BookVersion(t.Context())
	require.NoError(t, err)
	return commit.New(s, cache.New(s), time.Now), s, book
}

// Many changes at once: each has its own verdict, whatever becomes of those it shares a commit with, and what was not
// accepted leaves nothing behind.
func TestEveryChangeOfACommitHasItsOwnVerdict(t *testing.T) {
	ctx := t.Context()
	line, s, book := begun(t)
	broken := errors.New("the disk is odd")
	const each = 20
	var group sync.WaitGroup
	var mutex sync.Mutex
	done := map[string]int{}
	for i := range 5 * each {
		what := []string{"good", "stale", "broken", "panic", "gone"}[i%5]
		group.Go(func() {
			own, leave := context.WithCancel(ctx)
			defer leave()
			err := line.Commit(own, func(context.Context) (*commit.Change, error) {
				if what == "gone" { // the caller goes while the change waits
					leave()
				}
				written := false
				return &commit.Change{Reads: commit.NewReadSet(book), Done: func() {
					mutex.Lock()
					defer mutex.Unlock()
					done[what]++
				}, Write: func(ctx context.Context, tx *store.Store) error {
					assert.False(t, written, "a judgement is written once: it has its number and version then")
					written = true
					if _, err := tx.NextNumber(ctx, what); err != nil {
						return err
					}
					switch what {
					case "stale":
						return fmt.Errorf("moved: %w", store.ErrStale)
					case "broken":
						return broken
					case "panic":
						panic("odd")
					}
					return nil
				}}, nil
			})
			switch what {
			case "good":
				assert.NoError(t, err)
			case "broken":
				assert.ErrorIs(t, err, broken)
			case "gone":
				assert.ErrorIs(t, err, context.Canceled)
			default:
				assert.Error(t, err, what)
			}
		})
	}
	group.Wait()
	assert.Equal(t, map[string]int{"good": each}, done)
	counted, err := s.Counted(ctx)
	require.NoError(t, err)
	assert.Equal(t, map[string]int64{"good": each}, counted, "what failed wrote nothing, and nothing was written twice")
}

// What a judgement relied on moved: the change is judged again, and the third time where nobody writes meanwhile.
func TestAChangeThatWasOvertakenIsJudgedAgain(t *testing.T) {
	ctx := t.Context()
	line, s, _ := begun(t)
	judged := 0
	require.NoError(t, line.Commit(ctx, func(context.Context) (*commit.Change, error) {
		judged++
		return &commit.Change{Reads: commit.NewReadSet(-1), Write: func(ctx context.Context, tx *store.Store) error {
			_, err := tx.NextNumber(ctx, "x")
			return err
		}}, nil
	}))
	assert.Equal(t, 3, judged)
	last, err := s.LastCount(ctx, "x")
	require.NoError(t, err)
	assert.EqualValues(t, 1, last)
}
