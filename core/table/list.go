package table

import (
	"cmp"
	"maps"
	"slices"
	"strings"

	"codicil/core/field"
	"codicil/core/notice"
	"codicil/core/record"
)

// List is a list of codes that fields of several kinds choose from: countries, payment terms.
type List struct {
	Key   string `json:"key"`
	Label string `json:"label"`
	Note  string `json:"note"`
	// Standard names the standard that the list came complete by, such as ISO 3166-1; "": none.
	Standard string  `json:"standard,omitempty"`
	Entries  []Entry `json:"entries"`
	// Views say which entries companies use, and what they call them.
	Views []ListView `json:"views,omitempty"`
}

// Entry is one code of a list. It can be chosen in documents of the days of its period.
type Entry struct {
	Code  string `json:"code"`
	Label string `json:"label"`
	// Decimals are the decimal places of amounts in a currency; nil: the list is not one of
	// currencies.
	Decimals *int `json:"decimals,omitempty"`
	Period
}

// ListView is what one company makes of a list.
type ListView struct {
	// Company is its key; "": all companies.
	Company string `json:"company"`
	// Only are the codes that can be chosen; empty: all.
	Only []string `json:"only,omitempty"`
	// Labels by code take the place of those of the list.
	Labels map[string]string `json:"labels,omitempty"`
}

// Currencies is the key of the list whose entries say how many decimals an amount has.
const Currencies = "currencies"

var (
	notListKey    = notice.Define("not-a-key.list", "{key:q} cannot be the key of a list; use small letters, digits and _, with a letter first")
	noListName    = notice.Define("no-name.list", "give the list a name")
	noCode        = notice.Define("no-code.list", "write a code")
	badCode       = notice.Define("code-too-long", "{code:q} is too long; a code has 20 characters at most")
	twoCodes      = notice.Define("code-taken.list", "{code} is already in row {row}; give one of them another code")
	notDecimals   = notice.Define("not-decimals", "a currency has 0 to 6 decimals; this has {count}")
	fixedDecimals = notice.Define("decimals-of-the-standard", "{code} has {count} decimals by the standard")
	unknownCodes  = notice.Define("unknown-code.list", "{company} uses {code:q}, which is not in the list")
	twoViews      = notice.Define("company-twice.list", "company {company:q} is there twice")
)

// mostDecimals is the most that amounts of a currency have.
const mostDecimals = 6

// List returns the list with the key; nil when there is none.
func (s *Set) List(key string) *List {
	return find(s.Lists, func(l *List) bool { return l.Key == key })
}

// Entry returns the entry with the code; nil when there is none.
func (l *List) Entry(code string) *Entry {
	return find(l.Entries, func(e *Entry) bool { return e.Code == code })
}

// Check trims what is written and says what is wrong. Cost: the entries, and for each view the
// codes it names.
func (l *List) Check() []Problem {
	var problems []Problem
	l.Label = strings.TrimSpace(l.Label)
	switch {
	case !field.IsKey(l.Key):
		problems = append(problems, ProblemOf(-1, "", notListKey.With(l.Key)))
	case l.Label == "":
		problems = append(problems, ProblemOf(-1, "", noListName.With()))
	}
	rows := make(map[string]int, len(l.Entries))
	for i := range l.Entries {
		e := &l.Entries[i]
		e.Code, e.Label = strings.TrimSpace(e.Code), strings.TrimSpace(e.Label)
		if column, wrong := e.wrong(); wrong != nil {
			problems = append(problems, ProblemOf(i, column, *wrong))
		}
		switch row, twice := rows[e.Code]; {
		case e.Code == "":
			problems = append(problems, ProblemOf(i, "code", noCode.With()))
		case len([]rune(e.Code)) > 20:
			problems = append(problems, ProblemOf(i, "code", badCode.With(e.Code)))
		case twice:
			problems = append(problems, ProblemOf(i, "code", twoCodes.With(e.Code, row+1)))
		default:
			rows[e.Code] = i
		}
		if wrong := l.decimals(e); wrong != nil {
			problems = append(problems, ProblemOf(i, "decimals", *wrong))
		}
	}
	seen := map[string]bool{}
	for i := range l.Views {
		v := &l.Views[i]
		if seen[v.Company] {
			problems = append(problems, ProblemOf(-1, "views", twoViews.With(v.Company)))
		}
		seen[v.Company] = true
		maps.DeleteFunc(v.Labels, func(_, label string) bool { return strings.TrimSpace(label) == "" })
		for _, code := range slices.Concat(v.Only, slices.Sorted(maps.Keys(v.Labels))) {
			if _, there := rows[code]; !there {
				problems = append(problems, ProblemOf(-1, "views", unknownCodes.With(cmp.Or(v.Company, "everybody"), code)))
			}
		}
	}
	l.Views = slices.DeleteFunc(l.Views, func(v ListView) bool { return len(v.Only) == 0 && len(v.Labels) == 0 })
	return problems
}

