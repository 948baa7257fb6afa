package e2e

import (
	"fmt"
	"net/http"
	"testing"

	"github.com/chromedp/chromedp"
	"github.com/chromedp/chromedp/kb"

	"codicil/core/rule"
	"codicil/internal/contract"
)

// After a rule changed, its values are derived again from the rule: seen, one left out, saved with a reason, taken back.
func TestValuesAreDerivedAgainAfterARuleChanged(t *testing.T) {
	u := open(t, "/")
	made := u.inForce("vendor", rule.Default, "lead_time", rule.Effect{Value: `21`, Lifetime: rule.KeepsUp})
	u.goes(fmt.Sprintf("/plan?rule=%d", made.ID))
	u.clicks(".used a", "Derive its values in existing records again")
	u.sees("h1", "Derive vendors again")
	u.clicks(".button.first", "See what changes")
	u.sees(".counts", "would change")
	u.sees("tbody tr", "Lead time")
	u.clicks("tbody input[type=checkbox]", "")
	u.sees("tr.out", "")
	u.runs(`document.querySelector(".apply input").focus() ?? true`)
	u.types("Lead times are three weeks now")
	u.presses(kb.Enter)
	u.sees(".counts", " changed")
	u.clicks(".counts .button", "Take back")
	u.sees(".counts", "restored")
	var runs []contract.Run
	u.calls(http.MethodGet, "/runs", nil, &runs)
	u.goes(fmt.Sprintf("/runs?run=%d", runs[1].ID))
	u.sees(".found h2", "Derived again: Vendors: Lead times are three weeks now")
}

// Rows of a list are chosen by keys, and derived again alone.
func TestRowsAreChosenByKeys(t *testing.T) {
	u := open(t, "/records/vendor")
	u.sees(".row", "V10001")
	u.runs(`document.querySelector(".box").focus() ?? true`)
	u.presses(" ")
	u.presses(kb.ArrowDown)
	u.presses(" ")
	u.sees(".button", "Derive 2 again")
	u.presses(kb.PageDown)
	u.presses(" ", chromedp.KeyModifiers(chromedp.ModifierShift))
	u.sees(".button", "Derive 22 again")
	u.presses(" ")
	u.clicks(".button", "Derive 21 again")
	u.sees(".page-head", "21 chosen")
	u.clicks(".button.first", "See what changes")
	u.sees(".counts", "stay as they are")
}

// With Shift all rows are chosen from the last one to the one that is clicked.
func TestRowsAreChosenByMouse(t *testing.T) {
	u := open(t, "/records/vendor")
	shift := chromedp.ButtonModifiers(chromedp.ModifierShift)
	u.clicks(`[aria-label="Choose V10003"]`, "")
	u.clicks(`[aria-label="Choose V10009"]`, "", shift)
	u.sees(".button", "Derive 7 again")
	u.clicks(`[aria-label="Choose V10005"]`, "")
	u.sees(".button", "Derive 6 again")
	u.clicks(`[aria-label="Choose V10001"]`, "", shift)
	u.sees(".button", "Derive 9 again")
}
