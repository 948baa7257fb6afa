package proof

import (
	"maps"
	"slices"
	"strconv"
	"strings"

	"codicil/core/engine"
	"codicil/core/field"
	"codicil/core/judge"
	"codicil/core/plan"
	"codicil/core/record"
	"codicil/core/rule"
)

// Expectation is what a proof expects.
type Expectation struct {
	Verdict engine.Verdict `json:"verdict"`
	// Values are final values by Address; "" expects a blank. Fields that are not
	// there may have any value.
	Values   map[string]string `json:"values"`
	Messages []Message         `json:"messages"`
	// Bands are the labels of bands by Address; "" expects that the number is in none.
	Bands map[string]string `json:"bands,omitempty"`
	// EntryStates are how fields are met, by Address: as MannerOf tells it.
	EntryStates map[string]string `json:"manners,omitempty"`
	// Writes are what posting writes to linked records, by what Written returns; all of
	// them, and no others. nil: whatever it writes.
	Writes map[string]string `json:"writes,omitempty"`
	// Acting are the rules that must act, or speak.
	Acting []int64 `json:"acting,omitempty"`
}

// Expect expects what came out: for the fields at the addresses, or, when none is named, for
// every field that has a value or that a rule might have given one. The outcome is told with
// detail.
func Expect(out *engine.Outcome, p *plan.Plan, addresses []string) Expectation {
	kind := p.Kind()
	e := Expectation{
		Verdict: out.Verdict, Values: map[string]string{}, Messages: MessagesOf(out, kind), Bands: Bands(out, kind),
		Writes: Writes(out), EntryStates: EntryStates(out, p),
	}
	for _, s := range out.Cells() {
		address := judge.Address(kind, s.Index, s.Line)
		made := slices.ContainsFunc(s.Rules, func(a engine.Act) bool { return a.Rule.Value != nil && a.Rule.Family != rule.FollowUp })
		if (len(addresses) == 0 && (!s.Final.IsNull() || made)) || slices.Contains(addresses, address) {
			e.Values[address] = field.Write(s.Final)
		}
	}
	return e
}

// Renewed expects what came out, of what was expected already: the same fields, and bands,
// manners, writes and acting rules where there were any.
func (e *Expectation) Renewed(out *engine.Outcome, p *plan.Plan) Expectation {
	fields := slices.Collect(maps.Keys(e.Values))
	if len(fields) == 0 {
		fields = []string{""} // none named would mean all
	}
	renewed := Expect(out, p, fields)
	if e.Writes == nil {
		renewed.Writes = nil
	}
	if e.EntryStates == nil {
		renewed.EntryStates = nil
	}
	if e.Bands == nil {
		renewed.Bands = nil
	}
	for _, id := range e.Acting {
		if len(e.with(id).actingIn(out)) == 0 {
			renewed.Acting = append(renewed.Acting, id)
		}
	}
	return renewed
}

// with expects one rule to act, and nothing else.
func (e *Expectation) with(id int64) *Expectation { return &Expectation{Acting: []int64{id}} }

// Mind also expects what the rule might have made of the document, where it made nothing: a
// blank stays blank, a field is met as any other.
func (e *Expectation) Mind(c *rule.Compiled, out *engine.Outcome) {
	kind := c.Vocabulary().Kind
	for _, s := range out.Cells() {
		if !slices.Contains(c.Fields, s.Index) {
			continue
		}
		address := judge.Address(kind, s.Index, s.Line)
		switch own := families[c.Family]; {
		case own.manners:
			if e.EntryStates == nil {
				e.EntryStates = map[string]string{}
			}
			e.EntryStates[address] = EntryStateOf(s.Field)
		case own.watched != nil: // all that it says or writes is expected anyway
		default:
			e.Values[address] = field.Write(s.Final)
			if _, sorted := e.Bands[address]; len(c.Effect.Bands) > 0 && !sorted {
				e.Bands[address] = ""
			}
		}
	}
}

// Written names a field of a linked record that a follow-up writes: "customer C1 credit_used".
func Written(f *engine.FollowUp) string { return f.Kind + " " + f.Number + " " + f.Field.Key }

