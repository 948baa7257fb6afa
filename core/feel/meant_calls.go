package feel

import (
	"fmt"
	"slices"
	"strings"
)

// elsewhere is a function of spreadsheets, databases or programs: what it does here.
type elsewhere struct {
	// least and most are how many arguments it takes; most 0: any number.
	least, most int
	// write writes a call; "" where that cannot be said of these arguments.
	write func(r *meaning, a []*meant) string
	binds int
	// tells says in plain words what there is instead.
	tells string
}

// asWritten writes arguments into a text: $1 for the first, $1t for it as a text.
func asWritten(text string) func(*meaning, []*meant) string {
	return func(r *meaning, a []*meant) string {
		var pairs []string
		for i := range 9 {
			plain, asText := "", ""
			if i < len(a) {
				plain = r.single(a[i]).text
				if strings.Contains(text, fmt.Sprintf("$%dt", i+1)) {
					asText = r.asText(a[i])
				}
			} else if strings.Contains(text, fmt.Sprintf("$%d", i+1)) {
				return ""
			}
			pairs = append(pairs, fmt.Sprintf("$%dt", i+1), asText, fmt.Sprintf("$%d", i+1), plain)
		}
		return strings.NewReplacer(pairs...).Replace(text)
	}
}

// optional is asWritten with another text where the last argument is left out.
func optional(count int, with, without string) func(*meaning, []*meant) string {
	return func(r *meaning, a []*meant) string {
		if len(a) < count {
			return asWritten(without)(r, a)
		}
		return asWritten(with)(r, a)
	}
}

// joinedBy joins conditions, or texts.
func joinedBy(word string, level int) func(*meaning, []*meant) string {
	return func(r *meaning, a []*meant) string {
		texts := make([]string, len(a))
		for i, m := range a {
			if word == "+" {
				texts[i] = r.joinable(r.single(m))
			} else {
				texts[i] = r.condition(m).in(level + 1)
			}
		}
		return strings.Join(texts, " "+word+" ")
	}
}

// listed writes a function of the values of all lines, or of values one by one.
func listed(function string) func(*meaning, []*meant) string {
	return func(r *meaning, a []*meant) string {
		texts := make([]string, len(a))
		for i, m := range a {
			texts[i] = m.text
			if m.column != "" {
				texts[i] = "lines." + m.column
			}
			if strings.HasPrefix(m.text, "line.") && r.names.inLines && len(a) == 1 {
				texts[i] = "lines." + strings.TrimPrefix(m.text, "line.") // of all lines
			}
			if len(a) == 1 && m.operator != "" && m.subject != nil { // count(lines.amount > 5)
				if text := r.linesWith(m); text != "" {
					texts[i] = text
				}
			}
		}
		return function + "(" + strings.Join(texts, ", ") + ")"
	}
}

// linesWith writes the lines of which a condition on a column holds.
func (r *meaning) linesWith(condition *meant) string {
	column := columnOf(condition.subject)
	if column == "" || len(condition.values) != 1 {
		return ""
	}
	return fmt.Sprintf("lines[%s %s %s]", column, condition.operator, condition.values[0].text)
}

func columnOf(m *meant) string {
	if m.column != "" {
		return m.column
	}
	for _, prefix := range []string{"lines.", "line."} {
		if column, ok := strings.CutPrefix(m.text, prefix); ok {
			return column
		}
	}
	return ""
}

// criterion writes what SUMIF and COUNTIF ask of a column: a value, or a text such as ">5".
func (r *meaning) criterion(column string, m *meant) string {
	text := m.plain
	for _, sign := range []string{"<>", ">=", "<=", ">", "<", "="} {
		if rest, ok := strings.CutPrefix(text, sign); ok && m.literal {
			inner := meaning{source: rest, scope: r.scope, names: r.names}
			number, _ := inner.number()
			if number == "" || inner.at != len(rest) {
				number = quote(rest)
			}
			if sign == "<>" {
				sign = "!="
			}
			return column + " " + sign + " " + number
		}
	}
	return column + " = " + r.like(&meant{text: "lines." + column, column: column}, m).text
}

func sumIf(r *meaning, a []*meant) string {
	column, summed := columnOf(a[0]), columnOf(a[len(a)-1])
	if len(a) == 2 {
		summed = column
	}
	if column == "" || summed == "" {
		return ""
	}
	return fmt.Sprintf("sum(lines[%s].%s)", r.criterion(column, a[1]), summed)
}

