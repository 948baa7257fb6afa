package rule

import (
	"strings"
	"unicode"

	"codicil/core/feel"
	"codicil/core/field"
	"codicil/core/record"
)

// Wording is how rules are told to one person: with which labels, and how values are written.
type Wording struct {
	// Kind has the labels that a company gives to fields.
	Kind      *record.Kind
	Companies map[string]string // by key: "30 Kaisan"
	Types     map[string]string // by key: "trade goods vendors"
	// Show writes a value of a field as the person does; nil: Plainly.
	Show func(*field.Field, feel.Value) string
}

// telling is a rule that is told.
type telling struct {
	*Compiled
	Wording
}

func (w Wording) of(c *Compiled) telling {
	if w.Show == nil {
		w.Show = Plainly
	}
	if w.Kind == nil {
		w.Kind = c.vocabulary.Kind
	}
	return telling{c, w}
}

// Phrase says in a few words what the rule does, for a cell of the plan: "N45
// when Country is JP".
func Phrase(c *Compiled, w Wording) string { return w.of(c).phrase() }

func (t telling) phrase() string {
	effect := t.conduct().phrase(t)
	if t.Rule.When == "" {
		return effect
	}
	return effect + " when " + t.condition(t.When, t.Rule.When, true)
}

// stillMissing stands for what nobody has written yet.
const stillMissing = "…"

// value says what the rule gives.
func (t telling) value() string {
	text, target := t.Effect.Value, t.Kind.Field(t.Target)
	if t.Remote != nil {
		target = t.Remote
	}
	switch {
	case t.Series != nil:
		return "the next number of " + t.Series.Label
	case strings.TrimSpace(text) == "":
		return stillMissing
	case t.Value == nil:
		return text
	}
	if v, constant := feel.Constant(t.Value.Root()); constant {
		if v.IsNull() {
			return "nothing"
		}
		if target != nil && feel.TypeOf(v).Fits(target.FeelType()) {
			return t.Show(target, v)
		}
	}
	return t.words(t.Value, target)
}

// words tells a formula of the rule; constants that it gives are values of the field.
func (t telling) words(program *feel.Program, gives *field.Field) string {
	return Text(t.vocabulary.Tell(program, t.Field, gives, t.Wording))
}

// condition tells a condition as a sentence holds it, or else in words.
func (t telling) condition(program *feel.Program, text string, asWhen bool) string {
	if strings.TrimSpace(text) == "" {
		return stillMissing
	}
	if program == nil {
		return text
	}
	conditions, ok := t.vocabulary.Decompose(program, t.Field, asWhen)
	if !ok {
		if name := t.named(program.Root()); name != nil && name.Field.Type == field.YesNo {
			return t.label(name) + " is yes"
		}
		return t.words(program, nil)
	}
	return t.joined(conditions)
}

// joined writes conditions with their and or or between them.
func (t telling) joined(conditions Conditions) string {
	parts := make([]string, len(conditions.Conditions))
	joiner := " " + conditions.Join + " "
	for i, condition := range conditions.Conditions {
		if condition.Group != nil {
			parts[i] = t.grouped(*condition.Group)
			joiner = ", " + conditions.Join + " "
		} else {
			parts[i] = t.compared(condition)
		}
	}
	return strings.Join(parts, joiner)
}

// grouped writes conditions within others, so that nobody can take their and or or
// for that of the others: "either A or B", "both A and B", "all of A, B and C".
func (t telling) grouped(group Conditions) string {
	opening := map[string]string{"or": "either ", "and": "both "}[group.Join]
	if len(group.Conditions) > 2 {
		opening = map[string]string{"or": "any of ", "and": "all of "}[group.Join]
	}
	parts := make([]string, len(group.Conditions))
	for i, condition := range group.Conditions {
		parts[i] = t.compared(condition)
	}
	last := len(parts) - 1
	return opening + strings.Join(parts[:last], ", ") + " " + group.Join + " " + parts[last]
}

