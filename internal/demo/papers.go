package demo

import (
	"context"
	"fmt"
	"math/rand/v2"
	"strings"
	"time"

	"codicil/core/proof"
	"codicil/core/record"
	"codicil/internal/contract"
	"codicil/internal/desk"
	"codicil/internal/store"
)

// maps say how quotations become orders, and orders invoices.
var maps = []record.FollowOn{
	{Name: "Order from quotation", From: "quotation", To: "sales_order", Pairs: pairs(
		"#", "quotation", "customer", "customer", "reference", "reference", "currency", "currency", "payment_terms", "payment_terms", "salesperson", "salesperson",
		"delivery_terms", "delivery_terms", "delivery_place", "delivery_place", "wanted_on", "wanted_on",
		"lines.item", "lines.item", "lines.text", "lines.text", "lines.quantity", "lines.quantity", "lines.unit", "lines.unit", "lines.price", "lines.price", "lines.discount", "lines.discount", "lines.tax_code", "lines.tax_code")},
	{Name: "Customer invoice from order", From: "sales_order", To: "accounting_document", Type: "CI", Pairs: append(pairs(
		"#", "order", "#", "reference", "customer", "customer", "currency", "currency", "payment_terms", "payment_terms", "gross_total", "total",
		"lines.text", "lines.text", "lines.amount", "lines.credit", "lines.tax_code", "lines.tax_code", "lines.item", "lines.item", "lines.quantity", "lines.quantity", "lines.unit", "lines.unit"),
		record.Pair{Constant: "110000", To: "lines.account", Line: 1}, record.Pair{From: "gross_total", To: "lines.debit", Line: 1}, record.Pair{From: "reference", To: "lines.text", Line: 1},
		record.Pair{Constant: "220000", To: "lines.account", Line: 2}, record.Pair{From: "tax_total", To: "lines.credit", Line: 2}, record.Pair{Constant: "Output tax", To: "lines.text", Line: 2})},
}

func pairs(keys ...string) []record.Pair {
	var list []record.Pair
	for i := 0; i < len(keys); i += 2 {
		list = append(list, record.Pair{From: keys[i], To: keys[i+1]})
	}
	return list
}

// generator writes the papers of the year, the same at every start.
type generator struct {
	ctx       context.Context
	d         *desk.Desk
	open      func() *desk.Desk
	r         *rand.Rand
	at        *time.Time                     // the clock of the desk: papers are written on their days
	partners  map[string]map[string][]string // by kind and company: numbers
	groups    map[string]string              // of vendors, by number
	names     map[string]string              // of vendors, by number
	countries map[string]string              // by number
	control   map[string]string              // account of a vendor, by number
	maps      []int64
}

// fill fills in the records, from what is linked to to what links.
func (g *generator) fill(s *store.Store) error {
	g.partners, g.groups, g.names = map[string]map[string][]string{}, map[string]string{}, map[string]string{}
	g.countries, g.control = map[string]string{}, map[string]string{}
	for _, a := range accounts {
		v := values{"name": a[2], "cost_centre_required": fmt.Sprint(costly[a[0]]), "control_for": a[3], "blocked": fmt.Sprint(a[0] == blockedAccount)}
		if costly[a[0]] || a[0] == "510000" {
			v["tax_code"] = "S"
		}
		if err := g.keep(s, "gl_account", saved{a[0], "10", a[1], v}); err != nil {
			return err
		}
	}
	for _, c := range costCentres {
		if err := g.keep(s, "cost_centre", saved{c[0], c[1], c[2], values{"name": c[3], "head": c[4], "opened": "2020-01-01"}}); err != nil {
			return err
		}
	}
	for _, v := range oldVendors {
		if err := g.keep(s, "vendor", v); err != nil {
			return err
		}
	}
	for _, item := range goods {
		v := values{"name": item.name, "name_local": item.local, "unit": item.unit, "net_weight": item.weight, "customs_code": item.customs, "shelf_life": item.shelf,
			"tax_code": "S", "revenue_account": map[string]string{"SALT": "400000", "CHAN": "401000"}[item.group], "discontinued": "false"}
		if err := g.keep(s, "item", saved{item.number, map[string]string{"SALT": "10", "CHAN": "20"}[item.group], item.group, v}); err != nil {
			return err
		}
	}
	for _, c := range companies {
		if err := g.prices(s, c); err != nil {
			return err
		}
	}
	g.d = g.open() // which knows what was kept without it
	for _, p := range newVendors {
		if err := g.partner("vendor", p, p.vendor(g.r)); err != nil {
			return err
		}
	}
	for _, p := range customers {
		if err := g.partner("customer", p, with(p.customer(g.r), agreed[p.name])); err != nil {
			return err
		}
	}
	for _, m := range maps {
		kept, err := g.d.SaveFollowOn(g.ctx, m)
		if err != nil {
			return fmt.Errorf("map %s: %w", m.Name, err)
		}
		g.maps = append(g.maps, kept.ID)
	}
	for _, c := range companies {
		for _, write := range []func(string) error{g.opening, g.sales, g.purchases, g.closing} {
			if err := write(c.Key); err != nil {
				return fmt.Errorf("company %s: %w", c.Key, err)
			}
		}
	}
	return nil
}

