package trials

import "codicil/core/notice"

// What these use cases tell a person when something is not as it should be.
var (
	noRows = notice.Define("no-rows.document", "there are no rows to read; copy them from a spreadsheet, with or without the names of the fields")
)
