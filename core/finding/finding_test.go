package finding_test

import (
	"encoding/json"
	"errors"
	"os"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"codicil/core/engine"
	"codicil/core/field"
	"codicil/core/finding"
	"codicil/core/judge"
	"codicil/core/plan"
	"codicil/core/proof"
	"codicil/core/record"
	"codicil/core/rule"
	"codicil/core/table"
)

func choices(codes ...string) (list []field.Option) {
	for _, code := range codes {
		list = append(list, field.Option{Code: code, Label: "Choice " + code})
	}
	return list
}

var (
	group = record.Kind{Key: "group", Label: "Group", Plural: "Groups", Shared: true, Fields: []field.Field{
		{Key: "title", Label: "Title", Type: field.Text, Length: 20}, {Key: "class", Label: "Class", Type: field.Choice, Choices: choices("X", "Y")},
	}}
	kind = record.Kind{Key: "vendor", Label: "Vendor", Plural: "Vendors", Sections: []record.Section{{Key: "bank", Label: "Bank"}}, Fields: []field.Field{
		{Key: "name", Label: "Name", Type: field.Text, Length: 40}, {Key: "short", Label: "Short name", Type: field.Text, Length: 10},
		{Key: "country", Label: "Country", Type: field.Choice, Choices: choices("DE", "FR", "JP")}, {Key: "category", Label: "Category", Type: field.Choice, Choices: choices("A", "B", "C")},
		{Key: "amount", Label: "Amount", Type: field.Number, Decimals: 2}, {Key: "limit", Label: "Limit", Type: field.Number, Decimals: 2},
		{Key: "blocked", Label: "Blocked", Type: field.YesNo}, {Key: "group", Label: "Group", Type: field.Link, Kind: "group"},
		{Key: "account", Label: "Account", Type: field.Text, Section: "bank"},
		{Key: "lines.code", Label: "Code", Type: field.Choice, Choices: choices("P", "Q")}, {Key: "lines.quantity", Label: "Quantity", Type: field.Number}, {Key: "lines.price", Label: "Price", Type: field.Number, Decimals: 2},
	}}
	companies = []record.Company{{Key: "10", Country: "DE", Currency: "EUR"}, {Key: "20", Country: "FR", Currency: "EUR"}}
	types     = []record.Type{{Kind: "vendor", Key: "TRAD"}, {Kind: "vendor", Key: "SERV", Companies: []string{"10"}}}
	tables    = table.Set{
		Standing: []table.Standing{
			{Field: field.Field{Key: "freight", Label: "Freight", Type: field.Number, Decimals: 2}, Periods: []table.StandingValue{{Company: "10", Value: "5"}, {Company: "20", Value: "6"}, {Value: "7"}, {Company: "99", Value: "8"}}},
		},
		Crosswalks: []table.Crosswalk{{Key: "bucket", Label: "Buckets", Keys: []field.Field{{Key: "country", Label: "Country", Type: field.Text}}, Results: []field.Field{{Key: "category", Label: "Category", Type: field.Text}},
			Rows: []table.Row{{Keys: []string{"DE"}, Results: []string{"A"}}, {Keys: []string{"FR"}, Results: []string{"Z"}}, {Keys: []string{"BE"}, Results: []string{"B"}}}, Default: []string{"C"}}},
	}
)

// scope is how the runner of the tests finds what a plan is for.
func scope(company, kindType string, day record.Day) (plan.Scope, error) {
	s := plan.Scope{Day: day}
	for i := range companies {
		if companies[i].Key == company {
			s.Company = &companies[i]
		}
	}
	for i := range types {
		if types[i].Key == kindType && types[i].UsedIn(company) {
			s.Type = &types[i]
		}
	}
	if s.Company == nil || s.Type == nil {
		return s, errors.New("there is no such company or type")
	}
	return s, nil
}

// finder looks over rules as a table states them: in force, on every occasion where none is named.
func finder(t *testing.T, rules []rule.Rule) *finding.Finder {
	t.Helper()
	for i := range rules {
		r := &rules[i]
		r.ID, r.State, r.Kind = int64(i+1), rule.InForce, "vendor"
		if !r.On.Change && !r.On.New {
			r.On = rule.Occasions{New: true, Change: true}
		}
		if r.Family == rule.Validate && r.Effect.Message == "" {
			r.Effect.Message = "Change it"
		}
	}
	book := plan.NewBook(&kind, []record.Kind{kind, group}, &tables, rules)
	for _, compiled := range book.Rules {
		require.True(t, compiled.Sound(), "%v", compiled.Problems)
	}
	return &finding.Finder{Today: "2026-11-24", Runner: &proof.Runner{
		Book: book, Extent: proof.Extent{Companies: companies, Types: types}, Scope: scope,
		Facts: func(string) (judge.Circumstances, func() error) {
			return judge.Circumstances{}, func() error { return nil }
		},
	}}
}

