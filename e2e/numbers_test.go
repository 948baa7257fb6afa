package e2e

import (
	"net/http"
	"testing"

	"github.com/chromedp/chromedp"
	"github.com/chromedp/chromedp/kb"
)

// Numbers of records hold what people put into them: slashes, spaces, what means something in an address.
func TestARecordWithASlashInItsNumberIsFoundEverywhere(t *testing.T) {
	u := open(t, "/records/vendor/new?company=10&type=ONCE")
	u.calls(http.MethodPut, "/tables/series/one_time", map[string]any{"version": 1, "series": map[string]any{
		"key": "one_time", "label": "One-time vendors", "note": "", "start": 1, "step": 1, "end": 0, "byCompany": false, "reset": "yearly", "numbers": map[string]any{"kind": "vendor", "companies": []string{}, "types": []string{"ONCE"}},
		"parts": []map[string]any{{"is": "text", "text": "E/"}, {"is": "year"}, {"is": "text", "text": "/50% #,"}, {"is": "counter", "digits": 3}},
	}}, nil)
	for _, name := range []string{"Odd Numbers Ltd", "Even Numbers Ltd"} {
		u.goes("/records/vendor/new?company=10&type=ONCE")
		u.fills("name", name)
		u.fills("country", "IE")
		u.clicks(".actions .button", "Save")
		u.sees(".done", "Saved as E/2026/50% #,00")
		u.sees("h1", "E/2026/50% #,00")
	}
	u.goes("/records/vendor?search=numbers")
	u.clicks(".box .row a", "E/2026/50% #,001")
	u.sees("h1", "E/2026/50% #,001")
	u.holds("name", "Odd Numbers Ltd")
	u.fills("city", "Cork")
	u.clicks(".actions .button", "Save")
	u.sees(".done", "Saved")
	u.goes("/records/vendor/E%2F2026%2F50%25%20%23%2C001")
	u.holds("city", "Cork")

	// Going anywhere, choosing in the list and merging know it, too.
	u.presses("k", chromedp.KeyModifiers(chromedp.ModifierCtrl))
	u.types("even numbers")
	u.sees(`[role="listbox"]`, "E/2026/50% #,002")
	u.presses(kb.Enter)
	u.sees("h1", "E/2026/50% #,002")
	u.goes("/records/vendor?search=numbers")
	u.sees(".records", "E/2026/50% #,002")
	u.mergesTheFirstTwo()
	u.sees(".sides", "E/2026/50% #,001")
	u.sees(".sides", "E/2026/50% #,002")

	// A test document is a change of it.
	u.goes("/plan?company=10&type=ONCE")
	u.chooses("Load a document", "E/2026/50% #,001 Odd Numbers Ltd")
	u.sees(station("name", "result"), "Odd Numbers Ltd")
}
