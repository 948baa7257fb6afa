package app_test

import (
	"context"
	"fmt"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"codicil/core/record"
	"codicil/core/rule"
	"codicil/internal/actor"
	"codicil/internal/app"
	"codicil/internal/contract"
	"codicil/internal/store"
)

func person(t *testing.T, name string) context.Context {
	t.Helper()
	return actor.With(t.Context(), actor.Named(name, actor.Program))
}

// pile is a batch of journal entries.
func pile(t *testing.T, d *app.App, head contract.BatchHead) contract.Batch {
	t.Helper()
	head.Title = "Monday's post"
	b, err := d.Batches.Begin(as(t), contract.BatchBegin{Kind: "accounting_document", Company: "10", Type: "JE", Head: head, Format: &continentalFormat})
	require.NoError(t, err)
	return b
}

// keysIn keys an entry in a batch.
func keysIn(ctx context.Context, t *testing.T, d *app.App, b contract.Batch, text, amount string) contract.SaveAnswer {
	t.Helper()
	document := document("accounting_document", "10", "JE", values{"text": text, "total": amount, "posting_date": "2026-01-05"}, values{"account": "4000", "debit": amount}, values{"account": "1000", "credit": amount})
	answer, err := d.Records.Save(ctx, contract.SaveRequest{Document: document, Keyed: true, Batch: b.ID})
	require.NoError(t, err)
	return answer
}

func look(t *testing.T, d *app.App, id int64) contract.Batch {
	t.Helper()
	b, err := d.Batches.Get(as(t), id, &continentalFormat)
	require.NoError(t, err)
	return b
}

// A batch agrees when count and total are those announced, and only then is it posted, as a whole.
func TestABatchIsPostedTogetherWhenItAgrees(t *testing.T) {
	now := time.Date(2026, 11, 24, 9, 0, 0, 0, time.UTC)
	d := app.New(onCopy(t, &harbourOnce, &harbourFile, func(s *store.Store) { fillHarbour(t, s) }), func() time.Time { return now })
	t.Cleanup(d.Close)
	must := body("accounting_document", rule.Validate, "text", rule.Effect{Must: `text != "No"`, Severity: rule.Refuse, Message: "Not No."})
	add(t, d, must, rule.InForce)
	// Each posting changes what the next one reads.
	customer := save(t, d, document("customer", "10", "WHOL", values{"name": "Harbour hotel"})).Number
	add(t, d, body("accounting_document", rule.Default, "customer", rule.Effect{Lifetime: rule.NewOnly, Value: `"` + customer + `"`}), rule.InForce)
	add(t, d, body("accounting_document", rule.FollowUp, "customer.credit_used", rule.Effect{Value: "if is blank(customer.credit_used) then total else customer.credit_used + total"}), rule.InForce)
	b := pile(t, d, contract.BatchHead{Count: 4, Total: "1.000+0,50", Posting: contract.PostingTogether})
	assert.Equal(t, "1000.5", b.Head.Total)
	assert.Equal(t, "total", b.Head.TotalField)
	postNow := func() (contract.BatchAnswer, error) {
		return d.Batches.Post(as(t), b.ID, contract.BatchPost{Version: look(t, d, b.ID).Version})
	}
	for i, amount := range []string{"500", "300", "200"} {
		now = now.Add(2 * time.Minute)
		if i == 1 {
			assert.Nil(t, keysIn(person(t, "Ben"), t, d, b, "No", amount).Record)
		}
		require.NotNil(t, keysIn(person(t, []string{"Ada", "Ben", "Ada"}[i]), t, d, b, fmt.Sprint("No. ", i), amount).Record)
	}
	b = look(t, d, b.ID)
	assert.Equal(t, 3, b.Number)
	assert.Equal(t, "1.000,00", b.Keyed.Text)
	assert.Equal(t, "0.5", b.Difference.Value)
	assert.False(t, b.Agrees)
	assert.Equal(t, []contract.BatchPerson{{By: "Ada", Documents: 2}, {By: "Ben", Documents: 1, Refused: 1}}, b.People)
	_, err := postNow()
	assert.ErrorContains(t, err, "3 of 4 documents are keyed; 1000.50 was announced and 1000.00 is keyed")
	require.NotNil(t, keysIn(person(t, "Ada"), t, d, b, "the rest", "0.50").Record)
	for range 3 {
		now = now.Add(time.Minute)
	}
	assert.True(t, look(t, d, b.ID).Agrees)

	// One that may not be posted keeps back all.
	onPosting := body("accounting_document", rule.Validate, "text", rule.Effect{Must: `text != "the rest"`, Severity: rule.Confirm, Message: "Really?", Moments: []rule.Moment{rule.Posting}})
	add(t, d, onPosting, rule.InForce)
	answer, err := postNow()
	require.NoError(t, err)
	require.Len(t, answer.Refused, 1)
	assert.Equal(t, "kept", b.Documents[0].State)
	answer, err = d.Batches.Post(as(t), b.ID, contract.BatchPost{Version: look(t, d, b.ID).Version, Reason: "looked at"})
	require.NoError(t, err)
	assert.Empty(t, answer.Refused)
	for _, one := range answer.Batch.Documents {
		assert.Equal(t, "posted", one.State)
	}
	assert.Equal(t, contract.BatchClosed, answer.Batch.State)
	assert.Equal(t, "1000.5", get(t, d, "customer", customer).Content.Values["credit_used"])
	_, err = d.Records.Save(as(t), contract.SaveRequest{Document: document("accounting_document", "10", "JE", values{"text": "late"}), Batch: b.ID})
	assert.Equal(t, "batch-ended", codeOf(t, err))
}

