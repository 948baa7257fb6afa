package proof

import (
	"fmt"
	"maps"
	"slices"

	"codicil/core/feel"
	"codicil/core/judge"
	"codicil/core/record"
	"codicil/core/table"
)

// days are those at which a table that the rule reads begins to say something else.
func (s *Search) days() (days []record.Day) {
	v := s.Rule.Vocabulary()
	add := func(p table.Period) {
		day := p.From
		if day == "" && p.Until != "" {
			day = p.Until
		}
		if day != "" && !slices.Contains(days, day) && len(days) < maxDays {
			days = append(days, day)
		}
	}
	for _, slot := range s.Rule.Reads() {
		if place, ok := v.StandingAt(slot); ok {
			for i := range v.Tables.Standing[place].Periods {
				add(v.Tables.Standing[place].Periods[i].Period)
			}
		}
	}
	for _, name := range crosswalks(s.Rule) {
		if t := v.Tables.Crosswalk(name); t != nil {
			for i := range t.Rows {
				add(t.Rows[i].Period)
			}
		}
	}
	return days
}

// on moves a document to a day.
func (s *Search) on(d judge.Document, day record.Day) judge.Document {
	if kind := s.Rule.Vocabulary().Kind; kind.Day != "" {
		d.Entered = maps.Clone(d.Entered)
		d.Entered[kind.Day] = judge.Item{Value: string(day)}
	}
	d.Day = day
	return d
}

// elsewhere takes a document in which the rule acts to every other company and type, and to the
// days at which a table says something else.
func (s *Search) elsewhere(base candidate) (list []candidate) {
	base.Result, base.Shows, base.Notices, base.cost, base.acts = Result{}, nil, nil, 0, false
	moved := func(change func(*candidate)) {
		c := base
		change(&c)
		list = append(list, c)
		for _, day := range s.days() {
			later := c
			later.Document, later.Origin = s.on(c.Document, day), c.Origin+", on "+string(day)
			list = append(list, later)
		}
	}
	kind := s.Rule.Vocabulary().Kind
	for i := range s.Runner.Extent.Companies {
		for j := range s.Runner.Extent.Types {
			company, kindType := s.Runner.Extent.Companies[i].Key, &s.Runner.Extent.Types[j]
			if len(list) >= maxElsewhere || !within(kindType.Companies, company) {
				continue
			}
			at := fmt.Sprintf("%s, taken to %s in %s", base.Origin, kindType.Key, company)
			if d := &base.Document; d.Company == company && d.Type == kindType.Key {
				at = base.Origin
			}
			moved(func(c *candidate) { c.Document.Company, c.Document.Type, c.Origin = company, kindType.Key, at })
			if company == base.Document.Company {
				continue
			}
			// What it links to may be of the other company.
			moved(func(c *candidate) {
				c.Document.Company, c.Document.Type, c.Origin = company, kindType.Key, at
				c.Document.Entered, c.Document.Lines = maps.Clone(c.Document.Entered), slices.Clone(c.Document.Lines)
				for place := range kind.Fields {
					f := &kind.Fields[place]
					if !f.IsLink() {
						continue
					}
					numbers := s.Numbers(f.Kind, company)
					for line := range c.Document.Lines {
						if _, there := c.Document.Lines[line].Entered[f.Column()]; f.OfLine() && there && len(numbers) > 0 {
							c.Document.Lines[line].Entered = maps.Clone(c.Document.Lines[line].Entered)
							c.Document.Lines[line].Entered[f.Column()] = judge.Item{Value: numbers[0]}
						}
					}
					if _, there := c.Document.Entered[f.Key]; !f.OfLine() && there && len(numbers) > 0 {
						c.Document.Entered[f.Key] = judge.Item{Value: numbers[0]}
					}
				}
			})
		}
	}
	return list
}

// rowed enters the codes of each row of the crosswalks that the rule looks up.
func (s *Search) rowed(base candidate) (list []candidate) {
	base.Result, base.Shows, base.Notices, base.cost, base.acts = Result{}, nil, nil, 0, false
	kind := s.Rule.Vocabulary().Kind
	lookUps(s.Rule, func(arguments []feel.Node, t *table.Crosswalk) {
		for i := range t.Rows[:min(len(t.Rows), mostRows)] {
			if c, ok := s.row(base, arguments, t.Rows[i].Keys, kind); ok {
				list = append(list, c)
			}
		}
	})
	return list
}

// row enters the codes of one row; false where a code cannot be entered.
func (s *Search) row(c candidate, arguments []feel.Node, codes []string, kind *record.Kind) (candidate, bool) {
	for j, code := range codes {
		place := -1
		if field := s.Rule.FieldOf(arguments[j]); field != nil {
			place = kind.Index(field.Key)
		}
		if place < 0 { // the company's, or another's
			if name := s.Rule.NameAt(arguments[j]); name != nil && name.Text == "company.key" {
				c.Document.Company = code
			} else if len(codes) == 1 {
				return c, false
			}
			continue
		}
		address := kind.Fields[place].Key
		if kind.Fields[place].OfLine() {
			if len(c.Document.Lines) == 0 {
				return c, false
			}
			address = judge.Address(kind, place, c.Document.Lines[0].Number)
		}
		if changed, ok := c.with(address, code); ok {
			c = changed
		}
	}
	return c, true
}

// after puts two other documents before one: of its type, and of any.
func (s *Search) after(d judge.Document) (judge.Document, bool) {
	contentOf := func(d *judge.Document) *record.Content {
		content := &record.Content{Values: map[string]string{}}
		for key, item := range d.Entered {
			content.Values[key] = item.Value
		}
		for _, l := range d.Lines {
			line := record.Line{Number: l.Number, Values: map[string]string{}}
			for key, item := range l.Entered {
				line.Values[key] = item.Value
			}
			content.Lines = append(content.Lines, line)
		}
		return content
	}
	d.Previous, d.PreviousOfType, d.PreviousOfAnyone = nil, nil, nil
	for i := range s.Bases {
		other := &s.Bases[i].Document
		if other.Company != d.Company || len(other.Entered) == 0 {
			continue
		}
		switch content := contentOf(other); {
		case d.PreviousOfType == nil && other.Type == d.Type:
			d.PreviousOfType, d.PreviousOfAnyone = content, content
		case d.PreviousOfType != nil && !maps.Equal(content.Values, d.PreviousOfType.Values):
			d.Previous = content
			return d, true
		}
	}
	if d.Previous == nil {
		d.Previous = d.PreviousOfType
	}
	return d, d.Previous != nil
}

// longer gives a document of one line a second one like it.
func longer(d judge.Document) (judge.Document, bool) {
	if len(d.Lines) != 1 {
		return d, false
	}
	d.Lines = append(slices.Clone(d.Lines), judge.Line{Number: d.Lines[0].Number + 1, Entered: maps.Clone(d.Lines[0].Entered)})
	return d, true
}
