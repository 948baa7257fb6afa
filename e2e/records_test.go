package e2e

import (
	"fmt"
	"testing"

	"github.com/chromedp/chromedp"
	"github.com/chromedp/chromedp/kb"
	"github.com/stretchr/testify/require"

	"codicil/core/rule"
)

func TestAnOrderIsEnteredFromAQuotationPostedAndInvoiced(t *testing.T) {
	u := open(t, "/records/quotation?company=10&search=Inquiry")
	u.sees(`[role="status"]`, "1 of ")
	u.clicks(".box .row a", "Q10")
	u.holds("reference", "Inquiry of Monday")
	u.clicks("aside .button", "Order from quotation")
	u.sees("h1", "New sales order of type")
	u.sees("aside", "follows quotation Q10")
	u.holds("reference", "Inquiry of Monday")
	u.holds("ordered_on", "24/11/2026") // what the quotation does not know comes from a rule
	u.holds("lines.1.item", "I")
	// Bad input: the goods are wanted before they are ordered.
	u.fills("wanted_on", "20.11.2026")
	u.clicks(".actions .button", "Post")
	u.sees("aside .refuse", "delivery date is before the order date")
	u.cursorIsOn("Wanted on")
	u.holds("wanted_on", "20/11/2026")
	u.types("+17") // seventeen days on
	u.presses(kb.Tab)
	u.holds("wanted_on", "11/12/2026")
	u.clicks(".actions .button", "Post")
	u.sees(".done", "Posted to the books as SO10")
	u.sees(".state", "posted")
	u.holds("quotation", "Q10")

	u.clicks("aside .button", "Customer invoice from order")
	u.sees("h1", "New accounting document")
	u.holds("lines.1.account", "110000 Trade receivables")
	u.holds("lines.3.account", "Revenue from") // found by the item
	u.fills("document_date", "24.11.")
	u.holds("due_on", "2026")
	u.posts()
	u.sees(".done", "Posted to the books as A10")
	u.clicks(".actions .button", "Open the posting")
	u.sees(".one td", "110000 Trade receivables")
	u.sees(".one td", "220000 Output tax")
	u.goes("/records/quotation?company=10&search=Inquiry")
	u.clicks(".box .row a", "Q10")
	u.sees("aside", "followed by sales order SO10")
}

func TestAnAddedVendorFieldIsPlacedForTwoCompaniesUnderDifferentLabels(t *testing.T) {
	u := open(t, "/tables/fields?kind=vendor")
	u.clicks(".button", "Add a field")
	u.clicks(`.edit label.wide input`, "")
	u.types("Berth")
	require.NoError(t, u.page.Until(`[...document.querySelectorAll(".edit input")].some(i => i.value === "berth")`)) // the key is proposed
	u.chooses("Stands in", "Buying")
	u.clicks(".edit .button", "Add the field")
	u.sees("tr.added", "Berth")

	for _, c := range []struct{ company, label string }{{"10", "Quay berth"}, {"20", "Kajplads"}} {
		u.goes("/tables/layouts?kind=vendor&company=" + c.company)
		u.sees(`.chip[data-field="berth"]`, "Berth")
		// By keyboard only: up into the section before, narrower, and a name.
		require.NoError(t, u.page.Do(chromedp.Focus(chromedp.CSS(`.chip[data-field="berth"]`))))
		u.presses(kb.ArrowUp, chromedp.KeyModifiers(chromedp.ModifierAlt))
		u.sees(`section:nth-of-type(3) .chip`, "Berth")
		u.presses("-")
		u.sees("aside .width", "3 of 12")
		u.presses(kb.Enter)
		u.types(c.label)
		u.presses(kb.Enter)
		u.sees(".chip.selected", c.label)
		// By mouse: dragged onto another field, it stands before that.
		u.drags(`.chip[data-field="berth"]`, `.chip[data-field="payment_terms"]`)
		require.NoError(t, u.page.Until(`document.querySelector('.chip[data-field="payment_terms"]').previousElementSibling?.dataset.field === "berth"`))
		u.clicks(".bar .button", "Preview")
		u.sees(`section[aria-label="Payables"] label`, c.label)
		u.clicks(".bar .button", "Save for "+c.company)
		u.sees(".said", "Saved for "+c.company)
	}
	u.goes("/records/vendor/new?company=10&type=SERV")
	u.sees(`section[aria-label="Payables"] label`, "Quay berth")
	u.fills("berth", "K12")
	u.goes("/records/vendor/new?company=20&type=SERV")
	u.sees(`section[aria-label="Payables"] label`, "Kajplads")
	u.seesNo("label", "Quay berth")
	u.goes("/records/vendor/new?company=30&type=SERV")
	u.sees(`section[aria-label="Buying"] label`, "Berth") // the default layout

	// The field takes part in the plan like any other.
	u.goes("/plan?kind=vendor&company=10&type=SERV&field=berth&family=default")
	u.sees(".pane h2", "Default: Berth")
}

