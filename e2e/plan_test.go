package e2e

import (
	"net/http"
	"strings"
	"testing"

	"github.com/chromedp/chromedp"
	"github.com/chromedp/chromedp/kb"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"codicil/core/rule"
	"codicil/e2e/browser"
	"codicil/internal/contract"
)

// A simple rule takes five actions from its cell to being in force, without the mouse: its letter,
// the value, in force, the reason, done. The cursor is where the next one is.
func TestARuleIsInForceInFiveActionsByKeyboard(t *testing.T) {
	u := open(t, "/plan?company=10&type=SERV")
	u.sees(station("language", "default"), "if Country is DK")
	require.NoError(t, u.page.Do(chromedp.Focus(chromedp.CSS(`[data-field="agreement_review"] [data-station="entry"]`))))
	u.strikes("u") // 1: the letter of Substitute
	u.sees(".pane h2", "Substitute: Agreement review")
	u.cursorIsOn("Value for Agreement review")
	u.presses("end of next month")                                    // 2
	u.presses(kb.Enter, chromedp.KeyModifiers(chromedp.ModifierCtrl)) // 3
	u.cursorIsOn("Reason to put it in force")
	u.presses("asked for by the auditors") // 4
	u.presses(kb.Enter)                    // 5
	u.sees(".pane .life", "in force")
	u.sees(".pane .sentence", "replace Agreement review with end of next month")
	u.runs(`document.activeElement?.closest('[data-field="agreement_review"]') !== null && document.activeElement.dataset.station === "substitute"`)
	var rules []contract.RuleView
	u.calls(http.MethodGet, "/rules?kind=vendor", nil, &rules)
	last := rules[len(rules)-1]
	assert.Equal(t, "month end(add months(today(), 1))", last.Body.Effect.Value)
	assert.Equal(t, []string{"SERV"}, last.Body.Scope.Types)
	u.presses(kb.Escape)
	u.seesNo(".pane", "")
	// The cursor is back in the cell, and the next letter opens the next rule.
	u.strikes("v")
	u.sees(".pane h2", "Validate: Agreement review")
}

// What is typed as a value is understood; a check says by itself what it checks.
func TestValuesAreTypedAsPeopleSayThem(t *testing.T) {
	u := open(t, "/plan?company=10&type=SERV&field=order_required&family=validate")
	u.goes("/plan?company=10&type=SERV&field=buyer&family=default")
	u.cursorIsOn("Value for Buyer")
	u.presses("payables contact") // a field by its label
	u.presses(kb.Tab)
	u.sees(".pane .sentence", "fill Buyer with Payables contact")
	u.goes("/plan?company=10&type=SERV&field=minimum_order&family=compute")
	u.cursorIsOn("Value for Minimum order")
	u.presses("10 % of Credit limit")
	u.presses(kb.Tab)
	u.sees(".pane .sentence", "compute Minimum order as Credit limit × 0.1")
	u.goes("/plan?company=10&type=SERV&field=city&family=substitute")
	u.sees(".pane .life", "New, not saved yet")
	u.clicks(".pane .plain", "Add a condition")
	u.picksField(".condition:nth-child(1) .field", "Country")
	u.clicks(".condition:nth-child(1) .value input", "")
	u.types("ie, dk") // several codes
	u.presses(kb.Tab)
	u.clicks(`[aria-label="Value for City"]`, "")
	u.types("Ballinore")
	u.presses(kb.Tab)
	u.sees(".pane .sentence", "when Country is one of IE or DK, replace City with Ballinore")
	u.goes("/plan?company=10&type=SERV&field=credit_limit&family=validate")
	u.sees(".pane .condition", "")
	u.clicks(".condition:nth-child(1) .value input", "")
	u.types("50,000")
	u.presses(kb.Tab)
	u.sees(".pane .sentence", "refuse unless Credit limit is 50,000")
	u.runs(`document.querySelector(".pane textarea")?.value.includes("Credit limit must be 50000.")`)
}

