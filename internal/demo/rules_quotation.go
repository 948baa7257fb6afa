package demo

import (
	"slices"
	"strings"

	"codicil/core/rule"
)

// asForOrders are the rules of orders that hold for quotations as well.
var asForOrders = []string{"customer", "item", "quantity", "amount-shown", "currency-order", "terms-order", "delivery-order", "salesperson", "unit", "text", "tax-code", "amount", "net", "rate", "tax", "gross", "some"}

func quotationRules() []given {
	list := slices.DeleteFunc(salesRules(), func(r given) bool { return !slices.Contains(asForOrders, r.key) })
	for i := range list {
		if strings.HasPrefix(list[i].body.When, "type.key") { // quotations have types of their own
			list[i].body.When = ""
		}
	}
	return append(list,
		fill("quoted", "quoted_on", everywhere, "", rule.NewOnly, "today()", note("Finn, sales", "2024-02-05", "Nearly always today.")),
		fill("valid", "valid_until", everywhere, "", rule.NewOnly, "month end(add months(quoted_on, 1))", note("Finn, sales", "2024-06-18", "Customers remember the end of a month, not a number of days.")),
		must("validity", "valid_until", everywhere, rule.Refuse, "", "valid_until >= quoted_on", "The quotation ends before its own date. Correct one of the two dates.", note("Finn, sales", "2024-06-18", "Last year's date, typed in January.")),
	)
}

var quotationProofs = []givenProof{
	{name: "A quotation takes its terms from the customer and adds up its lines", company: "10", kindType: "QT", entered: values{"customer": "C10001"}, lines: []values{bags, {"item": "I1004", "quantity": "3", "price": "15.35", "discount": "0.02"}},
		proves: []string{"quoted", "valid", "currency-order", "terms-order", "delivery-order", "salesperson", "unit", "text", "tax-code", "amount", "net", "rate", "tax", "gross"},
		values: values{"quoted_on": "2026-11-24", "valid_until": "2026-12-31", "currency": "EUR", "payment_terms": "N30", "delivery_terms": "DAP", "salesperson": "FINN",
			"lines.1.unit": "bag", "lines.1.text": "Coarse sea salt, 25 kg bag", "lines.1.tax_code": "S", "lines.2.amount": "45.13", "net_total": "235.13", "tax_rate": "0.23", "tax_total": "54.08", "gross_total": "289.21"}},
	{name: "A quotation for nobody is refused", proves: []string{"customer"}, company: "20", kindType: "QT", lines: []values{{"item": "I2001", "quantity": "1", "price": "5"}}, verdict: "refused"},
	{name: "A quotation of nothing is refused", proves: []string{"item"}, company: "10", kindType: "QT", entered: values{"customer": "C10001"}, lines: []values{with(bags, values{"item": ""})}, verdict: "refused"},
	{name: "A quotation without a quantity is refused", proves: []string{"quantity"}, company: "10", kindType: "QT", entered: values{"customer": "C10001"}, lines: []values{with(bags, values{"quantity": ""})}, verdict: "refused"},
	{name: "No quantity is quoted", proves: []string{"some"}, company: "10", kindType: "QT", entered: values{"customer": "C10001"}, lines: []values{with(bags, values{"quantity": "0"})}, verdict: "refused"},
	{name: "A typed amount of a quotation is not taken", proves: []string{"amount-shown"}, company: "10", kindType: "QT", entered: values{"customer": "C10001"}, lines: []values{with(bags, values{"amount": "1"})}, values: values{"lines.1.amount": "190"}},
	{name: "A quotation of one day is accepted", proves: []string{"validity"}, company: "10", kindType: "QT", entered: values{"customer": "C10001", "valid_until": "2026-11-24"}, lines: []values{bags}},
	{name: "A quotation that has ended is refused", proves: []string{"validity"}, company: "10", kindType: "QT", entered: values{"customer": "C10001", "valid_until": "2026-11-23"}, lines: []values{bags}, verdict: "refused"},
}
