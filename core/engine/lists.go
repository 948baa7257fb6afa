package engine

import (
	"crypto/sha256"
	"encoding/hex"

	"codicil/core/feel"
	"codicil/core/rule"
)

// lists are what a run knows of lists over all lines, each found once: rules that read one
// run in every line.
type lists struct {
	stored  map[int]feel.Value // as last saved, by field
	changed map[int]compared   // whether a list is another than was last saved, by field
	digests map[int]digested   // by place in a formula
	keys    map[*rule.Compiled]map[string]int
}

type compared struct {
	list feel.Value
	so   bool
}

type digested struct {
	list feel.Value
	text string
}

// listAt is the slot of the values of a column in all lines; of all columns for allLines.
func (r *run) listAt(field int) *feel.Value {
	v := r.plan.Vocabulary
	if field == allLines {
		return &r.frame.Slots[v.Lines]
	}
	return &r.frame.Slots[v.ListSlot(field-v.Headers, rule.SoFar)]
}

// storedList is what listAt held when the document was last saved. Cost: the saved lines, once
// a run.
func (r *run) storedList(field int) feel.Value {
	if list, found := r.lists.stored[field]; found {
		return list
	}
	saved := r.c.StoredLines
	var list feel.Value
	if field == allLines {
		list = r.contexts(len(saved), func(i int) (feel.Value, []feel.Value) {
			return feel.IntegerOf(int64(saved[i].Number)), saved[i].Values
		})
	} else {
		values := make([]feel.Value, len(saved))
		for i := range saved {
			values[i] = saved[i].Values[field-r.plan.Vocabulary.Headers]
		}
		list = feel.ListOf(values)
	}
	if r.lists.stored == nil {
		r.lists.stored = map[int]feel.Value{}
	}
	r.lists.stored[field] = list
	return list
}

// listChanged tells whether a list differs from what was last saved. Cost: the lines, once for
// each list that there is.
func (r *run) listChanged(field int) bool {
	now := *r.listAt(field)
	if known, found := r.lists.changed[field]; found && feel.Identical(known.list, now) {
		return known.so
	}
	if r.lists.changed == nil {
		r.lists.changed = map[int]compared{}
	}
	so := !feel.Same(now, r.storedList(field))
	r.lists.changed[field] = compared{now, so}
	return so
}

// fewItems are so few that a list is written out.
const fewItems = 100

// digest stands for a value in few characters. at tells values of one place apart from those
// of another: a list that is read in every line is gone through once. Cost: that of the value.
func (r *run) digest(at int, v feel.Value) string {
	if items, isList := v.Count(); !isList || items <= fewItems {
		return v.String()
	}
	if known, found := r.lists.digests[at]; found && feel.Identical(known.list, v) {
		return known.text
	}
	sum := sha256.Sum256([]byte(v.String()))
	text := hex.EncodeToString(sum[:])
	if r.lists.digests == nil {
		r.lists.digests = map[int]digested{}
	}
	r.lists.digests[at] = digested{v, text}
	return text
}

// firstWith is the first line that has the key of a unique rule. Cost: the lines, once for each
// rule.
func (r *run) firstWith(c *rule.Compiled, key string) int {
	lines, found := r.lists.keys[c]
	if !found {
		lines = make(map[string]int, len(r.c.Lines))
		for line := range r.c.Lines {
			own, filled := c.Effect.Unique.Ignore.Key(r.textsAt(c, r.c.Lines[line].Number))
			if _, before := lines[own]; filled && !before {
				lines[own] = line
			}
		}
		if r.lists.keys == nil {
			r.lists.keys = map[*rule.Compiled]map[string]int{}
		}
		r.lists.keys[c] = lines
	}
	return lines[key]
}
