package e2e

import (
	"testing"

	"github.com/chromedp/chromedp"
	"github.com/chromedp/chromedp/kb"
	"github.com/stretchr/testify/require"

	"codicil/e2e/browser"
)

// runs waits until an expression of the page is true.
func (u *user) runs(expression string) {
	u.t.Helper()
	require.NoError(u.t, u.page.Until(expression))
}

// writes types into the input with the label. Where an answer takes the cursor elsewhere meanwhile, it is typed again, as a
// person would.
func (u *user) writes(label, text string) {
	u.t.Helper()
	selector := `[aria-label="` + label + `"]`
	for range 3 {
		u.clicks(selector, "")
		u.types(text)
		if u.now("(document.querySelector(" + quoted(selector) + ")?.value ?? " + quoted(text) + ") === " + quoted(text)) {
			break
		}
	}
	u.presses(kb.Tab)
}

// order fills an order of bags of salt for a customer.
func (u *user) order(customer string) {
	u.t.Helper()
	u.fills("customer", customer)
	u.holds("customer", customer+" ")
	u.fills("wanted_on", "+20")
	u.clicks(".lines .foot .plain", "Add a line")
	u.fills("lines.1.item", "I1001")
	u.fills("lines.1.quantity", "2")
	u.fills("lines.1.price", "10")
}

func TestACopiedValueFollowsItsLinkUnlessAPersonChangedIt(t *testing.T) {
	u := open(t, "/records/sales_order/new?company=10&type=SO")
	u.order("C10001")
	u.holds("payment_terms", "N30")
	u.holds("credit_limit", "30,000.00") // live, from the customer
	u.presses("s", chromedp.KeyModifiers(chromedp.ModifierCtrl))
	u.sees(".done", "Saved as SO")
	u.runs(`document.querySelector('[data-address="credit_limit"] input') === null`) // nobody types there

	// Another customer has other terms, and nobody changed these: they follow.
	u.fills("customer", "C10002")
	u.holds("customer", "C10002 ")
	u.runs(`!document.querySelector('[data-address="payment_terms"]').innerText.includes("was entered by a person")`)
	// Now a person changes them, saves, and changes the customer again: they are asked.
	u.fills("payment_terms", "N45")
	u.holds("payment_terms", "N45")
	u.presses("s", chromedp.KeyModifiers(chromedp.ModifierCtrl))
	u.sees(".done", "Saved.")
	u.fills("customer", "C10001")
	u.sees(cell("payment_terms"), "was entered by a person and stays, although the link changed")
	u.holds("payment_terms", "N45")
	u.clicks(cell("payment_terms")+" .plain", "Use it")
	u.holds("payment_terms", "N30")
}

func TestAWholeSectionIsHiddenForOneCompany(t *testing.T) {
	u := open(t, "/plan?company=20&type=SERV")
	u.clicks(station("bank_account", "entry"), "")
	u.clicks(".pane .button, .pane .plain", "Write another rule")
	u.chooses("Field or section", "every field of Bank")
	u.chooses("Access", "hidden")
	u.sees(".pane .sentence", "For services vendors in 20 Brinewell Chandlery, every field of Bank is hidden.")
	u.putsInForce()
	u.sees(station("account_holder", "entry"), "hidden")
	// A required field that is hidden first is a finding.
	u.sees(".findings", "Bank account is required by rule 7, but rule")
	u.service("DK")
	u.clicks(entered("bank_account"), "")
	u.types("DK1709910000654321")
	u.presses(kb.Tab)
	u.sees(entered("bank_account"), "DK17 0991 0000 6543 21")
	u.sees(".messages", "Bank account is hidden here: the entry is ignored")
	u.clicks(".findings > .plain", "")
	u.clicks(".findings .finding a", "rule 7")
	u.sees(".pane h2", "Entry: Bank account")
	u.sees(".pane .life", "Rule 7,")
}

