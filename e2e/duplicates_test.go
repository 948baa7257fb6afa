package e2e

import (
	"testing"

	"github.com/chromedp/chromedp/kb"
)

// looksForNames looks for vendors of the same name.
func looksForNames(u *user) {
	u.t.Helper()
	u.clicks("button[aria-label='Look now: The same name in any company']", "Look now")
	u.sees(".parts", "Exactly the same 3")
}

// The vendors that are there twice exactly are merged together after one look at the counts, but one that is left out, and
// taken back.
func TestExactDuplicatesAreMerged(t *testing.T) {
	u := open(t, "/records/vendor")
	u.clicks(".button", "Duplicates")
	looksForNames(u)
	u.sees(".ledger", "SLANEY LABEL-PRINTERS")
	u.runs(`document.querySelector("input[aria-label='Merge V30007 and V30008']").click() ?? true`)
	u.clicks(".button.first", "See what happens")
	u.sees(".counts", "To merge 2")
	u.runs(`document.querySelector("input[aria-label=Reason]").focus() ?? true`)
	u.types("Entered twice")
	u.clicks(".button.first", "Merge 2 into others")
	u.sees(".counts", "Merged 2")
	u.sees(".ledger", "merged")
	u.goes("/records/vendor?search=V10013")
	u.sees(".records", "V10006") // the old number finds the survivor
	u.seesNo(".records .row", "SLANEY LABEL-PRINTERS")
	u.clicks(".records a", "V10006")
	u.sees("aside", "took in V10013")
	u.clicks("aside a", "run 3")
	u.sees(".found", "into V10006 Slaney Label Printers")
	u.clicks(".button", "Take back 2")
	u.sees(".counts", "Restored 2")
	u.goes("/records/vendor/V10013")
	u.holds("name", "SLANEY LABEL-PRINTERS")
}

// Of those that are almost the same a person judges one by one: two vendors are one, and a document is shown under the one that
// stays; two others are different, and are not shown again.
func TestNearDuplicatesAreJudged(t *testing.T) {
	u := open(t, "/duplicates/vendor")
	looksForNames(u)
	u.clicks(".part", "Similar 3")
	u.sees(".why", "96 % alike: 1 of 25 letters differs, another legal form")
	u.sees(".sides", "7 values differ")
	u.runs(`document.querySelector("input[aria-label='V10009 stays']").click() ?? true`)
	u.sees(".does", "1 posted, which keep V10014; that leads to V10009")
	u.sees(".does", "1 not posted, rewritten to name V10009")
	u.runs(`document.querySelector("input[aria-label='Tax number of V10014']").click() ?? true`)
	u.sees(".sides b", "IE9376217F")
	u.runs(`document.querySelector("input[aria-label=Reason]").focus() ?? true`)
	u.types("The same boilers")
	u.presses(kb.Enter)
	u.sees(".pairs", "merged")

	// The next pair comes by itself. It is said to be different, with the keys alone.
	u.sees(".why", "92 % alike")
	u.runs(`document.querySelector("input[aria-label=Reason]").focus() ?? true`)
	u.types("One sells glass, the other gas")
	u.presses(kb.Tab)
	u.presses(kb.Tab)
	u.presses(kb.Enter)
	u.sees(".pairs", "different")
	u.sees(".parts", "Said to be different 1")
	u.clicks(".part", "Said to be different")
	u.sees(".ledger", "One sells glass, the other gas")

	u.goes("/records/vendor/V10014")
	u.sees(".notice", "was merged into V10009")
	u.holds("name", "Tidewater Boiler Service Ltd")
	u.sees("main", "10/11/2026") // as it was, with what a posting wrote to it
	u.clicks(".notice a", "V10009")
	u.holds("tax_number", "IE9376217F")
	u.goes("/records/accounting_document?search=boiler+2")
	u.sees(".records .row", "Tidewater Boiler Services")
	u.clicks(".records .row a", "A10")
	u.sees("main", "V10014 → V10009 Tidewater Boiler Services")
	u.goes("/ledger?ledger=books&view=journal")
	u.sees(".ledger", "V10014 → V10009 Tidewater Boiler Services")
}

// mergesTheFirstTwo chooses the first two vendors of a list by keys, and goes to where they are merged.
func (u *user) mergesTheFirstTwo() {
	u.t.Helper()
	u.runs(`document.querySelector(".box").focus() ?? true`)
	u.presses(" ")
	u.presses(kb.ArrowDown)
	u.presses(" ")
	u.clicks(".button", "Merge 2")
	u.sees("h1", "Merge 2 vendors")
}

// Records are chosen in the list and merged; what hinders it is said, and nothing is lost.
func TestChosenRecordsAreMerged(t *testing.T) {
	u := open(t, "/records/vendor?search=silvretta")
	u.sees(".records", "Silvretta Gas")
	u.mergesTheFirstTwo()
	u.sees(".sides", "Silvretta Gas GmbH")
	u.goes("/merge/vendor?numbers=V10006,V20007")
	u.sees(".does .wrong", "belongs to company")
	u.seesNo(".sides", "Becomes") // the rules were not asked
	u.goes("/merge/vendor?numbers=V10006")
	u.sees(".empty", "Choose two or more")

	// Of documents the lines are chosen, too; with all of them a check refuses the total.
	u.goes("/merge/accounting_document?numbers=A1000059,A1000061")
	u.sees(".sides", "A1000061")
	u.runs(`document.querySelector("input[aria-label='A1000059 stays']").click() ?? true`)
	u.seesNo(".does", "The total on the paper differs")
	u.chooses("Lines", "all")
	u.sees(".does .wrong", "The total on the paper differs from what is posted.")
}

// Other fields are compared: the definition stays, and is removed.
func TestDuplicatesByOtherFields(t *testing.T) {
	u := open(t, "/duplicates/customer")
	u.clicks(".button", "Compare other fields")
	u.chooses("Fields to compare", "City")
	u.presses(kb.Escape)
	u.clicks(".button.first", "Save and look")
	u.sees(".parts", "Exactly the same")
	u.sees(".ledger", "City")
	u.clicks(".plain", "Remove")
	u.seesNo(".ledger .open", "City")
}
