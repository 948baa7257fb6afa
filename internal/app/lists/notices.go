package lists

import "codicil/core/notice"

// What these use cases tell a person when something is not as it should be.
var (
	entryInUse   = notice.Define("in-use.entry", "{what} cannot go: {count} records, rules or tables hold it; end its validity instead, or change them first")
	listInUse    = notice.Define("in-use.list", "fields choose from the list {list}; give them another list first")
	noCodeColumn = notice.Define("no-code-column", "no column is named code; name the columns, or put the codes into the first")
)