func TestWhatIsFound(t *testing.T) {
	text, err := os.ReadFile("testdata/findings.json")
	require.NoError(t, err)
	var cases []struct {
		Name     string
		Rules    []rule.Rule
		Hidden   bool // the form hides the account
		Findings []string
		Because  []string
		// Shows are values of the document that shows the first finding, by field.
		Shows map[string]string
	}
	require.NoError(t, json.Unmarshal(text, &cases))
	for _, c := range cases {
		t.Run(c.Name, func(t *testing.T) {
			f := finder(t, c.Rules)
			if c.Hidden {
				f.Layout = func(string, string) *record.Layout {
					return &record.Layout{Sections: []record.LayoutSection{{Key: "bank", Fields: []record.LayoutField{{Key: "account", Hidden: true}}}}}
				}
			}
			got, because, keys := []string{}, []string{}, map[string]bool{}
			var first *finding.Finding
			require.NoError(t, f.All(t.Context(), func(found *finding.Finding) {
				got = append(got, string(found.Code)+": "+found.Message(rule.Wording{}))
				because = append(because, found.Because(rule.Wording{})...)
				assert.False(t, keys[found.Key()], "the key %s names two findings", found.Key())
				keys[found.Key()] = true
				assert.Equal(t, found.Witness == nil, len(found.Because(rule.Wording{})) > 0, "either a document or conditions")
				if first == nil {
					first = found
				}
			}))
			assert.Equal(t, append([]string{}, c.Findings...), got)
			if c.Because != nil {
				assert.Equal(t, c.Because, because)
			}
			for address, wanted := range c.Shows {
				require.NotNil(t, first)
				require.NotNil(t, first.Witness)
				place, line := judge.IndexOf(&kind, address)
				assert.Equal(t, wanted, field.Write(final(first.Witness.Result.Outcome, place, line).Final), "%s of %+v", address, first.Witness.Document)
			}
			// Every rule by itself is told the same as the whole book is.
			alone := map[string]bool{}
			for _, r := range f.Runner.Book.Rules {
				require.NoError(t, f.About(t.Context(), r, func(found *finding.Finding) { alone[found.Key()] = true }))
			}
			assert.Equal(t, keys, alone)
		})
	}
}

func final(out *engine.Outcome, place, line int) *engine.Field { return out.Field(place, line) }

func TestRowsAndPeriodsThatNobodyReaches(t *testing.T) {
	f := finder(t, []rule.Rule{{Body: rule.Body{Family: rule.Default, Target: "category", Effect: rule.Effect{Lifetime: rule.WheneverBlank, Value: `crosswalk("bucket", country)`}}}})
	got := []string{}
	finding.Tables(&tables, []*plan.Book{f.Runner.Book}, companies, types, func(found *finding.Finding) {
		got = append(got, string(found.Code)+": "+found.Message(rule.Wording{})+" because "+found.Because(rule.Wording{})[0])
	})
	assert.Equal(t, []string{
		"period-unreachable: Standing value Freight: nobody gets 7, which holds always because every company has a value of its own for all of these days",
		"period-unreachable: Standing value Freight: nobody gets 8, which holds always because there is no company 99",
		"row-unreachable: Crosswalk Buckets: no rule can look up row 3, BE because what is looked up is one of DE, FR, JP",
	}, got)
}

func TestTheKeyOfAFindingFollowsTheNumbersOfItsRules(t *testing.T) {
	key := finding.KeyOf("overlap", "vendor", "", []int64{3, 12}, "")
	assert.Equal(t, "overlap|vendor||r3|r12|", key)
	for _, c := range []struct {
		key     string
		numbers map[int64]int64
		want    string
		known   bool
	}{
		{key, map[int64]int64{3: 30, 12: 3}, "overlap|vendor||r30|r3|", true},
		{key, map[int64]int64{3: 30}, "", false},
		{finding.KeyOf("unfit", "vendor", "", []int64{3}, "r12"), map[int64]int64{3: 5, 12: 7}, "unfit|vendor||r5|r12", true}, // the value is no rule
		{finding.KeyOf("row-unreachable", "", "transit", nil, "IE DK"), nil, "row-unreachable||transit|IE DK", true},
		{"no key", nil, "no key", true},
	} {
		got, known := finding.Renumber(c.key, c.numbers)
		assert.Equal(t, c.known, known, c.key)
		assert.Equal(t, c.want, got, c.key)
	}
}
