package learn

import (
	"fmt"
	"slices"
	"strings"
	"unicode"

	"codicil/core/field"
)

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
