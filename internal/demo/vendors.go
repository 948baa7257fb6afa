package demo

// oldVendors are known by number in proofs and in the documentation.
var oldVendors = []saved{
	{number: "V10001", company: "10", kindType: "TRAD", values: values{
		"name": "Skerry Sacks & Closures Ltd", "street": "4 Ropewalk Lane", "postal_code": "V93 X4K2", "city": "Port Carrow", "country": "IE", "language": "EN",
		"tax_number": "IE5260181E", "email": "orders@skerrysacks.example", "telephone": "+353665550141",
		"control_account": "210000", "payment_terms": "N30", "payment_method": "TRF", "bank_account": "IE24BRNW99010100012345", "account_holder": "Skerry Sacks & Closures Ltd",
		"payment_block": "false", "credit_limit": "80000", "clerk": "MOYA",
		"order_currency": "EUR", "minimum_order": "250", "delivery_terms": "DAP", "delivery_place": "Salt Works, Gate 2", "lead_time": "10",
		"agreement_start": "2026-01-01", "agreement_end": "2026-12-31", "agreement_review": "2026-11-19", "buyer": "FINN", "order_required": "true"}},
	{number: "V10002", company: "10", kindType: "SERV", values: values{
		"name": "Harrow Point Tank Inspection", "street": "Unit 9, Harrow Point", "postal_code": "P85 T2W8", "city": "Ballinore", "country": "IE", "language": "EN",
		"tax_number": "IE5908301S", "email": "accounts@harrowpoint.example", "control_account": "211000", "payment_terms": "N30", "payment_method": "TRF",
		"bank_account": "IE02HRBR99020200067890", "account_holder": "Harrow Point Tank Inspection", "payment_block": "false", "clerk": "MOYA", "order_currency": "EUR"}},
	{number: "V10003", company: "10", kindType: "STAFF", values: values{
		"name": "Aoife Tarrant", "city": "Port Carrow", "country": "IE", "language": "EN", "control_account": "213000", "payment_terms": "N14", "payment_method": "SAL",
		"payment_block": "false", "clerk": "MOYA", "order_currency": "EUR"}},
	{number: "V20001", company: "20", kindType: "TRAD", values: values{
		"name": "Klitgaard Tovværk ApS", "street": "Rebslagergyde 11", "postal_code": "9882", "city": "Vesterhavn", "country": "DK", "language": "DA",
		"tax_number": "DK12972997", "email": "ordre@klitgaard-tov.example", "control_account": "210000", "payment_terms": "N14", "payment_method": "TRF",
		"bank_account": "DK3509900000123456", "account_holder": "Klitgaard Tovværk ApS", "payment_block": "false", "credit_limit": "400000", "clerk": "BIRK",
		"order_currency": "DKK", "minimum_order": "1500", "delivery_terms": "FCA", "delivery_place": "Vesterhavn", "lead_time": "7",
		"agreement_start": "2026-04-01", "agreement_end": "2027-03-31", "agreement_review": "2027-02-17", "buyer": "SIF", "order_required": "true"}},
	{number: "V20002", company: "20", kindType: "SERV", values: values{
		"name": "Nordmole Havneservice A/S", "city": "Vesterhavn", "country": "DK", "language": "DA", "tax_number": "DK93478878", "email": "bogholderi@nordmole.example",
		"control_account": "211000", "payment_terms": "N14", "payment_method": "TRF", "bank_account": "DK1709910000654321", "account_holder": "Nordmole Havneservice A/S",
		"payment_block": "true", "block_reason": "Disputed crane invoice", "clerk": "BIRK", "order_currency": "DKK"}},
	{number: "V20003", company: "20", kindType: "ONCE", values: values{
		"name": "Ferry guesthouse Østkaj", "city": "Østkaj", "country": "DK", "language": "DA", "control_account": "219000", "payment_terms": "N00", "payment_method": "CARD",
		"payment_block": "false", "order_currency": "DKK"}},
	{number: "V30001", company: "30", kindType: "TRAD", values: values{
		"name": "Shiokaze Hoso K.K.", "street": "2-14 Minatohama", "postal_code": "799-0099", "city": "Shiomi", "country": "JP", "language": "JA",
		"tax_number": "T7658948113114", "email": "juchu@shiokaze-hoso.example", "control_account": "210000", "payment_terms": "N45", "payment_method": "TRF",
		"bank_account": "0990-001-1234567", "account_holder": "Shiokaze Hoso K.K.", "payment_block": "false", "credit_limit": "3000000", "clerk": "RINA",
		"order_currency": "JPY", "minimum_order": "30000", "delivery_terms": "DAP", "delivery_place": "Shiomi warehouse", "lead_time": "14",
		"agreement_start": "2026-04-01", "agreement_end": "2027-03-31", "agreement_review": "2027-02-17", "buyer": "KENJI", "order_required": "true"}},
	{number: "V30002", company: "30", kindType: "SERV", values: values{
		"name": "Toge Keiryo Lab", "city": "Shiomi", "country": "JP", "language": "JA", "tax_number": "T4402426462889", "email": "lab@toge-keiryo.example",
		"control_account": "211000", "payment_terms": "N45", "payment_method": "TRF", "bank_account": "0991-004-7654321", "account_holder": "Toge Keiryo Lab",
		"payment_block": "false", "clerk": "RINA", "order_currency": "JPY"}},
	{number: "V40001", company: "40", kindType: "TRAD", values: values{
		"name": "Gratweg Holzkisten AG", "street": "Sägestrasse 3", "postal_code": "7099", "city": "Hinterfurn", "country": "CH", "language": "DE",
		"tax_number": "CHE786563559", "email": "verkauf@gratweg.example", "control_account": "210000", "payment_terms": "D10", "discount_rate": "0.02", "payment_method": "TRF",
		"bank_account": "CH1109901000012345678", "account_holder": "Gratweg Holzkisten AG", "payment_block": "false", "credit_limit": "60000", "clerk": "URSINA",
		"order_currency": "CHF", "minimum_order": "300", "delivery_terms": "DDP", "delivery_place": "Hinterfurn depot", "lead_time": "12",
		"agreement_start": "2026-07-01", "agreement_end": "2027-06-30", "agreement_review": "2027-05-19", "buyer": "LUZI", "order_required": "true"}},
	{number: "V40002", company: "40", kindType: "SERV", values: values{
		"name": "Elbufer Prüftechnik GmbH", "city": "Neuelbe", "country": "DE", "language": "DE", "tax_number": "DE831672327", "email": "rechnung@elbufer.example",
		"control_account": "211000", "payment_terms": "N30", "payment_method": "TRF", "bank_account": "DE28999000000012345678", "account_holder": "Elbufer Prüftechnik GmbH",
		"payment_block": "false", "clerk": "URSINA", "order_currency": "EUR"}},
}

