package engine

import (
	"crypto/sha256"
	"encoding/hex"
	"slices"
	"strings"

	"codicil/core/feel"
	"codicil/core/field"
	"codicil/core/rule"
)

// validate lets every validation of the field speak.
func (r *run) validate(s cell) {
	if s.values.Misfits[s.at] != nil {
		return // the field has spoken; rules about its value would only add noise
	}
	for _, c := range r.plan.At(s.place, rule.Validate) {
		act := &r.act
		*act = Act{Rule: c, Before: s.out.Final, After: s.out.Final}
		if !s.occasion(c) || !r.speaksNow(s, c) {
			act.Did = OtherOccasion
			r.note(s.out, act)
			continue
		}
		r.judge(s, c, act)
		r.note(s.out, act)
	}
}

// speaksNow tells whether a validation speaks at this moment. What is posted is
// saved too; and a record that is never posted is finished by saving it.
func (r *run) speaksNow(s cell, c *rule.Compiled) bool {
	if moments := c.Effect.Moments; len(moments) > 0 && !slices.Contains(moments, r.c.Moment) {
		finished := r.c.Moment == rule.Posting || (r.c.Moment == rule.Saving && !r.plan.Kind().Posted)
		if !finished || !slices.ContainsFunc(moments, func(m rule.Moment) bool { return m != rule.Typing }) {
			return false
		}
	}
	if len(c.Changed) == 0 {
		return true
	}
	return slices.ContainsFunc(c.Changed, func(place int) bool { return r.changed(place, s.line) })
}

// changed tells whether a field differs from what was last saved: in the line at
// hand, or in any line when a rule on the header asks.
func (r *run) changed(place, line int) bool {
	differs := func(s cell) bool { return !feel.Same(s.stored(), s.out.Final) }
	if place < r.plan.Vocabulary.Headers || line >= 0 {
		return differs(r.cell(place, line))
	}
	for i := range r.rows {
		if differs(r.cell(place, i)) {
			return true
		}
	}
	return false
}

func (r *run) judge(s cell, c *rule.Compiled, act *Act) {
	if !r.applies(s, c, act) {
		return
	}
	if c.Unique != nil {
		r.unique(s, c, act)
		return
	}
	holds := r.eval(c.Must, act)
	switch {
	case r.failed(s, c, act, "must"):
	case holds.IsTrue():
		act.Did = Holds
	case holds.IsNull():
		act.Did = Undecided
	default:
		act.Did = Speaks
		r.speak(s, c, "rule", nil)
	}
}

// mostInMessage is how many characters of a computed value a message has.
const mostInMessage = 200

// speak says the message of a validation.
// records are those that a unique value clashes with.
func (r *run) speak(s cell, c *rule.Compiled, code string, records []string) {
	values := r.valuesIn(c)
	r.say(c.Effect.Severity, code, s, c, c.MessageText(values, func(piece rule.Piece, v feel.Value) string {
		if piece.Field != nil {
			return piece.Field.Show(v, field.Plain, r.surroundings(s))
		}
		return v.Brief(mostInMessage)
	}))
	said := &r.out.Messages[len(r.out.Messages)-1]
	said.Values, said.Records = values, records
	if said.Severity == rule.Confirm {
		r.reason(said, r.readBy(s, c, records))
	}
}

