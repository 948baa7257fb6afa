package demo_test

import (
	"slices"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"codicil/core/engine"
	"codicil/core/finding"
	"codicil/core/proof"
	"codicil/core/rule"
	"codicil/internal/standard"
)

// What is said never to happen does not happen: of every slightly wrong version of every rule, what the
// findings exclude is looked for in all proofs, and in documents near them. And what is said to happen
// has its document. The oracle is the engine.
func TestNoFindingIsAFalseAlarm(t *testing.T) {
	if testing.Short() {
		t.Skip("a minute's work")
	}
	d := fill(t)
	book, err := d.Books.Export(ada(t))
	require.NoError(t, err)
	kinds, err := standard.Kinds()
	require.NoError(t, err)
	told, looked := map[finding.Code]int{}, 0
	for _, key := range kindsWithRules {
		world := book.World(kinds, func() time.Time { return time.Date(2026, 11, 24, 12, 0, 0, 0, time.UTC) })
		base := world.Finder(key)
		var given []proof.Proof
		for _, p := range book.Proofs {
			if p.Given.Kind == key {
				given = append(given, p)
			}
		}
		for _, c := range base.Runner.Book.Rules {
			if c.State != rule.InForce || !c.Sound() {
				continue
			}
			for i, m := range proof.Mutants(c, base.Runner.Book, base.Runner.Extent, &book.Companies[0]) {
				if !m.OfRule() || i%3 != 0 { // a third of them says enough
					continue
				}
				wrong := c.Rule
				wrong.Body = m.Body
				f := *base
				f.Runner = base.Runner.With(wrong)
				at := f.Runner.Book.Rules[indexOf(f.Runner.Book.Rules, c.ID)]
				excluded := map[finding.Code]bool{}
				require.NoError(t, f.About(t.Context(), at, func(found *finding.Finding) {
					told[found.Code]++
					if found.Witness != nil {
						assert.NoError(t, found.Witness.Result.Err)
					} else if found.Rules[0].ID == c.ID {
						excluded[found.Code] = true
					}
				}))
				if len(excluded) == 0 {
					continue
				}
				looked++
				documents := given
				search := proof.Search{Runner: f.Runner, Rule: at, Bases: f.Bases, Numbers: func(string, string) []string { return nil }}
				for _, near := range search.Near(150) {
					documents = append(documents, proof.Proof{Given: near.Document})
				}
				for j := range documents {
					result := f.Runner.Run(&documents[j], true)
					if result.Err != nil || noChoice(result.Outcome) {
						continue
					}
					for _, cell := range result.Outcome.Cells() {
						for _, act := range cell.Rules {
							if act.Rule.ID != c.ID {
								continue
							}
							turn := act.Did == engine.Acted || act.Did == engine.NotNeeded || act.Did == engine.NotTaken || act.Did == engine.Failed
							assert.False(t, turn && (excluded[finding.NeverActs] || excluded[finding.AlwaysBeaten]), "%s has its turn after all: %s", c.Label(), m.Change)
							assert.False(t, act.Did == engine.Speaks && excluded[finding.PassesAll], "%s speaks after all: %s", c.Label(), m.Change)
							assert.False(t, act.Did == engine.Holds && excluded[finding.RefusesAll], "%s holds after all: %s", c.Label(), m.Change)
						}
					}
				}
			}
		}
	}
	t.Log(told, looked)
	assert.NotEmpty(t, told)
	assert.Positive(t, looked, "some of the wrong versions are found")
}

// noChoice tells whether a document holds a code that is none, and so is refused whatever rules say.
func noChoice(out *engine.Outcome) bool {
	return slices.ContainsFunc(out.Messages, func(m engine.Message) bool { return m.Code == "not-a-choice" })
}

func indexOf(rules []*rule.Compiled, id int64) int {
	for i, c := range rules {
		if c.ID == id {
			return i
		}
	}
	return -1
}
