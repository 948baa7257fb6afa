package feel

import "slices"

func (c *checker) operator(n *Binary) Type {
	if n.Operator == "and" || n.Operator == "or" {
		c.condition(n.Left, n.Operator)
		c.condition(n.Right, n.Operator)
		return BooleanType
	}
	left, right := c.check(n.Left), c.check(n.Right)
	switch n.Operator {
	case "=", "!=":
		c.equatable(n, left, right)
		c.blankText(n)
		c.percentAmong(left, n.Right)
		c.percentAmong(right, n.Left)
		return BooleanType
	case "<", "<=", ">", ">=":
		c.comparable(n, left, right, n.Operator)
		c.percentAmong(left, n.Right)
		c.percentAmong(right, n.Left)
		return BooleanType
	}
	c.bounded = c.bounded || n.Operator == "**"
	t, ok := arithmeticType(n.Operator, left, right)
	if !ok {
		c.clash(n, "%s %s %s cannot be computed%s", article(left), n.Operator, article(right), arithmeticHint(left, right))
	}
	return t
}

func article(t Type) string { return "a " + t.String() }

func arithmeticHint(left, right Type) string {
	if (left.Kind == Date && right.Kind == Number) || (left.Kind == Number && right.Kind == Date) {
		return ": write add days(date, number)"
	}
	if left.Kind == String || right.Kind == String {
		return ": write string(…) or number(…) to convert one side"
	}
	return ""
}

// equatable checks the two sides of = and !=.
func (c *checker) equatable(n Node, left, right Type) {
	known := left.Kind != Null && right.Kind != Null && left.Kind != Any && right.Kind != Any
	if known && left.Kind != right.Kind && !(isDuration(left.Kind) && isDuration(right.Kind)) {
		c.clash(n, "a %s is never equal to a %s%s", left, right, comparisonHint(left, right))
	}
}

// ordered are the kinds that < and > compare.
var ordered = []Kind{Number, String, Date, Time, DateTime, DayTimeDuration, YearMonthDuration, Any, Null}

func (c *checker) comparable(n Node, left, right Type, operator string) {
	switch {
	case !slices.Contains(ordered, left.Kind):
		c.clash(n, "a %s has no order, so %s cannot compare it", left, operator)
	case !left.Fits(right) && right.Kind != Null:
		c.clash(n, "a %s cannot be compared with a %s%s", left, right, comparisonHint(left, right))
	}
}

func comparisonHint(left, right Type) string {
	if (left.Kind == Date && right.Kind == DateTime) || (left.Kind == DateTime && right.Kind == Date) {
		return ": write date(…) around the one with a time of day"
	}
	if left.Kind == Date && right.Kind == String {
		return `: write a date as @"2026-11-24"`
	}
	return ""
}

// blankText warns of a comparison with "", which no blank field ever equals.
func (c *checker) blankText(n *Binary) {
	for _, side := range []Node{n.Left, n.Right} {
		if literal, ok := side.(*Literal); ok && literal.Value.is(String) && literal.Value.text() == "" {
			c.report(n, Warning, "blank", "", `a blank field is null, never "": write is blank(…) or is filled(…)`)
			return
		}
	}
}
