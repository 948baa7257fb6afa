// Command screenshots writes one picture of each main view, made from the demo
// data, into a folder.
package main

import (
	"fmt"
	"os"
	"path/filepath"
	"slices"
	"strings"

	"github.com/chromedp/chromedp"
	"github.com/chromedp/chromedp/kb"

	"codicil/e2e/browser"
)

// view is a screen and how to get there. Steps are "field=value" to enter on the
// plan, "fill ADDRESS=value" on a form, "click SELECTOR", "wait SELECTOR", "type TEXT"
// into what has the cursor, "post", "rest" (nothing has the cursor), "top", "night" and "plant" (rules
// that are wrong on purpose).
type view struct {
	name, path, wait string
	steps            []string
}

var vendor = []string{"name=Yuzu Packing K.K.", "country=Japan", "email=sales@yuzu.example", "tax_number=T2731059824617", "control_account=210000",
	"bank_account=0990-004-7731059", "discount_rate=2.5 %", "credit_limit=6,000,000", "agreement_start=01/04/2026", "agreement_end=31/03/2026"}

// setups are how the application is started for views of which it is not as for the others.
var setups = map[string]browser.Setup{"codicil": {Demo: true}, "persons": {Demo: true}, "sign-in": {SignIn: true}}

var views = []view{
	{"to-do", "/", `[aria-label="Failing proofs"] li`, []string{`wait [aria-label="Coming up"]`}},
	{"findings", "/findings", ".finding", []string{"plant", `wait [data-code="overlap"]`}},
	{"plan-rule", "/plan?company=30&type=TRAD", `[data-station="substitute"] .phrase`,
		append(vendor, "top", `click [data-field="payment_terms"] [data-station="default"]`)},
	{"plan-formula", "/plan?company=10&type=SERV&field=clerk&family=default", `[data-station="default"] .phrase`,
		[]string{"name=Harbour Survey Co", "country=Ireland", "credit_limit=120,000", "top", "wait .pane [data-begin]", "click .modes button:last-child", "wait .cm-content",
			"click .formula .cm-content", "type country in (\"IE\", \"DK\") and credit_limit > 100000", "wait .formula .result", "click .formula .result", "wait .steps"}},
	{"plan-night", "/plan?company=40&type=TRAD&field=discount_rate&family=substitute", ".pane .sentence",
		[]string{"name=Gratweg Holzkisten AG", "country=Switzerland", "payment_terms=N30", "discount_rate=2", "top", "night"}},
	{"rules", "/rules", "tbody tr", nil},
	{"proofs", "/proofs", ".differences", nil},
	{"proofs-confirmed", "/proofs/confirmed?company=30&type=TRAD", ".heat .chosen", nil},
	{"desk", "/desk/accounting_document?batch=1", `.desk-form [data-address="vendor"]`,
		[]string{"fill vendor=V10002", "fill reference=HP-2299", "fill document_date=20.11.", "fill total=123", "fill lines.1.account=550000", "fill lines.1.debit=80+20", "fill lines.1.cost_centre=K10100",
			"fill lines.2.account=118000", "fill lines.2.debit=23", "fill lines.3.account=="}},
	{"records", "/records/accounting_document?type=VI,VC&sort=total&order=down", ".box .row a", nil},
	{"record-order", "/records/sales_order/new?company=10&type=SO", ".form label",
		[]string{"fill customer=C10001", "fill reference=PO 4711", "fill wanted_on=+10", "click .lines .foot .plain", "fill lines.1.item=I1001", "fill lines.1.quantity=40", "fill lines.1.price=18.95",
			"click .lines .foot .plain", "fill lines.2.item=I1004", "fill lines.2.quantity=12", "fill lines.2.price=15.35", "fill lines.2.discount=2", "rest"}},
	{"runs", "/runs", ".empty", []string{"look", "wait .found td"}},
	{"load", "/loads/2", ".preview", []string{"click .page-head .button:nth-last-child(2)", "wait .counts .refuse", "wait table .refuse"}},
	{"codicil", "/codicils/19", ".lines p", []string{"click .replay .ask .button", `wait [aria-label="By kind, company and field"] td`}},
	{"learned", "/rules/learned?kind=vendor", ".empty .plain", []string{"click .empty .plain", "wait .proposal .deeds"}},
	{"tables-layouts", "/tables/layouts?kind=vendor&company=30", ".chip", []string{`click .chip[data-field="tax_number"]`}},
	{"duplicates", "/duplicates/vendor", "tbody td", []string{"click [aria-label='Look now: The same name in any company']", "wait tbody .plain[aria-expanded]", "click .parts .part:nth-child(2)", "wait .sides td"}},
	{"persons", "/persons", "[aria-label=Persons] td", nil},
	{"ledger", "/plan?company=10&type=SERV", `[data-station="default"] .phrase`,
		[]string{"name=Harbour Survey Co", "country=Ireland", "email=office@harbour.example", "control_account=211000", "bank_account=IE21BRNW99010199999999",
			"agreement_end=31/03/2027", "post", "click .verdict a", "wait .one td"}},
}