func countIf(r *meaning, a []*meant) string {
	column := columnOf(a[0])
	if column == "" {
		return ""
	}
	return fmt.Sprintf("count(lines[%s])", r.criterion(column, a[1]))
}

// lookUp writes a crosswalk where one of the arguments names it.
func lookUp(r *meaning, a []*meant) string {
	tables := r.scope[crosswalkName].Tables
	for _, m := range a[1:] {
		name := m.plain
		if name == "" {
			name = m.text
		}
		for table := range tables {
			if folded(table) == folded(name) {
				return fmt.Sprintf("crosswalk(%s, %s)", quote(table), r.single(a[0]).text)
			}
		}
	}
	return ""
}

func choose(r *meaning, a []*meant) string {
	if len(a) == 2 {
		a = append(slices.Clone(a), &meant{text: "null"})
	}
	return fmt.Sprintf("if %s then %s else %s", r.condition(a[0]).text, r.single(a[1]).text, r.single(a[2]).text)
}

// chosen writes IFS(condition, value, …), and SWITCH(subject, value, result, …).
func chosen(subject bool) func(*meaning, []*meant) string {
	return func(r *meaning, a []*meant) string {
		var b strings.Builder
		first := 0
		if subject {
			first = 1
		}
		i := first
		for ; i+1 < len(a); i += 2 {
			condition := a[i]
			if subject {
				condition = r.compared(a[0], "=", a[i])
			}
			fmt.Fprintf(&b, "if %s then %s else ", condition.text, r.single(a[i+1]).text)
		}
		if i < len(a) {
			return b.String() + r.single(a[i]).text
		}
		return b.String() + "null"
	}
}

func dateDifference(r *meaning, a []*meant) string {
	from, to := a[0].text, a[1].text
	switch strings.ToLower(strings.Trim(a[2].text, `"`)) {
	case "d", "day", "days":
		return fmt.Sprintf("(%s - %s).days", a[1].in(meansSum), a[0].in(meansProduct))
	case "m", "month", "months":
		return fmt.Sprintf("years and months duration(%s, %s) / @\"P1M\"", from, to)
	case "y", "year", "years":
		return fmt.Sprintf("years and months duration(%s, %s).years", from, to)
	}
	return ""
}

func monthEnd(r *meaning, a []*meant) string {
	if a[1].text == "0" {
		return "month end(" + a[0].text + ")"
	}
	return fmt.Sprintf("month end(add months(%s, %s))", a[0].text, a[1].text)
}

func part(name string) elsewhere {
	return elsewhere{1, 1, func(r *meaning, a []*meant) string { return a[0].in(meansValue) + "." + name }, meansValue, "is written with a dot: posting_date." + name}
}

// functionsElsewhere are the functions by their names in capitals.
var functionsElsewhere map[string]elsewhere