// newVendors get their numbers, and what the rules give them, when they are saved.
var newVendors = []partner{
	{"10", "TRAD", "Carrow Jute Mills Ltd", "Port Carrow", "IE"}, {"10", "TRAD", "Inishmore Pallet Company", "Kilbrack", "IE"}, {"10", "TRAD", "Slaney Label Printers", "Enniscar", "IE"},
	{"10", "TRAD", "Dunmore Fuel Oils", "Ballinore", "IE"}, {"10", "TRAD", "Fastnet Film & Foil", "Skellport", "IE"}, {"10", "SERV", "Tidewater Boiler Services", "Port Carrow", "IE"},
	{"10", "SERV", "Corrib Freight Forwarding", "Ballinore", "IE"}, {"10", "SERV", "Anvil Street Accountants", "Enniscar", "IE"}, {"10", "STAFF", "Eoin Maddock", "Port Carrow", "IE"},
	{"20", "TRAD", "Skagenbugt Sejlmageri", "Vesterhavn", "DK"}, {"20", "TRAD", "Lindholm Skibslygter A/S", "Østkaj", "DK"}, {"20", "TRAD", "Fjordens Maling ApS", "Nørremole", "DK"},
	{"20", "TRAD", "Havneby Beslag", "Vesterhavn", "DK"}, {"20", "TRAD", "Wattenmeer Netze GmbH", "Neuelbe", "DE"}, {"20", "SERV", "Mågevej Rengøring", "Vesterhavn", "DK"},
	{"20", "SERV", "Kystens Elservice", "Østkaj", "DK"}, {"20", "STAFF", "Sif Lauritsdal", "Vesterhavn", "DK"},
	{"30", "TRAD", "Minatohama Kami Kogyo", "Shiomi", "JP"}, {"30", "TRAD", "Setouchi Taru K.K.", "Hamasaki", "JP"}, {"30", "TRAD", "Kuroshima Net Works", "Shiomi", "JP"},
	{"30", "SERV", "Hamasaki Unso", "Hamasaki", "JP"}, {"30", "SERV", "Nagi Design Studio", "Shiomi", "JP"}, {"30", "ONCE", "Ryokan Shiosai", "Hamasaki", "JP"},
	{"40", "TRAD", "Föhnhorn Kartonagen AG", "Hinterfurn", "CH"}, {"40", "TRAD", "Silvretta Glas GmbH", "Obermatt", "CH"}, {"40", "TRAD", "Enzian Gewürze KG", "Talstetten", "AT"},
	{"40", "SERV", "Furnatal Transporte", "Hinterfurn", "CH"}, {"40", "SERV", "Gletscherblick Treuhand AG", "Obermatt", "CH"}, {"40", "SERV", "Murmel Werbung", "Obermatt", "CH"},
	{"40", "STAFF", "Reto Caduff-Senn", "Hinterfurn", "CH"},
}

