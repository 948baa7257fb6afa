// Package engine takes a document through a plan: every field once through its
// stations, then the validations. The result tells every value and why.
//
// Run is a pure function of its arguments: no clock, no storage, no screen.
// Start reading there.
package engine

import (
	"slices"

	"codicil/core/feel"
	"codicil/core/plan"
	"codicil/core/record"
	"codicil/core/rule"
)

// Case is a document on its way through a plan. Values are by place in the kind.
type Case struct {
	// Entered are the values that were typed, loaded or carried over.
	Entered []feel.Value
	// Misfits are entered texts that are not of their field's type, by field.
	Misfits map[int]*record.Misfit
	// Stored are the values as last saved; nil for a new record.
	Stored []feel.Value
	// Moment decides which validations speak.
	Moment rule.Moment
	// User is the name of the person at work.
	User string
	// Now is the date and time of the work.
	Now feel.Value
	// Reasons are what a person said to go on in spite of a confirm, by rule.
	Reasons map[int64]string
}

// Verdict is what becomes of a document.
type Verdict string

// A document is accepted, needs a reason first, or is refused.
const (
	Accepted    Verdict = "accepted"
	NeedsReason Verdict = "needs reason"
	Refused     Verdict = "refused"
)

// Outcome is what the plan made of a case.
type Outcome struct {
	Verdict  Verdict
	Fields   []Field // by place in the kind
	Messages []Message
}

// Field is the journey of one field.
type Field struct {
	// Values after each station; Final after settling.
	Entered, Defaulted, Substituted, Final feel.Value
	// Manner is how the field is met; "" when no entry rule acts.
	Manner rule.Manner
	// Made tells which station made the final value: "entered", "stored",
	// "default", "substitute", or "" for a blank nobody made.
	Made string
	// Rules tells what every rule at the field's stations did, in their order.
	Rules []Act
}

// What a rule did.
const (
	Acted         = "acted"
	Beaten        = "beaten"         // a rule before it acted
	WhenNotTrue   = "when not true"  // its condition did not hold, or was null
	OtherOccasion = "other occasion" // it does not run for new records, or for changes, or now
	NotNeeded     = "not needed"     // a default found its field filled
	NotReached    = "not reached"    // the entered text is not of the field's type
	Failed        = "failed"         // a formula failed
	Holds         = "holds"          // a validation found what must hold
	Speaks        = "speaks"         // a validation found that it does not hold
	Undecided     = "undecided"      // what must hold is null, because a field is blank
)

// Act is what one rule did in one run, and the values that decided it.
type Act struct {
	Rule   *rule.Compiled
	Did    string
	By     *rule.Compiled // Beaten: the rule that acted
	Before feel.Value     // the value so far when the rule had its chance
	After  feel.Value     // what the rule made of it
	Facts  []Fact
	Reason string // Failed: what went wrong, and where
}

// Fact is a part of a formula and the value it had.
type Fact struct {
	Text  string
	Field int // place of the field that the part reads, or -1
	Value feel.Value
}

// Message is something that a rule, or the field itself, says about the document.
type Message struct {
	Severity rule.Severity
	// Code is "rule", "required", "failed", "set-aside" or the code of a misfit.
	Code  string
	Field int            // where it points
	Rule  *rule.Compiled // nil: the field itself speaks
	Text  string
	// Reason is what a person said to go on; "" when nobody did.
	Reason string
}

type run struct {
	plan   *plan.Plan
	c      *Case
	detail bool
	frame  feel.Frame
	out    *Outcome
}

// Run takes the case through the plan. With detail, every act tells the facts
// that decided it; without, Rules stays empty and the run is faster.
func Run(p *plan.Plan, c *Case, detail bool) *Outcome {
	kind := p.Kind()
	r := &run{plan: p, c: c, detail: detail, out: &Outcome{Fields: make([]Field, len(kind.Fields))}}
	r.frame = feel.Frame{Slots: make([]feel.Value, p.Vocabulary.Size), Now: c.Now}
	for i := range kind.Fields {
		r.frame.Slots[p.Vocabulary.Slot(i, rule.SoFar)] = c.Entered[i]
		r.frame.Slots[p.Vocabulary.Slot(i, rule.Entered)] = c.Entered[i]
		if c.Stored != nil {
			r.frame.Slots[p.Vocabulary.Slot(i, rule.Stored)] = c.Stored[i]
		}
	}
	p.Vocabulary.FillContext(r.frame.Slots, p.Scope.Company, p.Scope.Type, c.User)
	if p.Loop != nil {
		r.say(rule.Refuse, "failed", p.Loop.Fields[0], p.Loop.Rules[0], "these rules wait for each other: "+p.Loop.Describe(kind)+". Change or suspend one of them")
	}
	for _, field := range p.Order {
		r.journey(field)
	}
	for field := range kind.Fields {
		r.validate(field)
	}
	r.out.Verdict = r.verdict()
	return r.out
}

