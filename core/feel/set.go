package feel

import (
	"cmp"
	"slices"
	"strings"
)

// Set is a set of values of one kind that are not null: intervals without overlap,
// in their order. It is how conditions on one field are compared.
type Set []Interval

// Everything is the set of all values.
var Everything = Set{{LowOpen: true, HighOpen: true}}

// Only returns the set of one value.
func Only(v Value) Set { return Set{{Low: v, High: v}} }

// cut is a place between values: just before one, just after it, or at an end of
// them all.
type cut struct {
	infinite int // -1 before and 1 after all values
	value    Value
	after    bool
}

func lowCut(i Interval) cut {
	if i.Low.IsNull() {
		return cut{infinite: -1}
	}
	return cut{value: i.Low, after: i.LowOpen}
}

func highCut(i Interval) cut {
	if i.High.IsNull() {
		return cut{infinite: 1}
	}
	return cut{value: i.High, after: !i.HighOpen}
}

func compareCuts(a, b cut) int {
	if a.infinite != 0 || b.infinite != 0 {
		return cmp.Compare(a.infinite, b.infinite)
	}
	if order := orderInSet(a.value, b.value); order != 0 || a.after == b.after {
		return order
	}
	if b.after {
		return -1
	}
	return 1
}

// orderInSet orders values of one kind; false comes before true.
func orderInSet(a, b Value) int {
	if a.kind == Boolean {
		return a.number.Cmp(b.number)
	}
	order, _ := Order(a, b)
	return order
}

func between(low, high cut) Interval {
	i := Interval{LowOpen: true, HighOpen: true}
	if low.infinite == 0 {
		i.Low, i.LowOpen = low.value, low.after
	}
	if high.infinite == 0 {
		i.High, i.HighOpen = high.value, !high.after
	}
	return i
}

// Union returns the values that are in one of the sets.
func (s Set) Union(o Set) Set {
	all := slices.Concat(s, o)
	slices.SortFunc(all, func(a, b Interval) int { return compareCuts(lowCut(a), lowCut(b)) })
	var merged Set
	for _, i := range all {
		if last := len(merged) - 1; last >= 0 && compareCuts(lowCut(i), highCut(merged[last])) <= 0 {
			if compareCuts(highCut(i), highCut(merged[last])) > 0 {
				merged[last] = between(lowCut(merged[last]), highCut(i))
			}
			continue
		}
		merged = append(merged, i)
	}
	return merged
}

// Complement returns the values that are not in the set.
func (s Set) Complement() Set {
	var rest Set
	from := cut{infinite: -1}
	for _, i := range s {
		if compareCuts(from, lowCut(i)) < 0 {
			rest = append(rest, between(from, lowCut(i)))
		}
		from = highCut(i)
	}
	if from.infinite != 1 {
		rest = append(rest, between(from, cut{infinite: 1}))
	}
	return rest
}

// Intersection returns the values that are in both sets.
func (s Set) Intersection(o Set) (both Set) {
	switch {
	case s.everything():
		return o
	case o.everything():
		return s
	}
	for i, j := 0, 0; i < len(s) && j < len(o); {
		low, high := lowCut(s[i]), highCut(s[i])
		if other := lowCut(o[j]); compareCuts(other, low) > 0 {
			low = other
		}
		if other := highCut(o[j]); compareCuts(other, high) < 0 {
			high = other
			j++
		} else {
			i++
		}
		if compareCuts(low, high) < 0 {
			both = append(both, between(low, high))
		}
	}
	return both
}

func (s Set) everything() bool { return len(s) == 1 && s[0].Low.IsNull() && s[0].High.IsNull() }

// Contains tells whether a value is in the set.
func (s Set) Contains(v Value) bool {
	return slices.ContainsFunc(s, func(i Interval) bool {
		return compareCuts(lowCut(i), cut{value: v}) <= 0 && compareCuts(highCut(i), cut{value: v, after: true}) >= 0
	})
}

// empty tells whether no value of the kind is in the set.
func (s Set) empty(kind Kind) bool {
	if kind == Boolean {
		return !s.Contains(True) && !s.Contains(False)
	}
	return len(s) == 0
}

// String writes the set as unary tests: "< 5, [10..20)".
func (s Set) String() string {
	parts := make([]string, len(s))
	for n, i := range s {
		switch {
		case i.Low.IsNull() && i.High.IsNull():
			parts[n] = "-"
		case !i.Low.IsNull() && !i.High.IsNull() && orderInSet(i.Low, i.High) == 0:
			parts[n] = i.Low.String()
		default:
			parts[n] = strings.Trim(i.String(), " ")
			if i.Low.IsNull() || i.High.IsNull() {
				parts[n] = strings.TrimSuffix(strings.TrimPrefix(parts[n], "("), ")")
			}
		}
	}
	return strings.Join(parts, ", ")
}
