package learn

import (
	"fmt"
	"slices"
	"strings"

	"codicil/core/decimal"
	"codicil/core/feel"
	"codicil/core/field"
	"codicil/core/rule"
)

// operand is a number that a computation reads.
type operand struct {
	text   string // in a formula
	column *column
	reads  []string
	get    func(row int) (decimal.Number, bool)
	// percent tells that it is a part of something: it makes 1 + p and 1 - p.
	percent bool
	// optional tells that some rows leave it blank, which counts as nothing.
	optional bool
}

// expression is a computation that may give a field.
type expression struct {
	text  string
	reads []string
	// parts are the operands, simplest first.
	parts []*operand
	value func(row int) (decimal.Number, bool)
}

var one = decimal.FromInt(1)

func isNumber(c *column) bool { return c.field != nil && c.field.FeelType().Kind == feel.Number }
func isDate(c *column) bool   { return c.field != nil && c.field.FeelType().Kind == feel.Date }

// operands are the numbers that rules on the sheet can read.
func (f *finder) operands() []*operand {
	var list []*operand
	s := f.sheet
	for _, c := range slices.Concat(s.columns, s.above) {
		if !isNumber(c) || c.filled < enough {
			continue
		}
		list = append(list, f.operandOf(c))
	}
	if s == f.header {
		list = append(list, f.sums()...)
	}
	return list
}

func (f *finder) operandOf(c *column) *operand {
	t := f.texts
	return &operand{
		text: f.name(c), column: c, reads: []string{c.key}, percent: c.field.Type == field.Percent, optional: c.filled < len(c.ids),
		get: func(row int) (decimal.Number, bool) { id := c.ids[row]; return t.numbers[id], t.isNum[id] },
	}
}

// sums are the columns of lines added up by record. Cost: the lines by their numbers.
func (f *finder) sums() []*operand {
	var list []*operand
	f.lines.finish()
	for _, c := range f.lines.columns {
		if !isNumber(c) || c.filled < enough {
			continue
		}
		total := make([]decimal.Number, f.header.rows())
		some := make([]bool, f.header.rows())
		for row, id := range c.ids {
			if f.texts.isNum[id] {
				parent := f.lines.parents[row]
				total[parent], some[parent] = total[parent].Plus(f.texts.numbers[id]), true
			}
		}
		text := "sum(lines." + c.field.Column() + ")"
		if c.filled < len(c.ids) {
			text = "sum(lines." + c.field.Column() + "[is filled(item)])"
		}
		list = append(list, &operand{text: text, reads: []string{c.key}, get: func(row int) (decimal.Number, bool) { return total[row], some[row] }})
	}
	return list
}

// expressions are the computations of two or three operands that may give a column, the simple ones
// first.
func (f *finder) expressions(t *column, operands []*operand) []expression {
	var list []expression
	var usable []*operand
	for _, o := range operands {
		if o.column != t {
			usable = append(usable, o)
		}
	}
	percent := func(o *operand, row int) (decimal.Number, bool) {
		n, ok := o.get(row)
		return n, ok || o.optional
	}
	part := func(o *operand) string {
		if o.optional {
			return "(if is blank(" + o.text + ") then 0 else " + o.text + ")"
		}
		return o.text
	}
	// Of what is added up to the target before anything is put in front of it.
	for _, o := range usable {
		if o.column == nil {
			list = append(list, expression{o.text, o.reads, []*operand{o}, o.get})
		}
	}
	for i, a := range usable {
		for _, b := range usable[i+1:] {
			if a.column == nil && b.column == nil {
				continue
			}
			list = append(list, expression{a.text + " * " + b.text, slices.Concat(a.reads, b.reads), []*operand{a, b}, func(row int) (decimal.Number, bool) { return product(a, b, row) }})
			list = append(list, expression{a.text + " + " + b.text, slices.Concat(a.reads, b.reads), []*operand{a, b}, func(row int) (decimal.Number, bool) {
				x, okX := a.get(row)
				y, okY := b.get(row)
				return x.Plus(y), okX && okY
			}})
			for _, pair := range [][2]*operand{{a, b}, {b, a}} {
				x, y := pair[0], pair[1]
				list = append(list, expression{x.text + " - " + y.text, slices.Concat(x.reads, y.reads), []*operand{x, y}, func(row int) (decimal.Number, bool) {
					m, okM := x.get(row)
					n, okN := y.get(row)
					return m.Minus(n), okM && okN
				}})
			}
		}
	}
	for _, p := range usable {
		if !p.percent {
			continue
		}
		for i, a := range usable {
			if a == p || a.percent {
				continue
			}
			for _, sign := range []string{"+", "-"} {
				share := func(row int) (decimal.Number, bool) {
					n, ok := percent(p, row)
					if sign == "-" {
						n = n.Neg()
					}
					return one.Plus(n), ok
				}
				list = append(list, expression{fmt.Sprintf("%s * (1 %s %s)", a.text, sign, part(p)), slices.Concat(a.reads, p.reads), []*operand{a, p}, func(row int) (decimal.Number, bool) {
					x, okX := a.get(row)
					y, okY := share(row)
					z, okZ := x.Mul(y)
					return z, okX && okY && okZ
				}})
				for _, b := range usable[i+1:] {
					if b == p || b.percent || a.column == nil || b.column == nil {
						continue
					}
					list = append(list, expression{fmt.Sprintf("%s * %s * (1 %s %s)", a.text, b.text, sign, part(p)), slices.Concat(a.reads, b.reads, p.reads), []*operand{a, b, p}, func(row int) (decimal.Number, bool) {
						x, okX := product(a, b, row)
						y, okY := share(row)
						z, okZ := x.Mul(y)
						return z, okX && okY && okZ
					}})
				}
			}
		}
	}
	return list
}

