package e2e

import (
	"testing"

	"codicil/e2e/browser"
)

// An administrator uses another country, calls it otherwise in one company, and learns why an entry cannot
// go.
func TestAChoiceListIsNarrowedAndRenamed(t *testing.T) {
	u := begin(t, "/tables/lists", browser.Setup{Demo: true})
	u.sees("tbody", "ISO 3166-1")
	u.clicks("td .plain", "Countries")
	u.sees(".tools", "12 of 249 can be chosen")
	u.writes("Find a code or label", "Netherl")
	u.sees(".rows", "")
	u.clicks(`[aria-label="NL is used"]`, "")
	u.sees(".tools", "13 of 249 can be chosen")
	u.clicks(".buttons button", "Save")
	u.sees(`[role="status"]`, "Saved.")
	u.picks(".tools .el-select", "40 Brinewell Alpin")
	u.clicks(`[aria-label="What 40 calls NL"]`, "")
	u.types("Niederlande")
	u.presses("\t")
	u.clicks(".buttons button", "Save")
	u.sees(`[role="status"]`, "Saved.")
	// What the company calls it is what it reads and writes.
	u.goes("/records/vendor/new?company=40&type=SERV")
	u.fills("country", "Niederl")
	u.holds("country", "NL Niederlande")
	u.goes("/tables/lists?list=countries")
	u.holdsValue(`[aria-label="Label in row 1"]`, "Andorra")
	u.writes("Find a code or label", "Ireland")
	u.clicks(`[aria-label="Remove IE"]`, "")
	u.sees(".held", "IE is held by")
	u.sees(".held", "so it cannot go")
}

// A kind of one's own is made without a line of code, and takes records, rules and searches like any.
func TestAKindIsMadeAndUsed(t *testing.T) {
	u := begin(t, "/tables/kinds", browser.Setup{Demo: true})
	u.sees("tbody", "Accounting documents")
	u.clicks("button", "Add a kind")
	u.sees("h2", "First fields")
	u.types("Berth")
	u.clicks("button", "Add a field")
	u.types("Depth")
	u.picks(`tbody tr:nth-child(2) .el-select`, "Number")
	u.clicks("button", "Make the kind")
	u.sees("h1", "Berths")
	u.sees("a.button", "Fields (2)")
	u.goes("/records/berth/new?company=10&type=STD")
	u.fills("name", "North quay 4")
	u.fills("depth", "7")
	u.clicks(".actions .button", "Save")
	u.sees(".done", "Saved as BE100001.")
	u.goes("/plan?kind=berth&company=10&type=STD")
	u.sees("body", "Depth")
}

// What records bear out waits on the plan, and becomes a rule.
func TestAProposalWaitsOnThePlan(t *testing.T) {
	u := begin(t, "/rules", browser.Setup{Demo: true})
	u.clicks("a", "Learn from records")
	u.sees(".empty", "Nobody has looked through")
	u.clicks("button", "Look through the records")
	u.sees(".proposal", "bear it out")
	u.clicks(".proposal .evidence button", "not")
	// An exception is put right in place, by the same rules as on its form.
	u.clicks(".exceptions button", "Use")
	u.sees(`.exceptions [role="alert"]`, "Give the reason if it is right")
	u.writes("Reason for Country of V20008", "Registered abroad")
	u.clicks(".exceptions button", "Save with this reason")
	u.sees(`.exceptions [role="status"]`, "Saved")
	u.clicks(".proposal .deeds button", "Leave alone")
	u.types("It is decided one by one")
	u.clicks(".leaving button", "Leave it alone")
	u.picks(".which", "Left alone (1)")
	u.sees(".proposal", "It is decided one by one")
	u.goes("/plan?kind=vendor&company=10&type=SERV")
	u.clicks(".proposed button", "Show where")
	u.clicks("a.waiting", "+")
	u.sees("h1", "Learned from")
	u.clicks(".proposal .deeds button", "Make a draft")
	u.sees(".made", "proof")
	u.clicks(".made a", "Draft")
	u.sees(".pane", "bear it out")
}
