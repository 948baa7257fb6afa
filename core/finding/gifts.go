package finding

import (
	"fmt"
	"maps"
	"slices"
	"strings"

	"codicil/core/engine"
	"codicil/core/feel"
	"codicil/core/field"
	"codicil/core/proof"
	"codicil/core/rule"
	"codicil/core/table"
)

// gift is a value that a rule can give, and where it does so.
type gift struct {
	value  feel.Value
	region feel.Region
	// from is the field that the value is taken over from, whatever it holds; nil: it is the rule's
	// own, or a table's.
	from *field.Field
}

// mostGifts is how many values of one rule are looked at.
const mostGifts = 60

// gifts are the values that the rule gives as far as they are known: constants, of each case, of each
// row that it looks up, of each period of a standing value, and texts and choices of a field that
// its own does not take.
func (l *look) gifts(regions *feel.Regions) (list []gift) {
	c := l.c
	if c.Value == nil {
		return nil
	}
	target := &c.Vocabulary().Kind.Fields[c.Field]
	if c.Remote != nil {
		target = c.Remote
	}
	var give func(n feel.Node, region feel.Region)
	give = func(n feel.Node, region feel.Region) {
		if len(list) >= mostGifts || len(region) == 0 {
			return
		}
		if v, constant := feel.Constant(n); constant {
			list = append(list, gift{value: v, region: region})
			return
		}
		switch n := n.(type) {
		case *feel.If:
			give(n.Then, regions.And(region, regions.Of(n.Condition, feel.IsTrue)))
			give(n.Else, regions.And(region, regions.Of(n.Condition, feel.NotTrue)))
			return
		case *feel.Call:
			for _, row := range l.rows(n, regions) {
				if len(list) < mostGifts {
					list = append(list, gift{value: row.value, region: regions.And(region, row.region)})
				}
			}
			return
		}
		if slot, ok := feel.SlotOf(n); ok {
			if at, standing := c.Vocabulary().StandingAt(slot); standing {
				for _, p := range c.Vocabulary().Tables.Standing[at].Periods {
					if value, wrong := c.Vocabulary().Tables.Standing[at].Field.Parse(p.Value); wrong == nil {
						list = append(list, gift{value: value, region: regions.And(region, periodRegion(p))})
					}
				}
				return
			}
		}
		if from := c.FieldOf(n); from != nil {
			for _, value := range beyond(from, target) {
				if len(list) < mostGifts {
					list = append(list, gift{value: value, region: regions.And(region, regions.Holding(n, value)), from: from})
				}
			}
		}
	}
	give(c.Value.Root(), l.of(c).acts)
	return list
}

func periodRegion(p table.StandingValue) feel.Region {
	box := feel.Box{}
	if p.Company != "" {
		box[company] = feel.Side{Values: feel.Only(feel.StringOf(p.Company))}
	}
	if from := p.From; from != "" {
		box[day] = feel.Side{Values: feel.Set{{Low: from.Value(), HighOpen: true}}}
	}
	return feel.Region{box}
}

// rows are the results of the crosswalk that a call looks up, each with the codes that lead to it.
func (l *look) rows(n *feel.Call, regions *feel.Regions) (list []gift) {
	v := l.c.Vocabulary()
	if n.Function != "crosswalk" || len(n.Arguments) == 0 {
		return nil
	}
	name, _ := feel.Constant(n.Arguments[0])
	key, _ := name.Text()
	t := v.Tables.Crosswalk(key)
	if t == nil || len(n.Arguments) <= len(t.Keys) {
		return nil
	}
	column := 0
	if len(n.Arguments) > len(t.Keys)+1 {
		wanted, constant := feel.Constant(n.Arguments[len(t.Keys)+1])
		text, _ := wanted.Text()
		if column = slices.IndexFunc(t.Results, func(f field.Field) bool { return f.Key == text }); !constant || column < 0 {
			return nil
		}
	}
	for i := range t.Rows[:min(len(t.Rows), mostGifts)] {
		row := &t.Rows[i]
		value, wrong := t.Results[column].Parse(row.Results[column])
		if wrong != nil {
			continue
		}
		region := feel.Anywhere
		for j := range t.Keys {
			if code, wrong := t.Keys[j].Parse(row.Keys[j]); wrong == nil {
				region = regions.And(region, regions.Holding(n.Arguments[1+j], code))
			}
		}
		if row.From != "" {
			region = regions.And(region, feel.Region{{day: {Values: feel.Set{{Low: row.From.Value(), HighOpen: true}}}}})
		}
		list = append(list, gift{value: value, region: region})
	}
	return list
}

// beyond are values that a field can hold and another does not take: a text as long as it may be,
// codes that are no choice there.
func beyond(from, target *field.Field) (values []feel.Value) {
	switch {
	case from.FeelType().Kind != feel.String || target.FeelType().Kind != feel.String || from.IsLink():
	case len(from.Choices) > 0 && len(target.Choices) > 0:
		for _, o := range from.Choices {
			if !slices.ContainsFunc(target.Choices, func(t field.Option) bool { return t.Code == o.Code }) {
				values = append(values, feel.StringOf(o.Code))
			}
		}
	case from.Type == field.Text && target.Type == field.Text && from.Most() > target.Most() && from.Pattern == "":
		values = append(values, feel.StringOf(strings.Repeat("Brinewell ", from.Most()/10+1)[:from.Most()-1]+"x"))
	}
	return values
}