func init() {
	functionsElsewhere = map[string]elsewhere{
		"IF": {2, 3, choose, meansOr, "is written if … then … else …"}, "IIF": {2, 3, choose, meansOr, "is written if … then … else …"},
		"IFS": {2, 0, chosen(false), meansOr, "is written if … then … else if … then … else …"}, "SWITCH": {3, 0, chosen(true), meansOr, "is written if … then … else if … then … else …"},
		"AND": {1, 0, joinedBy("and", meansAnd), meansAnd, "stands between conditions: … and …"}, "OR": {1, 0, joinedBy("or", meansOr), meansOr, "stands between conditions: … or …"},
		"XOR":     {2, 2, asWritten("(($1) != ($2))"), meansValue, "of two conditions is written (…) != (…)"},
		"NOT":     {1, 1, func(r *meaning, a []*meant) string { return "not(" + r.condition(a[0]).text + ")" }, meansValue, "is written in small letters: not(…)"},
		"ISBLANK": {1, 1, asWritten("is blank($1)"), meansValue, "is written is blank(…)"}, "ISEMPTY": {1, 1, asWritten("is blank($1)"), meansValue, "is written is blank(…)"}, "ISNULL": {1, 1, asWritten("is blank($1)"), meansValue, "is written is blank(…)"},
		"IFNULL": {2, 2, asWritten("if is blank($1) then $2 else $1"), meansOr, "is written if is blank(…) then … else …"}, "NVL": {2, 2, asWritten("if is blank($1) then $2 else $1"), meansOr, "is written if is blank(…) then … else …"}, "COALESCE": {2, 2, asWritten("if is blank($1) then $2 else $1"), meansOr, "is written if is blank(…) then … else …"},
		"IFERROR":  {1, 2, nil, 0, "is not there: a formula that fails is reported and never passes silently. Ask before, as in if quantity = 0 then null else amount / quantity"},
		"ISNUMBER": {1, 1, asWritten("$1 instance of number"), meansComparison, "is written … instance of number"}, "ISTEXT": {1, 1, asWritten("$1 instance of string"), meansComparison, "is written … instance of string"},
		"ROUND": {1, 2, optional(2, "round half up($1, $2)", "round half up($1, 0)"), meansValue, "is written round half up(number, places)"}, "ROUNDUP": {1, 2, optional(2, "round up($1, $2)", "round up($1, 0)"), meansValue, "is written round up(number, places)"},
		"ROUNDDOWN": {1, 2, optional(2, "round down($1, $2)", "round down($1, 0)"), meansValue, "is written round down(number, places)"}, "TRUNC": {1, 2, optional(2, "round down($1, $2)", "round down($1, 0)"), meansValue, "is written round down(number, places)"},
		"INT": {1, 1, asWritten("floor($1)"), meansValue, "is written floor(…)"}, "CEIL": {1, 1, asWritten("ceiling($1)"), meansValue, "is written ceiling(…)"},
		"MOD": {2, 2, asWritten("modulo($1, $2)"), meansValue, "is written modulo(…, …)"}, "POWER": {2, 2, asWritten("($1) ** ($2)"), meansPower, "is written … ** …"}, "POW": {2, 2, asWritten("($1) ** ($2)"), meansPower, "is written … ** …"},
		"LN": {1, 1, asWritten("log($1)"), meansValue, "is written log(…)"}, "LOG10": {1, 1, asWritten("log($1) / log(10)"), meansProduct, "is written log(…) / log(10)"}, "PI": {0, 0, func(*meaning, []*meant) string { return "3.141592653589793238462643383279503" }, meansValue, "is written as its number"},
		"LEN": {1, 1, asWritten("string length($1t)"), meansValue, "is written string length(…)"}, "LENGTH": {1, 1, asWritten("string length($1t)"), meansValue, "is written string length(…)"},
		"LEFT": {1, 2, optional(2, "substring($1t, 1, $2)", "substring($1t, 1, 1)"), meansValue, "is written substring(text, 1, number)"}, "RIGHT": {1, 2, optional(2, "substring($1t, -$2)", "substring($1t, -1)"), meansValue, "is written substring(text, -number)"},
		"MID": {3, 3, asWritten("substring($1t, $2, $3)"), meansValue, "is written substring(text, start, number)"}, "SUBSTR": {2, 3, optional(3, "substring($1t, $2, $3)", "substring($1t, $2)"), meansValue, "is written substring(text, start, number)"},
		"CONCATENATE": {1, 0, joinedBy("+", meansSum), meansSum, "is written with +"}, "CONCAT": {1, 0, joinedBy("+", meansSum), meansSum, "is written with +"},
		"TEXTJOIN": {3, 0, func(r *meaning, a []*meant) string {
			texts := make([]string, 0, len(a))
			for _, m := range a[2:] {
				texts = append(texts, r.asText(m))
			}
			return "string join([" + strings.Join(texts, ", ") + "], " + a[0].text + ")"
		}, meansValue, "is written string join([…], separator)"},
		"UPPER": {1, 1, asWritten("upper case($1t)"), meansValue, "is written upper case(…)"}, "UCASE": {1, 1, asWritten("upper case($1t)"), meansValue, "is written upper case(…)"}, "TOUPPER": {1, 1, asWritten("upper case($1t)"), meansValue, "is written upper case(…)"},
		"LOWER": {1, 1, asWritten("lower case($1t)"), meansValue, "is written lower case(…)"}, "LCASE": {1, 1, asWritten("lower case($1t)"), meansValue, "is written lower case(…)"}, "TOLOWER": {1, 1, asWritten("lower case($1t)"), meansValue, "is written lower case(…)"},
		"TRIM":       {1, 1, func(r *meaning, a []*meant) string { return "replace(" + r.asText(a[0]) + `, "^\\s+|\\s+$", "")` }, meansValue, `is written replace(text, "^\\s+|\\s+$", ""); what is entered in a field is trimmed anyway`},
		"SUBSTITUTE": {3, 3, substituted, meansValue, "is written replace(text, pattern, text)"},
		"FIND":       {2, 3, nil, 0, "is asked with contains(text, part), starts with(text, part) or substring after(text, part)"}, "SEARCH": {2, 3, nil, 0, "is asked with contains(text, part), starts with(text, part) or substring after(text, part)"}, "INSTR": {2, 3, nil, 0, "is asked with contains(text, part), starts with(text, part) or substring after(text, part)"},
		"EXACT": {2, 2, asWritten("($1) = ($2)"), meansComparison, "is written … = …"}, "TEXT": {1, 2, asWritten("string($1)"), meansValue, "is written string(…), without a format: fields are shown in the format of their reader"}, "VALUE": {1, 1, asWritten("number($1t)"), meansValue, "is written number(…)"}, "STR": {1, 1, asWritten("string($1)"), meansValue, "is written string(…)"},
		"PROPER":  {1, 1, nil, 0, "is not there; upper case(…) and lower case(…) are"},
		"VLOOKUP": {2, 0, lookUp, meansValue, "is what crosswalks are for: crosswalk(\"name\", key), with the table kept under Tables"}, "HLOOKUP": {2, 0, lookUp, meansValue, "is what crosswalks are for: crosswalk(\"name\", key), with the table kept under Tables"},
		"XLOOKUP": {2, 0, lookUp, meansValue, "is what crosswalks are for: crosswalk(\"name\", key), with the table kept under Tables"}, "LOOKUP": {2, 0, lookUp, meansValue, "is what crosswalks are for: crosswalk(\"name\", key), with the table kept under Tables"},
		"INDEX": {1, 0, nil, 0, "is written list[position]; a value from a table is looked up with crosswalk(\"name\", key)"}, "MATCH": {1, 0, nil, 0, "is not there; a value from a table is looked up with crosswalk(\"name\", key), a text is tested with matches(text, pattern)"},
		"SUMIF": {2, 3, sumIf, meansValue, "is written sum(lines[condition].amount), with the condition on one line"}, "SUMIFS": {3, 0, nil, 0, "is written sum(lines[condition and condition].amount), with the conditions on one line"},
		"COUNTIF": {2, 2, countIf, meansValue, "is written count(lines[condition]), with the condition on one line"}, "COUNTIFS": {2, 0, nil, 0, "is written count(lines[condition and condition]), with the conditions on one line"},
		"SUMPRODUCT": {2, 2, func(r *meaning, a []*meant) string {
			x, y := columnOf(a[0]), columnOf(a[1])
			if x == "" || y == "" {
				return ""
			}
			return fmt.Sprintf("sum(for line in lines return line.%s * line.%s)", x, y)
		}, meansValue, "is written sum(for line in lines return line.quantity * line.price)"},
		"AVERAGE": {1, 0, listed("mean"), meansValue, "is written mean(…)"}, "AVG": {1, 0, listed("mean"), meansValue, "is written mean(…)"}, "COUNTA": {1, 0, listed("count"), meansValue, "is written count(…)"},
		"SUM": {1, 0, listed("sum"), meansValue, "is written in small letters: sum(…)"}, "MIN": {1, 0, listed("min"), meansValue, "is written in small letters: min(…)"}, "MAX": {1, 0, listed("max"), meansValue, "is written in small letters: max(…)"}, "COUNT": {1, 0, listed("count"), meansValue, "is written in small letters: count(…)"},
		"TODAY": {0, 0, func(*meaning, []*meant) string { return "today()" }, meansValue, "is written in small letters: today()"}, "GETDATE": {0, 0, func(*meaning, []*meant) string { return "today()" }, meansValue, "is written today()"}, "NOW": {0, 0, func(*meaning, []*meant) string { return "now()" }, meansValue, "is written in small letters: now()"},
		"YEAR": part("year"), "MONTH": part("month"), "DAY": part("day"), "HOUR": part("hour"), "MINUTE": part("minute"), "SECOND": part("second"), "WEEKDAY": part("weekday"),
		"EDATE": {2, 2, asWritten("add months($1, $2)"), meansValue, "is written add months(date, number)"}, "EOMONTH": {2, 2, monthEnd, meansValue, "is written month end(add months(date, number))"},
		"WORKDAY": {2, 2, asWritten("add workdays($1, $2)"), meansValue, "is written add workdays(date, number)"}, "NETWORKDAYS": {2, 3, nil, 0, "is not there; add workdays(date, number) counts workdays from a date"},
		"DATEDIF": {3, 3, dateDifference, meansProduct, "is written (later - earlier).days, or years and months duration(earlier, later) / @\"P1M\" for months"}, "DAYS": {2, 2, func(r *meaning, a []*meant) string {
			return fmt.Sprintf("(%s - %s).days", a[0].in(meansSum), a[1].in(meansProduct))
		}, meansValue, "is written (later - earlier).days"},
		"DATEADD": {2, 3, nil, 0, "is written add days(date, number), add months(date, number) or add workdays(date, number)"}, "DATEVALUE": {1, 1, func(r *meaning, a []*meant) string {
			if written, _ := dateMeant(a[0].plain); written != "" {
				return written
			}
			return "date(" + r.asText(a[0]) + ")"
		}, meansValue, "is written date(…), or @\"2026-11-24\""},
		"WEEKNUM": {1, 2, asWritten("week of year($1)"), meansValue, "is written week of year(…)"}, "ISOWEEKNUM": {1, 1, asWritten("week of year($1)"), meansValue, "is written week of year(…)"},
		"CHOOSE": {2, 0, nil, 0, "is written if … then … else …, or as a crosswalk"}, "INDIRECT": {1, 0, nil, 0, "is not there: fields are named"}, "OFFSET": {1, 0, nil, 0, "is not there: fields are named"},
		"ISMEMBER": {2, 0, nil, 0, "is written … in (…, …)"},
	}
}

