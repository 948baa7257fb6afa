package e2e

import (
	"fmt"
	"testing"

	"github.com/chromedp/chromedp"
	"github.com/chromedp/chromedp/kb"
	"github.com/stretchr/testify/require"

	"codicil/e2e/browser"
)

const password = "four herons on one pier"

// first makes the first administrator, by keys alone.
func (u *user) first() {
	u.t.Helper()
	word, err := u.application.First()
	require.NoError(u.t, err)
	u.sees("h1", "Make the first administrator")
	u.types(word)
	for _, text := range []string{"Moya Keane", "moya", password} {
		u.presses(kb.Tab)
		u.types(text)
	}
	u.presses(kb.Enter)
	u.sees(".person > .plain", "Moya Keane")
}

// out signs the person out.
func (u *user) out(name string) {
	u.t.Helper()
	u.clicks(".person > .plain", name)
	u.clicks(".person .list button", "Sign out")
	u.sees("h1", "Sign in")
}

func (u *user) signsIn(name, word string) {
	u.t.Helper()
	u.runs(`document.querySelector("input[autocomplete=username]").focus() ?? true`)
	u.types(name)
	u.presses(kb.Tab)
	u.types(word)
	u.presses(kb.Enter)
}

// Who comes first makes themselves the administrator with the word of the console, lets another person in, who chooses a password
// with a one-time word and sees only what is theirs.
func TestTheFirstPersonLetsOthersIn(t *testing.T) {
	u := begin(t, "/", browser.Setup{Empty: true, SignIn: true})
	u.first()
	u.goes("/persons")
	u.clicks(".button.first", "New person")
	u.sees("dialog h2", "New person")
	u.runs(`document.querySelector("dialog input").focus() ?? true`)
	u.types("Jun Aoki")
	u.presses(kb.Tab)
	u.types("jun.aoki")
	u.picks("dialog .el-select", "Operator")
	u.clicks("dialog h2", "New person")
	u.clicks("dialog .tick", "In all companies")
	u.clicks("dialog .button.first", "Save")
	u.sees(".word", "Give Jun Aoki this word")
	word, err := browser.Ask(u.page, chromedp.Evaluate[string](`document.querySelector(".word code").innerText`))
	require.NoError(t, err)
	require.Regexp(t, `^[A-Z2-7]{5}(-[A-Z2-7]{1,5})+$`, word)
	u.sees("[aria-label=Persons] td", "No password yet")
	u.out("Moya Keane")

	u.signsIn("jun.aoki", "guessed")
	u.sees("[role=alert]", "this does not fit")
	u.clicks("button", "I have a one-time word")
	u.sees("h1", "Choose a password")
	u.types(word)
	u.runs(`document.querySelector("input[type=password]").focus() ?? true`)
	u.types("password1234")
	u.presses(kb.Enter)
	u.sees("[role=alert]", "one of the first that somebody would try")
	u.runs(`document.querySelector("input[type=password]").select() ?? true`)
	u.types(password)
	u.presses(kb.Enter)
	u.sees(".person > .plain", "Jun Aoki")
	u.seesNo("nav", "Rules")
	u.sees("nav", "Records")
	u.goes("/persons")
	u.sees("[role=alert]", "Keep persons, roles and keys")
	u.out("Jun Aoki")
	u.signsIn("moya", password)
	u.sees(".person > .plain", "Moya Keane")
	u.sees("nav", "Rules")
}

// A session that ends while somebody keys loses nothing: they sign in again and go on.
func TestASessionThatEndsLosesNothing(t *testing.T) {
	u := begin(t, "/", browser.Setup{SignIn: true})
	require.NoError(t, u.application.Let("moya.keane", password))
	u.sees("h1", "Sign in")
	u.signsIn("moya.keane", password)
	u.sees("h1", "To do")
	u.goes("/records/vendor/new?company=10&type=SERV")
	u.fills("name", "Harbour Survey Co")
	u.sees("aside", "Not yet right")
	u.clicks(`[data-address="email"] input`, "")
	u.types("office@harbour.example")
	require.NoError(t, u.application.EndSessions("moya.keane"))
	u.presses(kb.Tab)
	u.sees("dialog h1", "Your session has ended")
	u.sees("dialog", "Nothing you typed is lost")
	u.runs(`document.querySelector("dialog input[type=password]").focus() ?? true`)
	u.types(password)
	u.presses(kb.Enter)
	u.seesNo("dialog h1", "Your session has ended")
	u.holds("name", "Harbour Survey Co")
	u.holds("email", "office@harbour.example")
}

