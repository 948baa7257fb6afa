package app_test

import (
	"encoding/json"
	"regexp"
	"slices"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"codicil/core/feel"
	"codicil/core/field"
	"codicil/core/notice"
	"codicil/core/proof"
	"codicil/core/record"
	"codicil/core/rule"
	"codicil/internal/app"
	"codicil/internal/contract"
	"codicil/internal/store"
)

// flag is a made-up type of field: a signal flag of ships, one letter that people may spell. All
// that the application does with fields, it does with this one.
type flag struct{ field.Type }

const flagType field.Name = "signal-flag"

var (
	notAFlag = notice.Define("test-not-a-flag", "{field}: {value:q} is no signal flag; write its letter")
	spelled  = map[string]string{"ALFA": "A", "BRAVO": "B", "CHARLIE": "C"}
	letter   = regexp.MustCompile(`^[A-Z]$`)
)

func init() { field.Register(flag{field.Named(field.Text)}) }

func (flag) Traits() field.Traits {
	return field.Traits{Name: flagType, Label: "Signal flag", Input: "text", Settings: []string{}, Tables: true, Uniform: true}
}

func (flag) Read(f *field.Field, text string, _ field.Format, _ field.Surroundings) (feel.Value, *field.Misfit) {
	code := strings.ToUpper(text)
	if short := spelled[code]; short != "" {
		code = short
	}
	if !letter.MatchString(code) {
		return feel.NullValue, &field.Misfit{Notice: notAFlag.With(f.Label, text)}
	}
	return feel.StringOf(code), nil
}

func (flag) Fit(f *field.Field, v feel.Value, _ field.Surroundings) (feel.Value, *field.Misfit) {
	if code, _ := v.Text(); !letter.MatchString(code) {
		return v, &field.Misfit{Notice: notAFlag.With(f.Label, code)}
	}
	return v, nil
}

func (flag) Show(_ *field.Field, v feel.Value, _ field.Format, _ field.Surroundings) string {
	return "⚑" + v.Plain()
}

// SortKey puts the later letter first, so that the order is seen to be the type's own.
func (flag) SortKey() func(feel.Value) string {
	return func(v feel.Value) string { return string(rune(0x7f) - []rune(v.Plain())[0]) }
}

func (flag) Relations() []field.Relation { return field.Named(field.Choice).Relations() }

func (flag) Neighbours(_ *field.Field, v feel.Value, _ field.Surroundings) []feel.Value {
	code, _ := v.Text()
	return []feel.Value{feel.StringOf(string(code[0] + 1))}
}

func (flag) Samples(*field.Field, field.Surroundings) []feel.Value {
	return []feel.Value{feel.StringOf("Q")}
}

func (flag) Width(*field.Field) int { return 2 }

func (flag) Describe(*field.Field) string { return "signal flag" }

