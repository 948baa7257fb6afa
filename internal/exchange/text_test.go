package exchange_test

import (
	"bytes"
	"slices"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"codicil/core/proof"
	"codicil/core/rule"
	"codicil/core/table"
	"codicil/internal/exchange"
	"codicil/internal/standard"
)

func asText(t require.TestingT, b *exchange.Book) string {
	kinds, err := standard.Kinds()
	require.NoError(t, err)
	var text bytes.Buffer
	require.NoError(t, b.WriteText(&text, kinds))
	return text.String()
}

// A book as text is the same book when it is read, and the same text when that is written.
func TestABookAsTextLosesNothing(t *testing.T) {
	for _, state := range []string{"10", "12", "13"} {
		b := landed(t, state)
		text := asText(t, b)
		again, err := exchange.ReadBook(strings.NewReader(text))
		require.NoError(t, err)
		assert.Equal(t, text, asText(t, again), state)
		byNumber(b)
		byNumber(again)
		var one, other bytes.Buffer
		require.NoError(t, b.Write(&one))
		require.NoError(t, again.Write(&other))
		assert.Equal(t, one.String(), other.String(), state)
	}
}

func byNumber(b *exchange.Book) {
	slices.SortFunc(b.Rules, func(a, b rule.Rule) int { return int(a.ID - b.ID) })
	slices.SortFunc(b.Proofs, func(a, b proof.Proof) int { return int(a.ID - b.ID) })
}

// Whatever people write into a rule comes back as they wrote it, and a rule that is added adds a block to the text.
func TestAnyRuleIsABlockOfTheText(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		words := rapid.OneOf(rapid.String(), rapid.SampledFrom([]string{"yes", "null", "~", "0.90", "1e3", "2026-03-03", "a: b", "- x", "# no", "|", " led", "trailed ", "two\nlines", "two\nlines\n", "\n\n  x\n y", "tab\there", "é\u0085x\u2028y", "\ufeffz", "…", "'", "\"", "%", "@", "&a", "*a", "!t", "{}", "[]", "---", "...", "a\r\nb"}))
		draw := func(id int64, uid string) rule.Rule {
			return rule.Rule{ID: id, UID: uid, Version: 1, State: rule.InForce, Name: words.Draw(t, "name"), Body: rule.Body{
				Kind: "vendor", Family: rule.Default, Target: "city", When: words.Draw(t, "when"), Priority: rapid.Int().Draw(t, "priority"),
				Effect: rule.Effect{Lifetime: rule.NewOnly, Value: words.Draw(t, "value")}, Note: rule.Note{Why: words.Draw(t, "why")},
			}}
		}
		b := &exchange.Book{Rules: []rule.Rule{draw(1, "aa"), draw(3, "cc")}, Series: []table.Series{{Key: "s", Start: 1, Step: 1, Label: words.Draw(t, "label")}}}
		text := asText(t, b)
		again, err := exchange.ReadBook(strings.NewReader(text))
		require.NoError(t, err, text)
		var one, other bytes.Buffer
		require.NoError(t, b.Write(&one))
		require.NoError(t, again.Write(&other))
		require.Equal(t, one.String(), other.String(), text)

		more := *b
		more.Rules = append(slices.Clone(b.Rules), draw(2, "bb"))
		blocks, longer := strings.Split(text, "\n---\n"), strings.Split(asText(t, &more), "\n---\n")
		require.Len(t, longer, len(blocks)+1)
		for _, block := range blocks {
			require.Contains(t, longer, block)
		}
	})
}

// What is wrong in a text is told with its line.
func TestWhatDoesNotBelongInATextIsToldWithItsLine(t *testing.T) {
	head := "book:\n  format: codicil book\n  version: 3\n---\n"
	for text, want := range map[string]string{
		"":                                      "it is empty",
		"rule:\n  id: 1\n":                      `its first block is "rule", not “book”`,
		head + "rule:\n  id: two\n":             "rules, the block at line 5.id holds a string",
		head + "rule:\n  it: 2\n":               `rules, the block at line 5: json: unknown field "it"`,
		head + "ruel:\n  id: 2\n":               `there is no block "ruel" (line 5)`,
		head + "rule: &a\n  id: 2\n  uid: *a\n": "line 7",
		head + "rule:\n  id: [\n":               "line",
		head + "- a\n":                          "the block at line 5 does not hold one thing",
		"book:\n  format: codicil book\n  version: 9\n": "reads versions 1 to 4",
	} {
		_, err := exchange.ReadBook(strings.NewReader(text))
		assert.ErrorContains(t, err, want, text)
	}
}
