package decimal

import "github.com/cockroachdb/apd/v3"

// computation computes with the digits of a context. exact tells that nothing was
// rounded off; false as second result means that there is no number.
type computation func(c *apd.Context) (d *apd.Decimal, exact, ok bool)

// guard is how many digits more than the result a computation has at first, and loss how
// many of them rounding on the way may spoil.
const (
	guard = 20
	loss  = 10
	// mostDigits is where a result that still looks like a tie is taken for one: no number of
	// 34 digits has a root, power or logarithm that comes so near to one and is none.
	mostDigits = 16 * (Digits + guard)
)

// rounded computes until the digits past the 34th decide which way to round, so that the
// result is the number of 34 digits nearest to the true one (Ziv's strategy). Cost: one
// computation, and more for about one result in 10^10.
func rounded(compute computation) (Number, bool) {
	for digits := uint32(Digits + guard); ; digits *= 2 {
		c := wide(digits)
		d, exact, ok := compute(&c)
		if !ok {
			return Zero, false
		}
		if exact || !nearTie(d, digits-loss) {
			return settle(d)
		}
		if digits >= mostDigits {
			half := wide(digits / 2)
			if _, err := half.Round(d, d); err != nil {
				return Zero, false
			}
			return settle(d)
		}
	}
}

// wide is a context with so many digits, and exponents for what lies between.
func wide(digits uint32) apd.Context {
	return apd.Context{Precision: digits, MaxExponent: 4 * maxExponent, MinExponent: -4 * maxExponent, Rounding: apd.RoundHalfEven, Traps: apd.DefaultTraps &^ tiny}
}

// nearTie tells whether d, of which so many digits can be trusted, may lie on either side
// of the middle between two results.
func nearTie(d *apd.Decimal, trusted uint32) bool {
	text := d.Coeff.String()
	if len(text) <= Digits || d.IsZero() {
		return false
	}
	rest := text[Digits:min(len(text), int(trusted))]
	same := func(s string, c byte) bool {
		for i := range len(s) {
			if s[i] != c {
				return false
			}
		}
		return true
	}
	return len(rest) > 0 && ((rest[0] == '5' && same(rest[1:], '0')) || (rest[0] == '4' && same(rest[1:], '9')))
}

// Pow returns n to the power o, correctly rounded; false when that is not a number in range.
func (n Number) Pow(o Number) (Number, bool) {
	exponent, whole := o.Int64()
	switch {
	case whole && exponent <= 1e6 && exponent >= -1e6:
		return rounded(func(c *apd.Context) (*apd.Decimal, bool, bool) { return wholePower(c, n.decimal(), exponent) })
	case n.Sign() == 0:
		return Zero, o.Sign() > 0
	case n.Sign() > 0:
		return n.fractionalPow(o)
	case !o.IsWhole():
		return Zero, false
	}
	result, ok := n.Abs().fractionalPow(o)
	if ok && o.isOdd() {
		result = result.Neg()
	}
	return result, ok
}

// wholePower multiplies and squares. A negative exponent divides last, so that a power
// that is exact stays so.
func wholePower(c *apd.Context, base *apd.Decimal, exponent int64) (*apd.Decimal, bool, bool) {
	result, factor := apd.New(1, 0), new(apd.Decimal).Set(base)
	var conditions apd.Condition
	multiply := func(into, by *apd.Decimal) bool {
		condition, err := c.Mul(into, into, by)
		conditions |= condition
		return err == nil
	}
	tooLarge := func() (*apd.Decimal, bool, bool) { // and one through it is next to nothing
		return new(apd.Decimal), true, exponent < 0 && conditions.Overflow()
	}
	for left := max(exponent, -exponent); left > 0; {
		if left&1 == 1 && !multiply(result, factor) {
			return tooLarge()
		}
		if left >>= 1; left > 0 && !multiply(factor, factor) {
			return tooLarge()
		}
	}
	if exponent < 0 {
		if result.IsZero() {
			return nil, false, false
		}
		condition, err := c.Quo(result, apd.New(1, 0), result)
		conditions |= condition
		if err != nil {
			return nil, false, false
		}
	}
	return result, !conditions.Inexact(), true
}

// fractionalPow is e to the power o × ln n, for an n above zero.
func (n Number) fractionalPow(o Number) (Number, bool) {
	return rounded(func(c *apd.Context) (*apd.Decimal, bool, bool) {
		var d apd.Decimal
		if _, err := c.Ln(&d, n.decimal()); err != nil {
			return nil, false, false
		}
		if _, err := c.Mul(&d, &d, o.decimal()); err != nil {
			return nil, false, false
		}
		result, ok := exponential(c, &d)
		return result, false, ok
	})
}

// Sqrt returns the square root; false for a negative number.
func (n Number) Sqrt() (Number, bool) {
	if n.Sign() < 0 {
		return Zero, false
	}
	return alone(n, (*apd.Context).Sqrt)
}

// Ln returns the natural logarithm; false for what is not above zero.
func (n Number) Ln() (Number, bool) {
	if n.Sign() <= 0 {
		return Zero, false
	}
	return alone(n, (*apd.Context).Ln)
}

func alone(n Number, operation func(c *apd.Context, d, x *apd.Decimal) (apd.Condition, error)) (Number, bool) {
	return rounded(func(c *apd.Context) (*apd.Decimal, bool, bool) {
		var d apd.Decimal
		_, err := operation(c, &d, n.decimal())
		return &d, false, err == nil
	})
}

// Exp returns e to the power n; false when that is out of range.
func (n Number) Exp() (Number, bool) {
	return rounded(func(c *apd.Context) (*apd.Decimal, bool, bool) {
		d, ok := exponential(c, n.decimal())
		return d, false, ok
	})
}

// exponential halves the exponent until it is small, and squares the result as often:
// the package's own function takes a multiplication for every unit of the exponent.
func exponential(c *apd.Context, x *apd.Decimal) (*apd.Decimal, bool) {
	const limit = 15000 // e to this power is past the greatest number
	size, _ := x.Float64()
	switch {
	case size > limit:
		return nil, false
	case size < -limit:
		return new(apd.Decimal), true
	}
	halvings := 0
	for ; size > 1 || size < -1; size /= 2 {
		halvings++
	}
	var d, divisor apd.Decimal
	divisor.SetInt64(1 << halvings)
	if _, err := c.Quo(&d, x, &divisor); err != nil {
		return nil, false
	}
	if _, err := c.Exp(&d, &d); err != nil {
		return nil, false
	}
	for range halvings {
		if _, err := c.Mul(&d, &d, &d); err != nil {
			return nil, false
		}
	}
	return &d, true
}
