package rule_test

import (
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"codicil/core/feel"
	"codicil/core/field"
	"codicil/core/record"
	"codicil/core/rule"
	"codicil/core/table"
)

var (
	prices = record.Kind{Key: "price_list", Label: "Price list", Fields: []field.Field{
		{Key: "name", Label: "Name", Type: field.Text},
		{Key: "lines.item", Label: "Item", Type: field.Text}, {Key: "lines.price", Label: "Price", Type: field.Number, Decimals: 2},
		{Key: "lines.valid_from", Label: "Valid from", Type: field.Date}, {Key: "lines.valid_until", Label: "Valid until", Type: field.Date},
	}}
	priced = record.Kind{Key: "order", Label: "Order", Fields: []field.Field{
		{Key: "list", Label: "List", Type: field.Link, Kind: "price_list"}, {Key: "ordered_on", Label: "Ordered on", Type: field.Date},
		{Key: "lines.item", Label: "Item", Type: field.Text}, {Key: "lines.price", Label: "Price", Type: field.Number, Decimals: 2},
	}}
)

func TestAValueOfALineOfALinkedRecordIsReadAndTold(t *testing.T) {
	v := rule.NewVocabulary(&priced, []record.Kind{prices, priced}, &table.Set{})
	for _, c := range []struct {
		formula string
		line    *rule.LineOf
		told    string
	}{
		{
			`list.lines[item = line.item and (is blank(valid_from) or valid_from <= ordered_on) and (is blank(valid_until) or ordered_on <= valid_until)][1].price`,
			&rule.LineOf{Link: "list", Column: "price", Keys: []rule.LineKey{{Column: "item", Name: "line.item"}}, From: "valid_from", Until: "valid_until", Day: "ordered_on"},
			"Price of the line of List whose Item is Item valid on Ordered on",
		},
		{
			`list.lines[item = line.item][1].price`,
			&rule.LineOf{Link: "list", Column: "price", Keys: []rule.LineKey{{Column: "item", Name: "line.item"}}},
			"Price of the line of List whose Item is Item",
		},
		{`list.lines[item = line.item][2].price`, nil, ""},
		{`list.lines[price > 5][1].price`, nil, ""},
		{`list.lines[(is blank(valid_from) or valid_from <= ordered_on) and (is blank(valid_until) or today() <= valid_until)][1].price`, nil, ""},
		{`line.price`, nil, ""},
	} {
		r := rule.Rule{Body: rule.Body{Kind: "order", Family: rule.Default, Target: "lines.price", Effect: rule.Effect{Lifetime: rule.WheneverBlank, Value: c.formula}, On: rule.Occasions{New: true}}}
		compiled := rule.Compile(r, v)
		require.True(t, compiled.Sound(), "%s: %v", c.formula, compiled.Problems)
		assert.Equal(t, c.line, compiled.LineOf(), c.formula)
		if c.told != "" {
			assert.Equal(t, c.told, rule.Text(v.Tell(compiled.Value, compiled.Field, nil, rule.Wording{Kind: &priced})))
		}
	}
}

func TestLinesAndTheirNumbersAreAmongTheNames(t *testing.T) {
	v := rule.NewVocabulary(&priced, []record.Kind{prices, priced}, &table.Set{})
	names := map[string]rule.Name{}
	for _, n := range v.Names(v.IndexOf("lines.price")) {
		names[n.Text] = n
	}
	assert.Equal(t, "Price of the lines of List", names["list.lines.price"].Label)
	list := names["list.lines.price"]
	assert.False(t, list.Single())
	assert.Equal(t, "Line number", names["line.number"].Label)
	assert.Equal(t, feel.NumberType, names["line.number"].Type)
}
