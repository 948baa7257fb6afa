// Package judge takes a document through the rules under named circumstances: the one
// computation behind the plan, the form, saving, posting to either ledger, programs, proofs
// and what a rule would do to saved records. These differ in the circumstances they name, and
// in nothing else.
//
// It must never know where rules and records are kept. Start reading at Judge.
package judge

import (
	"errors"
	"fmt"
	"slices"

	"codicil/core/engine"
	"codicil/core/feel"
	"codicil/core/field"
	"codicil/core/notice"
	"codicil/core/plan"
	"codicil/core/record"
	"codicil/core/rule"
)

// Circumstances are all that an outcome depends on besides the document.
type Circumstances struct {
	// Book holds the rules in force, of the document's kind. The document's own changes come
	// on top.
	Book *plan.Book
	// Scope finds what a plan is for; the error says what does not exist.
	Scope func(company, kindType string, day record.Day) (plan.Scope, error)
	// Build makes the plan of a book for a scope; nil: plan.Build.
	Build func(*plan.Book, plan.Scope) *plan.Plan
	// Today is the day on which the work is done, where the document does not say another,
	// and Now makes the time of the work of a day.
	Today record.Day
	Now   func(today record.Day) feel.Value
	// Moment decides which validations speak.
	Moment rule.Moment
	// User is the name of the person at work, where the document does not say another; Keyed
	// tells that a person keys the document and can be asked to key a value twice.
	User  string
	Keyed bool
	// By is the origin of what is entered: a person's, where it is "", or a load's.
	By record.Origin

	// Prior, if any, puts into the document what was saved before it, where it does not state that. It is asked once a plan
	// reads it.
	Prior func(*Document)

	Linked     engine.Linked     // nil: links are taken as they are
	Uniqueness engine.Uniqueness // nil: there are no other records
	// Numbers makes what gives the next numbers of series to one document on its way through
	// one plan: a second plan gives the same ones; nil: series stand at their first numbers.
	Numbers func() engine.Numbers

	// Detail tells every journey and the facts that decided it; Facts, if any, of which fields
	// the facts are told, by place in the kind and number of the line.
	Detail bool
	Facts  func(place, line int) bool
	// Done, once it is closed, ends the work with ErrStopped; nil: it is never ended.
	Done <-chan struct{}
	// Instead stands in for tables: what a slightly wrong version of them would give; nil: they
	// are as they are.
	Instead *Instead
	// Watch, if any, is called before the document goes through a plan, and may watch the case.
	Watch func(*plan.Plan, *engine.Case)
	// noted is where to note what is read besides the document; nil: nowhere.
	noted *Fixtures
}

// Version says by what a document was judged: the version of the rule book, which grows with
// every change of rules, tables, fields, layouts, companies, types and kinds, and that of the
// program.
type Version struct {
	Book    int64  `json:"book"`
	Program string `json:"program"`
	// Codicil is the number of that which was on top of the book, and Revision the last of its changes; 0: none was.
	Codicil  int64 `json:"codicil,omitempty"`
	Revision int   `json:"revision,omitempty"`
}

var dayMoves = notice.Define("day-moves", "{field} decides which rules hold, and by those rules it becomes {first}, and by the rules of that day to {second}. Change {rules}, or enter another date")

// Judged is a document with what became of it.
type Judged struct {
	Plan    *plan.Plan
	Case    *engine.Case
	Outcome *engine.Outcome
	// Today is the day on which the work was done; the day of the document is that of the
	// plan's scope.
	Today record.Day
}

// NoFacts is Circumstances.Facts where none are told.
func NoFacts(int, int) bool { return false }

// ErrStopped says that judging took too long, or that nobody waits for it any more.
var ErrStopped = errors.New("the work was stopped before it came to an end")

// MaxLines is how many lines a document may have.
const MaxLines = 10_000

// ErrTooManyLines says that a document has more lines than MaxLines.
var ErrTooManyLines = fmt.Errorf("a document has %d lines at most", MaxLines)

