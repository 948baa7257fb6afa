package e2e

import (
	"testing"

	"github.com/chromedp/chromedp"
	"github.com/chromedp/chromedp/kb"

	"codicil/e2e/browser"
)

// A day is picked from the calendar by the pointer and by keys alone.
func TestADayIsPickedFromTheCalendar(t *testing.T) {
	u := begin(t, "/tables/lists?list=currencies", browser.Setup{Demo: true})
	u.sees(".tools", "can be chosen")
	u.writes("First day of AED", "03/11/2026")
	u.presses(kb.Tab)
	u.clicks(`[aria-label="Calendar for First day of AED"]`, "")
	u.clicks(".calendar-panel td.available", "17")
	u.holdsValue(`[aria-label="First day of AED"]`, "17/11/2026")
	u.seesNo(".calendar-panel", "Mon")

	u.presses(kb.ArrowDown, chromedp.KeyModifiers(chromedp.ModifierAlt))
	u.sees(".calendar-panel td.current", "17")
	u.presses(kb.ArrowRight)
	u.sees(".calendar-panel td.current", "18")
	u.presses(kb.ArrowDown)
	u.sees(".calendar-panel td.current", "25")
	u.holdsValue(`[aria-label="First day of AED"]`, "17/11/2026")
	u.presses(kb.Enter)
	u.holdsValue(`[aria-label="First day of AED"]`, "25/11/2026")
	u.cursorIsOn("First day of AED")

	// Escape leaves the day as it was.
	u.presses(kb.ArrowDown, chromedp.KeyModifiers(chromedp.ModifierAlt))
	u.sees(".calendar-panel td.current", "25")
	u.presses(kb.ArrowUp)
	u.sees(".calendar-panel td.current", "18")
	u.presses(kb.Escape)
	u.seesNo(".calendar-panel", "Mon")
	u.holdsValue(`[aria-label="First day of AED"]`, "25/11/2026")
	u.cursorIsOn("First day of AED")
}

// What keeps a form from being sent is said at its place, with the cursor there, and goes with the next key.
func TestAFormSaysWhatIsMissing(t *testing.T) {
	u := begin(t, "/tables/crosswalks", browser.Setup{Demo: true})
	u.clicks("button", "Add a crosswalk")
	u.sees("form", "Columns")
	u.clicks(".buttons button", "Save")
	u.sees(".invalid-note", "Fill in Name.")
	u.types("Ports")
	u.seesNo(".invalid-note", "Fill in")
	u.sees("h1", "Ports")

	u.goes("/tables/series")
	u.clicks("td button", "Order confirmations")
	u.keys("Step", "two")
	u.presses(kb.Tab)
	u.clicks(".buttons button", "Save")
	u.sees(".invalid-note", "Type a whole number from 1.")
	u.holdsValue(`form [aria-invalid="true"]`, "two")
}

// A column of a crosswalk chooses from a list: nothing else can stand in it.
func TestACrosswalkChoosesFromAList(t *testing.T) {
	u := begin(t, "/tables/crosswalks", browser.Setup{Demo: true})
	u.clicks("button", "Add a crosswalk")
	u.keys("Name", "Transit to ports")
	u.picks(".column .el-select", "Choice")
	u.picks(".column label:nth-of-type(4) .el-select", "Countries")
	u.picks(`tbody td .el-select`, "DK Denmark")
	u.clicks(`[aria-label="Result in row 1"]`, "")
	u.types("3 days")
	u.presses(kb.Tab)
	u.clicks(".buttons button", "Save")
	u.sees(`[role="status"]`, "Saved.")
	u.goes("/tables/crosswalks?crosswalk=transit_to_ports")
	u.sees("tbody td .el-select", "DK Denmark")
	u.holdsValue(`[aria-label="Result in row 1"]`, "3 days")
}
