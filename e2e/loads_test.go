package e2e

import (
	"io"
	"net/http"
	"os"
	"path/filepath"
	"strings"
	"testing"

	"github.com/chromedp/chromedp"
	"github.com/chromedp/chromedp/kb"
	"github.com/stretchr/testify/require"
)

// brings chooses a file on the screen of loads.
func (u *user) brings(name, text string) {
	u.t.Helper()
	path := filepath.Join(u.t.TempDir(), name)
	require.NoError(u.t, os.WriteFile(path, []byte(text), 0o600))
	require.NoError(u.t, u.page.Do(chromedp.SetUploadFiles(".bring input[type=file]", []string{path})))
}

// text reads a file that a link of the page leads to.
func (u *user) text(path string) string {
	u.t.Helper()
	request, err := http.NewRequestWithContext(u.t.Context(), http.MethodGet, u.application.URL+path, nil)
	require.NoError(u.t, err)
	response, err := http.DefaultClient.Do(request)
	require.NoError(u.t, err)
	defer func() { _ = response.Body.Close() }()
	text, err := io.ReadAll(response.Body)
	require.NoError(u.t, err)
	return string(text)
}

// A workbook with faults is checked, loaded, its refused rows corrected and loaded again, the same file twice, and taken back.
func TestAFaultyWorkbookIsLoadedCorrectedAndTakenBack(t *testing.T) {
	u := open(t, "/loads")
	u.clicks("table a", "Vendors from the chandlery.xlsx")
	u.sees(".preview", "To add")
	u.sees(".preview .wrong", "Irelnd")
	u.sees(".preview .under", "Filled by rules: Language EN")
	u.clicks(".button", "Check all rows")
	u.sees(".counts", "Refused 12")
	u.sees(".counts", "To add 5")
	u.sees("table tr", "E-mail: \"orders at ardmore\" is not an e-mail address")
	u.runs(`document.querySelector(".asked input").focus() ?? true`)
	u.types("Both are right: one bank account for two firms")
	u.presses(kb.Enter)
	u.sees(".asked", "Saved: check or load again.")
	u.clicks(".button.first", "Load")
	u.sees(".counts", "Added 6")
	u.sees("section a", "Save the 12 rows that were not accepted")
	refused := u.text("/api/v1/loads/2/refused")
	require.Contains(t, refused, "Why it was not loaded")

	mended := strings.NewReplacer("Irelnd", "IE", "when we can", "N30", "IE1234567A", "IE6433435F", "IE00BRNW00000001", "", "Services of all sorts", "SERV", "twelve thousand", "12000",
		"orders at ardmore", "orders@ardmore.example", "\n11,", "\n10,", "31.02.2027", "2027-02-28", "2027-06-01", "2026-06-01").Replace(refused)
	u.goes("/loads?kind=vendor")
	u.brings("corrected.csv", mended)
	u.sees("h1", "corrected.csv")
	u.clicks(".button.first", "Load")
	u.sees(".counts", "Load, done")
	u.sees(".counts", "Refused 2")
	u.sees(".counts", "Added 9")
	u.sees("table tr", "Name Wexford Wick & Lamp → Baltimore Boat Lifts")

	u.goes("/loads/2")
	u.clicks(".button.first", "Load")
	u.sees(".counts", "Unchanged 5")
	u.sees(".counts", "Changed 1")
	u.clicks(".button", "Take back 1")
	u.sees(".counts", "Taken back, done")
	u.sees(".counts", "Restored 1")
	u.clicks(".button", "Take back 6")
	u.sees(".counts", "Withdrawn 5")
	u.sees(".counts", "Stays 1")
	u.sees("table tr", "it was changed since")
	u.goes("/records/vendor?search=Dursey")
	u.sees(".empty", "No results")
}

// Columns are matched by hand, what every row has is said, and rows are pasted; all by keys.
func TestRowsArePastedAndTheirColumnsMatched(t *testing.T) {
	u := open(t, "/loads?kind=vendor")
	u.sees(".bring", "Choose a file")
	u.runs(`(() => { const d = new DataTransfer(); d.setData("text/plain", "Firm\tTown\nLantern Paints\tKilbrack\n"); document.querySelector(".bring").dispatchEvent(new ClipboardEvent("paste", { clipboardData: d, bubbles: true })); return true })()`)
	u.sees("h1", "Pasted rows.csv")
	u.sees(".preview", "There is no company in this row")
	u.chooses("Field of Firm", "Name")
	u.sees(".preview th", "Name")
	u.chooses("Company", "10 Brinewell")
	u.chooses("Vendor group", "Services")
	u.sees(".preview", "Lantern Paints")
	u.sees(".preview", "Refused")
	u.starts("Value for every row", "Country")
	u.runs(`document.querySelector("input[aria-label=Country]").focus() ?? true`)
	u.types("IE")
	u.presses(kb.Tab)
	u.sees(".preview .under", "Filled by rules")
	u.writes("Name of the set-up", "Firms by town")
	u.clicks("button", "Save the set-up")
	u.clicks(`[aria-label="Remove the set-up Firms by town"]`, "")
	u.seesNo(".setup", "Set-up Firms by town")
	u.seesNo(`[aria-label="Remove the set-up Firms by town"]`, "")
	u.sees(".preview", "Lantern Paints")
}

// Bad files are told in words, and the page stays as it was.
func TestAFileThatCannotBeReadIsTold(t *testing.T) {
	u := open(t, "/loads")
	u.brings("empty.csv", "")
	u.sees("[role=alert]", "the file is empty")
	u.brings("zeros.csv", strings.Repeat("\x00", 2000))
	u.sees("[role=alert]", "this is not a text")
	u.brings("long.csv", "a,b\n1,2,3\n")
	u.sees("[role=alert]", "row 2 has 3 values, but the head names 2 columns")
}
