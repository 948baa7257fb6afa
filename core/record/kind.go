package record

import (
	"fmt"
	"slices"

	"golang.org/x/text/currency"

	"codicil/core/decimal"
	"codicil/core/feel"
)

// Kind describes one kind of record.
type Kind struct {
	Key       string    `json:"key"`
	Label     string    `json:"label"`     // "Vendor"
	Plural    string    `json:"plural"`    // "Vendors"
	TypeLabel string    `json:"typeLabel"` // what a type of this kind is called: "Vendor group"
	Sections  []Section `json:"sections"`
	Fields    []Field   `json:"fields"`
}

// Section groups fields on screens.
type Section struct {
	Key   string `json:"key"`
	Label string `json:"label"`
}

// Index returns the place of the field with the key in Fields, or -1.
func (k *Kind) Index(key string) int {
	return slices.IndexFunc(k.Fields, func(f Field) bool { return f.Key == key })
}

// Field returns the field with the key, or nil.
func (k *Kind) Field(key string) *Field {
	if i := k.Index(key); i >= 0 {
		return &k.Fields[i]
	}
	return nil
}

// FieldType says what a field holds.
type FieldType string

// The field types. A percent holds the fraction: 10 % is 0.1.
const (
	Text    FieldType = "text"
	Email   FieldType = "email"
	Number  FieldType = "number"
	Amount  FieldType = "amount"
	Percent FieldType = "percent"
	Date    FieldType = "date"
	YesNo   FieldType = "yes-no"
	Choice  FieldType = "choice"
)

// Field describes one field of a kind.
type Field struct {
	Key     string    `json:"key"`
	Label   string    `json:"label"`
	Help    string    `json:"help,omitempty"`
	Section string    `json:"section"`
	Type    FieldType `json:"type"`
	// Length is the most characters of a text; 0: 255.
	Length int `json:"length,omitempty"`
	// Case is "upper", "lower" or "" for as typed.
	Case string `json:"case,omitempty"`
	// Digits is the most digits before the decimal point; 0: 15.
	Digits int `json:"digits,omitempty"`
	// Decimals is the number of decimal places of a number, or of a percent as
	// people write it. An amount has those of its currency.
	Decimals int `json:"decimals,omitempty"`
	// Currency is the key of the field that holds an amount's currency; "": the
	// company's currency.
	Currency string   `json:"currency,omitempty"`
	Choices  []Option `json:"choices,omitempty"`
}

// Option is one value that a choice may have.
type Option struct {
	Code  string `json:"code"`
	Label string `json:"label"`
}

// FeelType returns the type of the field's values in formulas.
func (f *Field) FeelType() feel.Type {
	switch f.Type {
	case Number, Amount, Percent:
		return feel.NumberType
	case Date:
		return feel.DateType
	case YesNo:
		return feel.BooleanType
	}
	return feel.StringType
}

// Company is one company of the group.
type Company struct {
	Key      string `json:"key"`
	Name     string `json:"name"`
	Country  string `json:"country"`  // ISO 3166-1 alpha-2
	Currency string `json:"currency"` // ISO 4217
	// Rounding is "half-up" or "half-even".
	Rounding string `json:"rounding"`
}

// Mode returns how the company rounds.
func (c *Company) Mode() decimal.Mode {
	if c.Rounding == "half-even" {
		return decimal.HalfEven
	}
	return decimal.HalfUp
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

// Value returns the day as a date.
func (d Day) Value() feel.Value {
	v, _ := feel.ParseDate(string(d))
	return v
}

// CurrencyDecimals returns the minor digits of an ISO 4217 currency: 2 for EUR, 0
// for JPY; false when there is no such currency.
func CurrencyDecimals(code string) (int, bool) {
	unit, err := currency.ParseISO(code)
	if err != nil {
		return 0, false
	}
	scale, _ := currency.Standard.Rounding(unit)
	return scale, true
}