func TestADocumentThatDoesNotBalanceIsRefusedMendedAndPosted(t *testing.T) {
	u := open(t, "/records/accounting_document/new?company=10&type=JE")
	u.fills("text", "Moved to the packing hall")
	u.clicks(".lines .plain", "Add a line")
	u.cursorIsOn("Account in line 1")
	u.types("deprec")
	u.sees(".el-autocomplete-suggestion li", "590000")
	u.presses(kb.ArrowDown)
	u.presses(kb.Enter)
	u.presses(kb.Tab)
	u.holds("lines.1.account", "590000 Depreciation")
	u.fills("lines.1.debit", "1,100.00")
	u.fills("lines.1.cost_centre", "K10200")
	u.holds("lines.1.text", "Moved to the packing hall")
	u.clicks(".lines .plain", "Add a line")
	u.fills("lines.2.account", "159000")
	u.fills("lines.2.credit", "1100.50")
	u.posts()
	u.sees(".done", "Saved, but not posted.")
	u.sees("aside .refuse", "they differ by 0.50 EUR")
	u.sees(".lines .refuse", "debits are 1,100.00 EUR and credits 1,100.50 EUR")
	u.holds("lines.2.credit", "1,100.50")
	u.fills("lines.2.credit", "1100")
	u.seesNo(".lines .refuse", "")
	u.posts()
	u.sees(".done", "Posted to the books as A10")
	u.clicks(".actions .button", "Reverse")
	u.clicks(".actions .button", "Reverse it")
	u.sees(".done", "is reversed by this document")
	u.holds("lines.1.credit", "1,100.00")
	u.clicks("aside a", "A10")
	u.sees(".state", "reversed")
}

func TestTwoPeopleWhoChangeOneRecordDoNotOverwriteEachOther(t *testing.T) {
	u := open(t, "/records/vendor/V10001")
	u.holds("city", "Port Carrow")
	other := u.beside("/records/vendor/V10001")
	other.holds("city", "Port Carrow")
	u.fills("street", "5 Ropewalk Lane")
	other.fills("city", "Ballinore")
	other.fills("clerk", "EOIN")
	other.presses("s", chromedp.KeyModifiers(chromedp.ModifierCtrl))
	other.sees(".done", "Saved.")
	other.sees("aside", "City: Port Carrow → Ballinore")

	u.sees(".notice", "saved this record meanwhile")
	u.fills("city", "Kilbrack")
	u.clicks(".actions .button", "Save")
	u.sees(".merge", "Payables contact: MOYA became EOIN, which you did not change")
	u.sees(".merge td", "Ballinore")
	u.sees(".merge td", "Kilbrack")
	u.clicks(".merge label", "Ballinore")
	u.clicks(".merge .button", "Save both changes")
	u.sees(".done", "Saved.")
	u.holds("city", "Ballinore")
	u.holds("clerk", "EOIN")
	u.holds("street", "5 Ropewalk Lane")

	// What is left unsaved does not overwrite either what is saved meanwhile.
	u.fills("city", "Enniscar")
	u.clicks("header nav a", "Rules")
	u.sees("h1", "Rules for")
	other.goes("/records/vendor/V10001")
	other.fills("city", "Skellport")
	other.presses("s", chromedp.KeyModifiers(chromedp.ModifierCtrl))
	other.sees(".done", "Saved.")
	require.NoError(t, u.page.Do(chromedp.NavigateBack()))
	u.holds("city", "Enniscar")
	u.clicks(".actions .button", "Save")
	u.sees(".merge td", "Skellport")
	u.sees(".merge td", "Enniscar")
}

