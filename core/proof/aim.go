package proof

import (
	"slices"

	"codicil/core/decimal"
	"codicil/core/engine"
	"codicil/core/feel"
	"codicil/core/field"
	"codicil/core/judge"
	"codicil/core/plan"
	"codicil/core/rule"
)

// maxAims bounds the values that are aimed at computed numbers, for one document.
const maxAims = 24

// aims proposes entered numbers with which a computed number, that the rule compares with a
// constant, comes to the constant or next to it. Most computed numbers follow what is entered
// in a straight line, so two runs tell what to enter; where one does not, nothing is lost.
func (s *Search) aims(p *plan.Plan, d *judge.Document) (changes []Change) {
	v := s.Rule.Vocabulary()
	kind := v.Kind
	var before *Result
	for _, place := range s.compared() {
		if !computed(p, place) {
			continue
		}
		if before == nil {
			run := s.Runner.Run(&Proof{Given: *d}, false)
			if before = &run; run.Err != nil {
				return nil
			}
		}
		constants := append(s.constants(place), s.opposite(before, place)...)
		if len(constants) == 0 {
			continue
		}
		from, ok := finalOf(before, place, d)
		if !ok {
			continue
		}
		for _, input := range s.inputs(p) {
			f := &kind.Fields[input]
			address := judge.Address(kind, input, lineFor(f, d))
			now, entered := enteredNumber(f, d)
			if !entered || len(changes) >= maxAims {
				continue
			}
			more, _ := now.Add(decimal.FromInt(1))
			moved, _ := candidate{Suggestion: Suggestion{Document: *d}}.with(address, more.String())
			run := s.Runner.Run(&Proof{Given: moved.Document}, false)
			to, ok := finalOf(&run, place, d)
			if !ok || to.Cmp(from) == 0 {
				continue
			}
			here := p.Here
			for _, wanted := range s.neighbours(constants, &kind.Fields[place], here) {
				way, _ := wanted.Minus(from).Quo(to.Minus(from))
				v, _ := f.Settle(feel.NumberOf(now.Plus(way)), here)
				if n, isNumber := v.Number(); isNumber && n.Sign() >= 0 {
					changes = append(changes, Change{address, n.String()})
				}
			}
		}
	}
	return changes
}

// opposite are the values of what the rule compares a computed number with, in a run: such as
// a limit of the customer.
func (s *Search) opposite(run *Result, place int) (values []feel.Value) {
	c := s.Rule
	kind := c.Vocabulary().Kind
	line := 0
	if len(run.Outcome.Lines) > 0 && kind.Fields[c.Field].OfLine() {
		line = run.Outcome.Lines[0].Number
	}
	for _, part := range parts(c) {
		feel.Walk(part.program.Root(), func(n feel.Node) {
			binary, ok := n.(*feel.Binary)
			if !ok || looser[binary.Operator] == "" {
				return
			}
			for _, sides := range [][2]feel.Node{{binary.Left, binary.Right}, {binary.Right, binary.Left}} {
				if _, constant := feel.Constant(sides[1]); constant || c.FieldOf(sides[0]) != &kind.Fields[place] {
					continue
				}
				program, _ := feel.Compile(feel.Format(sides[1]), c.Vocabulary().ScopeOf(c.Field), feel.Lenient)
				if program == nil {
					continue
				}
				probe := engine.Probe{Place: c.Field, Line: line, Family: rule.Validate, Program: program}
				if found, ok := probe.Try(run.Plan, run.Case, run.Outcome); ok {
					values = append(values, found.Value)
				}
			}
		})
	}
	return values
}

// compared are the places that the rule reads, and its target where it sorts the number.
func (s *Search) compared() (places []int) {
	kind := s.Rule.Vocabulary().Kind
	for _, key := range s.Rule.ReadFields() {
		places = append(places, kind.Index(key))
	}
	if len(s.Rule.Bounds) > 0 && !slices.Contains(places, s.Rule.Field) {
		places = append(places, s.Rule.Field)
	}
	return places
}

// neighbours are constants and what is one step from them.
func (s *Search) neighbours(constants []feel.Value, f *field.Field, here field.Surroundings) (numbers []decimal.Number) {
	for _, v := range constants {
		for _, near := range append([]feel.Value{v}, f.Neighbours(v, here)...) {
			if n, isNumber := near.Number(); isNumber {
				numbers = append(numbers, n)
			}
		}
	}
	return numbers
}

// computed tells whether a rule computes the field, so that nobody enters it.
func computed(p *plan.Plan, place int) bool {
	return slices.ContainsFunc(p.At(place, rule.Compute), func(c *rule.Compiled) bool { return !c.Sorts() })
}

func lineFor(f *field.Field, d *judge.Document) int {
	if f.OfLine() && len(d.Lines) > 0 {
		return d.Lines[0].Number
	}
	return 0
}

// finalOf is the final number of a field, in the first line where it is one of the lines.
func finalOf(r *Result, place int, d *judge.Document) (decimal.Number, bool) {
	if r.Err != nil {
		return decimal.Zero, false
	}
	at := r.Outcome.Field(place, lineFor(&r.Plan.Kind().Fields[place], d))
	if at == nil {
		return decimal.Zero, false
	}
	return at.Final.Number()
}

func enteredNumber(f *field.Field, d *judge.Document) (decimal.Number, bool) {
	items, key := d.Entered, f.Key
	if f.OfLine() {
		if len(d.Lines) == 0 {
			return decimal.Zero, false
		}
		items, key = d.Lines[0].Entered, f.Column()
	}
	v, wrong := f.Parse(items[key].Value)
	if wrong != nil {
		return decimal.Zero, false
	}
	return v.Number()
}
