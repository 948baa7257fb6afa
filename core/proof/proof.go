// Package proof holds kept test documents with what is expected of them, and
// tells where an outcome differs.
//
// It must never know where proofs are kept. Start reading at Proof and Runner.
package proof

import (
	"fmt"
	"maps"
	"slices"
	"strconv"
	"strings"

	"codicil/core/engine"
	"codicil/core/feel"
	"codicil/core/plan"
	"codicil/core/record"
	"codicil/core/rule"
)

// Item is one entered value: the stored form of a value, or a text that was not
// of the field's type, kept as typed.
type Item struct {
	Value string `json:"value,omitempty"`
	Typed string `json:"typed,omitempty"`
	// Again is what was typed the second time, where a value is keyed twice: in stored
	// form beside a Value.
	Again string `json:"again,omitempty"`
}

// Document is a test document as it is kept.
type Document struct {
	Kind    string          `json:"kind"`
	Company string          `json:"company"`
	Type    string          `json:"type"`
	Day     record.Day      `json:"day"`
	Entered map[string]Item `json:"entered"` // by field; what is not there is blank
	Lines   []Line          `json:"lines,omitempty"`
	// Stored holds the saved values of the header that the document changes; nil:
	// a new record.
	Stored map[string]string `json:"stored,omitempty"`
	// StoredLines are the saved lines; those whose number is not among Lines are removed.
	StoredLines []record.Line `json:"storedLines,omitempty"`
	// Record is the number of the saved record that Stored was taken from, for people.
	Record string `json:"record,omitempty"`
	// Previous and PreviousOfType are what the person saved before, of the kind and of the
	// kind and type; nil: nothing.
	Previous       *record.Content `json:"previous,omitempty"`
	PreviousOfType *record.Content `json:"previousOfType,omitempty"`
	// Reasons are what was said to go on in spite of a confirm, by rule.
	Reasons map[int64]string `json:"reasons,omitempty"`
	// User is the name of the person who is taken to enter the document; "": who runs it.
	User string `json:"user,omitempty"`
	// Format is how typed texts are to be read; nil: record.Plain.
	Format *record.Format `json:"format,omitempty"`
	// Carried is what the document read besides itself when it was kept; nil: everything is
	// read as it is now.
	Carried *Carried `json:"carried,omitempty"`
}

// Line is an entered line.
type Line struct {
	Number  int             `json:"number"`  // names the line; a saved line has the same
	Entered map[string]Item `json:"entered"` // by column: the field's key without record.LinePrefix
}

// Expectation is what a proof expects.
type Expectation struct {
	Verdict engine.Verdict `json:"verdict"`
	// Values are final values by Address; "" expects a blank. Fields that are not
	// there may have any value.
	Values   map[string]string `json:"values"`
	Messages []Message         `json:"messages"`
	// Bands are the labels of bands by Address; "" expects that the number is in none.
	Bands map[string]string `json:"bands,omitempty"`
	// Manners are how fields are met, by Address: as MannerOf tells it.
	Manners map[string]string `json:"manners,omitempty"`
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
		Writes: Writes(out), Manners: Manners(out, p),
	}
	for _, s := range out.Spots() {
		address := Address(kind, s.Place, s.Line)
		made := slices.ContainsFunc(s.Rules, func(a engine.Act) bool { return a.Rule.Value != nil && a.Rule.Family != rule.FollowUp })
		if (len(addresses) == 0 && (!s.Final.IsNull() || made)) || slices.Contains(addresses, address) {
			e.Values[address] = record.Write(s.Final)
		}
	}
	return e
}

