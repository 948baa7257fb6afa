package judge

import (
	"fmt"
	"maps"
	"slices"

	"codicil/core/engine"
	"codicil/core/feel"
	"codicil/core/field"
	"codicil/core/plan"
	"codicil/core/record"
)

// read puts the values of the document that the plan needs into its case.
func (d *Document) read(c *engine.Case, p *plan.Plan) error {
	kind := p.Kind()
	reader := reader{plan: p, kind: kind, format: d.format(), here: p.Scope.Company.Surroundings(p.Scope.Day)}
	reader.here.Keyed = c.Keyed
	var err error
	headers := kind.Headers()
	if c.Header, err = reader.values("", 0, headers, d.Entered, d.Stored, d.StoredOrigins); err != nil {
		return err
	}
	reader.before(&c.Header, d, "", 0, headers, 0)
	stored := record.Content{Lines: d.StoredLines}
	seen := map[int]bool{}
	for _, line := range d.touched() {
		if seen[line.Number] || line.Number < 1 {
			return fmt.Errorf("line number %d is there twice or is no number of a line; number the lines from 1", line.Number)
		}
		seen[line.Number] = true
		values, err := reader.values(field.LinePrefix, headers, kind.Columns(), line.Entered, stored.Line(line.Number), stored.OriginsOf(line.Number))
		if err != nil {
			return fmt.Errorf("line %d: %w", line.Number, err)
		}
		reader.before(&values, d, field.LinePrefix, headers, kind.Columns(), line.Number)
		c.Lines = append(c.Lines, engine.Line{Number: line.Number, Values: values})
	}
	for i, values := range reader.rows(d.StoredLines) {
		c.StoredLines = append(c.StoredLines, engine.StoredLine{Number: d.StoredLines[i].Number, Values: values})
	}
	if !p.LooksBack {
		return nil
	}
	for _, before := range []struct {
		content *record.Content
		lines   *[][]feel.Value
	}{{d.Previous, &c.PreviousLines}, {d.PreviousOfType, &c.PreviousOfTypeLines}, {d.PreviousOfAnyone, &c.PreviousOfAnyoneLines}} {
		if before.content != nil {
			*before.lines = reader.rows(before.content.Lines)
		}
	}
	return nil
}

// rows reads the lines of a document that was saved before.
func (r *reader) rows(lines []record.Line) [][]feel.Value {
	rows := make([][]feel.Value, len(lines))
	for i, line := range lines {
		// What no longer fits its field is blank: it is only a proposal.
		rows[i], _ = r.parsed(field.LinePrefix, r.kind.Headers(), r.kind.Columns(), line.Values)
	}
	return rows
}

// again reads what was keyed a second time; what is not of the field's type is like
// nothing else that was keyed.
func (r *reader) again(values *engine.Values, at int, f *field.Field, item Item) {
	if item.Again == "" {
		return
	}
	second, wrong := f.Parse(item.Again)
	if item.Typed != "" {
		second, wrong = f.Read(item.Again, r.format, r.here)
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
	if !r.plan.LooksBack {
		return
	}
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
	values.Previous, values.PreviousOfType, values.PreviousOfAnyone = of(d.Previous), of(d.PreviousOfType), of(d.PreviousOfAnyone)
}

// parsed reads saved texts: count fields from first on. The error tells of the first that
// does not fit its field.
func (r *reader) parsed(prefix string, first, count int, texts map[string]string) (values []feel.Value, err error) {
	values = make([]feel.Value, count)
	for key, text := range texts {
		if i := r.kind.Index(prefix + key); i >= first && i < first+count && r.plan.Needs(i) {
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
	plan   *plan.Plan
	kind   *record.Kind
	format field.Format
	here   field.Surroundings
}

// values reads the header, or one line: count fields from first on.
func (r *reader) values(prefix string, first, count int, entered map[string]Item, stored map[string]string, origins record.Origins) (engine.Values, error) {
	values := engine.Values{Entered: make([]feel.Value, count)}
	for key, item := range entered {
		i := r.kind.Index(prefix + key)
		if i < first || i >= first+count {
			return values, fmt.Errorf("a %s has no field %q", r.kind.Noun(), prefix+key)
		}
		if !r.plan.Needs(i) {
			continue
		}
		f := &r.kind.Fields[i]
		mark(&values.Carried, i-first, item.Carried)
		mark(&values.Derive, i-first, item.Derive)
		var v feel.Value
		var wrong *field.Misfit
		if item.Typed != "" {
			here := r.here
			if unit := entered[f.Unit]; f.Unit != "" {
				here.Unit = unit.Value + unit.Typed
			}
			v, wrong = f.Read(item.Typed, r.format, here)
		} else {
			v, wrong = f.Parse(item.Value)
		}
		values.Entered[i-first] = v
		r.again(&values, i-first, f, item)
		if wrong != nil {
			if values.Misfits == nil {
				values.Misfits = map[int]*field.Misfit{}
			}
			values.Misfits[i-first] = wrong
		}
	}
	if stored == nil {
		return values, nil
	}
	var err error
	values.Stored, err = r.parsed(prefix, first, count, stored)
	if len(origins) > 0 {
		values.Origins = make([]record.Origin, count)
		for key, origin := range origins {
			if i := r.kind.Index(prefix + key); i >= first && i < first+count {
				values.Origins[i-first] = origin
			}
		}
	}
	return values, err
}

// mark notes a place where something is so.
func mark(places *map[int]bool, at int, so bool) {
	if !so {
		return
	}
	if *places == nil {
		*places = map[int]bool{}
	}
	(*places)[at] = true
}

func (d *Document) format() field.Format {
	if d.Format == nil {
		return field.Plain
	}
	return *d.Format
}

// touched are the lines without the last ones that are new and in which nothing was entered:
// a form offers a line to go on with, which nobody has begun.
func (d *Document) touched() []Line {
	lines := d.Lines
	stored := record.Content{Lines: d.StoredLines}
	for len(lines) > 0 {
		last := lines[len(lines)-1]
		begun := slices.ContainsFunc(slices.Collect(maps.Values(last.Entered)), func(i Item) bool { return i != Item{} })
		if begun || stored.Line(last.Number) != nil {
			break
		}
		lines = lines[:len(lines)-1]
	}
	return lines
}
