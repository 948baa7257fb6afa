package engine

import (
	"strings"
	"sync"

	"codicil/core/feel"
	"codicil/core/field"
	"codicil/core/notice"
	"codicil/core/plan"
	"codicil/core/record"
	"codicil/core/rule"
)

type run struct {
	plan   *plan.Plan
	c      *Case
	detail bool
	frame  feel.Frame
	out    *Outcome
	// act is what the current rule does: one for all of them, one after the other, so that
	// a run without detail makes nothing for each rule.
	act Act
	// facts is where the facts of acts are kept; see room.
	facts []feel.Step
	// buffer is what all slots of the case are cut from.
	buffer []feel.Value
	// rows are the slots of each line; frame.Row is that of the current line.
	rows [][]feel.Value
	// stale tells that the list of all lines is not that of the values so far.
	stale bool
	// told tells whether the facts of the current field are told.
	told bool
	// stopped tells that nobody waits for the run any more.
	stopped bool
	lists   lists
}

// cell is a field of the header, or of the current line.
type cell struct {
	place  int // in the kind
	values *Values
	at     int // place among the values
	line   int // place of the line; -1: the header
	slots  []feel.Value
	out    *Field
}

// runs are those that have ended: what they worked with serves the next ones.
var runs = sync.Pool{New: func() any { return new(run) }}

// Run takes the case through the plan. With detail, every field tells its journey, and every
// act the facts that decided it; without, the run is faster.
func Run(p *plan.Plan, c *Case, detail bool) *Outcome {
	v := p.Vocabulary
	r := begin(p, c, detail)
	defer r.end()
	if p.Loop != nil {
		r.notify(rule.Refuse, r.cell(p.Loop.Fields[0], -1), p.Loop.Rules[0], waiting.With(p.Loop.Describe(p.Kind())))
	}
	for _, place := range p.Order {
		r.round(place)
		r.each(place, (*run).journey)
		if place >= v.Headers {
			r.list(place-v.Headers, rule.SoFar)
		}
	}
	r.frame.NextRound() // all values are final now
	r.refresh()
	for place := range p.Kind().Fields {
		if !p.Quiet(place) {
			r.each(place, (*run).validate)
		}
	}
	if r.out.Stopped = r.stopped; r.stopped {
		return r.out
	}
	if !p.Partial {
		r.balance()
	}
	r.out.Verdict = r.verdict()
	r.followUps()
	select {
	case <-c.Done: // a formula may have been stopped
		r.out.Stopped = true
	default:
	}
	return r.out
}

// round begins the journeys of a field: those in the lines share what reads nothing of a line.
func (r *run) round(place int) {
	r.frame.NoRound()
	if place >= r.plan.Vocabulary.Headers && len(r.rows) > 1 {
		r.frame.NextRound()
	}
	if r.plan.WholeLines[place] {
		r.refresh()
	}
}

// refresh makes the list of all lines that of the values so far.
func (r *run) refresh() {
	if r.stale {
		r.lines()
		r.stale = false
	}
}

// begin makes all that can be read before the first field starts its journey.
func begin(p *plan.Plan, c *Case, detail bool) *run {
	v := p.Vocabulary
	r := runs.Get().(*run)
	r.plan, r.c, r.detail, r.out, r.told = p, c, detail, &Outcome{}, detail
	r.makeFields()
	if size := v.Size + len(c.Lines)*v.RowSize; len(r.buffer) < size {
		r.buffer = make([]feel.Value, size)
	}
	r.frame.Done = c.Done
	r.frame.Slots, r.frame.Now, r.frame.Tables = r.buffer[:v.Size], c.Now, p.Crosswalks
	if c.Tables != nil {
		r.frame.Tables = c.Tables
	}
	v.FillStanding(r.frame.Slots, p.Standing)
	if c.Linked != nil {
		r.frame.Linked = c.Linked
	}
	if calendar := &p.Scope.Company.Calendar; calendar.FreeDays != nil {
		r.frame.Workday = calendar.Works
	}
	fill(r.frame.Slots, &c.Header, v.Headers)
	v.FillContext(r.frame.Slots, p.Scope.Company, p.Scope.Type, c.User)
	if before := c.Preceding; before != nil {
		v.FillPreceding(r.frame.Slots, before.Kind, before.Number, before.Followers)
	}
	r.prepareLines()
	return r
}

