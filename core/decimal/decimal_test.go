package decimal_test

import (
	"strings"
	"testing"

	"github.com/cockroachdb/apd/v3"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"codicil/core/decimal"
)

func TestTextIsCanonicalAndComplete(t *testing.T) {
	for _, c := range []struct{ in, want string }{
		{"0", "0"}, {"-0", "0"}, {"0.00", "0"}, {"1.50", "1.5"}, {"1e3", "1000"}, {"-12.50", "-12.5"},
		{"1e-7", "0.0000001"}, {"1234567890123456789012345678901234", "1234567890123456789012345678901234"},
		{"12345678901234567890123456789012345", "12345678901234567890123456789012340"},
		{"100", "100"}, {".5", "0.5"},
	} {
		n, err := decimal.Parse(c.in)
		require.NoError(t, err, c.in)
		assert.Equal(t, c.want, n.String(), c.in)
	}
	for _, bad := range []string{"", "abc", "1.2.3", "NaN", "Infinity", "1e", "1 0", "0x10", "1_000", "1e99999"} {
		_, err := decimal.Parse(bad)
		assert.Error(t, err, bad)
	}
}

func TestExactArithmetic(t *testing.T) {
	third, ok := decimal.FromInt(1).Quo(decimal.FromInt(3))
	require.True(t, ok)
	assert.Equal(t, "0.3333333333333333333333333333333333", third.String())
	sum, _ := decimal.MustParse("0.1").Add(decimal.MustParse("0.2"))
	assert.Zero(t, sum.Cmp(decimal.MustParse("0.3")))
	_, ok = decimal.FromInt(1).Quo(decimal.Zero)
	assert.False(t, ok, "division by zero has no result")
	_, ok = decimal.MustParse("9e6144").Mul(decimal.FromInt(10))
	assert.False(t, ok, "overflow has no result")
}

func TestRounding(t *testing.T) {
	for _, c := range []struct {
		in     string
		places int
		mode   decimal.Mode
		want   string
	}{
		{"2.5", 0, decimal.HalfEven, "2"}, {"3.5", 0, decimal.HalfEven, "4"}, {"2.5", 0, decimal.HalfUp, "3"},
		{"-2.5", 0, decimal.HalfUp, "-3"}, {"2.5", 0, decimal.HalfDown, "2"}, {"2.51", 0, decimal.HalfDown, "3"},
		{"-2.5", 0, decimal.HalfDown, "-2"}, {"1.121", 2, decimal.Up, "1.13"}, {"-1.126", 2, decimal.Down, "-1.12"},
		{"-1.5", 0, decimal.Floor, "-2"}, {"-1.5", 0, decimal.Ceiling, "-1"}, {"1250", -2, decimal.HalfEven, "1200"},
		{"1.005", 2, decimal.HalfUp, "1.01"}, {"-0.00001", 0, decimal.Floor, "-1"}, {"0.00001", 0, decimal.Floor, "0"},
		{"0.00001", 0, decimal.Ceiling, "1"}, {"-0.05", 0, decimal.Up, "-1"}, {"0.0004", 2, decimal.Up, "0.01"}, {"0.04", 1, decimal.HalfUp, "0"},
	} {
		assert.Equal(t, c.want, decimal.MustParse(c.in).Round(c.places, c.mode).String(), "%s to %d", c.in, c.places)
	}
	assert.Equal(t, "12.00", decimal.FromInt(12).Fixed(2))
	assert.Equal(t, "0.10", decimal.MustParse("0.1").Fixed(2))
	assert.Equal(t, "1480", decimal.MustParse("1479.5").Fixed(0))
}

// The arithmetic must agree with an independent decimal package working to the
// same 34 digits and the same rounding.
func TestArithmeticAgreesWithAnIndependentPackage(t *testing.T) {
	context := apd.BaseContext.WithPrecision(34)
	context.Rounding = apd.RoundHalfEven
	number := rapid.StringMatching(`-?[0-9]{1,20}(\.[0-9]{1,14})?`)
	rapid.Check(t, func(t *rapid.T) {
		left, right := number.Draw(t, "left"), number.Draw(t, "right")
		a, b := decimal.MustParse(left), decimal.MustParse(right)
		x, _, _ := apd.NewFromString(left)
		y, _, _ := apd.NewFromString(right)
		same := func(name string, got decimal.Number, ok bool, run func(*apd.Decimal, *apd.Decimal, *apd.Decimal) (apd.Condition, error)) {
			var want apd.Decimal
			if _, err := run(&want, x, y); err != nil {
				if ok {
					t.Fatalf("%s %s %s = %s, want none", left, name, right, got)
				}
				return
			}
			text := decimal.MustParse(want.Text('f')).String()
			if !ok || got.String() != text {
				t.Fatalf("%s %s %s = %s, want %s", left, name, right, got, text)
			}
		}
		sum, ok := a.Add(b)
		same("+", sum, ok, context.Add)
		difference, ok := a.Sub(b)
		same("-", difference, ok, context.Sub)
		product, ok := a.Mul(b)
		same("*", product, ok, context.Mul)
		quotient, ok := a.Quo(b)
		same("/", quotient, ok, context.Quo)
		if a.Cmp(b) != x.Cmp(y) {
			t.Fatalf("compare %s with %s: %d", left, right, a.Cmp(b))
		}
	})
}

