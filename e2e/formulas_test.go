package e2e

import (
	"testing"

	"github.com/chromedp/cdproto/input"
	"github.com/chromedp/chromedp"
	"github.com/chromedp/chromedp/kb"
	"github.com/stretchr/testify/require"

	"codicil/e2e/browser"
)

const editor = ".pane .formula .cm-content"

// formula opens a new rule as a formula.
func (u *user) formula(field, family string) {
	u.t.Helper()
	u.clicks(station(field, family), "")
	u.sees(".pane .life", "New, not saved yet")
	u.clicks(".modes button", "Formula")
	u.clicks(editor, "")
}

// accepts takes the first proposal of the list, once it has one.
func (u *user) accepts() {
	u.t.Helper()
	u.sees(".cm-tooltip-autocomplete:not(.cm-tooltip-autocomplete-disabled) [aria-selected]", "")
	u.strikes(kb.Enter)
}

// strikes presses a key as a keyboard does: who takes it for itself keeps it from being typed.
func (u *user) strikes(key string) {
	u.t.Helper()
	u.presses(key, func(event *input.DispatchKeyEventParams) {
		event.Text, event.UnmodifiedText = "", ""
		switch event.Type {
		case input.DispatchKeyEventTypeKeyDown:
			event.Type = input.DispatchKeyEventTypeRawKeyDown
		case input.DispatchKeyEventTypeChar:
			event.Type = input.DispatchKeyEventTypeKeyUp
		}
	})
}

// reads waits until the first formula of the pane is the text.
func (u *user) reads(text string) {
	u.t.Helper()
	require.NoError(u.t, u.page.Until(`document.querySelector(".pane .cm-content")?.innerText.replaceAll("\n", " ") === `+quoted(text)))
}

func TestAFormulaIsWrittenWithHelpAndExplainsItself(t *testing.T) {
	u := open(t, "/plan?company=10&type=SERV")
	u.service("IE")
	u.enters("credit_limit", "120,000")
	u.formula("clerk", "default")

	// A field is found by what people call it, and taken with Enter.
	u.presses("prompt pay")
	u.sees(".cm-tooltip-autocomplete", "discount_rate")
	u.sees(".cm-tooltip-autocomplete", "Prompt payment discount: number")
	u.accepts()
	u.reads("discount_rate")
	u.sees(".formula .here", "Prompt payment discount: number")
	u.sees(".problems .error", "this gives a number, but a condition")

	// A percent beside a whole number is hardly meant so.
	u.presses(" > 5")
	u.sees(".problems .warning", "5 means 500 %")
	u.clicks(".problems .plain", "Write 0.05")
	u.reads("discount_rate > 0.05")
	u.sees(".formula .result", "= no")

	// The codes of a field are offered where it is compared with a text.
	u.presses(` or country = "den`)
	u.sees(".cm-tooltip-autocomplete", "Denmark")
	u.accepts()
	u.reads(`discount_rate > 0.05 or country = "DK"`)
	u.sees(".formula .result", "= no")

	// Why: every part with the values in it; and again when the document changes.
	u.clicks(".formula .result", "why?")
	u.sees(".steps", "discount_rate0.0 % > 0.05 is no")
	u.sees(".steps", `countryIE = "DK" is no`)
	u.enters("country", "DK")
	u.sees(".formula .result", "= yes")
	u.sees(".steps", `countryDK = "DK" is yes`)
}

func TestFieldsAndFunctionsAreFoundAndInserted(t *testing.T) {
	u := open(t, "/plan?company=10&type=SERV")
	u.service("IE")
	u.enters("agreement_start", "31/01/2027")
	u.formula("agreement_end", "default")
	u.clicks(".pane .formula .head .plain", "Fields and functions")
	u.presses("is there")
	u.sees(".words .about", "is blank(null) = true")
	u.presses(kb.ArrowDown)
	u.sees(".words .about", "is filled(value): boolean")
	u.strikes(kb.Enter)
	u.reads("is filled()")

	// The cursor stands between the parentheses.
	u.presses("agreement_start")
	u.sees(".formula .here", "Agreement begins: date")
	u.presses(kb.Escape) // the list of completions, not the pane
	u.reads("is filled(agreement_start)")
	u.sees(".formula .result", "= yes")

	// The other formula, by a double click.
	u.clicks(".pane .formula ~ .formula .head .plain", "Fields and functions")
	u.presses("months later")
	require.NoError(t, u.page.Do(chromedp.DoubleClick(chromedp.CSS(".pane .formula ~ .formula [role=option]"))))
	second := `document.querySelectorAll(".pane .cm-content")[1].innerText`
	require.NoError(t, u.page.Until(second+` === "add months()"`))
	u.presses("agreement_start, 1")
	u.presses(kb.Escape)
	u.sees(".pane .formula ~ .formula .result", "= 28/02/2027")
}

