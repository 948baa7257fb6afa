package demo

import "codicil/core/rule"

func salesRules() []given {
	return []given{
		required("customer", "customer", everywhere, "", note("Finn, sales", "2024-02-05", "An order without a customer cannot be delivered.")),
		required("item", "lines.item", everywhere, "", note("Finn, sales", "2024-02-05", "A line without an item cannot be picked.")),
		required("quantity", "lines.quantity", everywhere, "", note("Finn, sales", "2024-02-05", "A blank quantity was delivered as one.")),
		required("price", "lines.price", groups("SO", "SX", "SR"), "", note("Group accounting", "2024-02-05", "Lines without a price were invoiced with nothing.")),
		required("wanted-rush", "wanted_on", groups("SR"), "", note("Finn, quay", "2025-06-02", "Rush orders without a delivery date were left until last.")),
		closed("amount-shown", "lines.amount", everywhere, rule.ReadOnly, note("Group accounting", "2024-02-05", "The amount is worked out from quantity, price and discount.")),
		closed("complete-export", "ship_complete", groups("SX"), rule.Hidden, note("Sif, customs", "2024-11-12", "One export declaration covers one shipment; exports always leave complete.")),

		fill("ordered", "ordered_on", everywhere, "", rule.NewOnly, "today()", note("Finn, sales", "2024-02-05", "Nearly always today.")),
		copied("currency-order", "currency", everywhere, "", "customer.currency", note("Group accounting", "2024-02-05", "Agreed with the customer.")),
		fill("currency-company", "currency", everywhere, "is blank(customer.currency)", rule.WheneverBlank, "company.currency", note("Group accounting", "2024-02-05", "Without an agreement we invoice in our own currency.")),
		copied("terms-order", "payment_terms", everywhere, `type.key != "SR"`, "customer.payment_terms", note("Group accounting", "2024-02-05", "Agreed with the customer; a single order may differ.")),
		fill("terms-rush", "payment_terms", groups("SR"), "", rule.NewOnly, `"N14"`, note("Birk, Chandlery", "2025-06-02", "Rush orders are invoiced on the day and paid within two weeks.")),
		copied("delivery-order", "delivery_terms", everywhere, "", "customer.delivery_terms", note("Finn, sales", "2024-06-18", "Agreed with the customer.")),
		copied("list-order", "price_list", everywhere, "", "customer.price_list", note("Finn, sales", "2024-02-05", "Every customer has one list.")),
		copied("salesperson", "salesperson", everywhere, "", "customer.salesperson", note("Finn, sales", "2024-02-05", "Who looks after the customer looks after the order.")),
		copied("unit", "lines.unit", everywhere, "", "line.item.unit", note("Finn, sales", "2024-02-05", "Bags were ordered and kilograms delivered.")),
		copied("text", "lines.text", everywhere, "", "line.item.name", note("Finn, sales", "2024-02-05", "May be changed for one order.")),
		copied("text-kaisan", "lines.text", in("30"), "is filled(line.item.name_local)", "line.item.name_local", note("Rina, Kaisan", "2024-05-02", "Japanese customers read Japanese delivery notes.")),
		copied("tax-code", "lines.tax_code", everywhere, `type.key != "SX"`, "line.item.tax_code", note("Group tax", "2024-03-11", "The item knows how it is taxed.")),
		fill("tax-code-export", "lines.tax_code", groups("SX"), "", rule.WheneverBlank, `"X"`, note("Group tax", "2024-03-11", "Exports leave untaxed.")),
		ruleOf("confirmation", rule.Default, "confirmation", everywhere, "", rule.Effect{Lifetime: rule.NewOnly, Fixed: true, Series: "confirmations"}, note("Finn, sales", "2025-01-12", "Customers quote this number over the telephone, so it has a check digit.")),
		ruleOf("freight", rule.Default, "freight", groups("SR"), "", rule.Effect{Lifetime: rule.WheneverBlank, Fixed: true, Value: "standing.rush_freight"}, note("Birk, Chandlery", "2025-06-02", "Everyone charged from memory.")),
		live("limit-shown", "credit_limit", groups("SO", "SX", "SR"), "customer.credit_limit", note("Treasury", "2024-08-27", "So that it is seen before it is approved.")),

		replace("sample-free", "lines.discount", groups("SM"), "", "1", note("Group accounting", "2024-07-22", "Samples are given away; somebody kept invoicing them.")),
		computed("amount", "lines.amount", everywhere, "is filled(line.quantity) and is filled(line.price)", "line.quantity * line.price * (1 - (if is filled(line.discount) then line.discount else 0))", note("Group accounting", "2024-02-05", "One way to work out an amount.")),
		computed("net", "net_total", everywhere, "some amount in lines.amount satisfies is filled(amount)", "sum(lines.amount[is filled(item)])", note("Group accounting", "2024-02-05", "The sum of the lines that have an amount.")),
		computed("rate", "tax_rate", everywhere, "", `crosswalk("sales_tax", company.country)`, note("Group tax", "2024-03-11", "The standard rate of the company's country.")),
		computed("rate-export", "tax_rate", groups("SX"), "", "0", note("Group tax", "2024-03-11", "Exports are not taxed.")),
		computed("tax", "tax_total", everywhere, "is filled(net_total)", "net_total * tax_rate", note("Group tax", "2024-03-11", "Rounded once, on the total.")),
		computed("gross", "gross_total", everywhere, "is filled(net_total)", "net_total + tax_total", note("Group tax", "2024-03-11", "What the customer pays.")),
		ruleOf("taken", rule.Compute, "credit_taken", groups("SO", "SX", "SR"), "customer.credit_limit > 0", rule.Effect{
			Value: "((if is filled(customer.credit_used) then customer.credit_used else 0) + (if is filled(gross_total) then gross_total else 0)) / customer.credit_limit",
			Bands: []rule.Band{{Label: "free", Until: "0.7", Level: rule.Calm, Shape: rule.Round}, {Label: "tight", Until: "1", Including: true, Level: rule.Watch, Shape: rule.Diamond}, {Label: "over", Level: rule.Pressed, Shape: rule.Triangle}},
		}, note("Treasury", "2025-04-20", "It shows at a glance whether to call first.")),

		must("some", "lines.quantity", everywhere, rule.Refuse, "", "line.quantity > 0", "The quantity must be more than zero. Enter it, or remove the line.", note("Finn, sales", "2024-02-05", "A return is a document of its own.")),
		must("discount-line", "lines.discount", groups("SO", "SX", "SR"), rule.Confirm, "", "line.discount <= 0.05", "More than 5 % discount in one line. Say who approved it.", note("Group accounting", "2025-02-10", "Asked for after the spring audit.")),
		must("wanted", "wanted_on", everywhere, rule.Refuse, "", "wanted_on >= ordered_on", "The delivery date is before the order date. Correct one of the two dates.", note("Finn, sales", "2024-06-18", "Last year's date, typed in January.")),
		must("blocked", "customer", everywhere, rule.Refuse, "customer.delivery_block", "false", "Deliveries to this customer are on hold. Ask accounting before you take the order.", note("Treasury", "2024-10-21", "Two customers on hold got deliveries.")),
		must("item-once", "lines.item", groups("SO", "SX", "SR"), rule.Advise, "is filled(line.item)", "count(lines[item = line.item]) = 1", "This item is on another line too. Combine the quantities.", note("Finn, sales", "2025-03-09", "The warehouse packed one of the two lines.")),
		must("transit", "wanted_on", groups("SO", "SX", "SR"), rule.Advise, "", `wanted_on >= add days(ordered_on, crosswalk("transit", company.key, customer.country))`, `Goods to {customer.country} are {crosswalk("transit", company.key, customer.country)} days on their way. Agree on a later day.`, note("Finn, quay", "2025-06-08", "Promised for Friday, sailed on Friday.")),
		must("limit", "gross_total", groups("SO", "SX", "SR"), rule.Confirm, "", "gross_total <= customer.credit_limit", "The order of {gross_total} is over the credit limit of {customer.credit_limit}. Say who approved it.", note("Treasury", "2024-08-27", "The limit was looked at once a year.")),

		after("used", "customer.credit_used", groups("SO", "SX", "SR"), "gross_total != 0", "(if is filled(customer.credit_used) then customer.credit_used else 0) + gross_total", note("Treasury", "2025-04-20", "What was ordered counts, not only what was invoiced.")),
		after("sold", "lines.item.last_sold_on", groups("SO", "SX", "SR"), "is blank(line.item.last_sold_on) or line.item.last_sold_on < ordered_on", "ordered_on", note("Finn, quay", "2025-05-11", "Items nobody bought for two years are discontinued.")),
	}
}