func TestARecordThatOthersNameIsNotDeletedAndWhatWasTypedIsNotLost(t *testing.T) {
	u := open(t, "/records/customer/C10001")
	u.holds("name", "Quayside Grocers Co-op")
	u.clicks(".actions .button", "Delete")
	u.clicks(".actions .button", "Delete it")
	u.sees(".trouble", "other records, so it cannot be deleted")
	u.sees("aside .uses a", "SO1")
	// A new record that is left before it is saved is there on coming back.
	u.clicks("nav a", "Records")
	u.goes("/records/vendor/new?company=10&type=SERV")
	u.fills("name", "Mermaid Diving Services")
	u.clicks(".actions .button", "Save")
	u.sees(".says.refuse", "Country is required")
	u.holds("name", "Mermaid Diving Services")
	u.clicks("header nav a", "Rules")
	u.sees("h1", "Rules for")
	require.NoError(t, u.page.Do(chromedp.NavigateBack()))
	u.holds("name", "Mermaid Diving Services")
	u.sees(".actions", "Not saved yet.")
	require.NoError(t, u.page.Do(chromedp.Reload()))
	u.holds("name", "Mermaid Diving Services")
	u.clicks(".actions .plain", "Start over")
	u.seesNo(".actions", "Not saved yet.")
	require.NoError(t, u.page.Until(`document.querySelector('[data-address="name"] input')?.value === ""`))
}

// showsAll waits until a list shows all that there is.
func (u *user) showsAll() {
	u.t.Helper()
	require.NoError(u.t, u.page.Until(`/^\d+$/.test(document.querySelector('[role="status"]')?.innerText.trim() ?? "")`))
}

// What is on the screen stays there while the server is gone, and says so; what is asked again
// comes when it is back.
func TestAServerThatIsGoneTakesNoScreenAway(t *testing.T) {
	u := open(t, "/records/vendor")
	u.sees(".box .row a", "V10001")
	u.application.Away(true)
	u.clicks(".sort", "Name")
	u.sees(`[role="alert"]`, "Try again")
	u.sees(".box .row a", "V10001")
	u.application.Away(false)
	u.clicks(`[role="alert"] .plain`, "Try again")
	u.seesNo("body", "Try again")
	u.sees(`[aria-sort="ascending"]`, "Name")

	u.goes("/plan?company=10&type=SERV")
	u.enters("name", "Test Survey")
	u.application.Away(true)
	u.enters("country", "IE")
	u.sees("body", "does not answer")
	u.sees(entered("name"), "Test Survey")
	u.sees(`[data-station="default"] .phrase`, "N30")
	u.application.Away(false)
	u.enters("email", "test@survey.example")
	u.seesNo("body", "does not answer")

	u.goes("/rules")
	u.sees("tbody tr", "Name is required")
	u.application.Away(true)
	u.clicks(`[aria-label="Select rule 1"]`, "")
	u.clicks(".button", "Suspend")
	u.sees(`[role="alert"]`, "does not answer")
	u.sees("tbody tr", "Name is required")
}

