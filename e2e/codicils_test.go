package e2e

import (
	"testing"
	"time"

	"github.com/chromedp/chromedp"
	"github.com/chromedp/chromedp/kb"
	"github.com/stretchr/testify/require"

	"codicil/e2e/browser"
)

const termsOfServices = "/plan?company=10&type=SERV&field=payment_terms&family=default"

// writesCondition puts another condition into the rule that is open.
func (u *user) writesCondition(formula string) {
	u.t.Helper()
	u.clicks(".pane [role=tab]", "Formula")
	u.clicks(".pane .cm-content", "")
	u.presses("a", chromedp.KeyModifiers(chromedp.ModifierCtrl))
	u.types(formula)
	u.clicks(".pane button", "Save change")
}

// changesTermsAtOnce changes the rule that is open and in force, with a reason.
func (u *user) changesTermsAtOnce() {
	u.t.Helper()
	u.writesCondition(`country = "DE"`)
	u.cursorIsOn("Reason to put it in force")
	u.types("Only there")
	u.presses(kb.Enter)
}

// Two people work on one codicil; it is agreed to and comes into force at its time, for what is judged from then on.
func TestTwoPeopleBringACodicilIntoForce(t *testing.T) {
	tobias := begin(t, "/codicils", browser.Setup{SignIn: true})
	for _, name := range []string{"tobias.rell", "moya.keane"} {
		require.NoError(t, tobias.application.Let(name, password))
	}
	moya := tobias.elsewhere("/codicils")
	tobias.sees("h1", "Sign in")
	tobias.signsIn("tobias.rell", password)
	moya.sees("h1", "Sign in")
	moya.signsIn("moya.keane", password)

	// One begins it, by keys alone, and changes a rule with it.
	tobias.clicks(".button.first", "Begin a codicil")
	tobias.types("Terms of German services")
	tobias.presses(kb.Tab)
	tobias.types("Edda Karlsen")
	tobias.presses(kb.Tab)
	tobias.types("Others have terms of their own by now.")
	tobias.presses(kb.Enter)
	tobias.sees("h1", "Terms of German services")
	tobias.sees(".shown", "What you change goes into it")
	tobias.goes(termsOfServices)
	tobias.sees(".scope", "with codicil")
	tobias.sees(".pane .life", "version 2")
	tobias.writesCondition(`country = "DE"`)
	tobias.sees(".pane .life", "with codicil")
	tobias.sees("[data-field=payment_terms] [data-station=default]", "when Country is DE")

	// The other sees it, and the rule that is in force, which says who changes it.
	moya.sees("td", "Terms of German services")
	moya.goes(termsOfServices)
	moya.sees(".pane .also", "Terms of German services")
	moya.seesNo("[data-field=payment_terms] [data-station=default]", "when Country is DE")
	moya.picks(".by-rules", "Terms of German services")
	moya.sees("[data-field=payment_terms] [data-station=default]", "when Country is DE")
	moya.goes("/plan?company=10&type=SERV&field=payment_method&family=default")
	moya.sees(".pane .life", "version")
	moya.writesCondition(`country = "DE"`)
	moya.sees(".pane .life", "with codicil")

	// It is dated, submitted and agreed to.
	tobias.goes("/codicils")
	tobias.clicks("td a", "Terms of German services")
	tobias.sees(".changes", "Payment method")
	tobias.sees(".check", "proofs of what it touches fail with it")
	tobias.clicks("button", "Change title and reason")
	tobias.runs(`document.querySelector('[aria-label="Comes into force on"]').focus() ?? true`)
	tobias.types("24/11/2026")
	tobias.presses(kb.Tab)
	tobias.runs(`document.querySelector(".edit input[placeholder='00:00']:enabled")?.focus() === undefined && document.activeElement.placeholder === "00:00"`)
	tobias.types("9:50")
	tobias.presses(kb.Tab)
	tobias.clicks(".edit .button.first", "Save")
	tobias.sees(".dated", "24 Nov 2026, 09:50")
	tobias.clicks(".deeds button", "Submit")
	tobias.sees(".state", "Submitted")
	moya.goes("/codicils?state=submitted")
	moya.clicks("td a", "Terms of German services")
	moya.clicks(".deeds button", "Agree")
	moya.sees(".deeds [role=alert]", "proofs fail with it")
	moya.types("The proofs are accepted anew after it.")
	moya.presses(kb.Enter)
	moya.sees(".state", "Agreed")
	moya.clicks(".shown button", "Back to the rules in force")
	moya.goes(termsOfServices)
	moya.seesNo("[data-field=payment_terms] [data-station=default]", "when Country is DE")

	require.NoError(t, moya.application.Later(25*time.Minute))
	moya.sees("[data-field=payment_terms] [data-station=default]", "when Country is DE")
	moya.clicks(".pane button", "What its 3 versions were")
	moya.sees(".pane .history", "Terms of German services")
	moya.clicks(".pane .history a", "Terms of German services")
	moya.sees(".state", "In force")
	moya.sees(".text", "Accepted though")
	moya.sees(".changes ins", "when Country is DE")
}

