package rule

import (
	"slices"
	"strings"

	"codicil/core/feel"
	"codicil/core/field"
	"codicil/core/record"
)

// Phrase says in a few words what the rule does, for a cell of the plan: "N45
// when Country is JP".
func Phrase(c *Compiled, kind *record.Kind) string {
	effect := c.conduct().phrase(c, kind)
	if c.Rule.When == "" {
		return effect
	}
	return effect + " when " + c.conditionWords(c.When, c.Rule.When, true)
}

// stillMissing stands for what nobody has written yet.
const stillMissing = "…"

func valueWords(c *Compiled, kind *record.Kind) string {
	program, text, field := c.Value, c.Effect.Value, kind.Field(c.Target)
	if c.Remote != nil {
		field = c.Remote
	}
	if c.Series != nil {
		return "the next number of " + c.Series.Label
	}
	if strings.TrimSpace(text) == "" {
		return stillMissing
	}
	if program == nil {
		return text
	}
	if constant, ok := ConstantOf(program, field); ok {
		if constant == "" {
			return "nothing"
		}
		return constant
	}
	if name := c.named(program.Root()); name != nil {
		return name.Label
	}
	if found := c.LookUp(); found != nil {
		return c.lookUpWords(found)
	}
	return strings.Join(strings.Fields(text), " ")
}

// lookUpWords says what a crosswalk gives: "Days of payment terms for Payment terms".
func (c *Compiled) lookUpWords(found *LookUp) string {
	table := c.vocabulary.Tables.Crosswalk(found.Crosswalk)
	words := table.Label
	if len(table.Results) > 1 {
		for _, column := range table.Results {
			if column.Key == found.Column {
				words = column.Label + " of " + words
			}
		}
	}
	labels := make([]string, len(found.Keys))
	for i, key := range found.Keys {
		labels[i] = c.vocabulary.NameOf(c.Field, key).Label
	}
	return words + " for " + strings.Join(labels, " and ")
}

// conditionWords writes a condition with the fields' labels where a sentence can
// hold it, else as the formula.
func (c *Compiled) conditionWords(program *feel.Program, text string, asWhen bool) string {
	if strings.TrimSpace(text) == "" {
		return stillMissing
	}
	if program == nil {
		return text
	}
	conditions, ok := c.vocabulary.Decompose(program, c.Field, asWhen)
	if !ok {
		if name := c.named(program.Root()); name != nil && name.Field.Type == field.YesNo {
			return name.Label + " is yes"
		}
		return strings.Join(strings.Fields(text), " ")
	}
	return c.joined(conditions)
}

// joined writes conditions with their and or or between them.
func (c *Compiled) joined(conditions Conditions) string {
	parts := make([]string, len(conditions.Conditions))
	joiner := " " + conditions.Join + " "
	for i, condition := range conditions.Conditions {
		if condition.Group != nil {
			parts[i] = c.grouped(*condition.Group)
			joiner = ", " + conditions.Join + " "
		} else {
			parts[i] = c.words(condition)
		}
	}
	return strings.Join(parts, joiner)
}

// grouped writes conditions within others, so that nobody can take their and or or
// for that of the others: "either A or B", "both A and B", "all of A, B and C".
func (c *Compiled) grouped(group Conditions) string {
	opening := map[string]string{"or": "either ", "and": "both "}[group.Join]
	if len(group.Conditions) > 2 {
		opening = map[string]string{"or": "any of ", "and": "all of "}[group.Join]
	}
	parts := make([]string, len(group.Conditions))
	for i, condition := range group.Conditions {
		parts[i] = c.words(condition)
	}
	last := len(parts) - 1
	return opening + strings.Join(parts[:last], ", ") + " " + group.Join + " " + parts[last]
}

func (c *Compiled) words(condition Condition) string {
	name := c.vocabulary.NameOf(c.Field, condition.Field)
	if name.Field.Type == field.YesNo && condition.Relation == "is" && condition.Other == "" {
		return name.Label + " is " + condition.Values[0]
	}
	r, _ := relation(name.Field, func(r field.Relation) bool { return r.Key == condition.Relation })
	if condition.Other != "" {
		return name.Label + " " + r.Phrase + " " + c.vocabulary.NameOf(c.Field, condition.Other).Label
	}
	shown := slices.Clone(condition.Values)
	joiner := " and "
	if r.Operands < 0 {
		joiner = " or "
		if len(shown) > 2 {
			last := len(shown) - 1
			shown = []string{strings.Join(shown[:last], ", "), shown[last]}
		}
	}
	return strings.TrimSpace(name.Label + " " + r.Phrase + " " + strings.Join(shown, joiner))
}

// Names are the labels that a sentence needs and a rule does not hold.
type Names struct {
	Kind      *record.Kind
	Companies map[string]string // by key: "30 Kaisan"
	Types     map[string]string // by key: "Trade goods"
}

// Sentence writes the whole rule as one sentence: "For trade goods in 30
// Kaisan, when Country is JP, replace Payment terms with N45."
func Sentence(c *Compiled, names Names) string {
	var b strings.Builder
	b.WriteString("For " + namesOf(c.Scope.Types, names.Types, strings.ToLower(names.Kind.Plural)))
	b.WriteString(" in " + namesOf(c.Scope.Companies, names.Companies, "all companies"))
	if c.Rule.When != "" {
		b.WriteString(", when " + c.conditionWords(c.When, c.Rule.When, true))
	}
	b.WriteString(", " + c.conduct().deed(c, c.TargetLabel(), names.Kind))
	if !strings.HasSuffix(b.String(), stillMissing) {
		b.WriteString(".")
	}
	return b.String()
}

// RemoteLabel is what people call the field that a follow-up writes.
func (c *Compiled) RemoteLabel() string {
	if c.Remote == nil {
		return c.Target
	}
	return c.Remote.Label + " of " + c.vocabulary.Kind.Fields[c.Field].Label
}

// TargetLabel is what people call what the rule is on: a field, or all of a section.
func (c *Compiled) TargetLabel() string {
	kind := c.vocabulary.Kind
	if f := kind.Field(c.Target); f != nil {
		return f.Label
	}
	if c.Remote != nil {
		return c.RemoteLabel()
	}
	if key, ok := strings.CutPrefix(c.Target, SectionPrefix); ok {
		for _, section := range kind.Sections {
			if section.Key == key {
				return "every field of " + section.Label
			}
		}
	}
	return c.Target
}

func namesOf(keys []string, labels map[string]string, all string) string {
	if len(keys) == 0 {
		return all
	}
	shown := make([]string, len(keys))
	for i, key := range keys {
		shown[i] = labels[key]
		if shown[i] == "" {
			shown[i] = key
		}
	}
	return strings.Join(shown, " and ")
}

// ProposeName makes a name from kind, field and effect: "Vendor · Payment terms
// becomes N45 when Country is JP".
func ProposeName(c *Compiled, kind *record.Kind) string {
	name := []rune(kind.Label + " · " + c.conduct().subject(c) + Phrase(c, kind))
	if len(name) > 120 {
		name = append(name[:119], '…')
	}
	return string(name)
}

// Words says a condition as a sentence of this rule would; what no sentence can hold stays
// the formula that it is.
func (c *Compiled) Words(condition string) string {
	program, _ := c.vocabulary.Part("when", condition, c.Field, &c.vocabulary.Kind.Fields[c.Field])
	return c.conditionWords(program, condition, true)
}

// Vocabulary returns that which the rule was compiled with.
func (c *Compiled) Vocabulary() *Vocabulary { return c.vocabulary }
