package e2e

import (
	"bytes"
	"encoding/json"
	"fmt"
	"io"
	"net/http"
	"strings"
	"testing"

	"github.com/chromedp/chromedp"
	"github.com/chromedp/chromedp/kb"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"codicil/core/evaluation"
	"codicil/core/field"
	"codicil/core/record"
	"codicil/core/rule"
	"codicil/e2e/browser"
	"codicil/internal/contract"
)

// calls asks the application over HTTP, as a program beside the browser would.
func (u *user) calls(method, path string, body, answer any) {
	u.t.Helper()
	text, err := json.Marshal(body)
	require.NoError(u.t, err)
	request, err := http.NewRequestWithContext(u.t.Context(), method, u.application.URL+"/api/v1"+path, bytes.NewReader(text))
	require.NoError(u.t, err)
	request.Header.Set("Content-Type", "application/json")
	response, err := http.DefaultClient.Do(request)
	require.NoError(u.t, err)
	defer func() { _ = response.Body.Close() }()
	read, err := io.ReadAll(response.Body)
	require.NoError(u.t, err)
	require.Less(u.t, response.StatusCode, 300, "%s %s: %s", method, path, read)
	if answer != nil {
		require.NoError(u.t, json.Unmarshal(read, answer))
	}
}

// inForce puts a rule in force over HTTP.
func (u *user) inForce(kind string, family rule.Family, target string, effect rule.Effect, change ...func(*rule.Body)) contract.RuleView {
	u.t.Helper()
	b := rule.Body{Kind: kind, Family: family, Target: target, Effect: effect, On: rule.Occasions{New: true, Change: true}, Priority: 1}
	for _, c := range change {
		c(&b)
	}
	var v contract.RuleView
	u.calls(http.MethodPost, "/rules", contract.RuleChange{Body: b}, &v)
	u.calls(http.MethodPost, fmt.Sprintf("/rules/%d/state", v.ID), contract.RuleMove{State: rule.InForce, Version: v.Version, Reason: "a test"}, &v)
	return v
}

func (u *user) saves() {
	u.t.Helper()
	u.presses("s", chromedp.KeyModifiers(chromedp.ModifierCtrl))
}

// The record that stands in the address.
func (u *user) saved(kind string) contract.Record {
	u.t.Helper()
	u.sees(".done", "Saved")
	require.NoError(u.t, u.page.Until(`!location.pathname.endsWith("/new")`))
	at, err := browser.Ask(u.page, chromedp.Evaluate[string](`location.pathname`))
	require.NoError(u.t, err)
	var r contract.Record
	u.calls(http.MethodGet, "/records/"+kind+"/"+at[strings.LastIndex(at, "/")+1:], nil, &r)
	return r
}

func TestARuleOfALaterDayIsShownAsItIsSaved(t *testing.T) {
	u := open(t, "/records/sales_order/new?company=10&type=SO")
	u.inForce("sales_order", rule.Default, "reference", rule.Effect{Lifetime: rule.NewOnly, Value: `"Y2027"`}, func(b *rule.Body) { b.Scope.From = "2027-01-01" })
	u.fills("customer", "C10001")
	u.fills("ordered_on", "15/02/2027")
	u.holds("reference", "Y2027")
	u.saves()
	assert.Equal(t, "Y2027", u.saved("sales_order").Content.Values["reference"])
	// The plan moves with the document, and says both days.
	u.goes("/plan?kind=sales_order&company=10&type=SO")
	u.enters("ordered_on", "15/02/2027")
	u.sees(".scope", "on 15 Feb 2027")
	u.sees(".scope", "as if today were")
	u.sees(".scope", "24 Nov 2026")
	u.sees(station("reference", "default"), "Y2027")
	// A program and the browser are told the same.
	var results []evaluation.Result
	u.calls(http.MethodPost, "/evaluate", contract.EvaluateRequest{Documents: []evaluation.Document{{Kind: "sales_order", Company: "10", Type: "SO", Values: evaluation.Values{"ordered_on": "2027-02-15"}}}}, &results)
	assert.Equal(t, "Y2027", results[0].Values["reference"])
	assert.Equal(t, record.Day("2027-02-15"), results[0].Day)
}

