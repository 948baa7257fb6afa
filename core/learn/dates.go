package learn

import (
	"fmt"
	"slices"

	"codicil/core/field"
	"codicil/core/rule"
)

// shift is a way from one date to another.
type shift struct {
	text string // with %s for the date
	to   func(day int32) int32
}

func addMonths(day, months int32) int32 {
	y, m, d := civil(day)
	at := y*12 + m - 1 + months
	y, m = at/12, at%12+1
	return daysFromCivil(y, m, min(d, monthLength(y, m)))
}

func monthEnd(day int32) int32 {
	y, m, _ := civil(day)
	return daysFromCivil(y, m, monthLength(y, m))
}

// shifts are the ways that lead from one day to another.
func shifts(from, to int32) []shift {
	list := []shift{}
	if n := to - from; n != 0 && n > -2000 && n < 2000 {
		list = append(list, shift{fmt.Sprintf("add days(%%s, %d)", n), func(day int32) int32 { return day + n }})
	}
	fy, fm, _ := civil(from)
	ty, tm, _ := civil(to)
	months := (ty-fy)*12 + tm - fm
	if months != 0 && addMonths(from, months) == to {
		list = append(list, shift{fmt.Sprintf("add months(%%s, %d)", months), func(day int32) int32 { return addMonths(day, months) }})
	}
	if ny, nm, _ := civil(to + 1); true {
		before := (ny-fy)*12 + nm - fm
		if before != 0 && addMonths(from, before)-1 == to {
			list = append(list, shift{fmt.Sprintf("add days(add months(%%s, %d), -1)", before), func(day int32) int32 { return addMonths(day, before) - 1 }})
		}
	}
	if monthEnd(to) == to {
		text := "month end(%s)"
		if months != 0 {
			text = fmt.Sprintf("month end(add months(%%s, %d))", months)
		}
		list = append(list, shift{text, func(day int32) int32 { return monthEnd(addMonths(day, months)) }})
	}
	return list
}

// leastDated is the share of rows that have to bear out how a date is made of another.
const leastDated = 0.75

// computedDate looks for the date that a date is made of, and how: by days or months that are always the
// same, that stand in a field, or that follow from another field.
func (f *finder) computedDate(t *column) {
	s := f.sheet
	f.scoped(t.codes, func(rows []int32) (string, *Proposal) {
		// What stands first tends to be what others are made of; what is itself made of others says it at second hand.
		var best *Proposal
		for _, a := range slices.Concat(s.above, s.columns) {
			if a == t || !isDate(a) || a.filled < enough {
				continue
			}
			for _, p := range []*Proposal{f.shifted(t, a, rows), f.shiftedByField(t, a, rows), f.shiftedByCode(t, a, rows)} {
				if p != nil && !f.bound[together(t.key, p.Reads)] && (best == nil || float64(p.Holds) > 1.02*float64(best.Holds)) {
					best = p
				}
			}
		}
		if best == nil {
			return "", nil
		}
		f.valued[t.key], f.bound[together(t.key, best.Reads)] = true, true
		return best.Rule.Effect.Value, best
	})
}

// dated counts how many rows a way bears out.
func (f *finder) dated(t *column, rows []int32, to func(row int) (int32, bool)) (hits, said, differing int) {
	seen := map[int32]bool{}
	for _, at := range rows {
		row := int(at)
		is := f.texts.days[t.ids[row]]
		if is == noDay {
			continue
		}
		day, ok := to(row)
		if !ok {
			continue
		}
		said++
		if day == is {
			hits++
			seen[t.ids[row]] = true
		}
	}
	return hits, said, len(seen)
}

func (f *finder) datedRule(t *column, value string, reads []string, when string, rows []int32, to func(row int) (int32, bool)) *Proposal {
	hits, said, differing := f.dated(t, rows, to)
	if hits < enough || float64(hits) < leastDated*float64(said) || differing < 5 {
		return nil
	}
	p := Proposal{Form: Computed, Reads: reads, Rule: rule.Body{Family: rule.Compute, Target: t.key, When: when, Effect: rule.Effect{Value: value}}}
	in := rowSet(rows, f.sheet.rows())
	f.told(&p, f.sheet.rows(), func(row int) int {
		day, ok := to(row)
		is := f.texts.days[t.ids[row]]
		switch {
		case !in(row) || !ok || is == noDay:
			return 0
		case day == is:
			return 1
		}
		return -1
	})
	return &p
}

func filledIf(c *column, name string) string {
	if c.filled < len(c.ids) {
		return "is filled(" + name + ")"
	}
	return ""
}

func both(a, b string) string {
	if a == "" || b == "" {
		return a + b
	}
	return a + " and " + b
}