// blockedAccount is an old account that only reports still need.
const blockedAccount = "170000"

// agreed are agreements that proofs rely on.
var agreed = map[string]values{
	"Quayside Grocers Co-op": {"payment_terms": "N30", "delivery_terms": "DAP"},
	"Drogerie zum Murmel":    {"delivery_block": "true"},
}

// keep keeps a record whose number is part of the scenario.
func (g *generator) keep(s *store.Store, kind string, r saved) error {
	v := values{}
	for key, value := range r.values {
		if value != "" {
			v[key] = value
		}
	}
	_, err := s.AddRecord(g.ctx, store.Record{Kind: kind, Number: r.number, Company: r.company, Type: r.kindType, State: store.Kept, Values: v}, "", 0, *g.at, "")
	if err != nil {
		return fmt.Errorf("%s %s: %w", kind, r.number, err)
	}
	g.know(kind, r.number, r.company, r.kindType, v)
	return nil
}

// partner keeps a vendor or customer as a clerk would.
func (g *generator) partner(kind string, p partner, v values) error {
	r, err := g.save(documentOf(kind, p.company, p.group, "", v), nil)
	if err != nil {
		return fmt.Errorf("%s %s: %w", kind, p.name, err)
	}
	g.know(kind, r.Number, r.Company, r.Type, r.Content.Values)
	return nil
}

// know remembers what papers can name: not who is blocked, and no one-time vendors.
func (g *generator) know(kind, number, company, kindType string, v values) {
	if v["delivery_block"] == "true" || v["payment_block"] == "true" || kindType == "ONCE" {
		return
	}
	if g.partners[kind] == nil {
		g.partners[kind] = map[string][]string{}
	}
	g.partners[kind][company] = append(g.partners[kind][company], number)
	g.countries[number], g.control[number] = v["country"], v["control_account"]
	if kind == "vendor" {
		g.groups[number], g.names[number] = kindType, v["name"]
	}
}

// prices keeps the price list of a company: the first half of the year, and what
// holds since July.
func (g *generator) prices(s *store.Store, c record.Company) error {
	r := store.Record{Kind: "price_list", Number: "PL" + c.Key, Company: c.Key, Type: "LIST", State: store.Kept,
		Values: values{"name": "List prices of " + c.Name, "currency": c.Currency, "includes_tax": "false"}}
	for _, item := range goodsOf(c.Key) {
		for _, half := range [][2]record.Day{{"2026-01-01", "2026-06-30"}, {"2026-07-01", ""}} {
			v := values{"item": item.number, "valid_from": string(half[0]), "price": item.price(c.Key, half[0]), "per": "1"}
			if half[1] != "" {
				v["valid_until"] = string(half[1])
			}
			r.Lines = append(r.Lines, record.Line{Number: len(r.Lines) + 1, Values: v})
		}
	}
	_, err := s.AddRecord(g.ctx, r, "", 0, *g.at, "")
	return err
}

func day(month, date int) record.Day { return record.Day(fmt.Sprintf("2026-%02d-%02d", month, date)) }

func (g *generator) pick(kind, company string) string {
	list := g.partners[kind][company]
	return list[g.r.IntN(len(list))]
}

// save keeps a record on its day. It must be accepted.
func (g *generator) save(document proof.Document, origin *contract.Use) (*contract.Record, error) {
	if document.Day != "" {
		at, err := time.Parse(time.DateOnly, string(document.Day))
		if err != nil {
			return nil, err
		}
		*g.at = at.Add(time.Duration(8*60+g.r.IntN(540)) * time.Minute)
	}
	answer, err := g.d.SaveRecord(g.ctx, contract.SaveRequest{Document: document, Origin: origin})
	switch {
	case err != nil:
		return nil, err
	case answer.Record == nil:
		return nil, fmt.Errorf("%s %v was not accepted: %v", document.Kind, document.Entered, answer.Outcome.Messages)
	}
	return answer.Record, nil
}