func (r *run) say(severity rule.Severity, code string, field int, by *rule.Compiled, text string) {
	m := Message{Severity: severity, Code: code, Field: field, Rule: by, Text: text}
	if severity == rule.Confirm && by != nil {
		m.Reason = r.c.Reasons[by.ID]
	}
	r.out.Messages = append(r.out.Messages, m)
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

// set makes v the value so far of the field.
func (r *run) set(field int, v feel.Value) { r.frame.Slots[field] = v }

func (r *run) isNew() bool { return r.c.Stored == nil }

// journey takes one field through entry, default, substitute and settle.
func (r *run) journey(i int) {
	field, out := &r.plan.Kind().Fields[i], &r.out.Fields[i]
	value := r.c.Entered[i]
	out.Entered = value
	if !value.IsNull() {
		out.Made = "entered"
	}
	if wrong := r.c.Misfits[i]; wrong != nil {
		r.say(rule.Refuse, wrong.Code, i, nil, wrong.Message)
		for _, family := range rule.Families[:3] {
			for _, c := range r.plan.Stations[i][family] {
				r.note(out, Act{Rule: c, Did: NotReached})
			}
		}
		return
	}

	entry := r.first(i, rule.Entry, nil)
	if entry != nil {
		out.Manner = entry.Effect.Manner
	}
	if out.Manner == rule.ReadOnly || out.Manner == rule.Hidden {
		value = r.keepStored(i, out, entry, value)
	}

	out.Defaulted = value
	if by := r.first(i, rule.Default, &value); by != nil {
		out.Defaulted = value
		if !value.IsNull() {
			out.Made = "default"
		}
	}
	out.Substituted = value
	if by := r.first(i, rule.Substitute, &value); by != nil {
		out.Substituted = value
		out.Made = "substitute"
	}

	here := record.Surroundings{Company: r.plan.Scope.Company, Day: r.plan.Scope.Day}
	if c := r.plan.Kind().Index(field.Currency); c >= 0 {
		here.Currency, _ = r.frame.Slots[c].Text()
	}
	final, wrong := field.Settle(value, here)
	if wrong != nil {
		r.say(rule.Refuse, wrong.Code, i, nil, wrong.Message)
	}
	out.Final = final
	r.set(i, final)
	if final.IsNull() {
		if out.Manner == rule.Required {
			r.say(rule.Refuse, "required", i, entry, field.Label+" is required; enter it")
		}
		if out.Made != "substitute" {
			out.Made = ""
		}
	}
}

// keepStored sets aside what was typed into a field that is not for typing.
func (r *run) keepStored(i int, out *Field, entry *rule.Compiled, value feel.Value) feel.Value {
	kept := feel.NullValue
	if !r.isNew() {
		kept = r.c.Stored[i]
	}
	if !feel.Same(value, kept) {
		label := r.plan.Kind().Fields[i].Label
		r.say(rule.Advise, "set-aside", i, entry, label+" is "+string(out.Manner)+" here: what was entered is not taken")
	}
	out.Made = ""
	if !kept.IsNull() {
		out.Made = "stored"
	}
	r.set(i, kept)
	return kept
}

// first lets the candidates of a station have their chance in order; the first
// whose condition holds acts. value is the value so far, which a default or a
// substitution changes; nil for entry rules, which make none.
func (r *run) first(i int, family rule.Family, value *feel.Value) *rule.Compiled {
	var acted *rule.Compiled
	out := &r.out.Fields[i]
	for _, c := range r.plan.Stations[i][family] {
		act := Act{Rule: c}
		if value != nil {
			act.Before, act.After = *value, *value
		}
		switch {
		case acted != nil:
			act.Did, act.By = Beaten, acted
		case family == rule.Default && !act.Before.IsNull():
			act.Did = NotNeeded
		case !r.occasion(c):
			act.Did = OtherOccasion
		default:
			r.chance(i, c, &act)
			if act.Did == Acted {
				acted = c
				if value != nil {
					*value = act.After
					r.set(i, act.After)
				}
			}
		}
		r.note(out, act)
	}
	return acted
}

func (r *run) occasion(c *rule.Compiled) bool {
	if r.isNew() {
		return c.On.New
	}
	return c.On.Change && (c.Family != rule.Default || c.Effect.Lifetime == rule.WheneverBlank)
}

// chance evaluates the rule's condition and, if it holds, its value.
func (r *run) chance(i int, c *rule.Compiled, act *Act) {
	if !r.applies(i, c, act) {
		return
	}
	if c.Value != nil {
		v := r.eval(c.Value, act)
		if r.failed(i, c, act, "value") {
			return
		}
		act.After = v
	}
	act.Did = Acted
}

// applies tells whether the rule's condition holds; where not, the act says why.
func (r *run) applies(i int, c *rule.Compiled, act *Act) bool {
	if c.When == nil {
		return true
	}
	holds := r.eval(c.When, act)
	if r.failed(i, c, act, "when") {
		return false
	}
	if !holds.IsTrue() {
		act.Did = WhenNotTrue
		return false
	}
	return true
}

// eval runs a formula and, with detail, notes the values that it read.
func (r *run) eval(program *feel.Program, act *Act) feel.Value {
	r.frame.Failures = r.frame.Failures[:0]
	if !r.detail {
		return program.Eval(&r.frame)
	}
	v, steps := program.Explain(&r.frame)
	first := len(act.Facts) // before those are the facts of the rule's other formula
	act.Facts = slices.Grow(act.Facts, len(steps))
	for _, s := range steps {
		if _, branch := s.Node.(*feel.If); branch {
			continue // its condition and the value made say the same, shorter
		}
		if slices.ContainsFunc(act.Facts[:first], func(f Fact) bool { return f.Text == s.Text }) {
			continue
		}
		fact := Fact{Text: s.Text, Field: -1, Value: s.Value}
		if slot, ok := feel.SlotOf(s.Node); ok {
			if f, form, isField := r.plan.Vocabulary.FieldAt(slot); isField && form == rule.SoFar {
				fact.Field = f
			}
		}
		act.Facts = append(act.Facts, fact)
	}
	return v
}

// failed reports a formula that failed; the field then keeps its value so far.
func (r *run) failed(i int, c *rule.Compiled, act *Act, part string) bool {
	if len(r.frame.Failures) == 0 {
		return false
	}
	f := r.frame.Failures[0]
	text := map[string]string{"when": c.Rule.When, "value": c.Effect.Value, "must": c.Effect.Must}[part]
	act.Did = Failed
	act.Reason = f.Message + " in " + part + ": " + text[f.Start:f.End]
	r.say(rule.Refuse, "failed", i, c, c.Label()+" failed: "+act.Reason+". Mend or suspend the rule")
	return true
}

func (r *run) note(out *Field, act Act) {
	if r.detail {
		out.Rules = append(out.Rules, act)
	}
}

// validate lets every validation of the field speak.
func (r *run) validate(i int) {
	out := &r.out.Fields[i]
	if r.c.Misfits[i] != nil {
		return // the field has spoken; rules about its value would only add noise
	}
	for _, c := range r.plan.Stations[i][rule.Validate] {
		act := Act{Rule: c, Before: out.Final, After: out.Final}
		if !r.occasion(c) || !r.speaksNow(c) {
			act.Did = OtherOccasion
			r.note(out, act)
			continue
		}
		r.judge(i, c, &act)
		r.note(out, act)
	}
}

func (r *run) speaksNow(c *rule.Compiled) bool {
	if len(c.Effect.Moments) > 0 && !slices.Contains(c.Effect.Moments, r.c.Moment) {
		return false
	}
	if len(c.Changed) == 0 {
		return true
	}
	return slices.ContainsFunc(c.Changed, func(field int) bool {
		before := feel.NullValue
		if !r.isNew() {
			before = r.c.Stored[field]
		}
		return !feel.Same(before, r.out.Fields[field].Final)
	})
}

func (r *run) judge(i int, c *rule.Compiled, act *Act) {
	if !r.applies(i, c, act) {
		return
	}
	holds := r.eval(c.Must, act)
	switch {
	case r.failed(i, c, act, "must"):
	case holds.IsTrue():
		act.Did = Holds
	case holds.IsNull():
		act.Did = Undecided
	default:
		act.Did = Speaks
		r.say(c.Effect.Severity, "rule", i, c, c.Effect.Message)
	}
}