// A type and a kind that nobody wrote code for go through the whole application: definition,
// catalogue, form, rules and sentences, lists, tables, proofs and what they would miss, history.
func TestATypeAndAKindThatNobodyKnowsGoAllTheWay(t *testing.T) {
	ctx := as(t)
	s, err := store.Open(ctx, "")
	require.NoError(t, err)
	t.Cleanup(func() { require.NoError(t, s.Close()) })
	require.NoError(t, s.SaveKinds(ctx, []record.Kind{{
		Key: "berth", Label: "Berth", Plural: "Berths", TypeLabel: "Berth class", Prefix: "B", Digits: 2, Title: []string{"name"},
		Sections: []record.Section{{Key: "general", Label: "General"}, {Key: "lines", Label: "Signals"}},
		Fields: []field.Field{
			{Key: "name", Label: "Name", Section: "general", Type: field.Text}, {Key: "hoisted", Label: "Hoisted", Section: "general", Type: flagType, Searched: true},
			{Key: "lines.signal", Label: "Signal", Section: "lines", Type: flagType},
		},
	}}))
	d := app.New(s, func() time.Time { return time.Date(2026, 11, 24, 9, 0, 0, 0, time.UTC) })
	_, err = d.Catalog.SaveCompany(ctx, "10", record.Company{Name: "Salt Works", Country: "IE", Currency: "EUR", Rounding: "half-up"})
	require.NoError(t, err)
	_, err = d.Catalog.SaveType(ctx, "berth", "A", record.Type{Label: "Quay"})
	require.NoError(t, err)

	catalog, err := d.Catalog.Catalog(ctx)
	require.NoError(t, err)
	at := slices.IndexFunc(catalog.FieldTypes, func(f contract.FieldType) bool { return f.Name == flagType })
	require.GreaterOrEqual(t, at, 0)
	assert.Equal(t, "Signal flag", catalog.FieldTypes[at].Label)
	assert.Equal(t, "string", catalog.FieldTypes[at].Formula)
	added, err := d.Fields.Add(ctx, "berth", field.Field{Key: "answer", Label: "Answer", Section: "general", Type: flagType})
	require.NoError(t, err)
	assert.True(t, added.Added)
	layout, err := d.Catalog.Layout(ctx, "berth", "10", "A")
	require.NoError(t, err)
	assert.Equal(t, 2, layout.Layout.Sections[0].Fields[1].Width)

	names, err := d.Formulas.Names(ctx, "berth", "hoisted")
	require.NoError(t, err)
	assert.Equal(t, "one-of", names.Relations[string(flagType)][2].Key)
	formula, err := d.Formulas.Constant(ctx, contract.ConstantRequest{Kind: "berth", Target: "hoisted", Text: "charlie"})
	require.NoError(t, err)
	assert.Equal(t, `"C"`, formula.Formula)
	both := rule.Occasions{New: true, Change: true}
	answers := add(t, d, rule.Body{Kind: "berth", Family: rule.Default, Target: "answer", On: both, When: `hoisted = "B"`, Effect: rule.Effect{Lifetime: rule.WheneverBlank, Value: formula.Formula}}, rule.InForce)
	assert.Equal(t, "For berths in all companies, when Hoisted is B, fill Answer with C whenever it is blank.", answers.Sentence)
	broken, err := d.Rules.Read(ctx, contract.RuleChange{Body: rule.Body{Kind: "berth", Family: rule.Substitute, Target: "answer", On: both, Effect: rule.Effect{Value: `"BB"`}}})
	require.NoError(t, err)
	assert.Equal(t, "test-not-a-flag", broken.Problems[0].Code)

	first := save(t, d, document("berth", "10", "A", values{"name": "Carrow", "hoisted": "bravo"}, values{"signal": "a"}))
	assert.Equal(t, "C", first.Content.Values["answer"])
	assert.Equal(t, "A", first.Content.Lines[0].Values["signal"])
	save(t, d, document("berth", "10", "A", values{"name": "Ballinore", "hoisted": "X"}))
	wrong, err := d.Trials.Try(ctx, contract.TryRequest{Document: document("berth", "10", "A", values{"hoisted": "7"})})
	require.NoError(t, err)
	assert.Equal(t, "test-not-a-flag", wrong.Messages[0].Code)
	page, err := d.Records.List(ctx, contract.ListRequest{Kind: "berth", Columns: []string{"hoisted", "lines.signal"}, Selection: record.Selection{Sort: "hoisted"}})
	require.NoError(t, err)
	assert.Equal(t, [][]string{{"⚑X", ""}, {"⚑B", "⚑A"}}, [][]string{page.Rows[0].Cells, page.Rows[1].Cells})
	page, err = d.Records.List(ctx, contract.ListRequest{Kind: "berth", Selection: record.Selection{Filters: []record.Filter{{Field: "hoisted", Relation: "is", Value: "Bravo"}}}})
	require.NoError(t, err)
	assert.Equal(t, 1, page.Total)
	history, err := d.Records.History(ctx, record.Ref{Kind: "berth", Number: first.Number}, nil)
	require.NoError(t, err)
	assert.Contains(t, history[0].Changes, contract.ValueChange{Field: "hoisted", Label: "Hoisted", Before: contract.Shown{}, After: contract.Shown{Text: "⚑B", Value: "B"}})

	kept, err := d.Proofs.Keep(ctx, contract.KeepRequest{Document: document("berth", "10", "A", values{"name": "Quay", "hoisted": "B"}), Rules: []int64{answers.ID}})
	require.NoError(t, err)
	assert.Equal(t, "C", kept.Expect.Values["answer"])
	confirmed, err := d.Coverage.Rule(ctx, answers.ID)
	require.NoError(t, err)
	assert.Equal(t, contract.ConfirmationState(proof.ProvedToAct), confirmed.State)
	assert.NotContains(t, confirmed.Strength.Unnoticed, "“C” became “D”", "a proof notices the value next to it")
	suggested, err := d.Coverage.Suggest(ctx, answers.ID, contract.SuggestRequest{})
	require.NoError(t, err)
	assert.NotEmpty(t, suggested)
	book, err := d.Books.Export(ctx)
	require.NoError(t, err)
	var text strings.Builder
	require.NoError(t, book.Write(&text))
	assert.True(t, json.Valid([]byte(text.String())))
	assert.Contains(t, text.String(), `"type": "signal-flag"`)
}
