package rule

import (
	"fmt"
	"strings"

	"codicil/core/feel"
	"codicil/core/record"
)

// Conditions are a formula as a sentence can hold it: conditions on fields, all
// joined by and, or all by or.
type Conditions struct {
	Join       string      `json:"join"` // "and" or "or"
	Conditions []Condition `json:"conditions"`
}

// Condition is field, relation, values.
type Condition struct {
	Field    string `json:"field"`
	Relation string `json:"relation"`
	// Values are the operands as record.Plain shows them ("5 %" for a percent):
	// none for is blank, two for between, any number for one of.
	Values []string `json:"values"`
}

// Relation is a way to compare a field with values.
type Relation struct {
	Key    string `json:"key"`
	Phrase string `json:"phrase"`
	// Operands is the number of values; -1: one or more.
	Operands int `json:"operands"`
	operator string
}

var (
	equality = []Relation{{"is", "is", 1, "="}, {"is-not", "is not", 1, "!="}}
	ordering = []Relation{{"over", "is over", 1, ">"}, {"from", "is from", 1, ">="}, {"under", "is under", 1, "<"}, {"up-to", "is up to", 1, "<="}, {"between", "is between", 2, "between"}}
	sequence = []Relation{{"after", "is after", 1, ">"}, {"from", "is on or after", 1, ">="}, {"before", "is before", 1, "<"}, {"up-to", "is on or before", 1, "<="}, {"between", "is between", 2, "between"}}
	members  = []Relation{{"one-of", "is one of", -1, "in"}, {"none-of", "is none of", -1, "not in"}}
	contents = []Relation{{"starts-with", "starts with", 1, "starts with"}, {"ends-with", "ends with", 1, "ends with"}, {"contains", "contains", 1, "contains"}}
	presence = []Relation{{"is-blank", "is blank", 0, "is blank"}, {"is-filled", "is filled", 0, "is filled"}}
)

func join(groups ...[]Relation) (all []Relation) {
	for _, g := range groups {
		all = append(all, g...)
	}
	return all
}

// Relations returns the relations that fit a field, in the order to offer them.
func Relations(f *record.Field) []Relation {
	switch f.Type {
	case record.Number, record.Amount, record.Quantity, record.Percent:
		return join(equality, ordering, presence)
	case record.Date:
		return join(equality, sequence, presence)
	case record.YesNo:
		return join(equality[:1], presence)
	case record.Choice, record.ToRecord:
		return join(equality, members, presence)
	}
	return join(equality, members, contents, presence)
}

func relation(f *record.Field, match func(Relation) bool) (Relation, bool) {
	for _, r := range Relations(f) {
		if match(r) {
			return r, true
		}
	}
	return Relation{}, false
}

// Compose writes conditions as a formula. The error says which condition is
// incomplete or does not fit its field.
func Compose(c Conditions, kind *record.Kind) (string, error) {
	joiner := " and "
	if c.Join == "or" {
		joiner = " or "
	}
	parts := make([]string, len(c.Conditions))
	for i, condition := range c.Conditions {
		part, err := compose(condition, kind)
		if err != nil {
			return "", fmt.Errorf("condition %d: %w", i+1, err)
		}
		parts[i] = part
	}
	return strings.Join(parts, joiner), nil
}

func compose(c Condition, kind *record.Kind) (string, error) {
	field := kind.Field(c.Field)
	if field == nil {
		return "", fmt.Errorf("a %s has no field %q", kind.Label, c.Field)
	}
	r, found := relation(field, func(r Relation) bool { return r.Key == c.Relation })
	if !found {
		return "", fmt.Errorf("%s cannot be compared by %q", field.Label, c.Relation)
	}
	if (r.Operands >= 0 && len(c.Values) != r.Operands) || (r.Operands < 0 && len(c.Values) == 0) {
		return "", fmt.Errorf("%s %s … needs a value", field.Label, r.Phrase)
	}
	values := make([]string, len(c.Values))
	for i, text := range c.Values {
		literal, err := Constant(field, text)
		if err != nil {
			return "", err
		}
		if literal == "null" {
			return "", fmt.Errorf("%s %s … needs a value", field.Label, r.Phrase)
		}
		values[i] = literal
	}
	name := NameOf(field)
	switch r.operator {
	case "is blank", "is filled":
		return r.operator + "(" + name + ")", nil
	case "starts with", "ends with", "contains":
		return r.operator + "(" + name + ", " + values[0] + ")", nil
	case "between":
		return name + " between " + values[0] + " and " + values[1], nil
	case "in":
		return name + " in (" + strings.Join(values, ", ") + ")", nil
	case "not in":
		return "not(" + name + " in (" + strings.Join(values, ", ") + "))", nil
	}
	return name + " " + r.operator + " " + values[0], nil
}

