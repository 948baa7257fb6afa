package e2e

import (
	"fmt"
	"testing"

	"github.com/chromedp/chromedp"
	"github.com/chromedp/chromedp/kb"
	"github.com/stretchr/testify/require"

	"codicil/e2e/browser"
)

// asks runs requests from the page and waits for their end.
func (u *user) asks(script string) float64 {
	u.t.Helper()
	answer, err := browser.Ask(u.page, chromedp.Evaluate[float64](`(async () => {
		const post = async (path, body) => {
			const answer = await fetch("/api/v1" + path, { method: "POST", headers: { "content-type": "application/json" }, body: JSON.stringify(body) });
			if (!answer.ok) throw new Error(await answer.text());
			return answer.json();
		};
		`+script+`
	})()`, chromedp.EvalAwaitPromise))
	require.NoError(u.t, err)
	return answer
}

// drafts keeps a rule of Kaisan's trade vendors as a draft and returns its number.
func (u *user) drafts(family, target, when, effect string) int {
	u.t.Helper()
	return int(u.asks(fmt.Sprintf(`return (await post("/rules", { body: {
		kind: "vendor", family: %q, target: %q, priority: 1, scope: { companies: ["30"], types: [], from: "", until: "" },
		when: %q, on: { new: true, change: true }, effect: %s, note: { askedBy: "Kenji", askedOn: "2026-11-20", why: "a test" } } })).id`, family, target, when, effect)))
}

func TestSuggestionsAloneProveARuleOfTwoConditionsAtFullStrength(t *testing.T) {
	u := open(t, "/plan?company=30&type=TRAD")
	id := u.drafts("substitute", "delivery_place", `country = "JP" and credit_limit > 120000`, `{ value: '"Kobe quay"' }`)
	u.goes(fmt.Sprintf("/plan?rule=%d", id))
	u.sees(".proofs .state", "not proved")
	u.sees(".proofs li", "Credit limit is over 120000: so, and that decides")
	u.sees(".proofs summary", "No proof notices if")
	u.clicks(".proofs .button", "Suggest proofs for that")
	u.sees(".suggestion .says", "Delivery place becomes Kobe quay")
	u.clicks(".proofs .button.first", "Accept all")
	u.sees(".proofs .state", "proved both ways")
	u.sees(".proofs .state", "strength 100 %")
	u.sees(".proofs", "Every part is proved both ways")

	// They are marked until somebody has read them.
	u.clicks(".proofs .state a", "proofs")
	u.sees(".unread", "not read yet")
	u.sees(".summary", "0 fail")
	u.clicks(".name", "")
	u.sees(".detail", "Expects")
	u.runs(`document.querySelectorAll(".unread").length < document.querySelectorAll(".name").length`)
}

func TestARuleBrokenOnPurposeIsNoticedWhileItIsWrittenAndMended(t *testing.T) {
	u := open(t, "/plan?company=30&type=SERV&field=payment_terms&family=default")
	u.sees(".proofs .state", "proved both ways")
	u.clicks(".modes button", "Formula")
	u.clicks(".formula .cm-content", "")
	u.runs(`document.activeElement.closest(".cm-content") !== null`)
	u.presses("a", chromedp.KeyModifiers(2))
	u.types(`country = "DK"`)
	u.sees(".breaks", "This would break")
	u.sees(".breaks a", "proof")
	u.clicks(".pane .button", "Discard change")
	u.seesNo(".breaks", "This would break")
	u.sees(".proofs .state", "proved both ways")
}

func TestATestDocumentIsPastedFromASpreadsheetAndTriedAsAnother(t *testing.T) {
	u := open(t, "/plan?kind=sales_order&company=10&type=SO")
	u.clicks(entered("customer"), "")
	u.runs(`(() => {
		const grid = document.querySelector(".grid");
		const data = new DataTransfer();
		data.setData("text/plain", "Customer\tItem\tQuantity\tPrice\tRemark\nC10001\tI1001\t4\t19\tx\n\tI1004\t2\t15.50\t\n");
		grid.dispatchEvent(new ClipboardEvent("paste", { clipboardData: data, bubbles: true, cancelable: true }));
		return true;
	})()`)
	u.sees(".verdict", "No field is called Remark")
	u.clicks(".verdict .plain", "Dismiss")
	u.sees(entered("customer"), "C10001")
	u.sees(station("net_total", "result"), "107.00")
	u.writes("Entered by", "Birk Holm")
	u.clicks(".actions .button", "Save as proof")
	u.clicks(`[aria-label="Name of the proof"]`, "")
	u.types("Two lines")
	u.chooses("Values that the proof expects", "Net total")
	u.presses(kb.Escape)
	u.clicks(".naming .as input", "")
	u.clicks(".naming .button", "Save proof")
	u.sees(".verdict", "Saved as proof")
	u.clicks(".verdict a", "Two lines")
	u.clicks(".deeds .button", "Run it")
	u.sees(".held", "passes")
}

