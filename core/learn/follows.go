package learn

import (
	"fmt"
	"slices"
	"sort"
	"strings"

	"codicil/core/feel"
	"codicil/core/field"
	"codicil/core/rule"
	"codicil/core/table"
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

// linkedValue is a field of a linked record, or another field of the same, that may be a source.
type linkedValue struct {
	text  string // in a formula
	reads []string
	ids   func(row int) (value int32, there bool)
	at    *field.Field
	link  *column // nil: it is no linked record's
	kind  string
}

// values are what a field may be taken from.
func (f *finder) values() (list []linkedValue) {
	s := f.sheet
	for _, c := range slices.Concat(s.above, s.columns) {
		if c.field == nil || c.filled < enough {
			continue
		}
		list = append(list, linkedValue{text: f.name(c), reads: []string{c.key}, at: c.field, ids: func(row int) (int32, bool) { return c.ids[row], c.ids[row] != 0 }})
		if !c.field.IsLink() || f.linked[c.field.Kind] == nil {
			continue
		}
		linked := f.linked[c.field.Kind]
		for i, column := range linked.columns {
			g := &linked.kind.Fields[i]
			list = append(list, linkedValue{text: f.name(c) + "." + g.Key, reads: []string{c.key}, at: g, link: c, kind: linked.kind.Key, ids: func(row int) (int32, bool) {
				at, there := linked.at[c.ids[row]]
				if !there || c.ids[row] == 0 {
					return 0, false
				}
				return column[at], column[at] != 0
			}})
		}
	}
	for _, own := range []struct {
		key string
		get func(i int) string
	}{{"currency", func(i int) string { return f.company[i].Currency }}, {"country", func(i int) string { return f.company[i].Country }}} {
		by := map[int32]int32{}
		for i := range f.company {
			by[f.texts.id(nil, f.company[i].Key)] = f.texts.id(nil, own.get(i))
		}
		list = append(list, linkedValue{text: "company." + own.key, reads: []string{"company.key"}, at: &field.Field{Key: own.key, Type: field.Text}, ids: func(row int) (int32, bool) {
			id, there := by[s.company.ids[row]]
			return id, there && id != 0
		}})
	}
	return list
}

// alike tells whether values of one field can be those of another.
func alike(target, from *field.Field) bool {
	if target.FeelType().Kind != from.FeelType().Kind || target.Type == field.YesNo {
		return false
	}
	if target.IsLink() || from.IsLink() {
		return target.IsLink() && from.IsLink() && target.Kind == from.Kind
	}
	return (target.Type == field.Date) == (from.Type == field.Date)
}

// sources looks for fields that are equal to one of a linked record, of the company, or to another of
// the same record.
func (f *finder) sources() {
	values := f.values()
	own := slices.Clone(f.sheet.columns)
	slices.Reverse(own)
	for _, t := range own {
		if f.stopped() {
			return
		}
		if t.filled < enough || f.valued[t.key] || len(t.values) < 2 {
			continue
		}
		f.scoped(t.codes, func(rows []int32) (string, *Proposal) { return f.sourceOf(t, values, rows) })
	}
}

func (f *finder) sourceOf(t *column, values []linkedValue, rows []int32) (string, *Proposal) {
	type tried struct {
		v           *linkedValue
		hits, score int
	}
	var best []tried
	for i := range values {
		v := &values[i]
		if v.at == t.field || !alike(t.field, v.at) || f.copiedFrom(v, t) {
			continue
		}
		said, hits := 0, 0
		seen := map[int32]int{}
		for n, at := range rows {
			row := int(at)
			is := t.ids[row]
			from, there := v.ids(row)
			if !there || is == 0 {
				continue
			}
			said++
			if is == from {
				hits++
				if len(seen) < 1000 {
					seen[is]++
				}
			}
			if n == 500 && said >= 50 && hits*2 < said {
				break
			}
		}
		if said < enough || float64(hits) < leastSource*float64(said) || len(seen) < 2 {
			continue
		}
		// It must say much more than that one value is frequent.
		most := 0
		for _, n := range seen {
			most = max(most, n)
		}
		if base := float64(most) / float64(said); 1-float64(hits)/float64(said) > 0.5*(1-base) || hits-most < 8 {
			continue
		}
		score := hits * 100 / said
		if v.at.Key == strings.TrimPrefix(t.field.Key, field.LinePrefix) {
			score += 3 // the same name is no accident
		}
		best = append(best, tried{v, hits, score})
	}
	if len(best) == 0 {
		return "", nil
	}
	slices.SortStableFunc(best, func(a, b tried) int { return b.score - a.score })
	p := f.source(t, best[0].v, rows)
	for _, other := range best[1:min(len(best), 3)] {
		p.Instead = append(p.Instead, f.source(t, other.v, rows))
	}
	f.valued[t.key] = true
	return best[0].v.text, &p
}

// copiedFrom tells whether the value is a field that was found to be taken from the target.
func (f *finder) copiedFrom(v *linkedValue, t *column) bool {
	if v.link != nil {
		return v.link == t
	}
	return slices.ContainsFunc(f.found, func(p Proposal) bool {
		return p.Rule.Target == v.reads[0] && slices.Contains(p.Reads, t.key) && (p.Form == Source || p.Form == Computed)
	})
}

// source is the rule that takes a field from a value.
func (f *finder) source(t *column, v *linkedValue, rows []int32) Proposal {
	p := Proposal{Form: Source, Reads: v.reads}
	in := rowSet(rows, f.sheet.rows())
	former := 0
	f.told(&p, f.sheet.rows(), func(row int) int {
		from, there := v.ids(row)
		switch is := t.ids[row]; {
		case !in(row) || !there || is == 0:
			return 0
		case is == from:
			return 1
		default:
			if v.link != nil && f.formers[formerOf(v, f.texts.all[v.link.ids[row]], is)] {
				former++
			}
			return -1
		}
	})
	p.Rule = rule.Body{Family: rule.Default, Target: t.key, Effect: rule.Effect{Value: v.text, Lifetime: rule.NewOnly}}
	if v.link != nil {
		p.Rule.Family, p.Rule.Effect = rule.Source, rule.Effect{Value: v.text, Mode: rule.Copied}
		changed := f.changedSince(v)
		switch {
		case former > 0:
			// What differs is what the linked record said before: it was copied.
			p.Holds, p.Breaks = p.Holds+former, p.Breaks-former
		case changed > 0 && p.Breaks == 0:
			p.Rule.Effect.Mode = rule.Live
		default:
			p.Unsure = true
		}
	}
	return p
}

func formerOf(v *linkedValue, number string, value int32) former {
	return former{v.kind, number, v.at.Key, value}
}

// changedSince is how many values of the linked field were others before.
func (f *finder) changedSince(v *linkedValue) (n int) {
	for of := range f.formers {
		if of.kind == v.kind && of.field == v.at.Key {
			n++
		}
	}
	return n
}

// caseOf is a value that follows from codes.
type caseOf struct {
	codes []string
	value string // as it stands in a formula
	text  string // as it is stored
	count int
}

// chosen writes the value that follows from codes: as cases where they are few, else as a crosswalk.
// other is what all other codes get; "": nothing.
func (f *finder) chosen(by []*column, cases []caseOf, gives *field.Field, key, other string) (string, *table.Crosswalk) {
	sort.SliceStable(cases, func(i, j int) bool { return slices.Compare(cases[i].codes, cases[j].codes) < 0 })
	if len(cases) > 8 && gives != nil && gives.Traits().Tables {
		return f.crosswalk(by, cases, gives, key, other)
	}
	// Codes of one value stand together; the value of most is what is left.
	byValue := map[string][]caseOf{}
	counts := map[string]int{}
	var order []string
	for _, c := range cases {
		if byValue[c.value] == nil {
			order = append(order, c.value)
		}
		byValue[c.value] = append(byValue[c.value], c)
		counts[c.value] += c.count
	}
	if other == "" {
		other = "null"
	}
	var text strings.Builder
	for _, value := range order {
		if value == other {
			continue
		}
		fmt.Fprintf(&text, "if %s then %s else ", f.isOneOf(by, byValue[value]), value)
	}
	if text.Len() == 0 {
		return other, nil
	}
	return "(" + text.String() + other + ")", nil
}

// isOneOf is the condition that the columns hold the codes of one of some cases.
func (f *finder) isOneOf(by []*column, cases []caseOf) string {
	if len(by) == 1 {
		codes := make([]string, len(cases))
		for i, c := range cases {
			codes[i] = f.code(by[0], c.codes[0])
		}
		if len(codes) == 1 {
			return f.name(by[0]) + " = " + codes[0]
		}
		return f.name(by[0]) + " in (" + strings.Join(codes, ", ") + ")"
	}
	// Those that share the first code are told together.
	var order []string
	second := map[string][]string{}
	for _, c := range cases {
		if second[c.codes[0]] == nil {
			order = append(order, c.codes[0])
		}
		second[c.codes[0]] = append(second[c.codes[0]], f.code(by[1], c.codes[1]))
	}
	parts := make([]string, len(order))
	for i, first := range order {
		right := f.name(by[1]) + " = " + second[first][0]
		if len(second[first]) > 1 {
			right = f.name(by[1]) + " in (" + strings.Join(second[first], ", ") + ")"
		}
		parts[i] = "(" + f.name(by[0]) + " = " + f.code(by[0], first) + " and " + right + ")"
	}
	return strings.Join(parts, " or ")
}

func (f *finder) code(c *column, text string) string {
	if c.field == nil {
		return fmt.Sprintf("%q", text)
	}
	return literal(c.field, text)
}

func (f *finder) crosswalk(by []*column, cases []caseOf, gives *field.Field, key, other string) (string, *table.Crosswalk) {
	w := &table.Crosswalk{Key: strings.ReplaceAll(strings.TrimPrefix(key, field.LinePrefix), ".", "_"), Label: gives.Label, Note: "Learned from saved records"}
	names := make([]string, len(by))
	for i, c := range by {
		names[i] = f.name(c)
		column := field.Field{Key: "code", Label: "Code", Type: field.Text}
		if c.field != nil {
			column.Key, column.Label = c.field.Column(), c.field.Label
		} else {
			column.Key, column.Label = strings.TrimSuffix(c.key, ".key"), map[string]string{"company.key": "Company", "type.key": "Type"}[c.key]
		}
		w.Keys = append(w.Keys, column)
		w.Label += map[bool]string{true: " by ", false: " and "}[i == 0] + strings.ToLower(column.Label[:1]) + column.Label[1:]
	}
	result := field.Field{Key: "value", Label: gives.Label, Type: field.Text}
	if gives.Traits().Tables {
		result.Type, result.Kind, result.Decimals = gives.Type, gives.Kind, gives.Decimals
	}
	w.Results = []field.Field{result}
	for _, c := range cases {
		text := c.text
		if text == "" {
			text = c.value
		}
		w.Rows = append(w.Rows, table.Row{Keys: c.codes, Results: []string{text}})
	}
	if other != "" && other != "null" {
		w.Default = []string{strings.Trim(other, `"`)}
	}
	return fmt.Sprintf("crosswalk(%q, %s)", w.Key, strings.Join(names, ", ")), w
}

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
