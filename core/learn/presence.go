package learn

import (
	"slices"

	"codicil/core/field"
	"codicil/core/rule"
)

// The shares of records from which a field counts as always, or never, filled.
const (
	leastFilled = 0.94
	mostFilled  = 0.02
	// where a condition decides, what does not fulfil it is filled clearly less often.
	clearly = 0.5
)

// presence looks for fields that are always filled, or never: in all records, by type, by company, or
// where another field says so.
func (f *finder) presence() {
	for _, t := range f.sheet.columns {
		if f.stopped() {
			return
		}
		before := len(f.found)
		f.scoped(nil, func(rows []int32) (string, *Proposal) { return f.present(t, rows) })
		if len(f.found) == before && t.filled >= enough {
			f.presentWhen(t)
		}
	}
}

func needed(t *column, when string) rule.Body {
	return rule.Body{Family: rule.Entry, Target: t.key, When: when, Effect: rule.Effect{Need: rule.Required, Access: rule.Open}}
}

func (f *finder) present(t *column, rows []int32) (string, *Proposal) {
	filled := 0
	for _, row := range rows {
		if t.ids[row] != 0 {
			filled++
		}
	}
	share := float64(filled) / float64(len(rows))
	in := rowSet(rows, f.sheet.rows())
	p := Proposal{Form: Required, Rule: needed(t, "")}
	want := func(row int) bool { return t.ids[row] != 0 }
	key := "required"
	switch {
	case len(rows) < enough || share > mostFilled && share < leastFilled:
		return "", nil
	case share <= mostFilled:
		key = "blank"
		p.Form, p.Rule.Effect = Blank, rule.Effect{Need: rule.Optional, Access: rule.Hidden}
		want = func(row int) bool { return t.ids[row] == 0 }
	case f.valued[t.key]:
		return "", nil // a rule fills it
	}
	// Of some only: where it is as often filled everywhere else, that is no rule of theirs.
	if len(rows) < f.sheet.rows() {
		others := float64(t.filled-filled) / float64(f.sheet.rows()-len(rows))
		if p.Form == Required && others > clearly || p.Form == Blank && others < 0.2 {
			return "", nil
		}
	}
	f.told(&p, f.sheet.rows(), func(row int) int {
		switch {
		case !in(row):
			return 0
		case want(row):
			return 1
		}
		return -1
	})
	return key, &p
}

// presentWhen looks for the field that decides whether another is filled: by its codes, or by being
// filled itself.
func (f *finder) presentWhen(t *column) {
	var best *Proposal
	consider := func(p *Proposal) {
		if p != nil && (best == nil || p.Share() > best.Share()+0.01 || p.Share() > best.Share()-0.01 && p.Holds > best.Holds) {
			best = p
		}
	}
	for _, x := range f.sheet.readable() {
		if x == t || x.filled < enough || f.made(x.key) {
			continue
		}
		if f.codes(x) || x.field != nil && x.field.Type == field.YesNo {
			consider(f.presentByCode(t, x))
		}
		if x.field != nil && x.filled < f.sheet.rows()*9/10 && x.field.Type != field.YesNo {
			consider(f.presentByPresence(t, x))
		}
	}
	if best != nil {
		f.propose(*best)
	}
}

