package record

import (
	"regexp"
	"slices"
	"strconv"
	"strings"

	"codicil/core/decimal"
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

// Sound tells whether what the format writes can be read: decimals and thousands are parted by
// different signs, and day, month and year come in an order.
func (f Format) Sound() bool {
	order := f.Date == "dmy" || f.Date == "mdy" || f.Date == "ymd"
	sign := f.Decimal == "." || f.Decimal == ","
	group := slices.Contains([]string{"", ".", ",", "'", "’", " ", "\u00a0", "\u202f"}, f.Group)
	return order && sign && group && f.Decimal != f.Group && slices.Contains([]string{".", "/", "-"}, f.Separator)
}

// Plain is the format without a person: 1234.5, 2026-11-24.
var Plain = Format{Decimal: ".", Date: "ymd", Separator: "-"}

// Read reads what a person typed into the field, leniently. Blank text is null.
// The misfit says what is wrong; length and digits are judged by Settle.
func (f *Field) Read(typed string, format Format, s Surroundings) (feel.Value, *Misfit) {
	text := strings.TrimSpace(typed)
	if text == "" {
		return feel.NullValue, nil
	}
	switch f.Type {
	case Quantity:
		if s.Unit != "" && strings.HasSuffix(strings.ToLower(text), strings.ToLower(s.Unit)) {
			text = strings.TrimSpace(text[:len(text)-len(s.Unit)])
		}
		return f.readNumber(text, format)
	case Number, Amount, Percent:
		return f.readNumber(text, format)
	case Date:
		return f.readDate(text, format, s)
	case YesNo:
		switch strings.ToLower(text) {
		case "yes", "y", "true", "1", "x":
			return feel.True, nil
		case "no", "n", "false", "0", "-":
			return feel.False, nil
		}
		return feel.NullValue, misfit("not-yes-or-no", "%s is yes or no; %q is neither", f.Label, text)
	case Choice:
		return f.readChoice(text)
	}
	return feel.StringOf(text), nil
}

func (f *Field) readChoice(text string) (feel.Value, *Misfit) {
	var begins []string
	for _, option := range f.Choices {
		if strings.EqualFold(option.Code, text) || strings.EqualFold(option.Label, text) {
			return feel.StringOf(option.Code), nil
		}
		if strings.HasPrefix(strings.ToLower(option.Label), strings.ToLower(text)) {
			begins = append(begins, option.Code)
		}
	}
	if len(begins) == 1 {
		return feel.StringOf(begins[0]), nil
	}
	return feel.NullValue, f.noChoice(text)
}

func (f *Field) readNumber(text string, format Format) (feel.Value, *Misfit) {
	cleaned := strings.TrimSuffix(text, "%")
	if f.Type != Percent && cleaned != text {
		return feel.NullValue, misfit("not-a-number", "%s is no percentage; write a number without %%", f.Label)
	}
	cleaned = strings.Map(func(r rune) rune {
		switch r {
		case ' ', '\u00a0', '\u202f', '\'', '’': // what people put between thousands
			return -1
		case '−':
			return '-'
		}
		return r
	}, cleaned)
	pointed, clear := format.point(cleaned)
	if !clear {
		whole := strings.NewReplacer(".", "", ",", "").Replace(cleaned)
		fraction := group(strings.Replace(cleaned, ",", ".", 1), Format{Decimal: format.Decimal})
		return feel.NullValue, misfit("ambiguous-number", "%s: %q may mean %s or %s in your format; write one of these", f.Label, text, group(whole, format), fraction)
	}
	cleaned = pointed
	n, err := decimal.Parse(cleaned)
	if err != nil || strings.ContainsAny(cleaned, "eE") {
		return feel.NullValue, misfit("not-a-number", "%s is a number; %q is none. Write it as %s", f.Label, text, group("1234.5", format))
	}
	if f.Type == Percent {
		n, _ = n.Mul(decimal.MustParse("0.01"))
	}
	return feel.NumberOf(n), nil
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

var (
	thousands  = regexp.MustCompile(`^-?[1-9]\d{0,2}([.,]\d{3})+$`)
	isoDate    = regexp.MustCompile(`^\d{4}-\d{2}-\d{2}$`)
	dateParts  = regexp.MustCompile(`^(\d{1,4})[./\- ](\d{1,2})(?:[./\- ](\d{1,4})?)?$`)
	dayOffset  = regexp.MustCompile(`^[+-]\d{1,5}$`)
	onlyDigits = regexp.MustCompile(`^(\d{2})(\d{2})(\d{2}|\d{4})$`)
)

func (f *Field) readDate(text string, format Format, s Surroundings) (feel.Value, *Misfit) {
	wrong := misfit("not-a-date", "%s is a date; %q is none. Write it as %s, or +30 for thirty days on", f.Label, text, showDate(feel.MustDate("2026-11-24"), format))
	if isoDate.MatchString(text) {
		if d, ok := feel.ParseDate(text); ok {
			return d, nil
		}
		return feel.NullValue, wrong
	}
	day := s.Day.Value()
	if dayOffset.MatchString(text) && !day.IsNull() {
		days, _ := strconv.ParseInt(text, 10, 64)
		return day.PlusDays(days), nil
	}
	year, _, _, _ := day.Civil()
	parts := dateParts.FindStringSubmatch(text)
	if parts == nil && format.Date != "ymd" {
		parts = onlyDigits.FindStringSubmatch(text)
	}
	if parts == nil {
		return feel.NullValue, wrong
	}
	var numbers [3]int64
	for i, part := range parts[1:] {
		numbers[i], _ = strconv.ParseInt(part, 10, 64)
	}
	var d, m int64
	switch format.Date {
	case "dmy":
		d, m = numbers[0], numbers[1]
	case "mdy":
		m, d = numbers[0], numbers[1]
	default:
		if parts[3] == "" {
			m, d = numbers[0], numbers[1]
		} else {
			year, m, d = numbers[0], numbers[1], numbers[2]
		}
	}
	if format.Date != "ymd" && parts[3] != "" {
		year = numbers[2]
		if len(parts[3]) <= 2 {
			year = nearest(year, day)
		}
	}
	if v, ok := feel.DateOf(year, m, d); ok {
		return v, nil
	}
	return feel.NullValue, wrong
}

// nearest is the year of two digits that is nearest to a day; of two that are as near the
// earlier.
func nearest(digits int64, day feel.Value) int64 {
	now, _, _, ok := day.Civil()
	if !ok {
		return 2000 + digits
	}
	year := now - now%100 + digits
	switch {
	case year-now >= 50:
		return year - 100
	case now-year > 50:
		return year + 100
	}
	return year
}

// Write returns the value as it is stored and sent: exact, the same for every
// person. Null gives "".
func Write(v feel.Value) string { return v.Plain() }

// Parse reads what Write wrote: exactly, and the same for every person. The misfit says
// that the text is not of the field's type. Whether a code is still one of the choices is
// judged by Settle: what is stored is never read as another value.
func (f *Field) Parse(text string) (feel.Value, *Misfit) {
	if text == "" {
		return feel.NullValue, nil
	}
	switch f.FeelType().Kind {
	case feel.Number:
		n, err := decimal.Parse(text)
		if err != nil {
			return feel.NullValue, misfit("not-a-number", "%s is a number; %q is none. Write it as 1234.5", f.Label, text)
		}
		return feel.NumberOf(n), nil
	case feel.Date:
		if d, ok := feel.ParseDate(text); ok && isoDate.MatchString(text) {
			return d, nil
		}
		return feel.NullValue, misfit("not-a-date", "%s is a date; %q is none. Write it as 2026-11-24", f.Label, text)
	case feel.Boolean:
		switch text {
		case "true":
			return feel.True, nil
		case "false":
			return feel.False, nil
		}
		return feel.NullValue, misfit("not-yes-or-no", "%s is true or false; %q is neither", f.Label, text)
	}
	if strings.TrimSpace(text) == "" {
		return feel.NullValue, nil
	}
	return feel.StringOf(text), nil
}

// Show writes the value for a person: 1,480.00, 24/11/2026, 10 %. A value that
// does not fit the field is shown as it is.
func (f *Field) Show(v feel.Value, format Format, s Surroundings) string {
	switch v.Kind() {
	case feel.Null:
		return ""
	case feel.Date:
		return showDate(v, format)
	case feel.Boolean:
		if v.IsTrue() {
			return "yes"
		}
		return "no"
	case feel.Number:
		n, _ := v.Number()
		switch f.Type {
		case Percent:
			n, _ = n.Mul(decimal.FromInt(100))
			return group(n.Fixed(max(n.Places(), f.Decimals)), format) + " %"
		case Quantity:
			return strings.TrimSpace(group(n.String(), format) + " " + s.Unit)
		case Amount, Number:
			return group(n.Fixed(max(n.Places(), s.decimals(f))), format)
		}
		return group(n.String(), format)
	case feel.String:
		return f.showText(v.Plain())
	}
	return v.Plain()
}

// Day writes a day for a person: 24/11/2026.
func (f Format) Day(d Day) string {
	v := d.Value()
	if v.IsNull() {
		return string(d)
	}
	return showDate(v, f)
}

// Number writes an exact decimal for a person: 1,480.00.
func (f Format) Number(text string) string { return group(text, f) }

func showDate(v feel.Value, format Format) string {
	year, month, day, _ := v.Civil()
	y, m, d := strconv.FormatInt(year, 10), two(month), two(day)
	switch format.Date {
	case "dmy":
		return strings.Join([]string{d, m, y}, format.Separator)
	case "mdy":
		return strings.Join([]string{m, d, y}, format.Separator)
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

func group(text string, format Format) string {
	sign := ""
	if strings.HasPrefix(text, "-") {
		sign, text = "-", text[1:]
	}
	whole, fraction, hasFraction := strings.Cut(text, ".")
	if format.Group != "" {
		for at := len(whole) - 3; at > 0; at -= 3 {
			whole = whole[:at] + format.Group + whole[at:]
		}
	}
	if hasFraction {
		whole += format.Decimal + fraction
	}
	return sign + whole
}
