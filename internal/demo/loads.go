package demo

import (
	"bytes"
	"context"
	"fmt"
	"io"
	"math/rand/v2"

	"codicil/internal/app"
	"codicil/internal/exchange"
)

// The files that the scenario has ready to be loaded: vendors of a boatyard that the group takes over, and the same kind of
// list as it came in once, with faults that people make.
const (
	goodFile   = "Vendors of the boatyard.csv"
	faultyFile = "Vendors from the chandlery.xlsx"
)

// brought are the columns of both, as a spreadsheet names them.
var brought = []struct{ head, field string }{
	{"Company", "company"}, {"Type", "type"}, {"Name", "name"}, {"Street", "street"}, {"Post code", "postal_code"}, {"City", "city"}, {"Country", "country"}, {"Tax number", "tax_number"}, {"E-mail", "email"},
	{"Control account", "control_account"}, {"Payment terms", "payment_terms"}, {"Payment method", "payment_method"}, {"Bank account", "bank_account"}, {"Credit limit", "credit_limit"},
	{"Agreement start", "agreement_start"}, {"Agreement end", "agreement_end"}, {"Delivery terms", "delivery_terms"}, {"Remark", ""},
}

var boatyard = []partner{
	{"10", "TRAD", "Kilmore Oakum", "Kilbrack", "IE"}, {"10", "TRAD", "Brandon Bay Varnish", "Skellport", "IE"}, {"10", "TRAD", "Saltee Sailcloth", "Port Carrow", "IE"}, {"10", "TRAD", "Rosslare Rivets", "Enniscar", "IE"},
	{"10", "SERV", "Hook Head Divers", "Skellport", "IE"}, {"10", "SERV", "Cobh Street Surveyors", "Ballinore", "IE"}, {"20", "TRAD", "Limfjord Lak ApS", "Nørremole", "DK"}, {"20", "TRAD", "Thyborøn Tjære", "Vesterhavn", "DK"},
	{"20", "SERV", "Hanstholm Krantjeneste", "Østkaj", "DK"}, {"40", "TRAD", "Walensee Bootsbau AG", "Obermatt", "CH"}, {"40", "SERV", "Churfirsten Metallbau", "Hinterfurn", "CH"}, {"40", "TRAD", "Säntis Segel GmbH", "Obermatt", "CH"},
}

var chandlery = []partner{
	{"10", "TRAD", "Wexford Wick & Lamp", "Port Carrow", "IE"}, {"10", "TRAD", "Arklow Anchors", "Kilbrack", "IE"}, {"10", "TRAD", "Bantry Bell Foundry", "Skellport", "IE"}, {"10", "TRAD", "Dingle Deck Paint", "Enniscar", "IE"},
	{"10", "TRAD", "Valentia Cordage", "Ballinore", "IE"}, {"10", "TRAD", "Tramore Tarpaulins", "Port Carrow", "IE"}, {"10", "SERV", "Youghal Chart Agents", "Kilbrack", "IE"}, {"10", "TRAD", "Kinsale Compass Makers", "Skellport", "IE"},
	{"10", "TRAD", "Ardmore Oilskins", "Enniscar", "IE"}, {"10", "TRAD", "Dunworley Buoys", "Ballinore", "IE"}, {"10", "SERV", "Baltimore Boat Lifts", "Port Carrow", "IE"}, {"10", "TRAD", "Sherkin Shackles", "Kilbrack", "IE"},
	{"10", "TRAD", "Glandore Galley Stoves", "Skellport", "IE"}, {"10", "TRAD", "Schull Signal Flags", "Enniscar", "IE"}, {"10", "TRAD", "Crookhaven Cleats", "Ballinore", "IE"}, {"10", "TRAD", "Castletown Chains", "Port Carrow", "IE"},
	{"10", "TRAD", "Dursey Dinghies", "Kilbrack", "IE"}, {"10", "TRAD", "Kenmare Keels", "Skellport", "IE"},
}

