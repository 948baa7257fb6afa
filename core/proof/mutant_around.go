package proof

import (
	"fmt"
	"slices"
	"strings"

	"codicil/core/feel"
	"codicil/core/field"
	"codicil/core/judge"
	"codicil/core/plan"
	"codicil/core/record"
	"codicil/core/rule"
	"codicil/core/table"
)

// Extent is where rules of a kind can stand: the companies, and the types of the kind.
type Extent struct {
	Companies []record.Company
	Types     []record.Type
}

// around is a wrong version of what a rule reads besides the document, or of its company.
type around struct {
	// instead stands in for tables; nil: they are as they are.
	instead *judge.Instead
	// company changes the company; nil: it stays.
	company func(*record.Company)
	// meets tells whether a document of a scope can come to it.
	meets func(plan.Scope) bool
}

// addAround keeps a wrong version of what the rule reads.
func (m *mutation) addAround(change string, a around) {
	m.list = append(m.list, Mutant{Body: m.c.Body, Change: change, around: &a})
}

// Limits on the rows and periods of a table that are made wrong one by one.
const (
	mostRows    = 40
	mostPeriods = 24
)

// crosswalks makes the rows wrong that the rule looks up: one by one, in each column that it
// reads.
func (m *mutation) crosswalks() {
	seen := map[string]bool{}
	lookUps(m.c, func(arguments []feel.Node, t *table.Crosswalk) {
		column := 0
		if len(arguments) > len(t.Keys) {
			named, _ := feel.Constant(arguments[len(t.Keys)])
			text, _ := named.Text()
			column = max(0, slices.IndexFunc(t.Results, func(f field.Field) bool { return f.Key == text }))
		}
		if id := fmt.Sprint(t.Key, column); !seen[id] {
			seen[id] = true
			m.rows(t, column)
		}
	})
}

func (m *mutation) rows(t *table.Crosswalk, column int) {
	f := &t.Results[column]
	wrong := func(text string) (feel.Value, string, bool) {
		v, misfit := f.Parse(text)
		if misfit != nil || v.IsNull() {
			return feel.NullValue, "", false
		}
		for _, other := range m.next(v, f) {
			return judge.ReadLiteral(other), other, true
		}
		return feel.NullValue, "", false
	}
	for i := range t.Rows[:min(len(t.Rows), mostRows)] {
		row := &t.Rows[i]
		other, text, ok := wrong(row.Results[column])
		if !ok {
			continue
		}
		m.addAround(fmt.Sprintf("%s of %s in %s were %s", f.Label, strings.Join(row.Keys, ", "), t.Label, text), around{
			meets: func(s plan.Scope) bool { return true },
			instead: &judge.Instead{Lookup: func(key string, keys []feel.Value, result string, day record.Day) (feel.Value, bool) {
				if key != t.Key || result != f.Key || !row.Holds(day) || len(keys) != len(row.Keys) {
					return feel.NullValue, false
				}
				for j := range keys {
					if field.Write(keys[j]) != row.Keys[j] {
						return feel.NullValue, false
					}
				}
				return other, true
			}},
		})
	}
	if len(t.Default) == 0 {
		return
	}
	if other, text, ok := wrong(t.Default[column]); ok {
		m.addAround(fmt.Sprintf("%s of every other code in %s were %s", f.Label, t.Label, text), around{
			meets: func(plan.Scope) bool { return true },
			instead: &judge.Instead{Lookup: func(key string, keys []feel.Value, result string, day record.Day) (feel.Value, bool) {
				return other, key == t.Key && result == f.Key && !t.Has(keys, day)
			}},
		})
	}
}

// standing makes each period of a standing value wrong that the rule reads.
func (m *mutation) standing() {
	v := m.c.Vocabulary()
	for _, slot := range m.c.Reads() {
		place, ok := v.StandingAt(slot)
		if !ok {
			continue
		}
		s := &v.Tables.Standing[place]
		for i := range s.Periods[:min(len(s.Periods), mostPeriods)] {
			p := &s.Periods[i]
			value, misfit := s.Field.Parse(p.Value)
			if misfit != nil {
				continue
			}
			others := m.next(value, &s.Field)
			if len(others) == 0 {
				continue
			}
			other, whose := judge.ReadLiteral(others[0]), ""
			if p.Company != "" {
				whose = " in company " + p.Company
			}
			holds := func(company string, day record.Day) bool { return s.PeriodOn(company, day) == p }
			m.addAround(fmt.Sprintf("%s%s were %s %s", s.Field.Label, whose, others[0], p.Period), around{
				meets: func(at plan.Scope) bool { return holds(at.Company.Key, at.Day) },
				instead: &judge.Instead{Standing: func(company string, day record.Day) map[string]feel.Value {
					if !holds(company, day) {
						return nil
					}
					return map[string]feel.Value{s.Field.Key: other}
				}},
			})
		}
	}
}