func TestAThousandProofsAreRunWithProgressAndStoppedHalfway(t *testing.T) {
	u := open(t, "/proofs")
	u.sees(".summary", "1 fails")
	for hundred := range 10 {
		u.asks(fmt.Sprintf(`
			const given = (await (await fetch("/api/v1/proofs?kind=vendor")).json())[0];
			await Promise.all(Array.from({ length: 100 }, (_, i) =>
				post("/proofs", { document: given.given, name: "Copy %d." + i, rules: [], expect: given.expect })));
			return 1;
		`, hundred))
	}
	u.goes("/proofs")
	u.sees(".summary", "pass")
	u.runs(`document.querySelectorAll(".name").length > 1000`)
	u.seesNo(".button", "Stop")
	// A thousand proofs take less than a second, which no hand stops: this run does not end by itself.
	u.application.Hold("/proofs/progress")
	u.clicks(".button", "Run all proofs")
	u.runs(`/[1-9]\d* of 1,\d+ run/.test(document.querySelector(".summary")?.innerText ?? "")`)
	u.clicks(".button", "Stop")
	u.sees(".summary", "then stopped")
	u.runs(`(() => {
		const [, run, total] = /(\d+) of (\d+) run/.exec(document.querySelector(".summary").innerText.replaceAll(",", "")) ?? [];
		return Number(run) < Number(total);
	})()`)
}

func TestTheBoardLeadsToWhatIsMissing(t *testing.T) {
	u := open(t, "/proofs/confirmed")
	u.sees(".summary", "rules proved both ways")
	u.sees("tbody .state", "failing")
	u.clicks(".heat button", "1")
	u.runs(`document.querySelector(".heat .chosen") !== null && location.search.includes("company=")`)
	u.clicks(".rule a", "Buying currency")
	u.sees(".proofs summary", "No proof notices if")
}

func TestARuleThatExistingRecordsBreakGoesInForceWithAReason(t *testing.T) {
	u := open(t, "/plan?company=30&type=TRAD")
	id := u.drafts("validate", "website", "", `{ severity: "refuse", must: "is filled(website)", message: "Enter the web address." }`)
	u.goes(fmt.Sprintf("/plan?rule=%d", id))
	u.clicks(".impact .ask", "Effect on existing records")
	u.sees(".impact [role=status]", "in its scope it would refuse")
	u.sees(".impact li.refuse", "Enter the web address.")
	u.sees(".impact a", "Export")
	u.clicks(".pane .button", "Put in force")
	u.sees(".pane [role=alert]", "it would refuse")
	u.sees(".pane [role=alert]", "saved records as they stand")
	u.clicks(".pane .button", "Cancel")
	u.sees(".pane .life", "draft")
	u.putsInForce()
	u.sees(".forced", "agreed in a test")
	u.seesNo(".pane .life", "draft")
}

func TestTheGapsOfARuleAreFilledByKeyboardOnly(t *testing.T) {
	u := open(t, "/plan?company=10&type=TRAD&field=order_currency&family=default")
	u.sees(".proofs .state", "strength 9")
	u.tabsTo("Suggest proofs for that")
	u.presses(kb.Enter)
	u.sees(".suggestion", "Buying currency")
	u.tabsTo("Accept")
	u.presses(kb.Enter)
	u.sees(".proofs", "saved, marked until somebody has read")
	u.runs(`document.querySelectorAll(".suggestion").length === 0 || document.querySelector(".proofs .button.first:not(:disabled), .suggestion .button:not(:disabled)") !== null`)
	for u.now(`document.querySelectorAll(".suggestion").length > 0`) {
		count := `document.querySelectorAll(".suggestion").length`
		left := u.asks(`return ` + count)
		u.tabsTo("Accept")
		u.presses(kb.Enter)
		u.runs(fmt.Sprintf(`%s < %v`, count, left))
	}
	u.sees(".proofs .state", "proved both ways")
	u.sees(".proofs .state", "strength 100 %")
}

// A wrong version that nobody needs to notice is set aside with a reason, goes on counting, and
// is taken back.
func TestAWrongVersionIsSetAside(t *testing.T) {
	u := open(t, "/plan?company=10&type=TRAD&field=order_currency&family=default")
	u.sees(".proofs .state", "strength 9")
	u.clicks(".proofs li button", "Ignore")
	u.cursorIsOn("Reason to ignore it")
	u.types("Nobody ever changes the currency")
	u.presses(kb.Enter)
	u.clicks(".proofs summary", "Ignored, still counted (1)")
	u.sees(".proofs li", "Nobody ever changes the currency")
	u.sees(".proofs .state", "strength 9")
	u.clicks(".proofs li button", "Stop ignoring")
	u.sees(".proofs summary", "No proof notices if")
	u.seesNo(".proofs summary", "Ignored, still counted")
}

func TestTheReportIsReadAndItsRulesAreOpened(t *testing.T) {
	u := open(t, "/proofs/confirmed?company=30&type=SERV")
	u.clicks(".chosen-line a", "confirmation report")
	u.sees(".report .head", "Services in 30 Brinewell Kaisan, as in force on 24 Nov 2026")
	u.sees(".report section", "Kaisan's terms for a Japanese vendor")
	u.sees(".report li.failed", "fails: Alpin gives German vendors sixty days")
	u.sees(".report a", "Save as CSV")
}
