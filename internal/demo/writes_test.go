package demo_test

import (
	"slices"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"codicil/core/field"
	"codicil/core/rule"
	"codicil/internal/contract"
)

// What a proof expects to be written to a linked record is told by that record and its field, as the person writes values.
func TestADifferenceInWhatIsWrittenIsToldAsAPersonReadsIt(t *testing.T) {
	t.Parallel()
	d := fill(t)
	rules, err := d.Rules.List(ada(t), "accounting_document")
	require.NoError(t, err)
	i := slices.IndexFunc(rules, func(r contract.RuleView) bool {
		return r.Body.Family == rule.FollowUp && r.Body.Target == "vendor.last_invoice_on"
	})
	require.GreaterOrEqual(t, i, 0)
	changed := contract.RuleChange{Version: rules[i].Version, Body: rules[i].Body, Reason: "a test"}
	changed.Body.Effect.Value = `date("2026-12-31")`
	_, err = d.Rules.Change(ada(t), rules[i].ID, changed)
	require.NoError(t, err)
	german := &field.Format{Decimal: ",", Group: ".", Date: "dmy", Separator: "."}
	run, err := d.Proofs.Run(ada(t), contract.RunRequest{Kind: "accounting_document", Format: german})
	require.NoError(t, err)
	var told []contract.Difference
	for _, r := range run.Results {
		for _, difference := range r.Differences {
			if difference.What == "write" {
				told = append(told, difference)
			}
		}
	}
	require.NotEmpty(t, told)
	for _, difference := range told {
		assert.Regexp(t, `^Last invoice on of V\d+ `, difference.Label)
		assert.Regexp(t, `^\d\d\.\d\d\.20\d\d$`, difference.Expected)
		assert.Equal(t, "31.12.2026", difference.Actual)
	}
}
