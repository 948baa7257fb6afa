package demo_test

import (
	"fmt"
	"slices"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"codicil/core/engine"
	"codicil/core/feel"
	"codicil/core/proof"
	"codicil/core/rule"
	"codicil/internal/app"
	"codicil/internal/exchange"
	"codicil/internal/standard"
)

// A document that a rule is said not to reach comes out the same with the rule, with a slightly wrong version of it, and without
// it. The oracle is the whole plan; most of what does come out the same is passed over.
func TestWhatARuleDoesNotReachStaysTheSame(t *testing.T) {
	t.Parallel()
	d := fill(t)
	book, world := worldOf(t, d)
	var same, passed, changed int
	for _, key := range kindsWithRules {
		base := world.Finder(key)
		var documents []proof.Proof
		for i, p := range book.Proofs {
			if p.Given.Kind == key && i%reachStep == 0 {
				documents = append(documents, p)
			}
		}
		now, err := base.Runner.JudgeAll(t.Context(), documents, false)
		require.NoError(t, err)
		for _, c := range base.Runner.Book.Rules {
			if c.State != rule.InForce {
				continue
			}
			for i, m := range proof.Mutants(c, base.Runner.Book, base.Runner.Extent, &book.Companies[0]) {
				other := c.Rule
				switch {
				case m.Gone:
					other.State = rule.Suspended
				case !m.OfRule() || i%reachStep != 0:
					continue
				default:
					other.Body = m.Body
				}
				before := base.Runner.With(other)
				reached, err := proof.NewReach(before, base.Runner, c.ID).Documents(t.Context(), documents)
				require.NoError(t, err)
				then, err := before.JudgeAll(t.Context(), documents, false)
				require.NoError(t, err)
				for i := range documents {
					alike := comesOutTheSame(&now[i], &then[i])
					switch {
					case alike && !reached[i]:
						same, passed = same+1, passed+1
					case alike:
						same++
					case !reached[i]:
						assert.Fail(t, "passed over, and comes out otherwise", "%s, where it were so that %s, proof %d", c.Label(), m.Change, documents[i].ID)
					default:
						changed++
					}
				}
			}
		}
	}
	t.Logf("%d documents come out otherwise, %d the same, and %d of those are passed over", changed, same, passed)
	assert.Positive(t, changed)
	assert.Greater(t, passed, same*9/10)
}

// worldOf returns the book of the scenario, and what its documents are judged by.
func worldOf(t *testing.T, d *app.App) (*exchange.Book, *exchange.World) {
	t.Helper()
	book, err := d.Books.Export(ada(t))
	require.NoError(t, err)
	kinds, err := standard.Kinds()
	require.NoError(t, err)
	return book, book.World(kinds, func() time.Time { return time.Date(2026, 11, 24, 12, 0, 0, 0, time.UTC) })
}

// reachStep is of how many documents, and of how many wrong versions, one is looked at.
const reachStep = 5

// comesOutTheSame compares values and messages; in which order the messages come depends on the order of fields, which a rule
// that reads others may change.
func comesOutTheSame(a, b *proof.Result) bool {
	if a.Err != nil || b.Err != nil {
		return false
	}
	one, two := a.Outcome.Cells(), b.Outcome.Cells()
	return slices.EqualFunc(one, two, func(x, y engine.Cell) bool { return feel.Same(x.Final, y.Final) }) && slices.Equal(said(a), said(b))
}

func said(r *proof.Result) (texts []string) {
	for _, m := range r.Outcome.Messages {
		texts = append(texts, fmt.Sprintln(m.Severity, m.Field, m.Line, m.Text))
	}
	slices.Sort(texts)
	return texts
}