// Rounding is next to the number, on the side that the mode says, and exact when
// nothing is to be rounded.
func TestRoundingStaysNextToTheNumber(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		n := decimal.MustParse(rapid.StringMatching(`-?[0-9]{1,12}\.[0-9]{1,18}`).Draw(t, "number"))
		places := rapid.IntRange(-3, 12).Draw(t, "places")
		unit, _ := decimal.FromInt(10).Pow(decimal.FromInt(int64(-places)))
		floor, ceiling := n.Round(places, decimal.Floor), n.Round(places, decimal.Ceiling)
		if floor.Cmp(n) > 0 || ceiling.Cmp(n) < 0 {
			t.Fatalf("%s rounds down to %s and up to %s", n, floor, ceiling)
		}
		if gap, _ := ceiling.Sub(floor); gap.Sign() != 0 && gap.Cmp(unit) != 0 {
			t.Fatalf("%s to %d: from %s to %s", n, places, floor, ceiling)
		}
		for _, mode := range []decimal.Mode{decimal.HalfEven, decimal.HalfUp, decimal.HalfDown, decimal.Up, decimal.Down} {
			if r := n.Round(places, mode); r.Cmp(floor) != 0 && r.Cmp(ceiling) != 0 {
				t.Fatalf("%s to %d is %s, neither %s nor %s", n, places, r, floor, ceiling)
			}
		}
	})
}

func TestWholePowers(t *testing.T) {
	power, ok := decimal.MustParse("1.1").Pow(decimal.FromInt(3))
	require.True(t, ok)
	assert.Equal(t, "1.331", power.String())
	inverse, ok := decimal.FromInt(2).Pow(decimal.FromInt(-2))
	require.True(t, ok)
	assert.Equal(t, "0.25", inverse.String())
	_, ok = decimal.Zero.Pow(decimal.FromInt(-1))
	assert.False(t, ok)
}

// Roots, powers and logarithms against values computed to more places than are kept.
func TestTranscendentalFunctionsHaveAllTheirDigits(t *testing.T) {
	number := decimal.MustParse
	for name, c := range map[string]struct {
		got  func() (decimal.Number, bool)
		want string
	}{
		"sqrt 2":      {number("2").Sqrt, "1.414213562373095048801688724209698"},
		"sqrt 0.0001": {number("0.0001").Sqrt, "0.01"},
		"ln 10":       {number("10").Ln, "2.302585092994045684017991454684364"},
		"e":           {number("1").Exp, "2.718281828459045235360287471352662"},
		"exp -1":      {number("-1").Exp, "0.3678794411714423215955237701614609"},
		"exp 100":     {number("100").Exp, "26881171418161354484126255515800135873611119"},
		"exp -20000":  {number("-20000").Exp, "0"},
		"2 ** 0.5":    {func() (decimal.Number, bool) { return number("2").Pow(number("0.5")) }, "1.414213562373095048801688724209698"},
		"8 ** 1.5":    {func() (decimal.Number, bool) { return number("8").Pow(number("1.5")) }, "22.62741699796952078082701958735517"},
		"0 ** 1.5":    {func() (decimal.Number, bool) { return decimal.Zero.Pow(number("1.5")) }, "0"},
	} {
		got, ok := c.got()
		require.True(t, ok, name)
		want, _ := number(c.want).Add(decimal.Zero) // rounded to the digits that are kept
		assert.Equal(t, want.String(), got.String(), name)
	}
	for _, none := range []func() (decimal.Number, bool){number("-1").Sqrt, decimal.Zero.Ln, number("-1").Ln, number("20000").Exp,
		func() (decimal.Number, bool) { return number("-8").Pow(number("0.5")) }} {
		_, ok := none()
		assert.False(t, ok)
	}
}

// A number far below another only decides its rounding, and must decide it rightly.
func TestSumsOfNumbersFarApart(t *testing.T) {
	for _, c := range [][3]string{
		{"1e6000", "1e-6000", "1e+6000"}, {"1", "1e-40", "1"}, {"1e200", "-1e50", "1e+200"},
		{"100000000000000000000000000000000.5", "1e-300", "100000000000000000000000000000000.5"},
		{"100000000000000000000000000000000.5", "-1e-300", "100000000000000000000000000000000.5"},
	} {
		for _, pair := range [][2]string{{c[0], c[1]}, {c[1], c[0]}} {
			sum, ok := decimal.MustParse(pair[0]).Add(decimal.MustParse(pair[1]))
			require.True(t, ok)
			assert.Equal(t, c[2], sum.String(), "%s + %s", pair[0], pair[1])
		}
	}
}

func TestQuotientsOfShortNumbers(t *testing.T) {
	for _, c := range [][3]string{{"1480.25", "100", "14.8025"}, {"-7", "8", "-0.875"}, {"0", "-3", "0"}, {"1", "3", "0.3333333333333333333333333333333333"}, {"9e18", "9e-18", "1000000000000000000000000000000000000"}} {
		q, ok := decimal.MustParse(c[0]).Quo(decimal.MustParse(c[1]))
		require.True(t, ok)
		assert.Equal(t, c[2], q.String())
	}
}

func TestSortKeysSortAsTheNumbers(t *testing.T) {
	number := rapid.StringMatching(`-?[0-9]{1,30}(\.[0-9]{1,14})?|-?0|-?[1-9]E-?[0-9]{1,3}|-?1?[0-9]0{0,3}`)
	rapid.Check(t, func(t *rapid.T) {
		a, b := decimal.MustParse(number.Draw(t, "a")), decimal.MustParse(number.Draw(t, "b"))
		if strings.Compare(a.SortKey(), b.SortKey()) != a.Cmp(b) {
			t.Fatalf("%s and %s sort as %x and %x", a, b, a.SortKey(), b.SortKey())
		}
	})
}
