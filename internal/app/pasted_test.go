package app_test

import (
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"codicil/core/judge"
	"codicil/core/rule"
	"codicil/internal/contract"
)

func TestRowsOfASpreadsheetBecomeATestDocument(t *testing.T) {
	d := harbour(t)
	typed := func(text string) judge.Item { return judge.Item{Typed: text} }
	for name, c := range map[string]struct {
		kind, text, at string
		want           contract.RowsRead
	}{
		"named, with lines": {"sales_order", "Customer\titem\tQuantity\tColour\nC1\tI1\t2\tred\n\tI2\t3\t\n", "customer", contract.RowsRead{
			Entered: map[string]judge.Item{"customer": typed("C1")}, Ignored: []string{"Colour"},
			Lines: []judge.Line{{Number: 1, Entered: map[string]judge.Item{"item": typed("I1"), "quantity": typed("2")}}, {Number: 2, Entered: map[string]judge.Item{"item": typed("I2"), "quantity": typed("3")}}},
		}},
		"a row of values from a field on": {"vendor", "Quay Ropes\tQuay\tPier 1\n", "name", contract.RowsRead{
			Entered: map[string]judge.Item{"name": typed("Quay Ropes"), "trading_as": typed("Quay"), "street": typed("Pier 1")}, Ignored: []string{}, Lines: []judge.Line{}}},
		"lines without names": {"sales_order", "I1\nI2\n", "lines.item", contract.RowsRead{
			Entered: map[string]judge.Item{}, Ignored: []string{},
			Lines: []judge.Line{{Number: 1, Entered: map[string]judge.Item{"item": typed("I1")}}, {Number: 2, Entered: map[string]judge.Item{"item": typed("I2")}}}}},
	} {
		read, err := d.Trials.ReadRows(as(t), contract.RowsRequest{Kind: c.kind, Text: c.text, At: c.at})
		require.NoError(t, err, name)
		assert.Equal(t, c.want, read, name)
	}
	_, err := d.Trials.ReadRows(as(t), contract.RowsRequest{Kind: "vendor", Text: " \n", At: "name"})
	assert.Equal(t, "no-rows", code(t, err))
}

func TestATestDocumentIsTriedAndProvedAsAnotherUser(t *testing.T) {
	d := office(t)
	only := body("vendor", rule.Substitute, "terms", rule.Effect{Value: `"N14"`})
	only.When = `user.name = "Birk"`
	add(t, d, only, rule.InForce)
	document := withDay(document("vendor", "10", "TRAD", values{"name": "Quay"}))
	out, err := d.Trials.Try(as(t), contract.TryRequest{Document: document})
	require.NoError(t, err)
	assert.Empty(t, out.Fields[1].Final.Value)
	document.User = "Birk"
	kept, err := d.Proofs.Keep(as(t), contract.KeepRequest{Document: document})
	require.NoError(t, err)
	assert.Equal(t, "N14", kept.Expect.Values["terms"])
	assert.Equal(t, 1, runAll(t, d, "vendor").Held, "whoever runs it")
}
