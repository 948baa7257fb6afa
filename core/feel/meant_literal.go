package feel

import (
	"fmt"
	"regexp"
	"slices"
	"strings"
	"unicode/utf8"

	"codicil/core/decimal"
)

// The forms of numbers and dates that people write.
var (
	dateForms = []*regexp.Regexp{
		regexp.MustCompile(`^(\d{4})-(\d{1,2})-(\d{1,2})\b`), regexp.MustCompile(`^(\d{4})/(\d{1,2})/(\d{1,2})\b`),
		regexp.MustCompile(`^(\d{1,2})\.(\d{1,2})\.(\d{4})\b`), regexp.MustCompile(`^(\d{1,2})/(\d{1,2})/(\d{4})\b`), regexp.MustCompile(`^(\d{1,2})-(\d{1,2})-(\d{4})\b`),
	}
	monthForm  = regexp.MustCompile(`(?i)^(\d{1,2})\.? (jan|feb|mar|apr|may|jun|jul|aug|sep|oct|nov|dec)[a-z]*\.? (\d{4})\b`)
	groupForms = []*regexp.Regexp{
		regexp.MustCompile(`^\d{1,3}(?:[ '’\x{A0}\x{202F}]\d{3})+(?:[.,]\d+)?`), regexp.MustCompile(`^\d{1,3}(?:\.\d{3})+,\d+`), regexp.MustCompile(`^\d{1,3}(?:,\d{3})+\.\d+`), regexp.MustCompile(`^\d{1,3}(?:\.\d{3}){2,}`),
	}
	commaGroup = regexp.MustCompile(`^\d{1,3}(?:,\d{3})+`)
	commaForm  = regexp.MustCompile(`^\d+,\d+`)
)

// dateMeant writes a text that is a date as one; day says how an ambiguous one was read. ""
// where it is none.
func dateMeant(text string) (written, day string) {
	text = strings.TrimSpace(text)
	if m := monthForm.FindStringSubmatch(text); m != nil && len(m[0]) == len(text) {
		month := strings.Index("janfebmaraprmayjunjulaugsepoctnovdec", strings.ToLower(m[2]))/3 + 1
		return dateFrom(m[3], fmt.Sprint(month), m[1]), ""
	}
	for i, form := range dateForms {
		m := form.FindStringSubmatch(text)
		if m == nil || len(m[0]) != len(text) {
			continue
		}
		if i < 2 {
			return dateFrom(m[1], m[2], m[3]), ""
		}
		if written = dateFrom(m[3], m[2], m[1]); written == "" { // the month comes first where it must
			return dateFrom(m[3], m[1], m[2]), ""
		}
		if other := dateFrom(m[3], m[1], m[2]); other != "" && other != written && i != 2 {
			day = ", with the day first"
		}
		return written, day
	}
	return "", ""
}

func dateFrom(year, month, day string) string {
	v, ok := ParseDate(fmt.Sprintf("%s-%02s-%02s", year, month, day))
	if !ok {
		return ""
	}
	return v.String()
}

// numberMeant reads a number as a person may write it.
func numberMeant(text string) (string, bool) {
	r := meaning{source: strings.TrimSpace(text)}
	number, _ := r.number()
	return number, number != "" && r.at == len(r.source)
}

// number reads a number in the ways in which people write them; message says what is otherwise.
func (r *meaning) number() (text, message string) {
	rest := r.source[r.at:]
	take := func(found, decimalSign string, message string) (string, string) {
		r.at += len(found)
		fraction := ""
		if decimalSign != "" {
			found, fraction, _ = strings.Cut(found, decimalSign)
			fraction = "." + fraction
		}
		digits := strings.Map(func(c rune) rune {
			if c >= '0' && c <= '9' {
				return c
			}
			return -1
		}, found)
		return digits + fraction, message
	}
	for i, form := range groupForms {
		found := form.FindString(rest)
		if found == "" {
			continue
		}
		sign := []string{"", ",", ".", ""}[i]
		if i == 0 {
			if at := strings.LastIndexAny(found, ".,"); at >= 0 {
				sign = found[at : at+1]
			}
		}
		if i == 2 && r.commas {
			continue
		}
		return take(found, sign, "a number is written without signs between thousands, and with a point")
	}
	if !r.commas {
		if found := commaGroup.FindString(rest); found != "" && len(found) != 0 && !strings.HasPrefix(rest, "0") {
			return take(found, "", "a number is written without signs between thousands: "+found+" is read as thousands")
		}
		if found := commaForm.FindString(rest); found != "" {
			return take(found, ",", "a number is written with a point: 1.5")
		}
	}
	end := numberEnd(rest)
	if end == 0 {
		return "", ""
	}
	r.at += end
	return rest[:end], ""
}

func (r *meaning) numberOrDate(start int) *meant {
	rest := r.source[r.at:]
	for _, form := range append(slices.Clone(dateForms), monthForm) {
		found := form.FindString(rest)
		if found == "" {
			continue
		}
		if written, day := dateMeant(found); written != "" {
			r.at += len(found)
			r.note(start, r.at, "date", "a date is written %s%s", written, day)
			return &meant{text: written, binds: meansValue, start: start, end: r.at, literal: true}
		}
	}
	text, message := r.number()
	if message != "" {
		r.note(start, r.at, "spreadsheet", "%s", message)
	}
	if _, err := decimal.Parse(text); err != nil {
		r.give()
	}
	return &meant{text: text, binds: meansValue, start: start, end: r.at, literal: true}
}

// quoted reads a text in whatever quotes.
func (r *meaning) quoted(start int, open rune) *meant {
	closing := map[rune]string{'"': `"`, '\'': "'", '“': "”“\"", '”': "”\"", '„': "“”\"", '‘': "’'", '’': "’'", '«': "»", '`': "`"}[open]
	begin := r.at + utf8.RuneLen(open)
	if open == '"' {
		if text, length, message := readString(r.source[begin:]); message == "" {
			r.at = begin + length
			return &meant{text: r.source[start:r.at], binds: meansValue, start: start, end: r.at, literal: true, plain: text}
		}
	}
	end := strings.IndexAny(r.source[begin:], closing)
	text := r.source[begin:]
	if end < 0 {
		r.advise(start, begin, "syntax", `the text that begins here is not closed: write " at its end`)
		text = strings.TrimRight(text, " )")
		r.at = begin + len(text)
	} else {
		text = r.source[begin : begin+end]
		r.at = begin + end
		_, size := utf8.DecodeRuneInString(r.source[r.at:])
		r.at += size
		r.note(start, r.at, "spreadsheet", `a text is written in straight double quotes: "…"`)
	}
	return &meant{text: quote(text), binds: meansValue, start: start, end: r.at, literal: true, plain: text}
}

var currencies = []string{"EUR", "USD", "GBP", "DKK", "JPY", "CHF", "SEK", "NOK", "euro", "euros", "dollars"}

func (r *meaning) acceptCurrency() bool {
	for _, sign := range []string{"€", "$", "£", "¥"} {
		if r.accept(sign) {
			return true
		}
	}
	word := r.source[r.at:r.wordAt(r.at)]
	if slices.ContainsFunc(currencies, func(c string) bool { return strings.EqualFold(c, word) }) {
		r.at += len(word)
		return true
	}
	return false
}

// currencyBefore takes a currency that stands before a number.
func (r *meaning) currencyBefore() bool {
	save := r.at
	if r.acceptCurrency() {
		after := r.at
		r.space()
		if r.at < len(r.source) && isDigit(r.source[r.at]) {
			r.at = after
			return true
		}
	}
	r.at = save
	return false
}
