package records

import (
	"bufio"
	"context"
	"fmt"
	"io"
	"slices"
	"strconv"

	"codicil/core/record"
	"codicil/internal/access"
	"codicil/internal/actor"
	"codicil/internal/app/runs"
	"codicil/internal/contract"
	"codicil/internal/exchange"
	"codicil/internal/store"
)

// export is a list that is written as a file.
type export struct {
	lists   *Lists
	query   store.ListQuery
	columns []string
	banded  []string // columns whose numbers a rule sorts
	scales  *scales
	ofLines bool // a row for each line
}

func (s *Lists) export(ctx context.Context, request contract.ListRequest) (*export, error) {
	_, q, sorted, err := s.query(ctx, request)
	if err != nil {
		return nil, err
	}
	q.After, q.Offset = "", 0
	e := &export{lists: s, query: q, columns: request.Columns, scales: sorted}
	if len(e.columns) == 0 {
		for i := range q.Kind.Headers() {
			e.columns = append(e.columns, q.Kind.Fields[i].Key)
		}
	}
	e.ofLines = slices.ContainsFunc(e.columns, func(c string) bool { return q.Kind.Field(c).OfLine() })
	if sorted != nil {
		e.banded = sorted.columns(e.columns)
	}
	return e, nil
}

// write writes the list, some of it in memory; after is told of each record.
func (e *export) write(ctx context.Context, to io.Writer, after func() error) error {
	head := []string{"number", "company", "type", "state"}
	if e.ofLines {
		head = append(head, "line")
	}
	head = append(head, e.columns...)
	for _, column := range e.banded {
		head = append(head, column+" band")
	}
	out := bufio.NewWriterSize(to, 1<<16)
	if err := exchange.WriteTo(out, [][]string{head}); err != nil {
		return err
	}
	err := e.lists.base.Store.EachListed(ctx, e.query, func(r *record.Record) error {
		if err := exchange.WriteTo(out, e.rows(r)); err != nil {
			return err
		}
		return after()
	})
	if err != nil {
		return err
	}
	return out.Flush()
}

// rows are those of a record.
func (e *export) rows(r *record.Record) (rows [][]string) {
	bands := map[string]string{}
	if len(e.banded) > 0 {
		for _, b := range e.scales.of(r, e.banded) {
			bands[b.Column] = b.Band.Label
		}
	}
	lines := []int{0}
	if e.ofLines {
		lines = lines[:0]
		for _, line := range r.Lines {
			lines = append(lines, line.Number)
		}
	}
	for _, line := range lines {
		cells := []string{r.Number, r.Company, r.Type, r.State}
		if e.ofLines {
			cells = append(cells, strconv.Itoa(line))
		}
		for _, column := range e.columns {
			cells = append(cells, r.Content.Get(e.query.Kind.Field(column), line))
		}
		for _, column := range e.banded {
			cells = append(cells, bands[column])
		}
		rows = append(rows, cells)
	}
	return rows
}

// Export writes a whole list as CSV, every value exact and the same for everybody. With a column of the lines it has a
// row for each line. Cost: one reading of the list.
func (s *Lists) Export(ctx context.Context, request contract.ListRequest, to io.Writer) error {
	if err := access.NeedFor(ctx, request.Kind, actor.RecordsExport); err != nil {
		return err
	}
	err := s.base.Line.Write(ctx, func(tx *store.Store, by record.Stamp) error {
		return tx.Note(ctx, by, store.TrailEntry{What: "exported", Kind: request.Kind, Note: "a list"})
	})
	if err != nil {
		return err
	}
	e, err := s.export(ctx, request)
	if err != nil {
		return err
	}
	return e.write(ctx, to, func() error { return nil })
}

// StartExport begins a run that writes a whole list as Export does, and keeps the file.
func (s *Lists) StartExport(ctx context.Context, request contract.ListRequest) (contract.Run, error) {
	if err := access.NeedFor(ctx, request.Kind, actor.RecordsExport); err != nil {
		return contract.Run{}, err
	}
	e, err := s.export(ctx, request)
	if err != nil {
		return contract.Run{}, err
	}
	all, err := s.base.Store.CountRecords(ctx, request.Kind, access.Scope(ctx))
	if err != nil {
		return contract.Run{}, err
	}
	first := e.query
	first.Limit = 1
	page, err := s.base.Store.List(ctx, first)
	if err != nil {
		return contract.Run{}, err
	}
	if !page.More { // not more than are counted
		all = page.Total
	}
	r, err := s.runs.Start(ctx, "export", e.query.Kind.Plural, runs.Subject{File: true}, func(ctx context.Context, w *runs.Writer) error {
		w.Total(all)
		done := 0
		came := func() error { return w.Came(ctx, done, runs.Counts{"records": done}) }
		err := e.write(ctx, w, func() error {
			done++
			if done%100 != 0 {
				return nil
			}
			return came()
		})
		if err != nil {
			return fmt.Errorf("list of %s: %w", request.Kind, err)
		}
		w.Total(done)
		return came()
	})
	return runs.Shown(&r), err
}