// In the demo one becomes another person in one click, and sees only what is theirs.
func TestAPersonOfTheDemoSeesOnlyTheirs(t *testing.T) {
	u := begin(t, "/records/vendor", browser.Setup{Demo: true})
	u.sees(".records", "V10001")
	u.clicks(".person > .plain", "Moya Keane")
	u.clicks(".person .list button", "Jun Aoki")
	u.sees(".person > .plain", "Jun Aoki")
	u.goes("/records/vendor")
	u.sees(".records", "V30001")
	u.seesNo(".records", "V10001")
	u.sees(".count", "9")
	u.goes("/records/vendor/V10001")
	u.sees("[role=alert]", "V10001 does not exist")
	u.clicks(".person > .plain", "Jun Aoki")
	u.clicks(".person .list button", "Petra Vance")
	u.sees(".person > .plain", "Petra Vance")
	u.goes("/records/vendor/V10001")
	u.holds("name", "Skerry Sacks")
	u.seesNo(".actions", "Save")
	u.seesNo(".actions", "Delete")
	u.goes("/plan?company=10&type=SERV&field=name&family=default")
	u.sees(".pane", "No default rule here")
	u.seesNo(".pane", "Write a rule")
}

// A role is composed, a key is made and revoked, and the trail tells of both and is whole.
func TestRolesKeysAndTheTrail(t *testing.T) {
	u := begin(t, "/persons", browser.Setup{Demo: true})
	u.clicks(".button", "New role")
	u.sees("form", "Name of the role")
	u.runs(`document.querySelector(".editing input").focus() ?? true`)
	u.types("Keeper of vendors")
	u.clicks(".editing label", "Enter and change records")
	u.clicks(".button.first", "Save role")
	u.sees("[aria-label=Roles] td", "Keeper of vendors")
	u.goes("/account")
	u.clicks(".button", "New key")
	u.runs(`document.querySelector(".making input").focus() ?? true`)
	u.types("Nightly load")
	u.clicks(".making label", "See ledgers")
	u.clicks(".button.first", "Make the key")
	u.sees(".token", "codicil_")
	u.sees("[aria-label='Keys of programs'] td", "Nightly load")
	u.clicks("[aria-label='Keys of programs'] button", "Revoke")
	u.sees("[aria-label='Keys of programs'] td", "Revoked")
	u.goes("/trail")
	u.sees("td", "Keeper of vendors: records.change")
	u.sees("td", "revoked")
	u.clicks(".button", "Verify")
	u.sees("[role=status]", "The trail is whole")
	u.runs(`document.querySelector("input[aria-label='Find in the trail']").focus() ?? true`)
	u.types("Nightly")
	u.seesNo("td", "Keeper of vendors")
	u.sees("td", "Nightly load")
}

// People sign in with the provider: whom it knows and who is new come in, whom it gives nothing is told so, and who signs in
// in another tab goes on in the first, where their session had ended.
func TestPeopleSignInWithTheProvider(t *testing.T) {
	u := begin(t, "/records/vendor?company=30", browser.Setup{SignIn: true, Provider: true})
	with := func(u *user, name string) {
		u.clicks("button", "Sign in with Brinewell ID")
		u.sees("h1", "Brinewell ID")
		u.clicks("button", name)
	}
	u.sees("h1", "Sign in")
	with(u, "Do not sign in")
	u.sees("h1", "You were not signed in")
	u.clicks(".button", "Back")
	with(u, "Odo Marsh")
	u.sees("[role=alert]", "Brinewell ID gives you no role here")
	u.clicks(".button", "Back")
	with(u, "Nell Farrow")
	u.sees(".person > .plain", "Nell Farrow")
	u.out("Nell Farrow")
	u.goes("/records/vendor?company=30")
	with(u, "Jun Aoki")
	u.sees(".records", "V30001")
	u.seesNo(".records", "V10001")

	u.goes("/records/vendor/new?company=30&type=SERV")
	u.fills("name", "Harbour Survey Co")
	u.clicks(`[data-address="email"] input`, "")
	u.types("office@harbour.example")
	require.NoError(t, u.application.EndSessions("jun.aoki"))
	u.presses(kb.Tab)
	u.sees("dialog h1", "Your session has ended")
	u.sees("dialog button", "Sign in with Brinewell ID")
	other := u.beside("/")
	with(other, "Jun Aoki")
	other.sees(".person > .plain", "Jun Aoki")
	u.seesNo("dialog h1", "Your session has ended")
	u.holds("name", "Harbour Survey Co")
	u.holds("email", "office@harbour.example")
}

