package rule

import (
	"slices"
	"strings"

	"codicil/core/feel"
	"codicil/core/record"
)

// Phrase says in a few words what the rule does, for a cell of the plan: "N45
// when Country is JP".
func Phrase(c *Compiled, kind *record.Kind) string {
	effect := effectWords(c, kind)
	if c.Rule.When == "" {
		return effect
	}
	return effect + " when " + c.conditionWords(c.When, c.Rule.When, kind)
}

func effectWords(c *Compiled, kind *record.Kind) string {
	switch c.Family {
	case Entry:
		return string(c.Effect.Manner)
	case Default, Substitute:
		return valueWords(c, kind)
	}
	return mustWords(c, kind)
}

// mustWords says what must hold: "must be up to 5 %". What is said of the target
// itself goes without its label, which heads the row anyway.
func mustWords(c *Compiled, kind *record.Kind) string {
	verb := map[Severity]string{Refuse: "must", Confirm: "should", Advise: "better"}[c.Effect.Severity]
	text := c.conditionWords(c.Must, c.Effect.Must, kind)
	own := ""
	if f := kind.Field(c.Target); f != nil {
		own = f.Label + " "
	}
	if rest, ok := strings.CutPrefix(text, own+"is "); ok && c.Must != nil {
		if conditions, holds := Decompose(c.Must, kind); holds && len(conditions.Conditions) == 1 {
			return verb + " be " + rest
		}
	}
	return verb + ": " + text
}

func valueWords(c *Compiled, kind *record.Kind) string {
	program, text, field := c.Value, c.Effect.Value, kind.Field(c.Target)
	if program == nil {
		return text
	}
	if constant, ok := ConstantOf(program, field); ok {
		if constant == "" {
			return "nothing"
		}
		return constant
	}
	if _, label := c.vocabulary.named(program.Root()); label != "" {
		return label
	}
	return strings.Join(strings.Fields(text), " ")
}

// conditionWords writes a condition with the fields' labels where a sentence can
// hold it, else as the formula.
func (c *Compiled) conditionWords(program *feel.Program, text string, kind *record.Kind) string {
	if program == nil {
		return text
	}
	conditions, ok := Decompose(program, kind)
	if !ok {
		if f, label := c.vocabulary.named(program.Root()); f != nil && f.Type == record.YesNo {
			return label + " is yes"
		}
		return strings.Join(strings.Fields(text), " ")
	}
	parts := make([]string, len(conditions.Conditions))
	for i, c := range conditions.Conditions {
		parts[i] = words(c, kind)
	}
	return strings.Join(parts, " "+conditions.Join+" ")
}

func words(c Condition, kind *record.Kind) string {
	field := kind.Field(c.Field)
	if field.Type == record.YesNo && c.Relation == "is" {
		return field.Label + " is " + c.Values[0]
	}
	r, _ := relation(field, func(r Relation) bool { return r.Key == c.Relation })
	shown := slices.Clone(c.Values)
	joiner := " and "
	if r.Operands < 0 {
		joiner = " or "
		if len(shown) > 2 {
			last := len(shown) - 1
			shown = []string{strings.Join(shown[:last], ", "), shown[last]}
		}
	}
	return strings.TrimSpace(field.Label + " " + r.Phrase + " " + strings.Join(shown, joiner))
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
		b.WriteString(", when " + c.conditionWords(c.When, c.Rule.When, names.Kind))
	}
	b.WriteString(", " + deed(c, names.Kind) + ".")
	return b.String()
}

func deed(c *Compiled, kind *record.Kind) string {
	label := c.Target
	if f := kind.Field(c.Target); f != nil {
		label = f.Label
	}
	switch c.Family {
	case Entry:
		return label + " is " + string(c.Effect.Manner)
	case Default:
		return "fill " + label + " with " + valueWords(c, kind) +
			map[Lifetime]string{NewOnly: " on a new record only", WheneverBlank: " whenever it is blank"}[c.Effect.Lifetime]
	case Substitute:
		return "replace " + label + " with " + valueWords(c, kind)
	}
	return map[Severity]string{Refuse: "refuse", Confirm: "ask for a reason", Advise: "advise"}[c.Effect.Severity] +
		" unless " + c.conditionWords(c.Must, c.Effect.Must, kind)
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
	label := c.Target
	if f := kind.Field(c.Target); f != nil {
		label = f.Label
	}
	verb := map[Family]string{Entry: " is ", Default: " defaults to ", Substitute: " becomes ", Validate: " "}[c.Family]
	name := []rune(kind.Label + " · " + label + verb + Phrase(c, kind))
	if len(name) > 120 {
		name = append(name[:119], '…')
	}
	return string(name)
}