// unfit tells which values of the rule its field does not take.
func (l *look) unfit() {
	c := l.c
	v := c.Vocabulary()
	regions := l.of(c).regions
	regions.Rest()
	target := &v.Kind.Fields[c.Field]
	told := map[string]bool{}
	for _, g := range l.gifts(regions) {
		_, wrong := target.Settle(g.value, field.Surroundings{})
		if wrong == nil || wrong.Advice || told[field.Write(g.value)] {
			continue
		}
		if g.from != nil && told[g.from.Key] {
			continue
		}
		regions.Rest()
		w := l.witness(l.inside(regions, g.region), regions, func(r *proof.Result) (int, bool) {
			for i := range r.Outcome.Messages {
				m := &r.Outcome.Messages[i]
				if m.Field != c.Field || m.Severity != rule.Refuse {
					continue
				}
				for _, cell := range cells(r, c.Field) {
					if cell.Line == m.Line && did(&cell, c, engine.Acted) && feel.Same(act(&cell, c).After, g.value) && feel.Same(cell.Final, g.value) {
						return cell.Line, true
					}
				}
			}
			return 0, false
		})
		if w == nil {
			continue
		}
		told[field.Write(g.value)] = true
		if g.from != nil {
			told[g.from.Key] = true
			if len(g.from.Choices) == 0 {
				l.say(TooLong, g.from.Key, nil, w, nil, func(w rule.Wording) string {
					return fmt.Sprintf("%s: %s copies %s, which may have %d characters; the field takes %d", label(v, w, c.Field), c.Label(), g.from.Label, g.from.Most(), target.Most())
				})
				continue
			}
		}
		l.say(Unfit, field.Write(g.value), nil, w, nil, func(w rule.Wording) string {
			return fmt.Sprintf("%s: %s can give %s, and that does not fit: %s", label(v, w, c.Field), c.Label(), shown(v, w, c.Field, g.value), wrong)
		})
	}
}

// refused tells which values that a rule gives, and nobody can change, a check of the same field
// refuses.
func (l *look) refused() {
	c := l.c
	if c.Family == rule.Validate {
		if c.Must == nil || c.Effect.Severity != rule.Refuse {
			return
		}
		for _, family := range []rule.Family{rule.Source, rule.Default, rule.Compute, rule.Substitute} {
			for _, o := range l.at(c.Field, family) {
				if l.with(o) {
					giver := &look{Finder: l.Finder, ctx: l.ctx, c: o, with: l.with, found: l.found}
					giver.refusedBy(c)
				}
			}
		}
		return
	}
	for _, check := range l.at(c.Field, rule.Validate) {
		if l.with(check) && check.Must != nil && check.Effect.Severity == rule.Refuse {
			l.refusedBy(check)
		}
	}
}

// binds tells whether nobody can change what the rule gives.
func binds(c *rule.Compiled) bool {
	switch c.Family {
	case rule.Compute, rule.Substitute:
		return !c.Sorts()
	case rule.Source:
		return c.Effect.Mode == rule.Live
	}
	return c.Effect.Fixed
}

func (l *look) refusedBy(check *rule.Compiled) {
	c := l.c
	if !binds(c) {
		return
	}
	v := c.Vocabulary()
	regions := l.of(c).regions
	own := ownName(c)
	theirs := l.acts(check, regions)
	breaks := regions.And(theirs, regions.Of(check.Must.Root(), feel.IsFalse))
	told := map[string]bool{}
	for _, g := range l.gifts(regions) {
		text := field.Write(g.value)
		if g.from != nil || told[text] {
			continue
		}
		regions.Rest()
		// What the rule reads of its own field is what was there before.
		before := without(g.region, own)
		side := feel.Side{Null: g.value.IsNull()}
		if !g.value.IsNull() {
			side.Values = feel.Only(g.value)
		}
		both := l.inside(regions, before, breaks, feel.Region{{own: side}})
		both = without(both, own) // nobody enters it
		if len(both) == 0 {
			continue
		}
		w := l.witness(both, regions, anywhere(c.Field, func(r *proof.Result, cell *engine.Cell) bool {
			return did(cell, c, engine.Acted) && feel.Same(act(cell, c).After, g.value) && feel.Same(cell.Final, g.value) && did(cell, check, engine.Speaks)
		}))
		if w == nil {
			continue
		}
		told[text] = true
		l.say(RefusedValue, text, []*rule.Compiled{check}, w, nil, func(w rule.Wording) string {
			return fmt.Sprintf("%s: %s gives %s, and %s refuses that", label(v, w, c.Field), c.Label(), shown(v, w, c.Field, g.value), check.Label())
		})
	}
}

// without are the boxes of a region that ask nothing of a subject.
func without(region feel.Region, subject string) feel.Region {
	rest := make(feel.Region, len(region))
	for i, box := range region {
		rest[i] = maps.Clone(box)
		delete(rest[i], subject)
	}
	return rest
}

// ownName is the field of a rule as its formulas write it.
func ownName(c *rule.Compiled) string {
	f := &c.Vocabulary().Kind.Fields[c.Field]
	if f.OfLine() {
		return "line." + f.Column()
	}
	return f.Key
}
