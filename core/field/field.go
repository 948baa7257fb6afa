// Package field holds the types of fields: how a value is read, fitted, written, shown and
// compared, and what can be asked of it. Each type is a file that registers itself.
//
// It must never know kinds of records, rules or screens. Start reading at Type; adding one is
// told in docs/adding.md.
package field

import (
	"fmt"
	"regexp"
	"strings"

	"codicil/core/decimal"
	"codicil/core/feel"
	"codicil/core/notice"
)

// LinePrefix begins the key of every field of the lines.
const LinePrefix = "lines."

// Field describes one field of a kind, or one column of a table.
type Field struct {
	Key     string `json:"key"`
	Label   string `json:"label"`
	Help    string `json:"help,omitempty"`
	Section string `json:"section"`
	Type    Name   `json:"type"`
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
	Currency string `json:"currency,omitempty"`
	// Unit is the key of the field that holds a quantity's unit.
	Unit string `json:"unit,omitempty"`
	// Country is the key of the field whose country decides how a telephone or
	// tax number and a bank account is written; "": the company's.
	Country string `json:"country,omitempty"`
	// Pattern is a regular expression that the whole text must match; "": any text.
	Pattern string `json:"pattern,omitempty"`
	// List is the key of the list that the choices come from; "": the field has its own.
	List string `json:"list,omitempty"`
	// Choices are those of the field, or of its list as it is now.
	Choices []Option `json:"choices,omitempty"`
	// Standard names the standard that its list came complete by, such as ISO 3166-1; "": none. It is kept with the list.
	Standard string `json:"-"`
	// Kind is the kind of record that a link names.
	Kind string `json:"kind,omitempty"`
	// Added fields were added by an administrator; the others are standard.
	Added bool `json:"added,omitempty"`
	// Searched fields are looked into when people search records.
	Searched bool `json:"searched,omitempty"`
	// Loaded fields take part in loads.
	Loaded bool `json:"loaded,omitempty"`
	// Personal fields hold what is about a person, and are blanked on request.
	Personal bool `json:"personal,omitempty"`
}

// Option is one value that a choice may have.
type Option struct {
	Code  string `json:"code"`
	Label string `json:"label"`
	// From and Until are the first and the last day of documents that may have it (2026-11-24);
	// "": no end there.
	From  string `json:"from,omitempty"`
	Until string `json:"until,omitempty"`
	// NotIn are the companies that do not use it.
	NotIn []string `json:"notIn,omitempty"`
	// Labels are what companies call it who do not use the label, by company.
	Labels map[string]string `json:"labels,omitempty"`
}

// In is what a company calls the option.
func (o *Option) In(company string) string {
	if label := o.Labels[company]; label != "" {
		return label
	}
	return o.Label
}

// OfLine tells whether the field is one of the lines.
func (f *Field) OfLine() bool { return strings.HasPrefix(f.Key, LinePrefix) }

// Column returns the key of a line's field without the prefix, as a line's
// values are keyed; the key of a header field as it is.
func (f *Field) Column() string { return strings.TrimPrefix(f.Key, LinePrefix) }

// Most returns the most characters of a text.
func (f *Field) Most() int {
	if f.Length == 0 {
		return 255
	}
	return f.Length
}

// most digits before the decimal point of a number.
func (f *Field) digits() int {
	if f.Digits == 0 {
		return 15
	}
	return f.Digits
}

// Surroundings are what reading, fitting and showing a value need to know besides its field.
type Surroundings struct {
	// HalfEven tells that the company rounds a half to the even digit; otherwise half up.
	HalfEven bool
	// Currency is that of an amount (ISO 4217); "": two decimals.
	Currency string
	// Unit is that of a quantity; may be "".
	Unit string
	// Country is that of an address or number (ISO 3166-1 alpha-2).
	Country string
	// Day is the document's date, from which short dates are read; null: not known.
	Day feel.Value
	// Keyed tells that a person keys the value: a number may be a sum.
	Keyed bool
	// Company is the key of the company; "": none in particular.
	Company string
	// Minor are the decimals of the currencies that are not those of the standard, by code.
	Minor map[string]int
}

// Decimals are the decimal places of amounts in a currency; false when there is none of that code.
func (s *Surroundings) Decimals(currency string) (int, bool) {
	if n, own := s.Minor[currency]; own {
		return n, true
	}
	return CurrencyDecimals(currency)
}

