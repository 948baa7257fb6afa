// Package e2e drives whole jobs of a user through the real interface. Every
// assertion is on what the page shows.
package e2e

import (
	"fmt"
	"os"
	"path/filepath"
	"strconv"
	"testing"
	"time"

	"github.com/chromedp/chromedp"
	"github.com/chromedp/chromedp/kb"
	"github.com/stretchr/testify/require"

	"codicil/e2e/browser"
)

// user is a person at a page.
type user struct {
	t           *testing.T
	page        *browser.Page
	application *browser.Application
}

// chromium is the one browser of all tests; each works in an application and as a person of its own.
var chromium *browser.Browser

func TestMain(m *testing.M) {
	os.Exit(func() int {
		if _, err := os.Stat("../web/dist/index.html"); err != nil {
			fmt.Fprintln(os.Stderr, "the web client is not built: run make build")
			return 1
		}
		var err error
		if chromium, err = browser.Launch(); err != nil {
			fmt.Fprintln(os.Stderr, err)
			return 1
		}
		defer chromium.Close()
		return m.Run()
	}())
}

// open starts a fresh application and opens a page of it.
func open(t *testing.T, path string) *user {
	t.Helper()
	return begin(t, path, browser.Setup{})
}

// openEmpty does the same without any data.
func openEmpty(t *testing.T, path string) *user {
	t.Helper()
	return begin(t, path, browser.Setup{Empty: true})
}

func begin(t *testing.T, path string, setup browser.Setup) *user {
	t.Helper()
	t.Parallel()
	application, err := chromium.Start(setup)
	require.NoError(t, err)
	t.Cleanup(application.Close)
	page, err := application.Page(path)
	require.NoError(t, err)
	t.Cleanup(page.Close)
	u := &user{t, page, application}
	t.Cleanup(func() { // CODICIL_PICTURES names a folder for pictures of failures
		if folder := os.Getenv("CODICIL_PICTURES"); t.Failed() && folder != "" {
			if png, err := page.Picture(); err == nil {
				_ = os.WriteFile(filepath.Join(folder, t.Name()+".png"), png, 0o600)
			}
		}
	})
	return u
}

// beside opens another tab of the same application, as another person.
func (u *user) beside(path string) *user {
	u.t.Helper()
	page, err := u.application.Page(path)
	require.NoError(u.t, err)
	u.t.Cleanup(page.Close)
	return &user{u.t, page, u.application}
}

// elsewhere opens the application in the browser of somebody else.
func (u *user) elsewhere(path string) *user {
	u.t.Helper()
	page, err := u.application.Elsewhere(path)
	require.NoError(u.t, err)
	u.t.Cleanup(page.Close)
	return &user{u.t, page, u.application}
}

// sees waits until an element that fits the selector shows the text.
func (u *user) sees(selector, text string) {
	u.t.Helper()
	require.NoError(u.t, u.page.Until(fmt.Sprintf(`[...document.querySelectorAll(%s)].some(e => e.checkVisibility() && (e.innerText ?? "").includes(%s))`, quoted(selector), quoted(text))))
}

// seesNo waits until no element that fits the selector shows the text.
func (u *user) seesNo(selector, text string) {
	u.t.Helper()
	require.NoError(u.t, u.page.Until(fmt.Sprintf(`![...document.querySelectorAll(%s)].some(e => e.checkVisibility() && (e.innerText ?? "").includes(%s))`, quoted(selector), quoted(text))))
}

// cursorIsOn waits until the element with the label has the focus.
func (u *user) cursorIsOn(label string) {
	u.t.Helper()
	require.NoError(u.t, u.page.Until(`document.activeElement?.getAttribute("aria-label") === `+quoted(label)))
}

// clicks clicks in the middle of the first visible element that fits the selector and shows the text.
func (u *user) clicks(selector, text string, options ...chromedp.MouseOption) {
	u.t.Helper()
	require.NoError(u.t, u.page.Click(selector, text, options...), "click %s %q", selector, text)
}

func (u *user) presses(keys string, options ...chromedp.KeyOption) {
	u.t.Helper()
	require.NoError(u.t, u.page.Do(chromedp.KeyEvent(keys, options...)))
}

// posts presses Ctrl+Enter.
func (u *user) posts() {
	u.t.Helper()
	u.presses(kb.Enter, chromedp.KeyModifiers(chromedp.ModifierCtrl))
}

// putsInForce puts the rule in the pane in force, with a reason: nothing proves it yet.
func (u *user) putsInForce() {
	u.t.Helper()
	u.clicks(".pane .button", "Put in force")
	u.sees(".pane [role=alert]", "needs a reason to be put in force")
	u.cursorIsOn("Reason to put it in force")
	u.types("agreed in a test")
	u.presses(kb.Enter)
	u.sees(".pane .life", "in force")
}

func entered(field string) string {
	return fmt.Sprintf(`[data-field="%s"] [data-station="entered"]`, field)
}

func station(field, family string) string {
	return fmt.Sprintf(`[data-field="%s"] [data-station="%s"]`, field, family)
}

// enters types a value into the test document and waits until it is taken.
func (u *user) enters(field, text string) {
	u.t.Helper()
	u.clicks(entered(field), "")
	u.types(text)
	u.presses(kb.Tab)
	u.sees(entered(field), text)
}