// end lets the next run have what this one worked with, emptied. Nothing of an outcome is
// kept there.
func (r *run) end() {
	clear(r.buffer)
	clear(r.rows)
	r.frame.Reset()
	runs.Put(&run{frame: r.frame, buffer: r.buffer, rows: r.rows[:0]})
}

// makeFields makes room for what becomes of every field.
func (r *run) makeFields() {
	v, p := r.plan.Vocabulary, r.plan
	fields := make([]Field, v.Headers+len(r.c.Lines)*v.Columns)
	r.out.Fields, fields = fields[:v.Headers:v.Headers], fields[v.Headers:]
	if len(r.c.Lines) > 0 {
		r.out.Lines, r.out.places = make([]LineOutcome, len(r.c.Lines)), make(map[int]int, len(r.c.Lines))
	}
	for i := range r.c.Lines {
		r.out.places[r.c.Lines[i].Number] = i
		r.out.Lines[i] = LineOutcome{r.c.Lines[i].Number, fields[:v.Columns:v.Columns]}
		fields = fields[v.Columns:]
	}
	if !r.detail {
		return
	}
	acts := 0
	for place := range p.Kind().Fields {
		if place < v.Headers {
			acts += p.Candidates(place)
		} else {
			acts += p.Candidates(place) * len(r.c.Lines)
		}
	}
	room, journeys := make([]Act, acts), make([]Journey, v.Headers+len(r.c.Lines)*v.Columns)
	for i, cell := range r.out.Cells() {
		count := p.Candidates(cell.Index)
		cell.Journey = &journeys[i]
		cell.Rules, room = room[:0:count], room[count:]
	}
}

// fill puts entered and stored values into their slots, count to a form.
func fill(slots []feel.Value, values *Values, count int) {
	copy(slots[int(rule.SoFar)*count:], values.Entered[:count])
	copy(slots[int(rule.Entered)*count:], values.Entered[:count])
	for i, saved := range [...][]feel.Value{values.Stored, values.Previous, values.PreviousOfType, values.PreviousOfAnyone} {
		if saved != nil {
			copy(slots[(int(rule.Stored)+i)*count:], saved[:count])
		}
	}
}

func (r *run) prepareLines() {
	v, lines := r.plan.Vocabulary, r.c.Lines
	if len(lines) > 0 {
		slots := r.buffer[v.Size:]
		for i := range lines {
			row := slots[i*v.RowSize : (i+1)*v.RowSize]
			fill(row, &lines[i].Values, v.Columns)
			row[v.RowSize-1] = feel.IntegerOf(int64(lines[i].Number))
			r.rows = append(r.rows, row)
		}
	}
	for column := range v.Columns {
		for form := rule.Entered; form <= rule.PreviousOfAnyone; form++ {
			r.list(column, form)
		}
	}
	r.stale = v.Columns > 0 && v.Lines >= 0 && r.plan.Lists[v.Lines]
}

// list puts the values of a column into the slot of its list, where a rule reads
// it, and tells the list of all lines.
func (r *run) list(column int, form rule.Form) {
	v := r.plan.Vocabulary
	if slot := v.ListSlot(column, form); r.plan.Lists[slot] {
		rows, at := r.rows, int(form)*v.Columns+column
		switch form {
		case rule.Previous:
			rows, at = r.c.PreviousLines, column
		case rule.PreviousOfType:
			rows, at = r.c.PreviousOfTypeLines, column
		case rule.PreviousOfAnyone:
			rows, at = r.c.PreviousOfAnyoneLines, column
		}
		values := make([]feel.Value, len(rows))
		for i, row := range rows {
			values[i] = row[at]
		}
		r.frame.Slots[slot] = feel.ListOf(values)
	}
	r.stale = r.stale || (form == rule.SoFar && r.plan.Lists[v.Lines])
}

// lines puts all lines as contexts into their slot.
func (r *run) lines() {
	last := r.plan.Vocabulary.RowSize - 1
	r.frame.Slots[r.plan.Vocabulary.Lines] = r.contexts(len(r.rows), func(i int) (feel.Value, []feel.Value) { return r.rows[i][last], r.rows[i] })
}

// contexts makes the list of lines as formulas see it; line returns the number and the values
// of each.
func (r *run) contexts(count int, line func(i int) (feel.Value, []feel.Value)) feel.Value {
	v := r.plan.Vocabulary
	keys := []string{"number"}
	for i := range v.Columns {
		keys = append(keys, r.plan.Kind().Fields[v.Headers+i].Column())
	}
	lines := make([]feel.Value, count)
	for i := range lines {
		number, row := line(i)
		lines[i] = feel.ContextOf(&feel.Entries{Keys: keys, Values: append([]feel.Value{number}, row[:v.Columns]...)})
	}
	return feel.ListOf(lines)
}

