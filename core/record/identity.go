package record

import (
	"net/url"
	"strings"

	"github.com/nyaruka/phonenumbers"
)

// settleIdentity puts a telephone number, web address, bank account or tax number
// into the one form in which it is kept, and checks it as far as the country's
// scheme is public.
func (f *Field) settleIdentity(text string, s Surroundings) (string, *Misfit) {
	switch f.Type {
	case Telephone:
		number, err := phonenumbers.Parse(text, s.country())
		if err != nil || !phonenumbers.IsPossibleNumber(number) {
			return text, misfit("not-a-telephone-number", "%s: %q is no telephone number; write it with its country, as in +353 1 555 0142", f.Label, text)
		}
		return phonenumbers.Format(number, phonenumbers.E164), nil
	case WebAddress:
		address := text
		if !strings.Contains(address, "://") {
			address = "https://" + address
		}
		u, err := url.Parse(address)
		if err != nil || (u.Scheme != "https" && u.Scheme != "http") || !strings.Contains(u.Host, ".") || strings.ContainsAny(address, " \t") {
			return text, misfit("not-a-web-address", "%s: %q is no web address; write it as example.com or https://example.com/page", f.Label, text)
		}
		return address, nil
	case BankAccount:
		return f.settleAccount(text)
	}
	return f.settleTaxNumber(text, s)
}

// settleAccount checks an IBAN (ISO 13616: its country's length, and the check
// digits by ISO 7064 MOD 97-10). An account that does not begin like an IBAN of a
// country that has them is a national number and is kept as it is.
func (f *Field) settleAccount(text string) (string, *Misfit) {
	compact := strings.ToUpper(strings.NewReplacer(" ", "", "\u00a0", "").Replace(text))
	if len(compact) < 4 || !isLetters(compact[:2]) || !isDigits(compact[2:4]) {
		return text, nil
	}
	country := compact[:2]
	length, known := ibanLengths[country]
	if !known {
		// A country may have joined the registry since; only the check digits can be judged.
		if mod97(compact[4:]+compact[:4]) != 1 {
			doubt := misfit("not-a-bank-account", "%s: no scheme of IBANs that begin with %s is known here, and the check digits of %s do not fit; look at it once more", f.Label, country, compact)
			doubt.Advice = true
			return compact, doubt
		}
		return compact, nil
	}
	if len(compact) != length {
		return compact, misfit("not-a-bank-account", "%s: an IBAN of %s has %d characters; this has %d", f.Label, country, length, len(compact))
	}
	if mod97(compact[4:]+compact[:4]) != 1 {
		return compact, misfit("not-a-bank-account", "%s: the check digits of %s do not fit; look for a mistyped or swapped character", f.Label, compact)
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

// showText writes a text value for a person: an IBAN in groups of four, a
// telephone number with its spaces.
func (f *Field) showText(text string) string {
	switch f.Type {
	case BankAccount:
		if length, known := ibanLengths[text[:min(2, len(text))]]; known && len(text) == length {
			var b strings.Builder
			for i := 0; i < len(text); i += 4 {
				if i > 0 {
					b.WriteByte(' ')
				}
				b.WriteString(text[i:min(i+4, len(text))])
			}
			return b.String()
		}
	case Telephone:
		if number, err := phonenumbers.Parse(text, ""); err == nil {
			return phonenumbers.Format(number, phonenumbers.INTERNATIONAL)
		}
	}
	return text
}
