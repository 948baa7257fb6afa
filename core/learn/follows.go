package learn

import (
	"slices"
	"strings"

	"codicil/core/feel"
	"codicil/core/field"
	"codicil/core/rule"
)

// The shares that have to bear out what follows from what.
const (
	leastSource   = 0.72 // a value of a linked record or another field
	leastConstant = 0.85 // one value for all
	leastFollows  = 0.8  // a value that follows from others
	lessWrong     = 0.4  // of the errors that are made without knowing the others
)

// codes tells whether a column has codes that others may follow from: a choice, a yes or no, a link, a
// short text; the company and the type.
func (f *finder) codes(c *column) bool {
	if c.field == nil {
		return len(c.values) >= 2
	}
	switch c.field.Type {
	case field.Choice, field.YesNo:
	case field.Link, field.Text:
	case field.Percent, field.Number:
		return len(c.values) >= 2 && len(c.values) <= 12 && c.few(len(c.ids))
	default:
		return false
	}
	return c.few(len(c.ids))
}

// settable tells whether a rule may give the column a value that is a code.
func settable(c *column) bool { return c.field != nil && !c.inlined }

// following looks for fields that are nearly always the same, or that follow from one or two others.
func (f *finder) following() {
	s := f.sheet
	var by []*column
	for _, c := range s.readable() {
		if f.codes(c) {
			by = append(by, c)
		}
	}
	own := slices.Clone(s.columns)
	slices.Reverse(own) // of two that say the same of each other, the later one follows
	for _, t := range own {
		if f.stopped() {
			return
		}
		if !settable(t) || t.filled < enough || f.valued[t.key] || len(t.values) > 400 {
			continue
		}
		if t.filled < s.rows()/20 || isDate(t) || (isNumber(t) && len(t.values) > 40) {
			continue
		}
		f.followed(t, by)
	}
}

// followed finds what a column follows from.
func (f *finder) followed(t *column, by []*column) {
	rows := f.sheet.rows()
	value, most := t.most()
	base := float64(most) / float64(rows)
	if of := float64(most) / float64(t.filled); of >= leastConstant && base >= 0.5 {
		p := Proposal{Form: Constant, Rule: rule.Body{Family: rule.Default, Target: t.key, Effect: rule.Effect{Value: literal(t.field, f.texts.all[value]), Lifetime: rule.NewOnly}}}
		f.told(&p, rows, func(row int) int {
			switch t.ids[row] {
			case 0:
				return 0
			case value:
				return 1
			}
			return -1
		})
		f.valued[t.key] = true
		// Something that decides nearly all that is left says more.
		if one := f.bestOf(t, by, 1-(1-of)*0.25, base); one != nil {
			one.Instead = append(one.Instead, p)
			f.propose(*one)
			return
		}
		f.propose(p)
		return
	}
	if one := f.bestOf(t, by, leastFollows, base); one != nil {
		f.valued[t.key] = true
		f.propose(*one)
		return
	}
	if len(t.values) > 60 {
		return
	}
	var best *determined
	first := base
	for i, x := range by {
		if x == t {
			continue
		}
		if d := f.determine(t, []*column{x}); d != nil {
			first = max(first, d.share())
		}
		for _, y := range by[i+1:] {
			if y == t || len(x.values)*len(y.values) > 4000 || f.stopped() {
				continue
			}
			if f.bound[together(t.key, []string{x.key, y.key})] {
				continue
			}
			d := f.determine(t, []*column{x, y})
			if d == nil || d.share() < leastFollows {
				continue
			}
			if best == nil || d.right > best.right || d.right == best.right && d.cells < best.cells {
				best = d
			}
		}
	}
	if best != nil && 1-best.share() <= lessWrong*(1-first) {
		f.valued[t.key], f.bound[together(t.key, []string{best.by[0].key, best.by[1].key})] = true, true
		f.propose(f.follows(t, best))
	}
}

// bestOf is the one column that a column follows from best; nil: from none well enough.
func (f *finder) bestOf(t *column, by []*column, least, base float64) *Proposal {
	var good []*determined
	for _, x := range by {
		if x == t || f.reverse(t, x) {
			continue
		}
		d := f.determine(t, []*column{x})
		if d == nil || d.share() < least || 1-d.share() > lessWrong*(1-base) {
			continue
		}
		good = append(good, d)
	}
	if len(good) == 0 {
		return nil
	}
	slices.SortStableFunc(good, func(a, b *determined) int { return b.right - a.right })
	best := good[0]
	for _, d := range good { // of what is nearly as good, what has fewer codes
		if float64(d.right) >= 0.99*float64(best.right) && d.cells < best.cells {
			best = d
		}
	}
	p := f.follows(t, best)
	for _, d := range good {
		if d != best && len(p.Instead) < 2 {
			p.Instead = append(p.Instead, f.follows(t, d))
		}
	}
	return &p
}