func TestAnAccountIsKeyedTwice(t *testing.T) {
	u := open(t, "/records/vendor/new?company=10&type=TRAD")
	for address, text := range map[string]string{"name": "Kelp & Carrageen", "country": "IE", "tax_number": "IE6613186M", "control_account": "210000", "delivery_terms": "DAP", "bank_account": "IE21BRNW99010199999999"} {
		u.fills(address, text)
	}
	u.presses("s", chromedp.KeyModifiers(chromedp.ModifierCtrl))
	u.sees(cell("bank_account"), "Bank account must be entered twice; enter it again")
	u.writes("Bank account, keyed again", "IE21BRNW99010199999998")
	u.sees(cell("bank_account"), "the two entries differ")
	u.writes("Bank account, keyed again", "IE21 BRNW 9901 0199 9999 99")
	u.runs(`!document.querySelector('[data-address="bank_account"]').innerText.includes("two entries")`)
	u.presses("s", chromedp.KeyModifiers(chromedp.ModifierCtrl))
	u.sees(".done", "Saved as V10")
}

// F8 jumps to the stop, Tab goes past what is passed over, F7 turns that off.
func TestTheCursorPassesOverAndStops(t *testing.T) {
	u := open(t, "/records/vendor/new?company=10&type=TRAD")
	u.cursorIsOn("Name")
	u.presses(kb.F8)
	u.cursorIsOn("Payment terms")
	require.NoError(t, u.page.Do(chromedp.Focus(chromedp.CSS(cell("country")+" input"))))
	u.presses(kb.Tab)
	u.cursorIsOn("Tax number")
	u.presses(kb.F7)
	u.sees(".done", "goes to every field of this document")
	require.NoError(t, u.page.Do(chromedp.Focus(chromedp.CSS(cell("country")+" input"))))
	u.presses(kb.Tab)
	u.cursorIsOn("Language")
}

func TestTheSameTaxNumberIsRefusedWithALinkToTheOther(t *testing.T) {
	u := open(t, "/plan?company=10&type=TRAD")
	u.enters("name", "Skery Sacks and Closures Limited")
	u.enters("country", "IE")
	u.enters("tax_number", "IE5260181E")
	u.sees(".messages .refuse", "Another vendor has this tax number")
	u.sees(".messages .advise", "A vendor with a similar name exists")
	u.clicks(".messages .refuse a", "V10001 Skerry Sacks & Closures Ltd")
	u.sees(".record .top", "V10001")

	// A rule of one's own, written as a sentence.
	u.goes("/plan?company=10&type=TRAD&field=email&family=validate")
	u.sees(".pane .life", "New, not saved yet")
	u.clicks(".pane .checked label", "that it is unique")
	u.clicks(".pane .unique label", "in any company")
	u.clicks(".pane textarea", "")
	u.types("This address is that of another vendor.")
	u.sees(".pane .sentence", "refuse unless E-mail is unique in any company.")
	u.enters("email", "Orders@SkerrySacks.example")
	u.sees(station("email", "validate"), "This address is that of another vendor.")
	u.putsInForce()
	u.sees(".pane .life", "in force")
}

func TestABandIsEditedAsOneScaleAndShownAsASignal(t *testing.T) {
	u := open(t, "/plan?company=10&type=SERV&field=credit_limit&family=compute")
	u.sees(".pane .life", "New, not saved yet")
	u.clicks(".pane label", "sort the number into bands")
	u.writes("Name of band 1", "small")
	u.writes("Name of band 2", "large")
	u.writes("End of band 1", "1,000.00")
	u.sees(".pane .sentence", "sort Credit limit into small under 1,000, large.")
	u.enters("credit_limit", "1,000.00")
	u.runs(`document.querySelector('[data-field="credit_limit"] [data-station="result"] .signal')?.title === "large"`)
	u.clicks(".pane .boundary .side", "")
	u.sees(".pane .sentence", "small up to 1,000")
	u.runs(`document.querySelector('[data-field="credit_limit"] [data-station="result"] .signal')?.title === "small"`)
	u.clicks(".pane .boundary .plain", "Split")
	u.writes("Name of band 2", "middling")
	u.sees(".pane .problems", "write where small ends as a number")
	u.writes("End of band 1", "500")
	u.sees(".pane .sentence", "small under 500, middling up to 1,000, large.")
	u.putsInForce()
	u.sees(".pane .life", "in force")
	// In a list of records the signal stands beside the number.
	u.goes("/records/item?columns=name,shelf_life")
	u.sees(".box .signal", "long")
}

