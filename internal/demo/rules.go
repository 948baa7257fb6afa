package demo

import (
	"slices"

	"codicil/core/match"
	"codicil/core/record"
	"codicil/core/rule"
)

// given is a rule of the scenario, with a key by which proofs name it.
type given struct {
	key   string
	state rule.State
	body  rule.Body
}

// where, and its note, make a rule.
type where struct {
	companies, groups []string
	from              record.Day
}

var everywhere = where{}

func groups(keys ...string) where { return where{groups: keys} }

func in(company string) where { return where{companies: []string{company}} }

func ruleOf(key string, family rule.Family, target string, w where, when string, effect rule.Effect, note rule.Note) given {
	return given{key, rule.InForce, rule.Body{
		Family: family, Target: target, When: when, Effect: effect, Priority: 100, Note: note,
		Scope: rule.Scope{Companies: w.companies, Types: w.groups, From: w.from}, On: rule.Occasions{New: true, Change: true},
	}}
}

func required(key, target string, w where, when string, note rule.Note) given {
	return ruleOf(key, rule.Entry, target, w, when, rule.Effect{Need: rule.Required, Access: rule.Open}, note)
}

// closed is a rule that keeps people from typing into a field.
func closed(key, target string, w where, how rule.Access, note rule.Note) given {
	return ruleOf(key, rule.Entry, target, w, "", rule.Effect{Need: rule.Optional, Access: how}, note)
}

func fill(key, target string, w where, when string, lifetime rule.Lifetime, value string, note rule.Note) given {
	return ruleOf(key, rule.Default, target, w, when, rule.Effect{Lifetime: lifetime, Value: value}, note)
}

func replace(key, target string, w where, when, value string, note rule.Note) given {
	return ruleOf(key, rule.Substitute, target, w, when, rule.Effect{Value: value}, note)
}

// copied makes a rule that copies a value of a linked record.
func copied(key, target string, w where, when, value string, note rule.Note) given {
	return ruleOf(key, rule.Source, target, w, when, rule.Effect{Mode: rule.Copied, Value: value}, note)
}

// live makes a rule that always shows a value of a linked record.
func live(key, target string, w where, value string, note rule.Note) given {
	return ruleOf(key, rule.Source, target, w, "", rule.Effect{Mode: rule.Live, Value: value}, note)
}

// unlike makes a rule that no two records share a value.
func unlike(key, target string, w where, severity rule.Severity, unique rule.Unique, message string, note rule.Note) given {
	return ruleOf(key, rule.Validate, target, w, "", rule.Effect{Severity: severity, Unique: &unique, Message: message}, note)
}

// after makes a rule that writes to a linked record when a document is posted.
func after(key, target string, w where, when, value string, note rule.Note) given {
	return ruleOf(key, rule.FollowUp, target, w, when, rule.Effect{Value: value}, note)
}

// computed makes a rule that computes a field.
func computed(key, target string, w where, when, value string, note rule.Note) given {
	return ruleOf(key, rule.Compute, target, w, when, rule.Effect{Value: value}, note)
}

func must(key, target string, w where, severity rule.Severity, when, must, message string, note rule.Note) given {
	return ruleOf(key, rule.Validate, target, w, when, rule.Effect{Severity: severity, Must: must, Message: message}, note)
}

func (g given) as(state rule.State) given { g.state = state; return g }

func note(by string, on record.Day, why string) rule.Note {
	return rule.Note{AskedBy: by, AskedOn: on, Why: why}
}

// rules returns the rules of all kinds.
func rules() []given {
	return slices.Concat(of("vendor", vendorRules()), of("sales_order", salesRules()), of("quotation", quotationRules()), of("accounting_document", accountingRules()), of("item", itemRules()), of("accounting_document", deskRules()))
}

// of says for which kind of record the rules are.
func of(kind string, list []given) []given {
	for i := range list {
		list[i].body.Kind = kind
	}
	return list
}

