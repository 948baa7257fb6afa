package field

import (
	"strings"

	"codicil/core/feel"
	"codicil/core/notice"
)

// BankAccount is a bank account: an IBAN (ISO 13616), or the number of a country without.
const BankAccount Name = "bank-account"

var (
	notAccount    = notice.Define("not-a-bank-account", "{field}: the check digits of {value} do not fit; look for a mistyped or swapped character")
	ibanLength    = notice.Define("not-a-bank-account.length", "{field}: an IBAN of {country} has {wanted} characters; this has {count}")
	unknownScheme = notice.Define("not-a-bank-account.scheme", "{field}: no scheme of IBANs that begin with {country} is known here, and the check digits of {value} do not fit; check it again")
)

func init() { register(130, bankAccount{}) }

type bankAccount struct{ text }

func (bankAccount) Traits() Traits {
	return Traits{Name: BankAccount, Label: "Bank account", Input: "text", Width: 110, Settings: []string{"length"}, Uniform: true}
}

func (bankAccount) Fit(f *Field, v feel.Value, _ Surroundings) (feel.Value, *Misfit) {
	return fitBy(f, v, func(typed string) (string, *Misfit) { return formOfAccount(f, typed) })
}

// Show writes an IBAN in groups of four.
func (bankAccount) Show(_ *Field, v feel.Value, _ Format, _ Surroundings) string {
	account := v.Plain()
	if length, known := ibanLengths[account[:min(2, len(account))]]; !known || len(account) != length {
		return account
	}
	var b strings.Builder
	for i := 0; i < len(account); i += 4 {
		if i > 0 {
			b.WriteByte(' ')
		}
		b.WriteString(account[i:min(i+4, len(account))])
	}
	return b.String()
}

func (bankAccount) Width(*Field) int { return 6 }

// formOfAccount checks an IBAN (ISO 13616: its country's length, and the check
// digits by ISO 7064 MOD 97-10). An account that does not begin like an IBAN of a
// country that has them is a national number and is kept as it is.
func formOfAccount(f *Field, text string) (string, *Misfit) {
	compact := strings.ToUpper(gaps.Replace(text))
	if len(compact) < 4 || !isLetters(compact[:2]) || !isDigits(compact[2:4]) {
		return text, nil
	}
	country := compact[:2]
	length, known := ibanLengths[country]
	if !known {
		// A country may have joined the registry since; only the check digits can be judged.
		if mod97(compact[4:]+compact[:4]) != 1 {
			doubt := misfit(unknownScheme, f.Label, country, compact)
			doubt.Advice = true
			return compact, doubt
		}
		return compact, nil
	}
	if len(compact) != length {
		return compact, misfit(ibanLength, f.Label, country, length, len(compact))
	}
	if mod97(compact[4:]+compact[:4]) != 1 {
		return compact, misfit(notAccount, f.Label, compact)
	}
	return compact, nil
}

// mod97 takes letters as 10 for A to 35 for Z; -1 for any other character.
func mod97(text string) int {
	rest := 0
	for _, r := range text {
		switch {
		case r >= '0' && r <= '9':
			rest = (rest*10 + int(r-'0')) % 97
		case r >= 'A' && r <= 'Z':
			rest = (rest*100 + int(r-'A') + 10) % 97
		default:
			return -1
		}
	}
	return rest
}

func isLetters(text string) bool {
	return strings.Trim(text, "ABCDEFGHIJKLMNOPQRSTUVWXYZ") == ""
}

func isDigits(text string) bool { return strings.Trim(text, "0123456789") == "" }

// ibanLengths are the lengths of the IBAN registry (ISO 13616, registration authority SWIFT).
var ibanLengths = map[string]int{
	"BI": 27, "BY": 28, "DJ": 27, "FK": 18, "HN": 28, "LY": 25, "MN": 20, "NI": 28, "OM": 23, "RU": 33, "SD": 18, "SO": 23, "SV": 28, "YE": 30,
	"AD": 24, "AE": 23, "AL": 28, "AT": 20, "AZ": 28, "BA": 20, "BE": 16, "BG": 22, "BH": 22, "BR": 29, "CH": 21, "CR": 22, "CY": 28, "CZ": 24,
	"DE": 22, "DK": 18, "DO": 28, "EE": 20, "EG": 29, "ES": 24, "FI": 18, "FO": 18, "FR": 27, "GB": 22, "GE": 22, "GI": 23, "GL": 18, "GR": 27,
	"GT": 28, "HR": 21, "HU": 28, "IE": 22, "IL": 23, "IQ": 23, "IS": 26, "IT": 27, "JO": 30, "KW": 30, "KZ": 20, "LB": 28, "LI": 21, "LT": 20,
	"LU": 20, "LV": 21, "MC": 27, "MD": 24, "ME": 22, "MK": 19, "MR": 27, "MT": 31, "MU": 30, "NL": 18, "NO": 15, "PK": 24, "PL": 28, "PS": 29,
	"PT": 25, "QA": 29, "RO": 24, "RS": 22, "SA": 24, "SC": 31, "SE": 24, "SI": 19, "SK": 24, "SM": 27, "TN": 24, "TR": 26, "UA": 29, "VA": 22,
	"VG": 24, "XK": 20,
}

// gaps are left out when values are compared; made once, as making it costs more than using it.
var gaps = strings.NewReplacer(" ", "", "\u00a0", "")