func TestWhatIsShownWithARuleBeingWrittenIsWhatIsPosted(t *testing.T) {
	u := open(t, "/plan?company=10&type=SERV")
	u.service("IE")
	u.clicks(station("clerk", "substitute"), "")
	u.sees(".pane .life", "New, not saved yet")
	u.clicks(`[aria-label="Value for Payables contact"]`, "")
	u.types("kurtx")
	u.presses(kb.Tab)
	u.sees(station("clerk", "result"), "KURTX")
	u.clicks(".actions .button", "Post the test")
	u.sees(".verdict", "Posted to the practice ledger as")
	u.sees(station("clerk", "result"), "KURTX")
	var posted contract.PostingPage
	u.calls(http.MethodGet, "/postings", nil, &posted)
	var p contract.Posting
	u.calls(http.MethodGet, "/postings/"+posted.Postings[0].Number, nil, &p)
	require.Len(t, p.Outcome.Changes, 1)
	for _, f := range p.Outcome.Fields {
		if f.Key == "clerk" {
			assert.Equal(t, "KURTX", f.Final.Value)
		}
	}
	u.clicks(".verdict a", posted.Postings[0].Number)
	u.sees(".one", "with the changes of 1 rule")
}

func TestASavedRecordSaysWhatSavingWouldChange(t *testing.T) {
	u := open(t, "/plan")
	u.inForce("vendor", rule.Compute, "lead_time", rule.Effect{Value: "41"})
	u.goes("/records/vendor/V10002")
	u.sees(cell("lead_time"), "Not stored yet; stored is blank")
	u.sees(".actions", "The rules now give different values; saving stores them.")
	u.clicks(".actions .button", "Save")
	u.sees(".done", "Saved.")
	u.seesNo(cell("lead_time"), "Not stored yet")
	var r contract.Record
	u.calls(http.MethodGet, "/records/vendor/V10002", nil, &r)
	assert.Equal(t, "41", r.Content.Values["lead_time"])
}

func TestAKeyThatIsPressedTwiceSavesOnce(t *testing.T) {
	u := open(t, "/records/customer/new?company=10&type=WHOL")
	count := func() int {
		var page contract.RecordPage
		u.calls(http.MethodPost, "/records/list", contract.ListRequest{Kind: "customer"}, &page)
		return page.All
	}
	before := count()
	for address, text := range map[string]string{"name": "Twice & Sons", "country": "IE", "currency": "EUR", "price_list": "PL10", "control_account": "110000"} {
		u.fills(address, text)
	}
	_, err := u.page.Run(`for (let i = 0; i < 3; i++) window.dispatchEvent(new KeyboardEvent("keydown", { key: "s", ctrlKey: true, bubbles: true }))`)
	require.NoError(t, err)
	u.sees(".done", "Saved as")
	assert.Equal(t, before+1, count())
}

func TestAnUnfinishedSentenceIsNotKeptWithoutIt(t *testing.T) {
	u := open(t, "/plan?company=10&type=SERV")
	u.clicks(station("clerk", "substitute"), "")
	u.sees(".pane .life", "New, not saved yet")
	u.clicks(`[aria-label="Value for Payables contact"]`, "")
	u.types("moya")
	u.presses(kb.Tab)
	u.clicks(".pane .plain", "Add a condition")
	u.picksField(".condition:nth-child(1) .field", "Country")
	u.clicks(".condition:nth-child(1) .value input", "")
	u.types("ireland")
	u.presses(kb.Tab)
	u.sees(".pane .sentence", "when Country is IE")
	u.clicks(".pane .plain", "Add a condition")
	u.sees(".pane .conditions", "A condition is not finished")
	off := `[...document.querySelectorAll(".pane footer .button")].filter(b => /Put in force|Save draft/.test(b.innerText)).every(b => b.disabled)`
	require.NoError(t, u.page.Until(off))
	require.NoError(t, u.page.Until(`[...document.querySelectorAll(".modes button")].at(-1).disabled`))
	// What was not finished is there again after the page was left.
	u.goes("/rules")
	u.sees("h1", "Rules for")
	u.goes("/plan?company=10&type=SERV")
	u.clicks(station("clerk", "substitute"), "")
	u.sees(".pane .conditions", "A condition is not finished")
	require.NoError(t, u.page.Until(`document.querySelectorAll(".pane .condition").length === 2`))
	u.clicks(`.condition:nth-child(2) [aria-label="Remove the condition"]`, "")
	u.seesNo(".pane .conditions", "A condition is not finished")
	u.putsInForce()
	u.sees(".pane .sentence", "when Country is IE, replace Payables contact with moya.")
}