// reverse tells whether x was found to follow from t alone.
func (f *finder) reverse(t, x *column) bool {
	return slices.ContainsFunc(f.found, func(p Proposal) bool {
		return p.Form == Follows && p.Rule.Target == x.key && len(p.Reads) == 1 && p.Reads[0] == t.key
	})
}

// determined is how well codes say what a column holds.
type determined struct {
	by []*column
	// said are the rows of which the codes say something, right those where it is so, each row being told
	// by the others, so that a code that is there once says nothing.
	said, right int
	cells       int // how many codes, or pairs, say something
	values      map[[2]int32]int32
	counts      map[[2]int32]int
}

func (d *determined) share() float64 {
	if d.said == 0 {
		return 0
	}
	return float64(d.right) / float64(d.said)
}

// determine counts what a column holds by the codes of one or two others. A blank is a value too: a code
// under which a field stays blank says nothing of it. Cost: the rows.
func (f *finder) determine(t *column, by []*column) *determined {
	x := by[0]
	width := 1
	if len(by) == 2 {
		width = len(by[1].values) + 1
	}
	cells := (len(x.values) + 1) * width
	size := len(t.values) + 1
	if cells*size > 8_000_000 {
		return nil
	}
	counts := make([]int32, cells*size)
	for row := range t.codes {
		cell := int(x.codes[row])
		if len(by) == 2 {
			cell = cell*width + int(by[1].codes[row])
		}
		counts[cell*size+int(t.codes[row])]++
	}
	d := &determined{by: by, values: map[[2]int32]int32{}, counts: map[[2]int32]int{}}
	for cell := range cells {
		of := counts[cell*size : (cell+1)*size]
		total, first, second, at := 0, 0, 0, 0
		for code, n := range of {
			total += int(n)
			switch {
			case int(n) > first:
				first, second, at = int(n), first, code
			case int(n) > second:
				second = int(n)
			}
		}
		a, b := int32(cell/width), int32(cell%width)
		if total == 0 || a == 0 || len(by) == 2 && b == 0 || at == 0 {
			continue // nobody says anything, or that it stays blank
		}
		d.said += total
		if first-1 > second {
			d.right += first
		}
		if first >= 3 && first > second {
			d.cells++
			d.values[[2]int32{a, b}] = int32(at)
			d.counts[[2]int32{a, b}] = first
		}
	}
	if d.said < enough || d.said < t.filled/2 || d.right < t.filled/2 || d.cells*5 > d.said || d.different() < 2 {
		return nil
	}
	return d
}

// different is how many values the codes give.
func (d *determined) different() int {
	seen := map[int32]bool{}
	for _, v := range d.values {
		seen[v] = true
	}
	return len(seen)
}

// follows is the rule that gives a column what its codes say.
func (f *finder) follows(t *column, d *determined) Proposal {
	var cases []caseOf
	counts := map[int32]int{}
	for at, value := range d.values {
		counts[value] += d.counts[at]
		codes := []string{f.texts.all[d.by[0].values[at[0]-1]]}
		if len(d.by) == 2 {
			codes = append(codes, f.texts.all[d.by[1].values[at[1]-1]])
		}
		text := f.texts.all[t.values[value-1]]
		cases = append(cases, caseOf{codes: codes, value: literal(t.field, text), text: text, count: d.counts[at]})
	}
	reads := make([]string, len(d.by))
	for i, c := range d.by {
		reads[i] = c.key
	}
	key := t.key + "_by"
	for _, c := range d.by {
		key += "_" + strings.TrimSuffix(strings.TrimPrefix(c.key, field.LinePrefix), ".key")
	}
	value, crosswalk := f.chosen(d.by, cases, t.field, key, "")
	p := Proposal{Form: Follows, Reads: reads, Crosswalk: crosswalk, Rule: rule.Body{Family: rule.Default, Target: t.key, Effect: rule.Effect{Value: value, Lifetime: rule.NewOnly}}}
	if crosswalk == nil {
		p.Rule.Effect.Value = strings.TrimSuffix(strings.TrimPrefix(value, "("), ")")
	}
	f.told(&p, f.sheet.rows(), func(row int) int {
		at := [2]int32{d.by[0].codes[row], 0}
		if len(d.by) == 2 {
			at[1] = d.by[1].codes[row]
		}
		value, known := d.values[at]
		switch {
		case !known || t.codes[row] == 0:
			return 0
		case value == t.codes[row]:
			return 1
		}
		return -1
	})
	return p
}

// isText tells whether a column holds texts that are no codes.
func isText(c *column) bool {
	return c.field != nil && c.field.FeelType().Kind == feel.String && c.field.Type != field.Choice && !c.field.IsLink()
}
