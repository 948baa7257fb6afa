package proof

import (
	"cmp"
	"maps"
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

// lineOf reads an address: the column, or the field of the header, and the line's number.
func lineOf(address string) (key string, line int) {
	kind := record.Kind{}
	_, line = judge.IndexOf(&kind, address)
	if line == 0 {
		return address, 0
	}
	return address[len(judge.AddressOf("", line)):], line
}

// values proposes values for every field that the rule depends on and a person can enter.
func (s *Search) values(d *judge.Document) map[string][]string {
	v := s.Rule.Vocabulary()
	kind := v.Kind
	p, err := s.Runner.plan(d)
	if err != nil {
		return nil
	}
	proposed := map[string][]string{}
	for _, place := range s.inputs(p) {
		field := &kind.Fields[place]
		values := s.proposals(p, place, d)
		values = values[:min(len(values), maxValues)]
		if !field.OfLine() {
			proposed[field.Key] = values
			continue
		}
		for i := range d.Lines { // the first line, and the last
			if i == 0 || i == len(d.Lines)-1 {
				proposed[judge.Address(kind, place, d.Lines[i].Number)] = values
			}
		}
	}
	for _, aim := range s.aims(p, d) {
		proposed[aim.Address] = append(proposed[aim.Address], aim.Value)
	}
	return proposed
}

// inputs are the places of the fields that the rule reads, its target, and what the rules
// that compute those read, in the order of the kind.
func (s *Search) inputs(p *plan.Plan) []int {
	v := s.Rule.Vocabulary()
	places, read := map[int]bool{}, map[int]bool{}
	var add func(c *rule.Compiled, depth int)
	add = func(c *rule.Compiled, depth int) {
		for _, key := range c.ReadFields() {
			place := v.Kind.Index(key)
			if read[place] {
				continue
			}
			read[place], places[place] = true, true
			if depth < 3 {
				for _, family := range []rule.Family{rule.Source, rule.Compute} {
					for _, other := range p.At(place, family) {
						add(other, depth+1)
					}
				}
			}
		}
	}
	for _, place := range s.Rule.Fields {
		places[place] = true
	}
	add(s.Rule, 0)
	maps.DeleteFunc(places, func(place int, _ bool) bool {
		return computed(p, place) && !(s.Rule.When != nil && slices.Contains(s.Rule.Fields, place)) // where it keeps still somebody may type
	})
	return slices.Sorted(maps.Keys(places))
}

// proposals are values for one field, the likeliest to show something first.
func (s *Search) proposals(p *plan.Plan, place int, d *judge.Document) (texts []string) {
	f := &s.Rule.Vocabulary().Kind.Fields[place]
	add := func(list ...string) {
		for _, text := range list {
			if !slices.Contains(texts, text) {
				texts = append(texts, text)
			}
		}
	}
	m := &mutation{c: s.Rule, here: p.Here}
	for _, v := range s.constants(place) {
		add(field.Write(v))
		if v.Kind() != feel.String {
			for _, text := range m.next(v, f) {
				add(field.Write(judge.ReadLiteral(text)))
			}
		}
	}
	if slices.Contains(s.Rule.Unique, place) {
		add(s.alike(f, d.Company)...)
	}
	add("")
	add(s.codes(f)...)
	if f.IsLink() {
		add(s.Numbers(f.Kind, p.Scope.Company.Key)...)
	}
	here := p.Here
	here.Day = d.Day.Value()
	for _, v := range f.Samples(here) {
		add(field.Write(v))
	}
	for i := range s.Bases { // what others have, for rules on values that are the same
		if text := s.Bases[i].Document.Entered[f.Key].Value; text != "" && !f.IsLink() {
			add(text)
		}
	}
	return texts
}

// alike are values that others have, and the same written otherwise: in other capitals, with
// a space, with punctuation, a letter off.
func (s *Search) alike(f *field.Field, company string) (texts []string) {
	bases := slices.Clone(s.Bases)
	slices.SortStableFunc(bases, func(a, b Base) int { // those of the company first
		return cmp.Compare(btoi(a.Document.Company != company), btoi(b.Document.Company != company))
	})
	for i := range bases {
		text := bases[i].Document.Entered[f.Key].Value
		if half := len(text) / 2; half > 1 && f.FeelType().Kind == feel.String && !f.IsLink() && len(texts) < maxValues {
			texts = append(texts, text, strings.ToLower(text), text[:half]+" "+text[half:], text[:half]+"-"+text[half:], text+"s")
		}
	}
	return texts
}

func btoi(b bool) int {
	if b {
		return 1
	}
	return 0
}

// codes are some that a crosswalk has where the rule looks the field up in it.
func (s *Search) codes(f *field.Field) (codes []string) {
	lookUps(s.Rule, func(arguments []feel.Node, t *table.Crosswalk) {
		for i := range t.Keys {
			if s.Rule.FieldOf(arguments[i]) != f {
				continue
			}
			for _, row := range t.Rows[:min(len(t.Rows), maxValues/2)] {
				codes = append(codes, row.Keys[i])
			}
		}
	})
	return codes
}

// constants are those that the rule compares a field with.
func (s *Search) constants(place int) (values []feel.Value) {
	c := s.Rule
	kind := c.Vocabulary().Kind
	for _, part := range parts(c) {
		root := part.program.Root()
		feel.Walk(root, func(n feel.Node) {
			v, constant := feel.Constant(n)
			if !constant || v.IsNull() {
				return
			}
			subject := beside(root, n)
			if subject == nil {
				return
			}
			compared := false
			feel.Walk(subject, func(inner feel.Node) { compared = compared || c.FieldOf(inner) == &kind.Fields[place] })
			if compared && feel.TypeOf(v).Fits(kind.Fields[place].FeelType()) {
				values = append(values, v)
			}
		})
	}
	if place == c.Field {
		for _, bound := range c.Bounds {
			if !bound.Open {
				values = append(values, feel.NumberOf(bound.Until))
			}
		}
		if c.Value != nil && c.Family != rule.Source {
			if v, constant := feel.Constant(c.Value.Root()); constant && !v.IsNull() {
				values = append(values, v)
			}
		}
	}
	return values
}