func TestAListIsSearchedFilteredSortedAndKeptInItsAddress(t *testing.T) {
	u := open(t, "/records/accounting_document")
	u.showsAll()
	u.clicks(".sort", "Total")
	u.clicks(".sort", "Total")
	u.sees(`[aria-sort="descending"]`, "Total")
	u.clicks(".filters .plain", "Filter by a field")
	u.chooses("Field of the filter", "Vendor")
	u.chooses("Relation of the filter", "is")
	u.clicks(`[aria-label="Value of the filter"]`, "")
	u.types("V20001")
	u.presses(kb.Enter)
	u.sees(".filter", "Vendor is V20001")
	u.seesNo(".box .row a", "A1000")
	require.NoError(t, u.page.Do(chromedp.Reload()))
	u.sees(".filter", "Vendor is V20001")
	u.clicks(`[aria-label="Remove the filter"]`, "")
	u.showsAll()
	// Far down the list rows come as they are scrolled to.
	u.clicks(".sort", "Number")
	u.sees(".box .row a", "A1000001")
	_, err := u.page.Run(`document.querySelector(".box").scrollTop = 1e6`)
	require.NoError(t, err)
	u.sees(".box .row a", "A40000")
}

func TestATestOnLinesIsPostedKeptAndFoundBothWays(t *testing.T) {
	u := open(t, "/plan?kind=accounting_document&company=10&type=JE")
	u.enters("text", "Test of lines")
	u.clicks(".picker .plain", "Add a line")
	u.enters("lines.account", "590000")
	u.enters("lines.debit", "25.00")
	u.sees(".verdict", "Would be refused")
	u.sees(".messages", "Cost centre in line 1")
	u.clicks(".messages .plain", "Cost centre in line 1") // the cursor goes there
	u.types("K10900")
	u.presses(kb.Tab)
	u.sees(station("lines.text", "result"), "Test of lines")
	u.clicks(".picker .plain", "Add a line")
	u.sees(".picker", "line 2, 2 of 2")
	u.enters("lines.account", "159000")
	u.enters("lines.credit", "25.00")
	u.sees(".verdict", "Would be accepted")
	u.clicks(`[aria-label="Line before"]`, "")
	u.sees(station("lines.debit", "result"), "25.00")
	u.posts()
	u.sees(".verdict", "PA10-00001")
	u.clicks(".button", "Save as proof")
	u.types("A cost with its centre is posted")
	u.presses(kb.Enter)
	u.sees(".verdict", "Saved as proof")
	u.clicks(".verdict a", "A cost with its centre")
	u.sees(".detail", "Posted to the practice ledger as PA10-00001")
	u.clicks(".detail a", "PA10-00001")
	u.sees(".one", "A cost with its centre is posted")
	u.sees(".one td", "590000 Depreciation")
	u.clicks(".views .plain", "G/L accounts")
	u.sees("td", "159000")
	u.clicks(".views .plain", "Remove my postings")
	u.sees(".views", "1 of 1 posting is yours and would go")
	u.clicks(".views .button", "Remove them")
	u.sees("h1", "Practice ledger")
	u.clicks(".views .plain", "Postings")
	u.sees(".empty", "Nothing is posted yet")
}

func TestAMapThatDoesNotFitIsToldWhileItIsWritten(t *testing.T) {
	u := open(t, "/tables/maps")
	u.clicks("td .plain", "Order from quotation")
	u.clicks(".edit .plain", "Add a value")
	u.chooses("Source of pair 17", "Wanted on")
	u.chooses("Target of pair 17", "Note")
	u.sees(".misfit", "Wanted on (date) does not fit Note (text)")
	require.NoError(t, u.page.Until(`[...document.querySelectorAll(".edit .buttons .button")].find(b => b.innerText === "Save").disabled`))
	u.clicks(`[aria-label="Remove pair 17"]`, "")
	u.seesNo(".misfit", "")
	u.clicks(".edit .buttons .button", "Save")
	u.seesNo(".edit", "")
}

