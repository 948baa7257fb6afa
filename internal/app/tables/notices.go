package tables

import "codicil/core/notice"

// What these use cases tell a person when something is not as it should be.
var (
	noField = notice.Define("no-field", "cell {cell} is of field {field}, but there are only {count} fields")
	// NoRows is said of pasted text without rows.
	NoRows         = notice.Define("no-rows", "there are no rows to read; copy them from a spreadsheet, with or without the names of the columns")
	tableProblems  = notice.Define("table-problems", "{why}")
	tableInUse     = notice.Define("in-use.table", "{what} is used by {count} rules, which could no longer run; change or retire them first")
	numberedTwice  = notice.Define("numbered-twice", "the series {series} numbers some of these records already; choose other companies or types")
	noTypeToNumber = notice.Define("unknown-type.numbers", "there is no {axis} {type:q}")
)
