package e2e

import (
	"testing"

	"github.com/chromedp/chromedp"
	"github.com/chromedp/chromedp/kb"

	"codicil/core/rule"
)

// when gives a rule a condition.
func when(text string) func(*rule.Body) { return func(b *rule.Body) { b.When = text } }

// Two rules that want their turn for one document are told with that document, which stands on the
// plan with one key; who has looked at it leaves it as it is, with a reason.
func TestAFindingComesWithItsDocumentAndIsSilenced(t *testing.T) {
	u := open(t, "/findings")
	u.sees(".page", "Rush freight for company 30 ends on")
	u.inForce("vendor", rule.Substitute, "clerk", rule.Effect{Value: `"HELEN"`}, when("credit_limit > 100000"))
	u.inForce("vendor", rule.Substitute, "clerk", rule.Effect{Value: `"MARTIN"`}, when(`country = "JP"`))
	u.goes("/findings")
	overlap := `[data-code="overlap"]`
	u.sees(overlap+" .what", "have the same priority and both apply")
	u.sees(overlap+" .shown", "Country JP")
	u.tabsTo("Show on the plan")
	u.presses(kb.Enter)

	// The plan shows it: the older rule acts, the other is beaten, and both are marked.
	u.sees(station("clerk", "result"), "HELEN")
	u.sees(".pane .order", "beaten")
	u.sees(".findings", "have the same priority and both apply")
	u.runs(`document.querySelector('[data-field="clerk"] [data-station="substitute"] .found') !== null`)

	u.goes("/findings")
	u.clicks(overlap+" .do .plain", "Silence…")
	u.cursorIsOn("Reason to leave it as it is")
	u.presses("Helen keeps the large ones, also in Japan")
	u.presses(kb.Enter)
	u.sees(".aside summary", "Silenced (1)")
	u.clicks(".aside summary", "")
	u.sees(".aside .finding", "Helen keeps the large ones, also in Japan")
	u.goes("/plan?company=10&type=TRAD")
	u.sees(station("clerk", "substitute"), "HELEN")
	u.seesNo(".findings", "")
	u.goes("/findings")
	u.clicks(".aside summary", "Silenced (1)")
	u.clicks(".aside .do .plain", "Restore")
	u.sees("section "+overlap, "both apply")
}

// While a rule is written it is told what would come of it, before it is in force.
func TestARuleThatCanNeverActIsToldWhileItIsWritten(t *testing.T) {
	u := open(t, "/plan?company=10&type=SERV")
	u.sees(station("language", "default"), "if Country is DK")
	u.inForce("vendor", rule.Default, "buyer", rule.Effect{Value: `"A"`, Lifetime: rule.WheneverBlank}, when(`country = "DE" and country = "FR"`))
	u.goes("/plan?company=10&type=SERV&field=buyer&family=default")
	u.sees(".pane .found", "can never act")
	u.sees(".pane .found .because", "acts only where Country is")
	u.clicks(".pane .modes button:last-child", "Formula")
	u.clicks(`.pane .cm-content`, "")
	u.presses("a", chromedp.KeyModifiers(chromedp.ModifierCtrl))
	u.presses(`country = "DE"`)
	u.seesNo(".pane .found .what", "can never act")
}

// The saved records tell of rules: of values that no record has.
func TestTheRecordsAreLookedOverForWhatRulesName(t *testing.T) {
	u := open(t, "/findings")
	u.inForce("vendor", rule.Default, "buyer", rule.Effect{Value: `"A"`, Lifetime: rule.WheneverBlank}, when(`city = "Nowhere by Sea"`))
	u.goes("/findings")
	u.clicks(".button", "Look over the records")
	u.sees(`[data-code="value-nowhere"]`, "names City Nowhere by Sea, and no record that it holds for has that")

	// What was found stays, and is a run with the others.
	u.clicks(".looked a", "Looked over")
	u.sees("[aria-label='What the run found'] h2", "Findings in the records")
	u.sees("[aria-label='What the run found'] td", "names City Nowhere by Sea")
	u.clicks("[aria-label='What the run found'] .button", "Open the findings")
	u.sees(`[data-code="value-nowhere"]`, "names City Nowhere by Sea, and no record that it holds for has that")
}

// The first screen is what waits, each a step from being done.
func TestWhatWaitsIsAStepFromDone(t *testing.T) {
	u := open(t, "/")
	u.sees(".waiting h1", "To do")
	u.sees(`[aria-label="Failing proofs"]`, "Payment terms: expected N60, came out N30")
	u.sees(`[aria-label="Coming up"]`, "Rush freight for company 30 ends on")
	u.sees(`[aria-label="Drafts"]`, "not finished: there is no field or name")
	u.sees(`[aria-label="Rules that are not proved"]`, "proved both ways")

	u.clicks(`[aria-label="Failing proofs"] a`, "Alpin gives German vendors sixty days")
	u.sees("h1", "Proofs for")
	u.sees(".differences", "N60")
	u.clicks(".wordmark", "")
	u.tabsTo("For vendors in 40 Brinewell Alpin, refuse unless clerks in (\"URSINA\", \"RETO\").")
	u.presses(kb.Enter)
	u.sees(".pane .life", "draft")
	u.clicks(".pane .button", "Discard")
	u.clicks(".wordmark", "")
	u.sees(`[aria-label="Failing proofs"]`, "Alpin")
	u.seesNo(`[aria-label="Drafts"]`, "")
}