// presentByCode finds the codes of x under which t is always filled, while it is not under the others.
func (f *finder) presentByCode(t, x *column) *Proposal {
	all, filled := make([]int, len(x.values)+1), make([]int, len(x.values)+1)
	for row, code := range x.codes {
		all[code]++
		if t.ids[row] != 0 {
			filled[code]++
		}
	}
	var codes []string
	always := make([]bool, len(all))
	in, inFilled, out, outFilled := 0, 0, 0, 0
	for code := range all {
		if code > 0 && all[code] >= 5 && float64(filled[code]) >= 0.9*float64(all[code]) {
			always[code] = true
			codes = append(codes, f.texts.all[x.values[code-1]])
			in, inFilled = in+all[code], inFilled+filled[code]
			continue
		}
		out, outFilled = out+all[code], outFilled+filled[code]
	}
	if in < enough || out < enough || float64(inFilled) < 0.92*float64(in) || float64(outFilled) > clearly*float64(out) {
		return nil
	}
	if f.valued[t.key] && x.field == nil {
		return nil // the rule that fills it holds in these companies or types
	}
	slices.Sort(codes)
	cases := make([]caseOf, len(codes))
	for i, code := range codes {
		cases[i] = caseOf{codes: []string{code}}
	}
	p := &Proposal{Form: Required, Reads: []string{x.key}, Rule: needed(t, "")}
	switch {
	case x.key == "type.key":
		p.Rule.Scope.Types = codes
	case x.key == "company.key":
		p.Rule.Scope.Companies = codes
	case x.field.Type == field.YesNo && len(codes) == 1 && codes[0] == "true":
		p.Rule.When = f.name(x)
	default:
		p.Rule.When = f.isOneOf([]*column{x}, cases)
	}
	f.told(p, f.sheet.rows(), func(row int) int {
		switch {
		case !always[x.codes[row]]:
			return 0
		case t.ids[row] != 0:
			return 1
		}
		return -1
	})
	return p
}

// presentByPresence tells whether t is always filled where x is, and mostly blank where x is blank.
func (f *finder) presentByPresence(t, x *column) *Proposal {
	in, inFilled, out, outFilled := 0, 0, 0, 0
	for row := range x.ids {
		if x.ids[row] != 0 {
			in++
			if t.ids[row] != 0 {
				inFilled++
			}
		} else {
			out++
			if t.ids[row] != 0 {
				outFilled++
			}
		}
	}
	if in < enough || out < enough || float64(inFilled) < leastFilled*float64(in) || float64(outFilled) > clearly*float64(out) {
		return nil
	}
	// Each where the other is: the one that comes first decides.
	if f.bothWays(t, x, inFilled) || f.valued[t.key] {
		return nil
	}
	p := &Proposal{Form: Required, Reads: []string{x.key}, Rule: needed(t, "is filled("+f.name(x)+")")}
	f.told(p, f.sheet.rows(), func(row int) int {
		switch {
		case x.ids[row] == 0:
			return 0
		case t.ids[row] != 0:
			return 1
		}
		return -1
	})
	return p
}

// bothWays tells whether x is filled where t is as well, and stands after it.
func (f *finder) bothWays(t, x *column, together int) bool {
	return float64(together) >= leastFilled*float64(t.filled) && f.kind.Index(t.key) < f.kind.Index(x.key) && x.inlined == t.inlined
}

// unchanged looks for fields that nobody changes after the first save.
func (f *finder) unchanged() {
	if f.sheet != f.header || f.revised < enough {
		return
	}
	// Fields that are changed at all show that somebody does change; without any, nothing is known.
	busy := 0
	for _, n := range f.changed {
		if n*10 >= f.revised {
			busy++
		}
	}
	if busy < 2 {
		return
	}
	for _, t := range f.sheet.columns {
		n := f.changed[t.key]
		if t.filled < f.sheet.rows()*9/10 || n*200 > f.revised || f.derived(t.key) {
			continue
		}
		p := Proposal{Form: Unchanged, Holds: f.revised - n, Breaks: n, Rule: rule.Body{Family: rule.Entry, Target: t.key, On: rule.Occasions{Change: true},
			Effect: rule.Effect{Need: rule.Optional, Access: rule.ReadOnly}}}
		f.propose(p)
	}
}

// made tells whether a field was found to follow from others, which then decide.
func (f *finder) made(key string) bool {
	return slices.ContainsFunc(f.found, func(p Proposal) bool { return (p.Form == Computed || p.Form == Follows) && p.Rule.Target == key })
}

// derived tells whether a rule was found to compute a field, which nobody changes anyhow.
func (f *finder) derived(key string) bool {
	return slices.ContainsFunc(f.found, func(p Proposal) bool { return p.Form == Computed && p.Rule.Target == key })
}