// A single change takes no more steps than ever, is told by its codicil, and is taken back by another.
func TestACodicilIsTakenBack(t *testing.T) {
	u := begin(t, termsOfServices, browser.Setup{Demo: true})
	u.sees(".pane .life", "version 2")
	u.changesTermsAtOnce()
	u.sees(".pane .life", "version 3")
	u.goes("/codicils")
	u.sees("td .reason", "Only there")
	u.runs(`document.querySelector("td.title a").focus() ?? true`)
	u.presses(kb.Enter)
	u.sees(".changes", "when Country is DE")
	u.clicks(".deeds button", "Take it back")
	u.sees("h1", "taken back")
	u.sees(".changes ins, .changes del", "when Country is DE")
	u.clicks(".deeds button", "Put in force now")
	u.sees(".state", "In force")
	u.goes(termsOfServices)
	u.sees(".pane .life", "version 4")
	u.seesNo("[data-field=payment_terms] [data-station=default]", "when Country is DE")
}

// Of two codicils that change the same rule, the second to come is brought up to date.
func TestTwoCodicilsMeet(t *testing.T) {
	u := begin(t, "/plan?company=10&type=SERV", browser.Setup{Demo: true})
	for _, c := range []struct{ title, condition string }{{"First", `country = "DE"`}, {"Second", `country = "IE"`}} {
		u.picks(".by-rules", "with a new codicil")
		u.sees("dialog h2", "A new codicil")
		u.types(c.title)
		u.presses(kb.Enter)
		u.sees(".shown", c.title)
		u.goes(termsOfServices)
		u.sees(".pane .life", "version 2")
		u.writesCondition(c.condition)
		u.sees(".pane .life", "with codicil")
	}
	u.sees(".pane .also", "First")
	u.clicks(".pane .also a", "First")
	u.sees(".changes .others", "Second")
	u.clicks(".deeds button", "Put in force now")
	u.sees(".deeds [role=alert]", "proofs fail with it")
	u.types("It is meant so")
	u.presses(kb.Enter)
	u.sees(".state", "In force")
	u.goes("/codicils?state=open")
	u.clicks("td a", "Second")
	u.sees(".changes .overtaken", "Something else came into force")
	u.sees(".check", "something else came into force")
	u.clicks(".deeds button", "Put in force now")
	u.sees("[role=alert]", "this must be put right first")
	u.clicks(".changes button", "Keep this change")
	u.seesNo(".changes .overtaken", "Something else")
	u.sees(".changes del", "DE")
	u.sees(".changes ins", "IE")
	u.clicks(".changes button", "Take out")
	u.sees(".codicil .empty", "Nothing")
}

// Yesterday's plan is shown as it was, and takes no change.
func TestThePlanIsShownAsItWas(t *testing.T) {
	u := begin(t, termsOfServices, browser.Setup{Demo: true})
	u.sees(".pane .life", "version 2")
	u.changesTermsAtOnce()
	u.sees("[data-field=payment_terms] [data-station=default]", "when Country is DE")
	u.picks(".by-rules", "as it was on")
	u.sees("dialog h2", "As it was on a day")
	u.runs(`document.querySelector('dialog [aria-label="Day"]').focus() ?? true`)
	u.types("24/11/2026")
	u.presses(kb.Tab)
	u.clicks("dialog .button.first", "Show")
	u.sees("dialog .trouble, dialog [role=alert]", "is not over yet")
	u.runs(`document.querySelector('dialog [aria-label="Day"]').focus() ?? true`)
	u.types("23/11/2026")
	u.presses(kb.Tab)
	u.clicks("dialog .button.first", "Show")
	u.sees(".scope", "as it was on 23 Nov 2026")
	u.seesNo("[data-field=payment_terms] [data-station=default]", "when Country is DE")
	u.seesNo(".pane footer button", "")
	u.enters("country", "DE")
	u.sees(station("payment_terms", "result"), "N30")
}