// Beside returns the surroundings with what stands in fields beside the value; "" changes nothing.
func (s Surroundings) Beside(currency, unit, country string) Surroundings {
	s.Unit = unit
	if currency != "" {
		s.Currency = currency
	}
	if country != "" {
		s.Country = country
	}
	return s
}

// Misfit says why a value does not fit its field, and what would.
type Misfit struct {
	notice.Notice
	// Advice tells that the value may be right all the same: nobody is refused for it.
	Advice bool
	// Anew tells that only a value that is given anew is wrong: one that is saved already may stay.
	Anew bool
}

// Error returns the message.
func (m *Misfit) Error() string { return m.String() }

func misfit(d *notice.Definition, values ...any) *Misfit { return &Misfit{Notice: d.With(values...)} }

var (
	wrongType   = notice.Define("wrong-type", "{field} holds a {wanted}; {value} is a {given}")
	tooLong     = notice.Define("too-long", "{field} takes {most} characters at most; this has {count}")
	tooLarge    = notice.Define("too-large", "{field} takes {most} digits before the decimal point at most; this has {count}")
	notPattern  = notice.Define("not-the-pattern", "{field}: {value:q} does not have the required form: {form}")
	noName      = notice.Define("no-name.field", "give the field a label")
	unknownType = notice.Define("unknown-field-type", "there is no type of field {type:q}")
	notLength   = notice.Define("not-a-length", "a text takes 1 to 2000 characters")
	notDigits   = notice.Define("not-digits", "a number takes up to 20 digits before the decimal point and 12 after it")
	badPattern  = notice.Define("not-a-pattern", "the pattern cannot be read: {why}")
)

// FeelType returns the type of the field's values in formulas.
func (f *Field) FeelType() feel.Type { return f.of().Formula() }

// Traits returns what the field's type offers.
func (f *Field) Traits() Traits { return f.of().Traits() }

// IsLink tells whether the field holds the number of a record of another kind.
func (f *Field) IsLink() bool { return f.Type == Link }

// Read reads what a person typed into the field, leniently. Blank text is null.
// The misfit says what is wrong; length and digits are judged by Settle.
func (f *Field) Read(typed string, format Format, s Surroundings) (feel.Value, *Misfit) {
	text := strings.TrimSpace(typed)
	if text == "" {
		return feel.NullValue, nil
	}
	return f.of().Read(f, text, format, s)
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
	return f.of().Parse(f, text)
}

// Settle fits a finished value to the field: text is trimmed and put in its
// case, numbers are rounded as the company says. Nothing is ever cut: what is
// too long or too large is returned as it is, with the misfit.
func (f *Field) Settle(v feel.Value, s Surroundings) (feel.Value, *Misfit) {
	if v.IsNull() {
		return v, nil
	}
	t := f.of()
	if want := t.Formula(); !feel.TypeOf(v).Fits(want) {
		return v, misfit(wrongType, f.Label, want, v, v.Kind())
	}
	return t.Fit(f, v, s)
}

// Show writes the value for a person: 1,480.00, 24/11/2026, 10 %. A value that
// does not fit the field is shown as one of no field.
func (f *Field) Show(v feel.Value, format Format, s Surroundings) string {
	if v.IsNull() {
		return ""
	}
	t := f.of()
	if v.Kind() != t.Formula().Kind {
		other := Holding(v)
		return other.of().Show(other, v, format, s)
	}
	return t.Show(f, v, format, s)
}

// Reshow writes a value for a person that was written for everybody, by Show in the format Plain, with what stood beside it then: its
// decimals and its unit stay. What is neither a number nor a day, or was written otherwise, stays as it is.
func (f *Field) Reshow(value, text string, format Format) string {
	v, wrong := f.Parse(value)
	if wrong != nil || v.IsNull() || format == Plain {
		return text
	}
	plain := f.Show(v, Plain, Surroundings{})
	if _, isNumber := v.Number(); !isNumber {
		if text == plain {
			return f.Show(v, format, Surroundings{})
		}
		return text
	}
	bare, _, _ := strings.Cut(plain, " ")
	number, unit, beside := strings.Cut(text, " ")
	own, err := decimal.Parse(bare)
	shown, other := decimal.Parse(number)
	if err != nil || other != nil || own.Cmp(shown) != 0 {
		return text
	}
	if text = format.Number(number); beside {
		text += " " + unit
	}
	return text
}