func (t telling) compared(condition Condition) string {
	name := t.vocabulary.NameOf(t.Field, condition.Field)
	label := t.label(name)
	if name.Field.Type == field.YesNo && condition.Relation == "is" && condition.Other == "" {
		return label + " is " + condition.Values[0]
	}
	r, _ := relation(name.Field, func(r field.Relation) bool { return r.Key == condition.Relation })
	if condition.Other != "" {
		return label + " " + r.Phrase + " " + t.label(t.vocabulary.NameOf(t.Field, condition.Other))
	}
	shown := t.operands(name, condition.Values)
	joiner := " and "
	if r.Operands < 0 {
		joiner = " or "
		if len(shown) > 2 {
			last := len(shown) - 1
			shown = []string{strings.Join(shown[:last], ", "), shown[last]}
		}
	}
	return strings.TrimSpace(label + " " + r.Phrase + " " + strings.Join(shown, joiner))
}

// operands are values of a condition as the person writes them.
func (t telling) operands(name *Name, values []string) []string {
	shown := make([]string, len(values))
	for i, text := range values {
		shown[i] = text
		if v, wrong := name.Field.Read(text, field.Plain, field.Surroundings{}); wrong == nil && !v.IsNull() {
			shown[i] = t.Show(name.Field, v)
		}
	}
	return shown
}

// ShownConditions returns a part of the rule, "when" or "must", as conditions with values as the
// person writes them; nil when no sentence can hold it.
func ShownConditions(c *Compiled, part string, w Wording) *Conditions {
	conditions := c.Conditions(part)
	if conditions != nil {
		w.of(c).show(conditions)
	}
	return conditions
}

func (t telling) show(c *Conditions) {
	for i := range c.Conditions {
		condition := &c.Conditions[i]
		if condition.Group != nil {
			t.show(condition.Group)
		} else if name := t.vocabulary.NameOf(t.Field, condition.Field); name != nil {
			condition.Values = t.operands(name, condition.Values)
		}
	}
}

// ValueText returns the value that the rule gives as the person would type it: a constant, or a day
// in words; false for any other formula.
func ValueText(c *Compiled, w Wording) (string, bool) {
	t := w.of(c)
	if c.Value == nil || c.Field < 0 {
		return "", false
	}
	target := &c.vocabulary.Kind.Fields[c.Field]
	if c.Remote != nil {
		target = c.Remote
	}
	if v, constant := feel.Constant(c.Value.Root()); constant && feel.TypeOf(v).Fits(target.FeelType()) {
		return t.Show(target, v), true
	}
	return c.vocabulary.dayWords(c.Value.Root(), c.Field, t.label)
}

// label is what people call a name, with the company's own label for a field of the document.
func (t telling) label(name *Name) string {
	key := strings.TrimPrefix(name.Text, "line.")
	if key != name.Text {
		key = field.LinePrefix + key
	}
	for _, form := range formGroups {
		if form != "" {
			key = strings.TrimPrefix(key, form+".")
		}
	}
	link, _, _ := strings.Cut(key, ".")
	if name.Linked && !strings.HasPrefix(key, field.LinePrefix) {
		if own, standard := t.Kind.Field(link), t.vocabulary.Kind.Field(link); own != nil && standard != nil {
			if front, ok := strings.CutSuffix(name.Label, " of "+standard.Label); ok {
				return front + " of " + own.Label
			}
		}
		return name.Label
	}
	if own, standard := t.Kind.Field(key), t.vocabulary.Kind.Field(key); own != nil && standard != nil {
		if rest, ok := strings.CutPrefix(name.Label, standard.Label); ok {
			return own.Label + rest
		}
	}
	return name.Label
}

// Sentence writes the whole rule as one sentence: "For trade goods in 30 Kaisan, when Country is
// JP, replace Payment terms with N45." It says the days and the occasions of a rule that does not
// always run.
func Sentence(c *Compiled, w Wording) string {
	t := w.of(c)
	var b strings.Builder
	kind := t.Kind.Plural
	if runes := []rune(kind); len(runes) > 1 && unicode.IsLower(runes[1]) {
		kind = string(unicode.ToLower(runes[0])) + string(runes[1:])
	}
	b.WriteString("For " + namesOf(t.Scope.Types, t.Types, kind))
	b.WriteString(" in " + namesOf(t.Scope.Companies, t.Companies, "all companies"))
	b.WriteString(t.days())
	if t.Rule.When != "" {
		b.WriteString(", when " + t.condition(t.When, t.Rule.When, true))
	}
	b.WriteString(", " + t.conduct().deed(t, t.targetLabel()))
	if !strings.HasSuffix(b.String(), stillMissing) {
		if occasions := t.occasions(true); occasions != "" {
			b.WriteString(", " + occasions)
		}
		b.WriteString(".")
	}
	return b.String()
}

