package learn

import (
	"fmt"
	"slices"
	"strings"

	"codicil/core/decimal"
	"codicil/core/field"
)

// ranges looks for bounds of numbers: the values end there all at once, though many are close to it.
func (f *finder) ranges() {
	for _, t := range f.sheet.columns {
		if f.stopped() {
			return
		}
		if !isNumber(t) || t.filled < enough || f.derived(t.key) {
			continue
		}
		f.scoped(t.codes, func(rows []int32) (string, *Proposal) { return f.bounded(t, rows) })
	}
}

func (f *finder) bounded(t *column, rows []int32) (string, *Proposal) {
	var values []decimal.Number
	for _, row := range rows {
		if id := t.ids[row]; f.texts.isNum[id] {
			values = append(values, f.texts.numbers[id])
		}
	}
	if len(values) < enough {
		return "", nil
	}
	slices.SortFunc(values, decimal.Number.Cmp)
	name := f.name(t)
	var musts, words []string
	low, hasLow := f.edge(values, true)
	high, hasHigh := f.edge(values, false)
	zero := decimal.FromInt(0)
	over := false // the lower bound itself is not allowed
	if !hasLow {
		// Nothing is below zero, or at it, though people write such numbers elsewhere: a sign is a bound of its own.
		negative, none := 0, 0
		for _, v := range values {
			switch v.Sign() {
			case -1:
				negative++
			case 0:
				none++
			}
		}
		if float64(negative+none) <= (1-leastChecked)*float64(len(values)) && t.field.Type != field.Percent {
			low, hasLow, over = zero, true, true
			if none > 0 && none > negative {
				over = float64(none) <= 0.01*float64(len(values)) && negative > 0
			}
		}
	}
	if hasLow {
		relation := " >= "
		if over {
			relation = " > "
		}
		musts = append(musts, name+relation+low.String())
		words = append(words, map[bool]string{true: "more than ", false: "at least "}[over]+shown(t, low))
	}
	if hasHigh {
		musts = append(musts, name+" <= "+high.String())
		words = append(words, "at most "+shown(t, high))
	}
	if len(musts) == 0 {
		return "", nil
	}
	p := Proposal{Form: Range, Rule: f.check(t, filledIf(t, name), strings.Join(musts, " and "), fmt.Sprintf("%s is %s. Correct it.", t.field.Label, strings.Join(words, " and ")))}
	in := rowSet(rows, f.sheet.rows())
	f.told(&p, f.sheet.rows(), func(row int) int {
		id := t.ids[row]
		if !in(row) || !f.texts.isNum[id] {
			return 0
		}
		v := f.texts.numbers[id]
		if hasLow && (v.Cmp(low) < 0 || over && v.Cmp(low) == 0) || hasHigh && v.Cmp(high) > 0 {
			return -1
		}
		return 1
	})
	if p.Share() < leastChecked {
		return "", nil
	}
	return p.Rule.Effect.Must, &p
}

func shown(t *column, n decimal.Number) string {
	v, wrong := t.field.Parse(n.String())
	if wrong != nil {
		return n.String()
	}
	return t.field.Plain(v)
}

// edge finds the bound at one end of sorted values: a round number that many values are close to, or
// equal, and that next to none lies beyond.
func (f *finder) edge(values []decimal.Number, low bool) (decimal.Number, bool) {
	n := len(values)
	at := func(i int) decimal.Number {
		if low {
			return values[i]
		}
		return values[n-1-i]
	}
	// beyond tells how many lie beyond the value at i: as values are sorted, those before it.
	most := int((1 - leastChecked) * float64(n))
	mid := values[n/2]
	for i := 0; i <= most; i++ {
		if i > 0 && at(i).Cmp(at(i-1)) == 0 {
			continue
		}
		bound, round := rounded(at(i), low)
		if !round {
			continue
		}
		span := bound.Minus(mid).Abs()
		if span.Sign() == 0 {
			continue
		}
		tenth, _ := span.Mul(decimal.MustParse("0.12"))
		inside, beyond, equal := 0, 0, 0
		for j := i; j < n && at(j).Minus(bound).Abs().Cmp(tenth) <= 0; j++ {
			inside++
			if at(j).Cmp(bound) == 0 {
				equal++
			}
		}
		for j := i - 1; j >= 0; j-- {
			if at(j).Minus(bound).Abs().Cmp(tenth) <= 0 {
				beyond++
			}
		}
		far := i - beyond
		if inside < max(8, n/50) || beyond*8 > inside || !f.abrupt(values, i, bound, at) {
			continue
		}
		// What lies beyond is far away, as mistakes are, or nothing does. Where nothing does, the end of the values has
		// to be a wall: as many are next to it as further in.
		if far == 0 && beyond == 0 && !wall(values, bound, span, low) {
			continue
		}
		return bound, true
	}
	return decimal.Number{}, false
}

// abrupt tells whether values end at the bound at once: as near to it as some are on its inner side, next
// to none is on the other.
func (f *finder) abrupt(values []decimal.Number, i int, bound decimal.Number, at func(int) decimal.Number) bool {
	if i == 0 {
		return true
	}
	near := min(i+12, len(values)-1)
	width := at(near).Minus(bound).Abs()
	outside := 0
	for j := i - 1; j >= 0 && at(j).Minus(bound).Abs().Cmp(width) <= 0; j-- {
		outside++
	}
	return outside <= 1
}

// wall tells whether values are as dense at their end as they are next to it.
func wall(values []decimal.Number, bound, span decimal.Number, low bool) bool {
	step, _ := span.Mul(decimal.MustParse("0.12"))
	count := func(from, to int64) (n int) {
		for _, v := range values {
			d := v.Minus(bound).Abs()
			inner := (low && v.Cmp(bound) >= 0) || (!low && v.Cmp(bound) <= 0)
			lo, _ := step.Mul(decimal.FromInt(from))
			hi, _ := step.Mul(decimal.FromInt(to))
			if inner && d.Cmp(lo) >= 0 && d.Cmp(hi) < 0 {
				n++
			}
		}
		return n
	}
	first, second := count(0, 1), count(1, 2)
	return first >= 8 && first*10 >= second*7
}

// rounded tells whether a number is a round one, as people choose bounds; a value just inside of one
// counts as it.
func rounded(n decimal.Number, _ bool) (decimal.Number, bool) {
	digits := strings.Trim(strings.TrimLeft(strings.ReplaceAll(n.Abs().String(), ".", ""), "0"), "0")
	return n, len(digits) <= 2
}