// What a second person keys is compared; whoever keyed first may not, and which is right goes through the rules.
func TestASecondPersonKeysForComparison(t *testing.T) {
	d := harbour(t)
	t.Cleanup(d.Close)
	b := pile(t, d, contract.BatchHead{Posting: contract.PostingTogether, Second: []string{"*"}})
	first := keysIn(person(t, "Ada"), t, d, b, "Ropes", "500").Record
	second := func(ctx context.Context, text, amount string) (contract.BatchDocument, error) {
		document := document("accounting_document", "10", "JE", values{"text": text, "total": amount, "posting_date": "2026-01-05"}, values{"account": "4000", "debit": amount}, values{"account": "1000", "credit": amount})
		return d.Batches.Second(ctx, b.ID, contract.BatchSecond{Number: first.Number, Document: document})
	}
	_, err := second(person(t, "Ada"), "Ropes", "500")
	assert.Equal(t, "same-person", codeOf(t, err))
	told, err := second(person(t, "Ben"), "Rope", "510")
	require.NoError(t, err)
	at := func(b contract.BatchDocument) (keys []string) {
		for _, x := range b.Differences {
			keys = append(keys, fmt.Sprintf("%s/%d %s|%s", x.Field, x.Line, x.First.Value, x.Second.Value))
		}
		return keys
	}
	assert.Equal(t, []string{"total/0 500|510", "text/0 Ropes|Rope", "lines.debit/1 500|510", "lines.credit/2 500|510"}, at(told))
	assert.False(t, look(t, d, b.ID).Agrees)
	settle := func(field string, line int, take contract.BatchSettledTake) contract.BatchAnswer {
		answer, err := d.Batches.Settle(person(t, "Cleo"), b.ID, contract.BatchSettled{Number: first.Number, Field: field, Line: line, Take: take})
		require.NoError(t, err)
		return answer
	}
	settle("text", 0, contract.TakeFirst)
	settle("total", 0, contract.TakeSecond)
	settle("lines.debit", 1, contract.TakeSecond)
	now := settle("lines.credit", 2, contract.TakeSecond).Batch
	assert.Empty(t, now.Documents[0].Differences)
	assert.True(t, now.Agrees)
	saved := get(t, d, "accounting_document", first.Number)
	assert.Equal(t, "510", saved.Content.Values["total"])
	assert.Equal(t, "Ropes", saved.Content.Values["text"])
	_, err = d.Batches.Settle(as(t), b.ID, contract.BatchSettled{Number: first.Number, Field: "text", Take: contract.TakeFirst})
	assert.Equal(t, "no-difference", codeOf(t, err))

	// The rules have a say in what the second keyed.
	_, err = second(person(t, "Ben"), "No", "510")
	require.NoError(t, err)
	add(t, d, body("accounting_document", rule.Validate, "text", rule.Effect{Must: `text != "No"`, Severity: rule.Refuse, Message: "Not No."}), rule.InForce)
	assert.Len(t, settle("text", 0, contract.TakeSecond).Refused, 1)
}

// However many lines each of two persons keyed, and whatever they left blank, all that differs can be settled either way.
func TestOtherLinesOfASecondPersonAreSettled(t *testing.T) {
	lines := func(amounts ...string) (lines []values) {
		for i, amount := range amounts {
			side := "debit"
			if i > 0 {
				side = "credit"
			}
			lines = append(lines, values{"account": "1000", side: amount})
		}
		return lines
	}
	for _, keyed := range [][2][]string{
		{{"500", "500"}, {"500", "300", "200"}}, {{"500", "300", "200"}, {"500", "500"}}, {{"500", "500"}, {}}, {{"500", "500"}, {"", "", "", ""}},
	} {
		for _, take := range []contract.BatchSettledTake{contract.TakeFirst, contract.TakeSecond} {
			d := harbour(t)
			t.Cleanup(d.Close)
			b := pile(t, d, contract.BatchHead{Posting: contract.PostingByHand, Second: []string{"*"}})
			answer, err := d.Records.Save(person(t, "Ada"), contract.SaveRequest{Document: document("accounting_document", "10", "JE", values{"text": "Ropes"}, lines(keyed[0]...)...), Batch: b.ID})
			require.NoError(t, err)
			require.NotNil(t, answer.Record, "%v", answer.Outcome.Messages)
			_, err = d.Batches.Second(person(t, "Ben"), b.ID, contract.BatchSecond{Number: answer.Record.Number, Document: document("accounting_document", "10", "JE", values{}, lines(keyed[1]...)...)})
			require.NoError(t, err)
			for range 20 {
				differences := look(t, d, b.ID).Documents[0].Differences
				if len(differences) == 0 {
					break
				}
				x := differences[0]
				settled, err := d.Batches.Settle(person(t, "Cleo"), b.ID, contract.BatchSettled{Number: answer.Record.Number, Field: x.Field, Line: x.Line, Take: take})
				require.NoError(t, err, "%s of line %d: %v of %v", x.Field, x.Line, take, keyed)
				require.Empty(t, settled.Refused)
			}
			assert.Empty(t, look(t, d, b.ID).Documents[0].Differences, "%v of %v", take, keyed)
		}
	}
}

