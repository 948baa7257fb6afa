package rule

import (
	"fmt"
	"strings"

	"codicil/core/feel"
	"codicil/core/field"
)

// Conditions are a formula as a sentence can hold it: conditions, all joined by and,
// or all by or. One of them may itself be conditions joined the other way.
type Conditions struct {
	Join       string      `json:"join"` // "and" or "or"
	Conditions []Condition `json:"conditions"`
}

// Condition is field, relation, values; or a group of conditions.
type Condition struct {
	// Field is the name of the field, as formulas write it: "line.amount".
	Field    string `json:"field"`
	Relation string `json:"relation"`
	// Values are the operands as field.Plain shows them ("5 %" for a percent):
	// none for is blank, two for between, any number for one of.
	Values []string `json:"values"`
	// Other is the name of a field that the field is compared with, instead of a value.
	Other string `json:"other,omitempty"`
	// Group are conditions joined the other way than those around them; then the
	// rest is empty.
	Group *Conditions `json:"group,omitempty"`
}

func relation(f *field.Field, match func(field.Relation) bool) (field.Relation, bool) {
	for _, r := range f.Relations() {
		if match(r) {
			return r, true
		}
	}
	return field.Relation{}, false
}

// Compose writes conditions as a formula of a rule on the field at the place. The
// error says which condition is incomplete or does not fit its field.
func (v *Vocabulary) Compose(c Conditions, place int) (string, error) {
	joiner := " and "
	if c.Join == "or" {
		joiner = " or "
	}
	parts := make([]string, len(c.Conditions))
	for i, condition := range c.Conditions {
		part, err := v.compose(condition, place)
		if err != nil {
			return "", fmt.Errorf("condition %d: %w", i+1, err)
		}
		parts[i] = part
	}
	return strings.Join(parts, joiner), nil
}

func (v *Vocabulary) compose(c Condition, place int) (string, error) {
	if c.Group != nil {
		text, err := v.Compose(*c.Group, place)
		if len(c.Group.Conditions) > 1 {
			text = "(" + text + ")"
		}
		return text, err
	}
	name := v.NameOf(place, c.Field)
	if name == nil || !name.Single() {
		return "", fmt.Errorf("a %s has no field %q that can be compared here", v.Kind.Label, c.Field)
	}
	r, found := relation(name.Field, func(r field.Relation) bool { return r.Key == c.Relation })
	if !found {
		return "", fmt.Errorf("%s cannot be compared by %q", name.Label, c.Relation)
	}
	values, err := v.operands(c, place, name, r)
	if err != nil {
		return "", err
	}
	switch r.Operator {
	case "is blank", "is filled":
		return r.Operator + "(" + c.Field + ")", nil
	case "starts with", "ends with", "contains":
		return r.Operator + "(" + c.Field + ", " + values[0] + ")", nil
	case "between":
		return c.Field + " between " + values[0] + " and " + values[1], nil
	case "in":
		return c.Field + " in (" + strings.Join(values, ", ") + ")", nil
	case "not in":
		return "not(" + c.Field + " in (" + strings.Join(values, ", ") + "))", nil
	}
	return c.Field + " " + r.Operator + " " + values[0], nil
}

// operands writes what the field is compared with.
func (v *Vocabulary) operands(c Condition, place int, name *Name, r field.Relation) ([]string, error) {
	if c.Other != "" {
		other := v.NameOf(place, c.Other)
		if other == nil || r.Operands != 1 || !name.comparable(other) {
			return nil, fmt.Errorf("%s %s … cannot be compared with %q", name.Label, r.Phrase, c.Other)
		}
		return []string{c.Other}, nil
	}
	if (r.Operands >= 0 && len(c.Values) != r.Operands) || (r.Operands < 0 && len(c.Values) == 0) {
		return nil, fmt.Errorf("%s %s … needs a value", name.Label, r.Phrase)
	}
	values := make([]string, len(c.Values))
	for i, text := range c.Values {
		literal, isDay := v.dayMeant(text, place, name.Field)
		var err error
		if !isDay {
			literal, err = Constant(name.Field, text)
		}
		if err != nil {
			return nil, err
		}
		if literal == "null" {
			return nil, fmt.Errorf("%s %s … needs a value", name.Label, r.Phrase)
		}
		values[i] = literal
	}
	return values, nil
}

// comparable tells whether a sentence may compare the values of two names.
func (n *Name) comparable(other *Name) bool {
	return n.Single() && other.Single() && n.Type.Kind == other.Type.Kind
}

// Decompose reads a formula of a rule on the field at the place as conditions; false
// when no sentence can hold it without loss. No formula is no condition at all.
// asWhen tells that blank counts as not true, as it does in when: then a yes/no field
// by itself is the same as the field being yes.
func (v *Vocabulary) Decompose(program *feel.Program, place int, asWhen bool) (Conditions, bool) {
	if program == nil {
		return Conditions{Join: "and", Conditions: []Condition{}}, true
	}
	return v.group(program.Root(), place, asWhen, true)
}

// Conditions returns a part of the rule, "when" or "must", as conditions; nil when no
// sentence can hold it.
func (c *Compiled) Conditions(part string) *Conditions {
	text, program := c.Rule.When, c.When
	if part == "must" {
		text, program = c.Effect.Must, c.Must
	}
	if text != "" && program == nil {
		return nil
	}
	conditions, ok := c.vocabulary.Decompose(program, c.Field, part == "when")
	if !ok {
		return nil
	}
	return &conditions
}

// ValueName returns the name of the field whose value the rule gives; "" when its
// value is something else.
func (c *Compiled) ValueName() string {
	if c.Value == nil {
		return ""
	}
	if name := c.named(c.Value.Root()); name != nil && name.Single() {
		return name.Text
	}
	return ""
}