// rowsOf are the rows of vendors by column.
func rowsOf(list []partner, r *rand.Rand) []values {
	rows := make([]values, len(list))
	for i, p := range list {
		v := p.vendor(r)
		v["company"], v["type"], v["street"], v["payment_terms"] = p.company, p.group, fmt.Sprintf("%d Harbour Street", 2+r.IntN(80)), "N30"
		if p.group == "SERV" {
			v["delivery_terms"], v["agreement_start"], v["agreement_end"] = "", "", ""
		}
		rows[i] = v
	}
	return rows
}

// spoil makes the mistakes that people make.
func spoil(rows []values) {
	rows[1]["country"] = "Irelnd"                // no country
	rows[2]["payment_terms"] = "when we can"     // no choice
	rows[3]["name"] = ""                         // forgotten
	rows[4]["tax_number"] = "IE1234567A"         // its check letter is wrong
	rows[5]["bank_account"] = "IE00BRNW00000001" // too short
	rows[6]["type"] = "Services of all sorts"    // no type
	rows[7]["credit_limit"] = "twelve thousand"
	rows[8]["email"] = "orders at ardmore"
	rows[9]["company"] = "11"                                                           // no company
	rows[10]["tax_number"] = rows[0]["tax_number"]                                      // the same vendor twice
	rows[11]["agreement_start"], rows[11]["agreement_end"] = "2027-06-01", "2026-12-31" // ends before it starts
	rows[12]["agreement_end"] = "31.02.2027"                                            // no day
	rows[13]["bank_account"] = "IE24BRNW99010100012345"                                 // that of another vendor
}

// WriteVendors writes made-up vendors of all companies as CSV, the same for the same seed.
func WriteVendors(to io.Writer, count int, seed uint64) error {
	head := make([]string, len(brought))
	for i, c := range brought {
		head[i] = c.head
	}
	if err := exchange.WriteTo(to, [][]string{head}); err != nil {
		return err
	}
	for i := range count {
		r, company := rand.New(rand.NewPCG(seed, uint64(i))), companies[i%len(companies)].Key
		name := fmt.Sprintf("%s %s %s", coined(r)+coined(r), crafts[r.IntN(len(crafts))], forms[company])
		v := rowsOf([]partner{{company, "SERV", name, coined(r), companyOf(company).Country}}, r)[0]
		row := make([]string, len(brought))
		for i, c := range brought {
			row[i] = v[c.field]
		}
		if err := exchange.WriteTo(to, [][]string{row}); err != nil {
			return err
		}
	}
	return nil
}

func exactly(field string) bool {
	return field == "credit_limit" || field == "agreement_start" || field == "agreement_end"
}

// fillLoads brings the files.
func fillLoads(ctx context.Context, d *app.App) error {
	r := rand.New(rand.NewPCG(seed, 2))
	head := make([]string, len(brought))
	for i, c := range brought {
		head[i] = c.head
	}
	cells := func(v values) []string {
		row := make([]string, len(brought))
		for i, c := range brought {
			if c.field != "" {
				row[i] = v[c.field]
			}
		}
		return row
	}
	rows := [][]string{head}
	for _, v := range rowsOf(boatyard, r) {
		rows = append(rows, cells(v))
	}
	text, err := exchange.WriteRows(rows)
	if err != nil {
		return err
	}
	if _, err := d.Loads.Bring(ctx, "vendor", goodFile, bytes.NewReader([]byte(text))); err != nil {
		return err
	}
	faulty := rowsOf(chandlery, r)
	spoil(faulty)
	var sheet [][]exchange.Cell
	for _, v := range faulty {
		row := make([]exchange.Cell, len(brought))
		for i, text := range cells(v) {
			row[i] = exchange.Cell{Text: text, Exact: exactly(brought[i].field)}
		}
		sheet = append(sheet, row)
	}
	book, err := exchange.WriteSheet(head, sheet)
	if err != nil {
		return err
	}
	_, err = d.Loads.Bring(ctx, "vendor", faultyFile, bytes.NewReader(book))
	return err
}
