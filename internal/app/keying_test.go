package app_test

import (
	"context"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"codicil/core/field"
	"codicil/core/judge"
	"codicil/core/record"
	"codicil/core/rule"
	"codicil/internal/actor"
	"codicil/internal/app"
	"codicil/internal/contract"
)

var continentalFormat = field.Format{Decimal: ",", Group: ".", Date: "dmy", Separator: "."}

// keyed tries a document as a person keys it.
func keyed(t *testing.T, d *app.App, document judge.Document) contract.Outcome {
	t.Helper()
	answer, err := d.Trials.Try(as(t), contract.TryRequest{Document: document, Format: &continentalFormat, Moment: "typing", Keyed: true})
	require.NoError(t, err)
	return answer
}

func inLine(out contract.Outcome, line int, key string) string {
	for _, l := range out.Lines {
		for _, f := range l.Fields {
			if l.Number == line && f.Key == "lines."+key {
				return f.Final.Value
			}
		}
	}
	return ""
}

// What balances is keyed as =: the amount, or the account of the other side with it.
func TestWhatBalancesIsKeyedBySign(t *testing.T) {
	d := harbour(t)
	customer := save(t, d, document("customer", "10", "WHOL", values{"name": "Harbour hotel"})).Number
	of := func(total string, lines ...values) contract.Outcome {
		return keyed(t, d, document("accounting_document", "10", "JE", values{"customer": customer, "total": total}, lines...))
	}
	for name, c := range map[string]struct {
		total string
		lines []values
		want  values // of the last line
	}{
		"the rest in credit":           {"", []values{{"account": "4000", "debit": "100+20,50"}, {"account": "1000", "credit": "="}}, values{"credit": "120.5"}},
		"on the side where it belongs": {"", []values{{"account": "4000", "debit": "100"}, {"account": "1000", "debit": "="}}, values{"credit": "100"}},
		"the rest of several":          {"", []values{{"debit": "100"}, {"credit": "30"}, {"account": "1000", "credit": "="}}, values{"credit": "70"}},
		"in debit":                     {"", []values{{"credit": "30"}, {"account": "1000", "debit": "="}}, values{"debit": "30"}},
		"nothing is left":              {"", []values{{"debit": "30"}, {"credit": "30"}, {"account": "1000", "debit": "="}}, values{"debit": "", "credit": ""}},
		"the total, where none is":     {"80,10", []values{{"account": "4000", "debit": "="}}, values{"debit": "80.1"}},
		"the total in credit":          {"80,10", []values{{"account": "4000", "credit": "="}}, values{"credit": "80.1"}},
		"the only account":             {"", []values{{"account": "4000", "credit": "55"}, {"account": "="}}, values{"account": "1100", "debit": "55"}},
		"several at once":              {"80,10", []values{{"account": "4000", "debit": "="}, {"account": "="}}, values{"account": "1100", "credit": "80.1"}},
		"an amount that is keyed":      {"", []values{{"account": "4000", "credit": "55"}, {"account": "=", "debit": "50"}}, values{"account": "1100", "debit": "50"}},
	} {
		out := of(c.total, c.lines...)
		for key, want := range c.want {
			assert.Equal(t, want, inLine(out, len(c.lines), key), "%s: %s", name, key)
		}
	}

	// The last document of the partner says which account it is, where there are several.
	_, err := d.Records.Save(as(t), contract.SaveRequest{Document: document("gl_account", "10", "BS", values{"name": "Receivables abroad", "control_for": "customer"})})
	require.NoError(t, err)
	out := of("", values{"account": "4000", "credit": "55"}, values{"account": "="})
	assert.Equal(t, "=", inLine(out, 2, "account"), "which of two it is, nobody guesses")
	assert.Equal(t, contract.OutcomeVerdict("refused"), out.Verdict)
	save(t, d, document("accounting_document", "10", "JE", values{"customer": customer}, values{"account": "4000", "credit": "1"}, values{"account": "1100", "debit": "1"}))
	assert.Equal(t, "1100", inLine(of("", values{"account": "4000", "credit": "55"}, values{"account": "="}), 2, "account"))

	// Only who keys may: a load or a program says what it means.
	answer, err := d.Trials.Try(as(t), contract.TryRequest{Document: document("accounting_document", "10", "JE", values{}, values{"account": "4000", "debit": "100+20"}), Format: &continentalFormat, Moment: "typing"})
	require.NoError(t, err)
	assert.NotEmpty(t, misfitOf(answer, 1, "debit"))

	assert.Contains(t, misfitOf(of("", values{"debit": "1++"}), 1, "debit"), "cannot be added up")

	assert.Equal(t, "-2.5", of("", values{"debit": "97,50"}, values{"credit": "100"}).Balance.Difference.Value)
}