// A value by cases is a grid: typed, pasted from a spreadsheet, its gaps and overlaps told.
func TestAValueByCasesIsAGrid(t *testing.T) {
	u := open(t, "/plan?company=10&type=SERV&field=buyer&family=substitute")
	u.sees(".pane .life", "New, not saved yet")
	u.chooses("Kind of value", "by cases")
	u.picksField(".cases th:nth-child(1)", "Country")
	u.clicks(`[aria-label="Case 1, column 1"]`, "")
	u.runs(`(() => {
		const data = new DataTransfer();
		data.setData("text/plain", "IE\tMOYA\nDK, DE\tSIF\nIE\tKURT\n");
		document.activeElement.dispatchEvent(new ClipboardEvent("paste", { clipboardData: data, bubbles: true, cancelable: true }));
		return true;
	})()`)
	u.sees(".pane .sentence", "MOYA if Country is IE, SIF if Country is DK or DE, KURT if Country is IE, otherwise nothing")
	u.sees(".cases .found", "never")
	u.clicks(`[aria-label="Remove case 3"]`, "")
	u.seesNo(".cases .found", "never")
	u.clicks(`[aria-label="Value otherwise"]`, "")
	u.types("RINA")
	u.presses(kb.Tab)
	u.sees(".pane .sentence", "otherwise RINA")
	u.clicks(`[aria-label="Value of case 2"]`, "")
	u.presses(kb.Enter) // the next case
	u.cursorIsOn("Case 3, column 1")
	u.clicks(`[aria-label="Remove case 3"]`, "")
	u.service("DK")
	u.sees(station("buyer", "result"), "SIF")
	u.putsInForce()
	u.sees(station("buyer", "substitute"), "MOYA if Country is IE, SIF if Country is DK or DE, otherwise RINA")
}

// No phrase, label or message of the plan is cut, and with a rule open every station is on the
// screen; also with labels of forty letters.
func TestNothingOfThePlanIsCut(t *testing.T) {
	u := open(t, "/plan?company=30&type=TRAD")
	for _, at := range []string{"kind=vendor&company=30&type=TRAD", "kind=sales_order&company=10&type=SO"} {
		var made contract.LayoutView
		u.calls(http.MethodGet, "/layouts?"+at, nil, &made)
		for i := range made.Layout.Sections {
			for j := range made.Layout.Sections[i].Fields {
				if f := &made.Layout.Sections[i].Fields[j]; f.Key == "trading_as" || f.Key == "payment_terms" || f.Key == "currency" || f.Key == "lines.amount" {
					f.Label = strings.Repeat("Guaranteed delivery window agreed ", 2)[:40]
				}
			}
		}
		u.calls(http.MethodPut, "/layouts?"+at, made.Layout, nil)
	}
	cut := `(() => [...document.querySelectorAll(".grid .phrase, .grid .name")]
		.filter(e => e.scrollWidth > e.clientWidth + 1 || e.scrollHeight > e.clientHeight + 1 || getComputedStyle(e).textOverflow === "ellipsis")
		.map(e => e.innerText).join(" | "))()`
	wide := `(() => { const s = document.querySelector(".scroll"); return s.scrollWidth > s.clientWidth + 1 ? s.scrollWidth + " in " + s.clientWidth : ""; })()`
	covered := `(() => [...document.querySelectorAll(".grid .row")].flatMap(row => {
		const boxes = [...row.querySelectorAll(".phrase, .result, .shown")].filter(e => e.innerText.trim()).map(e => e.getBoundingClientRect());
		return boxes.some((a, i) => boxes.slice(i + 1).some(b => a.right > b.left + 1 && b.right > a.left + 1)) ? [row.innerText] : [];
	}).join(" | "))()`
	for _, path := range []string{
		"/plan?company=30&type=TRAD", "/plan?company=30&type=TRAD&field=payment_terms&family=default", "/plan?kind=sales_order&company=10&type=SO",
		"/plan?kind=sales_order&company=10&type=SO&field=currency&family=source", "/plan?kind=accounting_document&company=10&type=VI",
		"/plan?kind=accounting_document&company=10&type=VI&field=lines.tax_code&family=source",
	} {
		u.goes(path)
		u.sees(`.grid .phrase`, "")
		if strings.Contains(path, "field=") {
			u.sees(".pane .sentence", "For")
		}
		for _, measure := range []string{cut, wide, covered} {
			found, err := browser.Ask(u.page, chromedp.Evaluate[string](measure))
			require.NoError(t, err)
			assert.Empty(t, found, path)
		}
	}
}

