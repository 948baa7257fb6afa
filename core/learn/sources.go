package learn

import (
	"slices"
	"strings"

	"codicil/core/field"
	"codicil/core/rule"
)

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
		chance := 0.0 // how many would be among what the linked records ever were, whatever they say
		seen := map[int32]int{}
		for n, at := range rows {
			row := int(at)
			is := t.ids[row]
			from, there := v.ids(row)
			if !there || is == 0 {
				continue
			}
			said++
			if v.link != nil && len(f.others) > 0 {
				chance += min(1, float64(f.others[v.revision(f, row)])/float64(len(t.values)))
			}
			if is == from || f.formerly(v, row, is) {
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
		if base := (float64(most) + chance) / float64(said); 1-float64(hits)/float64(said) > 0.5*(1-base) || hits-most < 8 {
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
		case f.formerly(v, row, is):
			former++
			return formerly
		default:
			return -1
		}
	})
	p.Rule = rule.Body{Family: rule.Default, Target: t.key, Effect: rule.Effect{Value: v.text, Lifetime: rule.NewOnly}}
	if v.link != nil {
		p.Rule.Family, p.Rule.Effect = rule.Source, rule.Effect{Value: v.text, Mode: rule.Copied}
		changed := f.changedSince(v)
		switch {
		case former > 0: // what differs is what the linked record said before
		case changed > 0 && p.Breaks == 0:
			p.Rule.Effect.Mode = rule.Live
		default:
			p.Unsure = true
		}
	}
	return p
}

// formerly tells whether the linked record of a row had a value before.
func (f *finder) formerly(v *linkedValue, row int, value int32) bool {
	if v.link == nil || len(f.formers) == 0 {
		return false
	}
	of := v.revision(f, row)
	of.value = value
	return f.formers[of]
}

// revision names the field of the linked record of a row, whatever its value.
func (v *linkedValue) revision(f *finder, row int) former {
	return former{kind: v.kind, number: f.texts.all[v.link.ids[row]], field: v.at.Key}
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
