package e2e

import (
	"testing"

	"github.com/chromedp/chromedp/kb"

	"codicil/core/rule"
)

// Records that break a check of today are counted, and corrected in place by the same rules.
func TestRecordsThatBreakACheckAreCorrectedInPlace(t *testing.T) {
	u := open(t, "/records/vendor")
	u.inForce("vendor", rule.Validate, "website", rule.Effect{Severity: rule.Refuse, Must: "is filled(website)", Message: "Enter the web address."}, func(b *rule.Body) { b.Scope.Companies = []string{"40"} })
	u.clicks(".button", "Broken checks")
	u.sees(".page-head", "not counted yet")
	u.clicks(".button.first", "Count now")
	u.sees("tbody tr b", "10")
	u.clicks("tbody .plain", "Web address")
	u.sees(".within", "V40001")
	u.sees(".within", "Enter the web address.")
	u.runs(`document.querySelector("input[aria-label='Web address of V40001']").focus() ?? true`)
	u.types("no address")
	u.presses(kb.Enter)
	u.sees(".within .wrong", "Web address")
	u.runs(`document.querySelector("input[aria-label='Web address of V40001']").select() ?? true`)
	u.types("https://gratweg.example")
	u.presses(kb.Enter)
	u.sees(".within [role=status]", "Saved")
	u.clicks(".button.first", "Count now")
	u.sees("tbody tr b", "9")
	u.sees("tbody tr", "1 fewer")
}