// types replaces what stands in the focused input: in an editor key by key, elsewhere at
// once, as a paste or an input method does. Who wants the keys one by one presses them.
func (u *user) types(text string) {
	u.t.Helper()
	require.NoError(u.t, u.page.Until(`document.activeElement?.matches("input, textarea, [contenteditable]")`))
	u.presses("a", chromedp.KeyModifiers(chromedp.ModifierCtrl))
	editor, err := browser.Ask(u.page, chromedp.Evaluate[bool](`document.activeElement.isContentEditable`))
	require.NoError(u.t, err)
	switch {
	case text == "" || editor:
		u.presses(kb.Delete + text)
	default:
		require.NoError(u.t, u.page.Insert(text))
	}
}

// empties clears an entered value.
func (u *user) empties(field string) {
	u.t.Helper()
	u.clicks(entered(field), "")
	u.types("")
	u.presses(kb.Tab)
	require.NoError(u.t, u.page.Until(`document.querySelector(`+quoted(entered(field))+`)?.innerText.trim() === ""`))
}

// chooses picks an option of a select by the select's label, where it is not chosen already.
// A long list is searched for it first.
func (u *user) chooses(label, option string) {
	u.t.Helper()
	wrapper := fmt.Sprintf(`.el-select:has([aria-label="%s"]) .el-select__wrapper`, label)
	showing := fmt.Sprintf(`document.querySelector(%s)?.innerText ?? ""`, quoted(wrapper))
	before, err := browser.Ask(u.page, chromedp.Evaluate[string](showing))
	require.NoError(u.t, err)
	u.takes(label, option, fmt.Sprintf(`(() => {
		const shown = %s;
		return shown !== %s || shown.includes(%s) || !document.querySelector(%s);
	})()`, showing, quoted(before), quoted(option), quoted(wrapper)))
}

// starts picks an option of a select that does something and shows no choice of its own.
// What it did is for the caller to look at.
func (u *user) starts(label, option string) {
	u.t.Helper()
	u.takes(label, option, "true")
}

// takes clicks an option of a select until it is marked as chosen, or its list has closed and
// taken is true. A list whose options have just come from the server may miss a click, or
// close without one.
func (u *user) takes(label, option, taken string) {
	u.t.Helper()
	done := fmt.Sprintf(`(() => {
		const e = [...document.querySelectorAll(".el-select-dropdown__item")].find(e => e.checkVisibility() && e.innerText.includes(%s));
		return e ? e.classList.contains("is-selected") : %s;
	})()`, quoted(option), taken)
	input := fmt.Sprintf(`document.querySelector('[aria-label=%s]')`, quoted(label))
	expanded := input + `?.getAttribute("aria-expanded") === "true"`
	for range 3 {
		if open, err := browser.Ask(u.page, chromedp.Evaluate[bool](expanded)); err != nil || !open {
			u.clicks(fmt.Sprintf(`.el-select:has([aria-label="%s"]) .el-select__wrapper`, label), "")
			u.runs(expanded)
		}
		if searched, err := browser.Ask(u.page, chromedp.Evaluate[bool](input+`.readOnly === false`)); err == nil && searched {
			u.presses(option)
		}
		u.clicks(`.el-select-dropdown__item`, option)
		if _, err := browser.Ask(u.page, chromedp.Poll[bool](done, chromedp.WithPollingInterval(30*time.Millisecond), chromedp.WithPollingTimeout(5*time.Second))); err == nil {
			return
		}
	}
	require.Fail(u.t, "not chosen", "%s: %s", label, option)
}

// service enters a service vendor that nothing refuses.
func (u *user) service(country string) {
	u.t.Helper()
	u.enters("name", "Test Survey")
	u.enters("country", country)
	u.enters("email", "test@survey.example")
	u.enters("control_account", "211000")
	u.enters("payment_method", "CARD")
}

// cell is the place of a field on a form, by its address.
func cell(address string) string { return fmt.Sprintf(`[data-address="%s"]`, address) }

// fills types a value into a field of a form and leaves it.
func (u *user) fills(address, text string) {
	u.t.Helper()
	u.clicks(cell(address)+" input", "")
	u.types(text)
	u.presses(kb.Tab)
}

// holdsValue waits until an input holds a text.
func (u *user) holdsValue(selector, text string) {
	u.t.Helper()
	require.NoError(u.t, u.page.Until("document.querySelector("+quoted(selector)+")?.value === "+quoted(text)))
}

// quoted writes a text as a constant of the page's language.
func quoted(text string) string { return strconv.Quote(text) }

// holds waits until a field of a form shows the text.
func (u *user) holds(address, text string) {
	u.t.Helper()
	require.NoError(u.t, u.page.Until(fmt.Sprintf(`(() => {
		const e = document.querySelector(%s);
		return !!e && (e.querySelector("input")?.value ?? e.innerText).includes(%s);
	})()`, quoted(cell(address)), quoted(text))))
}

// drags presses the mouse on one element and lets go on another.
func (u *user) drags(from, to string) {
	u.t.Helper()
	middle := func(selector string) (float64, float64) {
		at, err := browser.Ask(u.page, chromedp.Evaluate[[]float64](fmt.Sprintf(`(() => { const r = document.querySelector(%s).getBoundingClientRect(); return [r.x + r.width / 2, r.y + r.height / 2] })()`, quoted(selector))))
		require.NoError(u.t, err)
		return at[0], at[1]
	}
	x, y := middle(from)
	toX, toY := middle(to)
	require.NoError(u.t, u.page.Drag(x, y, toX, toY, fmt.Sprintf(`document.querySelector(%s).classList.contains("over")`, quoted(to))))
}

// goes opens another path of the application.
func (u *user) goes(path string) {
	u.t.Helper()
	require.NoError(u.t, u.page.Go(path))
}