// Whoever signs in: what their screens ask for is theirs.
func TestNobodysScreensAskForWhatIsNotTheirs(t *testing.T) {
	u := begin(t, "/", browser.Setup{Demo: true})
	now := "Moya Keane"
	for _, who := range []struct{ name, company, number string }{{"Tobias Rell", "10", "V10001"}, {"Ines Carrow", "10", "V10001"}, {"Jun Aoki", "30", "V30001"}, {"Petra Vance", "10", "V10001"}, {"Moya Keane", "10", "V10001"}} {
		u.clicks(".person > .plain", now)
		u.clicks(".person .list button", who.name)
		u.sees(".person > .plain", who.name)
		now = who.name
		count, err := browser.Ask(u.page, chromedp.Evaluate[int](`document.querySelectorAll("nav[aria-label=Screens] a").length`))
		require.NoError(t, err)
		for i := range count {
			u.runs(fmt.Sprintf(`document.querySelectorAll("nav[aria-label=Screens] a")[%d].click() ?? true`, i))
			u.runs(fmt.Sprintf(`document.querySelectorAll("nav[aria-label=Screens] a")[%d].classList.contains("here")`, i))
			u.sees("main", "")
		}
		u.goes("/records/vendor/" + who.number)
		u.sees(".form .field-label", "Name")
		u.goes("/records/vendor/new?type=SERV&company=" + who.company)
		u.sees(".form .field-label", "Name")
		u.goes("/account")
		u.sees("h2", "Where you are signed in")
		require.Empty(t, u.application.Refused(), who.name)
	}
}

// Two people at one record see each other, and what the other saves, without asking; nothing typed is taken away.
func TestTwoPeopleAtOneRecord(t *testing.T) {
	moya := begin(t, "/records/vendor/V30001", browser.Setup{SignIn: true})
	for _, name := range []string{"moya.keane", "jun.aoki"} {
		require.NoError(t, moya.application.Let(name, password))
	}
	jun := moya.elsewhere("/records/vendor/V30001")
	moya.sees("h1", "Sign in")
	moya.signsIn("moya.keane", password)
	moya.sees("h1", "V30001")
	jun.sees("h1", "Sign in")
	jun.signsIn("jun.aoki", password)
	jun.sees(".present", "Moya Keane is here too")
	moya.sees(".present", "Jun Aoki is here too")
	jun.fills("city", "Howth")
	moya.sees(".present", "Jun Aoki is changing this")
	jun.clicks(".button", "Save")
	jun.sees("[role=status]", "Saved.")
	moya.sees("[role=status]", "Jun Aoki changed this just now.")
	moya.holds("city", "Howth")

	// Whoever is typing keeps what they typed, and decides.
	moya.fills("city", "Malahide")
	jun.sees(".present", "Moya Keane is changing this")
	jun.fills("street", "Harbour Road 4")
	jun.clicks(".button", "Save")
	moya.sees(".notice", "Jun Aoki saved this record meanwhile")
	moya.holds("city", "Malahide")
	moya.clicks(".button", "Look at both changes")
	moya.sees(".merge", "Harbour Road 4")
	moya.clicks(".button", "Save both changes")
	moya.sees("[role=status]", "Saved.")
	jun.sees("[role=status]", "Moya Keane changed this just now.")
	jun.holds("city", "Malahide")
	jun.holds("street", "Harbour Road 4")
	jun.goes("/records/vendor")
	moya.seesNo(".present", "Jun Aoki")

	// A list shows what is saved elsewhere.
	moya.fills("name", "Kaisan Rope Works")
	moya.clicks(".button", "Save")
	jun.sees(".records", "Kaisan Rope Works")
}