// readBy stands for the values that a check read: those of the document's fields, and of the
// records behind its links.
func (r *run) readBy(s cell, c *rule.Compiled, records []string) string {
	var read strings.Builder
	place := 0
	put := func(v feel.Value) {
		read.WriteString(r.digest(int(c.ID)<<16+place, v))
		read.WriteByte(0)
		place++
	}
	for _, slot := range c.Reads() {
		if at, ok := r.plan.Vocabulary.ReadAt(slot); ok && at.Form == rule.SoFar {
			now, _ := r.readAt(s, at)
			put(*now)
		}
	}
	for _, place := range c.Unique {
		put(r.out.Field(place, r.lineNumber(s)).Final)
	}
	for _, program := range []*feel.Program{c.When, c.Must} {
		if program == nil {
			continue
		}
		_, steps := program.Explain(&r.frame)
		for _, step := range steps {
			if path, ok := step.Node.(*feel.Path); ok {
				if _, own := feel.SlotOf(path); !own {
					put(step.Value) // what a link leads to
				}
			}
		}
	}
	for _, number := range records {
		read.WriteString(number)
		read.WriteByte(1)
	}
	sum := sha256.Sum256([]byte(read.String()))
	return hex.EncodeToString(sum[:12])
}

// valuesIn computes the values in the message of a rule. One that cannot be computed is
// blank: the rule has spoken, and what it says must not get lost.
func (r *run) valuesIn(c *rule.Compiled) (values []feel.Value) {
	for _, piece := range c.Message {
		if piece.Program != nil {
			r.frame.Failures = r.frame.Failures[:0]
			values = append(values, piece.Program.Eval(&r.frame))
		}
	}
	return values
}

// balance refuses a posting whose journal does not balance, or that has none. A
// document may be kept unbalanced until then.
func (r *run) balance() {
	kind := r.plan.Kind()
	if kind.Journal == nil {
		return
	}
	severity := rule.Refuse
	if r.c.Moment != rule.Posting {
		severity = rule.Advise
	}
	b := &Balance{Currency: r.plan.Scope.Company.Currency}
	r.out.Balance = b
	account, debit, credit := kind.Index(kind.Journal.Account), kind.Index(kind.Journal.Debit), kind.Index(kind.Journal.Credit)
	for i := range r.rows {
		at := r.cell(debit, i)
		if own := r.surroundings(at).Currency; own != "" {
			b.Currency = own
		}
		d, _ := at.out.Final.Number()
		c, _ := r.cell(credit, i).out.Final.Number()
		b.Debits, b.Credits = b.Debits.Plus(d), b.Credits.Plus(c)
		switch {
		case d.Sign() != 0 && c.Sign() != 0:
			r.notify(severity, at, nil, bothSides.With())
		case d.Sign() == 0 && c.Sign() == 0:
			r.notify(severity, at, nil, noAmount.With())
		case r.cell(account, i).out.Final.IsNull():
			r.notify(severity, r.cell(account, i), nil, noAccount.With(kind.Fields[account].Label))
		default:
			r.partner(severity, account, i)
		}
	}
	b.Places, _ = r.plan.Here.Decimals(b.Currency)
	if len(r.rows) == 0 {
		r.notify(severity, r.cell(debit, -1), nil, noLines.With())
		return
	}
	if lacks := b.Lacks(); lacks.Sign() != 0 {
		r.notify(severity, r.cell(debit, -1), nil, unbalanced.With(b.Show(b.Debits), b.Show(b.Credits), b.Show(lacks.Abs())))
	}
}

// partner misses the vendor or customer of a line whose account keeps balances by
// them. The line's own goes before that of the header.
func (r *run) partner(severity rule.Severity, account, line int) {
	kind, at := r.plan.Kind(), r.cell(account, line)
	if kind.Journal.Control == "" || r.c.Linked == nil {
		return
	}
	key, _ := at.out.Final.Text()
	partnerKind, _ := r.c.Linked.Follow(kind.Fields[account].Kind, key, kind.Journal.Control).Text()
	for _, name := range kind.Journal.Partners {
		header := kind.Index(name)
		if header < 0 || kind.Fields[header].Kind != partnerKind {
			continue
		}
		own := kind.Index(field.LinePrefix + name)
		if r.cell(header, -1).out.Final.IsNull() && (own < 0 || r.cell(own, line).out.Final.IsNull()) {
			label := kind.Fields[header].Label
			r.notify(severity, r.cell(header, -1), nil, noPartner.With(label, key, strings.ToLower(label)))
		}
	}
}