func TestAReasonIsAskedOnceAndShownInTheHistory(t *testing.T) {
	u := open(t, "/records/vendor/new?company=30&type=SERV")
	for address, text := range map[string]string{"name": "Yuzu Packing", "country": "JP", "control_account": "211000", "payment_method": "CARD", "email": "sales@yuzu.example", "credit_limit": "6,000,000"} {
		u.fills(address, text)
	}
	u.sees(".messages .confirm", "Credit limits over 5 000 000 yen need the treasury")
	u.clicks(".messages .confirm input", "")
	u.types("Agreed with Rina")
	u.presses(kb.Tab)
	u.saves()
	u.sees(".done", "Saved as")
	u.sees(".version", "Agreed with Rina")
	u.fills("city", "Otaru")
	u.sees(".messages .confirm", "“Agreed with Rina”, Ada Quill")
	require.NoError(t, u.page.Until(`!document.querySelector(".messages .confirm input")`))
	u.saves()
	u.sees(".done", "Saved.")
	u.fills("credit_limit", "7,000,000")
	require.NoError(t, u.page.Until(`!!document.querySelector(".messages .confirm input")`))
}

func TestADeletedRecordIsReadByItsHistory(t *testing.T) {
	u := open(t, "/records/item/new?company=10&type=SALT")
	u.fills("name", "Gone tomorrow")
	u.fills("unit", "kg")
	u.saves()
	r := u.saved("item")
	u.clicks(".actions .button", "Delete")
	u.clicks(".actions .button", "Delete it")
	u.sees("h1", "Items")
	u.goes("/records/item/" + r.Number)
	u.sees(".empty", "it was deleted, or never saved")
	u.sees(".version", "deleted")
	u.sees(".version", "saved")
}

func TestNumbersAndDatesAreWrittenAsThePersonChose(t *testing.T) {
	u := open(t, "/records/sales_order/new?company=10&type=SO")
	u.clicks("header .plain", "24/11/2026")
	u.clicks("dialog label", "my own format")
	u.chooses("How numbers are written", "1.234,50")
	u.chooses("How dates are written", "24.11.2026")
	u.clicks("dialog .button", "Save")
	u.sees("header", "24.11.2026 · 1.234,50")
	u.fills("wanted_on", "1.2.27")
	u.holds("wanted_on", "01.02.2027")
	u.fills("freight", "1,234")
	u.holds("freight", "1,23")
	// It is kept for the person, whatever the browser is.
	other := u.beside("/plan")
	other.sees("header", "24.11.2026 · 1.234,50")
	// A company's way holds for who chose none.
	u.calls(http.MethodPut, "/preferences", contract.Preferences{}, nil)
	var c contract.Catalog
	u.calls(http.MethodGet, "/catalog", nil, &c)
	swiss := c.Companies[3]
	swiss.Format = &field.Format{Decimal: ".", Group: "’", Date: "dmy", Separator: "."}
	u.calls(http.MethodPut, "/companies/40", swiss, nil)
	u.goes("/plan?company=40&type=TRAD")
	u.sees("header", "24.11.2026 · 1’234.50")
	u.enters("credit_limit", "1’200")
	u.clicks(entered("credit_limit"), "")
	u.types("1,234")
	u.presses(kb.Tab)
	u.sees(".messages", "may mean 1’234 or 1.234 in your format")
}

