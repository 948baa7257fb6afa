package demo

import (
	"fmt"
	"math/rand/v2"
	"strings"

	"codicil/core/feel"
	"codicil/core/field"
)

// land is what a country gives to a partner there.
type land struct{ language, postal, tax, bank string }

// In the patterns # is a digit, ~ any digit that makes the check digits fit.
var lands = map[string]land{
	"IE": {"EN", "V## X#K#", "IE#######@", "IE~~BRNW##############"}, "DK": {"DA", "9###", "DK########", "DK~~9900##########"},
	"JP": {"JA", "799-0###", "T#############", "099#-00#-#######"}, "CH": {"DE", "7###", "CHE#########", "CH~~0990#############"},
	"DE": {"DE", "27###", "DE#########", "DE~~9990##############"}, "AT": {"DE", "69##", "ATU########", "AT~~9990############"},
	"FR": {"FR", "56###", "FR###########", "FR~~99900##################"}, "NO": {"EN", "83##", "NO#########", "NO~~9900#######"}, "SE": {"EN", "45###", "SE##########01", "SE~~9900################"},
}

// invent fills a pattern with digits until a field of the country takes it.
func invent(r *rand.Rand, f field.Field, country, pattern string) string {
	for {
		var b strings.Builder
		for _, c := range pattern {
			switch c {
			case '#', '~':
				b.WriteByte(byte('0' + r.IntN(10)))
			case '@':
				b.WriteByte(byte('A' + r.IntN(23)))
			default:
				b.WriteRune(c)
			}
		}
		if _, wrong := f.Settle(feel.StringOf(b.String()), field.Surroundings{Country: country}); wrong == nil {
			return b.String()
		}
	}
}

var (
	anyText     = field.Field{Type: field.Text}
	taxNumber   = field.Field{Type: field.TaxNumber}
	bankAccount = field.Field{Type: field.BankAccount}
	clerks      = map[string]string{"10": "MOYA", "20": "BIRK", "30": "RINA", "40": "URSINA"}
	currencies  = map[string]string{"10": "EUR", "20": "DKK", "30": "JPY", "40": "CHF"}
	localName   = strings.NewReplacer("ø", "o", "å", "aa", "æ", "ae", "ö", "oe", "ä", "ae", "ü", "ue", "é", "e", "Ø", "o", "&", "", ".", "", "'", "")
)

// mailbox makes an address of the first words of a name.
func mailbox(box, name string) string {
	words := strings.Fields(strings.ToLower(localName.Replace(name)))
	return box + "@" + strings.Join(words[:min(2, len(words))], "-") + ".example"
}

// vendor makes the values of a vendor that a clerk would type; the rest comes from
// the rules.
func (p partner) vendor(r *rand.Rand) values {
	l := lands[p.country]
	v := values{
		"name": p.name, "city": p.city, "postal_code": invent(r, anyText, p.country, l.postal), "country": p.country, "language": l.language,
		"email": mailbox("accounts", p.name), "payment_block": "false", "clerk": clerks[p.company], "order_currency": currencies[p.company],
	}
	switch p.group {
	case "STAFF":
		return v
	case "ONCE":
		v["control_account"], v["payment_method"] = "219000", "CARD"
		return v
	case "TRAD":
		v["control_account"], v["delivery_terms"], v["lead_time"] = "210000", []string{"DAP", "FCA", "EXW"}[r.IntN(3)], fmt.Sprint(5+r.IntN(20))
		v["order_required"], v["agreement_start"], v["agreement_end"] = "true", "2026-01-01", []string{"2026-12-31", "2027-06-30", "2027-12-31"}[r.IntN(3)]
	case "SERV":
		v["control_account"] = "211000"
	}
	v["payment_method"], v["tax_number"] = "TRF", invent(r, taxNumber, p.country, l.tax)
	v["bank_account"] = invent(r, bankAccount, p.country, l.bank)
	v["credit_limit"] = amount(int64(5+r.IntN(20))*100000*scale[p.company].rate/100, scale[p.company].places)
	return v
}

// customer makes the values of a customer.
func (p partner) customer(r *rand.Rand) values {
	l := lands[p.country]
	v := values{
		"name": p.name, "city": p.city, "postal_code": invent(r, anyText, p.country, l.postal), "country": p.country, "language": l.language, "tax_number": invent(r, taxNumber, p.country, l.tax),
		"email": mailbox("office", p.name), "currency": currencies[p.company], "payment_terms": []string{"N14", "N30", "N30", "N60"}[r.IntN(4)],
		"delivery_terms": []string{"DAP", "FCA", "EXW"}[r.IntN(3)], "price_list": "PL" + p.company, "control_account": "110000", "delivery_block": "false",
		"salesperson":  map[string]string{"10": "FINN", "20": "BIRK", "30": "RINA", "40": "LUZI"}[p.company],
		"credit_limit": amount(int64(2+r.IntN(6))*1000000*scale[p.company].rate/100, scale[p.company].places),
	}
	return v
}

// scale says how a euro amount becomes one of a company: hundredths of its
// currency for a euro, and its minor digits.
var scale = map[string]struct {
	rate   int64
	places int
}{"10": {100, 2}, "20": {746, 2}, "30": {16500, 0}, "40": {96, 2}}

// amount writes a number of hundredths with the places of a currency.
func amount(hundredths int64, places int) string {
	if places == 0 {
		return fmt.Sprint((hundredths + 50) / 100)
	}
	return fmt.Sprintf("%d.%02d", hundredths/100, hundredths%100)
}
