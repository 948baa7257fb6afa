package engine

import (
	"codicil/core/feel"
	"codicil/core/plan"
	"codicil/core/rule"
)

// Probe is a formula that is tried on a document without being part of its plan.
type Probe struct {
	Place   int // the field that its rule is on
	Line    int // number of the current line; 0: the header
	Family  rule.Family
	Program *feel.Program
}

// Finding is what a probe found.
type Finding struct {
	Value    feel.Value
	Steps    []feel.Step
	Failures []feel.Failure
}

// Try computes a formula as a rule would in the journey of its field: all fields that
// it reads are finished, its own field has the value that it has when it comes to the
// family's station. out is the outcome of the case, with detail. It is false when the document has
// no such line. Cost: the fields of the document.
func (b Probe) Try(p *plan.Plan, c *Case, out *Outcome) (Finding, bool) {
	t := ProbesOf(p, c, out, b.Program.Reads())
	var f Finding
	at, there := t.enter(b)
	if there {
		f.Value, f.Steps = b.Program.Explain(&t.run.frame)
		f.Failures = t.run.frame.Failures
		at.leave()
	}
	return f, there
}

// Probes tries many formulas on one document that was judged. It is used by one goroutine.
type Probes struct {
	// Plan and Out are what the document was judged by, and its outcome with detail.
	Plan *plan.Plan
	Out  *Outcome
	run  *run
}

// ProbesOf prepares a document for formulas that read nothing but reads. Cost: the fields of the document.
func ProbesOf(p *plan.Plan, c *Case, out *Outcome, reads []int) *Probes {
	v := p.Vocabulary
	own := *p
	own.Lists = v.Lists(reads)
	r := begin(&own, c, false)
	for i := range out.Fields {
		r.frame.Slots[i] = out.Fields[i].Final
	}
	for i := range out.Lines {
		for j := range out.Lines[i].Fields {
			r.rows[i][j] = out.Lines[i].Fields[j].Final
		}
	}
	for column := range v.Columns {
		r.list(column, rule.SoFar)
	}
	r.refresh()
	return &Probes{p, out, r}
}

// Value computes what Probe.Try does. It is false when the document has no such line. Cost: that of the formula.
func (t *Probes) Value(b Probe) (feel.Value, bool) {
	at, there := t.enter(b)
	if !there {
		return feel.Value{}, false
	}
	defer at.leave()
	return b.Program.Eval(&t.run.frame), true
}

// entered is a field that has, while a formula is computed, what it has when it comes to its station.
type entered struct {
	cell
	final feel.Value
}

func (e *entered) leave() { e.set(e.final) }

// enter makes a document as a formula finds it.
func (t *Probes) enter(b Probe) (*entered, bool) {
	target := t.Out.Field(b.Place, b.Line)
	if target == nil {
		return nil, false
	}
	line, there := t.run.out.places[b.Line]
	if !there {
		line = -1
	}
	t.run.frame.Row, t.run.frame.Failures = nil, nil
	at := &entered{cell: t.run.cell(b.Place, line)}
	at.final = at.slots[at.at]
	at.set(soFar(target, b.Family, at.stored()))
	return at, true
}

// soFar is the value of a field when it comes to a station.
func soFar(f *Field, family rule.Family, stored feel.Value) feel.Value {
	switch {
	case family == rule.Default:
		return f.Sourced
	case family == rule.Compute:
		return f.Defaulted
	case family == rule.Substitute:
		return f.Computed
	case family == rule.Validate:
		return f.Final
	case f.Access == rule.ReadOnly || f.Access == rule.Hidden:
		return stored
	}
	return f.Entered
}