func product(a, b *operand, row int) (decimal.Number, bool) {
	x, okX := a.get(row)
	y, okY := b.get(row)
	if !okX || !okY {
		return x, false
	}
	return x.Mul(y)
}

// fits compares a computed number with the one that is there: it may be rounded to the decimals that
// numbers of the company have.
type fits struct {
	t     *column
	texts *texts
	half  map[int32]decimal.Number // by company: half of the last decimal place
	of    *column                  // the company
}

func (f *finder) fitsOf(t *column) *fits {
	places := map[int32]int{}
	for row, id := range t.ids {
		if f.texts.isNum[id] {
			company := f.sheet.company.ids[row]
			places[company] = max(places[company], f.texts.numbers[id].Places())
		}
	}
	half := map[int32]decimal.Number{}
	for company, n := range places {
		half[company] = decimal.MustParse("0." + strings.Repeat("0", n) + "5")
	}
	return &fits{t, f.texts, half, f.sheet.company}
}

func (x *fits) row(row int, v decimal.Number) bool {
	d := x.texts.numbers[x.t.ids[row]].Minus(v).Abs()
	return d.Cmp(x.half[x.of.ids[row]]) <= 0
}

// agreement is how well an expression gives a column.
type agreement struct {
	hits, said, telling, told int
	values                    map[int32]bool
}

// matched tries an expression on rows. most ends it early when it can no longer do.
func (f *finder) matched(e *expression, t *column, x *fits, rows []int32) agreement {
	m := agreement{values: map[int32]bool{}}
	for i, at := range rows {
		row := int(at)
		id := t.ids[row]
		if id == 0 || !f.texts.isNum[id] {
			continue
		}
		v, ok := e.value(row)
		if !ok {
			continue
		}
		m.said++
		hit := x.row(row, v)
		if hit {
			m.hits++
		}
		// A row in which the result is one of the parts, or nothing, does not tell one computation from another.
		plain := f.texts.numbers[id].Sign() == 0
		if len(e.parts) > 1 {
			for _, part := range e.parts {
				if n, there := part.get(row); there && n.Cmp(f.texts.numbers[id]) == 0 {
					plain = true
				}
			}
			last := e.parts[len(e.parts)-1]
			if n, there := last.get(row); len(e.parts) == 3 && (!there || n.Sign() == 0) {
				plain = true // without the part it is a simpler one
			}
		}
		if !plain {
			m.telling++
			if hit {
				m.told++
				if len(m.values) < 50 {
					m.values[id] = true
				}
			}
		}
		if i >= 400 && m.said >= 60 && m.hits*2 < m.said {
			return m
		}
	}
	return m
}

// leastComputed is the share of rows that have to bear a computation out: that an exact number comes
// about by accident is so unlikely that few do.
const leastComputed = 0.6

func (m *agreement) good() bool {
	return m.telling >= 10 && float64(m.told) >= leastComputed*float64(m.telling) && len(m.values) >= 6 && m.hits >= enough && float64(m.hits) >= leastComputed*float64(m.said)
}

// computedFields looks for numbers and dates that are worked out from others.
func (f *finder) computedFields() {
	operands := f.operands()
	own := slices.Clone(f.sheet.columns)
	slices.Reverse(own) // what is worked out tends to come after what it is made of
	for _, t := range own {
		if f.stopped() {
			return
		}
		if t.filled < enough {
			continue
		}
		switch {
		case isDate(t):
			f.computedDate(t)
		case isNumber(t):
			x := f.fitsOf(t)
			list := f.expressions(t, operands)
			if days := f.daysBetween(); days != nil {
				list = append(list, days...)
			}
			f.scoped(t.codes, func(rows []int32) (string, *Proposal) { return f.computedNumber(t, x, list, rows) })
		}
	}
}

