package field

import (
	"fmt"
	"slices"
	"strings"
	"unicode/utf8"

	"codicil/core/decimal"
	"codicil/core/feel"
	"codicil/core/notice"
)

// Number is a number with a fixed count of decimals.
const Number Name = "number"

var (
	notNumber       = notice.Define("not-a-number", "{field} must be a number; {value:q} is not. Write it as {example}")
	notSum          = notice.Define("not-a-number.sum", "{field}: {value:q} cannot be added up. Write numbers with +, -, * or / between them, as 120+{example}")
	notPercentage   = notice.Define("not-a-number.percentage", "{field} is not a percentage; write a number without %")
	ambiguousNumber = notice.Define("ambiguous-number", "{field}: {value:q} may mean {one} or {other} in your format; write one of these")
)

func init() { register(20, number{}) }

// number is the type Number, and what amounts, quantities and percentages have in common.
type number struct{}

func (number) Traits() Traits {
	return Traits{Name: Number, Label: "Number", Input: "text", Keys: "decimal", Right: true, Width: 66, Settings: []string{"digits", "decimals"}, Tables: true, Uniform: true}
}

func (number) Formula() feel.Type { return feel.NumberType }

func (number) Read(f *Field, text string, format Format, s Surroundings) (feel.Value, *Misfit) {
	n, wrong := readSum(f, text, format, s)
	if wrong != nil {
		return feel.NullValue, wrong
	}
	return feel.NumberOf(n), nil
}

// readSum reads a number as a person writes it, and where one keys it also a sum of products, as 120+35,50 or 3*19,90.
// Between operators stands what is a number by itself.
func readSum(f *Field, text string, format Format, s Surroundings) (decimal.Number, *Misfit) {
	const operators = "+-−*/×"
	signed := strings.TrimLeft(text, " +-−")
	if !s.Keyed || !strings.ContainsAny(signed, operators) {
		return readNumber(f, text, text, format)
	}
	unclear := misfit(notSum, f.Label, text, format.Number("35.5"))
	total, product := decimal.Number{}, decimal.Number{}
	operator, begin := '+', 0
	sound := true
	take := func(part string) *Misfit {
		n, wrong := readNumber(f, text, strings.TrimSpace(part), format)
		if wrong != nil {
			return wrong
		}
		var fits bool
		switch operator {
		case '*', '×':
			product, fits = product.Mul(n)
		case '/':
			product, fits = product.Quo(n)
		default:
			if total, fits = total.Add(product); operator != '+' {
				n = n.Neg()
			}
			product = n
		}
		sound = sound && fits
		return nil
	}
	for at, r := range text {
		if !strings.ContainsRune(operators, r) || strings.TrimSpace(text[begin:at]) == "" {
			continue // a sign
		}
		if wrong := take(text[begin:at]); wrong != nil {
			return total, unclear
		}
		operator, begin = r, at+utf8.RuneLen(r)
	}
	if wrong := take(text[begin:]); wrong != nil || !sound {
		return total, unclear
	}
	sum, fits := total.Add(product)
	if !fits {
		return sum, unclear
	}
	return sum, nil
}

// readNumber reads a number as a person writes it; typed is what messages name.
func readNumber(f *Field, typed, text string, format Format) (decimal.Number, *Misfit) {
	if strings.HasSuffix(text, "%") {
		return decimal.Number{}, misfit(notPercentage, f.Label)
	}
	cleaned := strings.Map(func(r rune) rune {
		switch r {
		case ' ', '\u00a0', '\u202f', '\'', '’': // what people put between thousands
			return -1
		case '−':
			return '-'
		}
		return r
	}, text)
	pointed, clear := format.point(cleaned)
	if !clear {
		whole := marks.Replace(cleaned)
		fraction := Format{Decimal: format.Decimal}.Number(strings.Replace(cleaned, ",", ".", 1))
		return decimal.Number{}, misfit(ambiguousNumber, f.Label, typed, format.Number(whole), fraction)
	}
	n, err := decimal.Parse(pointed)
	if err != nil || strings.ContainsAny(pointed, "eE") {
		return n, misfit(notNumber, f.Label, typed, format.Number("1234.5"))
	}
	return n, nil
}

func (number) Parse(f *Field, text string) (feel.Value, *Misfit) {
	n, err := decimal.Parse(text)
	if err != nil {
		return feel.NullValue, misfit(notNumber, f.Label, text, "1234.5")
	}
	return feel.NumberOf(n), nil
}

func (number) Fit(f *Field, v feel.Value, s Surroundings) (feel.Value, *Misfit) {
	return fitNumber(f, v, f.Decimals, s)
}

// fitNumber rounds to the places as the company says, and refuses what has too many digits.
func fitNumber(f *Field, v feel.Value, places int, s Surroundings) (feel.Value, *Misfit) {
	n, _ := v.Number()
	mode := decimal.HalfUp
	if s.HalfEven {
		mode = decimal.HalfEven
	}
	n = n.Round(places, mode)
	if most := f.digits(); n.IntegerDigits() > most {
		return v, misfit(tooLarge, f.Label, most, n.IntegerDigits())
	}
	return feel.NumberOf(n), nil
}

func (number) Show(f *Field, v feel.Value, format Format, _ Surroundings) string {
	return showNumber(v, f.Decimals, format)
}

// showNumber writes a number with at least so many decimals.
func showNumber(v feel.Value, places int, format Format) string {
	n, _ := v.Number()
	return format.Number(n.Fixed(max(n.Places(), places)))
}

func (number) Plain(_ *Field, v feel.Value) string { return Write(v) }

func (number) SortKey() func(feel.Value) string { return exactly() }

func (number) Relations() []Relation { return slices.Concat(equality, ordering, presence) }

// Neighbours are one step more and one step less.
func (number) Neighbours(f *Field, v feel.Value, s Surroundings) []feel.Value {
	n, isNumber := v.Number()
	if !isNumber {
		return nil
	}
	step := f.Step(s)
	return []feel.Value{feel.NumberOf(n.Plus(step)), feel.NumberOf(n.Minus(step))}
}

func (number) Samples(f *Field, s Surroundings) []feel.Value {
	samples := []feel.Value{feel.NumberOf(f.Step(s))}
	for _, text := range []string{"1", "100", "0.5", "10000", "2.5"} {
		samples = append(samples, feel.NumberOf(decimal.MustParse(text)))
	}
	return samples
}

func (number) Places(f *Field, _ Surroundings) (int, bool) { return f.Decimals, true }

func (number) Width(*Field) int { return 3 }

func (number) Describe(f *Field) string { return spaced(f.Type) }

func (number) Check(*Field) *Misfit { return nil }

func (number) Accepts(f, from *Field) (string, bool) {
	if from.Decimals > f.Decimals && from.Type != Amount && from.Type != Percent {
		return fmt.Sprintf(": %d decimals into %d would be rounded", from.Decimals, f.Decimals), false
	}
	return acceptsNumber(f, from)
}

// acceptsNumber tells whether the share or number of one field can be that of another.
func acceptsNumber(f, from *Field) (string, bool) {
	switch {
	case (from.Type == Percent) != (f.Type == Percent):
		return ": a percentage is a fraction, the other is not", false
	case f.digits() < from.digits():
		return fmt.Sprintf(": up to %d digits into %d", from.digits(), f.digits()), false
	}
	return "", true
}

// marks are left out when values are compared; made once, as making it costs more than using it.
var marks = strings.NewReplacer(".", "", ",", "")
