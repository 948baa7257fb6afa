package demo

import (
	"codicil/core/match"
	"codicil/core/rule"
)

func accountingRules() []given {
	bills := groups("VI", "VC")
	return []given{
		required("vendor", "vendor", groups("VI", "VC", "PY"), "is blank(customer)", note("Moya, payables", "2024-02-05", "Every invoice belongs to a vendor or customer.")),
		required("reference", "reference", bills, "", note("Moya, payables", "2024-02-05", "Without the number on the paper nobody can find it again.")),
		required("document-date", "document_date", bills, "", note("Group tax", "2024-03-11", "Input tax is claimed by the date on the invoice.")),
		required("total-bill", "total", bills, "", note("Moya, payables", "2024-02-05", "The amount on the paper is compared with what is posted.")),
		required("cost-centre", "lines.cost_centre", everywhere, "line.account.cost_centre_required", note("Controlling", "2024-04-15", "A third of the costs stood at no cost centre.")),
		required("text-accrual", "text", groups("JE", "AC"), "", note("Auditors", "2025-03-28", "Entries without a reason were questioned one by one.")),

		fill("posted-today", "posting_date", everywhere, "", rule.NewOnly, "today()", note("Group accounting", "2024-02-05", "Nearly always today.")),
		copied("currency-bill", "currency", bills, "is filled(vendor.order_currency)", "vendor.order_currency", note("Finn, purchasing", "2024-02-05", "The vendor invoices in the currency we order in.")),
		fill("currency-paper", "currency", everywhere, "", rule.WheneverBlank, "company.currency", note("Group accounting", "2024-02-05", "Our own currency unless somebody says otherwise.")),
		copied("terms-bill", "payment_terms", bills, "", "vendor.payment_terms", note("Moya, payables", "2024-02-05", "Agreed with the vendor; an invoice may differ.")),
		copied("method-bill", "payment_method", bills, "", "vendor.payment_method", note("Treasury", "2024-02-20", "Agreed with the vendor.")),
		fill("due", "due_on", groups("VI", "CI"), "is filled(document_date) and is filled(payment_terms)", rule.WheneverBlank,
			`add days(document_date, crosswalk("due_days", payment_terms))`,
			note("Treasury", "2024-02-20", "The payment run goes by this date.")),
		copied("revenue", "lines.account", groups("CI"), "is filled(line.item)", "line.item.revenue_account", note("Group accounting", "2025-05-19", "Salt and rope were mixed up in the sales report.")),
		fill("line-text", "lines.text", everywhere, "is filled(text)", rule.NewOnly, "text", note("Moya, payables", "2024-09-30", "Typed twice by everybody.")),
		copied("tax-account", "lines.tax_code", everywhere, "is filled(line.account.tax_code)", "line.account.tax_code", note("Group tax", "2024-03-11", "The account knows the usual code.")),
		ruleOf("approver", rule.Default, "approver", groups("VI"), "total > 0", rule.Effect{Lifetime: rule.NewOnly, Fixed: true, Value: "standing.approver"}, note("Auditors", "2025-03-27", "Approvers are named once a year, not per invoice.")),
		fill("accrual-text", "text", groups("AC"), "", rule.NewOnly, "previous_of_type.text", note("Moya, payables", "2025-09-15", "Accruals are keyed in a row, all with the same words.")),
		fill("accrual-date", "document_date", groups("AC"), "is filled(previous_of_type.document_date)", rule.NewOnly, "month end(add months(previous_of_type.document_date, 1))", note("Moya, payables", "2025-09-15", "The month after the last one.")),

		replace("block-bill", "payment_block", groups("VI"), "vendor.payment_block", "true", note("Treasury", "2024-10-21", "Invoices of vendors on hold were paid all the same.")),
		replace("block-reason-bill", "block_reason", groups("VI"), "vendor.payment_block", "vendor.block_reason", note("Treasury", "2024-10-21", "So that the reason is seen where the payment is missed.")),

		must("account-blocked", "lines.account", everywhere, rule.Refuse, "line.account.blocked", "false", "This account is closed for posting. Choose another one.", note("Group accounting", "2024-02-05", "Old accounts stay for the reports only.")),
		must("date-order", "posting_date", bills, rule.Refuse, "", "posting_date >= document_date", "The posting date is before the invoice date. Correct one of the two dates.", note("Group tax", "2024-03-11", "Next year's date, typed in December.")),
		must("paper-total", "total", bills, rule.Refuse, "some credit in lines.credit satisfies is filled(credit)", "total = sum(lines.credit[is filled(item)])", "The total on the paper differs from what is posted. Correct the total or the lines.", note("Auditors", "2025-03-27", "Seven invoices were posted with a digit too many on both sides.")),
		must("large-kaisan", "lines.debit", in("30"), rule.Confirm, "", "line.debit <= 10000000", "More than 10 000 000 yen in one line. Say who checked it.", note("Rina, Kaisan", "2024-08-27", "Four eyes, as the treasury asked.")),
		must("late", "document_date", groups("VI"), rule.Advise, "", "add days(document_date, 60) >= posting_date", "The invoice is older than sixty days. Input tax may have to be claimed in an earlier period.", note("Group tax", "2025-01-20", "The tax office asked three times.")),
		unlike("paper-once", "reference", groups("VI"), rule.Refuse, rule.Unique{With: []string{"vendor"}, Ignore: match.AllIgnored}, "This vendor invoice has been entered already. Check it before you go on.", note("Moya, payables", "2025-10-06", "Two copies of one invoice were paid within a week.")),
		must("backwards", "posting_date", groups("JE", "AC"), rule.Advise, "", "posting_date >= previous_of_type.posting_date", "The previous entry was posted on {previous_of_type.posting_date}. Check the date.", note("Group accounting", "2025-02-09", "Last month's date was still used after month end.")),
		must("export-tax", "lines.tax_code", groups("VI"), rule.Refuse, "", `line.tax_code != "X"`, "Tax code X is for exports. Choose another tax code.", note("Group tax", "2024-03-11", "Reported as our own exports twice.")),

		after("last-bill", "vendor.last_invoice_on", groups("VI"), "is blank(vendor.last_invoice_on) or vendor.last_invoice_on < document_date", "document_date", note("Finn, purchasing", "2025-05-11", "Vendors without an invoice for two years are asked whether they are still there.")),
	}
}

