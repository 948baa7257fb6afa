package demo

import (
	"codicil/core/record"
	"codicil/internal/store"
)

var companies = []record.Company{
	{Key: "10", Name: "Brinewell Salt Works", Country: "IE", Currency: "EUR", Rounding: "half-up"},
	{Key: "20", Name: "Brinewell Chandlery", Country: "DK", Currency: "DKK", Rounding: "half-up"},
	{Key: "30", Name: "Brinewell Kaisan", Country: "JP", Currency: "JPY", Rounding: "half-up"},
	{Key: "40", Name: "Brinewell Alpin", Country: "CH", Currency: "CHF", Rounding: "half-even"},
}

var types = []record.Type{
	{Kind: "vendor", Key: "TRAD", Label: "Trade goods"},
	{Kind: "vendor", Key: "SERV", Label: "Services"},
	{Kind: "vendor", Key: "ONCE", Label: "One-time"},
	{Kind: "vendor", Key: "STAFF", Label: "Staff expenses"},
}

type values = map[string]string

var vendors = []store.Record{
	{Kind: "vendor", Number: "V10001", Company: "10", Type: "TRAD", Values: values{
		"name": "Skerry Sacks & Closures Ltd", "street": "4 Ropewalk Lane", "postal_code": "V93 X4K2", "city": "Port Carrow", "country": "IE", "language": "EN",
		"tax_number": "IE5260181E", "email": "orders@skerrysacks.example", "telephone": "+353 66 555 0141",
		"control_account": "210000", "payment_terms": "N30", "payment_method": "T", "bank_account": "IE24BRNW99010100012345", "account_holder": "Skerry Sacks & Closures Ltd",
		"payment_block": "false", "credit_limit": "80000", "clerk": "MOYA",
		"order_currency": "EUR", "minimum_order": "250", "delivery_terms": "DAP", "delivery_place": "Salt Works, Gate 2", "lead_time": "10",
		"agreement_start": "2026-01-01", "agreement_end": "2026-12-31", "agreement_review": "2026-11-19", "buyer": "FINN", "order_required": "true"}},
	{Kind: "vendor", Number: "V10002", Company: "10", Type: "SERV", Values: values{
		"name": "Harrow Point Tank Inspection", "street": "Unit 9, Harrow Point", "postal_code": "P85 T2W8", "city": "Ballinore", "country": "IE", "language": "EN",
		"tax_number": "IE5908301S", "email": "accounts@harrowpoint.example", "control_account": "211000", "payment_terms": "N30", "payment_method": "T",
		"bank_account": "IE02HRBR99020200067890", "account_holder": "Harrow Point Tank Inspection", "payment_block": "false", "clerk": "MOYA", "order_currency": "EUR"}},
	{Kind: "vendor", Number: "V10003", Company: "10", Type: "STAFF", Values: values{
		"name": "Aoife Tarrant", "city": "Port Carrow", "country": "IE", "language": "EN", "control_account": "213000", "payment_terms": "N14", "payment_method": "S",
		"payment_block": "false", "clerk": "MOYA", "order_currency": "EUR"}},
	{Kind: "vendor", Number: "V20001", Company: "20", Type: "TRAD", Values: values{
		"name": "Klitgaard Tovværk ApS", "street": "Rebslagergyde 11", "postal_code": "9882", "city": "Vesterhavn", "country": "DK", "language": "DA",
		"tax_number": "DK12972997", "email": "ordre@klitgaard-tov.example", "control_account": "210000", "payment_terms": "N14", "payment_method": "T",
		"bank_account": "DK3509900000123456", "account_holder": "Klitgaard Tovværk ApS", "payment_block": "false", "credit_limit": "400000", "clerk": "BIRK",
		"order_currency": "DKK", "minimum_order": "1500", "delivery_terms": "FCA", "delivery_place": "Vesterhavn", "lead_time": "7",
		"agreement_start": "2026-04-01", "agreement_end": "2027-03-31", "agreement_review": "2027-02-17", "buyer": "SIF", "order_required": "true"}},
	{Kind: "vendor", Number: "V20002", Company: "20", Type: "SERV", Values: values{
		"name": "Nordmole Havneservice A/S", "city": "Vesterhavn", "country": "DK", "language": "DA", "tax_number": "DK93478878", "email": "bogholderi@nordmole.example",
		"control_account": "211000", "payment_terms": "N14", "payment_method": "T", "bank_account": "DK1709910000654321", "account_holder": "Nordmole Havneservice A/S",
		"payment_block": "true", "block_reason": "Disputed crane invoice", "clerk": "BIRK", "order_currency": "DKK"}},
	{Kind: "vendor", Number: "V20003", Company: "20", Type: "ONCE", Values: values{
		"name": "Ferry guesthouse Østkaj", "city": "Østkaj", "country": "DK", "language": "DA", "control_account": "219000", "payment_terms": "N00", "payment_method": "C",
		"payment_block": "false", "order_currency": "DKK"}},
	{Kind: "vendor", Number: "V30001", Company: "30", Type: "TRAD", Values: values{
		"name": "Shiokaze Hoso K.K.", "street": "2-14 Minatohama", "postal_code": "799-0099", "city": "Shiomi", "country": "JP", "language": "JA",
		"tax_number": "T7658948113114", "email": "juchu@shiokaze-hoso.example", "control_account": "210000", "payment_terms": "N45", "payment_method": "T",
		"bank_account": "0990-001-1234567", "account_holder": "Shiokaze Hoso K.K.", "payment_block": "false", "credit_limit": "3000000", "clerk": "RINA",
		"order_currency": "JPY", "minimum_order": "30000", "delivery_terms": "DAP", "delivery_place": "Shiomi warehouse", "lead_time": "14",
		"agreement_start": "2026-04-01", "agreement_end": "2027-03-31", "agreement_review": "2027-02-17", "buyer": "KENJI", "order_required": "true"}},
	{Kind: "vendor", Number: "V30002", Company: "30", Type: "SERV", Values: values{
		"name": "Toge Keiryo Lab", "city": "Shiomi", "country": "JP", "language": "JA", "tax_number": "T4402426462889", "email": "lab@toge-keiryo.example",
		"control_account": "211000", "payment_terms": "N45", "payment_method": "T", "bank_account": "0991-004-7654321", "account_holder": "Toge Keiryo Lab",
		"payment_block": "false", "clerk": "RINA", "order_currency": "JPY"}},
	{Kind: "vendor", Number: "V40001", Company: "40", Type: "TRAD", Values: values{
		"name": "Gratweg Holzkisten AG", "street": "Sägestrasse 3", "postal_code": "7099", "city": "Hinterfurn", "country": "CH", "language": "DE",
		"tax_number": "CHE786563559", "email": "verkauf@gratweg.example", "control_account": "210000", "payment_terms": "D10", "discount_rate": "0.02", "payment_method": "T",
		"bank_account": "CH1109901000012345678", "account_holder": "Gratweg Holzkisten AG", "payment_block": "false", "credit_limit": "60000", "clerk": "URSINA",
		"order_currency": "CHF", "minimum_order": "300", "delivery_terms": "DDP", "delivery_place": "Hinterfurn depot", "lead_time": "12",
		"agreement_start": "2026-07-01", "agreement_end": "2027-06-30", "agreement_review": "2027-05-19", "buyer": "LUZI", "order_required": "true"}},
	{Kind: "vendor", Number: "V40002", Company: "40", Type: "SERV", Values: values{
		"name": "Elbufer Prüftechnik GmbH", "city": "Neuelbe", "country": "DE", "language": "DE", "tax_number": "DE831672327", "email": "rechnung@elbufer.example",
		"control_account": "211000", "payment_terms": "N30", "payment_method": "T", "bank_account": "DE28999000000012345678", "account_holder": "Elbufer Prüftechnik GmbH",
		"payment_block": "false", "clerk": "URSINA", "order_currency": "EUR"}},
}