// Two people at one rule, likewise.
func TestTwoPeopleAtOneRule(t *testing.T) {
	moya := begin(t, "/plan?company=10&type=SERV&field=payment_terms&family=default", browser.Setup{SignIn: true})
	for _, name := range []string{"moya.keane", "tobias.rell"} {
		require.NoError(t, moya.application.Let(name, password))
	}
	tobias := moya.elsewhere("/plan?company=10&type=SERV&field=payment_terms&family=default")
	moya.sees("h1", "Sign in")
	moya.signsIn("moya.keane", password)
	moya.sees(".pane .life", "version")
	tobias.sees("h1", "Sign in")
	tobias.signsIn("tobias.rell", password)
	tobias.sees(".pane .present", "Moya Keane is here too")

	// What is typed and not taken yet stays, too.
	writes := func(u *user, condition string) {
		u.clicks(".pane [role=tab]", "Formula")
		u.clicks(".pane .cm-content", "")
		u.presses("a", chromedp.KeyModifiers(chromedp.ModifierCtrl))
		u.types(condition)
	}
	saves := func(u *user, why string) {
		u.presses("s", chromedp.KeyModifiers(chromedp.ModifierCtrl))
		u.sees(".pane .asks", "needs a reason")
		u.runs(`!!document.activeElement?.matches(".reason")`)
		u.types(why)
		u.presses(kb.Enter)
	}
	writes(moya, `country = "DE"`)
	tobias.sees(".pane .present", "Moya Keane is changing this")
	writes(tobias, `country = "IE"`)
	saves(tobias, "Only here")
	moya.sees(".pane .overtaken", "Tobias Rell saved version 3")
	moya.sees(".pane .cm-content", `"DE"`)
	moya.clicks(".pane .overtaken button", "Continue with mine")
	moya.clicks(".pane .cm-content", `"DE"`)
	saves(moya, "Only there")
	tobias.sees(".pane .cm-content", `"DE"`)
	tobias.sees("[data-station=default]", "when Country is DE")
}

// What is personal of a vendor is blanked on request, after a look at what goes and what stays.
func TestPersonalValuesAreBlanked(t *testing.T) {
	u := begin(t, "/tables/fields?kind=vendor", browser.Setup{Demo: true})
	u.sees("td", "Trading as")
	u.clicks(`input[aria-label="City is personal"]`, "")
	u.runs(`document.querySelector('input[aria-label="City is personal"]').checked === false`)
	u.goes("/records/vendor/V10001")
	u.holds("name", "Skerry Sacks")
	u.clicks(".actions button", "Blank personal values")
	u.sees("dialog p", "Account holder, Bank account, E-mail, Name")
	u.seesNo("dialog p", "City")
	u.sees("dialog .stays", "A1000010")
	u.types("Asked by letter, 12 November")
	u.presses(kb.Enter)
	u.sees("dialog h2", "Personal values are blanked")
	u.seesNo("dialog .stays", "Skerry")
	u.clicks("dialog button", "Close")
	u.seesNo("h1", "Skerry")
	u.holds("city", "Port Carrow")
	u.runs(`document.querySelector('[data-address="email"] input').value === ""`)
	u.sees("aside", "blanked")
	u.goes("/trail")
	u.sees("td", "Asked by letter, 12 November")
}

// A passkey is added, signs in by itself, and no more once it is removed.
func TestAPasskeySignsIn(t *testing.T) {
	u := begin(t, "/account", browser.Setup{SignIn: true, Named: true})
	require.NoError(t, u.page.Device())
	require.NoError(t, u.application.Let("moya.keane", password))
	u.sees("h1", "Sign in")
	u.signsIn("moya.keane", password)
	u.sees("h1", "Moya Keane")
	u.runs(`document.querySelector("[aria-label=Passkeys] input").focus() ?? true`)
	u.types("Desk")
	u.presses(kb.Tab)
	u.types("guessed at random")
	u.presses(kb.Enter)
	u.sees("[aria-label=Passkeys] [role=alert]", "does not fit")
	u.runs(`document.querySelector("[aria-label=Passkeys] input[type=password]").focus() ?? true`)
	u.types(password)
	u.presses(kb.Enter)
	u.sees("[aria-label=Passkeys] td", "Desk")
	u.sees("[aria-label=Passkeys] td", "Never")
	u.out("Moya Keane")
	u.clicks("button", "Sign in with a passkey")
	u.sees(".person > .plain", "Moya Keane")
	u.goes("/account")
	u.seesNo("[aria-label=Passkeys] td", "Never")
	u.clicks("[aria-label=Passkeys] button", "Remove")
	u.seesNo("[aria-label=Passkeys] td", "Desk")
	u.out("Moya Keane")
	u.clicks("button", "Sign in with a passkey")
	u.sees("[role=alert]", "this does not fit")
}
