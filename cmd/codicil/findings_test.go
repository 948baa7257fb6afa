package main

import (
	"encoding/json"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"codicil/core/rule"
	"codicil/internal/exchange"
)

// wronged is the demo's book with two rules that are wrong, and with what is silenced.
func wronged(t *testing.T, silenced ...exchange.Silence) string {
	return rewritten(t, func(b *exchange.Book) {
		add := func(id int64, when, value string) {
			b.Rules = append(b.Rules, rule.Rule{ID: id, Version: 1, State: rule.InForce, Name: "planted", Body: rule.Body{
				Kind: "vendor", Family: rule.Substitute, Target: "clerk", When: when, Effect: rule.Effect{Value: value}, On: rule.Occasions{New: true, Change: true},
			}})
		}
		add(9001, `country = "DE" and country = "FR"`, `"01"`)
		add(9002, `credit_limit > 1000`, `"01"`)
		add(9003, `country = "JP"`, `"02"`)
		b.Silenced = silenced
	})
}

func TestFindingsOfABookAreToldWithTheirCases(t *testing.T) {
	out, _, failed := run(t, "", "findings", "--book", rewritten(t, func(*exchange.Book) {}))
	assert.False(t, failed)
	assert.Equal(t, "Nothing is found.\n", out)

	out, _, failed = run(t, "", "findings", "--book", wronged(t))
	assert.True(t, failed, "something is found")
	assert.Contains(t, out, "rule 9001 can never act\n    because rule 9001 acts only where Country is DE\n    because rule 9001 acts only where Country is FR\n")
	assert.Contains(t, out, "rule 9002 and rule 9003 have the same priority")

	out, _, failed = run(t, "", "findings", "--json", "--book", wronged(t, exchange.Silence{Key: "never-acts|vendor||r9001|", Reason: "waits for next year"}))
	assert.True(t, failed, "one is silenced, the other is not")
	var overlap, never told
	for line := range strings.Lines(out) {
		var one told
		require.NoError(t, json.Unmarshal([]byte(line), &one))
		switch one.Code {
		case "overlap":
			overlap = one
		case "never-acts":
			never = one
		}
	}
	assert.Equal(t, "waits for next year", never.Silenced)
	require.NotNil(t, overlap.Document)
	assert.Equal(t, []int64{9002, 9003}, overlap.Rules)

	// The document shows it: taken through the book, the older rule gives the value.
	values := map[string]string{}
	for key, item := range overlap.Document.Entered {
		values[key] = item.Value
	}
	assert.Equal(t, "JP", values["country"])
	given, err := json.Marshal(map[string]any{"kind": "vendor", "company": overlap.Document.Company, "type": overlap.Document.Type, "day": overlap.Document.Day, "values": values})
	require.NoError(t, err)
	result, _, _ := run(t, string(given), "run", "--book", wronged(t))
	assert.Contains(t, result, `"clerk":"01"`)
}