// NameOf returns the name of a field in formulas; that of a field of the lines is
// its value in the line at hand.
func NameOf(field *record.Field) string {
	if field.OfLine() {
		return "line." + field.Column()
	}
	return field.Key
}

// fieldNamed is the other way round: the field that a node names; nil for any other node.
func fieldNamed(n feel.Node, kind *record.Kind) *record.Field {
	switch n := n.(type) {
	case *feel.Name:
		return kind.Field(n.Text)
	case *feel.Path:
		if base, ok := n.Base.(*feel.Name); ok && base.Text == "line" {
			return kind.Field(record.LinePrefix + n.Member)
		}
	}
	return nil
}

// Decompose reads a formula as conditions; false when no sentence can hold it.
// An empty formula is no condition at all.
func Decompose(program *feel.Program, kind *record.Kind) (Conditions, bool) {
	result := Conditions{Join: "and", Conditions: []Condition{}}
	if program == nil {
		return result, true
	}
	if b, ok := program.Root().(*feel.Binary); ok && b.Operator == "or" {
		result.Join = "or"
	}
	ok := true
	var collect func(feel.Node)
	collect = func(n feel.Node) {
		if b, isBinary := n.(*feel.Binary); isBinary && b.Operator == result.Join {
			collect(b.Left)
			collect(b.Right)
			return
		}
		c, fits := decompose(n, kind)
		result.Conditions = append(result.Conditions, c)
		ok = ok && fits
	}
	collect(program.Root())
	return result, ok
}

func decompose(n feel.Node, kind *record.Kind) (Condition, bool) {
	if f := fieldNamed(n, kind); f != nil { // a yes/no field by itself
		return Condition{f.Key, "is", []string{"yes"}}, f.Type == record.YesNo
	}
	operator, operands := "", []feel.Node(nil)
	switch n := n.(type) {
	case *feel.Binary:
		operator, operands = n.Operator, []feel.Node{n.Left, n.Right}
	case *feel.Between:
		operator, operands = "between", []feel.Node{n.Subject, n.Low, n.High}
	case *feel.In:
		operator, operands = "in", append([]feel.Node{n.Subject}, n.Tests...)
	case *feel.Call:
		operator, operands = n.Function, n.Arguments
		if inner, ok := n.Arguments, n.Function == "not"; ok && len(inner) == 1 {
			in, isIn := inner[0].(*feel.In)
			if !isIn {
				return Condition{}, false
			}
			operator, operands = "not in", append([]feel.Node{in.Subject}, in.Tests...)
		}
	}
	if len(operands) == 0 {
		return Condition{}, false
	}
	field := fieldNamed(operands[0], kind)
	if field == nil {
		return Condition{}, false
	}
	r, found := relation(field, func(r Relation) bool { return r.operator == operator })
	if !found || (r.Operands >= 0 && len(operands)-1 != r.Operands) {
		return Condition{}, false
	}
	condition := Condition{Field: field.Key, Relation: r.Key, Values: []string{}}
	for _, operand := range operands[1:] {
		v, isConstant := feel.Constant(operand)
		if !isConstant || !feel.TypeOf(v).Fits(field.FeelType()) || v.IsNull() {
			return Condition{}, false
		}
		condition.Values = append(condition.Values, plain(field, v))
	}
	return condition, true
}

// Constant writes a value that a person gave for a field as a formula: N45
// becomes "N45", 5 % becomes 0.05. The error says that it is not of the field's type.
func Constant(field *record.Field, text string) (string, error) {
	v, wrong := field.Read(text, record.Plain, record.Surroundings{})
	if wrong != nil {
		return "", wrong
	}
	return v.String(), nil
}

// ConstantOf is the other way round: the value of a formula that is a constant,
// as people write it; false for any other formula.
func ConstantOf(program *feel.Program, field *record.Field) (string, bool) {
	if program == nil {
		return "", false
	}
	v, ok := feel.Constant(program.Root())
	if !ok || !feel.TypeOf(v).Fits(field.FeelType()) {
		return "", false
	}
	return plain(field, v), true
}

// plain shows a value so that Constant reads it back.
func plain(field *record.Field, v feel.Value) string {
	if field.Type == record.Percent || field.Type == record.YesNo {
		return field.Show(v, record.Plain, record.Surroundings{})
	}
	return record.Write(v)
}
