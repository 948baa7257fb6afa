package record

import (
	"fmt"
	"slices"
	"strings"

	"codicil/core/feel"
	"codicil/core/field"
)

// Kind describes one kind of record.
type Kind struct {
	Key       string `json:"key"`
	Label     string `json:"label"`     // "Vendor"
	Plural    string `json:"plural"`    // "Vendors"
	TypeLabel string `json:"typeLabel"` // what a type of this kind is called: "Vendor group"
	// Own kinds were made by an administrator; the others come with the program.
	Own bool `json:"own,omitempty"`
	// Away are standard fields that nobody uses: they stand in no Fields, and their values stay with
	// the records.
	Away []string `json:"away,omitempty"`
	// Posted records are posted when they are complete and never change after
	// that: orders, accounting documents. Others are saved again and again.
	Posted bool `json:"posted,omitempty"`
	// Shared records may be used by every company, not only their own.
	Shared bool `json:"shared,omitempty"`
	// Prefix begins the numbers of the kind, before the company and a count of at
	// least Digits digits: V and 3 give V10001 in company 10.
	Prefix string `json:"prefix"`
	Digits int    `json:"digits"`
	// Title names the fields by which people know a record besides its number.
	Title []string `json:"title"`
	// Listed are the fields that a list of records shows by itself; none: the first few.
	Listed   []string  `json:"listed,omitempty"`
	Sections []Section `json:"sections"`
	// Fields are those of the header, then those of the lines, whose keys begin
	// with LinePrefix.
	Fields []field.Field `json:"fields"`
	// Day is the field that holds a document's date; "": its date is the day of work.
	Day string `json:"day,omitempty"`
	// Journal says how the lines stand in the ledger's journal; nil: they do not.
	Journal *Journal `json:"journal,omitempty"`
	// Signed are the fields whose sign a reversing document turns: quantities and
	// totals, not prices. A kind with a journal swaps debits and credits besides.
	Signed []string `json:"signed,omitempty"`
}

// Noun names one record within a sentence: "vendor", "G/L account".
func (k *Kind) Noun() string {
	if len(k.Label) > 1 && k.Label[1] >= 'a' && k.Label[1] <= 'z' {
		return strings.ToLower(k.Label[:1]) + k.Label[1:]
	}
	return k.Label
}

// LineSection is the key of the section that holds the lines.
const LineSection = "lines"

// Journal names the fields from which a posting makes its journal. Debits equal
// credits, or the posting is refused.
type Journal struct {
	Account string `json:"account"` // of the lines
	Debit   string `json:"debit"`   // of the lines
	Credit  string `json:"credit"`  // of the lines
	// Text is the field of the lines that says what an entry is for; may be "".
	Text string `json:"text,omitempty"`
	// Control is the field of an account's record that names the kind of partner,
	// such as vendor, whose balances the account keeps; "": accounts keep none.
	Control string `json:"control,omitempty"`
	// Partners are the fields that name the partners: links of the header, which
	// the lines may name too under the same key.
	Partners []string `json:"partners,omitempty"`
}

// Headers returns the number of header fields, which come first in Fields.
func (k *Kind) Headers() int {
	for i := range k.Fields {
		if k.Fields[i].OfLine() {
			return i
		}
	}
	return len(k.Fields)
}

// Columns returns the number of fields of the lines; 0: the kind has no lines.
func (k *Kind) Columns() int { return len(k.Fields) - k.Headers() }

// Sort puts the fields of the header before those of the lines, keeping their
// order otherwise.
func (k *Kind) Sort() {
	slices.SortStableFunc(k.Fields, func(a, b field.Field) int {
		switch {
		case a.OfLine() == b.OfLine():
			return 0
		case a.OfLine():
			return 1
		}
		return -1
	})
}

// Section groups fields on screens.
type Section struct {
	Key   string `json:"key"`
	Label string `json:"label"`
}

// Index returns the place of the field with the key in Fields, or -1.
func (k *Kind) Index(key string) int {
	for i := range k.Fields { // fields are large: none is copied
		if k.Fields[i].Key == key {
			return i
		}
	}
	return -1
}

