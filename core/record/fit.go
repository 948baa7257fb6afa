package record

import (
	"fmt"
	"net/mail"
	"regexp"
	"strings"
	"unicode/utf8"

	"codicil/core/decimal"
	"codicil/core/feel"
)

// Misfit says why a value does not fit its field, and what would.
type Misfit struct {
	// Code is stable: "not-a-number", "not-a-date", "not-a-choice", "not-yes-or-no",
	// "not-an-email", "not-a-telephone-number", "not-a-web-address",
	// "not-a-bank-account", "not-a-tax-number", "not-the-pattern", "too-long",
	// "too-large", "wrong-type" or "no-such-record".
	Code    string
	Message string
	// Advice tells that the value may be right all the same: nobody is refused for it.
	Advice bool
}

// Error returns the message.
func (m *Misfit) Error() string { return m.Message }

func misfit(code, format string, args ...any) *Misfit {
	return &Misfit{Code: code, Message: fmt.Sprintf(format, args...)}
}

// Surroundings are what fitting a value needs to know besides its field.
type Surroundings struct {
	Company *Company
	// Currency is that of an amount field; "": the company's.
	Currency string
	// Unit is that of a quantity; may be "".
	Unit string
	// Country is that of an address or number; "": the company's.
	Country string
	// Day is the document's date, from which short dates are read.
	Day Day
}

func (s Surroundings) country() string {
	if s.Country == "" && s.Company != nil {
		return s.Company.Country
	}
	return s.Country
}

func (s Surroundings) decimals(f *Field) int {
	if f.Type != Amount {
		return f.Decimals
	}
	code := s.Currency
	if code == "" && s.Company != nil {
		code = s.Company.Currency
	}
	if n, ok := CurrencyDecimals(code); ok {
		return n
	}
	return 2
}

// Step is the smallest difference between two numbers that the field can hold: one unit of
// its last decimal place.
func (f *Field) Step(s Surroundings) decimal.Number {
	places := s.decimals(f)
	if f.Type == Percent {
		places += 2
	}
	ten := decimal.FromInt(10)
	step, _ := ten.Pow(decimal.FromInt(int64(-places)))
	return step
}

// Settle fits a finished value to the field: text is trimmed and put in its
// case, numbers are rounded as the company says. Nothing is ever cut: what is
// too long or too large is returned as it is, with the misfit.
func (f *Field) Settle(v feel.Value, s Surroundings) (feel.Value, *Misfit) {
	if v.IsNull() {
		return v, nil
	}
	if !feel.TypeOf(v).Fits(f.FeelType()) {
		return v, misfit("wrong-type", "%s holds a %s; %s is a %s", f.Label, f.FeelType(), v, v.Kind())
	}
	switch v.Kind() {
	case feel.String:
		return f.settleText(v, s)
	case feel.Number:
		n, _ := v.Number()
		places := s.decimals(f)
		if f.Type == Percent {
			places += 2
		}
		mode := decimal.HalfUp
		if s.Company != nil {
			mode = s.Company.Mode()
		}
		n = n.Round(places, mode)
		digits := f.digits()
		if n.IntegerDigits() > digits {
			return v, misfit("too-large", "%s takes %d digits before the decimal point at most; this has %d", f.Label, digits, n.IntegerDigits())
		}
		return feel.NumberOf(n), nil
	}
	return v, nil
}

func (f *Field) settleText(v feel.Value, s Surroundings) (feel.Value, *Misfit) {
	text, _ := v.Text()
	text = strings.TrimSpace(text)
	switch f.Case {
	case "upper":
		text = strings.ToUpper(text)
	case "lower":
		text = strings.ToLower(text)
	}
	if text == "" {
		return feel.NullValue, nil
	}
	settled := feel.StringOf(text)
	limit := f.Most()
	if n := utf8.RuneCountInString(text); n > limit {
		return settled, misfit("too-long", "%s takes %d characters at most; this has %d", f.Label, limit, n)
	}
	if f.Pattern != "" {
		if pattern, err := regexp.Compile("^(?:" + f.Pattern + ")$"); err == nil && !pattern.MatchString(text) {
			return settled, misfit("not-the-pattern", "%s: %q is not written as this field asks: %s", f.Label, text, f.patternHelp())
		}
	}
	switch f.Type {
	case Choice:
		for _, option := range f.Choices {
			if option.Code == text {
				return settled, nil
			}
		}
		return settled, f.noChoice(text)
	case Email:
		if a, err := mail.ParseAddress(text); err != nil || a.Address != text || !strings.Contains(text, ".") {
			return settled, misfit("not-an-email", "%s: %q is no e-mail address; write name@example.com", f.Label, text)
		}
	case Telephone, WebAddress, BankAccount, TaxNumber:
		text, wrong := f.settleIdentity(text, s)
		return feel.StringOf(text), wrong
	}
	return settled, nil
}

func (f *Field) patternHelp() string {
	if f.Help != "" {
		return f.Help
	}
	return f.Pattern
}

func (f *Field) noChoice(text string) *Misfit {
	codes := make([]string, 0, len(f.Choices))
	for _, option := range f.Choices {
		codes = append(codes, option.Code)
	}
	list := strings.Join(codes, ", ")
	if len(codes) > 8 {
		list = strings.Join(codes[:8], ", ") + ", …"
	}
	return misfit("not-a-choice", "%s has no value %q; choose one of %s", f.Label, text, list)
}
