package finding_test

import (
	"encoding/json"
	"os"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"codicil/core/field"
	"codicil/core/finding"
	"codicil/core/plan"
	"codicil/core/record"
	"codicil/core/rule"
	"codicil/core/table"
)

var kind = record.Kind{Key: "vendor", Label: "Vendor", Sections: []record.Section{{Key: "bank", Label: "Bank"}}, Fields: []field.Field{
	{Key: "name", Label: "Name", Type: field.Text}, {Key: "account", Label: "Account", Type: field.Text, Section: "bank"},
}}

func TestWhatIsFoundInAPlan(t *testing.T) {
	text, err := os.ReadFile("testdata/findings.json")
	require.NoError(t, err)
	var cases []struct {
		Name     string
		Rules    []rule.Rule
		Hidden   bool // the form hides the account
		Findings []string
	}
	require.NoError(t, json.Unmarshal(text, &cases))
	for _, c := range cases {
		t.Run(c.Name, func(t *testing.T) {
			for i := range c.Rules {
				r := &c.Rules[i]
				r.ID, r.State, r.Kind = int64(i+1), rule.InForce, "vendor"
				if !r.On.Change {
					r.On = rule.Occasions{New: true, Change: true}
				}
			}
			book := plan.NewBook(&kind, nil, &table.Set{}, c.Rules)
			for _, compiled := range book.Rules {
				require.True(t, compiled.Sound(), "%v", compiled.Problems)
			}
			p := plan.Build(book, plan.Scope{Company: &record.Company{Key: "10"}, Type: &record.Type{Key: "TRAD"}, Day: "2026-11-24"})
			layout := record.Layout{Sections: []record.LayoutSection{{Key: "bank", Fields: []record.LayoutField{{Key: "account", Hidden: c.Hidden}}}}}
			got := []string{}
			for _, f := range finding.Of(p, &layout) {
				got = append(got, f.Code+": "+f.Message)
			}
			assert.Equal(t, append([]string{}, c.Findings...), got)
		})
	}
}
