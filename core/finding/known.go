package finding

import (
	"fmt"
	"slices"
	"strings"

	"codicil/core/feel"
	"codicil/core/field"
	"codicil/core/record"
	"codicil/core/rule"
)

// Subjects besides those of formulas. The names of the company and the type are as formulas have
// them, so that a scope and a condition on them meet.
const (
	company  = "company.key"
	kindType = "type.key"
	day      = "the day of the document"
	occasion = "new or changed"
)

// fact is one of the conditions that a rule holds under.
type fact struct {
	region feel.Region
	tell   reason
	// beside tells that it is not of the rule itself: what fields can hold, or where types are used.
	beside bool
}

// known is what is known of a rule without a document.
type known struct {
	regions *feel.Regions
	facts   []fact
	// acts is where the rule has its turn, as its own conditions say; over tells that they were
	// too much to judge, so that more may be in it.
	acts feel.Region
	over bool
}

// regionsOf returns regions that know the decimals of the fields that a rule reads.
func regionsOf(c *rule.Compiled) *feel.Regions {
	r := &feel.Regions{}
	r.Steps = func(subject string) (int, bool) {
		if n := r.Subjects[subject]; n != nil {
			if f := c.FieldOf(n); f != nil {
				return f.Places()
			}
		}
		return 0, false
	}
	return r
}

// of returns what is known of a rule, found once.
func (f *Finder) of(c *rule.Compiled) *known {
	if k := f.known[c.ID]; k != nil {
		return k
	}
	k := &known{regions: regionsOf(c)}
	k.facts = slices.Concat(scopeFacts(c), f.partFacts(k.regions, c, c.When, feel.IsTrue))
	k.over = k.regions.Over
	k.acts = k.region()
	k.over = k.over || k.regions.Over
	f.known[c.ID] = k
	return k
}

// region is what all own facts leave over.
func (k *known) region() feel.Region {
	k.regions.Rest()
	region := feel.Anywhere
	for _, f := range k.facts {
		if !f.beside {
			region = k.regions.And(region, f.region)
		}
	}
	return region
}

// beside are the facts that are not of the rule itself.
func (k *known) beside() (facts []fact) {
	for _, f := range k.facts {
		if f.beside {
			facts = append(facts, f)
		}
	}
	return facts
}

// scopeFacts are those of where and when the rule holds.
func scopeFacts(c *rule.Compiled) (facts []fact) {
	say := func(name string, s feel.Side, tell reason) {
		facts = append(facts, fact{region: feel.Region{{name: s}}, tell: tell})
	}
	if keys := c.Scope.Companies; len(keys) > 0 {
		say(company, feel.Side{Values: oneOf(keys)}, func(w rule.Wording) string {
			return fmt.Sprintf("%s holds for %s only", c.Label(), names(keys, w.Companies))
		})
	}
	if keys := c.Scope.Types; len(keys) > 0 {
		say(kindType, feel.Side{Values: oneOf(keys)}, func(w rule.Wording) string {
			return fmt.Sprintf("%s holds for %s only", c.Label(), names(keys, w.Types))
		})
	}
	if c.Scope.From != "" || c.Scope.Until != "" {
		i := feel.Interval{LowOpen: true, HighOpen: true}
		if c.Scope.From != "" {
			i.Low, i.LowOpen = c.Scope.From.Value(), false
		}
		if c.Scope.Until != "" {
			i.High, i.HighOpen = c.Scope.Until.Value(), false
		}
		say(day, feel.Side{Values: feel.Set{i}}, func(rule.Wording) string {
			return c.Label() + " holds " + period(c.Scope.From, c.Scope.Until)
		})
	}
	if on := c.On; !on.New || !on.Change || c.Effect.Lifetime == rule.NewOnly && !c.Effect.Fixed {
		when, said := "new", "new records"
		if !on.New {
			when, said = "changed", "changes of saved records"
		}
		say(occasion, feel.Side{Values: feel.Only(feel.StringOf(when))}, func(rule.Wording) string {
			return fmt.Sprintf("%s acts on %s only", c.Label(), said)
		})
	}
	return facts
}

func period(from, until record.Day) string {
	switch {
	case from == "" && until == "":
		return "always"
	case from == "":
		return "until " + string(until)
	case until == "":
		return "from " + string(from)
	}
	return "from " + string(from) + " until " + string(until)
}

func names(keys []string, labels map[string]string) string {
	texts := make([]string, len(keys))
	for i, key := range keys {
		if texts[i] = labels[key]; texts[i] == "" {
			texts[i] = key
		}
	}
	return strings.Join(texts, ", ")
}

func oneOf(keys []string) (s feel.Set) {
	for _, key := range keys {
		s = s.Union(feel.Only(feel.StringOf(key)))
	}
	return s
}

// extent is where rules of the kind can stand at all: every company with the types used in it.
func (f *Finder) extent() fact {
	var region feel.Region
	for i := range f.Runner.Extent.Companies {
		c := &f.Runner.Extent.Companies[i]
		var keys []string
		for j := range f.Runner.Extent.Types {
			if t := &f.Runner.Extent.Types[j]; t.UsedIn(c.Key) {
				keys = append(keys, t.Key)
			}
		}
		if len(keys) == 0 {
			continue
		}
		only := func(text string) feel.Side {
			if text == "" {
				return feel.AnySide
			}
			return feel.Side{Values: feel.Only(feel.StringOf(text))}
		}
		region = append(region, feel.Box{company: only(c.Key), kindType: {Values: oneOf(keys)}, "company.country": only(c.Country), "company.currency": only(c.Currency)})
	}
	tell := func(rule.Wording) string { return "no other companies and types are set up, or used together" }
	return fact{region: region, tell: tell, beside: true}
}

