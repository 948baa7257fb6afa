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
	effect := effectWords(c, kind)
	if c.Rule.When == "" {
		return effect
	}
	return effect + " when " + c.conditionWords(c.When, c.Rule.When, true)
}

func effectWords(c *Compiled, kind *record.Kind) string {
	switch c.Family {
	case Entry:
		return entryWords(&c.Effect)
	case Source:
		return valueWords(c, kind) + ", " + string(c.Effect.Tie)
	case Default:
		if c.Effect.Fixed {
			return valueWords(c, kind) + ", fixed"
		}
		return valueWords(c, kind)
	case Compute:
		if c.Effect.Value == "" && len(c.Effect.Bands) > 0 {
			return c.bandWords()
		}
		return valueWords(c, kind)
	case FollowUp:
		return c.RemoteLabel() + " becomes " + valueWords(c, kind)
	case Substitute:
		return valueWords(c, kind)
	}
	return mustWords(c)
}

// uniqueWords says what no other record may have: "unique together with Amount in all
// companies, or almost equal".
func (c *Compiled) uniqueWords() string {
	u := c.Effect.Unique
	words := "unique"
	if u.Near {
		words = "unlike any other"
	}
	if len(u.With) > 0 {
		labels := make([]string, len(u.With))
		for i, key := range u.With {
			labels[i] = key
			if f := c.vocabulary.Kind.Field(key); f != nil {
				labels[i] = f.Label
			}
		}
		words += " together with " + strings.Join(labels, " and ")
	}
	if u.Everywhere {
		return words + " over all companies"
	}
	return words + " in its company"
}

// bandWords tells a scale: "low up to 100, high".
func (c *Compiled) bandWords() string {
	f := &field.Field{Type: field.Number}
	if c.Field >= 0 {
		f = &c.vocabulary.Kind.Fields[c.Field]
	}
	parts := make([]string, len(c.Effect.Bands))
	for i, band := range c.Effect.Bands {
		parts[i] = band.Label
		if i < len(c.Bounds) && !c.Bounds[i].Open {
			word := " under "
			if band.Including {
				word = " up to "
			}
			parts[i] += word + f.Show(feel.NumberOf(c.Bounds[i].Until), field.Plain, field.Surroundings{})
		}
	}
	return strings.Join(parts, ", ")
}

// entryWords says how a field is met: "required, a stop, keyed twice". An aspect that goes
// without saying is said only where nothing else is, or where it stands against wider rules.
func entryWords(e *Effect) string {
	var parts []string
	closed := e.Access == ReadOnly || e.Access == Hidden
	if e.Need == Required || (e.Need == Optional && !closed) {
		parts = append(parts, string(e.Need))
	}
	if closed || (e.Access == Open && e.Need == "") {
		parts = append(parts, string(e.Access))
	}
	for _, words := range []string{
		map[Cursor]string{PassedOver: "passed over by the cursor", Stop: "a stop", InTurn: "in its turn for the cursor"}[e.Cursor],
		map[Keying]string{Twice: "keyed twice", Once: "keyed once"}[e.Keying],
	} {
		if words != "" {
			parts = append(parts, words)
		}
	}
	return strings.Join(parts, ", ")
}

// mustWords says what must hold: "must be up to 5 %". What is said of the target
// itself goes without its label, which heads the row anyway.
func mustWords(c *Compiled) string {
	verb := map[Severity]string{Refuse: "must", Confirm: "should", Advise: "better"}[c.Effect.Severity]
	if c.Effect.Unique != nil {
		return verb + " be " + c.uniqueWords()
	}
	text := c.conditionWords(c.Must, c.Effect.Must, false)
	if rest, ok := strings.CutPrefix(text, c.ownLabel()+" is "); ok && c.Must != nil {
		if conditions, holds := c.vocabulary.Decompose(c.Must, c.Field, false); holds && len(conditions.Conditions) == 1 {
			return verb + " be " + rest
		}
	}
	return verb + ": " + text
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
	b.WriteString(", " + deed(c, names.Kind))
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

func deed(c *Compiled, kind *record.Kind) string {
	label := c.TargetLabel()
	switch c.Family {
	case Entry:
		return label + " is " + entryWords(&c.Effect)
	case Source:
		return map[Tie]string{Copied: "copy " + label + " from ", Live: "show in " + label + " always "}[c.Effect.Tie] + valueWords(c, kind) +
			map[Tie]string{Copied: " when the link is set or changes"}[c.Effect.Tie]
	case Default:
		words := "fill " + label + " with " + valueWords(c, kind) +
			map[Lifetime]string{NewOnly: " on a new record only", WheneverBlank: " whenever it is blank"}[c.Effect.Lifetime]
		if c.Effect.Fixed {
			words += ", and let nobody change it"
		}
		return words
	case Compute:
		switch {
		case len(c.Effect.Bands) == 0:
			return "compute " + label + " as " + valueWords(c, kind)
		case c.Effect.Value == "":
			return "sort " + label + " into " + c.bandWords()
		}
		return "compute " + label + " as " + valueWords(c, kind) + ", sorted into " + c.bandWords()
	case FollowUp:
		return "after posting set " + label + " to " + valueWords(c, kind)
	case Substitute:
		return "replace " + label + " with " + valueWords(c, kind)
	}
	reaction := map[Severity]string{Refuse: "refuse", Confirm: "ask for a reason", Advise: "advise"}[c.Effect.Severity]
	if c.Effect.Unique != nil {
		return reaction + " unless " + label + " is " + c.uniqueWords()
	}
	return reaction + " unless " + c.conditionWords(c.Must, c.Effect.Must, false)
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
	label := c.TargetLabel()
	verb := map[Family]string{Entry: " is ", Source: " comes from ", Default: " defaults to ", Compute: " is computed as ", Substitute: " becomes ", Validate: " "}[c.Family]
	switch {
	case c.Family == FollowUp:
		label, verb = "", ""
	case c.Family == Compute && c.Effect.Value == "" && len(c.Effect.Bands) > 0:
		verb = " is sorted into "
	}
	name := []rune(kind.Label + " · " + label + verb + Phrase(c, kind))
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