// each does the work for a field of the header, or for a field of the lines in
// every line.
func (r *run) each(place int, work func(*run, cell)) {
	if place < r.plan.Vocabulary.Headers {
		if r.goesOn() {
			r.told = r.tells(place, 0)
			work(r, r.cell(place, -1))
		}
		return
	}
	for line := range r.rows {
		if !r.goesOn() {
			return
		}
		r.told = r.tells(place, r.c.Lines[line].Number)
		work(r, r.cell(place, line))
	}
}

// tells tells whether the facts of a field are told.
func (r *run) tells(place, line int) bool {
	return r.detail && (r.c.Facts == nil || r.c.Facts(place, line))
}

// goesOn tells whether somebody still waits for the run.
func (r *run) goesOn() bool {
	if r.c.Done == nil {
		return true
	}
	select {
	case <-r.c.Done:
		r.stopped = true
	default:
	}
	return !r.stopped
}

// cell returns the field at the place in a line, and makes it the current line.
func (r *run) cell(place, line int) cell {
	headers := r.plan.Vocabulary.Headers
	if place < headers || line < 0 || line >= len(r.rows) {
		at := min(place, headers-1)
		return cell{place, &r.c.Header, at, -1, r.frame.Slots, &r.out.Fields[at]}
	}
	r.frame.Row = r.rows[line]
	return cell{place, &r.c.Lines[line].Values, place - headers, line, r.rows[line], &r.out.Lines[line].Fields[place-headers]}
}

// isNew tells whether the field is one of what is not saved yet.
func (s *cell) isNew() bool { return s.values.Stored == nil }

// derives tells whether the rules give the value as on a new record.
func (s *cell) derives() bool { return s.isNew() || s.values.Derive[s.at] }

func (s *cell) stored() feel.Value {
	if s.isNew() {
		return feel.NullValue
	}
	return s.values.Stored[s.at]
}

// set makes v the value so far.
func (s *cell) set(v feel.Value) { s.slots[s.at] = v }

func (r *run) field(s cell) *field.Field { return &r.plan.Kind().Fields[s.place] }

// say adds a message that a rule's author wrote; code is "rule" or "unique".
func (r *run) say(severity rule.Severity, code string, s cell, by *rule.Compiled, text string) {
	m := r.message(severity, code, s, by)
	m.Text = text
	if by.Effect.Points != "" {
		m.Field = -1
		if by.Effect.Points == rule.ToDocument {
			m.Line = 0
		}
	}
	r.out.Messages = append(r.out.Messages, m)
}

// notify adds a message of the engine itself.
func (r *run) notify(severity rule.Severity, s cell, by *rule.Compiled, n notice.Notice) {
	m := r.message(severity, n.Code, s, by)
	m.Notice, m.Text = n, n.String()
	r.out.Messages = append(r.out.Messages, m)
}

func (r *run) message(severity rule.Severity, code string, s cell, by *rule.Compiled) Message {
	m := Message{Severity: severity, Code: code, Field: s.place, Rule: by}
	if s.line >= 0 {
		m.Line = r.c.Lines[s.line].Number
	}
	return m
}

// reason finds what a person said to go on in spite of a check: now, or when the record was
// saved before and the check read the same values. Cost: the reasons that were given.
func (r *run) reason(m *Message, read string) {
	m.Read, m.Reason = read, strings.TrimSpace(r.c.Reasons[m.Rule.ID])
	if m.Reason != "" {
		return
	}
	for i := range r.c.Given {
		if g := &r.c.Given[i]; g.Rule == m.Rule.ID && g.Read == read {
			m.Reason, m.Given = g.Text, g
			return
		}
	}
}

func (r *run) verdict() Verdict {
	verdict := Accepted
	for _, m := range r.out.Messages {
		switch {
		case m.Severity == rule.Refuse:
			return Refused
		case m.Severity == rule.Confirm && m.Reason == "":
			verdict = NeedsReason
		}
	}
	return verdict
}