// The plan shows what one field came out as in every line, and what the rules on a field have been.
func TestThePlanShowsEveryLineAndTheHistoryOfAField(t *testing.T) {
	u := open(t, "/plan?kind=sales_order&company=10&type=SO")
	u.enters("customer", "C10001")
	u.runs(`(() => {
		const rows = Array.from({ length: 40 }, (_, i) => "I1001\t" + (i + 1) + "\t2.50").join("\n");
		const data = new DataTransfer();
		data.setData("text/plain", "Item\tQuantity\tPrice\n" + rows);
		document.querySelector(".grid").dispatchEvent(new ClipboardEvent("paste", { clipboardData: data, bubbles: true, cancelable: true }));
		return true;
	})()`)
	u.sees(".picker", "of 40")
	u.clicks(station("lines.amount", "compute"), "")
	u.sees(".results", "Amount")
	u.clicks(".results button", "100.00") // line 40
	u.sees(".picker", "line 40, 40 of 40")
	u.sees(station("lines.amount", "result"), "100.00")
	u.presses(kb.Escape)
	u.clicks(`[data-field="payment_terms"] .past`, "")
	u.sees(".history", "Rules on Payment terms, newest change first")
	u.sees(".history li", "in force")
	u.clicks(".history .plain", "Close")
	u.seesNo(".history", "newest change")
	// A section folds, stays folded, and opens for what is looked for.
	u.clicks(".fold", "Delivery")
	u.seesNo(".row .name", "Delivery terms")
	u.sees(".section", "with rules")
	u.clicks(`[aria-label="Find a field"]`, "")
	u.types("delivery terms")
	u.sees(".row .name", "Delivery terms")
}

// Rules have names, tags and what they are about in columns; they are sorted and exported.
func TestRulesAreNamedTaggedSortedAndExported(t *testing.T) {
	u := open(t, "/plan")
	u.inForce("vendor", rule.Substitute, "city", rule.Effect{Value: `"Ballinore"`})
	u.goes("/plan?company=10&type=SERV&field=city&family=substitute")
	u.sees(".pane .sentence", "replace City with Ballinore")
	u.clicks(".more summary", "Name, occasions")
	u.writes("Name of the rule", "Everybody lives in Ballinore")
	u.writes("Tags", "audit, 2026")
	u.clicks(".pane .button", "Save change")
	u.sees(".pane .life", "version 3")
	u.goes("/rules?kind=vendor")
	u.sees("tbody tr", "Everybody lives in Ballinore")
	u.clicks(".tags button", "audit")
	u.sees(".page-head", "1 of")
	u.clicks(".page-head .plain", "Show all")
	u.clicks(".sort", "No.")
	u.clicks(".sort", "No.")
	u.sees(`[aria-sort="descending"]`, "No.")
	u.sees("tbody tr:first-child", "Everybody lives in Ballinore")
	u.sees("tbody tr", "100 %")
	u.chooses("Rules on the field", "on Last invoice on")
	u.sees(".others", "after posting")
	u.goes("/rules?kind=sales_order&writes=payment_terms")
	u.sees(".others", "Order from quotation")
}

// The price of a list that is valid on the day is found without a formula: which list, which line, on
// which day.
func TestThePriceValidOnTheDayIsTakenFromAList(t *testing.T) {
	u := open(t, "/plan?kind=sales_order&company=10&type=SM&field=lines.price&family=default")
	u.sees(".pane h2", "Default: Price")
	u.runs(`document.querySelector(".pane [data-begin], .pane .another") !== null`)
	if u.now(`document.querySelector(".pane .another") !== null`) {
		u.clicks(".pane .another", "Write another rule")
	}
	u.chooses("Kind of value", "from a list")
	u.chooses("Linked record with lines", "Price list")
	u.sees(".pane .sentence", "Price of the line of Price list whose Item is Item valid on Ordered on")
	u.presses("s", chromedp.KeyModifiers(chromedp.ModifierCtrl))
	u.sees(".pane .life", "draft")
	var rules []contract.RuleView
	u.calls(http.MethodGet, "/rules?kind=sales_order", nil, &rules)
	last := rules[len(rules)-1]
	require.NotNil(t, last.LineOf)
	assert.Equal(t, "price_list", last.LineOf.Link)

	// Who writes the formula finds the lines and their numbers among the fields.
	u.clicks(".pane .modes button:last-child", "Formula")
	u.clicks(".pane .plain", "Fields and functions")
	u.presses("price list row")
	u.sees(".words", "price_list.lines.price")
}