// Tell writes the value for a person in a sentence that is about no record in particular: with
// as many decimals as it has, as no currency or unit stands beside it.
func (f *Field) Tell(v feel.Value, format Format) string {
	if plain := f.Plain(v); format == Plain || plain != Write(v) {
		if format == Plain {
			return plain
		}
		return f.Show(v, format, Surroundings{})
	}
	return Holding(v).Show(v, format, Surroundings{})
}

// Plain writes a value as everybody reads it, in a way that Read reads back in the format
// Plain: 5 %, yes, 1234.5.
func (f *Field) Plain(v feel.Value) string {
	if v.IsNull() {
		return ""
	}
	t := f.of()
	if v.Kind() != t.Formula().Kind {
		other := Holding(v)
		return other.of().Plain(other, v)
	}
	return t.Plain(f, v)
}

// Step is the smallest difference between two numbers that the field can hold: one unit of
// its last decimal place.
func (f *Field) Step(s Surroundings) decimal.Number {
	places, _ := f.of().Places(f, s)
	return power(-places)
}

func power(exponent int) decimal.Number {
	p, _ := decimal.FromInt(10).Pow(decimal.FromInt(int64(exponent)))
	return p
}

// Places is how many decimals the field's values may have at most; false where they are no
// numbers.
func (f *Field) Places() (int, bool) { return f.of().Places(f, Surroundings{Currency: mostDecimals}) }

// Neighbours are the values next to one, on both sides of a boundary that it is: what a rule
// that is a little wrong compares with.
func (f *Field) Neighbours(v feel.Value, s Surroundings) []feel.Value {
	return f.of().Neighbours(f, v, s)
}

// Samples are values to try where nothing is known: each choice, a day and those around it.
func (f *Field) Samples(s Surroundings) []feel.Value { return f.of().Samples(f, s) }

// Relations are the ways to compare the field with values, in the order to offer them.
func (f *Field) Relations() []Relation { return f.of().Relations() }

// SortKey returns what makes texts of values that sort, byte by byte, as the values do. It may be
// used by one goroutine.
func (f *Field) SortKey() func(v feel.Value) string { return f.of().SortKey() }

// Width is how many of twelve columns of a form suit the field.
func (f *Field) Width() int { return f.of().Width(f) }

// Describe names the type for messages: "link to item".
func (f *Field) Describe() string { return f.of().Describe(f) }

// Holding is a field that holds a value which is of no field.
func Holding(v feel.Value) *Field {
	f := &Field{Type: Text}
	switch v.Kind() {
	case feel.Number:
		n, _ := v.Number()
		f.Type, f.Decimals = Number, n.Places()
	case feel.Date:
		f.Type = Date
	case feel.Boolean:
		f.Type = YesNo
	}
	return f
}

var keyPattern = regexp.MustCompile(`^[a-z][a-z0-9_]{0,39}$`)

// IsKey tells whether a text can be the key of a field, column or table: small letters,
// digits and _, with a letter first.
func IsKey(text string) bool { return keyPattern.MatchString(text) }

// Sound says what is wrong with a field that somebody describes, as far as the field
// itself shows it; nil for nothing. It trims the labels and codes.
func (f *Field) Sound() *Misfit {
	f.Label = strings.TrimSpace(f.Label)
	switch {
	case f.Label == "":
		return misfit(noName)
	case types[f.Type] == nil:
		return misfit(unknownType, f.Type)
	case f.Length < 0 || f.Length > 2000:
		return misfit(notLength)
	case f.Decimals < 0 || f.Decimals > 12 || f.Digits < 0 || f.Digits > 20:
		return misfit(notDigits)
	}
	if _, err := regexp.Compile("^(?:" + f.Pattern + ")$"); err != nil {
		return misfit(badPattern, err)
	}
	return f.of().Check(f)
}

// Carries says why values of f do not fit the target; "" when they do. A shorter
// text or fewer digits is a misfit too, because nothing is ever cut.
func (f *Field) Carries(target *Field) string {
	why, fits := "", f.FeelType().Kind == target.FeelType().Kind
	if fits {
		why, fits = target.of().Accepts(target, f)
	}
	if fits {
		return ""
	}
	return f.Label + " (" + f.Describe() + ") does not fit " + target.Label + " (" + target.Describe() + ")" + why
}

// Exceeds says that a text of the field can be longer than another takes; "" where it cannot.
func (f *Field) Exceeds(target *Field) string {
	if f.Type != Text || target.Type != Text || f.Most() <= target.Most() {
		return ""
	}
	return fmt.Sprintf("%s may have %d characters, and %s takes %d: what is longer is refused", f.Label, f.Most(), target.Label, target.Most())
}
