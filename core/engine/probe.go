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
// no such line.
func (b Probe) Try(p *plan.Plan, c *Case, out *Outcome) (Finding, bool) {
	v := p.Vocabulary
	target := out.Field(b.Place, b.Line)
	if target == nil {
		return Finding{}, false
	}
	own := *p
	own.Lists = v.Lists(b.Program.Reads())
	r := begin(&own, c, false)
	for i := range out.Fields {
		r.frame.Slots[i] = out.Fields[i].Final
	}
	line := -1
	for i := range out.Lines {
		if out.Lines[i].Number == b.Line {
			line = i
		}
		for j := range out.Lines[i].Fields {
			r.rows[i][j] = out.Lines[i].Fields[j].Final
		}
	}
	for column := range v.Columns {
		r.list(column, rule.SoFar)
	}
	r.refresh()
	s := r.cell(b.Place, line)
	s.set(soFar(target, b.Family, s.stored()))
	var f Finding
	f.Value, f.Steps = b.Program.Explain(&r.frame)
	f.Failures = r.frame.Failures
	return f, true
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