func TestPostingAnOrderWritesToTheCustomerAndReversingTakesItBack(t *testing.T) {
	u := open(t, "/records/sales_order/new?company=10&type=SO")
	u.order("C10003")
	u.posts()
	u.sees(".done", "Posted to the books as SO")
	order := u.number()
	u.goes("/ledger?ledger=books")
	u.clicks("td a, .row a", order)
	u.sees(".one .written", "Wrote to C10003 Ballycree Creameries: Credit used")
	// By the order's total: twenty euro and the tax of the country.
	u.runs(`(() => { const m = /([\d,.]+) → ([\d,.]+)/.exec(document.querySelector(".one .written").innerText); const n = t => Number(t.replaceAll(",", "")); return Math.abs(n(m[2]) - n(m[1]) - 24.6) < 0.001 })()`)
	u.goes("/records/item/I1001")
	u.sees(".version", "follow-up")
	u.goes("/records/sales_order/" + order)
	u.clicks(".button", "Reverse")
	u.sees("footer, .actions", "Reverse")
	u.clicks(".button.first", "Reverse")
	u.sees(".done", "is reversed by this document")
	u.goes("/records/customer/C10003")
	u.runs(`document.querySelectorAll(".version").length >= 3`)
}

// number is the number of the record that is open.
func (u *user) number() string {
	u.t.Helper()
	number, err := browser.Ask(u.page, chromedp.Evaluate[string](`document.querySelector(".top h1").innerText.match(/[A-Z]+\d+/)[0]`))
	require.NoError(u.t, err)
	return number
}

func TestACrosswalkIsPastedFromASpreadsheetAndUsedByARule(t *testing.T) {
	u := open(t, "/tables/crosswalks")
	u.clicks(".button", "Add a crosswalk")
	u.clicks(`form input[required]`, "")
	u.types("Clerks by country")
	u.clicks(`form input.mono[required]`, "")
	u.types("clerks")
	u.runs(`(() => {
		const cell = document.querySelector('[aria-label="Code in row 1"]');
		const data = new DataTransfer();
		data.setData("text/plain", "DK\tBIRK\nJP\tRINA\nJP\tKENJI\n");
		cell.dispatchEvent(new ClipboardEvent("paste", { clipboardData: data, bubbles: true, cancelable: true }));
		return true;
	})()`)
	u.sees("form", "JP is already in row 2; give one of them another code or other days")
	u.clicks(`[aria-label="Remove row 3"]`, "")
	u.clicks("form .button", "Save")
	u.sees("[role=status]", "Saved.")
	u.sees(".missing", "Every code in the saved records that a rule looks up here has a row today.")

	u.goes("/plan?company=10&type=SERV&field=clerk&family=default")
	u.sees(".pane .life", "New, not saved yet")
	u.chooses("Kind of value", "by crosswalk")
	u.chooses("Crosswalk", "Clerks by country")
	u.picksField(".lookup .key", "Country")
	u.sees(".pane .sentence", "fill Payables contact with Clerks by country for Country on a new record only.")
	u.service("DK")
	u.sees(station("clerk", "result"), "BIRK")
	u.enters("country", "FR")
	u.sees(".messages .refuse", `the crosswalk "clerks" has no row for FR`)
	u.putsInForce()
	u.sees(".pane .life", "in force")

	// Now the codes that are missing are told, with the records that have them.
	u.goes("/tables/crosswalks?crosswalk=clerks")
	u.sees(".missing td", "IE")
	u.sees(".missing td", "V10002 Harrow Point Tank Inspection")
	u.clicks(`tfoot input`, "")
	u.types("MOYA")
	u.presses(kb.Tab)
	u.clicks("form .button", "Save")
	u.sees("[role=status]", "Saved.")
	u.goes("/plan?company=10&type=SERV")
	u.service("FR")
	u.sees(station("clerk", "result"), "MOYA")
	// What a rule looks up cannot be removed.
	u.goes("/tables/crosswalks?crosswalk=clerks")
	u.clicks("form .button", "Delete")
	u.sees("main, .table", "is used by 1 rules")
}

