package learn

import (
	"fmt"
	"slices"
	"sort"
	"strings"

	"codicil/core/field"
	"codicil/core/table"
)

// caseOf is a value that follows from codes.
type caseOf struct {
	codes []string
	value string // as it stands in a formula
	text  string // as it is stored
	count int
}

// chosen writes the value that follows from codes: as cases where they are few, else as a crosswalk.
// other is what all other codes get; "": nothing.
func (f *finder) chosen(by []*column, cases []caseOf, gives *field.Field, key, other string) (string, *table.Crosswalk) {
	sort.SliceStable(cases, func(i, j int) bool { return slices.Compare(cases[i].codes, cases[j].codes) < 0 })
	if len(cases) > 8 && gives != nil && gives.Traits().Tables {
		return f.crosswalk(by, cases, gives, key, other)
	}
	// Codes of one value stand together; the value of most is what is left.
	byValue := map[string][]caseOf{}
	counts := map[string]int{}
	var order []string
	for _, c := range cases {
		if byValue[c.value] == nil {
			order = append(order, c.value)
		}
		byValue[c.value] = append(byValue[c.value], c)
		counts[c.value] += c.count
	}
	if other == "" {
		other = "null"
	}
	var text strings.Builder
	for _, value := range order {
		if value == other {
			continue
		}
		fmt.Fprintf(&text, "if %s then %s else ", f.isOneOf(by, byValue[value]), value)
	}
	if text.Len() == 0 {
		return other, nil
	}
	return "(" + text.String() + other + ")", nil
}

// isOneOf is the condition that the columns hold the codes of one of some cases.
func (f *finder) isOneOf(by []*column, cases []caseOf) string {
	if len(by) == 1 {
		codes := make([]string, len(cases))
		for i, c := range cases {
			codes[i] = f.code(by[0], c.codes[0])
		}
		if len(codes) == 1 {
			return f.name(by[0]) + " = " + codes[0]
		}
		return f.name(by[0]) + " in (" + strings.Join(codes, ", ") + ")"
	}
	// Those that share the first code are told together.
	var order []string
	second := map[string][]string{}
	for _, c := range cases {
		if second[c.codes[0]] == nil {
			order = append(order, c.codes[0])
		}
		second[c.codes[0]] = append(second[c.codes[0]], f.code(by[1], c.codes[1]))
	}
	parts := make([]string, len(order))
	for i, first := range order {
		right := f.name(by[1]) + " = " + second[first][0]
		if len(second[first]) > 1 {
			right = f.name(by[1]) + " in (" + strings.Join(second[first], ", ") + ")"
		}
		parts[i] = "(" + f.name(by[0]) + " = " + f.code(by[0], first) + " and " + right + ")"
	}
	return strings.Join(parts, " or ")
}

func (f *finder) code(c *column, text string) string {
	if c.field == nil {
		return fmt.Sprintf("%q", text)
	}
	return literal(c.field, text)
}

func (f *finder) crosswalk(by []*column, cases []caseOf, gives *field.Field, key, other string) (string, *table.Crosswalk) {
	w := &table.Crosswalk{Key: strings.ReplaceAll(strings.TrimPrefix(key, field.LinePrefix), ".", "_"), Label: gives.Label, Note: "Learned from saved records"}
	names := make([]string, len(by))
	for i, c := range by {
		names[i] = f.name(c)
		column := field.Field{Key: "code", Label: "Code", Type: field.Text}
		if c.field != nil {
			column.Key, column.Label = c.field.Column(), c.field.Label
		} else {
			column.Key, column.Label = strings.TrimSuffix(c.key, ".key"), map[string]string{"company.key": "Company", "type.key": "Type"}[c.key]
		}
		w.Keys = append(w.Keys, column)
		w.Label += map[bool]string{true: " by ", false: " and "}[i == 0] + strings.ToLower(column.Label[:1]) + column.Label[1:]
	}
	result := field.Field{Key: "value", Label: gives.Label, Type: field.Text}
	if gives.Traits().Tables {
		result.Type, result.Kind, result.Decimals, result.List, result.Choices = gives.Type, gives.Kind, gives.Decimals, gives.List, gives.Choices
	}
	w.Results = []field.Field{result}
	for _, c := range cases {
		text := c.text
		if text == "" {
			text = c.value
		}
		w.Rows = append(w.Rows, table.Row{Keys: c.codes, Results: []string{text}})
	}
	if other != "" && other != "null" {
		w.Default = []string{strings.Trim(other, `"`)}
	}
	if len(w.Check()) > 0 { // records have what is no longer chosen
		w.Results[0] = field.Field{Key: "value", Label: gives.Label, Type: field.Text}
	}
	return fmt.Sprintf("crosswalk(%q, %s)", w.Key, strings.Join(names, ", ")), w
}