func (g *generator) post(r *contract.Record) (*contract.Record, error) {
	answer, err := g.d.PostRecord(g.ctx, r.Kind, r.Number, contract.PostRequest{Version: r.Version})
	switch {
	case err != nil:
		return nil, err
	case answer.Record == nil:
		return nil, fmt.Errorf("%s %v was not posted: %v", r.Number, r.Content, answer.Outcome.Messages)
	}
	return answer.Record, nil
}

func documentOf(kind, company, kindType string, on record.Day, header values, lines ...values) proof.Document {
	d := proof.Document{Kind: kind, Company: company, Type: kindType, Day: on, Entered: items(header)}
	for i, l := range lines {
		d.Lines = append(d.Lines, proof.Line{Number: i + 1, Entered: items(l)})
	}
	return d
}

func items(v values) map[string]proof.Item {
	entered := map[string]proof.Item{}
	for key, value := range v {
		entered[key] = proof.Item{Value: value}
	}
	return entered
}

// price is what an item costs in a company on a day: prices went up in July.
func (item good) price(company string, on record.Day) string {
	s := scale[company]
	hundredths := item.cents * s.rate / 100
	if on >= "2026-07-01" {
		hundredths = hundredths * 103 / 100
	}
	if s.places == 0 {
		return fmt.Sprint((hundredths + 500) / 1000 * 10)
	}
	return amount((hundredths+2)/5*5, s.places)
}

// goodsOf are what a company sells.
func goodsOf(company string) []good {
	var sold []good
	for _, item := range goods {
		if (company == "20") == (item.group == "CHAN") || item.number == "I2013" {
			sold = append(sold, item)
		}
	}
	return sold
}

// wares makes some lines of an order or quotation.
func (g *generator) wares(company string, on record.Day) []values {
	sold := goodsOf(company)
	var lines []values
	for _, i := range g.r.Perm(len(sold))[:1+g.r.IntN(4)] {
		item, quantity := sold[i], []int{2, 5, 10, 12, 20, 24, 40}[g.r.IntN(7)]
		if item.unit == "t" {
			quantity = 1 + g.r.IntN(4)
		}
		line := values{"item": item.number, "quantity": fmt.Sprint(quantity), "price": item.price(company, on)}
		if g.r.IntN(5) == 0 {
			line["discount"] = []string{"0.02", "0.05", "0.025"}[g.r.IntN(3)]
		}
		lines = append(lines, line)
	}
	return lines
}

// sales writes quotations, orders and the invoices of a company.
func (g *generator) sales(company string) error {
	for n := range 13 {
		on := day(1+n*10/12, 2+g.r.IntN(20))
		customer := g.pick("customer", company)
		kindType := "SO"
		abroad := g.countries[customer] != companyOf(company).Country
		if abroad {
			kindType = "SX"
		}
		header := values{"customer": customer, "reference": fmt.Sprintf("PO %d", 4100+g.r.IntN(900)), "wanted_on": string(day(1+n*10/12, 24))}
		var origin *contract.Use
		document := documentOf("sales_order", company, kindType, on, with(header, values{"ordered_on": string(on)}), g.wares(company, on)...)
		if n%4 == 3 {
			quoted, err := g.quote(company, customer, header, on)
			if err != nil {
				return err
			}
			begun, err := g.d.Begin(g.ctx, g.maps[0], contract.BeginRequest{Number: quoted.Number, Type: kindType})
			if err != nil {
				return err
			}
			document, origin = begun.Document, &begun.Origin
			document.Day = on
			document.Entered["ordered_on"] = proof.Item{Value: string(on)}
		}
		order, err := g.save(document, origin)
		if err != nil {
			return err
		}
		if n == 12 {
			continue // the newest waits for somebody
		}
		if order, err = g.post(order); err != nil {
			return err
		}
		if n >= 10 {
			continue // not delivered yet
		}
		if err := g.invoice(order, on, n < 7); err != nil {
			return err
		}
	}
	_, err := g.quote(company, g.pick("customer", company), values{"reference": "Inquiry of Monday", "wanted_on": "2026-12-11"}, day(11, 19))
	return err
}

func (g *generator) quote(company, customer string, header values, on record.Day) (*contract.Record, error) {
	return g.save(documentOf("quotation", company, "QT", on, with(header, values{"customer": customer, "quoted_on": string(on)}), g.wares(company, on)...), nil)
}

