package e2e

import (
	"fmt"
	"net/http"
	"os"
	"path/filepath"
	"testing"
	"time"

	"github.com/chromedp/chromedp"
	"github.com/chromedp/chromedp/kb"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"codicil/core/rule"
	"codicil/e2e/browser"
	"codicil/internal/contract"
)

// newcomer counts what somebody does: a click, or a field that is filled.
type newcomer struct {
	*user
	actions int
}

func (n *newcomer) click(selector, text string) {
	n.t.Helper()
	n.clicks(selector, text)
	n.actions++
}

func (n *newcomer) fill(label, text string) {
	n.t.Helper()
	n.keys(label, text)
	n.actions++
}

// keys writes into the field of a form that has the label.
func (u *user) keys(label, text string) {
	u.t.Helper()
	u.clicks("form label", label)
	u.types(text)
	u.presses(kb.Tab)
}

// Somebody new is on a first rule that is tested, proved and in force within forty actions and five
// minutes.
func TestANewPersonIsSoonOnARuleInForce(t *testing.T) {
	began := time.Now()
	n := &newcomer{user: begin(t, "/", browser.Setup{Empty: true})}
	n.sees(".empty", "There is nothing here yet")
	n.click(".empty a", "Begin")
	n.sees(".ways", "Look at the demo beside")
	n.click(".ways button", "Step by step")
	n.fill("Name", "Quay Salt")
	n.fill("Country", "Ireland")
	n.click(`form[aria-label="Company"] button`, "Save the company")
	n.sees(".steps", "10 Quay Salt")
	n.click(`form[aria-label="Type"] button`, "Save the type")
	n.sees(".steps", "Standard")
	// The codes that are used, those of the company to begin with, and a field of one's own.
	n.click(`form[aria-label="Lists"] .list .el-select`, "IE Ireland")
	n.types("Denm")
	n.click(".el-select-dropdown__item", "DK Denmark")
	n.presses(kb.Escape)
	n.click(`form[aria-label="Lists"] button`, "Use these")
	n.fill("Field", "Berth number")
	n.click(`form[aria-label="Fields"] button`, "Add the field")
	n.sees(`form[aria-label="Fields"]`, "Added: Berth number.")
	n.click(`form[aria-label="Fields"] button`, "Go on")
	n.click(`form[aria-label="First rule"] button`, "Prove it and put it in force")
	n.sees(".steps", "Name is required. It has 2 proofs.")
	var shown []contract.Confirmation
	n.calls(http.MethodGet, "/confirmation?kind=vendor", nil, &shown)
	require.Len(t, shown, 1)
	assert.Equal(t, contract.ProvedBothWays, shown[0].State)
	assert.Equal(t, rule.InForce, shown[0].RuleState)
	n.click(".steps button", "Open the plan")
	// The rule acts at once: a vendor without a name is refused.
	n.sees("body", "Vendors")
	n.sees("body", "Berth number")
	n.enters("city", "Port Carrow")
	n.actions++
	n.posts()
	n.actions++
	n.sees(".message, .verdict, body", "Name is required")
	assert.LessOrEqual(t, n.actions, 40)
	t.Logf("%d actions, %v", n.actions, time.Since(began).Round(time.Second))
}

// withACompany is somebody who made a company and is about to choose a spreadsheet.
func withACompany(t *testing.T) *user {
	t.Helper()
	u := begin(t, "/start?way=steps", browser.Setup{Empty: true})
	u.keys("Name", "Quay Salt")
	u.keys("Country", "Denmark")
	u.clicks(`form[aria-label="Company"] button`, "Save the company")
	u.sees(".steps", "10 Quay Salt")
	u.goes("/start?way=spreadsheet")
	return u
}

