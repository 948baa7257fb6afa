package learn

import (
	"fmt"
	"slices"
	"sort"
	"strings"
	"unicode"

	"codicil/core/decimal"
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

// patterns looks for texts that all have one form.
func (f *finder) patterns() {
	for _, t := range f.sheet.columns {
		if f.stopped() {
			return
		}
		if !isText(t) || t.field.Type != field.Text || t.filled < enough || len(t.values) < 10 || t.field.Pattern != "" || t.filled*20 < f.sheet.rows() || f.fromElsewhere(t.key) || f.made(t.key) {
			continue
		}
		f.scoped(t.codes, func(rows []int32) (string, *Proposal) { return f.shaped(t, rows) })
	}
}

// fromElsewhere tells whether the field was found to be that of a linked record.
func (f *finder) fromElsewhere(key string) bool {
	return slices.ContainsFunc(f.found, func(p Proposal) bool { return p.Form == Source && p.Rule.Target == key })
}

// run is a part of a form: characters of one class, so many of them.
type run struct {
	class byte // 'A', 'a', '9', or 0 for the characters themselves
	text  string
	count int
}

func runsOf(text string) (runs []run) {
	for _, r := range text {
		class := byte(0)
		switch {
		case r >= '0' && r <= '9':
			class = '9'
		case r >= 'A' && r <= 'Z':
			class = 'A'
		case r >= 'a' && r <= 'z':
			class = 'a'
		case unicode.IsLetter(r):
			return nil // words of a language
		}
		if last := len(runs) - 1; last >= 0 && runs[last].class == class && class != 0 {
			runs[last].count++
			runs[last].text += string(r)
		} else {
			runs = append(runs, run{class, string(r), 1})
		}
	}
	return runs
}

func (f *finder) shaped(t *column, rows []int32) (string, *Proposal) {
	counts := map[int32]int{}
	said := 0
	for _, row := range rows {
		if id := t.ids[row]; id != 0 {
			counts[id]++
			said++
		}
	}
	type shape struct {
		runs [][]run
		n    int
	}
	shapes := map[string]*shape{}
	for id, n := range counts {
		runs := runsOf(f.texts.all[id])
		if len(runs) == 0 || len(runs) > 9 {
			continue
		}
		key := ""
		for _, r := range runs {
			if r.class == 0 {
				key += r.text
			} else {
				key += "\x1f" + string(r.class)
			}
		}
		if shapes[key] == nil {
			shapes[key] = &shape{}
		}
		shapes[key].n += n
		shapes[key].runs = append(shapes[key].runs, runs)
	}
	var best *shape
	bestKey := ""
	for key, s := range shapes {
		if best == nil || s.n > best.n || s.n == best.n && key < bestKey {
			best, bestKey = s, key
		}
	}
	if best == nil || said < enough || float64(best.n) < leastChecked*float64(said) || len(best.runs) < 10 || !strings.Contains(bestKey, "9") {
		return "", nil
	}
	pattern, regular := patternOf(best.runs)
	if !regular {
		return "", nil
	}
	matches := matcher(best.runs)
	name := f.name(t)
	p := Proposal{Form: Pattern, Rule: f.check(t, filledIf(t, name), fmt.Sprintf("matches(%s, %q)", name, "^"+pattern+"$"), fmt.Sprintf("%s does not have its usual form, such as %s. Correct it.", t.field.Label, f.example(t, matches)))}
	in := rowSet(rows, f.sheet.rows())
	verdicts := map[int32]int{}
	f.told(&p, f.sheet.rows(), func(row int) int {
		id := t.ids[row]
		if !in(row) || id == 0 {
			return 0
		}
		if verdicts[id] == 0 {
			verdicts[id] = -1
			if matches(runsOf(f.texts.all[id])) {
				verdicts[id] = 1
			}
		}
		return verdicts[id]
	})
	return pattern, &p
}

func (f *finder) example(t *column, matches func([]run) bool) string {
	for _, id := range t.values {
		if matches(runsOf(f.texts.all[id])) {
			return f.texts.all[id]
		}
	}
	return ""
}

// spread is how many characters a part has, and whether they are always the same.
type spread struct {
	class    byte
	text     string
	same     bool
	least    int
	most     int
	lengths  map[int]int
	totalled int
}

func spreads(all [][]run) []spread {
	parts := make([]spread, len(all[0]))
	for i := range parts {
		first := all[0][i]
		parts[i] = spread{class: first.class, text: first.text, same: true, least: first.count, most: first.count, lengths: map[int]int{}}
	}
	for _, runs := range all {
		for i, r := range runs {
			p := &parts[i]
			p.same = p.same && r.text == p.text
			p.lengths[r.count]++
			p.totalled++
		}
	}
	// A length that next to nobody has is a mistake.
	for i := range parts {
		p := &parts[i]
		p.least, p.most = 1<<20, 0
		for n, count := range p.lengths {
			if count*50 >= p.totalled {
				p.least, p.most = min(p.least, n), max(p.most, n)
			}
		}
	}
	return parts
}

// patternOf writes the regular expression of texts of one shape; regular tells that it says something.
func patternOf(all [][]run) (pattern string, regular bool) {
	parts := spreads(all)
	varies := 0
	for _, p := range parts {
		switch {
		case p.class == 0:
			pattern += quoteMeta(p.text)
			continue
		case p.same && len(parts) > 1:
			pattern += p.text
			continue
		}
		pattern += map[byte]string{'A': "[A-Z]", 'a': "[a-z]", '9': "[0-9]"}[p.class]
		switch {
		case p.least != p.most:
			pattern += "+"
			varies++
		case p.least > 1:
			pattern += fmt.Sprintf("{%d}", p.least)
		}
	}
	return pattern, varies <= 2
}

func quoteMeta(text string) string {
	if strings.ContainsAny(text, `\.+*?()|[]{}^$`) {
		return `\` + text
	}
	return text
}

// matcher tells whether the parts of a text have the form.
func matcher(all [][]run) func([]run) bool {
	parts := spreads(all)
	return func(runs []run) bool {
		if len(runs) != len(parts) {
			return false
		}
		for i, r := range runs {
			p := &parts[i]
			switch {
			case r.class != p.class || p.class == 0 && r.text != p.text:
				return false
			case p.class != 0 && p.same && len(parts) > 1:
				if r.text != p.text {
					return false
				}
			case p.least == p.most && r.count != p.least:
				return false
			}
		}
		return true
	}
}

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
