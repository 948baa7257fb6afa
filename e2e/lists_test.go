package e2e

import (
	"testing"

	"codicil/e2e/browser"
)

// Lists that people work from are sorted by any column, and can be exported.
func TestListsAreSortedAndExported(t *testing.T) {
	u := begin(t, "/codicils", browser.Setup{Demo: true})
	firstOf := func(table string) string {
		return `[aria-label="` + table + `"] tbody tr:first-child`
	}
	u.sees(firstOf("Codicils"), "The export declaration is charged")
	u.clicks(`[aria-label="Codicils"] th button`, "No.")
	u.sees(`[aria-label="Codicils"] [aria-sort="ascending"]`, "No.")
	u.sees(firstOf("Codicils"), "The rule book of the Brinewell group")
	u.clicks(`[aria-label="Codicils"] th button`, "Changes")
	u.clicks(`[aria-label="Codicils"] th button`, "Changes")
	u.sees(`[aria-label="Codicils"] [aria-sort="descending"]`, "Changes")
	u.sees(`[aria-label="Export"]`, "XLSX")

	u.goes("/persons")
	u.clicks(`[aria-label="Persons"] th button`, "Name")
	u.sees(firstOf("Persons"), "Ines Carrow")
	u.clicks(`[aria-label="Persons"] th button`, "Name")
	u.sees(firstOf("Persons"), "Tobias Rell")
	u.sees(`[aria-label="Export"]`, "CSV")

	u.clicks(`[aria-label="Roles"] th button`, "Persons")
	u.sees(`[aria-label="Roles"] [aria-sort="ascending"]`, "Persons")
	u.sees(`[aria-label="Roles"] [aria-label="Export"]`, "CSV")
	u.goes("/codicils/signing")
	u.sees(`[aria-label="Who must sign"] th button`, "Of what")
	u.sees(`[aria-label="Export"]`, "XLSX")

	u.goes("/desk/batches")
	u.sees("th button", "Difference")
	u.sees("tbody tr", "Post of 24 November")
	u.sees(`[aria-label="Export"]`, "CSV")
}
