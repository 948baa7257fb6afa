package learn

import (
	"fmt"
	"slices"
	"strconv"
	"strings"

	"codicil/core/field"
	"codicil/core/match"
	"codicil/core/rule"
	"codicil/core/table"
)

// leastUnique is the share of records that have to differ from all others.
const leastUnique = 0.97

// unique looks for fields that no two records share: texts that name something, alone or together with a
// link.
func (f *finder) unique() {
	s := f.sheet
	if s != f.header {
		return
	}
	for _, t := range s.columns {
		if f.stopped() {
			return
		}
		if !f.names(t) {
			continue
		}
		if f.uniqueAlone(t) {
			continue
		}
		for _, with := range s.columns {
			if with != t && with.field.IsLink() && with.filled >= t.filled*9/10 && f.uniqueWith(t, with) {
				break
			}
		}
	}
}

// names tells whether a column holds texts that name something: numbers of papers, tax numbers, accounts.
func (f *finder) names(t *column) bool {
	if !isText(t) || t.filled < enough || t.filled*20 < f.sheet.rows() || f.fromElsewhere(t.key) || f.made(t.key) {
		return false
	}
	if t.field.Type != field.Text {
		return true
	}
	digits, looked := 0, 0
	for _, id := range t.values {
		if looked++; looked > 500 {
			break
		}
		if text := f.texts.all[id]; strings.ContainsAny(text, "0123456789") && len(text) <= 40 {
			digits++
		}
	}
	return digits*10 >= looked*8
}

func (f *finder) uniqueAlone(t *column) bool {
	if float64(len(t.values)) < leastUnique*float64(t.filled) {
		return false
	}
	p := Proposal{Form: Unique, Rule: f.unlike(t, nil)}
	f.told(&p, f.sheet.rows(), func(row int) int {
		switch id := t.ids[row]; {
		case id == 0:
			return 0
		case t.counts[id] > 1:
			return -1
		}
		return 1
	})
	f.propose(p)
	return true
}

func (f *finder) unlike(t *column, with []string) rule.Body {
	if with == nil {
		with = []string{}
	}
	message := fmt.Sprintf("Another record has this %s. Use that record, or correct it.", strings.ToLower(t.field.Label[:1])+t.field.Label[1:])
	return rule.Body{Family: rule.Validate, Target: t.key, Effect: rule.Effect{Severity: rule.Refuse, Message: message, Unique: &rule.Unique{With: with, Everywhere: f.sharedAmongCompanies(t, with), Ignore: match.Differences{}}}}
}

// sharedAmongCompanies tells whether the values differ over all companies, where there are several.
func (f *finder) sharedAmongCompanies(t *column, with []string) bool {
	return len(with) == 0 && len(f.sheet.company.values) > 1 && float64(len(t.values)) >= leastUnique*float64(t.filled)
}

func (f *finder) uniqueWith(t, with *column) bool {
	type pair [2]int32
	counts := map[pair]int{}
	said, same := 0, 0.0
	for row, id := range t.ids {
		if id == 0 || with.ids[row] == 0 {
			continue
		}
		counts[pair{id, with.ids[row]}]++
		said++
	}
	if said < enough || float64(len(counts)) < leastUnique*float64(said) {
		return false
	}
	// How many records would share both by accident: those that share the one, by how often the other is shared.
	for _, n := range t.counts {
		same += float64(n) * float64(n-1) / 2
	}
	often := 0.0
	for _, n := range with.counts {
		often += float64(n) / float64(with.filled) * float64(n) / float64(with.filled)
	}
	if same < 5 || same*often < 2 && same < 30 {
		return false
	}
	p := Proposal{Form: Unique, Reads: []string{with.key}, Rule: f.unlike(t, []string{with.key})}
	f.told(&p, f.sheet.rows(), func(row int) int {
		id := t.ids[row]
		switch {
		case id == 0 || with.ids[row] == 0:
			return 0
		case counts[pair{id, with.ids[row]}] > 1:
			return -1
		}
		return 1
	})
	f.propose(p)
	return true
}

// numbers looks for texts that count up: a beginning that stays, with the year or without, and digits
// that go on from one record to the next.
func (f *finder) numbers() {
	s := f.sheet
	if s != f.header {
		return
	}
	for _, t := range s.columns {
		if f.stopped() {
			return
		}
		if t.field.Type != field.Text || t.filled < enough || f.valued[t.key] || float64(len(t.values)) < leastUnique*float64(t.filled) {
			continue
		}
		f.counted(t)
	}
}

// scheme is how a text that counts is made.
type scheme struct {
	head, year, between string
	digits              int
	count               int64
}

