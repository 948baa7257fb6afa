package decimal

import "github.com/cockroachdb/apd/v3"

// Pow returns n to the power o; false when that is not a number in range.
// Whole powers are computed by repeated multiplication, so they are as exact as Mul.
func (n Number) Pow(o Number) (Number, bool) {
	exponent, whole := o.Int64()
	if !whole || exponent > 1e6 || exponent < -1e6 {
		return n.fractionalPow(o)
	}
	negative := exponent < 0
	if negative {
		exponent = -exponent
	}
	result, base, ok := FromInt(1), n, true
	for exponent > 0 && ok {
		if exponent&1 == 1 {
			result, ok = result.Mul(base)
		}
		exponent >>= 1
		if exponent > 0 && ok {
			base, ok = base.Mul(base)
		}
	}
	if ok && negative {
		return FromInt(1).Quo(result)
	}
	return result, ok
}

// fractionalPow is e to the power o × ln n.
func (n Number) fractionalPow(o Number) (Number, bool) {
	if n.Sign() == 0 {
		return Zero, o.Sign() > 0
	}
	if n.Sign() < 0 {
		return Zero, false
	}
	if half := (Number{coefficient: 5, exponent: -1}); o.Cmp(half) == 0 {
		return n.Sqrt() // exact where the root is
	}
	var d apd.Decimal
	if _, err := precise.Ln(&d, n.decimal()); err != nil {
		return Zero, false
	}
	if _, err := precise.Mul(&d, &d, o.decimal()); err != nil {
		return Zero, false
	}
	result, ok := exponential(&d)
	if !ok {
		return Zero, false
	}
	return settle(result)
}

// Sqrt returns the square root; false for a negative number.
func (n Number) Sqrt() (Number, bool) { return n.alone(context.Sqrt) }

// Ln returns the natural logarithm; false for what is not above zero.
func (n Number) Ln() (Number, bool) {
	if n.Sign() <= 0 {
		return Zero, false
	}
	return n.alone(context.Ln)
}

// precise computes with digits to spare, for functions whose result is rounded once.
var precise = apd.Context{Precision: Digits + 20, MaxExponent: 2 * maxExponent, MinExponent: -2 * maxExponent, Rounding: apd.RoundHalfEven, Traps: apd.DefaultTraps}

// Exp returns e to the power n; false when that is out of range.
func (n Number) Exp() (Number, bool) {
	d, ok := exponential(n.decimal())
	if !ok {
		return Zero, false
	}
	return settle(d)
}

// exponential halves the exponent until it is small, and squares the result as often:
// the package's own function takes a multiplication for every unit of the exponent.
func exponential(x *apd.Decimal) (*apd.Decimal, bool) {
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
	if _, err := precise.Quo(&d, x, &divisor); err != nil {
		return nil, false
	}
	if _, err := precise.Exp(&d, &d); err != nil {
		return nil, false
	}
	for range halvings {
		if _, err := precise.Mul(&d, &d, &d); err != nil {
			return nil, false
		}
	}
	return &d, true
}

func (n Number) alone(operation func(d, x *apd.Decimal) (apd.Condition, error)) (Number, bool) {
	var d apd.Decimal
	if _, err := operation(&d, n.decimal()); err != nil {
		return Zero, false
	}
	return settle(&d)
}