func TestABatchTakesWhatItIsFor(t *testing.T) {
	d := harbour(t)
	t.Cleanup(d.Close)
	b := pile(t, d, contract.BatchHead{Posting: contract.PostingByHand})
	_, err := d.Records.Save(as(t), contract.SaveRequest{Document: document("customer", "10", "WHOL", values{"name": "x"}), Batch: b.ID})
	assert.Equal(t, "not-in-batch", codeOf(t, err))
	_, err = d.Records.Save(as(t), contract.SaveRequest{Document: document("customer", "10", "WHOL", values{"name": "x"}), Batch: b.ID + 1})
	assert.Equal(t, "not-found", codeOf(t, err))
	for code, begin := range map[string]contract.BatchBegin{
		"no-title":        {Kind: "customer", Company: "10", Type: "WHOL", Head: contract.BatchHead{Posting: contract.PostingByHand}},
		"not-posted":      {Kind: "customer", Company: "10", Type: "WHOL", Head: contract.BatchHead{Title: "x", Posting: contract.PostingEach}},
		"unknown-field":   {Kind: "customer", Company: "10", Type: "WHOL", Head: contract.BatchHead{Title: "x", Posting: contract.PostingByHand, Total: "3"}},
		"unknown-type":    {Kind: "customer", Company: "10", Type: "NONE", Head: contract.BatchHead{Title: "x", Posting: contract.PostingByHand}},
		"unknown-company": {Kind: "customer", Company: "99", Type: "WHOL", Head: contract.BatchHead{Title: "x", Posting: contract.PostingByHand}},
		"not-a-number":    {Kind: "accounting_document", Company: "10", Type: "JE", Head: contract.BatchHead{Title: "x", Posting: contract.PostingByHand, Total: "many"}},
	} {
		_, err := d.Batches.Begin(as(t), begin)
		assert.Equal(t, code, codeOf(t, err))
	}
	closed, err := d.Batches.Change(as(t), b.ID, contract.BatchChange{Head: b.Head, State: contract.BatchClosed, Version: b.Version})
	require.NoError(t, err)
	_, err = d.Batches.Change(as(t), b.ID, contract.BatchChange{Head: b.Head, State: contract.BatchOpen, Version: b.Version})
	assert.Equal(t, "changed-meanwhile", codeOf(t, err))
	_, err = d.Batches.Change(as(t), b.ID, contract.BatchChange{Head: b.Head, State: contract.BatchOpen, Version: closed.Version})
	require.NoError(t, err)
	list, err := d.Batches.List(as(t), "accounting_document", []contract.BatchState{contract.BatchOpen}, nil)
	require.NoError(t, err)
	assert.Len(t, list, 1)
}

// What is blanked of a record is not in what a second person keyed either.
func TestBlankingForgetsWhatWasKeyedAgain(t *testing.T) {
	d := harbour(t)
	t.Cleanup(d.Close)
	b, err := d.Batches.Begin(as(t), contract.BatchBegin{Kind: "customer", Company: "10", Type: "WHOL", Head: contract.BatchHead{Title: "Cards", Posting: contract.PostingByHand, Second: []string{"name"}}})
	require.NoError(t, err)
	keyed, err := d.Records.Save(person(t, "Ada"), contract.SaveRequest{Document: document("customer", "10", "WHOL", values{"name": "Osa Lind"}), Batch: b.ID})
	require.NoError(t, err)
	told, err := d.Batches.Second(person(t, "Ben"), b.ID, contract.BatchSecond{Number: keyed.Record.Number, Document: document("customer", "10", "WHOL", values{"name": "Osa Lynd"})})
	require.NoError(t, err)
	require.Len(t, told.Differences, 1)
	require.NoError(t, d.Personal.Mark(as(t), "customer", "name", true))
	_, err = d.Personal.Blank(as(t), record.Ref{Kind: "customer", Number: keyed.Record.Number}, contract.BlankRequest{Apply: true, Reason: "asked for"})
	require.NoError(t, err)
	now := look(t, d, b.ID)
	assert.Nil(t, now.Documents[0].Second)
	assert.Empty(t, now.Documents[0].Differences)
	assert.NotContains(t, now.Documents[0].Title, "Osa")
}
