package trials

import (
	"codicil/core/field"
	"codicil/core/judge"
	"codicil/core/record"
	"codicil/internal/access"
	"codicil/internal/actor"
	"codicil/internal/contract"
	"codicil/internal/exchange"
	"codicil/internal/fault"
	"context"
	"strings"
)

// ReadRows reads rows that were copied from a spreadsheet as a test document. Where the first
// row names fields, the header is taken from the next, and the columns of lines from every
// row after it; a row without names is entered from the given field on.
func (s *Service) ReadRows(ctx context.Context, request contract.RowsRequest) (contract.RowsRead, error) {
	if err := access.Need(ctx, actor.RecordsRead, actor.RulesRead); err != nil {
		return contract.RowsRead{}, err
	}
	read := contract.RowsRead{Entered: map[string]judge.Item{}, Lines: []judge.Line{}, Ignored: []string{}}
	m, err := s.base.Cache.Reference(ctx)
	if err != nil {
		return read, err
	}
	kind, err := m.Kind(request.Kind)
	if err != nil {
		return read, err
	}
	rows, err := exchange.Rows(request.Text)
	if err != nil {
		return read, fault.Bad(fault.NotRows, err)
	}
	if len(rows) == 0 {
		return read, fault.Bad(noRows)
	}
	columns := fieldsNamed(kind, rows[0])
	if columns != nil {
		for i, f := range columns {
			if f == nil && rows[0][i] != "" {
				read.Ignored = append(read.Ignored, rows[0][i])
			}
		}
		rows = rows[1:]
	} else {
		columns = fieldsFrom(kind, request.At)
	}
	for n, row := range rows {
		line := judge.Line{Number: n + 1, Entered: map[string]judge.Item{}}
		for i, text := range row {
			switch {
			case i >= len(columns) || columns[i] == nil || text == "":
			case columns[i].OfLine():
				line.Entered[columns[i].Column()] = judge.Item{Typed: text}
			case n == 0:
				read.Entered[columns[i].Key] = judge.Item{Typed: text}
			}
		}
		if len(line.Entered) > 0 {
			read.Lines = append(read.Lines, line)
		}
	}
	return read, nil
}

// fieldsNamed reads a row as names of fields, nil where one names none; it is nil when hardly
// any is one: then the row holds values.
func fieldsNamed(kind *record.Kind, names []string) []*field.Field {
	fields, named := make([]*field.Field, len(names)), 0
	for i, name := range names {
		for j := range kind.Fields {
			f := &kind.Fields[j]
			if name != "" && (strings.EqualFold(f.Key, name) || strings.EqualFold(f.Label, name) || strings.EqualFold(f.Column(), name)) {
				fields[i] = f
				named++
				break
			}
		}
	}
	if 2*named < len(names) || named == 0 {
		return nil
	}
	return fields
}

// fieldsFrom are the fields from one on: of the header, or of the lines.
func fieldsFrom(kind *record.Kind, key string) (fields []*field.Field) {
	at := max(kind.Index(key), 0)
	for i := at; i < len(kind.Fields) && kind.Fields[i].OfLine() == kind.Fields[at].OfLine(); i++ {
		fields = append(fields, &kind.Fields[i])
	}
	return fields
}