// invoice writes and posts the invoice of an order five days later, and what the
// customer pays for it.
func (g *generator) invoice(order *contract.Record, ordered record.Day, paid bool) error {
	begun, err := g.d.Begin(g.ctx, g.maps[1], contract.BeginRequest{Number: order.Number})
	if err != nil {
		return err
	}
	document := begun.Document
	document.Day = later(ordered, 5)
	document.Entered["posting_date"], document.Entered["document_date"] = proof.Item{Value: string(document.Day)}, proof.Item{Value: string(document.Day)}
	r, err := g.save(document, &begun.Origin)
	if err != nil {
		return err
	}
	if r, err = g.post(r); err != nil || !paid {
		return err
	}
	v, on := r.Content.Values, later(document.Day, 21)
	return g.keepPosted(documentOf("accounting_document", r.Company, "PY", on, values{
		"customer": v["customer"], "reference": v["reference"], "posting_date": string(on), "currency": v["currency"], "total": v["total"], "text": "Received for " + r.Number,
	}, values{"account": "100000", "debit": v["total"], "text": "Bank"}, values{"account": "110000", "credit": v["total"]}))
}

// keepPosted keeps a document and posts it.
func (g *generator) keepPosted(document proof.Document) error {
	r, err := g.save(document, nil)
	if err == nil {
		_, err = g.post(r)
	}
	return err
}

// opening posts what a company begins the year with.
func (g *generator) opening(company string) error {
	s := scale[company]
	first := day(1, 1)
	line := func(account, side string, euro int64) values {
		if company == "30" {
			euro /= 8 // the youngest company
		}
		return values{"account": account, side: amount(euro*100*s.rate/100, s.places)}
	}
	return g.keepPosted(documentOf("accounting_document", company, "JE", first, values{"posting_date": string(first), "text": "Opening of the year"},
		line("100000", "debit", 180000), line("120000", "debit", 64000), line("150000", "debit", 420000), line("151000", "debit", 236000),
		line("159000", "credit", 148000), line("300000", "credit", 400000), line("310000", "credit", 352000)))
}

func later(d record.Day, days int) record.Day {
	at, _ := time.Parse(time.DateOnly, string(d))
	return record.Day(at.AddDate(0, 0, days).Format(time.DateOnly))
}

// taxes are the standard rates in hundredths of a percent.
var taxes = map[string]int64{"10": 2300, "20": 2500, "30": 1000, "40": 810}

// trades tell by a word of a vendor's name what is bought there: account, text,
// euro cents from and to. The last ones are for groups.
var trades = []struct {
	word, account, text string
	from, to            int64
}{
	{"Fuel", "520000", "Fuel oil for the pans", 180000, 700000}, {"Freight", "530000", "Freight", 18000, 130000}, {"Unso", "530000", "Freight", 18000, 130000},
	{"Transporte", "530000", "Freight", 18000, 130000}, {"Accountants", "560000", "Accounting fees", 40000, 120000}, {"Treuhand", "560000", "Accounting fees", 40000, 120000},
	{"Design", "560000", "Design of labels", 30000, 90000}, {"Werbung", "560000", "Advertising", 20000, 80000}, {"Rengøring", "560000", "Cleaning", 6000, 24000},
	{"Inspection", "550000", "Tank inspection", 24000, 90000}, {"Lab", "550000", "Laboratory tests", 12000, 60000}, {"Prüftechnik", "550000", "Calibration of scales", 15000, 70000},
	{"SERV", "540000", "Repair", 15000, 240000}, {"STAFF", "570000", "Travel expenses", 3000, 45000}, {"TRAD", "510000", "Packaging", 20000, 160000},
}

// bought returns what a company buys from a vendor.
func (g *generator) bought(company, vendor string) (account, text string, cents int64) {
	for _, t := range trades {
		if strings.Contains(g.names[vendor], t.word) || g.groups[vendor] == t.word {
			account, text, cents = t.account, t.text, t.from+g.r.Int64N(t.to-t.from)
			break
		}
	}
	if company == "20" && account == "510000" {
		account, text = "121000", "Goods for resale"
	}
	return account, text, cents
}

