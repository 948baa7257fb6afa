package rule

import (
	"slices"
	"strings"
)

func init() {
	families[Entry] = conduct{
		begin:   Effect{Need: Required, Access: Open},
		check:   (*Compiled).checkEntry,
		phrase:  func(t telling) string { return entryWords(&t.Effect) },
		deed:    func(t telling, label string) string { return label + " is " + entryWords(&t.Effect) },
		subject: verb(" is "),
	}
}

// checkEntry refuses what makes no sense together.
func (c *Compiled) checkEntry(complain complaint) {
	e := &c.Effect
	closed := e.Access == ReadOnly || e.Access == Hidden
	switch {
	case e.Need == "" && e.Access == "" && e.Cursor == "" && e.Keying == "":
		complain("need", "choose what the rule says of the field: whether it must be filled, who may type there, what the cursor does, or how often it is keyed")
	case !slices.Contains([]Need{"", Required, Optional}, e.Need):
		complain("need", "choose whether the field must be filled: required or optional")
	case !slices.Contains([]Access{"", Open, ReadOnly, Hidden}, e.Access):
		complain("access", "choose whether people may type there: open, read-only or hidden")
	case !slices.Contains([]Cursor{"", InTurn, PassedOver, Stop}, e.Cursor):
		complain("cursor", "choose what the cursor does: normal order, skipped, or stop")
	case !slices.Contains([]Keying{"", Once, Twice, NotLower}, e.Keying):
		complain("keying", "choose how a new value is keyed: once, twice, or not lower than before")
	case e.Need == Required && closed:
		complain("access", "nobody can fill a field that is %s: it cannot be required by the same rule", e.Access)
	case closed && (e.Cursor == Stop || e.Cursor == PassedOver || e.Keying == Twice || e.Keying == NotLower):
		complain("cursor", "nobody enters a field that is %s: it can be no stop, nothing passed over, nothing keyed twice", e.Access)
	case e.Cursor == PassedOver && e.Keying == Twice:
		complain("cursor", "a field that the cursor passes over cannot be keyed twice")
	}
}

// entryWords says how a field is met: "required, a cursor stop, keyed twice". An aspect that goes
// without saying is said only where nothing else is, or where it stands against wider rules.
func entryWords(e *Effect) string {
	var parts []string
	closed := e.Access == ReadOnly || e.Access == Hidden
	if e.Need == Required || (e.Need == Optional && !closed) {
		parts = append(parts, string(e.Need))
	}
	if closed || (e.Access == Open && e.Need == "") {
		parts = append(parts, string(e.Access))
	}
	for _, words := range []string{
		map[Cursor]string{PassedOver: "skipped by the cursor", Stop: "a cursor stop", InTurn: "in the normal cursor order"}[e.Cursor],
		map[Keying]string{Twice: "keyed twice", Once: "keyed once", NotLower: "not lower than before"}[e.Keying],
	} {
		if words != "" {
			parts = append(parts, words)
		}
	}
	return strings.Join(parts, ", ")
}
