package demo

import (
	"fmt"
	"time"

	"codicil/core/judge"
	"codicil/core/record"
	"codicil/internal/contract"
)

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
func (g *generator) sales(company string) {
	for n := range 13 {
		on := day(1+n*10/12, 2+g.r.IntN(20))
		customer := g.pick("customer", company)
		kindType := "SO"
		abroad := g.countries[customer] != companyOf(company).Country
		if abroad {
			kindType = "SX"
		}
		header := values{"customer": customer, "reference": fmt.Sprintf("PO %d", 4100+g.r.IntN(900)), "wanted_on": string(day(1+n*10/12, 24))}
		document := documentOf("sales_order", company, kindType, on, with(header, values{"ordered_on": string(on)}), g.wares(company, on)...)
		g.plan(on, func() error { return g.order(n, document, header) })
	}
	customer := g.pick("customer", company)
	g.plan(day(11, 19), func() error {
		_, err := g.quote(company, customer, values{"reference": "Inquiry of Monday", "wanted_on": "2026-12-11"}, day(11, 19))
		return err
	})
}

// order keeps an order of the year, every fourth after a quotation, posts it, and plans its invoice. The
// newest waits for somebody, and the two before it are not delivered yet.
func (g *generator) order(n int, document judge.Document, header values) error {
	var origin *contract.Use
	on := document.Day
	if n%4 == 3 {
		quoted, err := g.quote(document.Company, header["customer"], header, on)
		if err != nil {
			return err
		}
		begun, err := g.d.Records.Begin(g.ctx, g.maps[0], contract.BeginRequest{Number: quoted.Number, Type: document.Type})
		if err != nil {
			return err
		}
		document, origin = begun.Document, &begun.Origin
		document.Day = on
		document.Entered["ordered_on"] = judge.Item{Value: string(on)}
	}
	order, err := g.save(document, origin)
	if err != nil || n == 12 {
		return err
	}
	if order, err = g.post(order); err == nil && n < 10 {
		g.plan(later(on, 5), func() error { return g.invoice(order, on, n < 7) })
	}
	return err
}

func (g *generator) quote(company, customer string, header values, on record.Day) (*contract.Record, error) {
	return g.save(documentOf("quotation", company, "QT", on, with(header, values{"customer": customer, "quoted_on": string(on)}), g.wares(company, on)...), nil)
}

// invoice writes and posts the invoice of an order five days later, and what the
// customer pays for it.
func (g *generator) invoice(order *contract.Record, ordered record.Day, paid bool) error {
	begun, err := g.d.Records.Begin(g.ctx, g.maps[1], contract.BeginRequest{Number: order.Number})
	if err != nil {
		return err
	}
	document := begun.Document
	document.Day = later(ordered, 5)
	document.Entered["posting_date"], document.Entered["document_date"] = judge.Item{Value: string(document.Day)}, judge.Item{Value: string(document.Day)}
	r, err := g.save(document, &begun.Origin)
	if err != nil {
		return err
	}
	if r, err = g.post(r); err != nil || !paid {
		return err
	}
	v, on := r.Content.Values, later(document.Day, 21)
	payment := documentOf("accounting_document", r.Company, "PY", on, values{
		"customer": v["customer"], "reference": v["reference"], "posting_date": string(on), "currency": v["currency"], "total": v["total"], "text": "Received for " + r.Number,
	}, values{"account": "100000", "debit": v["total"], "text": "Bank"}, values{"account": "110000", "credit": v["total"]})
	g.plan(on, func() error { return g.keepPosted(payment) })
	return nil
}

// keepPosted keeps a document and posts it.
func (g *generator) keepPosted(document judge.Document) error {
	r, err := g.save(document, nil)
	if err == nil {
		_, err = g.post(r)
	}
	return err
}

// opening plans what a company begins the year with.
func (g *generator) opening(company string) {
	s := scale[company]
	first := day(1, 1)
	line := func(account, side string, euro int64) values {
		if company == "30" {
			euro /= 8 // the youngest company
		}
		return values{"account": account, side: amount(euro*100*s.rate/100, s.places)}
	}
	entry := documentOf("accounting_document", company, "JE", first, values{"posting_date": string(first), "text": "Opening of the year"},
		line("100000", "debit", 180000), line("120000", "debit", 64000), line("150000", "debit", 420000), line("151000", "debit", 236000),
		line("159000", "credit", 148000), line("300000", "credit", 400000), line("310000", "credit", 352000))
	g.plan(first, func() error { return g.keepPosted(entry) })
}

func later(d record.Day, days int) record.Day {
	at, _ := time.Parse(time.DateOnly, string(d))
	return record.Day(at.AddDate(0, 0, days).Format(time.DateOnly))
}