func TestSentenceAndFormulaAreTwoViewsOfOneRule(t *testing.T) {
	u := open(t, "/plan?company=10&type=SERV")
	u.service("IE")
	u.formula("clerk", "substitute")
	u.presses(`country = "IE" and (credit_limit > 100000 or payment_terms = "N30")`)
	u.presses(kb.Escape)
	u.sees(".formula .result", "= yes")
	u.sees(".pane .sentence", "when Country is IE, and either Credit limit is over 100,000 or Payment terms is N30")
	u.clicks(".modes button", "Sentence")
	u.sees(".group", "either")
	u.holdsValue(".condition:nth-child(1) .value input", "IE")
	u.holdsValue(".group .inner:nth-child(2) .value input", "N30")

	// Or around it makes and of what is inside, in words that nobody takes for the other.
	u.picks(".condition:nth-child(2) .join", "or")
	u.sees(".group", "both")
	u.sees(".pane .sentence", "when Country is IE, or both Credit limit is over 100,000 and Payment terms is N30")

	// Compared with another field, and the value of another field.
	u.clicks(`.condition:nth-child(1) [aria-label="Remove the condition"]`, "")
	u.seesNo(".pane", "both")
	u.clicks(".condition:nth-child(1) .swap", "")
	u.picksField(".condition:nth-child(1) .other", "Minimum order")
	u.picks(".value .manner", "the value of")
	u.picksField(".value .chosen", "Buyer")
	u.sees(".pane .sentence", "replace Payables contact with Buyer")
	u.clicks(".modes button", "Formula")
	u.reads(`credit_limit > minimum_order and payment_terms = "N30"`)
	require.NoError(t, u.page.Until(`document.querySelectorAll(".pane .cm-content")[1]?.innerText === "buyer"`))
	u.putsInForce()
	u.sees(".pane .life", "in force")

	// What no sentence can hold stays a formula, and is told in words; a click edits it.
	u.clicks(editor, "")
	u.types("string length(name) > 3")
	u.presses(kb.Escape)
	u.sees(".formula .result", "= yes")
	u.clicks(".modes button", "Sentence")
	u.sees(".pane .conditions .told", "the length of Name is over 3")
	u.clicks(".pane .conditions .told", "")
	u.reads("string length(name) > 3")
}

func TestAFormulaGoesThroughTheLines(t *testing.T) {
	u := open(t, "/plan?kind=sales_order&company=10&type=SO")
	u.enters("customer", "C10001")
	u.clicks(".picker .plain", "Add a line")
	u.enters("lines.item", "I1001")
	u.enters("lines.quantity", "5")
	u.clicks(".picker .plain", "Add a line")
	u.enters("lines.item", "I1001")
	u.formula("reference", "validate")
	u.presses(`every l in lines satisfies is filled(l.quantity)`)
	u.presses(kb.Escape)
	u.sees(".formula .result", "= no")
	u.clicks(".formula .result", "")
	u.sees(".steps", "yes · no")
	u.clicks(editor, "")
	u.types(`count(distinct values(lines.item)) < count(lines) and customer.country = "IE"`)
	u.presses(kb.Escape)
	u.sees(".formula .result", "= yes")
	u.sees(".steps", "is IE")
}

// tabsTo presses Tab until the cursor is on what bears the label.
func (u *user) tabsTo(label string) {
	u.t.Helper()
	there := `[document.activeElement?.getAttribute("aria-label"), document.activeElement?.innerText].some(t => t?.trim() === ` + quoted(label) + ")"
	for range 80 {
		if u.now(there) {
			return
		}
		u.presses(kb.Tab)
	}
	require.Fail(u.t, "Tab does not lead to "+label)
}