func main() {
	if len(os.Args) < 2 {
		fail(fmt.Errorf("usage: screenshots FOLDER [NAME...]"))
	}
	chromium, err := browser.Launch()
	if err != nil {
		fail(err)
	}
	for _, v := range views {
		if only := os.Args[2:]; len(only) > 0 && !slices.Contains(only, v.name) {
			continue
		}
		if err := take(chromium, v, os.Args[1]); err != nil {
			chromium.Close()
			fail(fmt.Errorf("%s: %w", v.name, err))
		}
	}
	chromium.Close()
}

func fail(err error) {
	fmt.Fprintln(os.Stderr, err)
	os.Exit(1)
}

// take starts a fresh application for each view, so that none shows what another did.
func take(chromium *browser.Browser, v view, folder string) error {
	application, err := chromium.Start(setups[v.name])
	if err != nil {
		return err
	}
	defer application.Close()
	page, err := application.Page(v.path)
	if err != nil {
		return err
	}
	if err := shows(page, v.wait); err != nil {
		return err
	}
	for _, step := range v.steps {
		if err := do(page, step); err != nil {
			return fmt.Errorf("%s: %w", step, err)
		}
	}
	// Fonts and what the last step changed are there; transitions are over.
	if err := page.Until(`document.fonts.status === "loaded" && document.getAnimations().every(a => a.playState !== "running")`); err != nil {
		return err
	}
	png, err := page.Picture()
	if err != nil {
		return err
	}
	return os.WriteFile(filepath.Join(folder, v.name+".png"), png, 0o644)
}

// looked writes a rule, and looks what it would do to existing records.
const looked = `(async () => {
	const ask = (path, body) => fetch("/api/v1" + path, { method: "POST", headers: { "Content-Type": "application/json" }, body: JSON.stringify(body) }).then((r) => r.json());
	const rule = (family, target, effect, companies) => ({ kind: "vendor", family, target, scope: { companies, types: [], from: "", until: "" }, when: "", effect, on: { new: true, change: true }, priority: 0, note: { askedBy: "", askedOn: "", why: "" } });
	for (const body of [
		rule("validate", "website", { severity: "refuse", must: "is filled(website)", message: "Enter the web address." }, ["30"]),
		rule("substitute", "payment_terms", { value: '"N60"' }, []),
	]) {
		const kept = await ask("/rules", { body });
		await ask("/runs", { rule: kept.id });
	}
	return true;
})()`