var customers = []partner{
	{"10", "WHOL", "Quayside Grocers Co-op", "Ballinore", "IE"}, {"10", "WHOL", "Merrion Fine Foods", "Enniscar", "IE"}, {"10", "INDU", "Ballycree Creameries", "Kilbrack", "IE"},
	{"10", "INDU", "Atlantic Smokehouse Ltd", "Skellport", "IE"}, {"10", "RETA", "The Oyster Counter", "Port Carrow", "IE"}, {"10", "WHOL", "Maison Guérande Import", "Port-Louis", "FR"},
	{"20", "RETA", "Vesterhavn Marina", "Vesterhavn", "DK"}, {"20", "RETA", "Østkaj Sejlklub", "Østkaj", "DK"}, {"20", "INDU", "Nørremole Fiskeri A/S", "Nørremole", "DK"},
	{"20", "WHOL", "Skagerrak Skibsproviant", "Vesterhavn", "DK"}, {"20", "WHOL", "Lofotlys Engros AS", "Svolvik", "NO"}, {"20", "INDU", "Bohus Varvsbolag AB", "Lysekulle", "SE"},
	{"30", "WHOL", "Umi no Sachi Trading", "Hamasaki", "JP"}, {"30", "INDU", "Tsukemono Honpo K.K.", "Shiomi", "JP"}, {"30", "INDU", "Akashima Suisan", "Hamasaki", "JP"},
	{"30", "RETA", "Depachika Maru", "Shiomi", "JP"}, {"30", "WHOL", "Kitamae Foods", "Minatocho", "JP"}, {"30", "RETA", "Ramen Daigo", "Shiomi", "JP"},
	{"40", "INDU", "Käserei Obermatt", "Obermatt", "CH"}, {"40", "INDU", "Metzgerei Steinegg AG", "Talstetten", "CH"}, {"40", "WHOL", "Alpenkost Grosshandel", "Obermatt", "CH"},
	{"40", "RETA", "Drogerie zum Murmel", "Hinterfurn", "CH"}, {"40", "WHOL", "Vorarlkraft Handel GmbH", "Talstetten", "AT"}, {"40", "INDU", "Seilbahnen Furnatal", "Hinterfurn", "CH"},
}
