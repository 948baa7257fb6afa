package demo

import "codicil/core/record"

var weekend = []int{6, 7}

var companies = []record.Company{
	{Key: "10", Name: "Brinewell Salt Works", Country: "IE", TimeZone: "Europe/Dublin", Currency: "EUR", Rounding: "half-up", Calendar: record.Calendar{FreeDays: weekend, Holidays: []record.Holiday{
		{Day: "2026-12-25", Name: "Christmas Day"}, {Day: "2026-12-26", Name: "Saint Stephen's Day"}, {Day: "2027-01-01", Name: "New Year's Day"}}}},
	{Key: "20", Name: "Brinewell Chandlery", Country: "DK", TimeZone: "Europe/Copenhagen", Currency: "DKK", Rounding: "half-up", Calendar: record.Calendar{FreeDays: weekend, Holidays: []record.Holiday{
		{Day: "2026-12-24", Name: "Christmas Eve"}, {Day: "2026-12-25", Name: "Christmas Day"}, {Day: "2026-12-26", Name: "Second Christmas Day"}}}},
	{Key: "30", Name: "Brinewell Kaisan", Country: "JP", TimeZone: "Asia/Tokyo", Currency: "JPY", Rounding: "half-up", Calendar: record.Calendar{FreeDays: weekend, Holidays: []record.Holiday{
		{Day: "2026-11-23", Name: "Labour Thanksgiving Day"}, {Day: "2027-01-01", Name: "New Year's Day"}}}},
	{Key: "40", Name: "Brinewell Alpin", Country: "CH", TimeZone: "Europe/Zurich", Currency: "CHF", Rounding: "half-even", Calendar: record.Calendar{FreeDays: weekend, Holidays: []record.Holiday{
		{Day: "2026-12-25", Name: "Christmas Day"}, {Day: "2026-12-26", Name: "Saint Stephen's Day"}}}},
}

var types = []record.Type{
	{Kind: "vendor", Key: "TRAD", Label: "Trade goods"}, {Kind: "vendor", Key: "SERV", Label: "Services"},
	{Kind: "vendor", Key: "ONCE", Label: "One-time"}, {Kind: "vendor", Key: "STAFF", Label: "Staff expenses"},
	{Kind: "sales_order", Key: "SO", Label: "Standard"}, {Kind: "sales_order", Key: "SX", Label: "Export"},
	{Kind: "sales_order", Key: "SM", Label: "Sample"}, {Kind: "sales_order", Key: "SR", Label: "Rush", Companies: []string{"10", "20", "40"}},
	{Kind: "accounting_document", Key: "VI", Label: "Vendor invoice"}, {Kind: "accounting_document", Key: "VC", Label: "Vendor credit"},
	{Kind: "accounting_document", Key: "CI", Label: "Customer invoice"}, {Kind: "accounting_document", Key: "JE", Label: "Journal entry"},
	{Kind: "accounting_document", Key: "AC", Label: "Accrual"}, {Kind: "accounting_document", Key: "PY", Label: "Payment"},
	{Kind: "quotation", Key: "QT", Label: "Quotation"}, {Kind: "quotation", Key: "QX", Label: "Export quotation"},
	{Kind: "customer", Key: "WHOL", Label: "Wholesale"}, {Kind: "customer", Key: "RETA", Label: "Retail"}, {Kind: "customer", Key: "INDU", Label: "Industry"},
	{Kind: "item", Key: "SALT", Label: "Sea salt"}, {Kind: "item", Key: "CHAN", Label: "Harbour supplies"},
	{Kind: "price_list", Key: "LIST", Label: "List prices"},
	{Kind: "gl_account", Key: "BS", Label: "Balance sheet"}, {Kind: "gl_account", Key: "PL", Label: "Profit and loss"},
	{Kind: "cost_centre", Key: "PROD", Label: "Production"}, {Kind: "cost_centre", Key: "SALE", Label: "Sales"}, {Kind: "cost_centre", Key: "ADMN", Label: "Administration"},
}

type values = map[string]string