// planted puts rules in force that are worth a finding.
const planted = `(async () => {
	const ask = (path, body) => fetch("/api/v1" + path, { method: "POST", headers: { "Content-Type": "application/json" }, body: JSON.stringify(body) }).then((r) => r.json());
	for (const [family, target, when, effect] of [
		["substitute", "clerk", 'credit_limit > 100000', { value: '"HELEN"' }],
		["substitute", "clerk", 'country = "JP"', { value: '"MARTIN"' }],
		["default", "lead_time", 'country = "DE" and country = "AT"', { value: "21", lifetime: "new only" }],
		["default", "minimum_order", "", { lifetime: "whenever blank", value: "if credit_limit < 1000 then 50 else if credit_limit > 1000 then 250 else null" }],
	]) {
		const scope = { companies: [], types: [], from: "", until: "" };
		const body = { kind: "vendor", family, target, scope, when, effect, on: { new: true, change: true }, priority: 0, note: { askedBy: "", askedOn: "", why: "" } };
		const rule = await ask("/rules", { body });
		await ask("/rules/" + rule.id + "/state", { version: rule.version, state: "in force", reason: "A try" });
	}
	return true;
})()`

func shows(page *browser.Page, selector string) error {
	return page.Until(fmt.Sprintf(`document.querySelector(%q)?.checkVisibility() === true`, selector))
}

func do(page *browser.Page, step string) error {
	verb, object, _ := strings.Cut(step, " ")
	switch verb {
	case "click":
		if err := shows(page, object); err != nil {
			return err
		}
		if err := page.Click(object, ""); err != nil {
			return err
		}
		if strings.Contains(object, "data-station") {
			return shows(page, ".pane .told")
		}
		return nil
	case "wait":
		return shows(page, object)
	case "type":
		return page.Do(chromedp.KeyEvent(object))
	case "top":
		_, err := browser.Ask(page, chromedp.Evaluate[bool](`(document.querySelector(".scroll").scrollTop = 0, document.activeElement.blur(), true)`))
		return err
	case "rest":
		_, err := page.Run(`document.activeElement.blur()`)
		return err
	case "night":
		_, err := browser.Ask(page, chromedp.Evaluate[bool](`(document.documentElement.classList.add("night"), true)`))
		return err
	case "plant":
		if _, err := browser.Ask(page, chromedp.Evaluate[bool](planted, chromedp.EvalAwaitPromise)); err != nil {
			return err
		}
		return page.Go("/findings")
	case "look":
		if _, err := browser.Ask(page, chromedp.Evaluate[bool](looked, chromedp.EvalAwaitPromise)); err != nil {
			return err
		}
		return page.Go("/runs?run=2")
	case "post":
		return page.Do(chromedp.KeyEvent(kb.Enter, chromedp.KeyModifiers(chromedp.ModifierCtrl)))
	}
	field, text, _ := strings.Cut(step, "=")
	if address, ofForm := strings.CutPrefix(field, "fill "); ofForm {
		return fill(page, address, text)
	}
	cell := fmt.Sprintf(`[data-field=%q] [data-station="entered"]`, field)
	if err := page.Click(cell, ""); err != nil {
		return err
	}
	if err := page.Until(`document.activeElement?.tagName === "INPUT"`); err != nil {
		return err
	}
	if err := page.Do(chromedp.KeyEvent(text), chromedp.KeyEvent(kb.Tab)); err != nil {
		return err
	}
	return page.Until(fmt.Sprintf(`document.querySelector('%s').innerText.trim() !== ""`, cell))
}

// fill types a value into a field of a form and waits for its consequences.
func fill(page *browser.Page, address, text string) error {
	cell := fmt.Sprintf(`[data-address=%q] input`, address)
	if err := shows(page, cell); err != nil {
		return err
	}
	if err := page.Do(chromedp.Focus(chromedp.CSS(cell)), chromedp.KeyEvent(text), chromedp.KeyEvent(kb.Tab)); err != nil {
		return err
	}
	if err := page.Until(fmt.Sprintf(`document.querySelector('%s').value !== ""`, cell)); err != nil {
		return err
	}
	// The list under the next field closes before anything else is clicked.
	if _, err := page.Run(`document.activeElement.blur()`); err != nil {
		return err
	}
	return page.Until(`![...document.querySelectorAll(".el-autocomplete__popper")].some(e => e.checkVisibility())`)
}