func TestAStandingValueOfNextYearLeavesThisYearAlone(t *testing.T) {
	u := open(t, "/tables/standing")
	u.sees("td", "Rush freight for company 30 ends on 31/12/2026, and nothing follows")
	u.clicks("td .plain", "Rush freight")
	u.clicks(".edit .button", "Add a period")
	u.chooses("Company of period 7", "30 Brinewell Kaisan")
	u.writes("First day of period 7", "31/12/2026")
	u.writes("Value of period 7", "8100")
	u.sees(".edit", "overlap; end the one before the other begins")
	u.writes("First day of period 7", "01/01/2027")
	u.seesNo(".edit", "overlap")
	u.writes("Value of period 2", "52.5") // of company 10, from 2027 on
	u.clicks(".edit .button", "Save")
	u.seesNo("td", "ends on 31/12/2026")

	for day, freight := range map[string]string{"2026-12-31": "48.5", "2027-01-01": "52.5"} {
		u.goes("/plan?kind=sales_order&company=10&type=SR&day=" + day)
		u.enters("customer", "C10001")
		u.sees(station("freight", "result"), freight)
		u.sees(station("freight", "default"), freight)
	}
}

func TestANumberSeriesIsDesignedWithItsNumbersInSight(t *testing.T) {
	u := open(t, "/tables/series")
	u.clicks(".button", "Design a series")
	u.clicks(".edit input[required]", "")
	u.types("Vendor files")
	u.clicks(".edit input.mono", "")
	u.types("files")
	u.sees(".edit .next", "N00001")
	u.writes("Text of part 1", "F-")
	u.sees(".edit .next", "F-00001")
	u.clicks(".edit .plain", "Add a part")
	u.chooses("Part 3", "check digit")
	u.sees(".edit .next", "F-000011") // F counts as 15
	u.clicks(".edit label", "counts separately in each company")
	u.sees(".edit", "needs the company in its numbers, or it gives a number twice")
	u.clicks(".edit label", "counts separately in each company")
	u.clicks(".edit .button", "Save")
	u.sees("td", "Vendor files")

	u.goes("/plan?company=10&type=SERV&field=trading_as&family=default")
	u.sees(".pane .life", "New, not saved yet")
	u.clicks(".pane label", "the next number of a series")
	u.chooses("Number series", "Vendor files")
	u.sees(".pane .sentence", "fill Trading as with the next number of Vendor files on a new record only.")
	u.clicks(".pane label", "fixed: people cannot change")
	u.enters("name", "Quay Survey")
	u.sees(station("trading_as", "result"), "F-000011")
	u.putsInForce()
	u.sees(".pane .life", "in force")
	// Trying takes no number; saving does, once each.
	for _, number := range []string{"F-000011", "F-000029"} {
		u.goes("/records/vendor/new?company=10&type=SERV")
		for address, text := range map[string]string{"name": "File " + number, "country": "IE", "control_account": "211000", "payment_method": "CARD", "email": "a@b.example"} {
			u.fills(address, text)
		}
		u.holds("trading_as", number)
		u.presses("s", chromedp.KeyModifiers(chromedp.ModifierCtrl))
		u.sees(".done", "Saved as V10")
		u.holds("trading_as", number)
	}
}

func TestAFollowUpIsWrittenForALink(t *testing.T) {
	u := open(t, "/plan?kind=accounting_document&company=10&type=VI")
	u.starts("Write a rule for after posting", "Vendor")
	u.sees(".pane h2", "After posting, to Vendor")
	u.runs(`document.querySelectorAll(".pane .condition").length === 2`) // the rule that is there stands still
	u.clicks(".pane .plain", "Write another rule")
	u.sees(".pane .life", "New, not saved yet")
	u.picksField(".pane .deed", "Reason for the hold")
	u.writes("Value for Reason for the hold", "Invoiced")
	u.sees(".pane .sentence", "after posting set Reason for the hold of Vendor to Invoiced.")
	u.putsInForce()
	u.sees(".after", "Reason for the hold of Vendor becomes Invoiced")
}