// Judge takes the document through the rules of its day. That is the final value of its
// kind's day field, or today where it has none: it is judged with the entered day, and where
// the final day is another, once more with that. A day that moves again is refused. The error
// says that the document names what does not exist.
func Judge(d *Document, c *Circumstances) (*Judged, error) {
	if len(d.Lines) > MaxLines || len(d.StoredLines) > MaxLines {
		return nil, ErrTooManyLines
	}
	kind := c.Book.Vocabulary.Kind
	j := &Judged{Today: c.Today}
	if d.Day != "" {
		j.Today = d.Day
	}
	if _, err := record.ParseDay(string(j.Today)); err != nil {
		return nil, err
	}
	book := d.Changes.On(c.Book)
	build := c.Build
	if build == nil || book != c.Book {
		build = plan.Build
	}
	through := func(day record.Day) error {
		s, err := c.Scope(d.Company, d.Type, day)
		if err != nil {
			return err
		}
		return j.run(d, c, build(book, s))
	}
	entered := d.EnteredDay(kind, j.Today)
	if err := through(entered); err != nil {
		return nil, err
	}
	first := j.finalDay()
	if first == entered {
		return j, nil
	}
	by := j.dayOrigin()
	if err := through(first); err != nil {
		return nil, err
	}
	if second := j.finalDay(); second != first {
		j.refuseDay(first, second, by)
	}
	return j, nil
}

// run takes the document through one plan.
func (j *Judged) run(d *Document, c *Circumstances, p *plan.Plan) error {
	s := p.Scope
	engaged := &engine.Case{
		Linked: c.Linked, Uniqueness: c.Uniqueness, Preceding: d.Preceding, Record: d.Record, Moment: c.Moment, Keyed: c.Keyed,
		User: c.User, Now: c.Now(j.Today), Reasons: d.Reasons, Given: d.StoredReasons, By: c.By,
		Facts: c.Facts, Done: c.Done,
	}
	if c.Numbers != nil {
		engaged.Numbers = c.Numbers()
	}
	if d.User != "" {
		engaged.User = d.User
	}
	if engaged.By == record.Unknown {
		engaged.By = record.Person
	}
	if d.Fixtures != nil || c.noted != nil || c.Instead != nil {
		p = p.WithStanding(c.Instead.standing(d.Fixtures.standing(), s))
		w := &world{fixtures: d.Fixtures, kinds: p.Vocabulary.Linkable, linked: c.Linked, tables: p.Crosswalks, uniqueness: c.Uniqueness, record: c.noted, looked: map[string]bool{}, instead: c.Instead, day: s.Day}
		engaged.Linked, engaged.Uniqueness, engaged.Tables = w, w, w
	}
	if p.LooksBack && c.Prior != nil && !d.LooksBack() {
		c.Prior(d)
	}
	if err := d.read(engaged, p); err != nil {
		return err
	}
	if c.Watch != nil {
		c.Watch(p, engaged)
	}
	j.Plan, j.Case, j.Outcome = p, engaged, engine.Run(p, engaged, c.Detail)
	if j.Outcome.Stopped {
		return ErrStopped
	}
	return nil
}

// EnteredDay is the day of the document as it was entered: today where its kind has no day
// field, or that is blank.
func (d *Document) EnteredDay(kind *record.Kind, today record.Day) record.Day {
	f := kind.Field(kind.Day)
	item, there := d.Entered[kind.Day]
	if f == nil || !there {
		return today
	}
	v, wrong := f.Parse(item.Value)
	if item.Typed != "" {
		v, wrong = f.Read(item.Typed, d.format(), field.Surroundings{Day: today.Value()})
	}
	if wrong != nil || v.IsNull() {
		return today
	}
	return record.Day(field.Write(v))
}

// dayField is the place of the day field; -1: the kind has none.
func (j *Judged) dayField() int {
	kind := j.Plan.Kind()
	if kind.Day == "" {
		return -1
	}
	return kind.Index(kind.Day)
}

