package demo

import (
	"fmt"
	"strings"

	"codicil/core/judge"
	"codicil/core/record"
	"codicil/internal/contract"
)

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

// purchases plans the vendor invoices, credits and payments of a company.
func (g *generator) purchases(company string) {
	for n := range 18 {
		vendor := g.pick("vendor", company)
		account, text, cents := g.bought(company, vendor)
		on := day(1+n*10/17, 1+g.r.IntN(22))
		net := cents * scale[company].rate / 100
		if scale[company].places == 0 {
			net = net / 100 * 100
		}
		g.plan(on, func() error {
			r, err := g.bill(company, vendor, "VI", account, text, net, on)
			if err != nil || n == 17 { // the newest is not looked at yet
				return err
			}
			if r, err = g.post(r); err != nil {
				return err
			}
			switch {
			case n%9 == 4:
				g.plan(later(on, 9), func() error {
					credit, err := g.bill(company, vendor, "VC", account, "Credit for returned goods", net/10/100*100, later(on, 9))
					if err == nil {
						_, err = g.post(credit)
					}
					return err
				})
			case n < 12:
				g.plan(later(on, 14), func() error { return g.pay(r, vendor, later(on, 14)) })
			}
			return nil
		})
	}
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

// closing plans what is booked at the end of months: depreciation and accruals.
func (g *generator) closing(company string) {
	s := scale[company]
	for month := 4; month <= 10; month += 3 {
		last := later(day(month+1, 1), -1)
		wear, energy := amount(41250*s.rate/100/100*100, s.places), amount((15000+g.r.Int64N(30000))*s.rate/100/100*100, s.places)
		centre := g.partners["cost_centre"][company][0]
		entries := []judge.Document{
			documentOf("accounting_document", company, "JE", last, values{"posting_date": string(last), "text": "Depreciation of the month"},
				values{"account": "590000", "debit": wear, "cost_centre": centre}, values{"account": "159000", "credit": wear}),
			documentOf("accounting_document", company, "AC", last, values{"posting_date": string(last), "text": "Energy not yet invoiced"},
				values{"account": "520000", "debit": energy, "cost_centre": centre}, values{"account": "230000", "credit": energy}),
		}
		for _, document := range entries {
			g.plan(last, func() error {
				r, err := g.save(document, nil)
				if err == nil {
					r, err = g.post(r)
				}
				if err != nil || document.Type != "AC" {
					return err
				}
				next := later(last, 1) // taken back at the beginning of the next month
				g.plan(next, func() error {
					g.comes(next)
					_, err := g.d.Posting.Reverse(g.ctx, record.Ref{Kind: r.Kind, Number: r.Number}, contract.ReverseRequest{Version: r.Version, Day: string(next)})
					return err
				})
				return nil
			})
		}
	}
}

func companyOf(key string) record.Company {
	for _, c := range companies {
		if c.Key == key {
			return c
		}
	}
	return record.Company{}
}