// Field returns the field with the key, or nil.
func (k *Kind) Field(key string) *field.Field {
	if i := k.Index(key); i >= 0 {
		return &k.Fields[i]
	}
	return nil
}

// Beside are the places of the fields that a field's values need to be fitted and
// shown; -1 where there is none.
type Beside struct{ Currency, Unit, Country int }

// Beside returns the fields beside the one at the place. A field of a line finds
// those of its line before those of the header.
func (k *Kind) Beside(place int) Beside {
	f := &k.Fields[place]
	find := func(key string) int {
		if key == "" {
			return -1
		}
		if f.OfLine() && !strings.HasPrefix(key, field.LinePrefix) {
			if i := k.Index(field.LinePrefix + key); i >= 0 {
				return i
			}
		}
		return k.Index(key)
	}
	return Beside{find(f.Currency), find(f.Unit), find(f.Country)}
}

// Company is one company of the group.
type Company struct {
	Key      string `json:"key"`
	Name     string `json:"name"`
	Country  string `json:"country"`  // ISO 3166-1 alpha-2
	Currency string `json:"currency"` // ISO 4217
	// Rounding is "half-up" or "half-even".
	Rounding string `json:"rounding"`
	// Calendar says which days are worked.
	Calendar Calendar `json:"calendar"`
	// TimeZone is the IANA name of the zone in which the company's day begins; "": that of the
	// machine.
	TimeZone string `json:"timeZone,omitempty"`
	// Minor are the decimals of the currencies that are not those of the standard, by code. They are
	// not kept with the company.
	Minor map[string]int `json:"-"`
	// Format is how people write numbers and dates who chose no format of their own; nil: as
	// their browser does.
	Format *field.Format `json:"format,omitempty"`
}

// Calendar says which days are no workdays.
type Calendar struct {
	// FreeDays are days of the week, 1 for Monday to 7 for Sunday.
	FreeDays []int     `json:"freeDays"`
	Holidays []Holiday `json:"holidays"`
}

// Works tells whether a date is a workday.
func (c *Calendar) Works(date feel.Value) bool {
	day := Day(date.Plain())
	return !slices.Contains(c.FreeDays, date.Weekday()) && !slices.ContainsFunc(c.Holidays, func(h Holiday) bool { return h.Day == day })
}

// Holiday is a day on which nobody works.
type Holiday struct {
	Day  Day    `json:"day"`
	Name string `json:"name"`
}

// Surroundings are those of the company's values on a day; nil: of no company.
func (c *Company) Surroundings(day Day) field.Surroundings {
	s := field.Surroundings{}
	if day != "" {
		s.Day = day.Value()
	}
	if c != nil {
		s.HalfEven, s.Currency, s.Country, s.Company, s.Minor = c.Rounding == "half-even", c.Currency, c.Country, c.Key, c.Minor
	}
	return s
}

// Type is the second axis of scope: a vendor group, an order type, a document type.
type Type struct {
	Kind  string `json:"kind"`
	Key   string `json:"key"`
	Label string `json:"label"`
	// Companies are those that use the type; empty: all.
	Companies []string `json:"companies,omitempty"`
}

// UsedIn tells whether the company uses the type.
func (t *Type) UsedIn(company string) bool {
	return len(t.Companies) == 0 || slices.Contains(t.Companies, company)
}

// Day is a calendar day written as 2026-11-24. Days in this form sort as text.
type Day string

// ParseDay reads a day. The error says how it must be written.
func ParseDay(text string) (Day, error) {
	if _, ok := feel.ParseDate(text); !ok || len(text) != len("2026-11-24") {
		return "", fmt.Errorf("%q is no day: write it as 2026-11-24", text)
	}
	return Day(text), nil
}

// Show writes the day for a person: 24/11/2026; what is no day as it is.
func (d Day) Show(f field.Format) string {
	v := d.Value()
	if v.IsNull() {
		return string(d)
	}
	return f.Day(v)
}

// Value returns the day as a date.
func (d Day) Value() feel.Value {
	v, _ := feel.ParseDate(string(d))
	return v
}