func TestTwoCompaniesAreComparedAndARuleIsCopied(t *testing.T) {
	u := open(t, "/plan?company=10&type=SERV")
	u.clicks(".top .button", "Compare")
	u.sees(".compare", "1 field differs")
	u.sees(`[data-other="payment_terms"]`, "N14 when Country is DK")
	u.chooses("Fields that are shown", "only where the two differ")
	u.seesNo(".row .name", "Telephone")
	u.clicks(".compare .button", "Copy its rules here")
	u.sees(".copy", "For vendors in 10 Brinewell Salt Works, when Country is DK, fill Payment terms with N14 on a new record only.")
	u.clicks(".copy .button", "Copy 1 as drafts")
	u.sees(".copy .done", "1 draft was made; they act when they are put in force.")
	u.clicks(".copy .button", "Close")
	u.clicks(station("payment_terms", "default"), "")
	u.clicks(".pane .order button", "draft")
	u.putsInForce()
	u.sees(".pane .life", "in force")
	u.chooses("Fields that are shown", "all fields")
	u.service("DK")
	u.chooses("Fields that are shown", "only with rules made for this scope")
	u.sees(station("payment_terms", "result"), "N14")
}

func TestManyRulesAreSuspendedAtOnce(t *testing.T) {
	u := open(t, "/rules?kind=vendor")
	u.chooses("Rules that read the field", "reading Country")
	u.sees(".sentence", "fill Language with")
	u.seesNo(".sentence", "Name is required")
	u.clicks(`[aria-label="Select all shown"]`, "")
	u.clicks(".many .button", "Suspend")
	u.sees(".many", "would be suspended. They act in")
	u.clicks(".many .button.first", "Suspend")
	u.sees(".done", "rules are suspended now.")
	u.seesNo("td", "in force")
	u.clicks(".plain", "Show all")
	u.sees(".sentence", "Name is required")
	u.chooses("Rules on the field", "on Payment terms")
	u.sees(".sentence", "Payment terms is a cursor stop")
	u.seesNo(".sentence", "Name is required")
}

// The versions of a rule say which words differ, any two are compared, and an earlier one is brought back as a change.
func TestARuleGoesBackToAnEarlierVersion(t *testing.T) {
	u := open(t, "/plan?company=10&type=SERV&field=payment_terms&family=default")
	u.sees(".pane .life", "version 2")
	u.clicks(".pane .history .plain", "What its 2 versions were")
	u.clicks(".history .plain", "Compare any two")
	u.sees(".history .compare", "They say the same.")
	u.clicks(".pane [role=tab]", "Formula")
	u.clicks(".pane .cm-content", "")
	u.types(`country = "DE"`)
	u.presses("s", chromedp.KeyModifiers(chromedp.ModifierCtrl))
	u.sees(".pane .asks", "needs a reason")
	u.runs(`!!document.activeElement?.matches(".reason")`)
	u.types("Germany only")
	u.presses(kb.Enter)
	u.sees(".pane .life", "version 3")
	u.sees(".history .version ins", "when Country is DE")
	u.sees(".history .version dd ins", `country = "DE"`)
	u.sees(".history .version", "Germany only")
	u.sees(".history .compare ins", "when Country is DE")
	u.clicks(".history .restore", "Back to this")
	u.sees(".pane .life", "changed, not saved")
	u.seesNo(".pane .sentence", "when Country is DE")
	u.presses("s", chromedp.KeyModifiers(chromedp.ModifierCtrl))
	u.sees(".pane .asks", "needs a reason")
	u.runs(`!!document.activeElement?.matches(".reason")`)
	u.types("Everywhere again")
	u.presses(kb.Enter)
	u.sees(".pane .life", "version 4")
	u.sees(".history .version", "“Everywhere again”")
	u.sees(".history .version del", "when Country is DE")
	u.sees(".history .version dd ins", "Back")
}
