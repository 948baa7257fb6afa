package decimal

import "github.com/cockroachdb/apd/v3"

// Mode says which neighbour a rounded number goes to.
type Mode uint8

// The rounding modes that the formula language and the fields use.
const (
	HalfEven Mode = iota // to the nearest; a tie goes to the even digit
	HalfUp               // to the nearest; a tie goes away from zero
	HalfDown             // to the nearest; a tie goes towards zero
	Up                   // away from zero
	Down                 // towards zero
	Floor                // towards negative infinity
	Ceiling              // towards positive infinity
)

var modes = [...]apd.Rounder{
	HalfEven: apd.RoundHalfEven, HalfUp: apd.RoundHalfUp, HalfDown: apd.RoundHalfDown,
	Down: apd.RoundDown,
}

// Round returns n rounded to the given number of decimal places (negative:
// to tens, hundreds, …).
func (n Number) Round(places int, mode Mode) Number {
	if n.large == nil && int(n.exponent) >= -places {
		return n
	}
	places = max(-MaxPlaces, min(places, MaxPlaces))
	away := mode == Up || (mode == Floor && n.Sign() < 0) || (mode == Ceiling && n.Sign() > 0)
	if away || mode == Floor || mode == Ceiling {
		// apd takes what is less than a tenth of the last place for nothing, so
		// rounding away from zero starts from rounding towards it.
		towards := n.Round(places, Down)
		if !away || towards.Cmp(n) == 0 {
			return towards
		}
		unit := Number{large: apd.New(int64(n.Sign()), int32(-places))}
		if r, ok := towards.Add(unit); ok {
			return r
		}
		return n
	}
	// Enough digits for every whole part; quantizing then only ever drops.
	wide := context
	wide.Precision = 2 * MaxPlaces
	wide.Rounding = modes[mode]
	var d apd.Decimal
	if _, err := wide.Quantize(&d, n.decimal(), int32(-places)); err != nil {
		return n
	}
	if r, ok := settle(&d); ok {
		return r
	}
	return n
}