// Somebody begins with an empty database: a company, a type, a vendor.
func TestAnEmptyApplicationIsFilledFromItsOwnScreens(t *testing.T) {
	u := openEmpty(t, "/plan")
	u.sees(".empty a", "Begin")
	u.goes("/tables/companies")
	u.clicks(".button", "Add a company")
	for label, text := range map[string]string{"Key": "10", "Name": "Tidal Salt", "Country": "ie", "Currency": "eur"} {
		require.NoError(t, u.page.Do(chromedp.Focus(chromedp.CSS(fmt.Sprintf(`.edit label:nth-of-type(%d) input`, map[string]int{"Key": 1, "Name": 2, "Country": 3, "Currency": 4}[label])))))
		u.types(text)
	}
	u.clicks(".edit .button", "Save")
	u.sees("td", "Tidal Salt")
	u.sees("td", "EUR")
	u.clicks("header nav a", "Plan")
	u.sees(".empty", "No vendor group is used in 10 Tidal Salt yet")
	u.clicks(".empty a", "Add one")
	u.clicks(".button", "Add a vendor group")
	require.NoError(t, u.page.Do(chromedp.Focus(chromedp.CSS(`.edit label:nth-of-type(1) input`))))
	u.types("TRAD")
	u.presses(kb.Tab)
	u.types("Trade goods")
	u.presses(kb.Enter)
	u.sees("td", "Trade goods")
	u.goes("/records/vendor")
	u.clicks(".empty a", "Enter the first")
	u.fills("name", "Quay Ropes")
	u.clicks(".actions .button", "Save")
	u.sees(".done", "Saved as V10001.")
	u.sees("h1", "V10001")
	u.sees("h1 .name", "Quay Ropes")
}

func TestAJournalEntryIsKeyedAndPostedByKeyboardOnly(t *testing.T) {
	u := open(t, "/rules")
	u.sees("h1", "Rules for")
	u.presses("k", chromedp.KeyModifiers(chromedp.ModifierCtrl))
	u.presses("new customer")
	u.presses(kb.Enter)
	u.cursorIsOn("Name") // the cursor stands where one begins
	u.goes("/records/accounting_document/new?company=10&type=JE")
	u.cursorIsOn("Reference") // a journal entry has no vendor and no customer
	for range 5 {
		u.presses(kb.Tab)
	}
	u.cursorIsOn("Text")
	u.presses("Moved by keyboard")
	u.presses(kb.Tab)
	require.NoError(t, u.page.Until(`document.activeElement?.innerText === "Add a line"`))
	u.presses(kb.Enter)
	u.cursorIsOn("Account in line 1")
	u.presses("590000")
	u.presses(kb.Tab)
	u.presses(kb.Tab)
	u.cursorIsOn("Debit in line 1")
	u.presses("twelve hundred")
	u.presses(kb.Tab)
	u.holds("lines.1.debit", "twelve hundred") // what was typed is kept, and said to be wrong
	u.sees("aside .refuse", "Debit in line 1")
	u.presses(kb.Tab, chromedp.KeyModifiers(chromedp.ModifierShift))
	u.types("1.200,50") // not how this person writes numbers, but what else could it mean
	u.presses(kb.Tab)
	u.holds("lines.1.debit", "1,200.50")
	u.presses(kb.Tab)
	u.presses(kb.Tab)
	u.cursorIsOn("Cost centre in line 1")
	u.presses("K10900")
	u.presses(kb.Enter) // on to the next line, which is new
	u.cursorIsOn("Account in line 2")
	u.presses("159000")
	u.presses(kb.Tab)
	u.presses(kb.Tab)
	u.presses(kb.Tab)
	u.cursorIsOn("Credit in line 2")
	u.presses("1200.5")
	u.posts()
	u.sees(".done", "Posted to the books as A10")
	u.holds("lines.2.credit", "1,200.50")
}