// saved is a record whose number is part of the scenario.
type saved struct {
	number, company, kindType string
	values                    values
}

// partner is a vendor or customer, of which the generator makes the rest.
type partner struct{ company, group, name, city, country string }

// accounts are shared; number, class, name, who keeps the balances.
var accounts = [][4]string{
	{"100000", "BS", "Cash at bank", ""}, {"110000", "BS", "Trade receivables", "customer"}, {"118000", "BS", "Input tax", ""}, {"120000", "BS", "Salt in stock", ""},
	{"121000", "BS", "Trade goods in stock", ""}, {"150000", "BS", "Buildings and pans", ""}, {"151000", "BS", "Machinery", ""}, {"159000", "BS", "Accumulated depreciation", ""},
	{"170000", "BS", "Prepaid expenses", ""}, {"210000", "BS", "Payables, trade goods", "vendor"}, {"211000", "BS", "Payables, services", "vendor"}, {"213000", "BS", "Payables, staff", "vendor"},
	{"219000", "BS", "Payables, one-time vendors", "vendor"}, {"220000", "BS", "Output tax", ""}, {"230000", "BS", "Accrued liabilities", ""}, {"235000", "BS", "Wages payable", ""},
	{"300000", "BS", "Share capital", ""}, {"310000", "BS", "Retained earnings", ""}, {"400000", "PL", "Revenue from salt", ""}, {"401000", "PL", "Revenue from harbour supplies", ""},
	{"405000", "PL", "Freight charged to customers", ""}, {"409000", "PL", "Discounts allowed", ""}, {"500000", "PL", "Cost of goods sold", ""}, {"510000", "PL", "Packaging", ""},
	{"520000", "PL", "Energy for the pans", ""}, {"530000", "PL", "Freight in", ""}, {"540000", "PL", "Maintenance", ""}, {"550000", "PL", "Inspection and laboratory", ""},
	{"560000", "PL", "Office and software", ""}, {"570000", "PL", "Travel", ""}, {"580000", "PL", "Wages", ""}, {"590000", "PL", "Depreciation", ""},
	{"595000", "PL", "Exchange differences", ""}, {"599000", "PL", "Bank charges", ""},
}

// costly are the accounts whose lines name a cost centre.
var costly = map[string]bool{"520000": true, "530000": true, "540000": true, "550000": true, "560000": true, "570000": true, "580000": true, "590000": true}

// costCentres: number, company, group, name, head.
var costCentres = [][5]string{
	{"K10100", "10", "PROD", "Pans and boiling house", "Declan Roe"}, {"K10200", "10", "PROD", "Packing hall", "Orla Finnan"}, {"K10300", "10", "SALE", "Quay and loading", "Finn Tarrant"}, {"K10900", "10", "ADMN", "Administration", "Moya Keane"},
	{"K20100", "20", "SALE", "Shop in Vesterhavn", "Birk Holmgård"}, {"K20200", "20", "PROD", "Warehouse", "Sif Lauritsdal"}, {"K20900", "20", "ADMN", "Administration", "Birk Holmgård"},
	{"K30100", "30", "PROD", "Shiomi warehouse", "Kenji Moriyama"}, {"K30200", "30", "SALE", "Sales", "Rina Okabe"}, {"K30900", "30", "ADMN", "Administration", "Rina Okabe"},
	{"K40100", "40", "SALE", "Sales", "Luzi Cavegn"}, {"K40200", "40", "PROD", "Hinterfurn depot", "Reto Caduff-Senn"}, {"K40900", "40", "ADMN", "Administration", "Ursina Battaglia"},
}

// good is an item with its price in euro cents.
type good struct {
	number, group, name, local, unit, customs string
	weight                                    string // kg of one unit
	cents                                     int64
	shelf                                     string // months
}