var order = values{"customer": "C10001", "wanted_on": "2026-12-01"}

var bags = values{"item": "I1001", "quantity": "10", "price": "19"}

var salesProofs = []givenProof{
	{name: "An order takes its terms from the customer and adds up its lines", company: "10", kindType: "SO", entered: order, lines: []values{bags, {"item": "I1004", "quantity": "3", "price": "15.35", "discount": "0.02"}},
		proves: []string{"ordered", "currency-order", "terms-order", "delivery-order", "list-order", "salesperson", "unit", "text", "tax-code", "amount", "net", "rate", "tax", "gross"},
		values: values{"ordered_on": "2026-11-24", "currency": "EUR", "payment_terms": "N30", "delivery_terms": "DAP", "price_list": "PL10", "salesperson": "FINN",
			"lines.1.unit": "bag", "lines.1.text": "Coarse sea salt, 25 kg bag", "lines.1.tax_code": "S", "lines.1.amount": "190", "lines.2.amount": "45.13", "net_total": "235.13", "tax_rate": "0.23", "tax_total": "54.08", "gross_total": "289.21"}},
	{name: "An order without a customer is refused, in our own currency", proves: []string{"customer", "currency-company"}, company: "10", kindType: "SO", lines: []values{bags}, verdict: "refused", values: values{"currency": "EUR"}},
	{name: "A line without an item is refused", proves: []string{"item"}, company: "10", kindType: "SO", entered: order, lines: []values{with(bags, values{"item": ""})}, verdict: "refused"},
	{name: "A line without a quantity is refused", proves: []string{"quantity"}, company: "10", kindType: "SO", entered: order, lines: []values{with(bags, values{"quantity": ""})}, verdict: "refused"},
	{name: "A line without a price is refused", proves: []string{"price"}, company: "10", kindType: "SO", entered: order, lines: []values{with(bags, values{"price": ""})}, verdict: "refused"},
	{name: "A sample needs no price", proves: []string{"price"}, company: "10", kindType: "SM", entered: order, lines: []values{with(bags, values{"price": ""})}},
	{name: "A sample is given away", proves: []string{"sample-free"}, company: "10", kindType: "SM", entered: order, lines: []values{bags}, values: values{"lines.1.discount": "1", "lines.1.amount": "0", "gross_total": "0"}},
	{name: "A rush order needs its day and is paid within two weeks", proves: []string{"wanted-rush", "terms-rush"}, company: "10", kindType: "SR", entered: with(order, values{"wanted_on": ""}), lines: []values{bags}, verdict: "refused", values: values{"payment_terms": "N14"}},
	{name: "A typed amount is not taken", proves: []string{"amount-shown"}, company: "10", kindType: "SO", entered: order, lines: []values{with(bags, values{"amount": "1"})}, values: values{"lines.1.amount": "190"}},
	{name: "An export leaves complete and untaxed", proves: []string{"complete-export", "tax-code-export", "rate-export"}, company: "10", kindType: "SX", entered: with(order, values{"ship_complete": "false"}), lines: []values{bags},
		values: values{"ship_complete": "", "lines.1.tax_code": "X", "tax_rate": "0", "tax_total": "0", "gross_total": "190"}},
	{name: "A Japanese customer reads Japanese, and yen have no decimals", proves: []string{"text-kaisan", "rate"}, company: "30", kindType: "SO", entered: values{"customer": "C30001"}, lines: []values{{"item": "I1003", "quantity": "7", "price": "515", "discount": "0.025"}},
		values: values{"lines.1.text": "フレークソルト", "lines.1.amount": "3515", "tax_total": "352", "gross_total": "3867"}},
	{name: "Nothing cannot be ordered", proves: []string{"some"}, company: "10", kindType: "SO", entered: order, lines: []values{bags, with(bags, values{"quantity": "0"})}, verdict: "refused"},
	{name: "Five percent discount need no reason", proves: []string{"discount-line"}, company: "10", kindType: "SO", entered: order, lines: []values{with(bags, values{"discount": "0.05"})}},
	{name: "A tenth of a percent more needs a reason", proves: []string{"discount-line"}, company: "10", kindType: "SO", entered: order, lines: []values{with(bags, values{"discount": "0.051"})}, verdict: "needs reason"},
	{name: "Goods may be wanted on the day they are ordered", proves: []string{"wanted"}, company: "10", kindType: "SO", entered: with(order, values{"wanted_on": "2026-11-24"}), lines: []values{bags}},
	{name: "Goods wanted yesterday are refused", proves: []string{"wanted"}, company: "10", kindType: "SO", entered: with(order, values{"wanted_on": "2026-11-23"}), lines: []values{bags}, verdict: "refused"},
	{name: "One item in two lines is advised against", proves: []string{"item-once"}, company: "10", kindType: "SO", entered: order, lines: []values{bags, with(bags, values{"quantity": "2"})}},
	{name: "Two items in two lines are in order", proves: []string{"item-once"}, company: "10", kindType: "SO", entered: order, lines: []values{bags, {"item": "I1004", "quantity": "3", "price": "15.35"}}},
	{name: "A customer on hold is refused", proves: []string{"blocked"}, company: "40", kindType: "SO", entered: values{"customer": "C40004"}, lines: []values{{"item": "I1011", "quantity": "1", "price": "4"}}, verdict: "refused"},
	{name: "An order over the credit limit needs a reason", proves: []string{"limit", "taken"}, company: "10", kindType: "SO", entered: order, lines: []values{with(bags, values{"quantity": "9999"})}, verdict: "needs reason", bands: values{"credit_taken": "over"}},
	{name: "An order within the credit limit shows how much of it is taken", proves: []string{"limit-shown", "taken", "confirmation"}, company: "10", kindType: "SO", entered: with(order, values{"credit_limit": "1", "confirmation": "mine"}), lines: []values{bags},
		values: values{"confirmation": "C10-26-00017"}, acting: true},
	{name: "A rush order pays the freight of the year", proves: []string{"freight"}, company: "10", kindType: "SR", entered: with(order, values{"freight": "1"}), lines: []values{bags}, values: values{"freight": "48.5"}},
	{name: "A posted order counts against the limit, and its items were sold", proves: []string{"used", "sold"}, company: "20", kindType: "SO", entered: values{"customer": "C20001", "wanted_on": "2026-12-01"}, lines: []values{{"item": "I2001", "quantity": "1", "price": "5"}}, acting: true},
	{name: "Goods that are wanted too early are advised against", proves: []string{"transit"}, company: "10", kindType: "SO", entered: with(order, values{"wanted_on": "2026-11-25"}), lines: []values{bags}},
	{name: "Goods that are wanted when they can be there are in order", proves: []string{"transit"}, company: "10", kindType: "SO", entered: with(order, values{"wanted_on": "2026-11-26"}), lines: []values{bags}},
}