// Mind also expects what the rule might have made of the document, where it made nothing: a
// blank stays blank, a field is met as any other.
func (e *Expectation) Mind(c *rule.Compiled, out *engine.Outcome) {
	kind := c.Vocabulary().Kind
	for _, s := range out.Spots() {
		if !slices.Contains(c.Fields, s.Place) {
			continue
		}
		address := Address(kind, s.Place, s.Line)
		switch {
		case c.Family == rule.Entry:
			if e.Manners == nil {
				e.Manners = map[string]string{}
			}
			e.Manners[address] = MannerOf(s.Field)
		case c.Family == rule.Validate || c.Family == rule.FollowUp:
			// all messages and all that is written are expected anyway
		default:
			e.Values[address] = record.Write(s.Final)
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
		writes[Written(&out.FollowUps[i])] = record.Write(out.FollowUps[i].After)
	}
	return writes
}

// MannerOf tells how a field is met: "required, a stop, keyed twice"; "" is nothing special.
func MannerOf(f *engine.Field) string {
	parts := []string{}
	for _, part := range []string{string(f.Manner), string(f.Cursor)} {
		if part != "" && part != string(rule.Optional) {
			parts = append(parts, part)
		}
	}
	if f.Twice {
		parts = append(parts, "keyed twice")
	}
	return strings.Join(parts, ", ")
}

// Manners returns how the fields are met on which the plan has an entry rule.
func Manners(out *engine.Outcome, p *plan.Plan) map[string]string {
	manners := map[string]string{}
	for _, s := range out.Spots() {
		if len(p.At(s.Place, rule.Entry)) > 0 {
			manners[Address(p.Kind(), s.Place, s.Line)] = MannerOf(s.Field)
		}
	}
	return manners
}

// Bands returns the labels of the bands that the numbers of an outcome are in.
func Bands(out *engine.Outcome, kind *record.Kind) map[string]string {
	bands := map[string]string{}
	for _, s := range out.Spots() {
		if s.Sorted != nil {
			bands[Address(kind, s.Place, s.Line)] = s.Sorted.Effect.Bands[s.Band].Label
		}
	}
	return bands
}

// Message is an expected message. All messages of an outcome are expected, and no others.
type Message struct {
	Severity rule.Severity `json:"severity"`
	Field    string        `json:"field"`          // key; "": the line, or the document
	Line     int           `json:"line,omitempty"` // number of the line; 0: none
	Text     string        `json:"text"`
	Rule     int64         `json:"rule,omitempty"` // 0: the field itself speaks
}

// Proof is a kept test document with what is expected of it.
type Proof struct {
	ID     int64       `json:"id"`
	Name   string      `json:"name"`
	Rules  []int64     `json:"rules"` // the rules that it proves
	Given  Document    `json:"given"`
	Expect Expectation `json:"expect"`
	// Posting is the number of the test posting that the proof was kept from; may be "".
	Posting string `json:"posting,omitempty"`
	// Seen are the versions of the rules in the plan when the proof was kept, or what came
	// out was accepted, by number.
	Seen map[int64]int `json:"seen,omitempty"`
	// Unread tells that the proof was suggested and accepted, and that no person has read it
	// since.
	Unread bool `json:"unread,omitempty"`
}

// Difference is one thing in which an outcome is not what was expected.
type Difference struct {
	// What is "verdict", "value", "message", "band", "manner", "write" or "rule".
	What     string `json:"what"`
	Field    string `json:"field,omitempty"` // Address; of a write what Written returns; of a rule its ID
	Expected string `json:"expected"`
	Actual   string `json:"actual"`
}

// Setting is what the case of a document needs besides the document.
type Setting struct {
	Company *record.Company
	User    string
	Now     feel.Value
	Moment  rule.Moment
	Keyed   bool          // a person keys the document
	Linked  engine.Linked // nil: links are taken as they are
	Peers   engine.Peers  // nil: there are no other records
	// record is where to note what the case reads besides the document; nil: nowhere.
	record *Carried
}

// Case makes the case of a document, and the plan that it goes through: with the standing
// values that the document carries. The error says that the document names fields that its
// kind does not have, or lines twice.
func (d *Document) Case(p *plan.Plan, s Setting) (*plan.Plan, *engine.Case, error) {
	c := &engine.Case{Linked: s.Linked, Peers: s.Peers, Record: d.Record, Moment: s.Moment, Keyed: s.Keyed, User: s.User, Now: s.Now, Reasons: d.Reasons}
	if d.User != "" {
		c.User = d.User
	}
	if d.Carried != nil || s.record != nil {
		p = p.WithStanding(d.Carried.standing())
		w := &world{carried: d.Carried, kinds: p.Vocabulary.Linkable, linked: s.Linked, tables: p.Crosswalks, peers: s.Peers, record: s.record, looked: map[string]bool{}}
		c.Linked, c.Peers, c.Tables = w, w, w
	}
	return p, c, d.read(c, p.Kind(), s.Company)
}

// read puts the values of the document into its case.
func (d *Document) read(c *engine.Case, kind *record.Kind, company *record.Company) error {
	reader := reader{kind: kind, format: record.Plain, here: record.Surroundings{Company: company, Day: d.Day}}
	if d.Format != nil {
		reader.format = *d.Format
	}
	var err error
	headers := kind.Headers()
	if c.Header, err = reader.values("", 0, headers, d.Entered, d.Stored); err != nil {
		return err
	}
	reader.before(&c.Header, d, "", 0, headers, 0)
	stored := record.Content{Lines: d.StoredLines}
	seen := map[int]bool{}
	for _, line := range d.Lines {
		if seen[line.Number] || line.Number < 1 {
			return fmt.Errorf("line number %d is there twice or is no number of a line; number the lines from 1", line.Number)
		}
		seen[line.Number] = true
		values, err := reader.values(record.LinePrefix, headers, kind.Columns(), line.Entered, stored.Line(line.Number))
		if err != nil {
			return fmt.Errorf("line %d: %w", line.Number, err)
		}
		reader.before(&values, d, record.LinePrefix, headers, kind.Columns(), line.Number)
		c.Lines = append(c.Lines, engine.Line{Number: line.Number, Values: values})
	}
	if d.Previous != nil {
		c.PreviousLines = reader.rows(d.Previous.Lines)
	}
	if d.PreviousOfType != nil {
		c.PreviousOfTypeLines = reader.rows(d.PreviousOfType.Lines)
	}
	return nil
}

// rows reads the lines of a document that was saved before.
func (r *reader) rows(lines []record.Line) [][]feel.Value {
	rows := make([][]feel.Value, len(lines))
	for i, line := range lines {
		// What no longer fits its field is blank: it is only a proposal.
		rows[i], _ = r.parsed(record.LinePrefix, r.kind.Headers(), r.kind.Columns(), line.Values)
	}
	return rows
}

// again reads what was keyed a second time; what is not of the field's type is like
// nothing else that was keyed.
func (r *reader) again(values *engine.Values, at int, field *record.Field, item Item) {
	if item.Again == "" {
		return
	}
	second, wrong := field.Parse(item.Again)
	if item.Typed != "" {
		second, wrong = field.Read(item.Again, r.format, r.here)
	}
	if wrong != nil {
		second = feel.NullValue
	}
	if values.Again == nil {
		values.Again = map[int]feel.Value{}
	}
	values.Again[at] = second
}

// before puts in what the documents have that were saved before, of the header or of the
// line with the number.
func (r *reader) before(values *engine.Values, d *Document, prefix string, first, count, line int) {
	of := func(c *record.Content) []feel.Value {
		if c == nil {
			return nil
		}
		texts := c.Values
		if line > 0 {
			texts = c.Line(line)
		}
		// What no longer fits its field is blank: it is only a proposal.
		parsed, _ := r.parsed(prefix, first, count, texts)
		return parsed
	}
	values.Previous, values.PreviousOfType = of(d.Previous), of(d.PreviousOfType)
}

// parsed reads saved texts: count fields from first on. The error tells of the first that
// does not fit its field.
func (r *reader) parsed(prefix string, first, count int, texts map[string]string) (values []feel.Value, err error) {
	values = make([]feel.Value, count)
	for key, text := range texts {
		if i := r.kind.Index(prefix + key); i >= first && i < first+count {
			v, wrong := r.kind.Fields[i].Parse(text)
			if wrong != nil {
				err = fmt.Errorf("stored %s: %w", r.kind.Fields[i].Label, wrong)
				continue
			}
			values[i-first] = v
		}
	}
	return values, err
}

type reader struct {
	kind   *record.Kind
	format record.Format
	here   record.Surroundings
}

// values reads the header, or one line: count fields from first on.
func (r *reader) values(prefix string, first, count int, entered map[string]Item, stored map[string]string) (engine.Values, error) {
	values := engine.Values{Entered: make([]feel.Value, count)}
	for key, item := range entered {
		i := r.kind.Index(prefix + key)
		if i < first || i >= first+count {
			return values, fmt.Errorf("a %s has no field %q", r.kind.Noun(), prefix+key)
		}
		field := &r.kind.Fields[i]
		var v feel.Value
		var wrong *record.Misfit
		if item.Typed != "" {
			here := r.here
			if unit := entered[field.Unit]; field.Unit != "" {
				here.Unit = unit.Value + unit.Typed
			}
			v, wrong = field.Read(item.Typed, r.format, here)
		} else {
			v, wrong = field.Parse(item.Value)
		}
		values.Entered[i-first] = v
		r.again(&values, i-first, field, item)
		if wrong != nil {
			if values.Misfits == nil {
				values.Misfits = map[int]*record.Misfit{}
			}
			values.Misfits[i-first] = wrong
		}
	}
	if stored == nil {
		return values, nil
	}
	var err error
	values.Stored, err = r.parsed(prefix, first, count, stored)
	return values, err
}

// Compare returns the differences between what is expected and what came out.
func Compare(e *Expectation, out *engine.Outcome, kind *record.Kind) []Difference {
	var differences []Difference
	if e.Verdict != out.Verdict {
		differences = append(differences, Difference{What: "verdict", Expected: string(e.Verdict), Actual: string(out.Verdict)})
	}
	seen := map[string]bool{}
	for _, spot := range out.Spots() {
		address := Address(kind, spot.Place, spot.Line)
		want, expected := e.Values[address]
		seen[address] = true
		if got := record.Write(spot.Final); expected && got != want {
			differences = append(differences, Difference{"value", address, want, got})
		}
	}
	for _, address := range slices.Sorted(maps.Keys(e.Values)) {
		if seen[address] {
			continue
		}
		actual := "the field does not exist"
		if place, _ := Place(kind, address); place >= 0 {
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
		if at := slices.Index(actual, m); at >= 0 {
			actual = slices.Delete(actual, at, at+1)
			continue
		}
		differences = append(differences, Difference{"message", m.address(), m.write(), ""})
	}
	for _, m := range actual {
		// A message whose text changed is one difference, not two.
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
	if len(e.Manners) == 0 {
		return nil
	}
	actual := map[string]string{}
	for _, s := range out.Spots() {
		actual[Address(kind, s.Place, s.Line)] = MannerOf(s.Field)
	}
	return compared("manner", e.Manners, actual, false)
}

// actingIn returns the expected rules that neither acted nor spoke.
func (e *Expectation) actingIn(out *engine.Outcome) (differences []Difference) {
	if len(e.Acting) == 0 {
		return nil
	}
	did := map[int64]string{}
	for _, s := range out.Spots() {
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
	return addressOf(m.Field, m.Line)
}

// Address names a field of a document: "country", or "lines.2.amount" for the
// line with the number 2.
func Address(kind *record.Kind, place, line int) string {
	if line == 0 {
		return kind.Fields[place].Key
	}
	return addressOf(kind.Fields[place].Key, line)
}

func addressOf(key string, line int) string {
	return record.LinePrefix + strconv.Itoa(line) + "." + strings.TrimPrefix(key, record.LinePrefix)
}

// Place reads an address: the place of the field in the kind, or -1, and the
// number of the line, or 0.
func Place(kind *record.Kind, address string) (place, line int) {
	rest, ofLine := strings.CutPrefix(address, record.LinePrefix)
	if !ofLine {
		return kind.Index(address), 0
	}
	number, column, _ := strings.Cut(rest, ".")
	line, err := strconv.Atoi(number)
	if err != nil || line < 1 {
		return -1, 0
	}
	return kind.Index(record.LinePrefix + column), line
}

func (m Message) write() string { return string(m.Severity) + ": " + m.Text }

// MessagesOf returns the messages of an outcome as a proof keeps them.
func MessagesOf(out *engine.Outcome, kind *record.Kind) []Message {
	list := make([]Message, 0, len(out.Messages))
	for _, m := range out.Messages {
		kept := Message{Severity: m.Severity, Field: m.Key(kind), Line: m.Line, Text: m.Text}
		if m.Rule != nil {
			kept.Rule = m.Rule.ID
		}
		list = append(list, kept)
	}
	return list
}
