// Package decimal holds the one number type of Codicil: an exact decimal of up
// to 34 significant digits, rounded half to even where a result needs more, as
// IEEE 754-2008 decimal128 and DMN 1.5 section 10.3.2.3.1 define it.
//
// It must never know what a number means (currency, field, rule). Start reading
// at Number. The arithmetic itself is apd's; this package adds a short form
// for everyday numbers and narrows apd to what the product needs: no infinities, no not-a-number, one
// canonical text.
package decimal

import (
	"cmp"
	"errors"
	"fmt"
	"math"
	"math/bits"
	"strconv"
	"strings"

	"github.com/cockroachdb/apd/v3"
)

// Digits is the precision of every result, in significant digits.
const Digits = 34

// MaxPlaces and MinPlaces are the most and the fewest decimal places that a number can be
// rounded to: the limits of DMN 1.5 section 10.3.4.5 (decimal()).
const (
	MaxPlaces = 6176
	MinPlaces = -6111
)

const maxExponent = 6144

// ErrSyntax reports text that is not a decimal number.
var ErrSyntax = errors.New("not a decimal number")

// Number is an exact decimal number: coefficient × 10^exponent. Its zero value
// is 0. Numbers are values: copy them freely, compare them with Cmp (== would
// tell 1.0 from 1).
//
// Nearly every number of a business document fits 64 bits, and those are
// computed in registers without allocating; the others are held by apd, which
// also decides every result that the short way cannot hold exactly.
type Number struct {
	coefficient int64
	exponent    int32
	large       *apd.Decimal // never changed once set; nil: the two fields above hold the number
}

// Zero is the number 0.
var Zero = Number{}

var context = apd.Context{
	Precision: Digits, MaxExponent: maxExponent, MinExponent: -maxExponent + 1,
	Rounding: apd.RoundHalfEven, Traps: apd.DefaultTraps &^ tiny,
}

// tiny are the conditions of a number near zero that has lost digits, or all of them: it is
// a number still, as IEEE 754-2008 has it.
const tiny = apd.Subnormal | apd.Underflow

// shortExponent bounds the exponents of the short form, so that adding or
// scaling them never leaves the range.
const shortExponent = 1000

var powers = func() (p [19]int64) {
	p[0] = 1
	for i := 1; i < len(p); i++ {
		p[i] = p[i-1] * 10
	}
	return p
}()

// FromInt returns the number equal to i.
func FromInt(i int64) Number {
	if i == math.MinInt64 { // the short form keeps to coefficients that can be negated
		return Number{large: apd.New(i, 0)}
	}
	return Number{coefficient: i}
}

// Parse reads an optionally signed decimal number with optional fraction and
// exponent ("-12.50", "1e3"). Digits past the 34th are rounded half to even.
// The error is ErrSyntax, or says that the number is out of range.
func Parse(text string) (Number, error) {
	digits := false
	for _, c := range text {
		digits = digits || (c >= '0' && c <= '9')
		if (c < '0' || c > '9') && !strings.ContainsRune("+-.eE", c) {
			return Zero, fmt.Errorf("%q: %w", text, ErrSyntax)
		}
	}
	var d apd.Decimal
	if _, _, err := d.SetString(text); err != nil || !digits {
		return Zero, fmt.Errorf("%q: %w", text, ErrSyntax)
	}
	zero := d.IsZero()
	n, ok := settle(&d)
	if !ok || (n.Sign() == 0 && !zero) {
		return Zero, fmt.Errorf("%q is out of range", text)
	}
	return n, nil
}

// MustParse is Parse for constants in the program; it panics on bad text.
func MustParse(text string) Number {
	n, err := Parse(text)
	if err != nil {
		panic(err)
	}
	return n
}

// settle rounds d to 34 digits and returns it in the short form where it fits.
func settle(d *apd.Decimal) (Number, bool) {
	if d.Form == apd.Finite && d.Exponent < -MaxPlaces {
		// It has fewer digits the nearer it is to zero. Rounding to 34 before would round twice.
		c := wide(uint32(d.NumDigits()) + 1)
		if _, err := c.Quantize(d, d, -MaxPlaces); err != nil {
			return Zero, false
		}
	}
	if condition, err := context.Round(d, d); err != nil || condition.Overflow() || d.Form != apd.Finite {
		return Zero, false
	}
	d.Reduce(d)
	if d.IsZero() {
		return Zero, true
	}
	if d.Coeff.IsInt64() && d.Exponent > -shortExponent && d.Exponent < shortExponent {
		coefficient := d.Coeff.Int64()
		if d.Negative {
			coefficient = -coefficient
		}
		return Number{coefficient: coefficient, exponent: d.Exponent}, true
	}
	return Number{large: d}, true
}

