package decimal

// SortKey writes n so that the texts of two numbers sort, byte by byte, as the numbers do: the sign, how many
// digits stand before the point, and the digits; those of a negative number turned round.
func (n Number) SortKey() string {
	d := n.decimal()
	if d.IsZero() {
		return "\x01"
	}
	digits := d.Coeff.String()
	before := int(d.Exponent) + len(digits) + 1<<14 // never negative: exponents are within maxExponent
	key := append([]byte{2, byte(before >> 8), byte(before)}, digits...)
	for key[len(key)-1] == '0' && len(key) > 4 {
		key = key[:len(key)-1]
	}
	if n.Sign() > 0 {
		return string(key)
	}
	for i := range key {
		key[i] = ^key[i]
	}
	key[0] = 0
	return string(append(key, 0xff)) // the shorter of two negative numbers is the greater
}