// Writes returns what an outcome writes to linked records, the last value of each.
func Writes(out *engine.Outcome) map[string]string {
	writes := map[string]string{}
	for i := range out.FollowUps {
		writes[Written(&out.FollowUps[i])] = field.Write(out.FollowUps[i].After)
	}
	return writes
}

// EntryStateOf tells how a field is met: "required, a stop, keyed twice"; "" is nothing special.
func EntryStateOf(f *engine.Field) string {
	parts := []string{}
	switch {
	case f.Access == rule.ReadOnly || f.Access == rule.Hidden:
		parts = append(parts, string(f.Access))
	case f.Need == rule.Required:
		parts = append(parts, string(f.Need))
	}
	if f.Cursor != "" {
		parts = append(parts, string(f.Cursor))
	}
	if f.Twice {
		parts = append(parts, "keyed twice")
	}
	if f.NotLower {
		parts = append(parts, "not lower than before")
	}
	return strings.Join(parts, ", ")
}

// EntryStates returns how the fields are met on which the plan has an entry rule.
func EntryStates(out *engine.Outcome, p *plan.Plan) map[string]string {
	manners := map[string]string{}
	for _, s := range out.Cells() {
		if len(p.At(s.Index, rule.Entry)) > 0 {
			manners[judge.Address(p.Kind(), s.Index, s.Line)] = EntryStateOf(s.Field)
		}
	}
	return manners
}

// Bands returns the labels of the bands that the numbers of an outcome are in.
func Bands(out *engine.Outcome, kind *record.Kind) map[string]string {
	bands := map[string]string{}
	for _, s := range out.Cells() {
		if s.Sorted != nil {
			bands[judge.Address(kind, s.Index, s.Line)] = s.Sorted.Effect.Bands[s.Band].Label
		}
	}
	return bands
}

// Message is an expected message: who speaks, and of which values, never how it reads. All
// messages of an outcome are expected, and no others.
type Message struct {
	Severity rule.Severity `json:"severity"`
	Field    string        `json:"field"`          // key; "": the line, or the document
	Line     int           `json:"line,omitempty"` // number of the line; 0: none
	Rule     int64         `json:"rule,omitempty"` // 0: the field itself speaks
	// Code says what a message is about, as engine.Message has it; "": whatever it is, as in
	// proofs that were kept while they expected texts.
	Code string `json:"code,omitempty"`
	// Values are those in a rule's message, in stored form; nil: any.
	Values []string `json:"values,omitempty"`
}

// Fits tells whether a message that came out is the expected one.
func (m Message) Fits(came Message) bool {
	return m.Severity == came.Severity && m.Field == came.Field && m.Line == came.Line && m.Rule == came.Rule &&
		(m.Code == "" || m.Code == came.Code) && (m.Values == nil || slices.Equal(m.Values, came.Values))
}

// Difference is one thing in which an outcome is not what was expected.
type Difference struct {
	// What is "verdict", "value", "message", "band", "manner", "write" or "rule".
	What     string `json:"what"`
	Field    string `json:"field,omitempty"` // Address; of a write what Written returns; of a rule its ID
	Expected string `json:"expected"`
	Actual   string `json:"actual"`
}

// Compare returns the differences between what is expected and what came out.
func Compare(e *Expectation, out *engine.Outcome, kind *record.Kind) []Difference {
	var differences []Difference
	if e.Verdict != out.Verdict {
		differences = append(differences, Difference{What: "verdict", Expected: string(e.Verdict), Actual: string(out.Verdict)})
	}
	seen := map[string]bool{}
	for _, cell := range out.Cells() {
		address := judge.Address(kind, cell.Index, cell.Line)
		want, expected := e.Values[address]
		seen[address] = true
		if got := field.Write(cell.Final); expected && got != want {
			differences = append(differences, Difference{"value", address, want, got})
		}
	}
	for _, address := range slices.Sorted(maps.Keys(e.Values)) {
		if seen[address] {
			continue
		}
		actual := "the field does not exist"
		if place, _ := judge.IndexOf(kind, address); place >= 0 {
			actual = "the line does not exist"
		}
		differences = append(differences, Difference{"value", address, e.Values[address], actual})
	}
	differences = append(differences, e.bandsIn(out, kind)...)
	differences = append(differences, e.mannersIn(out, kind)...)
	if e.Writes != nil {
		differences = append(differences, compared("write", e.Writes, Writes(out), true)...)
	}
	differences = append(differences, e.actingIn(out)...)
	actual := MessagesOf(out, kind)
	for _, m := range e.Messages {
		if at := slices.IndexFunc(actual, m.Fits); at >= 0 {
			actual = slices.Delete(actual, at, at+1)
			continue
		}
		differences = append(differences, Difference{"message", m.address(), m.write(), ""})
	}
	for _, m := range actual {
		// A message whose values changed is one difference, not two.
		at := slices.IndexFunc(differences, func(d Difference) bool {
			return d.What == "message" && d.Field == m.address() && d.Actual == "" && d.Expected != ""
		})
		if at >= 0 {
			differences[at].Actual = m.write()
			continue
		}
		differences = append(differences, Difference{"message", m.address(), "", m.write()})
	}
	return differences
}

