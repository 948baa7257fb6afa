package decimal_test

import (
	"fmt"
	"math/big"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"codicil/core/decimal"
)

// drawn is a number of up to so many digits; one that ends in 5 often, as those make ties.
func drawn(t *rapid.T, digits int, label string) decimal.Number {
	count := rapid.IntRange(1, digits).Draw(t, label+" digits")
	text := rapid.StringMatching(fmt.Sprintf(`[1-9][0-9]{%d}`, count-1)).Draw(t, label)
	if rapid.Bool().Draw(t, label+" ends in 5") {
		text = text[:len(text)-1] + "5"
	}
	if rapid.Bool().Draw(t, label+" is near a power of ten") {
		text = "1" + fmt.Sprintf("%0*s", digits-1, text[len(text)-1:])
	}
	return decimal.MustParse(fmt.Sprintf("%se%d", text, rapid.IntRange(-digits, 3).Draw(t, label+" exponent")))
}

func rational(n decimal.Number) *big.Rat {
	r, ok := new(big.Rat).SetString(n.String())
	if !ok {
		panic(n.String())
	}
	return r
}

func power(r *big.Rat, exponent int64) *big.Rat {
	result := big.NewRat(1, 1)
	for range max(exponent, -exponent) {
		result.Mul(result, r)
	}
	if exponent < 0 {
		result.Inv(result)
	}
	return result
}

// unit is the value of the last of 34 digits of a rational above zero.
func unit(r *big.Rat) *big.Rat {
	u, ten := big.NewRat(1, 1), big.NewRat(10, 1)
	for u.Cmp(r) > 0 {
		u.Quo(u, ten)
	}
	for limit := new(big.Rat).Mul(u, ten); limit.Cmp(r) <= 0; limit.Mul(limit, ten) {
		u.Mul(u, ten)
	}
	return u.Mul(u, power(ten, -(decimal.Digits-1)))
}

// correct is a rational rounded half even to 34 digits.
func correct(r *big.Rat) *big.Rat {
	if r.Sign() == 0 {
		return r
	}
	u := unit(new(big.Rat).Abs(r))
	units := new(big.Rat).Quo(r, u)
	whole, rest := new(big.Int).DivMod(units.Num(), units.Denom(), new(big.Int))
	switch c := rest.Lsh(rest, 1).Cmp(units.Denom()); {
	case c > 0, c == 0 && whole.Bit(0) == 1:
		whole.Add(whole, big.NewInt(1))
	}
	return u.Mul(u, new(big.Rat).SetInt(whole))
}

func TestWholePowersAreCorrectlyRounded(t *testing.T) {
	rapid.Check(t, func(rt *rapid.T) {
		base, exponent := drawn(rt, decimal.Digits, "base"), rapid.Int64Range(-40, 60).Draw(rt, "exponent")
		if rapid.Bool().Draw(rt, "negative") {
			base = base.Neg()
		}
		result, ok := base.Pow(decimal.FromInt(exponent))
		require.True(rt, ok)
		if want := correct(power(rational(base), exponent)); rational(result).Cmp(want) != 0 {
			rt.Fatalf("%s ** %d is %s", base, exponent, result)
		}
	})
}

func TestFractionalPowersAreCorrectlyRounded(t *testing.T) {
	rapid.Check(t, func(rt *rapid.T) {
		base := drawn(rt, rapid.SampledFrom([]int{12, decimal.Digits}).Draw(rt, "length"), "base")
		root := rapid.SampledFrom([]int64{2, 4, 5, 10}).Draw(rt, "root")
		exponent := rapid.Int64Range(1, 25).Draw(rt, "exponent")
		if rapid.Bool().Draw(rt, "exact") { // the power of what has an exact root
			base, _ = drawn(rt, decimal.Digits/int(root), "exact root").Pow(decimal.FromInt(root))
		}
		fraction, _ := decimal.FromInt(exponent).Quo(decimal.FromInt(root))
		result, ok := base.Pow(fraction)
		require.True(rt, ok)
		half := unit(rational(result))
		half.Mul(half, big.NewRat(1, 2))
		exact := power(rational(base), exponent)
		low, high := new(big.Rat).Sub(rational(result), half), new(big.Rat).Add(rational(result), half)
		if power(low, root).Cmp(exact) > 0 || power(high, root).Cmp(exact) < 0 {
			rt.Fatalf("%s ** %s is not %s", base, fraction, result)
		}
	})
}

func TestTheRemainderIsExact(t *testing.T) {
	rapid.Check(t, func(rt *rapid.T) {
		n, o := drawn(rt, decimal.Digits, "dividend"), drawn(rt, decimal.Digits, "divisor")
		scale := decimal.MustParse(fmt.Sprintf("1e%d", rapid.IntRange(-60, 60).Draw(rt, "scale")))
		n, _ = n.Mul(scale)
		for _, negate := range []*decimal.Number{&n, &o} {
			if rapid.Bool().Draw(rt, "negative") {
				*negate = negate.Neg()
			}
		}
		rest, ok := n.Mod(o)
		require.True(rt, ok)
		quotient := new(big.Rat).Quo(rational(n), rational(o))
		floor := new(big.Rat).SetInt(new(big.Int).Div(quotient.Num(), quotient.Denom()))
		want := correct(new(big.Rat).Sub(rational(n), floor.Mul(floor, rational(o))))
		if rational(rest).Cmp(want) != 0 {
			rt.Fatalf("%s modulo %s is %s, not %s", n, o, rest, want.FloatString(40))
		}
	})
}

// Cases that a few digits to spare do not decide.
func TestPowersNearATie(t *testing.T) {
	for _, c := range []struct{ base, exponent, want string }{
		{"1.000000000000000000000000000000001", "0.5", "1.000000000000000000000000000000000"},
		{"1.000000000000000000000000000000003", "0.5", "1.000000000000000000000000000000001"},
		{"10000000000000000000000000000000000000", "-1", "1e-37"},
		{"-8", "3", "-512"}, {"0", "0", "1"}, {"10", "-6176", "1e-6176"}, {"0.1", "6177", "0"}, {"10", "-999999", "0"},
		{"16", "0.25", "2"}, {"4", "-1.5", "0.125"},
	} {
		result, ok := decimal.MustParse(c.base).Pow(decimal.MustParse(c.exponent))
		require.True(t, ok, c.base)
		assert.Zero(t, result.Cmp(decimal.MustParse(c.want)), "%s ** %s is %s", c.base, c.exponent, result)
	}
	for _, impossible := range [][2]string{{"10", "6145"}, {"0", "-1"}, {"-2", "0.5"}, {"10", "1000001"}} {
		_, ok := decimal.MustParse(impossible[0]).Pow(decimal.MustParse(impossible[1]))
		assert.False(t, ok, impossible)
	}
}

func TestNumbersNearZero(t *testing.T) {
	smallest := decimal.MustParse("1e-6176")
	assert.Equal(t, "1e-6176", smallest.String())
	half, ok := smallest.Quo(decimal.FromInt(2))
	assert.True(t, ok)
	assert.Zero(t, half.Sign(), "a tie goes to the even digit")
	up, _ := decimal.MustParse("3e-6176").Quo(decimal.FromInt(2))
	assert.Equal(t, "2e-6176", up.String())
	once, _ := decimal.MustParse("2.5e-6170").Mul(decimal.MustParse("1.000000000000000000000000000000001e-6"))
	assert.Equal(t, "3e-6176", once.String(), "rounded once")
	_, err := decimal.Parse("1e-6180")
	assert.ErrorContains(t, err, "out of range")
}