// partFacts are the conditions that a formula is made of, if it is to come to the outcome, and what
// the fields that it reads can hold.
func (f *Finder) partFacts(regions *feel.Regions, c *rule.Compiled, program *feel.Program, o feel.Outcome) (facts []fact) {
	if program == nil {
		return nil
	}
	parts := []feel.Node{program.Root()}
	if o == feel.IsTrue {
		parts = feel.Conjuncts(program.Root())
	}
	for _, n := range parts {
		facts = append(facts, fact{region: regions.Of(n, o), tell: telling(c, n, o)})
	}
	seen := map[string]bool{}
	feel.Walk(program.Root(), func(n feel.Node) {
		switch n.(type) {
		case *feel.Name, *feel.Path:
		default:
			return
		}
		name := feel.Format(n)
		if seen[name] || regions.Subjects[name] == nil {
			return
		}
		seen[name] = true
		facts = append(facts, f.holds(c, n, name)...)
	})
	return facts
}

func telling(c *rule.Compiled, n feel.Node, o feel.Outcome) reason {
	said := map[feel.Outcome]string{
		feel.IsTrue: "%s acts only where %s", feel.IsFalse: "%s refuses only where this is not so: %s", feel.NotFalse: "%s lets pass only what is so, or blank: %s",
	}[o]
	return func(w rule.Wording) string {
		return fmt.Sprintf(said, c.Label(), c.Vocabulary().TellPart(n, c.Field, w))
	}
}

// holds are what a field that a formula reads can hold: one of its choices, or what a rule always
// computes.
func (f *Finder) holds(c *rule.Compiled, n feel.Node, name string) (facts []fact) {
	read := c.FieldOf(n)
	if read == nil {
		return nil
	}
	if len(read.Choices) > 0 && read.Type == field.Choice {
		codes := make([]string, len(read.Choices))
		for i := range read.Choices {
			codes[i] = read.Choices[i].Code
		}
		facts = append(facts, fact{
			region: feel.Region{{name: {Values: oneOf(codes), Null: true}}}, beside: true,
			tell: func(w rule.Wording) string {
				return fmt.Sprintf("%s is one of %s, or blank", c.Vocabulary().TellPart(n, c.Field, w), some(codes))
			},
		})
	}
	v := c.Vocabulary()
	slot, ok := feel.SlotOf(n)
	at, known := v.ReadAt(slot)
	if !ok || !known || at.List || at.Form != rule.SoFar || (at.Field == c.Field && c.Family != rule.Validate) {
		return facts
	}
	by, values := f.computed(at.Field, c)
	if by == nil {
		return facts
	}
	s := feel.Side{}
	for _, value := range values {
		if value.IsNull() {
			s.Null = true
		} else {
			s.Values = s.Values.Union(feel.Only(value))
		}
	}
	return append(facts, fact{region: feel.Region{{name: s}}, beside: true, tell: func(w rule.Wording) string {
		texts := make([]string, len(values))
		for i, value := range values {
			texts[i] = shown(v, w, at.Field, value)
		}
		return fmt.Sprintf("%s always computes %s: %s", by.Label(), label(v, w, at.Field), strings.Join(texts, ", "))
	}})
}

func some(codes []string) string {
	if len(codes) > 12 {
		return strings.Join(codes[:12], ", ") + " …"
	}
	return strings.Join(codes, ", ")
}

// computed returns the one rule that computes a field wherever the other rule stands, and the
// values that it can come to; nil where there is none, or its values are not known.
func (f *Finder) computed(place int, c *rule.Compiled) (*rule.Compiled, []feel.Value) {
	if len(f.at(place, rule.Substitute)) > 0 {
		return nil, nil
	}
	var by *rule.Compiled
	for _, o := range f.at(place, rule.Compute) {
		if o.Sorts() {
			continue
		}
		if by != nil {
			return nil, nil
		}
		by = o
	}
	if by == nil || by.When != nil || !by.On.New || !by.On.Change || by.Scope.From != "" || by.Scope.Until != "" ||
		!covers(by.Scope.Companies, c.Scope.Companies) || !covers(by.Scope.Types, c.Scope.Types) {
		return nil, nil
	}
	values, ok := constants(by.Value.Root())
	if !ok {
		return nil, nil
	}
	for i, value := range values {
		settled, wrong := c.Vocabulary().Kind.Fields[place].Settle(value, field.Surroundings{})
		if wrong != nil || feel.TypeOf(value).Kind == feel.Number && !feel.Same(settled, value) {
			return nil, nil
		}
		values[i] = settled
	}
	return by, values
}

// covers tells whether one list of keys, none for all, holds all of another.
func covers(wide, narrow []string) bool {
	return len(wide) == 0 || len(narrow) > 0 && !slices.ContainsFunc(narrow, func(key string) bool { return !slices.Contains(wide, key) })
}

// constants are what a formula comes to that is a constant, or chooses between some.
func constants(n feel.Node) ([]feel.Value, bool) {
	if choice, ok := n.(*feel.If); ok {
		then, known := constants(choice.Then)
		otherwise, knownToo := constants(choice.Else)
		return append(then, otherwise...), known && knownToo
	}
	v, constant := feel.Constant(n)
	return []feel.Value{v}, constant
}