// computedNumber finds the expression that gives a column on some rows.
func (f *finder) computedNumber(t *column, x *fits, list []expression, rows []int32) (string, *Proposal) {
	type tried struct {
		e expression
		m agreement
	}
	var good []tried
	sample := rows[:min(len(rows), 600)]
	for i := range list {
		e := &list[i]
		if f.bound[together(t.key, e.reads)] {
			continue
		}
		first := f.matched(e, t, x, sample)
		if first.said < min(enough, len(sample)) || float64(first.hits) < 0.5*float64(first.said) || first.telling > 20 && float64(first.told) < 0.45*float64(first.telling) {
			continue
		}
		if m := f.matched(e, t, x, rows); m.good() {
			good = append(good, tried{*e, m})
		}
	}
	if len(good) == 0 {
		return "", nil
	}
	slices.SortStableFunc(good, func(a, b tried) int { return b.m.hits - a.m.hits })
	best := good[0]
	for _, g := range good { // a simpler one that is nearly as good goes first
		if float64(g.m.hits) >= 0.98*float64(best.m.hits) && len(g.e.parts) < len(best.e.parts) {
			best = g
		}
	}
	f.bound[together(t.key, best.e.reads)] = true
	p := f.valueRule(Computed, t, best.e.text, best.e.reads)
	p.Rule.When = f.whenFilled(best.e.parts)
	inRows := rowSet(rows, f.sheet.rows())
	f.told(&p, f.sheet.rows(), func(row int) int {
		v, ok := best.e.value(row)
		if id := t.ids[row]; !inRows(row) || !ok || id == 0 || !f.texts.isNum[id] {
			return 0
		}
		if x.row(row, v) {
			return 1
		}
		return -1
	})
	return best.e.text, &p
}

// whenFilled is the condition under which the parts of a computation are there; "": always.
func (f *finder) whenFilled(parts []*operand) string {
	var conditions []string
	for _, part := range parts {
		if part.column != nil && part.optional && !part.percent {
			conditions = append(conditions, "is filled("+part.text+")")
		}
	}
	return strings.Join(conditions, " and ")
}

// together names fields that are bound together by one equation, in whichever direction.
func together(target string, reads []string) string {
	all := append([]string{target}, reads...)
	slices.Sort(all)
	return strings.Join(slices.Compact(all), "\x1f")
}

// valueRule begins a proposal that gives a field a value.
func (f *finder) valueRule(form Form, t *column, value string, reads []string) Proposal {
	p := Proposal{Form: form, Reads: reads, Rule: rule.Body{Family: rule.Compute, Target: t.key, Effect: rule.Effect{Value: value}}}
	f.valued[t.key] = true
	return p
}

// daysBetween are the differences of two dates, in days.
func (f *finder) daysBetween() (list []expression) {
	s := f.sheet
	for _, a := range s.readable() {
		for _, b := range s.readable() {
			if a == b || !isDate(a) || !isDate(b) || a.filled < enough || b.filled < enough {
				continue
			}
			list = append(list, expression{fmt.Sprintf(`(%s - %s) / duration("P1D")`, f.name(b), f.name(a)), []string{a.key, b.key},
				[]*operand{{text: f.name(a), column: a, optional: a.filled < len(a.ids), get: noNumber}, {text: f.name(b), column: b, optional: b.filled < len(b.ids), get: noNumber}},
				func(row int) (decimal.Number, bool) {
					from, to := f.texts.days[a.ids[row]], f.texts.days[b.ids[row]]
					return decimal.FromInt(int64(to - from)), from != noDay && to != noDay
				}})
		}
	}
	return list
}

func noNumber(int) (decimal.Number, bool) { return decimal.Number{}, false }

// rowSet tells which rows are among some; all when they are as many as there are.
func rowSet(rows []int32, all int) func(row int) bool {
	if len(rows) == all {
		return func(int) bool { return true }
	}
	in := make([]bool, all)
	for _, row := range rows {
		in[row] = true
	}
	return func(row int) bool { return in[row] }
}

// scoped looks in all rows; where it finds nothing, in those of each type, and where it finds nothing
// there, in those of each company. What is the same in several is one proposal. codes are those of the
// column that is looked at: rows without a value do not count.
func (f *finder) scoped(codes []int32, look func(rows []int32) (key string, p *Proposal)) {
	s := f.sheet
	all := make([]int32, s.rows())
	for row := range all {
		all[row] = int32(row)
	}
	if _, p := look(all); p != nil {
		f.propose(*p)
		return
	}
	for _, by := range []*column{s.kinds, s.company} {
		if len(by.values) < 2 {
			continue
		}
		type part struct {
			p      *Proposal
			values []string
		}
		parts := map[string]*part{}
		var order []string
		for code := range by.values {
			var rows []int32
			filled := 0
			for row, c := range by.codes {
				if int(c) == code+1 {
					rows = append(rows, int32(row))
					if codes == nil || codes[row] > 0 {
						filled++
					}
				}
			}
			if filled < enough || f.stopped() {
				continue
			}
			key, p := look(rows)
			if p == nil {
				continue
			}
			if parts[key] == nil {
				parts[key] = &part{p: p}
				order = append(order, key)
			} else {
				parts[key].p.Holds += p.Holds
				parts[key].p.Breaks += p.Breaks
				parts[key].p.Exceptions = append(parts[key].p.Exceptions, p.Exceptions...)
			}
			parts[key].values = append(parts[key].values, f.texts.all[by.values[code]])
		}
		for _, key := range order {
			found := parts[key]
			slices.Sort(found.values)
			if by == s.kinds {
				found.p.Rule.Scope.Types = found.values
			} else {
				found.p.Rule.Scope.Companies = found.values
			}
			f.propose(*found.p)
		}
		if len(order) > 0 {
			return
		}
	}
}
