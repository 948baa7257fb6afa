package record

import (
	"fmt"
	"strconv"
	"strings"
)

// Origin says who gave a value: "person", "load", "carried" for a value that came over from
// the record before, or a rule in a version, written "rule 12 v3". "" is not known, as of
// values that were saved before origins were kept.
type Origin string

// The origins that are no rule.
const (
	Unknown Origin = ""
	Person  Origin = "person"
	Load    Origin = "load"
	Carried Origin = "carried"
)

// Origins are the origins of values, by field or by column.
type Origins map[string]Origin

// ByRule is the origin of what a rule gave.
func ByRule(id int64, version int) Origin {
	return Origin(fmt.Sprintf("rule %d v%d", id, version))
}

// Rule returns the rule that gave the value, and its version; false when none did.
func (o Origin) Rule() (id int64, version int, ok bool) {
	rest, isRule := strings.CutPrefix(string(o), "rule ")
	number, v, two := strings.Cut(rest, " v")
	if !isRule || !two {
		return 0, 0, false
	}
	id, errID := strconv.ParseInt(number, 10, 64)
	version, errVersion := strconv.Atoi(v)
	return id, version, errID == nil && errVersion == nil
}
