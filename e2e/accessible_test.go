package e2e

import (
	"os"
	"strings"
	"testing"

	"github.com/chromedp/chromedp"
	"github.com/stretchr/testify/require"

	"codicil/e2e/browser"
)

// accessible checks the page as it stands for what keeps people from using it who do not see it,
// or see it differently: names, roles, contrast.
func (u *user) accessible(view string) {
	u.t.Helper()
	axe, err := os.ReadFile("../web/node_modules/axe-core/axe.min.js")
	require.NoError(u.t, err, "run npm ci in web")
	_, err = browser.Ask(u.page, chromedp.Evaluate[bool](string(axe)+"; true"))
	require.NoError(u.t, err)
	// Transitions are over: a colour on its way is neither of the two.
	u.runs(`document.fonts.status === "loaded" && document.getAnimations().every(a => a.playState !== "running")`)
	found, err := browser.Ask(u.page, chromedp.Evaluate[[]string](`(async () => {
		const told = (r) => r.violations.flatMap(v => v.nodes.slice(0, 3).map(n =>
			v.id + " (" + v.nodes.length + "): " + n.failureSummary.replace(/\s+/g, " ") + " " + n.html.slice(0, 200)));
		const day = told(await axe.run(document, { resultTypes: ["violations"], preload: false }));
		document.documentElement.classList.toggle("night");
		const night = told(await axe.run(document, { resultTypes: ["violations"], runOnly: ["color-contrast"], preload: false }));
		document.documentElement.classList.toggle("night");
		return [...day, ...night.map(n => "by night: " + n)];
	})()`, chromedp.EvalAwaitPromise))
	require.NoError(u.t, err)
	require.Empty(u.t, found, view+": "+strings.Join(found, "\n"))
}

// view is a screen of the application in one state.
type view struct {
	name, path string
	wait       string        // what fits this selector is there when the view has loaded
	steps      func(u *user) // nil for none
}

