package exchange_test

import (
	"bytes"
	"compress/gzip"
	"context"
	"io"
	"os"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"codicil/core/proof"
	"codicil/core/rule"
	"codicil/internal/exchange"
	"codicil/internal/standard"
)

// A book that was written before entry rules had aspects, and when proofs expected texts, is
// read as it was meant: its proofs come out as they did.
func TestABookOfBeforeIsReadAsItWasMeant(t *testing.T) {
	b := landed(t, "10")
	for _, r := range b.Rules {
		if r.Family == rule.Entry {
			assert.False(t, r.Effect.Need == "" && r.Effect.Access == "" && r.Effect.Cursor == "" && r.Effect.Keying == "", "rule %d says something", r.ID)
		}
	}
	// Proof 98 was kept to fail. In proof 147 two sources copy into one field, and the narrower,
	// whose condition holds, has the turn now: before, it said that the value stays, and the wider
	// one replaced it all the same.
	assert.ElementsMatch(t, []int64{98, 147}, failing(t, b))
	var again bytes.Buffer
	require.NoError(t, b.Write(&again))
	_, err := exchange.ReadBook(&again)
	require.NoError(t, err)
	assert.Equal(t, []int64{98}, failing(t, landed(t, "12")), "those of the book before wrong versions of tables")
}

// landed is the demo's book as an earlier state of the program wrote it.
func landed(t *testing.T, state string) *exchange.Book {
	t.Helper()
	packed, err := os.Open("testdata/landed-" + state + ".json.gz")
	require.NoError(t, err)
	defer func() { require.NoError(t, packed.Close()) }()
	reader, err := gzip.NewReader(packed)
	require.NoError(t, err)
	text, err := io.ReadAll(reader)
	require.NoError(t, err)
	b, err := exchange.ReadBook(bytes.NewReader(text))
	require.NoError(t, err)
	return b
}

// failing are the proofs of a book that do not come out as they are expected.
func failing(t *testing.T, b *exchange.Book) (failed []int64) {
	t.Helper()
	kinds, err := standard.Kinds()
	require.NoError(t, err)
	world := b.World(kinds, func() time.Time { return time.Date(2026, 11, 24, 9, 0, 0, 0, time.UTC) })
	for _, k := range kinds {
		var own []proof.Proof
		for _, p := range b.Proofs {
			if p.Given.Kind == k.Key {
				own = append(own, p)
			}
		}
		results, err := world.Runner(k.Key).RunAll(context.Background(), own, nil)
		require.NoError(t, err)
		for i := range results {
			if !results[i].Held() {
				failed = append(failed, results[i].Proof.ID)
			}
		}
	}
	return failed
}