func TestARuleForEveryLineIsWrittenAsASentence(t *testing.T) {
	u := open(t, "/plan?kind=sales_order&company=10&type=SO")
	u.enters("customer", "C10001")
	u.clicks(".picker .plain", "Add a line")
	u.enters("lines.item", "I1003")
	u.enters("lines.quantity", "5")
	u.enters("lines.price", "3.20")
	u.clicks(".picker .plain", "Add a line")
	u.sees(".picker", "line 2, 2 of 2")
	u.enters("lines.item", "I1001")
	u.clicks(station("lines.text", "substitute"), "")
	u.sees(".pane .life", "New, not saved yet")
	u.clicks(".pane .plain", "Add a condition")
	u.picksField(".condition:nth-child(1) .field", "Item")
	u.clicks(".condition:nth-child(1) .value input", "")
	u.types("flake salt, 125") // a record by its name
	u.presses(kb.Tab)
	u.clicks(`[aria-label="Value for Text"]`, "")
	u.types("Fragile flakes")
	u.presses(kb.Tab)
	u.sees(".pane .sentence", "when Item is I1003, replace Text with Fragile flakes")
	u.sees(".pane .told", "did not act: its condition is not met") // for the line that is shown
	u.clicks(`[aria-label="Line before"]`, "")
	u.sees(station("lines.text", "result"), "Fragile flakes")
	u.sees(".pane .told", "acted")
	u.putsInForce()
	u.sees(".pane .life", "in force")
	u.goes("/records/sales_order/new?company=10&type=SO")
	u.fills("customer", "quayside")
	u.holds("customer", "C10001 Quayside Grocers Co-op")
	u.clicks(".lines .plain", "Add a line")
	u.fills("lines.1.item", "I1003")
	u.presses(kb.Tab)                         // past the text, which shows what it holds when it is left
	u.holds("lines.1.text", "Fragile flakes") // the rule acts where orders are entered
}

// At the right of a form stands why the field that one stands on has its value, from what is typed now.
func TestAFormTellsWhyAFieldHasItsValue(t *testing.T) {
	u := open(t, "/records/sales_order/new?company=10&type=SO")
	u.fills("customer", "C10001")
	u.clicks(`[data-address="payment_terms"] input`, "")
	u.sees(".why .of", "Payment terms N30")
	u.sees(".why .made", "Source, by rule")
	u.sees(".why table", "Type") // the values that decided it
	u.fills("payment_terms", "N45")
	u.runs(`!document.querySelector(".why .of").innerText.includes("Payment terms")`) // the cursor has gone on
	u.clicks(`[data-address="payment_terms"] input`, "")
	u.sees(".why .of", "Payment terms N45")
	u.sees(".why", "Typed here")
	// Also of a line, and of what is posted, which nobody types into.
	u.goes("/records/sales_order")
	u.clicks(".box .row a", "")
	u.clicks(`[data-address="gross_total"]`, "")
	u.sees(".why .made", "Compute, by rule")
	u.clicks(`[data-address="lines.1.amount"]`, "")
	u.sees(".why .of", "Amount")
	u.sees(".why table", "Quantity")
}

// A rule that fails is told to who keys records in their words, and to who keeps rules with its place.
func TestARuleThatFailsIsToldToEachInTheirWords(t *testing.T) {
	u := open(t, "/records/vendor/new?company=10&type=SERV")
	made := u.inForce("vendor", rule.Compute, "lead_time", rule.Effect{Value: `10 / (credit_limit - credit_limit)`}, func(b *rule.Body) {
		b.When, b.Note.AskedBy = "credit_limit > 0", "Moya, payables"
	})
	u.goes("/records/vendor/new?company=10&type=SERV")
	u.fills("name", "Skerry Pilots")
	u.fills("credit_limit", "5")
	u.presses("s", chromedp.KeyModifiers(chromedp.ModifierCtrl))
	u.sees("aside .messages", fmt.Sprintf("Ask Moya, payables, and name rule %d.", made.ID))
	u.clicks(".button", "Open on the plan")
	u.sees(".messages", "failed: ")
	u.sees(".messages", "Correct or suspend the rule")
}