// TestEveryMainViewIsAccessible goes through the views by subject, each subject as one person.
func TestEveryMainViewIsAccessible(t *testing.T) {
	for subject, views := range map[string][]view{
		"the plan": {
			{"plan", "/plan?kind=vendor&company=30&type=TRAD", `[data-station="substitute"] .phrase`, func(u *user) {
				u.enters("country", "JP")
				u.sees(".bar", "Would be refused")
			}},
			{"rule", "/plan?company=10&type=TRAD&field=payment_terms&family=default", ".pane .sentence", func(u *user) { u.sees(".proofs .state", "shown") }},
			{"formula", "/plan?company=10&type=SERV&field=clerk&family=default", `[data-station="default"]`, func(u *user) {
				u.sees(".pane .life", "New, not saved yet")
				u.clicks(".modes button", "Formula")
				u.runs(`document.querySelector(".cm-content") !== null`)
			}},
			{"plan with lines", "/plan?kind=sales_order&company=30&type=SO&field=lines.amount&family=compute", ".pane .sentence", nil},
			{"comparison", "/plan?kind=vendor&company=10&type=SERV", `[data-station="substitute"] .phrase`, func(u *user) {
				u.clicks(".top .button", "Compare")
				u.sees(".compare", "differ")
			}},
		},
		"rules and proofs": {
			{"to do", "/", ".waiting li", nil},
			{"findings", "/findings", ".finding", func(u *user) { u.clicks(".finding .do .plain", "Silence…") }},
			{"learned from records", "/rules/learned?kind=vendor", ".empty button", func(u *user) {
				u.clicks("button", "Look through the records")
				u.sees(".proposal", "bear it out")
			}},
			{"rules", "/rules", "tbody tr", func(u *user) { u.clicks(`[aria-label="Select rule 1"]`, "") }},
			{"proofs", "/proofs", ".differences", nil},
			{"board", "/proofs/confirmed", ".heat button", nil},
			{"report", "/proofs/report?kind=vendor&company=30&type=TRAD", ".report section", nil},
		},
		"records and the ledger": {
			{"records", "/records/accounting_document", ".box .row a", nil},
			{"order", "/records/sales_order/new?company=10&type=SO", ".form label", func(u *user) { u.order("C10001") }},
			{"vendor", "/records/vendor/V10001", ".form label", func(u *user) { u.sees("aside", "History") }},
			{"refused document", "/records/accounting_document/new?company=10&type=JE", ".form label", func(u *user) {
				u.posts()
				u.sees("aside", "Not yet right")
			}},
			{"postings", "/ledger?ledger=books", "td a", func(u *user) { u.clicks("td a", "") }},
			{"journal", "/ledger?ledger=books&view=journal", "tbody tr", nil},
			{"balances", "/ledger?ledger=books&view=account", "td a", nil},
		},
		"the desk": {
			{"where keying begins", "/desk", ".kinds a", nil},
			{"desk", "/desk/accounting_document?batch=1", ".desk-form h2", func(u *user) {
				u.fills("vendor", "V10002")
				u.fills("lines.1.account", "550000")
				u.sees(".balance", "Debits")
			}},
			{"its keys", "/desk/vendor?company=10&type=TRAD", ".desk-form h2", func(u *user) { u.clicks("footer .plain", "Change keys") }},
			{"a new batch", "/desk/batches?new=1", "form", nil},
			{"batch", "/desk/batches/1", ".progress", func(u *user) { u.clicks(".button", "Change") }},
		},
		"people": {
			{"persons", "/persons", "[aria-label=Persons] td", func(u *user) {
				u.clicks(".button", "New role")
				u.sees("form", "Name of the role")
			}},
			{"a person", "/persons", "[aria-label=Persons] td", func(u *user) {
				u.clicks("td .plain", "Jun Aoki")
				u.sees("dialog h2", "Jun Aoki")
			}},
			{"account", "/account", "h2", func(u *user) { u.clicks(".person > .plain", "Ada") }},
			{"trail", "/trail", "td", func(u *user) { u.clicks(".button", "Verify") }},
		},
		"many at once": {
			{"loads", "/loads", "tbody a", nil},
			{"load", "/loads/2", ".preview", nil},
			{"load checked", "/loads/2", ".preview", func(u *user) {
				u.clicks(".button", "Check all rows")
				u.sees(".counts", "Refused 12")
				u.sees("table tr", "Arklow Anchors")
			}},
			{"broken checks", "/breaks/vendor", "tbody tr", func(u *user) {
				u.clicks(".button.first", "Count now")
				u.sees("tbody tr", "none")
			}},
			{"derive again", "/derive/vendor?fields=discount_rate", ".sentence", func(u *user) {
				u.clicks(".button.first", "See what changes")
				u.sees(".counts", "would change")
				u.sees("tbody tr", "V10001")
			}},
			{"exact duplicates", "/duplicates/vendor", "tbody td", func(u *user) {
				looksForNames(u)
				u.sees(".ledger", "SLANEY")
				u.clicks(".button.first", "See what happens")
				u.sees(".counts", "To merge")
			}},
			{"similar duplicates", "/duplicates/vendor", "tbody td", func(u *user) {
				u.clicks("tbody .plain", "The same name in any company")
				u.clicks(".part", "Similar")
				u.sees(".sides", "Becomes")
			}},
			{"other fields to compare", "/duplicates/customer", ".page-head", func(u *user) {
				u.clicks(".button", "Compare other fields")
				u.sees("form", "Capitals, spaces and punctuation")
			}},
			{"merge", "/merge/vendor?numbers=V10009,V10014", ".sides td", nil},
			{"runs", "/runs", "tbody tr", func(u *user) {
				u.clicks("tbody .plain", "Broken checks")
				u.sees(".found", "Broken checks")
			}},
		},
		"tables": {
			{"companies", "/tables/companies", "tbody .plain", func(u *user) { u.clicks("tbody .plain", "10") }},
			{"types", "/tables/types", "tbody .plain", func(u *user) { u.clicks("tbody .plain", "TRAD") }},
			{"fields", "/tables/fields", "tbody code", func(u *user) { u.clicks(".page-head .button", "Add a field") }},
			{"layouts", "/tables/layouts?kind=vendor&company=30", ".chip", func(u *user) { u.clicks(`.chip[data-field="tax_number"]`, "") }},
			{"standing values", "/tables/standing", "tbody .plain", func(u *user) { u.clicks("tbody .plain", "") }},
		},
		"more tables": {
			{"crosswalks", "/tables/crosswalks", "tbody .plain", nil},
			{"crosswalk", "/tables/crosswalks?crosswalk=transit", ".rows tbody tr", nil},
			{"series", "/tables/series", "tbody .plain", func(u *user) {
				u.clicks("tbody .plain", "")
				u.sees(".next", "-")
			}},
			{"maps", "/tables/maps", "tbody .plain", func(u *user) { u.clicks("tbody .plain", "") }},
		},
		"lists, kinds and the start": {
			{"lists", "/tables/lists", "tbody .plain", nil},
			{"list", "/tables/lists?list=payment_terms", ".rows tbody tr", nil},
			{"kinds", "/tables/kinds", "tbody .plain", nil},
			{"new kind", "/tables/kinds", "tbody .plain", func(u *user) { u.clicks("button", "Add a kind") }},
			{"begin", "/start", ".ways", nil},
			{"step by step", "/start?way=steps", ".steps", nil},
		},
	} {
		t.Run(subject, func(t *testing.T) {
			u := open(t, "/")
			for _, v := range views {
				u.goes(v.path)
				u.runs("document.querySelector(" + quoted(v.wait) + ") !== null")
				if v.steps != nil {
					v.steps(u)
				}
				u.accessible(v.name)
			}
		})
	}
}
