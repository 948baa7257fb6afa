package table

import (
	"fmt"
	"slices"
	"strconv"
	"strings"

	"codicil/core/field"
	"codicil/core/notice"
	"codicil/core/record"
)

// Series gives numbers to records and documents, one after the other.
type Series struct {
	Key   string `json:"key"`
	Label string `json:"label"`
	Note  string `json:"note"`
	Parts []Part `json:"parts"`
	// Start is the first count, Step what each is more than the one before; End is the last
	// that may be given, 0: as many as the digits hold.
	Start int64 `json:"start"`
	Step  int64 `json:"step"`
	End   int64 `json:"end"`
	Reset Reset `json:"reset"`
	// ByCompany counts in every company by itself.
	ByCompany bool `json:"byCompany"`
	// Numbers says which records get their number from the series; nil: none, rules use
	// it.
	Numbers *Numbered `json:"numbers,omitempty"`
}

// Numbered are the records that a series numbers.
type Numbered struct {
	Kind      string   `json:"kind"`
	Companies []string `json:"companies"` // empty: all
	Types     []string `json:"types"`     // empty: all
}

// Covers tells whether the records of a kind, company and type get their number here.
func (n *Numbered) Covers(kind, company, kindType string) bool {
	return n != nil && n.Kind == kind && (len(n.Companies) == 0 || slices.Contains(n.Companies, company)) &&
		(len(n.Types) == 0 || slices.Contains(n.Types, kindType))
}

// Overlaps tells whether a record may get its number from both.
func (n *Numbered) Overlaps(o *Numbered) bool {
	share := func(a, b []string) bool {
		return len(a) == 0 || len(b) == 0 || slices.ContainsFunc(a, func(key string) bool { return slices.Contains(b, key) })
	}
	return n != nil && o != nil && n.Kind == o.Kind && share(n.Companies, o.Companies) && share(n.Types, o.Types)
}

// Reset is when a series begins anew.
type Reset string

// A series never begins anew, or does with every year or month of the document's date.
const (
	Never   Reset = ""
	Yearly  Reset = "yearly"
	Monthly Reset = "monthly"
)

// Part is a part of a number.
type Part struct {
	Is PartKind `json:"is"`
	// Text is the text of a constant.
	Text string `json:"text,omitempty"`
	// Digits of a counter, with zeros before it, or of a random number.
	Digits int `json:"digits,omitempty"`
	// Method of a check digit.
	Method Method `json:"method,omitempty"`
}

// PartKind says what a part is.
type PartKind string

// The parts of a number.
const (
	Constant   PartKind = "text"
	Counter    PartKind = "counter"
	Year       PartKind = "year"
	ShortYear  PartKind = "year, two digits"
	Month      PartKind = "month"
	DayOfMonth PartKind = "day"
	Company    PartKind = "company"
	Type       PartKind = "type"
	Check      PartKind = "check digit"
	Random     PartKind = "random"
)

// PartKinds lists the parts in the order in which they are offered.
var PartKinds = []PartKind{Constant, Counter, Year, ShortYear, Month, DayOfMonth, Company, Type, Check, Random}

// Method is how a check digit is computed from all that goes before it.
type Method string

// One digit by the formula of ISO/IEC 7812-1, annex B (Luhn), or two by ISO/IEC 7064
// MOD 97-10. A letter counts as 10 for A to 35 for Z, as in ISO/IEC 7064.
const (
	Luhn  Method = "mod 10"
	Mod97 Method = "mod 97"
)

// Place is for what a number is given.
type Place struct {
	Company, Type string
	Day           record.Day
}

// Counts names the count that the series goes on with at a place: "orders/10/2026".
func (s *Series) Counts(p Place) string {
	name := s.Key
	if s.ByCompany {
		name += "/" + p.Company
	}
	switch day := string(p.Day); s.Reset {
	case Yearly:
		name += "/" + day[:4]
	case Monthly:
		name += "/" + day[:7]
	}
	return name
}

// Next returns the count after last; last is 0 when none was given.
func (s *Series) Next(last int64) int64 {
	if last == 0 {
		return s.Start
	}
	return last + s.Step
}

// Format writes the number with the count. random gives a number from 0 up to below n. The
// error says that the series is exhausted.
func (s *Series) Format(count int64, p Place, random func(n int64) int64) (string, error) {
	var b strings.Builder
	if count > s.Last() {
		return "", fmt.Errorf("the number series %s is exhausted: %d was its last; give it more digits or a later end", s.Label, s.Last())
	}
	for _, part := range s.Parts {
		switch part.Is {
		case Constant:
			b.WriteString(part.Text)
		case Counter:
			fmt.Fprintf(&b, "%0*d", part.Digits, count)
		case Year:
			b.WriteString(string(p.Day[:4]))
		case ShortYear:
			b.WriteString(string(p.Day[2:4]))
		case Month:
			b.WriteString(string(p.Day[5:7]))
		case DayOfMonth:
			b.WriteString(string(p.Day[8:10]))
		case Company:
			b.WriteString(p.Company)
		case Type:
			b.WriteString(p.Type)
		case Check:
			b.WriteString(part.Method.digits(b.String()))
		case Random:
			fmt.Fprintf(&b, "%0*d", part.Digits, random(power(part.Digits)))
		}
	}
	return b.String(), nil
}