var goods = []good{
	{"I1001", "SALT", "Coarse sea salt, 25 kg bag", "", "bag", "25010091", "25", 1840, "60"}, {"I1002", "SALT", "Fine sea salt, 25 kg bag", "", "bag", "25010091", "25", 2160, "60"},
	{"I1003", "SALT", "Flake salt, 125 g box", "フレークソルト", "box", "25010091", "0.125", 310, "36"}, {"I1004", "SALT", "Flake salt, 1 kg tub", "", "pc", "25010091", "1", 1490, "36"},
	{"I1005", "SALT", "Smoked flake salt, 125 g box", "燻製フレークソルト", "box", "25010091", "0.125", 365, "24"}, {"I1006", "SALT", "Pickling salt, 10 kg bag", "漬物塩", "bag", "25010091", "10", 1120, "60"},
	{"I1007", "SALT", "Cheese brine salt, loose", "Käsereisalz, lose", "t", "25010099", "1000", 21400, ""}, {"I1008", "SALT", "Curing salt, 25 kg bag", "", "bag", "25010091", "25", 2490, "24"},
	{"I1009", "SALT", "Bath salt, 1 kg jar", "", "pc", "33073000", "1.2", 690, "48"}, {"I1010", "SALT", "Road salt, loose", "Streusalz, lose", "t", "25010051", "1000", 7900, ""},
	{"I1011", "SALT", "Herb salt, 200 g jar", "Kräutersalz", "pc", "21039090", "0.35", 420, "24"}, {"I1012", "SALT", "Seaweed salt, 80 g jar", "藻塩", "pc", "21039090", "0.2", 540, "24"},
	{"I2001", "CHAN", "Mooring rope, polyester 16 mm", "Fortøjningstov 16 mm", "m", "56075011", "0.16", 385, ""}, {"I2002", "CHAN", "Mooring rope, polyester 24 mm", "Fortøjningstov 24 mm", "m", "56075011", "0.36", 795, ""},
	{"I2003", "CHAN", "Fender, cylindrical 20 x 60 cm", "Fender", "pc", "40169400", "2.1", 3890, ""}, {"I2004", "CHAN", "Bow shackle, stainless 12 mm", "Bøjlesjækkel", "pc", "73269098", "0.19", 1150, ""},
	{"I2005", "CHAN", "Anchor chain, galvanised 10 mm", "Ankerkæde", "m", "73158200", "2.2", 1240, ""}, {"I2006", "CHAN", "Folding anchor, 8 kg", "Foldeanker", "pc", "73160000", "8", 5420, ""},
	{"I2007", "CHAN", "Antifouling paint, red, 2.5 l", "Bundmaling", "pc", "32089091", "3.4", 6480, "24"}, {"I2008", "CHAN", "Boat varnish, 1 l", "Bådlak", "pc", "32089091", "1.1", 2790, "24"},
	{"I2009", "CHAN", "Navigation light, port", "Lanterne, bagbord", "pc", "85122000", "0.3", 3290, ""}, {"I2010", "CHAN", "Navigation light, starboard", "Lanterne, styrbord", "pc", "85122000", "0.3", 3290, ""},
	{"I2011", "CHAN", "Life jacket, 150 N", "Redningsvest", "pc", "63072000", "1.3", 11900, "120"}, {"I2012", "CHAN", "Work gloves, salt-proof", "Arbejdshandsker", "pc", "61161020", "0.15", 890, ""},
	{"I2013", "CHAN", "Fish crate, 40 l", "Fiskekasse", "pc", "39231090", "1.9", 1480, ""}, {"I2014", "CHAN", "Landing net, telescopic", "Fangstnet", "pc", "95079000", "0.9", 2640, ""},
	{"I2015", "CHAN", "Deck brush with handle", "Dækskost", "pc", "96039091", "0.8", 1290, ""}, {"I2016", "CHAN", "Marine grease, 400 g", "Marinefedt", "pc", "27101999", "0.4", 740, "60"},
	{"I2017", "CHAN", "Bilge pump, 12 V", "Lænsepumpe", "pc", "84137021", "0.9", 4950, ""}, {"I2018", "CHAN", "Signal flag set", "Signalflag", "pc", "63079098", "0.6", 5900, ""},
}
