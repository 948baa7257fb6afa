package codec

import "codicil/core/table"

// ListsBefore are the lists that have other codes now than the program had when fields said themselves
// what can be chosen: what was written then may hold these.
var ListsBefore = []table.List{{Key: "payment_methods", Label: "Payment methods", Entries: []table.Entry{
	{Code: "T", Label: "Transfer"}, {Code: "D", Label: "Direct debit"}, {Code: "C", Label: "Card"}, {Code: "S", Label: "With the salary"},
}}}
