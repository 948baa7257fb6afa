package field_test

import (
	"testing"

	"pgregory.net/rapid"

	"codicil/core/feel"
	"codicil/core/field"
)

func TestBankAccounts(t *testing.T) {
	check(t, spec{
		field: field.Field{Label: "Field", Type: field.BankAccount, Length: 60}, formula: "string", width: 6,
		stored:     []string{"IE29AIBK93115212345678"},
		shows:      map[string]string{"IE29AIBK93115212345678": "IE29 AIBK 9311 5212 3456 78", "0990-001": "0990-001"},
		plain:      map[string]string{"IE29AIBK93115212345678": "IE29AIBK93115212345678"},
		relations:  textual,
		neighbours: map[string][]string{"A": {"Ax"}},
		samples:    []string{"Test"},
		accepts:    map[field.Name]bool{field.BankAccount: true, field.Text: false, field.Email: false},
	})
	checkIdentities(t, field.BankAccount, []identity{
		{"", "IE29 aibk 9311 5212 3456 78", "IE29AIBK93115212345678"},
		{"", "IE28AIBK93115212345678", "!not-a-bank-account"},
		{"", "IE29AIBK9311521234567", "!not-a-bank-account"},
		{"", "XX29AIBK93115212345678", "!not-a-bank-account"},
		{"", "BY13 NBRB 3600 9000 0000 2Z00 AB00", "BY13NBRB3600900000002Z00AB00"},
		{"", "LY83 0020 4800 0020 1001 2036 1", "LY83002048000020100120361"},
		{"", "RU03 0445 2522 5408 1781 0538 0913 1041 9", "RU0304452522540817810538091310419"},
		{"", "SV62 CENR 0000 0000 0000 0070 0025", "SV62CENR00000000000000700025"},
		{"", "OM81 0180 0000 0129 9123 456", "OM810180000001299123456"},
		{"", "SO21 1000 0010 0100 0100 141", "SO211000001001000100141"},
		{"", "DK50 0040 0440 1162 43", "DK5000400440116243"},
		{"JP", "0990-001-1234567", "0990-001-1234567"},
	})
}

// No change of one digit, and no swap of two neighbours, passes for the same IBAN.
func TestAMistypedAccountIsNoticed(t *testing.T) {
	f := field.Field{Label: "Account", Type: field.BankAccount}
	const good = "DE89370400440532013000"
	rapid.Check(t, func(rt *rapid.T) {
		text := []byte(good)
		at := rapid.IntRange(2, len(text)-2).Draw(rt, "at")
		if rapid.Bool().Draw(rt, "swap") {
			text[at], text[at+1] = text[at+1], text[at]
		} else {
			text[at] = byte('0' + rapid.IntRange(0, 9).Draw(rt, "digit"))
		}
		_, wrong := f.Settle(feel.StringOf(string(text)), field.Surroundings{})
		if (string(text) == good) != (wrong == nil) {
			rt.Fatalf("%s: %v", text, wrong)
		}
	})
}