// compared returns where texts by key differ; those that nobody expected only when all do
// count.
func compared(what string, expected, actual map[string]string, all bool) (differences []Difference) {
	for _, key := range slices.Sorted(maps.Keys(expected)) {
		if actual[key] != expected[key] {
			differences = append(differences, Difference{what, key, expected[key], actual[key]})
		}
	}
	for _, key := range slices.Sorted(maps.Keys(actual)) {
		if _, there := expected[key]; all && !there {
			differences = append(differences, Difference{what, key, "", actual[key]})
		}
	}
	return differences
}

func (e *Expectation) bandsIn(out *engine.Outcome, kind *record.Kind) []Difference {
	if len(e.Bands) == 0 {
		return nil
	}
	return compared("band", e.Bands, Bands(out, kind), false)
}

func (e *Expectation) mannersIn(out *engine.Outcome, kind *record.Kind) []Difference {
	if len(e.EntryStates) == 0 {
		return nil
	}
	actual := map[string]string{}
	for _, s := range out.Cells() {
		actual[judge.Address(kind, s.Index, s.Line)] = EntryStateOf(s.Field)
	}
	return compared("manner", e.EntryStates, actual, false)
}

// actingIn returns the expected rules that neither acted nor spoke.
func (e *Expectation) actingIn(out *engine.Outcome) (differences []Difference) {
	if len(e.Acting) == 0 {
		return nil
	}
	did := map[int64]string{}
	for _, s := range out.Cells() {
		for _, a := range s.Rules {
			if did[a.Rule.ID] != engine.Acted && did[a.Rule.ID] != engine.Speaks {
				did[a.Rule.ID] = a.Did
			}
		}
	}
	for _, id := range e.Acting {
		if did[id] == engine.Acted || did[id] == engine.Speaks {
			continue
		}
		actual := did[id]
		if actual == "" {
			actual = "not in the plan"
		}
		differences = append(differences, Difference{"rule", strconv.FormatInt(id, 10), engine.Acted, actual})
	}
	return differences
}

func (m Message) address() string {
	if m.Line == 0 {
		return m.Field
	}
	return judge.AddressOf(m.Field, m.Line)
}

// write tells a message: "refuse: rule 12 (120, 2026-11-24)", "refuse: required".
func (m Message) write() string {
	text := string(m.Severity) + ": "
	switch {
	case m.Rule != 0:
		text += "rule " + strconv.FormatInt(m.Rule, 10)
	case m.Code == "":
		text += "the field itself"
	}
	if m.Code != "" && m.Code != "rule" {
		text = strings.TrimRight(text, " ") + " " + m.Code
	}
	if len(m.Values) > 0 {
		text += " (" + strings.Join(m.Values, ", ") + ")"
	}
	return text
}

// MessagesOf returns the messages of an outcome as a proof keeps them.
func MessagesOf(out *engine.Outcome, kind *record.Kind) []Message {
	list := make([]Message, 0, len(out.Messages))
	for _, m := range out.Messages {
		kept := Message{Severity: m.Severity, Field: m.Key(kind), Line: m.Line, Code: m.Code}
		for _, v := range m.Values {
			kept.Values = append(kept.Values, field.Write(v))
		}
		if m.Rule != nil {
			kept.Rule = m.Rule.ID
		}
		list = append(list, kept)
	}
	return list
}
