package feel

import (
	"fmt"
	"slices"
	"strings"
)

// Cases are a chain of if … else as a table: rows of conditions with their values, of which
// the first that fits holds, and a value for everything else.
type Cases struct {
	Columns   []CaseColumn `json:"columns"`
	Rows      []Case       `json:"rows"`
	Otherwise string       `json:"otherwise"`
}

// CaseColumn is a column of conditions.
type CaseColumn struct {
	// Subject is the formula of what the column tests; "": its cells are conditions of their own.
	Subject string `json:"subject"`
}

// Case is a row: for each column a test as unary tests write it (DMN 1.5, section 10.3.1.2,
// rules 13 to 17; "" is any), and the value.
type Case struct {
	Tests []string `json:"tests"`
	Value string   `json:"value"`
}

// Cases reads the formula as cases; false where it is no chain of if … else.
func (p *Program) Cases() (Cases, bool) {
	chain, ok := p.root.(*If)
	if !ok {
		return Cases{}, false
	}
	var c Cases
	for {
		row := Case{Value: Format(chain.Then)}
		var taken []int
		for _, condition := range Conjuncts(chain.Condition) {
			if truth, ok := condition.(*Literal); ok && truth.Value.IsTrue() {
				continue
			}
			subject, test := cell(condition)
			at := -1
			for i, column := range c.Columns {
				if column.Subject == subject && !slices.Contains(taken, i) {
					at = i
					break
				}
			}
			if at < 0 {
				at = len(c.Columns)
				c.Columns = append(c.Columns, CaseColumn{subject})
			}
			taken = append(taken, at)
			for len(row.Tests) <= at {
				row.Tests = append(row.Tests, "")
			}
			row.Tests[at] = test
		}
		c.Rows = append(c.Rows, row)
		next, more := chain.Else.(*If)
		if !more {
			c.Otherwise = Format(chain.Else)
			break
		}
		chain = next
	}
	for i := range c.Rows {
		if c.Rows[i].Tests == nil {
			c.Rows[i].Tests = []string{}
		}
		for len(c.Rows[i].Tests) < len(c.Columns) {
			c.Rows[i].Tests = append(c.Rows[i].Tests, "")
		}
	}
	return c, true
}

// Conjuncts are the conditions that and joins to one, in the order of the text.
func Conjuncts(n Node) []Node {
	if b, ok := n.(*Binary); ok && b.Operator == "and" {
		return append(Conjuncts(b.Left), Conjuncts(b.Right)...)
	}
	return []Node{n}
}

// cell splits a condition into its subject and a test of it. What cannot be split is a
// condition of its own.
func cell(n Node) (subject, test string) {
	switch n := n.(type) {
	case *Binary:
		if n.Operator == "or" {
			return alternatives(n)
		}
		left, right, operator := n.Left, n.Right, n.Operator
		if _, constant := Constant(left); constant {
			left, right, operator = right, left, mirrored(operator)
		}
		if !isSubject(left) {
			break
		}
		switch operator {
		case "=":
			if v, constant := Constant(right); constant && !v.IsNull() {
				return Format(left), Format(right)
			}
			return Format(left), "= " + formatAs(right, bindsSum)
		case "!=", "<", "<=", ">", ">=":
			return Format(left), operator + " " + formatAs(right, bindsSum)
		}
	case *Between:
		if isSubject(n.Subject) {
			return Format(n.Subject), "[" + formatAs(n.Low, bindsSum) + ".." + formatAs(n.High, bindsSum) + "]"
		}
	case *In:
		if isSubject(n.Subject) && n.input < 0 {
			return Format(n.Subject), testsText(n.Tests)
		}
	case *Name, *Path:
		if n.Type().Kind == Boolean && isSubject(n) {
			return Format(n), "true"
		}
	case *Call:
		if n.Callee != nil || n.ArgumentNames != nil || len(n.Arguments) == 0 {
			break
		}
		if n.Function == "not" {
			if in, ok := n.Arguments[0].(*In); ok && isSubject(in.Subject) && in.input < 0 {
				return Format(in.Subject), "not(" + testsText(in.Tests) + ")"
			}
			if a := n.Arguments[0]; a.Type().Kind == Boolean && isSubject(a) {
				return Format(a), "false"
			}
			break
		}
		if b := builtins[n.Function]; b != nil && isSubject(n.Arguments[0]) && b.result(nil).Kind == Boolean {
			parts := []string{Input}
			for _, a := range n.Arguments[1:] {
				parts = append(parts, Format(a))
			}
			return Format(n.Arguments[0]), n.Function + "(" + strings.Join(parts, ", ") + ")"
		}
	}
	return "", Format(n)
}

// alternatives reads x = a or x = b as tests of x.
func alternatives(n *Binary) (subject, test string) {
	var texts []string
	for _, side := range disjuncts(n) {
		of, one := cell(side)
		if of == "" || (subject != "" && of != subject) || strings.HasPrefix(one, "not(") || strings.HasPrefix(one, "!=") || strings.Contains(one, Input) {
			return "", Format(n)
		}
		subject = of
		texts = append(texts, one)
	}
	return subject, strings.Join(texts, ", ")
}