// journey takes one field through entry, source, default, compute, substitute and settle.
func (r *run) journey(s cell) {
	out, value := s.out, s.values.Entered[s.at]
	out.Entered = value
	if !value.IsNull() {
		out.Made, out.Origin = "entered", r.enteredBy(s)
		if s.untouched(value) {
			out.Made, out.Origin = "stored", s.storedBy() // nobody changed it
		}
	}
	if wrong := s.values.Misfits[s.at]; wrong != nil {
		r.notify(rule.Refuse, s, nil, wrong.Notice)
		for _, family := range rule.Families[:rule.Validate.Station()] {
			for _, c := range r.plan.At(s.place, family) {
				r.note(out, &Act{Rule: c, Did: NotReached})
			}
		}
		return
	}
	if r.plan.Quiet(s.place) {
		if r.detail {
			out.Sourced, out.Defaulted, out.Computed, out.Substituted = value, value, value, value
		}
		r.settle(s, value)
		if out.Final.IsNull() {
			out.Made, out.Origin = "", record.Unknown
		}
		return
	}
	by := r.entry(s)
	value = r.kept(s, by[access], value)
	r.source(s, &value)
	sourced := value
	r.fill(s, &value)
	defaulted := value
	if by := r.first(s, rule.Compute, &value, r.chance); by != nil {
		out.Computer = by
		out.made("compute", by)
		r.close(s, by, value, "is computed here")
	}
	computed := value
	r.substitute(s, &value)
	if r.detail {
		out.Sourced, out.Defaulted, out.Computed, out.Substituted = sourced, defaulted, computed, value
	}
	r.settle(s, value)
	r.sort(s)
	r.again(s, by[keying])
	r.lower(s, by[keying])
	if out.Final.IsNull() {
		if out.Need == rule.Required && out.Access != rule.Hidden {
			r.notify(r.missing(), s, by[need], required.With(r.field(s).Label))
		}
		if out.Made != "substitute" {
			out.Made = ""
		}
		out.Origin = record.Unknown
	}
}

// made notes which station made the value, by which rule.
func (f *Field) made(station string, by *rule.Compiled) {
	f.Made, f.Origin = station, record.ByRule(by.ID, by.Version)
}

// enteredBy is the origin of what was entered.
func (r *run) enteredBy(s cell) record.Origin {
	if s.values.Carried[s.at] {
		return record.Carried
	}
	return r.c.By
}

// untouched tells whether what was entered is what is stored.
func (s *cell) untouched(entered feel.Value) bool {
	return !s.isNew() && !s.values.Derive[s.at] && feel.Same(entered, s.stored())
}

// storedBy is the origin of the stored value.
func (s *cell) storedBy() record.Origin {
	if s.values.Origins == nil {
		return record.Unknown
	}
	return s.values.Origins[s.at]
}

// missing says how much a blank required field weighs. A document may be kept
// incomplete until it is posted.
func (r *run) missing() rule.Severity {
	if r.plan.Kind().Posted && r.c.Moment == rule.Saving {
		return rule.Advise
	}
	return rule.Refuse
}

// settle fits the finished value to its field.
func (r *run) settle(s cell, value feel.Value) {
	f := r.field(s)
	if value.IsNull() {
		s.set(value)
		return
	}
	final, wrong := f.Settle(value, r.surroundings(s))
	switch {
	case wrong == nil:
	case wrong.Advice || wrong.Anew && !s.isNew() && feel.Same(final, s.stored()):
		r.notify(rule.Advise, s, nil, wrong.Notice)
	default:
		r.notify(rule.Refuse, s, nil, wrong.Notice)
	}
	s.out.Final = final
	s.set(final)
	if !f.IsLink() || r.c.Linked == nil {
		return
	}
	if key, ok := final.Text(); ok {
		if now := r.c.Linked.Now(f.Kind, key); now != key {
			r.notify(rule.Advise, s, nil, wasMerged.With(f.Label, key, now))
			key = now
			s.out.Final = feel.StringOf(now)
			s.set(s.out.Final)
		}
		if why := r.c.Linked.Missing(f.Kind, key); why != "" {
			r.notify(rule.Refuse, s, nil, noSuchRecord.With(f.Label, why))
		}
	}
}

func (r *run) surroundings(s cell) field.Surroundings {
	beside := r.plan.Vocabulary.Beside[s.place]
	return r.plan.Here.Beside(r.beside(s, beside.Currency), r.beside(s, beside.Unit), r.beside(s, beside.Country))
}

// beside returns the text of another field, of the current line or the header.
func (r *run) beside(s cell, place int) string {
	headers := r.plan.Vocabulary.Headers
	text := ""
	switch {
	case place < 0:
	case place < headers:
		text, _ = r.frame.Slots[place].Text()
	case s.line >= 0:
		text, _ = s.slots[place-headers].Text()
	}
	return text
}