func (n Number) decimal() *apd.Decimal {
	if n.large != nil {
		return n.large
	}
	return apd.New(n.coefficient, n.exponent)
}

func byPackage(n, o Number, operation func(c *apd.Context, d, x, y *apd.Decimal) (apd.Condition, error)) (Number, bool) {
	var d apd.Decimal
	condition, err := operation(&context, &d, n.decimal(), o.decimal())
	if err == nil && condition.Subnormal() { // it has fewer digits, and is to be rounded once
		c := wide(3 * Digits)
		_, err = operation(&c, &d, n.decimal(), o.decimal())
	}
	if err != nil {
		return Zero, false
	}
	return settle(&d)
}

// aligned returns the coefficients of both numbers at their smaller exponent;
// false when one of them does not fit 64 bits there.
func aligned(n, o Number) (a, b int64, exponent int32, ok bool) {
	if n.large != nil || o.large != nil {
		return 0, 0, 0, false
	}
	if n.exponent == o.exponent {
		return n.coefficient, o.coefficient, n.exponent, true
	}
	if n.exponent > o.exponent {
		a, ok = scaled(n.coefficient, n.exponent-o.exponent)
		return a, o.coefficient, o.exponent, ok
	}
	b, ok = scaled(o.coefficient, o.exponent-n.exponent)
	return n.coefficient, b, n.exponent, ok
}

func scaled(coefficient int64, by int32) (int64, bool) {
	if coefficient == 0 {
		return 0, true
	}
	if int(by) >= len(powers) {
		return 0, false
	}
	return product(coefficient, powers[by])
}

func product(a, b int64) (int64, bool) {
	high, low := bits.Mul64(magnitude(a), magnitude(b))
	if high != 0 || low > math.MaxInt64 {
		return 0, false
	}
	if (a < 0) != (b < 0) {
		return -int64(low), true
	}
	return int64(low), true
}

func magnitude(a int64) uint64 {
	if a < 0 {
		return uint64(-a)
	}
	return uint64(a)
}

// Add returns n + o; false when the result is out of range.
func (n Number) Add(o Number) (Number, bool) {
	if a, b, exponent, ok := aligned(n, o); ok {
		if sum := a + b; (sum > a) == (b > 0) && sum != math.MinInt64 {
			return Number{coefficient: sum, exponent: exponent}, true
		}
	}
	a, b := n.decimal(), o.decimal()
	if far(a, b) {
		return byPackage(n, beside(a, b), (*apd.Context).Add)
	}
	if far(b, a) {
		return byPackage(o, beside(b, a), (*apd.Context).Add)
	}
	return byPackage(n, o, (*apd.Context).Add)
}

// farDigits is a distance past which a number only decides how its sum with a greater
// one is rounded, and so may stand for any other as small.
const farDigits = 3 * Digits

// far tells whether b is that small beside a.
func far(a, b *apd.Decimal) bool {
	return !a.IsZero() && !b.IsZero() && magnitudeOf(a)-magnitudeOf(b) > farDigits
}

// magnitudeOf returns the exponent of the first digit.
func magnitudeOf(d *apd.Decimal) int64 { return int64(d.Exponent) + d.NumDigits() - 1 }

// beside returns a number that is as small beside a as it need be, with the sign of b:
// so that adding it does not write out thousands of zeros.
func beside(a, b *apd.Decimal) Number {
	small := apd.New(1, int32(magnitudeOf(a)-farDigits))
	small.Negative = b.Negative
	return Number{large: small}
}

// Plus adds two amounts. Amounts have far fewer digits than a number may have, so
// that the sum always is a number.
func (n Number) Plus(o Number) Number {
	total, _ := n.Add(o)
	return total
}

// Minus subtracts an amount from another.
func (n Number) Minus(o Number) Number { return n.Plus(o.Neg()) }

// Sub returns n − o; false when the result is out of range.
func (n Number) Sub(o Number) (Number, bool) { return n.Add(o.Neg()) }

// Mul returns n × o; false when the result is out of range.
func (n Number) Mul(o Number) (Number, bool) {
	if n.large == nil && o.large == nil {
		exponent := n.exponent + o.exponent
		if c, ok := product(n.coefficient, o.coefficient); ok && exponent > -shortExponent && exponent < shortExponent {
			return Number{coefficient: c, exponent: exponent}, true
		}
	}
	return byPackage(n, o, (*apd.Context).Mul)
}