func vendorRules() []given {
	return []given{
		required("name", "name", everywhere, "", note("Moya, payables", "2024-02-05", "A payment run without a name on the remittance was returned by the bank.")),
		required("country", "country", everywhere, "", note("Moya, payables", "2024-02-05", "Tax and payment terms follow from the country.")),
		required("tax-trade", "tax_number", groups("TRAD"), "", note("Group tax", "2024-03-11", "Purchases of goods are reported by tax number.")),
		required("control", "control_account", groups("TRAD", "SERV"), "", note("Group accounting", "2024-02-05", "Without it an invoice cannot be posted.")),
		required("delivery", "delivery_terms", groups("TRAD"), "", note("Sif, purchasing", "2024-06-18", "Freight was paid twice because nobody had agreed who pays it.")),
		closed("delivery-staff", "delivery_terms", groups("STAFF"), rule.Hidden, note("Sif, purchasing", "2024-06-18", "Nobody orders goods from our own staff.")),
		required("bank", "bank_account", everywhere, `payment_method = "TRF"`, note("Treasury", "2024-02-20", "A transfer needs an account to go to.")),
		closed("review-shown", "agreement_review", everywhere, rule.ReadOnly, note("Sif, purchasing", "2025-01-14", "The date is worked out; nobody should have to.")),

		fill("terms", "payment_terms", everywhere, "", rule.NewOnly, `"N30"`, note("Group accounting", "2024-02-05", "What we offer to everybody.")),
		fill("terms-kaisan", "payment_terms", in("30"), `country = "JP"`, rule.NewOnly, `"N45"`, note("Rina, Kaisan", "2024-05-02", "Customary between our Japanese vendors and us.")),
		fill("terms-chandlery", "payment_terms", in("20"), `country = "DK"`, rule.NewOnly, `"N14"`, note("Birk, Chandlery", "2024-05-02", "The Danish harbour trade pays within two weeks.")),
		fill("language", "language", everywhere, "is filled(country)", rule.WheneverBlank,
			`if country = "DK" then "DA" else if country = "JP" then "JA" else if country in ("DE", "AT", "CH") then "DE" else "EN"`,
			note("Moya, payables", "2024-09-30", "Reminders went out in the wrong language.")),
		fill("currency", "order_currency", everywhere, "", rule.WheneverBlank, "company.currency", note("Finn, purchasing", "2024-02-05", "Most vendors are ordered from in our own currency.")),
		fill("method", "payment_method", groups("TRAD", "SERV"), "", rule.NewOnly, `"TRF"`, note("Treasury", "2024-02-20", "Suppliers are paid by transfer unless agreed otherwise.")),
		fill("method-staff", "payment_method", groups("STAFF"), "", rule.WheneverBlank, `"SAL"`, note("Payroll", "2024-04-08", "Expenses are paid with the salary.")),
		fill("control-staff", "control_account", groups("STAFF"), "", rule.WheneverBlank, `"213000"`, note("Group accounting", "2024-04-08", "Staff payables are kept apart.")),
		fill("holder", "account_holder", everywhere, "is filled(bank_account)", rule.WheneverBlank, "name", note("Treasury", "2025-03-03", "Nearly always the vendor itself.")),

		replace("terms-once", "payment_terms", groups("ONCE"), "", `"N00"`, note("Group accounting", "2024-02-05", "One-time vendors are paid at once and never followed up.")),
		replace("no-discount", "discount_rate", everywhere, `payment_terms != "D10"`, "0", note("Group accounting", "2025-02-10", "Discounts were taken where none was agreed.")),
		computed("review", "agreement_review", everywhere, "is filled(agreement_end)", "add days(agreement_end, -42)", note("Sif, purchasing", "2025-01-14", "Six weeks are enough to negotiate before an agreement ends.")),

		must("agreement", "agreement_end", everywhere, rule.Refuse, "", "agreement_end >= agreement_start", "The agreement ends before it starts. Correct one of the two dates.", note("Sif, purchasing", "2024-06-18", "It happened four times in one month.")),
		must("discount", "discount_rate", everywhere, rule.Refuse, "", "discount_rate <= 0.05", "No prompt payment discount over 5 % is agreed. Check the rate.", note("Group accounting", "2025-02-10", "Somebody entered 20 for 2.0.")),
		must("block", "block_reason", everywhere, rule.Refuse, "payment_block", "is filled(block_reason)", "A payment hold needs a reason, so that somebody can release it. Enter the reason.", note("Treasury", "2024-10-21", "Holds stayed for years because nobody knew why.")),
		must("tax-country", "tax_number", everywhere, rule.Confirm, `country in ("IE", "DK", "DE")`, "is blank(tax_number) or starts with(tax_number, country)", "The tax number belongs to another country than the vendor. Give the reason if it is right.", note("Group tax", "2024-03-11", "Some vendors are registered abroad; most are typing errors.")),
		must("limit-kaisan", "credit_limit", in("30"), rule.Confirm, "", "credit_limit <= 5000000", "Credit limits over 5 000 000 yen need the treasury's approval. Say who approved it.", note("Rina, Kaisan", "2024-08-27", "Asked for by the treasury after the spring audit.")),
		must("email-services", "email", groups("SERV"), rule.Advise, "", "is filled(email)", "Without an e-mail address the remittance advice goes by post.", note("Moya, payables", "2025-05-12", "Post costs more than the invoice sometimes.")),

		fill("lead", "lead_time", groups("TRAD"), "", rule.NewOnly, "14", note("Finn, purchasing", "2025-09-01", "Tried in autumn; suspended until the new planning starts.")).as(rule.Suspended),
		must("clerk", "clerk", in("40"), rule.Refuse, "", `clerks in ("URSINA", "RETO")`, "Choose a clerk of Alpin: URSINA or RETO.", note("Ursina, Alpin", "2026-11-16", "Draft; the name of the field is still wrong.")).as(rule.Draft),

		ruleOf("bank-twice", rule.Entry, "bank_account", groups("TRAD"), `payment_method = "TRF"`, rule.Effect{Need: rule.Required, Access: rule.Open, Keying: rule.Twice}, note("Treasury", "2025-02-16", "A fee of 4,300 was paid to the wrong account: two digits differed and the check digits still fitted.")),
		closed("bank-staff", rule.SectionPrefix+"bank", groups("STAFF"), rule.Hidden, note("Payroll", "2024-04-08", "Staff are paid with the salary; nobody else should see where to.")),
		ruleOf("language-passed", rule.Entry, "language", everywhere, "", rule.Effect{Cursor: rule.PassedOver}, note("Moya, payables", "2025-11-03", "It follows from the country; tabbing there is wasted.")),
		ruleOf("terms-stop", rule.Entry, "payment_terms", groups("TRAD", "SERV"), "", rule.Effect{Cursor: rule.Stop}, note("Moya, payables", "2025-11-03", "What is looked at on every new vendor.")),
		unlike("tax-once", "tax_number", everywhere, rule.Refuse, rule.Unique{Ignore: match.AllIgnored}, "Another vendor has this tax number. Use that vendor, or correct the number.", note("Moya, payables", "2025-03-02", "The same vendor was set up three times and paid twice.")),
		unlike("account-once", "bank_account", everywhere, rule.Confirm, rule.Unique{Everywhere: true, Ignore: match.AllIgnored}, "Another vendor uses this bank account. Give the reason if both are right.", note("Treasury", "2025-03-02", "Someone could change an account to their own and pay themselves.")),
		unlike("name-like", "name", groups("TRAD", "SERV"), rule.Advise, rule.Unique{Ignore: match.AllIgnored, Near: true}, "A vendor with a similar name exists. Check whether it is the same one.", note("Moya, payables", "2025-03-02", "Ltd, Limited and a missing full stop made three vendors out of one.")),
	}
}

func itemRules() []given {
	return []given{
		ruleOf("shelf", rule.Compute, "shelf_life", everywhere, "", rule.Effect{Bands: []rule.Band{
			{Label: "short", Until: "12", Level: rule.Watch, Shape: rule.Triangle}, {Label: "usual", Until: "36", Including: true, Level: rule.Fair, Shape: rule.Round}, {Label: "long", Level: rule.Calm, Shape: rule.Square}},
		}, note("Finn, quay", "2025-05-11", "Items with less than a year of shelf life ship first.")),
	}
}