// A spreadsheet becomes a kind of record: what its columns are is guessed, its rows are loaded, and what
// rules they show is told.
func TestASpreadsheetBecomesAKindOfRecord(t *testing.T) {
	u := withACompany(t)
	u.sees("h1", "From a spreadsheet")
	text := "Berth,Harbour country,Opened on,Fee,Deposit,Power,Remark\n"
	for i := range 60 {
		power := []string{"none", "16 A", "32 A"}[i%3]
		country := []string{"DK", "SE", "NO", "DE"}[i/3%4]
		fee := 100 + 17*i
		text += fmt.Sprintf("B-%03d,%s,%02d.%02d.2026,%d.50,%d.00,%s,Row %d\n", i, country, 1+i%28, 1+i%12, fee, 2*fee+1, power, i)
	}
	path := filepath.Join(t.TempDir(), "Berths.csv")
	require.NoError(t, os.WriteFile(path, []byte(text), 0o600))
	require.NoError(t, u.page.Do(chromedp.SetUploadFiles(".start input[type=file]", []string{path})))
	u.sees("table", "every value is a code of the list Countries")
	u.sees("table", "every value is a date")
	u.sees("table", "it looks like an amount of money")
	u.sees(`[aria-label="Kind from a spreadsheet"] .fields`, "Berth")
	u.clicks("button", "Make the kind and load 60 rows")
	u.sees(`[role="status"]`, "60 records were added")
	// What tells the rows apart is refused twice.
	var rules []contract.RuleView
	u.calls(http.MethodGet, "/rules?kind=berth", nil, &rules)
	require.Len(t, rules, 1)
	assert.Equal(t, rule.InForce, rules[0].State)
	assert.Equal(t, "berth", rules[0].Body.Target)
	// By it the same file, loaded again, finds its records and changes nothing.
	var again contract.Run
	u.calls(http.MethodPost, "/loads/1/start", nil, &again)
	require.Eventually(t, func() bool {
		u.calls(http.MethodGet, fmt.Sprintf("/runs/%d", again.ID), nil, &again)
		return again.EndedAt != nil
	}, time.Minute, 20*time.Millisecond)
	assert.Equal(t, 60, again.Counts["same"], "%v", again.Counts)
	assert.Zero(t, again.Counts["add"])
	u.clicks("a.button", "See what rules they show")
	u.sees("h1", "Learned from")
	u.clicks("button", "Look through the records")
	u.sees(".proposal", "Deposit")
	u.clicks(".proposal .deeds button", "Make a draft")
	u.sees(".made", "Draft")
}

// Rows of one document become a record with lines; what belongs where is guessed, and can be corrected.
func TestASpreadsheetOfDocumentsBecomesRecordsWithLines(t *testing.T) {
	u := withACompany(t)
	text := "Order no,Boat,Ordered on,Yard,Article,Pieces,Price\n"
	for i := range 12 {
		for line := range 1 + i%3 {
			text += fmt.Sprintf("HO-%03d,%s,2026-10-%02d,North,%s,%d,%d.50\n", 140+i, []string{"Petrel", "Gannet", "Skua"}[i%3], 1+i, []string{"rope", "oar", "sail"}[line], 1+i+line, 20+line)
		}
	}
	path := filepath.Join(t.TempDir(), "Harbour orders.csv")
	require.NoError(t, os.WriteFile(path, []byte(text), 0o600))
	require.NoError(t, u.page.Do(chromedp.SetUploadFiles(".start input[type=file]", []string{path})))
	u.sees("table", "12 different values in 24 rows: each is a record")
	u.sees("table", "differs between the rows of one Order no")
	u.sees("button", "Make the kind and load 24 rows as 12 records")
	// Each row by itself, and back.
	u.chooses("One record is", "each row")
	u.sees("button", "Make the kind and load 24 rows")
	u.seesNo("table", "Belongs to")
	u.chooses("One record is", "rows of one Order no")
	u.sees("table", "Belongs to")
	u.chooses("Yard belongs to", "lines")
	u.clicks("button", "Make the kind and load 24 rows as 12 records")
	u.sees(`[role="status"]`, "12 records were added")
	u.clicks("a.button", "Look at the records")
	u.sees("main", "HO-142")
	u.goes("/records/harbour_order/HA100003")
	u.holds("order_no", "HO-142")
	u.holds("lines.2.article", "oar")
	var kept contract.Record
	u.calls(http.MethodGet, "/records/harbour_order/HA100003", nil, &kept)
	require.Len(t, kept.Content.Lines, 3)
	assert.Equal(t, "North", kept.Content.Lines[2].Values["yard"])
	assert.Equal(t, "22.5", kept.Content.Lines[2].Values["price"])
}