func substituted(r *meaning, a []*meant) string {
	if a[1].plain == "" {
		return ""
	}
	replacement := a[2].text
	if a[2].literal {
		replacement = quote(strings.NewReplacer(`\`, `\\`, "$", `\$`).Replace(a[2].plain))
	}
	var b strings.Builder
	for _, c := range a[1].plain {
		if strings.ContainsRune(`\.+*?(){}[]|^$-`, c) {
			b.WriteByte('\\')
		}
		b.WriteRune(c)
	}
	return fmt.Sprintf("replace(%s, %s, %s)", r.asText(a[0]), quote(b.String()), replacement)
}

// foldedBuiltin returns our own function whose folded name it is; "": there is none.
func foldedBuiltin(name string) string {
	for _, known := range builtinNames {
		if folded(known) == folded(name) {
			return known
		}
	}
	return ""
}

// callNamed reads a call of a function whose name the words are; nil: they are no call.
func (r *meaning) callNamed(start int, ends []int) *meant {
	if len(ends) == 0 {
		return nil
	}
	at := ends[len(ends)-1]
	for at < len(r.source) && r.source[at] == ' ' {
		at++
	}
	if at >= len(r.source) || r.source[at] != '(' {
		return nil
	}
	name := r.source[start:ends[len(ends)-1]]
	if slices.Contains(r.locals, name) {
		r.give()
	}
	r.at = at + 1
	upper := strings.ToUpper(strings.NewReplacer("_", "", " ", "").Replace(name))
	f, found := functionsElsewhere[upper]
	if found = found && builtins[name] == nil; found {
		r.advise(start, ends[len(ends)-1], "spreadsheet", "%s %s", name, r.example(f.tells))
	}
	arguments := r.list(")")
	if builtins[name] != nil {
		return r.builtinCall(start, name, arguments)
	}
	if found {
		return r.elsewhere(start, name, &f, arguments)
	}
	if known := foldedBuiltin(name); known != "" {
		r.note(start, ends[len(ends)-1], "unknown-name", "the function %s is written %s(…)", name, known)
		return r.builtinCall(start, known, arguments)
	}
	if near := nearest(name, builtinNames); near != "" && distance(strings.ToLower(name), strings.ToLower(near)) <= max(1, len(name)/4) {
		r.note(start, ends[len(ends)-1], "unknown-name", "there is no function %q; did you mean %s?", name, near)
		return r.builtinCall(start, near, arguments)
	}
	r.advise(start, ends[len(ends)-1], "unknown-name", "there is no function %q; the list of functions tells which there are", name)
	return r.made(start, meansValue, "%s(%s)", name, textsOf(arguments))
}

// elsewhere writes a call of a function that is not ours.
func (r *meaning) elsewhere(start int, name string, f *elsewhere, arguments []*meant) *meant {
	if len(arguments) < f.least || (f.most > 0 && len(arguments) > f.most) || (f.least == 0 && f.most == 0 && len(arguments) > 0) || f.write == nil {
		return r.made(start, meansValue, "%s(%s)", name, textsOf(arguments))
	}
	text := f.write(r, arguments)
	if text == "" {
		return r.made(start, meansValue, "%s(%s)", name, textsOf(arguments))
	}
	return r.made(start, f.binds, "%s", text)
}

// lists are the functions that take the values of all lines.
var lists = []string{"sum", "count", "min", "max", "mean", "median", "stddev", "mode", "product", "distinct values", "all", "any", "sort"}

// builtinCall writes a call of one of our functions.
func (r *meaning) builtinCall(start int, name string, arguments []*meant) *meant {
	if slices.Contains(lists, name) {
		for _, a := range arguments {
			if a.column != "" || (len(arguments) == 1 && strings.HasPrefix(a.text, "line.") && r.names.inLines) {
				r.columnInList(a)
			} else if len(arguments) == 1 && a.operator != "" && a.subject != nil && columnOf(a.subject) != "" && name == "count" {
				r.note(a.start, a.end, "lines", "the lines of which a condition holds are written lines[condition]")
			}
		}
		return r.made(start, meansValue, "%s", listed(name)(r, arguments))
	}
	if name == "not" && len(arguments) == 1 {
		return r.negated(&meant{text: r.condition(arguments[0]).text, start: start})
	}
	texts := make([]string, len(arguments))
	for i, a := range arguments {
		a = r.single(a)
		texts[i] = a.text
		b := builtins[name]
		if form := b.forms[0]; i < len(form) && (a.literal || a.word) {
			if want := form[i].typ.Kind; want == Date {
				texts[i] = r.like(&meant{text: `@"2026-01-01"`}, a).text
			} else if want == String && a.word {
				texts[i] = r.asText(a)
			}
		}
	}
	return r.made(start, meansValue, "%s(%s)", name, strings.Join(texts, ", "))
}

func (r *meaning) columnInList(a *meant) {
	column := columnOf(a)
	r.note(a.start, a.end, "lines", "the values of %s in all lines are written lines.%s", column, column)
}

// methods are functions that are called on a value elsewhere.
var methods = map[string]string{
	"contains": "contains($0, $1t)", "includes": "contains($0, $1t)", "startswith": "starts with($0, $1t)", "endswith": "ends with($0, $1t)", "touppercase": "upper case($0)", "upper": "upper case($0)",
	"tolowercase": "lower case($0)", "lower": "lower case($0)", "length": "string length($0)", "len": "string length($0)", "isempty": "is blank($0)", "isblank": "is blank($0)", "matches": "matches($0, $1t)",
	"equals": "$0 = $1", "sum": "sum($0)", "count": "count($0)", "tostring": "string($0)",
}

// method reads the arguments of a function that is called on a value.
func (r *meaning) method(base *meant, name string, at int) *meant {
	r.at++
	arguments := r.list(")")
	form, found := methods[folded(name)]
	if !found {
		r.give()
	}
	r.note(at, r.at, "spreadsheet", "a function stands before its values: %s", strings.NewReplacer("$0", "…", "$1t", "…", "$1", "…").Replace(form))
	of := base.text
	if base.column != "" {
		of = "lines." + base.column
	}
	if strings.Contains(form, "$1") && len(arguments) == 0 {
		r.give()
	}
	text := strings.ReplaceAll(form, "$0", of)
	if len(arguments) > 0 {
		text = strings.NewReplacer("$1t", r.asText(arguments[0]), "$1", arguments[0].text).Replace(text)
	}
	binds := meansValue
	if strings.Contains(form, " = ") {
		binds = meansComparison
	}
	return r.made(base.start, binds, "%s", text)
}