func misfitOf(out contract.Outcome, line int, key string) string {
	for _, l := range out.Lines {
		for _, f := range l.Fields {
			if l.Number == line && f.Key == "lines."+key {
				return f.Misfit
			}
		}
	}
	return ""
}

// A rule may fill with what anyone saved last, and what somebody saves meanwhile counts.
func TestARuleReadsWhatAnyoneSavedLast(t *testing.T) {
	d := harbour(t)
	as2 := func(name string) context.Context { return actor.With(t.Context(), actor.Named(name, actor.Program)) }
	add(t, d, body("accounting_document", rule.Default, "text", rule.Effect{Lifetime: rule.NewOnly, Value: "previous_of_anyone.text"}), rule.InForce)
	add(t, d, body("accounting_document", rule.Default, "reference", rule.Effect{Lifetime: rule.NewOnly, Value: "previous.reference"}), rule.InForce)
	keep := func(ctx context.Context, header values) contract.Record {
		answer, err := d.Records.Save(ctx, contract.SaveRequest{Document: document("accounting_document", "10", "JE", header)})
		require.NoError(t, err)
		return *answer.Record
	}
	keep(as2("Ada"), values{"text": "Ropes", "reference": "A1"})
	second := keep(as2("Ben"), values{"reference": "B1"})
	assert.Equal(t, "Ropes", second.Content.Values["text"])
	keep(as2("Ben"), values{"text": "Nets"})
	third := keep(as2("Ada"), values{})
	assert.Equal(t, "Nets", third.Content.Values["text"])
	assert.Equal(t, "A1", third.Content.Values["reference"], "of the person themselves")
	told, err := d.Records.ToldOf(as(t), record.Ref{Kind: third.Kind, Number: third.Number}, 1, "", nil)
	require.NoError(t, err)
	assert.Equal(t, contract.Told("again"), told.Told, "what was read then is known")
}

func TestTheLastRecordIsFound(t *testing.T) {
	d := harbour(t)
	customer := save(t, d, document("customer", "10", "WHOL", values{"name": "Harbour hotel"})).Number
	one := save(t, d, document("accounting_document", "10", "JE", values{"customer": customer, "text": "one"}))
	two := save(t, d, document("accounting_document", "10", "JE", values{"text": "two"}))
	last := func(p contract.GetLastRecordParams) string {
		p.Kind, p.Company = "accounting_document", "10"
		r, err := d.Latest.Last(as(t), p)
		require.NoError(t, err)
		if r == nil {
			return ""
		}
		return r.Number
	}
	assert.Equal(t, two.Number, last(contract.GetLastRecordParams{}))
	assert.Equal(t, one.Number, last(contract.GetLastRecordParams{Naming: customer, Field: "customer"}))
	assert.Equal(t, two.Number, last(contract.GetLastRecordParams{Mine: true, Type: "JE"}))
	assert.Empty(t, last(contract.GetLastRecordParams{Naming: "C9", Field: "customer"}))
	_, err := d.Latest.Last(as(t), contract.GetLastRecordParams{Kind: "accounting_document", Company: "10", Naming: "x", Field: "text"})
	assert.Equal(t, "unknown-field", codeOf(t, err))
}

// What may not be lower than before is refused with the value before: that which is stored, or that of the document before.
func TestAValueIsNotLowerThanBefore(t *testing.T) {
	d := harbour(t)
	add(t, d, body("accounting_document", rule.Entry, "total", rule.Effect{Keying: rule.NotLower}), rule.InForce)
	add(t, d, body("accounting_document", rule.Entry, "lines.quantity", rule.Effect{Keying: rule.NotLower}), rule.InForce)
	keep := func(document judge.Document, version int, keyed bool) contract.SaveAnswer {
		answer, err := d.Records.Save(as(t), contract.SaveRequest{Document: document, Keyed: keyed, Version: version, Format: &continentalFormat})
		require.NoError(t, err)
		return answer
	}
	entry := func(total, quantity string) judge.Document {
		return document("accounting_document", "10", "JE", values{"total": total}, values{"quantity": quantity})
	}
	said := func(a contract.SaveAnswer) (texts []string) {
		for _, m := range a.Outcome.Messages {
			if m.Code == "keyed-lower" {
				texts = append(texts, m.Text)
			}
		}
		return texts
	}
	require.NotNil(t, keep(entry("100,50", "7"), 0, true).Record, "there was none before")
	assert.Equal(t, []string{"Total: 100,49 is lower than before; it was 100,50. Check the document", "Quantity: 6 is lower than before; it was 7. Check the document"}, said(keep(entry("100,49", "6"), 0, true)))
	same := keep(entry("100,50", "8"), 0, true).Record
	require.NotNil(t, same)
	assert.NotNil(t, keep(entry("1", "1"), 0, false).Record, "a program may")
	lower := entry("90", "8")
	lower.Record = same.Number
	assert.Len(t, said(keep(lower, same.Version, true)), 1, "of a change what is stored counts")
}