// shifted looks for one way that leads from a to t.
func (f *finder) shifted(t, a *column, rows []int32) *Proposal {
	votes, ways := map[string]int{}, map[string]shift{}
	looked := 0
	var order []string
	for _, at := range rows {
		from, to := f.texts.days[a.ids[at]], f.texts.days[t.ids[at]]
		if from == noDay || to == noDay {
			continue
		}
		for _, way := range shifts(from, to) {
			if votes[way.text] == 0 {
				order = append(order, way.text)
			}
			votes[way.text]++
			ways[way.text] = way
		}
		if looked++; looked >= 400 {
			break
		}
	}
	var best *Proposal
	for _, text := range order {
		if float64(votes[text]) < 0.6*float64(looked) {
			continue
		}
		way := ways[text]
		p := f.datedRule(t, fmt.Sprintf(text, f.name(a)), []string{a.key}, filledIf(a, f.name(a)), rows, func(row int) (int32, bool) {
			from := f.texts.days[a.ids[row]]
			return way.to(from), from != noDay
		})
		if p != nil && (best == nil || p.Holds > best.Holds) {
			best = p
		}
	}
	return best
}

// shiftedByField looks for a number of days or months that stands in a field.
func (f *finder) shiftedByField(t, a *column, rows []int32) *Proposal {
	for _, b := range slices.Concat(f.sheet.columns, f.sheet.above) {
		if !isNumber(b) || b.filled < enough || len(b.values) < 2 {
			continue
		}
		for _, by := range []struct {
			text string
			to   func(day, n int32) int32
		}{{"add days(%s, %s)", func(day, n int32) int32 { return day + n }}, {"add months(%s, %s)", addMonths}} {
			to := func(row int) (int32, bool) {
				from := f.texts.days[a.ids[row]]
				n, whole := f.texts.numbers[b.ids[row]].Int64()
				if from == noDay || !f.texts.isNum[b.ids[row]] || !whole || n < -5000 || n > 5000 {
					return 0, false
				}
				return by.to(from, int32(n)), true
			}
			if hits, said, _ := f.dated(t, rows[:min(len(rows), 400)], to); hits*2 < said || said == 0 {
				continue
			}
			when := both(filledIf(a, f.name(a)), filledIf(b, f.name(b)))
			if p := f.datedRule(t, fmt.Sprintf(by.text, f.name(a), f.name(b)), []string{a.key, b.key}, when, rows, to); p != nil {
				return p
			}
		}
	}
	return nil
}

// shiftedByCode looks for a number of days that follows from another field, such as the payment terms.
func (f *finder) shiftedByCode(t, a *column, rows []int32) *Proposal {
	days := make([]int32, f.sheet.rows()) // the difference; noDay: none
	for row := range days {
		days[row] = noDay
	}
	looked, seen := 0, map[int32]int{}
	for _, at := range rows {
		from, to := f.texts.days[a.ids[at]], f.texts.days[t.ids[at]]
		if from == noDay || to == noDay {
			continue
		}
		days[at] = to - from
		looked++
		if len(seen) <= 400 {
			seen[to-from]++
		}
	}
	if looked < enough || len(seen) < 2 || len(seen) > 400 {
		return nil
	}
	var best *Proposal
	for _, x := range f.sheet.readable() {
		if x == t || x == a || !f.codes(x) {
			continue
		}
		groups := make([]map[int32]int, len(x.values)+1)
		for _, at := range rows {
			if days[at] == noDay || x.codes[at] == 0 {
				continue
			}
			g := &groups[x.codes[at]]
			if *g == nil {
				*g = map[int32]int{}
			}
			(*g)[days[at]]++
		}
		way := map[int32]int32{}
		var cases []caseOf
		different := map[int32]bool{}
		for code := range x.values {
			total, most, value := 0, 0, int32(0)
			for n, count := range groups[code+1] {
				total += count
				if count > most || count == most && n < value {
					most, value = count, n
				}
			}
			if most < 3 || float64(most) < 0.6*float64(total) {
				continue
			}
			way[int32(code+1)] = value
			different[value] = true
			cases = append(cases, caseOf{codes: []string{f.texts.all[x.values[code]]}, value: fmt.Sprint(value), count: most})
		}
		if len(different) < 2 {
			continue
		}
		value, crosswalk := f.chosen([]*column{x}, cases, &field.Field{Key: "days", Label: "Days", Type: field.Number}, t.key+"_days", "")
		p := f.datedRule(t, "add days("+f.name(a)+", "+value+")", []string{a.key, x.key}, both(filledIf(a, f.name(a)), filledIf(x, f.name(x))), rows, func(row int) (int32, bool) {
			from := f.texts.days[a.ids[row]]
			n, known := way[x.codes[row]]
			return from + n, known && from != noDay
		})
		if p != nil && (best == nil || p.Holds > best.Holds) {
			p.Crosswalk = crosswalk
			best = p
		}
	}
	return best
}