func disjuncts(n Node) []Node {
	if b, ok := n.(*Binary); ok && b.Operator == "or" {
		return append(disjuncts(b.Left), disjuncts(b.Right)...)
	}
	return []Node{n}
}

// isSubject tells whether a column can be about a node: a field, or something computed of one
// that is short.
func isSubject(n Node) bool {
	reads := false
	Walk(n, func(inner Node) {
		if _, ok := SlotOf(inner); ok {
			reads = true
		}
	})
	switch n.(type) {
	case *Name, *Path:
		return reads
	case *Call, *Binary:
		return reads && n.Type().Kind != Boolean && size(n) < 12
	}
	return false
}

func testsText(tests []Node) string {
	if list, ok := tests[0].(*ListLiteral); ok && len(tests) == 1 && len(list.Items) > 0 {
		tests = list.Items
	}
	texts := make([]string, len(tests))
	for i, t := range tests {
		texts[i] = Format(t)
	}
	return strings.Join(texts, ", ")
}

// formatAs writes a node so that it can stand where something of the binding is asked.
func formatAs(n Node, least int) string {
	if binding(n) < least {
		return "(" + Format(n) + ")"
	}
	return Format(n)
}

// Formula writes cases as a chain of if … else. The error says which cell is none.
func (c *Cases) Formula() (string, error) {
	if len(c.Rows) == 0 {
		return "", fmt.Errorf("there is no case")
	}
	var b strings.Builder
	for i, row := range c.Rows {
		if len(row.Tests) > len(c.Columns) {
			return "", fmt.Errorf("case %d has %d tests, and there are %d columns", i+1, len(row.Tests), len(c.Columns))
		}
		var conditions []string
		for j, column := range c.Columns {
			test := ""
			if j < len(row.Tests) {
				test = strings.TrimSpace(row.Tests[j])
			}
			if test == "" || test == "-" {
				continue
			}
			condition, err := joinCell(column.Subject, test)
			if err != nil {
				return "", fmt.Errorf("case %d, column %d: %w", i+1, j+1, err)
			}
			conditions = append(conditions, condition)
		}
		if strings.TrimSpace(row.Value) == "" {
			return "", fmt.Errorf("case %d has no value", i+1)
		}
		when := strings.Join(conditions, " and ")
		if when == "" {
			when = "true"
		}
		fmt.Fprintf(&b, "if %s then %s else ", when, row.Value)
	}
	otherwise := strings.TrimSpace(c.Otherwise)
	if otherwise == "" {
		otherwise = "null"
	}
	return b.String() + otherwise, nil
}

// joinCell writes the condition of a cell.
func joinCell(subject, test string) (string, error) {
	if strings.TrimSpace(subject) == "" {
		root, _, problem := parse(test, nil, (*parser).expression)
		if problem != nil {
			return "", *problem
		}
		return formatAs(root, bindsComparison), nil
	}
	of, _, problem := parse(subject, nil, (*parser).expression)
	if problem != nil {
		return "", *problem
	}
	root, _, problem := parse(test, nil, (*parser).unaryTests)
	if problem != nil {
		return "", *problem
	}
	in, ok := root.(*In)
	if !ok {
		return "true", nil
	}
	text := formatAs(of, bindsSum)
	tests, negated := in.Tests, false
	if not, isNot := tests[0].(*Not); isNot {
		tests, negated = not.Tests, true
	}
	if len(tests) == 1 && !negated {
		switch t := tests[0].(type) {
		case *Test:
			return text + " " + t.Operator + " " + formatAs(t.Operand, bindsSum), nil
		case *RangeLiteral:
			return text + " in " + Format(t), nil
		case *Literal:
			if t.Value.kind == Boolean { // a yes/no field by itself
				if t.Value.IsTrue() {
					return text, nil
				}
				return "not(" + Format(of) + ")", nil
			}
			return text + " = " + Format(t), nil
		}
		if namesInput(tests[0]) {
			return formatAs(withInput(tests[0], of), bindsComparison), nil
		}
		return text + " in " + formatAs(tests[0], bindsValue), nil
	}
	parts := make([]string, len(tests))
	for i, t := range tests {
		parts[i] = Format(withInput(t, of))
	}
	all := text + " in (" + strings.Join(parts, ", ") + ")"
	if negated {
		return "not(" + all + ")", nil
	}
	return all, nil
}

// withInput puts a node in place of ? in a tree that is not shared.
func withInput(n, input Node) Node {
	if name, ok := n.(*Name); ok && name.Text == Input {
		return input
	}
	switch n := n.(type) {
	case *Binary:
		n.Left, n.Right = withInput(n.Left, input), withInput(n.Right, input)
	case *Between:
		n.Subject, n.Low, n.High = withInput(n.Subject, input), withInput(n.Low, input), withInput(n.High, input)
	case *Call:
		for i := range n.Arguments {
			n.Arguments[i] = withInput(n.Arguments[i], input)
		}
	case *Negate:
		n.Operand = withInput(n.Operand, input)
	case *Path:
		n.Base = withInput(n.Base, input)
	case *In:
		n.Subject = withInput(n.Subject, input)
	case *Test:
		n.Operand = withInput(n.Operand, input)
	case *If:
		n.Condition, n.Then, n.Else = withInput(n.Condition, input), withInput(n.Then, input), withInput(n.Else, input)
	}
	return n
}
