package finding

import (
	"fmt"
	"slices"
	"strings"

	"codicil/core/feel"
	"codicil/core/field"
	"codicil/core/plan"
	"codicil/core/record"
	"codicil/core/rule"
	"codicil/core/table"
)

// unreachablePeriods tells which periods of a standing value no company gets: of a company that there
// is not, or for all companies while each has its own.
func unreachablePeriods(s *table.Standing, companies []record.Company, found func(*Finding)) {
	for i := range s.Periods {
		p := &s.Periods[i]
		why := ""
		switch {
		case len(companies) == 0:
		case p.Company != "" && !slices.ContainsFunc(companies, func(c record.Company) bool { return c.Key == p.Company }):
			why = "there is no company " + p.Company
		case p.Company == "" && !slices.ContainsFunc(companies, func(c record.Company) bool { return !ownFor(s, c.Key, p.Period) }):
			why = "every company has a value of its own for all of these days"
		}
		if why == "" {
			continue
		}
		found(&Finding{
			Code: PeriodUnreachable, Field: -1, Table: s.Field.Key, Part: p.Company + " " + string(p.From),
			message: saying("Standing value %s: nobody gets %s, which holds %s", s.Field.Label, s.Field.Plain(parsed(&s.Field, p.Value)), period(p.From, p.Until)),
			because: []reason{saying("%s", why)},
		})
	}
}

func parsed(f *field.Field, text string) feel.Value {
	v, _ := f.Parse(text)
	return v
}

// ownFor tells whether the company's own periods cover all days of another.
func ownFor(s *table.Standing, company string, p table.Period) bool {
	at := p.From
	for {
		end, covered := record.Day(""), false
		for i := range s.Periods {
			if o := &s.Periods[i]; o.Company == company && (o.From == "" || at != "" && o.From <= at) && (o.Until == "" || at == "" || o.Until >= at) {
				end, covered = o.Until, true
			}
		}
		switch {
		case !covered:
			return false
		case end == "" || p.Until != "" && end >= p.Until:
			return true
		}
		at = table.Later(end, 1)
	}
}

// unreachableRows tells which rows of a crosswalk no rule can look up: every one looks up choices
// that the code is none of.
func unreachableRows(t *table.Crosswalk, books []*plan.Book, companies []record.Company, types []record.Type, found func(*Finding)) {
	// The codes that can be looked up, by key column; nil: any.
	can := make([][]string, len(t.Keys))
	open := make([]bool, len(t.Keys))
	uses := map[int]reason{}
	used := false
	for _, b := range books {
		for _, c := range b.Rules {
			if c.State == rule.Retired || !c.Sound() {
				continue
			}
			lookUps(c, t.Key, func(arguments []feel.Node) {
				used = true
				for j := range t.Keys {
					codes, known := codesOf(c, arguments[j], companies, types)
					open[j] = open[j] || !known
					can[j] = append(can[j], codes...)
					uses[j] = func(w rule.Wording) string {
						return fmt.Sprintf("what is looked up is one of %s", some(slices.Compact(slices.Sorted(slices.Values(can[j])))))
					}
				}
			})
		}
	}
	if !used {
		return
	}
	for i := range t.Rows {
		row := &t.Rows[i]
		for j := range t.Keys {
			if open[j] || slices.Contains(can[j], row.Keys[j]) {
				continue
			}
			found(&Finding{
				Code: RowUnreachable, Field: -1, Table: t.Key, Part: strings.Join(row.Keys, " ") + " " + string(row.From),
				message: saying("Crosswalk %s: no rule can look up row %d, %s", t.Label, i+1, strings.Join(row.Keys, ", ")),
				because: []reason{uses[j]},
			})
			break
		}
	}
}

// lookUps visits where a rule looks the crosswalk up, with what is looked up.
func lookUps(c *rule.Compiled, key string, visit func(arguments []feel.Node)) {
	for _, program := range []*feel.Program{c.When, c.Value, c.Must} {
		if program == nil {
			continue
		}
		feel.Walk(program.Root(), func(n feel.Node) {
			call, ok := n.(*feel.Call)
			if !ok || call.Function != "crosswalk" || len(call.Arguments) == 0 {
				return
			}
			name, _ := feel.Constant(call.Arguments[0])
			text, _ := name.Text()
			if t := c.Vocabulary().Tables.Crosswalk(key); text == key && t != nil && len(call.Arguments) > len(t.Keys) {
				visit(call.Arguments[1:])
			}
		})
	}
}

// codesOf are the codes that a part of a formula can come to; false: nobody knows.
func codesOf(c *rule.Compiled, n feel.Node, companies []record.Company, types []record.Type) (codes []string, known bool) {
	if v, constant := feel.Constant(n); constant {
		return []string{field.Write(v)}, true
	}
	switch feel.Format(n) {
	case company:
		for i := range companies {
			codes = append(codes, companies[i].Key)
		}
		return codes, true
	case kindType:
		for i := range types {
			codes = append(codes, types[i].Key)
		}
		return codes, true
	}
	f := c.FieldOf(n)
	if f == nil || f.Type != field.Choice {
		return nil, false
	}
	for _, o := range f.Choices {
		codes = append(codes, o.Code)
	}
	return codes, true
}