// now tells whether an expression of the page is true at this moment.
func (u *user) now(expression string) bool {
	u.t.Helper()
	holds, err := browser.Ask(u.page, chromedp.Evaluate[bool](expression))
	require.NoError(u.t, err)
	return holds
}

func TestAFormulaIsWrittenByKeyboardOnly(t *testing.T) {
	u := open(t, "/plan?company=10&type=ONCE")
	u.sees(station("payment_terms", "substitute"), "N00")
	u.presses("k", chromedp.KeyModifiers(chromedp.ModifierCtrl))
	u.cursorIsOn("Go to a field, a rule, a record or a screen")
	u.presses("credit limit")
	u.sees(`[role="option"][aria-selected="true"]`, "Credit limit")
	u.presses(kb.Enter)
	u.sees(".pane h2", "Default: Credit limit")
	u.cursorIsOn("Value for Credit limit")
	u.sees(".pane .sentence", "fill Credit limit with …")
	u.tabsTo("Formula")
	u.presses(kb.Enter)
	require.NoError(t, u.page.Until(`document.querySelector(".pane .cm-content") !== null`))
	u.tabsTo("When (leave blank for always)")
	u.presses(`country = "DK"`)
	u.presses(kb.Escape) // closes the list of what could be meant, and leaves the pane
	u.tabsTo("Fill Credit limit with")
	u.presses("credit")
	u.sees(".cm-tooltip-autocomplete", "Credit limit: number")
	u.presses(kb.Escape)
	u.types("5000")
	u.presses("s", chromedp.KeyModifiers(chromedp.ModifierCtrl))
	u.sees(".pane .life", "draft, version 1")
	u.sees(".pane .sentence", "when Country is DK, fill Credit limit with 5,000")
	u.tabsTo("Put in force")
	u.presses(kb.Enter)
	u.cursorIsOn("Reason to put it in force")
	u.types("agreed with Birk")
	u.presses(kb.Enter)
	u.sees(".pane .life", "in force")
}

func TestAComputedFieldFollowsWhatItReadsAndIsNotTyped(t *testing.T) {
	u := open(t, "/plan?company=10&type=SERV")
	u.service("IE")
	u.enters("credit_limit", "5,000")
	u.formula("minimum_order", "compute")
	u.clicks(".pane .formula ~ .formula .cm-content", "")
	u.presses("credit_limit / 100")
	u.presses(kb.Escape)
	u.sees(".pane .sentence", "compute Minimum order as Credit limit ÷ 100")
	u.sees(station("minimum_order", "compute"), "50")
	u.sees(station("minimum_order", "result"), "50.00")
	u.enters("minimum_order", "7")
	u.sees(".messages", "Minimum order is computed here: the entry is ignored")
	u.sees(station("minimum_order", "result"), "50.00")
	u.putsInForce()
	u.sees(".pane .life", "in force")

	u.goes("/records/vendor/new?company=10&type=SERV")
	u.fills("credit_limit", "12,000")
	u.holds("minimum_order", "120.00")
	require.NoError(t, u.page.Until(`document.querySelector('[data-address="minimum_order"] input')?.readOnly !== false`))
}

// Who knows spreadsheets writes as there, is told what is otherwise, and takes it with one key.
func TestAFormulaOfASpreadsheetIsMendedWithOneKey(t *testing.T) {
	u := open(t, "/plan?company=10&type=TRAD")
	u.formula("clerk", "default")
	u.types(`=AND(country="IE";name<>"")`)
	u.sees(".problems .error", "a formula begins without =")
	u.sees(".problems button", "Write ")
	u.presses(kb.Enter, chromedp.KeyModifiers(chromedp.ModifierAlt))
	u.reads(`country = "IE" and is filled(name)`)
	u.sees(".formula .foot", "gives a boolean")
	u.types(`NOT payment_block`)
	u.sees(".problems .error", "what is negated stands in brackets: not(…)")
	u.clicks(".problems button", "Write not(payment_block)")
	u.reads("not(payment_block)")
}
