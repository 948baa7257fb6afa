package demo

import (
	"context"

	"codicil/core/rule"
	"codicil/internal/actor"
	"codicil/internal/app"
	"codicil/internal/contract"
)

// deskRules say where the cursor goes while bills are keyed.
func deskRules() []given {
	bills := groups("VI", "VC")
	return []given{
		passed("payment-passed", rule.SectionPrefix+"payment", bills, "How a vendor is paid is agreed once; it stands in its record."),
		passed("posted-passed", "posting_date", bills, "Today, but for the last days of a month."),
		passed("currency-passed", "currency", bills, "It follows from the vendor."),
		passed("line-text-passed", "lines.text", bills, "The text of the invoice does for its lines."),
		passed("tax-passed", "lines.tax_code", bills, "It follows from the account."),
	}
}

// passed is a field that the cursor passes over.
func passed(key, target string, w where, why string) given {
	return ruleOf(key, rule.Entry, target, w, "", rule.Effect{Cursor: rule.PassedOver}, note("Moya, payables", "2025-11-03", why))
}

var deskProofs = []givenProof{
	{name: "What follows from the vendor and the accounts is passed over", company: "10", kindType: "VI", proves: []string{"payment-passed", "posted-passed", "currency-passed", "line-text-passed", "tax-passed"}, entered: bill, lines: billLines, acting: true},
}

// announce leaves a batch in which nothing is keyed yet.
func announce(ctx context.Context, d *app.App) error {
	moya := actor.With(ctx, actor.Named("Moya Keane", actor.Browser))
	_, err := d.Batches.Begin(moya, contract.BatchBegin{Kind: "accounting_document", Company: "10", Type: "VI", Head: contract.BatchHead{
		Title: "Post of 24 November", Count: 3, Total: "1234.50", Posting: contract.PostingTogether, Second: []string{"total", "reference"},
	}})
	return err
}
