package main

import (
	"encoding/xml"
	"os"
	"path/filepath"
	"slices"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"codicil/core/proof"
	"codicil/internal/exchange"
)

// rewritten is the demo's book after a change.
func rewritten(t *testing.T, change func(*exchange.Book)) string {
	t.Helper()
	file := filepath.Join(t.TempDir(), "book.json")
	b, err := exchange.ReadBook(strings.NewReader(exported(t, "--demo")))
	require.NoError(t, err)
	change(b)
	f, err := os.Create(file)
	require.NoError(t, err)
	require.NoError(t, b.Write(f))
	require.NoError(t, f.Close())
	return file
}

func TestProofsOfABookAreRunWithoutItsDatabase(t *testing.T) {
	junit := filepath.Join(t.TempDir(), "results.xml")
	out, _, failed := run(t, "", "prove", "--book", rewritten(t, func(*exchange.Book) {}), "--junit", junit)
	assert.True(t, failed, "one proof fails on purpose")
	assert.Contains(t, out, "Alpin gives German vendors sixty days\n       value of payment_terms: expected N60, came out N30\n")
	assert.Contains(t, out, "Vendors: 136 of 137 proofs pass;")
	assert.Contains(t, out, "Sales orders: 108 of 108 proofs pass;", "they carry their customers and items")

	text, err := os.ReadFile(junit)
	require.NoError(t, err)
	var suites junitSuites
	require.NoError(t, xml.Unmarshal(text, &suites))
	assert.Equal(t, 1, suites.Failures)
	cases := 0
	for _, s := range suites.Suites {
		assert.Len(t, s.Cases, s.Tests)
		cases += len(s.Cases)
		for _, c := range s.Cases {
			if c.Failure != nil {
				assert.Equal(t, "value of payment_terms: expected N60, came out N30", c.Failure.Message)
				assert.Equal(t, "vendor.40.SERV", c.Class)
			}
		}
	}
	assert.Equal(t, cases, suites.Tests)
}

func TestABookWhoseProofsHoldEndsWell(t *testing.T) {
	book := rewritten(t, func(b *exchange.Book) {
		b.Proofs = slices.DeleteFunc(b.Proofs, func(p proof.Proof) bool { return strings.Contains(p.Name, "sixty days") })
	})
	out, errors, failed := run(t, "", "prove", "--book", book, "--strength")
	assert.False(t, failed, errors)
	assert.NotContains(t, out, "FAILS")
	assert.Regexp(t, `Items: 7 of 7 proofs pass; 1 of 1 rules are proved both ways; \d+ of 17 slightly wrong versions are noticed`, out)
}

func TestAProofThatNoLongerFitsIsAnErrorInTheResults(t *testing.T) {
	junit := filepath.Join(t.TempDir(), "results.xml")
	book := rewritten(t, func(b *exchange.Book) {
		b.Proofs = b.Proofs[:1]
		b.Proofs[0].Given.Company = "99"
	})
	out, _, failed := run(t, "", "prove", "--book", book, "--junit", junit)
	assert.True(t, failed)
	assert.Contains(t, out, `cannot be run: there is no company "99"`)
	text, err := os.ReadFile(junit)
	require.NoError(t, err)
	assert.Contains(t, string(text), `errors="1"`)
}

func TestABookWithoutProofsSaysSo(t *testing.T) {
	out, errors, failed := run(t, "", "prove", "--book", rewritten(t, func(b *exchange.Book) { b.Proofs = nil }))
	assert.False(t, failed, errors)
	assert.Contains(t, out, "The book has no proofs.")
}
