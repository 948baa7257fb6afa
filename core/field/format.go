package field

import (
	"regexp"
	"slices"
	"strconv"
	"strings"

	"codicil/core/feel"
)

// Format is how a person writes and reads numbers and dates.
type Format struct {
	Decimal string `json:"decimal"` // the decimal point: "." or ","
	Group   string `json:"group"`   // between thousands; may be ""
	// Date is the order of day, month and year: "dmy", "mdy" or "ymd".
	Date string `json:"date"`
	// Separator stands between the parts of a date: ".", "/" or "-".
	Separator string `json:"separator"`
}

// Plain is the format without a person: 1234.5, 2026-11-24.
var Plain = Format{Decimal: ".", Date: "ymd", Separator: "-"}

// OrPlain is the format that is given; nil or an empty one is Plain.
func (f *Format) OrPlain() Format {
	if f == nil || *f == (Format{}) {
		return Plain
	}
	return *f
}

// Sound tells whether what the format writes can be read: decimals and thousands are parted by
// different signs, and day, month and year come in an order.
func (f Format) Sound() bool {
	order := f.Date == "dmy" || f.Date == "mdy" || f.Date == "ymd"
	sign := f.Decimal == "." || f.Decimal == ","
	group := slices.Contains([]string{"", ".", ",", "'", "’", " ", "\u00a0", "\u202f"}, f.Group)
	return order && sign && group && f.Decimal != f.Group && slices.Contains([]string{".", "/", "-"}, f.Separator)
}

// point writes a number with a point and without anything between thousands. A person's
// own signs decide. A sign that is not the person's own is taken where the text can be meant
// in one way only: 1.200,50 has its decimals behind the comma whoever writes it, 1,5 is no
// thousand and 1,234,567 no fraction. It is false where two meanings stay.
func (f Format) point(text string) (string, bool) {
	if f.Group == "" && f.Decimal == "." && f.Date == "ymd" {
		return text, true // no person wrote it
	}
	last := strings.LastIndexAny(text, ".,")
	if last < 0 {
		return text, true
	}
	mark, other := text[last:last+1], "."
	if mark == "." {
		other = ","
	}
	fraction := strings.ReplaceAll(strings.ReplaceAll(text, other, ""), mark, ".")
	count := strings.Count(text, mark)
	grouped := thousands.MatchString(text)
	switch {
	case strings.Contains(text, other):
		if count > 1 {
			return text, true // 1.2,3,4 is no number
		}
		return fraction, true
	case count > 1:
		if !grouped {
			return text, true
		}
		return strings.ReplaceAll(text, mark, ""), true
	case !grouped || mark == f.Decimal:
		return fraction, true
	case mark == f.Group:
		return strings.ReplaceAll(text, mark, ""), true
	}
	return text, false
}

var thousands = regexp.MustCompile(`^-?[1-9]\d{0,2}([.,]\d{3})+$`)

// Number writes an exact decimal for a person: 1,480.00.
func (f Format) Number(text string) string {
	sign := ""
	if strings.HasPrefix(text, "-") {
		sign, text = "-", text[1:]
	}
	whole, fraction, hasFraction := strings.Cut(text, ".")
	if f.Group != "" {
		for at := len(whole) - 3; at > 0; at -= 3 {
			whole = whole[:at] + f.Group + whole[at:]
		}
	}
	if hasFraction {
		whole += f.Decimal + fraction
	}
	return sign + whole
}

// Day writes a date for a person: 24/11/2026.
func (f Format) Day(v feel.Value) string {
	year, month, day, _ := v.Civil()
	y, m, d := strconv.FormatInt(year, 10), two(month), two(day)
	switch f.Date {
	case "dmy":
		return strings.Join([]string{d, m, y}, f.Separator)
	case "mdy":
		return strings.Join([]string{m, d, y}, f.Separator)
	}
	return v.Plain()
}

func two(n int64) string {
	text := strconv.FormatInt(n, 10)
	if len(text) < 2 {
		return "0" + text
	}
	return text
}