// decimals says what is wrong with those of an entry, and gives a currency of the standard its own.
func (l *List) decimals(e *Entry) *notice.Notice {
	if l.Key != Currencies {
		e.Decimals = nil
		return nil
	}
	standard, known := field.CurrencyDecimals(e.Code)
	switch {
	case e.Decimals == nil && known:
		e.Decimals = &standard
	case e.Decimals == nil:
		two := 2
		e.Decimals = &two
	case known && *e.Decimals != standard:
		return given(fixedDecimals.With(e.Code, standard))
	case *e.Decimals < 0 || *e.Decimals > mostDecimals:
		return given(notDecimals.With(*e.Decimals))
	}
	return nil
}

// Options are the entries as fields offer them: without those that nobody uses. Cost: the entries
// by the views.
func (l *List) Options() []field.Option {
	options := make([]field.Option, 0, len(l.Entries))
	everywhere := l.View("")
	used := func(v *ListView) map[string]bool {
		codes := map[string]bool{}
		for _, code := range v.Only {
			codes[code] = true
		}
		return codes
	}
	all := used(&everywhere)
	here := make([]map[string]bool, len(l.Views))
	for i := range l.Views {
		here[i] = used(&l.Views[i])
	}
	for i := range l.Entries {
		e := &l.Entries[i]
		if len(all) > 0 && !all[e.Code] {
			continue
		}
		o := field.Option{Code: e.Code, Label: cmp.Or(everywhere.Labels[e.Code], e.Label), From: string(e.From), Until: string(e.Until)}
		for j := range l.Views {
			v := &l.Views[j]
			if v.Company == "" {
				continue
			}
			if len(here[j]) > 0 && !here[j][e.Code] {
				o.NotIn = append(o.NotIn, v.Company)
			}
			if label := v.Labels[e.Code]; label != "" {
				if o.Labels == nil {
					o.Labels = map[string]string{}
				}
				o.Labels[v.Company] = label
			}
		}
		options = append(options, o)
	}
	return options
}

// View is what a company makes of the list; "" for all companies.
func (l *List) View(company string) ListView {
	for i := range l.Views {
		if l.Views[i].Company == company {
			return l.Views[i]
		}
	}
	return ListView{Company: company}
}

// Choose gives the fields that choose from a list its entries; those that name a list that is not
// there keep what they say. Cost: the fields, and each list once.
func (s *Set) Choose(fields ...[]field.Field) {
	made := map[string][]field.Option{}
	standards := map[string]string{}
	for _, list := range fields {
		for i := range list {
			f := &list[i]
			if f.List == "" {
				continue
			}
			options, there := made[f.List]
			if !there {
				l := s.List(f.List)
				if l == nil {
					continue
				}
				options = l.Options()
				made[f.List], standards[f.List] = options, l.Standard
			}
			f.Choices, f.Standard = options, standards[f.List]
		}
	}
}

// ChooseOne gives a field that names a list what it chooses from: nothing, where the list is not there.
func (s *Set) ChooseOne(f *field.Field) {
	if f.List != "" {
		one := []field.Field{*f}
		one[0].Choices = nil
		s.Choose(one)
		*f = one[0]
	}
}

// Unchosen takes from fields that name a list what they choose from: it is kept with the list, not with them.
func Unchosen(fields ...[]field.Field) {
	for _, some := range fields {
		for i := range some {
			if some[i].List != "" {
				some[i].Choices, some[i].Standard = nil, ""
			}
		}
	}
}

// ChooseAll gives all fields of kinds and all columns of tables what they choose from.
func (s *Set) ChooseAll(kinds []record.Kind) {
	var all [][]field.Field
	for i := range kinds {
		all = append(all, kinds[i].Fields)
	}
	for i := range s.Crosswalks {
		all = append(all, s.Crosswalks[i].Keys, s.Crosswalks[i].Results)
	}
	for i := range s.Standing {
		s.ChooseOne(&s.Standing[i].Field)
	}
	s.Choose(all...)
}

// Minor are the decimals of the currencies that are not those of the standard, by code.
func (s *Set) Minor() map[string]int {
	var own map[string]int
	l := s.List(Currencies)
	if l == nil {
		return nil
	}
	for i := range l.Entries {
		e := &l.Entries[i]
		if _, standard := field.CurrencyDecimals(e.Code); standard || e.Decimals == nil {
			continue
		}
		if own == nil {
			own = map[string]int{}
		}
		own[e.Code] = *e.Decimals
	}
	return own
}

// With is the list with what another says: its entries beside and in place of those of the same
// code, its views in place of those of the same company. Entries that the other does not have stay.
func (l *List) With(other List) List {
	both := other
	both.Entries, both.Views = slices.Clone(l.Entries), slices.Clone(l.Views)
	at := make(map[string]int, len(l.Entries))
	for i := range both.Entries {
		at[both.Entries[i].Code] = i
	}
	for _, e := range other.Entries {
		if i, there := at[e.Code]; there {
			both.Entries[i] = e
		} else {
			both.Entries = append(both.Entries, e)
		}
	}
	for _, v := range other.Views {
		if i := slices.IndexFunc(both.Views, func(o ListView) bool { return o.Company == v.Company }); i >= 0 {
			both.Views[i] = v
		} else {
			both.Views = append(both.Views, v)
		}
	}
	both.Standard = cmp.Or(both.Standard, l.Standard)
	return both
}