// schemeOf takes a text apart: what stands before its last digits is its head; a year may stand in it.
func schemeOf(text string) (scheme, bool) {
	end := strings.LastIndexAny(text, "0123456789")
	if end != len(text)-1 {
		return scheme{}, false
	}
	begin := end
	for begin > 0 && text[begin-1] >= '0' && text[begin-1] <= '9' {
		begin--
	}
	digits := text[begin:]
	if len(digits) < 2 || len(digits) > 12 {
		return scheme{}, false
	}
	s := scheme{head: text[:begin], digits: len(digits)}
	s.count, _ = strconv.ParseInt(digits, 10, 64)
	for at := 0; at+4 <= len(s.head); at++ {
		if year := s.head[at : at+4]; (year[:2] == "20" || year[:2] == "19") && strings.Trim(year, "0123456789") == "" {
			s.between = s.head[at+4:]
			s.head, s.year = s.head[:at], year
			break
		}
	}
	return s, true
}

func (f *finder) counted(t *column) {
	type group struct {
		least, most int64
		n           int
	}
	heads := map[string]int{}
	groups := map[string]*group{}
	digits := map[int]int{}
	years := map[string]bool{}
	said := 0
	var shape scheme
	byCompany := map[string]map[int32]bool{}
	for row, id := range t.ids {
		if id == 0 {
			continue
		}
		said++
		s, ok := schemeOf(f.texts.all[id])
		if !ok {
			continue
		}
		head := s.head + "\x1f" + s.between
		heads[head]++
		digits[s.digits]++
		years[s.year] = true
		key := head + "\x1f" + s.year
		g := groups[key]
		if g == nil {
			g = &group{least: s.count, most: s.count}
			groups[key] = g
			byCompany[key] = map[int32]bool{}
		}
		g.least, g.most, g.n = min(g.least, s.count), max(g.most, s.count), g.n+1
		if len(byCompany[key]) < 100 {
			byCompany[key][f.sheet.company.ids[row]] = true
		}
	}
	var best string
	for head, n := range heads {
		if best == "" || n > heads[best] || n == heads[best] && head < best {
			best = head
		}
	}
	if best == "" || float64(heads[best]) < 0.9*float64(said) {
		return
	}
	width, most := 0, 0
	for d, n := range digits {
		if n > most {
			width, most = d, n
		}
	}
	// Within each year the counts follow each other closely.
	dense, wide := 0, int64(0)
	for key, g := range groups {
		if strings.HasPrefix(key, best+"\x1f") && g.n >= 5 {
			dense += g.n
			wide += g.most - g.least + 1
		}
	}
	if dense < enough || float64(dense) < 0.6*float64(wide) || float64(dense) < 0.8*float64(said) || float64(most) < 0.9*float64(said) {
		return
	}
	head, between, _ := strings.Cut(best, "\x1f")
	shape = scheme{head: head, between: between, digits: width}
	yearly := !years[""] && len(years) >= 1
	series := &table.Series{Key: t.key + "_numbers", Label: t.field.Label, Note: "Learned from saved records", Start: 1, Step: 1}
	put := func(is table.PartKind, text string, digits int) {
		if is != table.Constant || text != "" {
			series.Parts = append(series.Parts, table.Part{Is: is, Text: text, Digits: digits})
		}
	}
	put(table.Constant, shape.head, 0)
	if yearly {
		put(table.Year, "", 0)
		put(table.Constant, shape.between, 0)
		series.Reset = table.Yearly
	}
	put(table.Counter, "", shape.digits)
	for key, g := range groups {
		if strings.HasPrefix(key, best+"\x1f") {
			series.Start = max(series.Start, g.most+1)
		}
	}
	given := map[string]int64{}
	if yearly {
		series.Start = 1
		for key, g := range groups {
			if year, of := strings.CutPrefix(key, best+"\x1f"); of {
				given[year] = g.most
			}
		}
	}
	p := Proposal{Form: Numbers, Series: series, Given: given, Rule: rule.Body{Family: rule.Default, Target: t.key, Effect: rule.Effect{Series: series.Key, Lifetime: rule.NewOnly, Fixed: true}, On: rule.Occasions{New: true}}}
	f.told(&p, f.sheet.rows(), func(row int) int {
		id := t.ids[row]
		if id == 0 {
			return 0
		}
		s, ok := schemeOf(f.texts.all[id])
		if ok && s.head == shape.head && s.between == shape.between && s.digits == shape.digits {
			return 1
		}
		return -1
	})
	// That its texts differ and have a form follows from it.
	f.found = slices.DeleteFunc(f.found, func(o Proposal) bool {
		return o.Rule.Target == t.key && (o.Form == Unique && len(o.Reads) == 0 || o.Form == Pattern)
	})
	f.valued[t.key] = true
	f.propose(p)
}
