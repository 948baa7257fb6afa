package learn

import (
	"fmt"
	"slices"
	"strings"

	"codicil/core/field"
	"codicil/core/rule"
)

// leastChecked is the share of records that have to bear a check out.
const leastChecked = 0.93

func (f *finder) check(t *column, when, must, message string) rule.Body {
	return rule.Body{Family: rule.Validate, Target: t.key, When: when, Effect: rule.Effect{Must: must, Severity: rule.Refuse, Message: message}}
}

// orders looks for dates and amounts of which one is never before, or over, the other, though by
// accident it often would be.
func (f *finder) orders() {
	s := f.sheet
	list := slices.Concat(s.columns, s.above)
	for i, a := range list {
		for _, b := range list[i+1:] {
			if f.stopped() {
				return
			}
			switch {
			case a.inlined && b.inlined || a.filled < enough || b.filled < enough || f.boundTogether(a, b):
			case isDate(a) && isDate(b):
				f.ordered(a, b, func(row int) int {
					from, to := f.texts.days[a.ids[row]], f.texts.days[b.ids[row]]
					if from == noDay || to == noDay {
						return unknown
					}
					return sign(int64(to) - int64(from))
				})
			case isNumber(a) && isNumber(b) && a.field.Type == b.field.Type && a.field.Type != field.Percent:
				f.ordered(a, b, func(row int) int {
					if !f.texts.isNum[a.ids[row]] || !f.texts.isNum[b.ids[row]] {
						return unknown
					}
					return f.texts.numbers[b.ids[row]].Cmp(f.texts.numbers[a.ids[row]])
				})
			}
		}
	}
}

const unknown = 9

func sign(n int64) int {
	switch {
	case n > 0:
		return 1
	case n < 0:
		return -1
	}
	return 0
}

// boundTogether tells whether one of two fields is made of others, and its order follows from them.
func (f *finder) boundTogether(a, b *column) bool {
	return slices.ContainsFunc(f.found, func(p Proposal) bool {
		return p.Form == Computed && (p.Rule.Target == a.key || p.Rule.Target == b.key)
	})
}

// ordered proposes that b is never before a, or a never before b. compare gives the order of b against a.
func (f *finder) ordered(a, b *column, compare func(row int) int) {
	rows := f.sheet.rows()
	var said, below, equal int
	for row := range rows {
		switch compare(row) {
		case -1:
			below++
			said++
		case 0:
			equal++
			said++
		case 1:
			said++
		}
	}
	if said < enough {
		return
	}
	first, second, breaks := a, b, below
	if below*2 > said {
		first, second, breaks = b, a, said-below-equal
	}
	if float64(said-breaks) < leastChecked*float64(said) {
		return
	}
	// What two fields that know nothing of each other would do: each row against one far from it.
	chance, tried := 0, 0
	step := rows/2 + 1
	order := f.against(first, second)
	for row := range rows {
		other := (row + step) % rows
		switch order(row, other) {
		case -1:
			chance++
			tried++
		case 0, 1:
			tried++
		}
	}
	if tried < enough || chance*100 < 12*tried || chance*said < 4*max(breaks, 1)*tried {
		return
	}
	relation, words := ">=", "before"
	if equal == 0 && said >= 100 && breaks*50 < said && f.oftenEqual(first, second) {
		relation = ">"
	}
	if isNumber(first) {
		words = "less than"
	}
	target := second
	var must string
	if second.inlined || !first.inlined && f.kind.Index(first.key) > f.kind.Index(second.key) {
		target = first
		flipped := map[string]string{">=": "<=", ">": "<"}[relation]
		must = f.name(first) + " " + flipped + " " + f.name(second)
	} else {
		must = f.name(second) + " " + relation + " " + f.name(first)
	}
	p := Proposal{Form: Order, Reads: f.other(target, first, second), Rule: f.check(target, both(filledIf(first, f.name(first)), filledIf(second, f.name(second))), must, fmt.Sprintf("%s is %s %s. Correct one of the two.", second.field.Label, words, strings.ToLower(first.field.Label[:1])+first.field.Label[1:]))}
	flip := first == b
	f.told(&p, rows, func(row int) int {
		order := compare(row)
		if order == unknown {
			return 0
		}
		if flip {
			order = -order
		}
		if order > 0 || order == 0 && relation == ">=" {
			return 1
		}
		return -1
	})
	f.propose(p)
}

// other are the keys of two columns without that of the target.
func (f *finder) other(target, a, b *column) []string {
	if target == a {
		return []string{b.key}
	}
	return []string{a.key}
}

// against compares the second field of a row with the first of another.
func (f *finder) against(first, second *column) func(row, other int) int {
	if isDate(first) {
		return func(row, other int) int {
			from, to := f.texts.days[first.ids[other]], f.texts.days[second.ids[row]]
			if from == noDay || to == noDay {
				return unknown
			}
			return sign(int64(to) - int64(from))
		}
	}
	return func(row, other int) int {
		if !f.texts.isNum[first.ids[other]] || !f.texts.isNum[second.ids[row]] {
			return unknown
		}
		return f.texts.numbers[second.ids[row]].Cmp(f.texts.numbers[first.ids[other]])
	}
}

// oftenEqual tells whether two fields would be equal now and then by accident.
func (f *finder) oftenEqual(a, b *column) bool {
	shared := 0
	for id, n := range a.counts {
		if m := b.counts[id]; m > 0 {
			shared += int(min(n, m))
		}
	}
	return shared*20 >= min(a.filled, b.filled)
}