// LookUp is a value that a crosswalk gives for fields of the document.
type LookUp struct {
	Crosswalk string   `json:"crosswalk"` // key
	Keys      []string `json:"keys"`      // names, one for each key column
	Column    string   `json:"column"`    // key of the result column
}

// LookUp returns the value as one that a crosswalk gives for fields, as a sentence can hold
// it; nil for any other.
func (c *Compiled) LookUp() *LookUp {
	if c.Value == nil {
		return nil
	}
	call, ok := c.Value.Root().(*feel.Call)
	if !ok || call.Function != "crosswalk" || len(call.Arguments) == 0 {
		return nil
	}
	literal, ok := call.Arguments[0].(*feel.Literal)
	if !ok {
		return nil
	}
	key, _ := literal.Value.Text()
	table := c.vocabulary.Tables.Crosswalk(key)
	if table == nil {
		return nil
	}
	found := &LookUp{Crosswalk: key, Column: table.Results[0].Key, Keys: []string{}}
	for i, argument := range call.Arguments[1:] {
		if i == len(table.Keys) {
			if column, isText := argument.(*feel.Literal); isText {
				found.Column, _ = column.Value.Text()
			}
			continue
		}
		name := c.named(argument)
		if name == nil || !name.Single() {
			return nil
		}
		found.Keys = append(found.Keys, name.Text)
	}
	return found
}

// group reads conditions with one operator between them; outer ones may hold others.
func (v *Vocabulary) group(n feel.Node, place int, asWhen, outer bool) (Conditions, bool) {
	result := Conditions{Join: "and", Conditions: []Condition{}}
	if b, ok := n.(*feel.Binary); ok && b.Operator == "or" {
		result.Join = "or"
	}
	whole := true
	var collect func(feel.Node)
	collect = func(n feel.Node) {
		if b, isBinary := n.(*feel.Binary); isBinary && (b.Operator == "and" || b.Operator == "or") {
			if b.Operator == result.Join {
				collect(b.Left)
				collect(b.Right)
				return
			}
			inner, fits := v.group(n, place, asWhen, false)
			result.Conditions = append(result.Conditions, Condition{Values: []string{}, Group: &inner})
			whole = whole && fits && outer
			return
		}
		c, fits := v.decompose(n, place, asWhen)
		result.Conditions = append(result.Conditions, c)
		whole = whole && fits
	}
	collect(n)
	return result, whole
}

func (v *Vocabulary) decompose(n feel.Node, place int, asWhen bool) (Condition, bool) {
	if name := v.NameAt(place, n); name != nil { // a yes/no field by itself
		return Condition{Field: name.Text, Relation: "is", Values: []string{"yes"}}, asWhen && name.Field.Type == field.YesNo && name.Single()
	}
	operator, operands := operation(n)
	if len(operands) == 0 {
		return Condition{}, false
	}
	name := v.NameAt(place, operands[0])
	if name == nil || !name.Single() {
		return Condition{}, false
	}
	r, found := relation(name.Field, func(r field.Relation) bool { return r.Operator == operator })
	if !found || (r.Operands >= 0 && len(operands)-1 != r.Operands) {
		return Condition{}, false
	}
	condition := Condition{Field: name.Text, Relation: r.Key, Values: []string{}}
	if other := v.NameAt(place, operands[len(operands)-1]); other != nil && r.Operands == 1 {
		condition.Other = other.Text
		return condition, name.comparable(other)
	}
	for _, operand := range operands[1:] {
		text, ok := constantText(name.Field, operand)
		if !ok && name.Field.FeelType().Kind == feel.Date {
			text, ok = v.dayWords(operand, place, func(n *Name) string { return n.Label })
		}
		if !ok {
			return Condition{}, false
		}
		condition.Values = append(condition.Values, text)
	}
	return condition, true
}

// operation returns the operator of a condition and what it works on, the subject
// first; none for what is no condition that a sentence knows.
func operation(n feel.Node) (string, []feel.Node) {
	switch n := n.(type) {
	case *feel.Binary:
		return n.Operator, []feel.Node{n.Left, n.Right}
	case *feel.Between:
		return "between", []feel.Node{n.Subject, n.Low, n.High}
	case *feel.In:
		if r, ok := n.Tests[0].(*feel.RangeLiteral); ok && len(n.Tests) == 1 && !r.LowOpen && !r.HighOpen {
			return "between", []feel.Node{n.Subject, r.Low, r.High}
		}
		tests := n.Tests
		if list, ok := tests[0].(*feel.ListLiteral); ok && len(tests) == 1 && len(list.Items) > 0 {
			tests = list.Items
		}
		return "in", append([]feel.Node{n.Subject}, tests...)
	case *feel.Call:
		if n.Function != "not" {
			return n.Function, n.Arguments
		}
		if in, ok := n.Arguments[0].(*feel.In); ok && len(n.Arguments) == 1 {
			if operator, operands := operation(in); operator == "in" {
				return "not in", operands
			}
		}
	}
	return "", nil
}

// constantText reads an operand as a value that people write; false when that would
// not be the same value again.
func constantText(f *field.Field, operand feel.Node) (string, bool) {
	v, isConstant := feel.Constant(operand)
	if !isConstant || v.IsNull() || !feel.TypeOf(v).Fits(f.FeelType()) {
		return "", false
	}
	text := f.Plain(v)
	again, err := Constant(f, text)
	return text, err == nil && again == v.String()
}

// Constant writes a value that a person gave for a field as a formula: N45
// becomes "N45", 5 % becomes 0.05. The error says that it is not of the field's type.
func Constant(f *field.Field, text string) (string, error) {
	v, wrong := f.Read(text, field.Plain, field.Surroundings{})
	if wrong != nil {
		return "", wrong
	}
	return v.String(), nil
}