// purchases writes the vendor invoices, credits and payments of a company.
func (g *generator) purchases(company string) error {
	for n := range 18 {
		vendor := g.pick("vendor", company)
		account, text, cents := g.bought(company, vendor)
		on := day(1+n*10/17, 1+g.r.IntN(22))
		net := cents * scale[company].rate / 100
		if scale[company].places == 0 {
			net = net / 100 * 100
		}
		r, err := g.bill(company, vendor, "VI", account, text, net, on)
		if err != nil {
			return err
		}
		switch {
		case n == 17: // not looked at yet
			continue
		case n%9 == 4:
			if _, err := g.post(r); err != nil {
				return err
			}
			if r, err = g.bill(company, vendor, "VC", account, "Credit for returned goods", net/10/100*100, later(on, 9)); err != nil {
				return err
			}
		}
		if r, err = g.post(r); err != nil {
			return err
		}
		if r.Type == "VI" && n < 12 {
			if err := g.pay(r, vendor, later(on, 14)); err != nil {
				return err
			}
		}
	}
	return nil
}

// bill keeps a vendor invoice or credit over a net amount of hundredths.
func (g *generator) bill(company, vendor, kindType, account, text string, net int64, on record.Day) (*contract.Record, error) {
	places, tax := scale[company].places, int64(0)
	if g.countries[vendor] == companyOf(company).Country && g.groups[vendor] != "STAFF" {
		tax = (net*taxes[company] + 5000) / 10000
		if places == 0 {
			tax = tax / 100 * 100
		}
	}
	own, other := "debit", "credit"
	if kindType == "VC" {
		own, other = other, own
	}
	cost := values{"account": account, own: amount(net, places), "text": text, "tax_code": "S"}
	if costly[account] {
		cost["cost_centre"] = g.pick("cost_centre", company)
	}
	lines := []values{cost}
	if tax > 0 {
		lines = append(lines, values{"account": "118000", own: amount(tax, places), "text": "Input tax"})
	} else {
		cost["tax_code"] = "E"
	}
	lines = append(lines, values{"account": g.control[vendor], other: amount(net+tax, places)})
	prefix := map[string]string{"VI": "INV-", "VC": "CR-"}[kindType]
	return g.save(documentOf("accounting_document", company, kindType, on, values{
		"vendor": vendor, "reference": fmt.Sprintf("%s%05d", prefix, 1000+g.r.IntN(89000)), "document_date": string(on), "posting_date": string(later(on, 1)),
		"currency": currencies[company], "total": amount(net+tax, places), "text": text,
	}, lines...), nil)
}

// pay posts the payment of a vendor invoice.
func (g *generator) pay(invoice *contract.Record, vendor string, on record.Day) error {
	total := invoice.Content.Values["total"]
	return g.keepPosted(documentOf("accounting_document", invoice.Company, "PY", on, values{
		"vendor": vendor, "reference": invoice.Content.Values["reference"], "posting_date": string(on), "currency": invoice.Content.Values["currency"], "total": total, "text": "Payment of " + invoice.Number,
	}, values{"account": g.control[vendor], "debit": total}, values{"account": "100000", "credit": total, "text": "Bank"}))
}

// closing posts what is booked at the end of months: depreciation and accruals.
func (g *generator) closing(company string) error {
	s := scale[company]
	for month := 4; month <= 10; month += 3 {
		last := later(day(month+1, 1), -1)
		wear, energy := amount(41250*s.rate/100/100*100, s.places), amount((15000+g.r.Int64N(30000))*s.rate/100/100*100, s.places)
		centre := g.partners["cost_centre"][company][0]
		entries := []proof.Document{
			documentOf("accounting_document", company, "JE", last, values{"posting_date": string(last), "text": "Depreciation of the month"},
				values{"account": "590000", "debit": wear, "cost_centre": centre}, values{"account": "159000", "credit": wear}),
			documentOf("accounting_document", company, "AC", last, values{"posting_date": string(last), "text": "Energy not yet invoiced"},
				values{"account": "520000", "debit": energy, "cost_centre": centre}, values{"account": "230000", "credit": energy}),
		}
		for _, document := range entries {
			r, err := g.save(document, nil)
			if err == nil {
				r, err = g.post(r)
			}
			if err != nil {
				return err
			}
			if document.Type == "AC" { // taken back at the beginning of the next month
				next := later(last, 1)
				if _, err = g.d.ReverseRecord(g.ctx, r.Kind, r.Number, contract.ReverseRequest{Version: r.Version, Day: string(next)}); err != nil {
					return err
				}
			}
		}
	}
	return nil
}

func companyOf(key string) record.Company {
	for _, c := range companies {
		if c.Key == key {
			return c
		}
	}
	return record.Company{}
}
