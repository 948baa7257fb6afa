package e2e

import (
	"fmt"
	"net/http"
	"testing"

	"github.com/chromedp/chromedp/kb"

	"codicil/core/judge"
	"codicil/core/rule"
	"codicil/internal/contract"
)

// What a rule would do to existing records is long work: it is left, found again, read with the values before and
// after, and removed.
func TestTheEffectOfARuleIsARunThatIsComeBackTo(t *testing.T) {
	u := open(t, "/runs")
	u.sees(".empty", "Nothing has run yet")
	var made contract.RuleView
	u.calls(http.MethodPost, "/rules", contract.RuleChange{Body: rule.Body{Kind: "vendor", Family: rule.Substitute, Target: "payment_terms", On: rule.Occasions{New: true, Change: true}, Effect: rule.Effect{Value: `"N60"`}}}, &made)
	u.goes(fmt.Sprintf("/plan?rule=%d", made.ID))
	u.clicks(".impact .ask", "Effect on existing records")
	u.sees(".impact [role=status]", "Of 46 in its scope it would refuse 0 and change 44")
	u.sees(".impact li", "Payment terms N30 → N60")
	u.clicks(".impact a", "All with their values before and after")
	u.sees(".found h2", "Payment terms becomes N60")
	u.sees(".found tr", "Skerry Sacks & Closures Ltd 10 TRAD")
	u.sees(".found .before", "N14")

	u.goes("/")
	u.sees("section[aria-label=Runs] li", "Effect on existing records: Vendor · Payment terms becomes N60")
	u.runs(`document.querySelector("section[aria-label=Runs] a").focus() ?? true`)
	u.presses(kb.Enter)
	u.sees(".found tr", "Skerry Sacks & Closures Ltd")
	u.clicks(".found .button", "Remove")
	u.sees(".empty", "Nothing has run yet")
}

// A rule tells whether it still does something, so that one knows whether it may go.
func TestARuleTellsWhetherItStillActs(t *testing.T) {
	u := open(t, "/plan?rule=1")
	u.sees(".used", "It acted in 36 saves and postings since 1 Dec 2025")
	made := u.inForce("vendor", rule.Default, "telephone", rule.Effect{Value: `"+353 1 555 0100"`, Lifetime: rule.NewOnly})
	u.goes(fmt.Sprintf("/plan?rule=%d", made.ID))
	u.sees(".used", "It has not acted in a save or posting since")
	u.sees(".used", "no records hold a value it gave")
	u.calls(http.MethodPost, "/records", contract.SaveRequest{Document: judge.Document{Kind: "vendor", Company: "10", Type: "SERV", Day: "2026-11-24", Entered: map[string]judge.Item{
		"name": {Value: "Lantern Surveys"}, "country": {Value: "IE"}, "control_account": {Value: "211000"}, "payment_method": {Value: "CARD"}, "email": {Value: "a@b.example"},
	}}}, new(contract.SaveAnswer))
	u.goes(fmt.Sprintf("/plan?rule=%d", made.ID))
	u.sees(".used", "It acted in 1 save or posting since")
	u.sees(".used", "1 record holds a value it gave")
	u.goes("/rules?kind=vendor")
	u.clicks("th button", "Acted")
	u.sees("tbody tr:first-child", "never")
}
