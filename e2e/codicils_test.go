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
	moya.sees(".lines", "fail with it")
	moya.clicks(".deeds button", "Sign")
	moya.sees(".deeds [role=alert]", "proofs fail with it")
	moya.types("The proofs are accepted anew after it.")
	moya.presses(kb.Enter)
	moya.sees(".state", "Agreed")
	moya.sees(".signatures", "The proofs are accepted anew after it.")
	// A later change takes the signature away; she reads it again.
	tobias.goes(termsOfServices)
	tobias.writesCondition(`country = "DE" and is filled(city)`)
	tobias.sees("[data-field=payment_terms] [data-station=default]", "City")
	moya.sees(".state", "Submitted")
	moya.sees(".signatures", "Taken away by a later change")
	moya.sees(".changes ins", "City is filled")
	tobias.writesCondition(`country = "DE"`)
	moya.seesNo(".changes ins", "City is filled")
	moya.sees(".lines", "fail with it")
	moya.clicks(".deeds button", "Sign")
	moya.sees(".deeds [role=alert]", "proofs fail with it")
	moya.types("As before.")
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
	moya.sees(".signatures", "As before.")
	moya.sees(".lines", "fail with it")
	moya.sees(".changes ins", "when Country is DE")
}

// Who must sign is shown what it would do to what was posted, both ways side by side; what they read stays with the signature.
func TestACodicilIsTriedOnWhatWasPosted(t *testing.T) {
	u := begin(t, "/codicils?state=submitted", browser.Setup{Demo: true})
	u.clicks("td a", "The export declaration is charged")
	u.sees(".signatures", "a full replay tells whether it is needed")
	u.sees(".lines", "It has not been replayed on existing records.")
	u.clicks(".replay button", "Replay")
	u.sees(".lines", "Amounts of 9 posted documents would change")
	u.sees(".replay td", "75.00 DKK")
	u.sees(".signatures", "1 as Signer: It changes amounts that were posted missing")
	u.clicks(".replay a", "SO100002")
	u.sees("td", "646.10")
	u.sees("td", "661.10")
	u.sees("p", "It is judged as it was entered, by what was read then.")
	u.clicks("a", "Back to codicil")
	u.clicks(".deeds button", "Sign")
	u.types("Finn has written to the customers.")
	u.presses(kb.Enter)
	u.sees(".state", "Agreed")
	u.clicks(".signatures summary", "What was read")
	u.sees(".signatures details", "Amounts of 9 posted documents")

	// Only some time is looked at; that is said, and found among the runs.
	u.goes("/codicils/17")
	u.sees(".replay", "Existing records")
	u.runs(`document.querySelector('[aria-label="Posted from"]').focus() ?? true`)
	u.types("1/6/2026")
	u.presses(kb.Tab)
	u.clicks(".replay button", "Replay")
	u.sees(".replay", "Only what was posted since 1 Jun 2026.")
	u.goes("/runs")
	u.sees("td", "Codicil 17")
}

// What must be signed by others is not put in force at once; what is urgent is, and owes it.
func TestWhatIsUrgentIsSignedLater(t *testing.T) {
	u := begin(t, "/codicils/signing", browser.Setup{Demo: true})
	u.sees("td", "It changes amounts that were posted")
	u.clicks("button", "Change")
	u.clicks("form button", "Add another")
	u.runs(`[...document.querySelectorAll("form input[maxlength='200']")].at(-1).focus() ?? true`)
	u.types("Two read whatever changes")
	u.picks("fieldset:last-of-type .fields div:nth-of-type(1)", "Signer")
	u.picks("fieldset:last-of-type .fields div:nth-of-type(2)", "2")
	u.clicks("form .button.first", "Save")
	u.sees("td", "2 as Signer")
	u.goes(termsOfServices)
	u.writesCondition(`country = "DE"`)
	u.cursorIsOn("Reason to put it in force")
	u.types("Only there")
	u.presses(kb.Enter)
	u.sees("[role=alert], .trouble", "Signer must sign it")

	u.goes("/codicils/16")
	u.clicks(".deeds button", "Put in force now")
	u.types("The harbour waits")
	u.presses(kb.Enter)
	u.sees("[role=alert]", "is not signed by all who must")
	u.clicks(".deeds button", "It is urgent")
	u.cursorIsOn("Reason")
	u.presses(kb.Enter)
	u.sees(".state", "In force")
	u.sees(".owed", "are owed until 27 Nov 2026")
	u.goes("/codicils")
	u.sees("td", "signatures owed until")
}

// A value that was given long ago leads to the codicil that brought its rule, with who asked for it and why.
func TestAValueIsExplainedAYearLater(t *testing.T) {
	u := begin(t, "/records/sales_order/SO100002", browser.Setup{Demo: true})
	require.NoError(t, u.application.Later(365*24*time.Hour))
	u.goes("/records/sales_order/SO100002")
	u.sees("h1", "SO100002")
	u.clicks(`[data-address="gross_total"]`, "")
	u.sees(".why .brought", "Brought by codicil")
	u.runs(`document.querySelector(".why .brought a").focus() ?? true`)
	u.presses(kb.Enter)
	u.sees(".state", "In force")
	u.sees(".changes", "Gross total")
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

	// What was is compared with what is.
	u.clicks("button", "Compare")
	u.sees(".compare", "1 field differs")
	u.sees(".row.other", "as in force")
	u.sees(".row.other", "when Country is DE")
}

// A standing value is compared row by row and taken back to what it was, as a change in a codicil.
func TestATableIsTakenBack(t *testing.T) {
	u := begin(t, "/tables/standing", browser.Setup{Demo: true})
	u.clicks("td .plain", "Rush freight")
	u.clicks(".history .plain", "History")
	u.sees(".history .change", "Rush freight of the Chandlery for 2027")
	u.sees(".history .change", "Rush freight of Brinewell Salt Works for 2027")

	u.picks(".history .bar", "20")
	u.seesNo(".history .change", "Rush freight of Brinewell Salt Works for 2027")
	u.sees(".history .change", "in 20 from")
	u.picks(".history .bar", "All rows")
	u.sees(".history .change", "Rush freight of Brinewell Salt Works for 2027")
	u.clicks(".history .plain", "Compare any two")
	u.sees(".history .compare ins", "in 10 from")
	u.sees(".history .compare ins", "in 20 from")

	u.clicks(".history .change:has(a[href]) .restore", "Back to this")
	u.sees("h1", "Rush freight as it was with codicil")
	u.sees(".changes", "in 20 from")
	u.clicks(".deeds button", "Put in force now")
	u.sees(".state", "In force")
}