func TestTheBandsOfAListAreReadAndFilteredBy(t *testing.T) {
	u := open(t, "/records/sales_order?columns=customer,credit_taken")
	u.sees(".box .row", "free")
	u.clicks(".filters .plain", "Filter by a field")
	u.chooses("Field of the filter", "Credit taken")
	u.chooses("Relation of the filter", "is in the band")
	u.clicks(`[aria-label="Value of the filter"]`, "")
	u.types("free")
	u.presses(kb.Enter)
	u.sees(".filters .filter", "Credit taken is in the band free")
	u.sees(".box .row", "free")
	require.NoError(t, u.page.Until(`[...document.querySelectorAll(".box .row")].slice(1).every(r => r.innerText.includes("free") || !r.querySelector("a"))`))
}

func TestACompanysOwnLabelIsUsedEverywhere(t *testing.T) {
	u := open(t, "/plan?company=10&type=SERV")
	u.calls(http.MethodPut, "/layouts?kind=vendor&company=10", record.Layout{Sections: []record.LayoutSection{{Key: "general", Fields: []record.LayoutField{{Key: "country", Label: "Land of the seat", Width: 4}}}}}, nil)
	u.goes("/plan?company=10&type=SERV")
	u.sees(`[data-field="country"] .name`, "Land of the seat")
	u.enters("name", "Quay")
	u.sees(".messages", "Land of the seat is required; enter it")
	u.goes("/plan?company=20&type=SERV")
	u.sees(`[data-field="country"] .name`, "Country")
}

func TestWhatIsKeyedTwiceAsksBeforeTheCursorHasGoneOn(t *testing.T) {
	u := open(t, "/records/vendor/new?company=10&type=TRAD")
	u.fills("name", "Quay")
	u.fills("payment_method", "TRF")
	u.clicks(cell("bank_account")+" input", "")
	u.presses("IE21BRNW99010199999999")
	u.presses(kb.Tab)
	u.cursorIsOn("Bank account, keyed again")
	u.presses("IE21BRNW99010199999999")
	u.presses(kb.Tab)
	u.seesNo(".messages .refuse", "key it a second time")
}

func TestARetiredRuleIsTakenUpAgain(t *testing.T) {
	u := open(t, "/plan")
	v := u.inForce("vendor", rule.Substitute, "clerk", rule.Effect{Value: `"SIF"`})
	u.calls(http.MethodPost, fmt.Sprintf("/rules/%d/state", v.ID), contract.RuleMove{State: rule.Retired, Version: v.Version}, &v)
	u.goes(fmt.Sprintf("/plan?rule=%d", v.ID))
	u.sees(".pane .life", "retired")
	u.clicks(".pane .button", "Make it a draft again")
	u.sees(".pane .life", "draft")
	u.clicks(".pane .history .plain", "What its")
	u.sees(".pane .history", "in force")
	u.sees(".pane .history", "“a test”")
	u.sees(".pane .history", "replace Payables contact with SIF")
}

// A test document is judged as a new record, or as a change of itself as it came out, or of the
// record that it was taken from.
func TestATestDocumentIsJudgedAsNewOrAsAChange(t *testing.T) {
	u := open(t, "/plan?company=10&type=SERV")
	u.service("IE")
	u.sees(station("payment_terms", "result"), "N30") // a default for new records
	u.chooses("Judged as", "a change of it as it stands")
	u.sees(entered("payment_terms"), "N30")
	u.empties("payment_terms")
	u.sees(".bar .judged", "a change")
	u.seesNo(station("payment_terms", "result"), "N30")
	u.sees(station("language", "result"), "EN") // one for whenever it is blank
	u.chooses("Judged as", "new")
	u.sees(station("payment_terms", "result"), "N30")
	u.chooses("Judged as", "a change")
	u.seesNo(station("payment_terms", "result"), "N30")
}
