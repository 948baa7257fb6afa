package learn

import (
	"fmt"
	"sort"
	"strings"

	"codicil/core/field"
)

// pairs looks for codes that stand together in some pairs only, though by accident they would in others.
func (f *finder) pairs() {
	s := f.sheet
	var codes []*column
	for _, c := range s.readable() {
		if c.field == nil && len(c.values) >= 2 || c.field != nil && (c.field.Type == field.Choice || c.field.IsLink()) && len(c.values) >= 2 && len(c.values) <= 60 && c.filled >= enough {
			codes = append(codes, c)
		}
	}
	for i, a := range codes {
		for _, b := range codes[i+1:] {
			if f.stopped() {
				return
			}
			if b.field == nil || b.inlined || f.valued[b.key] || a.field != nil && f.valued[a.key] {
				continue
			}
			f.paired(a, b)
		}
	}
}

func (f *finder) paired(a, b *column) {
	width := len(b.values) + 1
	counts := make([]int, (len(a.values)+1)*width)
	rowsA, rowsB, said := make([]int, len(a.values)+1), make([]int, width), 0
	for row := range a.codes {
		x, y := a.codes[row], b.codes[row]
		if x == 0 || y == 0 {
			continue
		}
		counts[int(x)*width+int(y)]++
		rowsA[x]++
		rowsB[y]++
		said++
	}
	if said < 100 {
		return
	}
	forbidden := make([]bool, len(counts))
	holes, missing, breaks := 0, 0.0, 0
	for x := 1; x < len(rowsA); x++ {
		for y := 1; y < width; y++ {
			expected := float64(rowsA[x]) * float64(rowsB[y]) / float64(said)
			n := counts[x*width+y]
			if expected < 4 && n > 0 || rowsA[x] < 8 || rowsB[y] < 8 {
				continue
			}
			if float64(n) <= 0.2*expected && (n == 0 || expected >= 8) {
				forbidden[x*width+y] = true
				if expected >= 4 {
					holes++
				}
				missing += expected
				breaks += n
			}
		}
	}
	if holes < 2 || missing < 0.2*float64(said) || float64(said-breaks) < leastChecked*float64(said) {
		return
	}
	// Told by what each code of the first allows.
	allowed := map[string][]string{}
	var order []string
	for x := 1; x < len(rowsA); x++ {
		if rowsA[x] < 8 {
			continue
		}
		var with []string
		any := false
		for y := 1; y < width; y++ {
			any = any || forbidden[x*width+y]
			if !forbidden[x*width+y] && counts[x*width+y] > 0 {
				with = append(with, f.texts.all[b.values[y-1]])
			}
		}
		if !any || len(with) == 0 {
			continue
		}
		sort.Strings(with)
		key := strings.Join(with, "\x1f")
		if allowed[key] == nil {
			order = append(order, key)
		}
		allowed[key] = append(allowed[key], f.texts.all[a.values[x-1]])
	}
	if len(order) == 0 || len(order) > 12 {
		return
	}
	sort.Strings(order)
	parts := make([]string, len(order))
	for i, key := range order {
		first, second := []caseOf{}, []caseOf{}
		sort.Strings(allowed[key])
		for _, code := range allowed[key] {
			first = append(first, caseOf{codes: []string{code}})
		}
		for _, code := range strings.Split(key, "\x1f") {
			second = append(second, caseOf{codes: []string{code}})
		}
		parts[i] = "if " + f.isOneOf([]*column{a}, first) + " then " + f.isOneOf([]*column{b}, second) + " else "
	}
	label := "this company or type"
	if a.field != nil {
		label = "this " + strings.ToLower(a.field.Label[:1]) + a.field.Label[1:]
	}
	p := Proposal{Form: Pairs, Reads: []string{a.key}, Rule: f.check(b, filledIf(b, f.name(b)), strings.Join(parts, "")+"true", fmt.Sprintf("%s does not go with %s. Correct one of the two.", b.field.Label, label))}
	if a.field != nil {
		p.Rule.When = both(filledIf(a, f.name(a)), p.Rule.When)
	}
	f.told(&p, f.sheet.rows(), func(row int) int {
		x, y := a.codes[row], b.codes[row]
		switch {
		case x == 0 || y == 0:
			return 0
		case forbidden[int(x)*width+int(y)]:
			return -1
		}
		return 1
	})
	f.propose(p)
}