// finalDay is the day that the document has come to.
func (j *Judged) finalDay() record.Day {
	place := j.dayField()
	if place < 0 {
		return j.Today
	}
	if day, err := record.ParseDay(field.Write(j.Outcome.Fields[place].Final)); err == nil {
		return day
	}
	return j.Today
}

// dayOrigin says which rule gave the day, if one did.
func (j *Judged) dayOrigin() record.Origin {
	if place := j.dayField(); place >= 0 {
		return j.Outcome.Fields[place].Origin
	}
	return record.Unknown
}

// refuseDay refuses a document whose day has one value by the rules of one day, and another
// by the rules of that.
func (j *Judged) refuseDay(first, second record.Day, by record.Origin) {
	place := j.dayField()
	var rules []string
	for _, origin := range []record.Origin{by, j.dayOrigin()} {
		if id, _, ok := origin.Rule(); ok {
			if name := fmt.Sprintf("rule %d", id); !slices.Contains(rules, name) {
				rules = append(rules, name)
			}
		}
	}
	named := "the rules on it"
	if len(rules) > 0 {
		named = rules[0]
		if len(rules) > 1 {
			named += " and " + rules[1]
		}
	}
	n := dayMoves.With(j.Plan.Kind().Fields[place].Label, first, second, named)
	j.Outcome.Refuse(engine.Message{Severity: rule.Refuse, Code: n.Code, Notice: n, Field: place, Text: n.String()})
}

// Content is what a record holds that is saved as the document came out. now and by stand
// with the reasons that are given now.
func (j *Judged) Content(by, now string) record.Content {
	content := record.Content{Values: map[string]string{}, Origins: record.Origins{}}
	for _, line := range j.Outcome.Lines {
		content.Lines = append(content.Lines, record.Line{Number: line.Number, Values: map[string]string{}, Origins: record.Origins{}})
	}
	places := map[int]int{}
	for i := range content.Lines {
		places[content.Lines[i].Number] = i
	}
	for _, s := range j.Outcome.Cells() {
		if s.Final.IsNull() {
			continue
		}
		values, origins := content.Values, content.Origins
		if s.Line > 0 {
			line := &content.Lines[places[s.Line]]
			values, origins = line.Values, line.Origins
		}
		key := j.Plan.Kind().Fields[s.Index].Column()
		values[key] = field.Write(s.Final)
		if s.Origin != record.Unknown {
			origins[key] = s.Origin
		}
	}
	for i := range j.Outcome.Messages {
		m := &j.Outcome.Messages[i]
		switch {
		case m.Severity != rule.Confirm || m.Reason == "" || m.Rule == nil:
		case m.Given != nil:
			content.Reasons = append(content.Reasons, *m.Given)
		default:
			content.Reasons = append(content.Reasons, record.Reason{Rule: m.Rule.ID, Line: m.Line, Text: m.Reason, By: by, At: now, Read: m.Read})
		}
	}
	return content
}

// Carry judges the document and returns what it reads besides itself.
func Carry(d *Document, c Circumstances) (*Fixtures, error) {
	noted := &Fixtures{}
	c.noted, c.Detail = noted, false
	c.Watch = func(p *plan.Plan, engaged *engine.Case) {
		*noted = Fixtures{} // a second plan reads anew
		engaged.Watch = func(_ *rule.Compiled, program *feel.Program, _ *feel.Frame) {
			for _, slot := range program.Reads() {
				if place, ok := p.Vocabulary.StandingAt(slot); ok && !p.Standing[place].IsNull() {
					if noted.Standing == nil {
						noted.Standing = map[string]string{}
					}
					noted.Standing[p.Vocabulary.Tables.Standing[place].Field.Key] = Literal(p.Standing[place])
				}
			}
		}
	}
	_, err := Judge(d, &c)
	return noted, err
}
