package decimal

import (
	"math/big"

	"github.com/cockroachdb/apd/v3"
)

// IsWhole tells whether n has no digits after its point.
func (n Number) IsWhole() bool {
	if n.large == nil && n.exponent >= 0 {
		return true
	}
	return n.Round(0, Down).Cmp(n) == 0
}

// isOdd tells whether a whole number is odd.
func (n Number) isOdd() bool {
	rest, _ := n.Mod(FromInt(2))
	return rest.Sign() != 0
}

// Mod returns n − o × floor(n ÷ o), which has the sign of o (DMN 1.5, table 76); false when
// o is zero. It is computed in whole numbers, so that it is exact however large the
// quotient, and rounded once. Cost: that of a few multiplications of 34 digits.
func (n Number) Mod(o Number) (Number, bool) {
	if o.Sign() == 0 {
		return Zero, false
	}
	x, y := n.decimal(), o.decimal()
	if magnitudeOf(x) < magnitudeOf(y)-1 || n.Sign() == 0 {
		if n.Sign() == 0 || n.Sign() == o.Sign() {
			return n, true
		}
		return n.Add(o)
	}
	dividend, divisor := signed(x), signed(y)
	exponent := min(x.Exponent, y.Exponent)
	// The divisor is at most ten times the dividend, so its exponent is at most 34 above.
	divisor.Mul(divisor, powerOfTen(int64(y.Exponent-exponent), nil))
	size := new(big.Int).Abs(divisor)
	dividend.Mul(dividend, powerOfTen(int64(x.Exponent-exponent), size))
	rest := dividend.Mod(dividend, size) // not below zero
	if rest.Sign() != 0 && divisor.Sign() < 0 {
		rest.Add(rest, divisor)
	}
	var d apd.Decimal
	d.Coeff.SetMathBigInt(rest)
	if d.Negative = rest.Sign() < 0; d.Negative {
		d.Coeff.SetMathBigInt(rest.Neg(rest))
	}
	d.Exponent = exponent
	return settle(&d)
}

func signed(d *apd.Decimal) *big.Int {
	whole := d.Coeff.MathBigInt()
	if d.Negative {
		return new(big.Int).Neg(whole)
	}
	return new(big.Int).Set(whole)
}

// powerOfTen returns 10^power, in the remainders of a modulus if there is one.
func powerOfTen(power int64, modulus *big.Int) *big.Int {
	return new(big.Int).Exp(big.NewInt(10), big.NewInt(power), modulus)
}