// Last returns the last count that may be given.
func (s *Series) Last() int64 {
	last := int64(1)<<62 - 1
	for _, part := range s.Parts {
		if part.Is == Counter {
			last = min(last, power(part.Digits)-1)
		}
	}
	if s.End > 0 {
		last = min(last, s.End)
	}
	return last
}

// Longest returns how many characters a number may have; company and type are as long as
// the longest of those that there are.
func (s *Series) Longest(company, kindType int) (length int) {
	for _, part := range s.Parts {
		switch part.Is {
		case Constant:
			length += len([]rune(part.Text))
		case Counter, Random:
			length += part.Digits
		case Year:
			length += 4
		case ShortYear, Month, DayOfMonth:
			length += 2
		case Company:
			length += company
		case Type:
			length += kindType
		case Check:
			length += len(part.Method.digits("0"))
		}
	}
	return length
}

// Left returns how many numbers are left after last.
func (s *Series) Left(last int64) int64 {
	next := s.Next(last)
	if next > s.Last() {
		return 0
	}
	return (s.Last()-next)/s.Step + 1
}

// few is from how many numbers on a series is nearly exhausted: the last tenth, or the
// last hundred of a long one.
func (s *Series) few() int64 { return min(100, max(1, s.Left(0)/10)) }

// Notice says that few numbers are left after last; nil when there are enough.
func (s *Series) Notice(last int64, company string) *Notice {
	left := s.Left(last)
	switch {
	case !slices.ContainsFunc(s.Parts, func(p Part) bool { return p.Is == Counter }), left > s.few():
		return nil
	case left == 0:
		return &Notice{Code: "exhausted", Company: company, Message: s.Label + " is exhausted; give it more digits or a later end"}
	}
	return &Notice{Code: "nearly-exhausted", Company: company, Message: fmt.Sprintf("%s is nearly exhausted: %d of its numbers are left", s.Label, left)}
}

// Check says what is wrong with the series.
func (s *Series) Check() []Problem {
	var problems []Problem
	say := func(row int, n notice.Notice) { problems = append(problems, ProblemOf(row, "", n)) }
	s.Label = strings.TrimSpace(s.Label)
	if !field.IsKey(s.Key) {
		say(-1, notSeriesKey.With(s.Key))
	}
	if s.Label == "" {
		say(-1, noSeriesName.With())
	}
	has := map[PartKind]int{}
	for i, part := range s.Parts {
		has[part.Is]++
		switch {
		case !slices.Contains(PartKinds, part.Is):
			say(i, unknownPart.With(part.Is))
		case part.Is == Constant && part.Text == "":
			say(i, noText.With())
		case (part.Is == Counter || part.Is == Random) && (part.Digits < 1 || part.Digits > 17):
			say(i, partDigits.With())
		case part.Is == Check && part.Method != Luhn && part.Method != Mod97:
			say(i, checkMethod.With())
		case part.Is == Check && i == 0:
			say(i, checkFirst.With())
		}
	}
	dated := has[Year]+has[ShortYear] > 0
	switch {
	case has[Counter] > 1:
		say(-1, twoCounters.With())
	case has[Counter]+has[Random] == 0:
		say(-1, noCounter.With())
	case s.Reset != Never && s.Reset != Yearly && s.Reset != Monthly:
		say(-1, unknownReset.With())
	case s.Reset != Never && has[Counter] > 0 && !dated, s.Reset == Monthly && has[Counter] > 0 && has[Month] == 0:
		say(-1, noDate.With(map[Reset]string{Yearly: "year", Monthly: "year and month"}[s.Reset]))
	case s.ByCompany && has[Company] == 0 && (s.Numbers == nil || len(s.Numbers.Companies) != 1):
		say(-1, noCompany.With())
	case s.Step < 1:
		say(-1, badStep.With())
	case s.Start < 1:
		say(-1, badStart.With())
	case len(problems) == 0 && has[Counter] > 0 && s.Start > s.Last():
		say(-1, pastEnd.With(s.Start, s.Last()))
	}
	return problems
}

func power(digits int) int64 {
	p := int64(1)
	for range digits {
		p *= 10
	}
	return p
}

// digits returns the check digits of a text.
func (m Method) digits(text string) string {
	var expanded strings.Builder
	for _, r := range strings.ToUpper(text) {
		switch {
		case r >= '0' && r <= '9':
			expanded.WriteRune(r)
		case r >= 'A' && r <= 'Z':
			expanded.WriteString(strconv.Itoa(int(r-'A') + 10))
		}
	}
	if m == Mod97 {
		rest := 0
		for _, r := range expanded.String() + "00" {
			rest = (rest*10 + int(r-'0')) % 97
		}
		return fmt.Sprintf("%02d", 98-rest)
	}
	sum, double := 0, true
	for i := expanded.Len() - 1; i >= 0; i-- {
		digit := int(expanded.String()[i] - '0')
		if double {
			if digit *= 2; digit > 9 {
				digit -= 9
			}
		}
		sum += digit
		double = !double
	}
	return strconv.Itoa((10 - sum%10) % 10)
}