// company makes wrong how the company rounds and which days it works, where the rule depends
// on that.
func (m *mutation) company() {
	c := m.c
	any := func(plan.Scope) bool { return true }
	computes, workdays := false, false
	for _, part := range parts(c) {
		feel.Walk(part.program.Root(), func(n feel.Node) {
			switch n := n.(type) {
			case *feel.Binary:
				computes = computes || (part.name == "value" && (n.Operator == "*" || n.Operator == "/"))
			case *feel.Call:
				workdays = workdays || n.Function == "add workdays"
			}
		})
	}
	field := c.Remote
	if field == nil {
		field = &c.Vocabulary().Kind.Fields[c.Field]
	}
	if computes && field.FeelType().Kind == feel.Number {
		m.addAround("the company rounded a half to the other side", around{meets: any, company: func(r *record.Company) {
			r.Rounding = map[string]string{"half-even": "half-up"}[r.Rounding]
			if r.Rounding == "" {
				r.Rounding = "half-even"
			}
		}})
	}
	if workdays {
		m.addAround("Saturdays were worked", around{
			meets: func(s plan.Scope) bool {
				return len(s.Company.Calendar.FreeDays) == 0 || slices.Contains(s.Company.Calendar.FreeDays, 6)
			},
			company: func(r *record.Company) { r.Calendar.FreeDays = []int{7} },
		})
		m.addAround("holidays were worked", around{
			meets:   func(s plan.Scope) bool { return len(s.Company.Calendar.Holidays) > 0 },
			company: func(r *record.Company) { r.Calendar.Holidays = nil },
		})
	}
}

// scope drops and adds companies and types, one by one, and moves the days.
func (m *mutation) scope() {
	s := m.c.Scope
	m.axis("company", s.Companies, m.companies(), func(b *rule.Body, keys []string) { b.Scope.Companies = keys }, "it held in all companies")
	m.axis("type", s.Types, m.types(), func(b *rule.Body, keys []string) { b.Scope.Types = keys }, "it held for all types")
	for _, day := range []struct {
		day  record.Day
		name string
		set  func(*rule.Body, record.Day)
	}{
		{s.From, "began", func(b *rule.Body, d record.Day) { b.Scope.From = d }},
		{s.Until, "ended", func(b *rule.Body, d record.Day) { b.Scope.Until = d }},
	} {
		if day.day == "" {
			continue
		}
		for i, text := range m.next(day.day.Value(), nil) {
			next := record.Day(field.Write(judge.ReadLiteral(text)))
			m.add(fmt.Sprintf("it %s a day %s", day.name, []string{"later", "earlier"}[i]), func(b *rule.Body) { day.set(b, next) })
		}
	}
}

// companies are those in which a type of the rule is used; types those that a company of the
// rule uses. What has no plan makes no difference.
func (m *mutation) companies() (keys []string) {
	for i := range m.extent.Companies {
		key := m.extent.Companies[i].Key
		if slices.ContainsFunc(m.extent.Types, func(t record.Type) bool { return within(m.c.Scope.Types, t.Key) && within(t.Companies, key) }) {
			keys = append(keys, key)
		}
	}
	return keys
}

func (m *mutation) types() (keys []string) {
	for i := range m.extent.Types {
		t := &m.extent.Types[i]
		if slices.ContainsFunc(m.extent.Companies, func(c record.Company) bool { return within(m.c.Scope.Companies, c.Key) && within(t.Companies, c.Key) }) {
			keys = append(keys, t.Key)
		}
	}
	return keys
}

func within(keys []string, key string) bool { return len(keys) == 0 || slices.Contains(keys, key) }

func (m *mutation) axis(noun string, own, all []string, set func(*rule.Body, []string), everywhere string) {
	if len(all) == 0 { // nobody says where there is more
		if len(own) > 0 {
			m.add(everywhere, func(b *rule.Body) { set(b, nil) })
		}
		return
	}
	for _, key := range all {
		switch {
		case len(own) == 0 || slices.Contains(own, key):
			from := own
			if len(from) == 0 {
				from = all
			}
			if rest := slices.DeleteFunc(slices.Clone(from), func(k string) bool { return k == key }); len(rest) > 0 {
				m.add(fmt.Sprintf("it did not hold for %s %s", noun, key), func(b *rule.Body) { set(b, rest) })
			}
		default:
			m.add(fmt.Sprintf("it held also for %s %s", noun, key), func(b *rule.Body) { set(b, append(slices.Clone(own), key)) })
		}
	}
}
