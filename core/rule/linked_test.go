package rule_test

import (
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"codicil/core/record"
	"codicil/core/rule"
	"codicil/core/table"
)

func TestWhatARuleReadsOfLinkedRecords(t *testing.T) {
	person := func(field string, links int) rule.LinkedRead {
		return rule.LinkedRead{Kind: "person", Field: field, Links: links}
	}
	for _, c := range []struct {
		when, value string
		reads       []rule.LinkedRead
	}{
		{"", "clerk.name", []rule.LinkedRead{person("name", 1)}},
		{"", "clerk.deputy.name", []rule.LinkedRead{person("name", 2), person("deputy", 1)}},
		{"not(clerk.away) and limit > 10", "clerk.name", []rule.LinkedRead{person("away", 1), person("name", 1)}},
		{"clerk.deputy.away", "clerk.name", []rule.LinkedRead{person("away", 2), person("deputy", 1), person("name", 1)}},
		{"entered.limit > 1", "clerk.name", []rule.LinkedRead{person("name", 1)}},
	} {
		compiled := compile(rule.Source, "terms", c.when, rule.Effect{Mode: rule.Live, Value: c.value})
		require.True(t, compiled.Sound(), "%v", compiled.Problems)
		assert.Equal(t, c.reads, compiled.LinkedReads(), "%s: %s", c.when, c.value)
	}
	assert.Empty(t, compile(rule.Default, "terms", "limit > 1", rule.Effect{Value: `"N30"`, Lifetime: rule.NewOnly}).LinkedReads())

	lines := rule.Compile(rule.Rule{ID: 7, Body: rule.Body{Kind: "order", Family: rule.Source, Target: "lines.price", Effect: rule.Effect{Mode: rule.Live, Value: "list.lines[item = line.item][1].price"}}},
		rule.NewVocabulary(&priced, []record.Kind{prices, priced}, &table.Set{}))
	assert.Contains(t, lines.LinkedReads(), rule.LinkedRead{Kind: "price_list", Field: "lines", Links: 1})
}
