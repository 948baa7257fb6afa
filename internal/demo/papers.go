package demo

import (
	"context"
	"fmt"
	"math/rand/v2"
	"slices"
	"time"

	"codicil/core/decimal"
	"codicil/core/judge"
	"codicil/core/record"
	"codicil/internal/actor"
	"codicil/internal/app"
	"codicil/internal/contract"
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

// generator writes the papers of the year, the same at every start, one day after the other.
type generator struct {
	ctx       context.Context
	d         *app.App
	open      func() *app.App
	user      string
	r         *rand.Rand
	at        *time.Time                     // the clock: papers are written on their days
	partners  map[string]map[string][]string // by kind and company: numbers
	groups    map[string]string              // of vendors, by number
	names     map[string]string              // of vendors, by number
	countries map[string]string              // by number
	control   map[string]string              // account of a vendor, by number
	maps      []int64
	agenda    []task
}

// task is what somebody does on a day.
type task struct {
	on record.Day
	do func() error
}

// plan puts a task on the agenda.
func (g *generator) plan(on record.Day, do func() error) { g.agenda = append(g.agenda, task{on, do}) }

// work does what is on the agenda, day after day, and what that puts there.
func (g *generator) work() error {
	for len(g.agenda) > 0 {
		first := 0
		for i := range g.agenda {
			if g.agenda[i].on < g.agenda[first].on {
				first = i
			}
		}
		next := g.agenda[first]
		g.agenda = slices.Delete(g.agenda, first, first+1)
		if err := next.do(); err != nil {
			return fmt.Errorf("on %s: %w", next.on, err)
		}
	}
	return nil
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
		kept, err := g.d.Catalog.SaveFollowOn(g.ctx, m)
		if err != nil {
			return fmt.Errorf("map %s: %w", m.Name, err)
		}
		g.maps = append(g.maps, kept.ID)
	}
	for _, c := range companies {
		for _, write := range []func(string){g.opening, g.sales, g.purchases, g.closing} {
			write(c.Key)
		}
	}
	g.plan("2026-10-22", func() error {
		return g.keepPosted(documentOf("accounting_document", "10", "VI", "2026-10-22", with(bill, values{"reference": knownPaper, "document_date": "2026-10-20", "posting_date": "2026-10-22"}), billLines...))
	})
	if err := g.work(); err != nil {
		return err
	}
	return g.again()
}

// knownPaper is the number of an invoice that is posted, which a proof enters again.
const knownPaper = "HP-2201"

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
	_, err := s.AddRecord(g.ctx, record.Record{Ref: record.Ref{Kind: kind, Number: r.number}, Company: r.company, Type: r.kindType, State: record.Kept, Content: record.Content{Values: v}}, store.Numbering{}, nil, g.stamp())
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

// stamp is who writes papers, on their day.
func (g *generator) stamp() record.Stamp {
	who := actor.Of(g.ctx)
	return record.Stamp{At: store.Instant(*g.at), By: who.Name, Person: who.ID, Via: string(who.Via)}
}

// prices keeps the price list of a company: the first half of the year, and what
// holds since July.
func (g *generator) prices(s *store.Store, c record.Company) error {
	r := record.Record{Ref: record.Ref{Kind: "price_list", Number: "PL" + c.Key}, Company: c.Key, Type: "LIST", State: record.Kept,
		Content: record.Content{Values: values{"name": "List prices of " + c.Name, "currency": c.Currency, "includes_tax": "false"}}}
	for _, item := range goodsOf(c.Key) {
		for _, half := range [][2]record.Day{{"2026-01-01", "2026-06-30"}, {"2026-07-01", ""}} {
			v := values{"item": item.number, "valid_from": string(half[0]), "price": decimal.MustParse(item.price(c.Key, half[0])).String(), "per": "1"}
			if half[1] != "" {
				v["valid_until"] = string(half[1])
			}
			r.Lines = append(r.Lines, record.Line{Number: len(r.Lines) + 1, Values: v})
		}
	}
	_, err := s.AddRecord(g.ctx, r, store.Numbering{}, nil, g.stamp())
	return err
}

func day(month, date int) record.Day { return record.Day(fmt.Sprintf("2026-%02d-%02d", month, date)) }

func (g *generator) pick(kind, company string) string {
	list := g.partners[kind][company]
	return list[g.r.IntN(len(list))]
}

// comes lets time go on: to the morning of a day, or by some minutes of it.
func (g *generator) comes(on record.Day) {
	if at, err := time.Parse(time.DateOnly, string(on)); err == nil && g.at.Before(at) {
		*g.at = at.Add(8 * time.Hour)
	}
	*g.at = g.at.Add(time.Duration(1+g.r.IntN(9)) * time.Minute)
}

// save keeps a record on its day. It must be accepted.
func (g *generator) save(document judge.Document, origin *contract.Use) (*contract.Record, error) {
	if document.Day != "" {
		g.comes(document.Day)
	}
	answer, err := g.d.Records.Save(g.ctx, contract.SaveRequest{Document: document, Origin: origin})
	switch {
	case err != nil:
		return nil, err
	case answer.Record == nil:
		return nil, fmt.Errorf("%s %v was not accepted: %v", document.Kind, document.Entered, answer.Outcome.Messages)
	}
	return answer.Record, nil
}

func (g *generator) post(r *contract.Record) (*contract.Record, error) {
	answer, err := g.d.Posting.Post(g.ctx, record.Ref{Kind: r.Kind, Number: r.Number}, contract.PostRequest{Version: r.Version})
	switch {
	case err != nil:
		return nil, err
	case answer.Record == nil:
		return nil, fmt.Errorf("%s %v was not posted: %v", r.Number, r.Content, answer.Outcome.Messages)
	}
	return answer.Record, nil
}

func documentOf(kind, company, kindType string, on record.Day, header values, lines ...values) judge.Document {
	d := judge.Document{Kind: kind, Company: company, Type: kindType, Day: on, Entered: items(header)}
	for i, l := range lines {
		d.Lines = append(d.Lines, judge.Line{Number: i + 1, Entered: items(l)})
	}
	return d
}

func items(v values) map[string]judge.Item {
	entered := map[string]judge.Item{}
	for key, value := range v {
		entered[key] = judge.Item{Value: value}
	}
	return entered
}