// bill is a vendor invoice over 123.00 with its tax.
var bill = values{"vendor": "V10002", "reference": "HP-2207", "document_date": "2026-11-20", "total": "123", "text": "Tank inspection"}

var billLines = []values{{"account": "550000", "debit": "100", "cost_centre": "K10100"}, {"account": "118000", "debit": "23"}, {"account": "211000", "credit": "123"}}

// changing returns the lines with some values of one of them changed.
func changing(lines []values, place int, v values) []values {
	changed := append([]values{}, lines...)
	changed[place] = with(changed[place], v)
	return changed
}

var entry = values{"text": "Depreciation of the month"}

var entryLines = []values{{"account": "590000", "debit": "412.5", "cost_centre": "K10100"}, {"account": "159000", "credit": "412.5"}}

var accountingProofs = []givenProof{
	{name: "An invoice takes its terms from the vendor and is due thirty days later", company: "10", kindType: "VI", entered: bill, lines: billLines,
		proves: []string{"posted-today", "currency-bill", "terms-bill", "method-bill", "due", "line-text", "tax-account", "vendor"},
		values: values{"posting_date": "2026-11-24", "currency": "EUR", "payment_terms": "N30", "payment_method": "TRF", "due_on": "2026-12-20", "lines.3.text": "Tank inspection", "lines.1.tax_code": "S"}},
	{name: "A German vendor of Alpin invoices in euro", company: "40", kindType: "VI", proves: []string{"currency-bill", "currency-paper"}, entered: values{"vendor": "V40002", "reference": "EP 118", "document_date": "2026-11-20", "total": "80"},
		lines: []values{{"account": "550000", "debit": "80", "cost_centre": "K40200"}, {"account": "211000", "credit": "80"}}, values: values{"currency": "EUR"}},
	{name: "A journal entry is in our own currency", company: "10", kindType: "JE", proves: []string{"currency-paper"}, entered: entry, lines: entryLines, values: values{"currency": "EUR"}},
	{name: "A customer invoice finds the revenue account by its item", company: "20", kindType: "CI", proves: []string{"revenue"}, entered: values{"customer": "C20001", "document_date": "2026-11-24"},
		lines: []values{{"account": "110000", "debit": "50"}, {"item": "I2012", "credit": "50"}}, values: values{"lines.2.account": "401000"}},
	{name: "An invoice of nobody is refused", company: "10", kindType: "VI", proves: []string{"vendor"}, entered: with(bill, values{"vendor": "", "currency": "EUR"}), lines: changing(billLines, 2, values{"vendor": "V10002"}), verdict: "refused"},
	{name: "An invoice without its number is refused", company: "10", kindType: "VI", proves: []string{"reference"}, entered: with(bill, values{"reference": ""}), lines: billLines, verdict: "refused"},
	{name: "An invoice without its date is refused", company: "10", kindType: "VI", proves: []string{"document-date"}, entered: with(bill, values{"document_date": ""}), lines: billLines, verdict: "refused"},
	{name: "A cost without a cost centre is refused", company: "10", kindType: "VI", proves: []string{"cost-centre"}, entered: bill, lines: changing(billLines, 0, values{"cost_centre": ""}), verdict: "refused"},
	{name: "An accrual without a text is refused", company: "10", kindType: "AC", proves: []string{"text-accrual"}, lines: entryLines, verdict: "refused"},
	{name: "An invoice of a vendor on hold is put on hold with the reason", company: "20", kindType: "VI", proves: []string{"block-bill", "block-reason-bill"}, entered: with(bill, values{"vendor": "V20002", "total": "125", "document_date": "2026-11-20"}),
		lines:  []values{{"account": "540000", "debit": "100", "cost_centre": "K20200"}, {"account": "118000", "debit": "25"}, {"account": "211000", "credit": "125"}},
		values: values{"payment_block": "true", "block_reason": "Disputed crane invoice"}},
	{name: "An invoice without its total is refused", company: "10", kindType: "VI", proves: []string{"total-bill"}, entered: with(bill, values{"total": ""}), lines: billLines, verdict: "refused"},
	{name: "A total that is not what is posted is refused", company: "10", kindType: "VI", proves: []string{"paper-total"}, entered: with(bill, values{"total": "123.01"}), lines: billLines, verdict: "refused"},
	{name: "A total that is posted in two lines is in order", company: "10", kindType: "VI", proves: []string{"paper-total"}, entered: bill,
		lines: []values{billLines[0], billLines[1], {"account": "211000", "credit": "100"}, {"account": "211000", "credit": "23"}}},
	{name: "An account that is closed for posting is refused", company: "10", kindType: "JE", proves: []string{"account-blocked"}, entered: entry, lines: changing(entryLines, 1, values{"account": "170000"}), verdict: "refused"},
	{name: "An invoice may be posted on the day it was written", company: "10", kindType: "VI", proves: []string{"date-order"}, entered: with(bill, values{"document_date": "2026-11-24"}), lines: billLines},
	{name: "An invoice of tomorrow is refused", company: "10", kindType: "VI", proves: []string{"date-order"}, entered: with(bill, values{"document_date": "2026-11-25"}), lines: billLines, verdict: "refused"},
	{name: "Ten million yen in a line are posted", company: "30", kindType: "JE", proves: []string{"large-kaisan"}, entered: entry, lines: []values{{"account": "151000", "debit": "10000000"}, {"account": "100000", "credit": "10000000"}}},
	{name: "One yen more needs a reason", company: "30", kindType: "JE", proves: []string{"large-kaisan"}, entered: entry, lines: []values{{"account": "151000", "debit": "10000001"}, {"account": "100000", "credit": "10000001"}}, verdict: "needs reason"},
	{name: "An invoice of sixty-one days is posted with an advice", company: "10", kindType: "VI", proves: []string{"late"}, entered: with(bill, values{"document_date": "2026-09-24"}), lines: billLines},
	{name: "An export code on an invoice is refused", company: "10", kindType: "VI", proves: []string{"export-tax"}, entered: bill, lines: changing(billLines, 0, values{"tax_code": "X"}), verdict: "refused"},
	{name: "The approver of the year answers for an invoice", company: "10", kindType: "VI", proves: []string{"approver"}, entered: with(bill, values{"approver": "Somebody"}), lines: billLines, values: values{"approver": "Grainne Hollis"}},
	{name: "An accrual goes on where the one before ended", company: "10", kindType: "AC", proves: []string{"accrual-text", "accrual-date"}, lines: entryLines,
		previousOfType: values{"text": "Electricity of the pans", "document_date": "2026-10-31"}, values: values{"text": "Electricity of the pans", "document_date": "2026-11-30"}},
	{name: "An entry before the last one is advised against", company: "10", kindType: "JE", proves: []string{"backwards"}, entered: with(entry, values{"posting_date": "2026-11-23"}), lines: entryLines, previousOfType: values{"posting_date": "2026-11-24"}},
	{name: "An entry on the day of the last one is in order", company: "10", kindType: "JE", proves: []string{"backwards"}, entered: with(entry, values{"posting_date": "2026-11-24"}), lines: entryLines, previousOfType: values{"posting_date": "2026-11-24"}},
	{name: "A posted invoice is the last of its vendor", company: "10", kindType: "VI", proves: []string{"last-bill"}, entered: bill, lines: billLines, acting: true},
	{name: "An invoice that is entered already is refused", company: "10", kindType: "VI", proves: []string{"paper-once"}, entered: with(bill, values{"reference": "hp 2201"}), lines: billLines, verdict: "refused"},
}