// Quo returns n ÷ o; false when o is zero or the result is out of range.
func (n Number) Quo(o Number) (Number, bool) {
	if o.Sign() == 0 {
		return Zero, false
	}
	if n.large == nil && o.large == nil {
		if q, ok := exactQuotient(n, o); ok {
			return q, true
		}
	}
	return byPackage(n, o, (*apd.Context).Quo)
}

// exactQuotient divides where the quotient ends within 64 bits, as that of an amount
// by a hundred does.
func exactQuotient(n, o Number) (Number, bool) {
	for places, dividend, ok := int32(0), n.coefficient, true; ok && int(places) < len(powers); places++ {
		if dividend%o.coefficient == 0 {
			exponent := n.exponent - o.exponent - places
			return Number{coefficient: dividend / o.coefficient, exponent: exponent}, exponent > -shortExponent && exponent < shortExponent
		}
		dividend, ok = product(dividend, 10)
	}
	return Zero, false
}

// Neg returns −n.
func (n Number) Neg() Number {
	if n.large == nil {
		n.coefficient = -n.coefficient
		return n
	}
	var d apd.Decimal
	d.Neg(n.large)
	return Number{large: &d}
}

// Abs returns n without its sign.
func (n Number) Abs() Number {
	if n.Sign() < 0 {
		return n.Neg()
	}
	return n
}

// Cmp returns -1, 0 or 1 as n is less than, equal to or greater than o.
func (n Number) Cmp(o Number) int {
	if a, b, _, ok := aligned(n, o); ok {
		return cmp.Compare(a, b)
	}
	return n.decimal().Cmp(o.decimal())
}

// Sign returns -1, 0 or 1 as n is negative, zero or positive.
func (n Number) Sign() int {
	if n.large != nil {
		return n.large.Sign()
	}
	return cmp.Compare(n.coefficient, 0)
}

// Places returns how many decimal places n needs: 0 for whole numbers, 2 for 1.25.
func (n Number) Places() int {
	_, fraction, _ := strings.Cut(n.plain(), ".")
	return len(fraction)
}

// IntegerDigits returns how many digits n has before its decimal point; 0 for |n| < 1.
func (n Number) IntegerDigits() int {
	if n.large == nil && n.coefficient > math.MinInt64 {
		digits := 0
		for c := max(n.coefficient, -n.coefficient); c > 0; c /= 10 {
			digits++
		}
		if digits == 0 {
			return 0
		}
		return max(0, digits+int(n.exponent))
	}
	whole, _, _ := strings.Cut(n.Abs().plain(), ".")
	if whole == "0" {
		return 0
	}
	return len(whole)
}

// Int64 returns n as an integer; false when n is not whole or does not fit.
func (n Number) Int64() (int64, bool) {
	if n.large == nil && n.exponent == 0 {
		return n.coefficient, true
	}
	var reduced apd.Decimal
	reduced.Reduce(n.decimal())
	i, err := reduced.Int64()
	return i, err == nil
}

// plainExponent is how far a number's first digit may stand from its point for the
// number to be written without an exponent.
const plainExponent = 60

// String writes n with all its digits and without trailing zeros after the point: the
// text by which equal numbers are equal. Only numbers past 60 places before or after
// the point have an exponent.
func (n Number) String() string {
	if n.large == nil && n.exponent == 0 {
		return strconv.FormatInt(n.coefficient, 10)
	}
	d := n.decimal()
	if m := magnitudeOf(d); (m > plainExponent || m < -plainExponent) && !d.IsZero() {
		var reduced apd.Decimal
		reduced.Reduce(d)
		return reduced.Text('e')
	}
	return n.plain()
}

func (n Number) plain() string {
	text := n.decimal().Text('f')
	if strings.IndexByte(text, '.') >= 0 {
		text = strings.TrimSuffix(strings.TrimRight(text, "0"), ".")
	}
	if strings.Trim(text, "-0") == "" {
		return "0"
	}
	return text
}

// Fixed writes n rounded half up to exactly the given number of decimal places.
func (n Number) Fixed(places int) string {
	text := n.Round(places, HalfUp).plain()
	_, fraction, found := strings.Cut(text, ".")
	if !found && places > 0 {
		text += "."
	}
	return text + strings.Repeat("0", max(0, places-len(fraction)))
}
