package rule

import (
	"codicil/core/feel"
	"codicil/core/record"
)

// Form tells the forms of a field's value apart.
type Form uint8

// A field can be read as its value so far, as it was entered, and as it was last saved.
const (
	SoFar Form = iota
	Entered
	Stored
)

// Vocabulary holds the names that the rules of one kind may use, and the slots
// in which the engine keeps their values: for each form a slot per field, then
// the context.
type Vocabulary struct {
	Kind  *record.Kind
	Scope feel.Scope
	// Size is the number of slots.
	Size int
}

// The names of the context, by group, in the order of their slots.
var contextNames = []struct {
	group   string
	members []string
}{
	{"company", []string{"key", "name", "country", "currency"}},
	{"type", []string{"key", "label"}},
	{"user", []string{"name"}},
}

// NewVocabulary returns the names of a kind.
func NewVocabulary(kind *record.Kind) *Vocabulary {
	v := &Vocabulary{Kind: kind, Scope: feel.Scope{}}
	for form, group := range map[Form]string{SoFar: "", Entered: "entered", Stored: "stored"} {
		members := map[string]feel.Symbol{}
		for i := range kind.Fields {
			f := &kind.Fields[i]
			members[f.Key] = feel.Symbol{Slot: v.Slot(i, form), Type: f.FeelType(), Label: f.Label}
		}
		if form != SoFar {
			v.Scope[group] = feel.Symbol{Slot: -1, Members: members}
			continue
		}
		for key, symbol := range members {
			v.Scope[key] = symbol
		}
	}
	slot := 3 * len(kind.Fields)
	for _, group := range contextNames {
		members := map[string]feel.Symbol{}
		for _, member := range group.members {
			members[member] = feel.Symbol{Slot: slot, Type: feel.StringType}
			slot++
		}
		v.Scope[group.group] = feel.Symbol{Slot: -1, Members: members}
	}
	v.Size = slot
	return v
}

// Slot returns the slot of a field in one form.
func (v *Vocabulary) Slot(field int, form Form) int { return int(form)*len(v.Kind.Fields) + field }

// FieldAt returns the field and the form that a slot holds; false for a slot of
// the context.
func (v *Vocabulary) FieldAt(slot int) (field int, form Form, ok bool) {
	n := len(v.Kind.Fields)
	if n == 0 || slot < 0 || slot >= 3*n {
		return 0, 0, false
	}
	return slot % n, Form(slot / n), true
}

// FillContext puts company, type and user into the slots.
func (v *Vocabulary) FillContext(slots []feel.Value, company *record.Company, kindType *record.Type, user string) {
	at := 3 * len(v.Kind.Fields)
	for _, text := range []string{company.Key, company.Name, company.Country, company.Currency, kindType.Key, kindType.Label, user} {
		slots[at] = feel.StringOf(text)
		at++
	}
}