// days says from and until when the rule holds.
func (t telling) days() string {
	day := func(d record.Day) string {
		f := field.Field{Type: field.Date}
		if v, wrong := f.Parse(string(d)); wrong == nil {
			return t.Show(&f, v)
		}
		return string(d)
	}
	words := ""
	if t.Scope.From != "" {
		words += " from " + day(t.Scope.From)
	}
	if t.Scope.Until != "" {
		words += " until " + day(t.Scope.Until)
	}
	return words
}

// RunsOn says in a few words on which occasions a rule runs: "new records only, while
// typing"; "" for all of them.
func RunsOn(c *Compiled, w Wording) string { return w.of(c).occasions(false) }

// occasions leaves out what the deed of a sentence says already, where it is for one.
func (t telling) occasions(inSentence bool) string {
	var words []string
	own := t.conduct()
	on := ""
	if inSentence {
		on = "on "
	}
	onNew := own.newOnly != nil && own.newOnly(t.Compiled)
	switch {
	case own.always || (onNew && inSentence):
	case !t.On.Change || onNew:
		words = append(words, on+"new records only")
	case !t.On.New:
		words = append(words, on+"changes only")
	}
	if moments := t.Effect.Moments; len(moments) > 0 {
		said := map[Moment]string{Typing: "while typing", Saving: "on saving", Posting: "on posting"}
		parts := make([]string, len(moments))
		for i, m := range moments {
			parts[i] = said[m]
		}
		words = append(words, listed(parts, " and "))
	}
	if len(t.Effect.WhenChanged) > 0 {
		labels := make([]string, len(t.Effect.WhenChanged))
		for i, key := range t.Effect.WhenChanged {
			labels[i] = key
			if f := t.Kind.Field(key); f != nil {
				labels[i] = f.Label
			}
		}
		words = append(words, "only when "+listed(labels, " or ")+" changed")
	}
	return strings.Join(words, ", ")
}

// listed writes items one after the other: "a, b and c".
func listed(items []string, last string) string {
	if len(items) < 2 {
		return strings.Join(items, "")
	}
	end := len(items) - 1
	return strings.Join(items[:end], ", ") + last + items[end]
}

// RemoteLabel is what people call the field that a follow-up writes.
func (c *Compiled) RemoteLabel() string { return Wording{}.of(c).remoteLabel() }

func (t telling) remoteLabel() string {
	if t.Remote == nil {
		return t.Target
	}
	return t.Remote.Label + " of " + t.Kind.Fields[t.Field].Label
}

// TargetLabel is what people call what the rule is on: a field, or all of a section.
func (c *Compiled) TargetLabel() string { return Wording{}.of(c).targetLabel() }

func (t telling) targetLabel() string {
	if f := t.Kind.Field(t.Target); f != nil {
		return f.Label
	}
	if t.Remote != nil {
		return t.remoteLabel()
	}
	if key, ok := strings.CutPrefix(t.Target, SectionPrefix); ok {
		for _, section := range t.Kind.Sections {
			if section.Key == key {
				return "every field of " + section.Label
			}
		}
	}
	return t.Target
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
	return listed(shown, " and ")
}

// ProposeName makes a name from kind, field and effect: "Vendor · Payment terms
// becomes N45 when Country is JP". It is kept, so it has the standard labels and plain values.
func ProposeName(c *Compiled) string {
	t := Wording{}.of(c)
	name := []rune(t.Kind.Label + " · " + t.conduct().subject(t) + t.phrase())
	if len(name) > 120 {
		name = append(name[:119], '…')
	}
	return string(name)
}

// IsNamed tells whether a person gave the rule its name: what is proposed begins with the kind.
func IsNamed(c *Compiled) bool {
	return c.Name != "" && !strings.HasPrefix(c.Name, c.vocabulary.Kind.Label+" · ")
}

// Words says a condition as a sentence of this rule would.
func (c *Compiled) Words(condition string) string {
	program, _ := c.vocabulary.Part("when", condition, c.Field, &c.vocabulary.Kind.Fields[c.Field])
	return Wording{}.of(c).condition(program, condition, true)
}

// Vocabulary returns that which the rule was compiled with.
func (c *Compiled) Vocabulary() *Vocabulary { return c.vocabulary }
