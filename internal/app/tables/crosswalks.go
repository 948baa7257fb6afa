package tables

import (
	"codicil/core/field"
	"codicil/core/record"
	"codicil/core/table"
	"codicil/internal/access"
	"codicil/internal/actor"
	"codicil/internal/cache"
	"codicil/internal/contract"
	"codicil/internal/exchange"
	"codicil/internal/fault"
	"codicil/internal/store"
	"codicil/internal/view"
	"context"
	"slices"
	"strings"
)

// Crosswalks returns the crosswalks without their rows.
func (t *Service) Crosswalks(ctx context.Context) ([]contract.CrosswalkSummary, error) {
	if err := access.Need(ctx, actor.RulesRead); err != nil {
		return nil, err
	}
	m, err := t.base.Cache.Seen(ctx)
	if err != nil {
		return nil, err
	}
	return view.List(m.Tables.Crosswalks, func(c table.Crosswalk) contract.CrosswalkSummary {
		return contract.CrosswalkSummary{Key: c.Key, Label: c.Label, Note: c.Note, Keys: c.Keys, Results: c.Results, Rows: len(c.Rows), Version: m.TableVersion("crosswalk", c.Key)}
	}), nil
}

// Crosswalk returns one crosswalk.
func (t *Service) Crosswalk(ctx context.Context, key string) (contract.CrosswalkView, error) {
	if err := access.Need(ctx, actor.RulesRead); err != nil {
		return contract.CrosswalkView{}, err
	}
	m, err := t.base.Cache.Seen(ctx)
	if err != nil {
		return contract.CrosswalkView{}, err
	}
	c := m.Tables.Crosswalk(key)
	if c == nil {
		return contract.CrosswalkView{}, fault.Missing("crosswalk %s", key)
	}
	return t.viewCrosswalk(m, *c), nil
}

func (t *Service) viewCrosswalk(m *cache.Reference, c table.Crosswalk) contract.CrosswalkView {
	c.Keys, c.Results, c.Rows = slices.Clone(c.Keys), slices.Clone(c.Results), slices.Clone(c.Rows)
	m.Tables.Choose(c.Keys, c.Results)
	shown := contract.CrosswalkView{Version: m.TableVersion("crosswalk", c.Key), Problems: Problems(c.Check())}
	table.Unchosen(c.Keys, c.Results)
	if c.Rows == nil {
		c.Rows = []table.Row{}
	}
	if c.Default == nil {
		c.Default = []string{}
	}
	shown.Crosswalk = c
	return shown
}

// CheckCrosswalk says what is wrong with a crosswalk.
func (t *Service) CheckCrosswalk(ctx context.Context, c table.Crosswalk) (contract.CrosswalkView, error) {
	if err := access.Need(ctx, actor.RulesRead); err != nil {
		return contract.CrosswalkView{}, err
	}
	m, err := t.base.Cache.Seen(ctx)
	if err != nil {
		return contract.CrosswalkView{}, err
	}
	return t.viewCrosswalk(m, c), nil
}

// SaveCrosswalk keeps a new or changed crosswalk.
func (t *Service) SaveCrosswalk(ctx context.Context, key string, request contract.CrosswalkChange) (contract.CrosswalkView, error) {
	if err := access.Need(ctx, actor.TablesChange); err != nil {
		return contract.CrosswalkView{}, err
	}
	if err := access.Companies(ctx, nil); err != nil {
		return contract.CrosswalkView{}, err
	}
	m, err := t.base.Cache.Reference(ctx)
	if err != nil {
		return contract.CrosswalkView{}, err
	}
	c := request.Crosswalk
	c.Key = key
	shown := t.viewCrosswalk(m, c)
	if err := Refuse(shown.Problems); err != nil {
		return shown, err
	}
	change := func(t *table.Set) {
		t.Crosswalks = put(t.Crosswalks, func(o *table.Crosswalk) bool { return o.Key == key }, &c)
	}
	if err := t.writeTable(ctx, "the crosswalk "+c.Label, change, func(tx *store.Store, by record.Stamp) error {
		return tx.SaveCrosswalk(ctx, shown.Crosswalk, request.Version, by)
	}); err != nil {
		return shown, err
	}
	return t.Crosswalk(ctx, key)
}

// DeleteCrosswalk removes a crosswalk that no rule looks up.
func (t *Service) DeleteCrosswalk(ctx context.Context, key string) error {
	if err := access.Need(ctx, actor.TablesChange); err != nil {
		return err
	}
	if err := access.Companies(ctx, nil); err != nil {
		return err
	}
	return t.deleteLookup(ctx, "crosswalk", key, "the crosswalk "+key, func(t *table.Set) {
		t.Crosswalks = put(t.Crosswalks, func(o *table.Crosswalk) bool { return o.Key == key }, nil)
	})
}

// columnsOf are the columns of a crosswalk's rows as they are exchanged: keys, results, days.
func columnsOf(c *table.Crosswalk) []field.Field {
	columns := append(slices.Clone(c.Keys), c.Results...)
	return append(columns, field.Field{Key: "from", Label: "From", Type: field.Date}, field.Field{Key: "until", Label: "Until", Type: field.Date})
}

// ReadCrosswalk puts pasted rows into a crosswalk. Nothing is kept.
func (t *Service) ReadCrosswalk(ctx context.Context, request contract.CrosswalkRead) (contract.CrosswalkView, error) {
	if err := access.Need(ctx, actor.RulesRead); err != nil {
		return contract.CrosswalkView{}, err
	}
	m, err := t.base.Cache.Reference(ctx)
	if err != nil {
		return contract.CrosswalkView{}, err
	}
	rows, err := exchange.Rows(request.Text)
	if err != nil {
		return contract.CrosswalkView{}, fault.Bad(fault.NotRows, err)
	}
	c := request.Crosswalk
	c.Rows = slices.Clone(c.Rows)
	m.Tables.Choose(c.Keys, c.Results)
	before := len(c.Rows)
	if request.Replace {
		c.Rows = nil
	}
	columns := columnsOf(&c)
	order := make([]int, len(columns))
	for i := range order {
		order[i] = i
	}
	if len(rows) > 0 {
		if named := namedColumns(columns, rows[0]); named != nil {
			order, rows = named, rows[1:]
		}
	}
	if len(rows) == 0 {
		return contract.CrosswalkView{}, fault.Bad(NoRows)
	}
	format, here := request.Format.OrPlain(), (*record.Company)(nil).Surroundings(t.base.Today(nil))
	for _, texts := range rows {
		values := make([]string, len(columns))
		for i, text := range texts {
			if i >= len(order) || order[i] < 0 {
				continue
			}
			values[order[i]] = text
			// What is not of the column's type stays as it came, and is told at its cell.
			if v, wrong := columns[order[i]].Read(text, format, here); wrong == nil {
				values[order[i]] = field.Write(v)
			}
		}
		results := len(c.Keys) + len(c.Results)
		row := table.Row{Keys: values[:len(c.Keys):len(c.Keys)], Results: values[len(c.Keys):results:results]}
		row.From, row.Until = record.Day(values[results]), record.Day(values[results+1])
		same := slices.IndexFunc(c.Rows, func(o table.Row) bool { return slices.Equal(o.Keys, row.Keys) && o.Period == row.Period })
		// A code that is twice among those that are read is told, not dropped.
		if same >= 0 && same < before && !request.Replace {
			c.Rows[same] = row
		} else {
			c.Rows = append(c.Rows, row)
		}
	}
	return t.viewCrosswalk(m, c), nil
}

// WriteValues reads what was typed into cells of a table and writes values as a person reads
// them. What is not of its field's type stays as it is, and is told where the table is checked.
func (t *Service) WriteValues(ctx context.Context, request contract.CellsAsk) ([]contract.Cell, error) {
	if err := access.Need(ctx, actor.RulesRead); err != nil {
		return nil, err
	}
	m, err := t.base.Cache.Reference(ctx)
	if err != nil {
		return nil, err
	}
	m.Tables.Choose(request.Fields)
	format, here := request.Format.OrPlain(), (*record.Company)(nil).Surroundings(t.base.Today(nil))
	cells := make([]contract.Cell, len(request.Cells))
	for i, asked := range request.Cells {
		if asked.Field >= len(request.Fields) {
			return nil, fault.Bad(noField, i, asked.Field, len(request.Fields))
		}
		f := &request.Fields[asked.Field]
		v, wrong := f.Read(asked.Text, format, here)
		if asked.Kept {
			v, wrong = f.Parse(asked.Text)
		}
		cells[i] = contract.Cell{Value: asked.Text, Text: asked.Text}
		if wrong == nil {
			cells[i] = contract.Cell{Value: field.Write(v), Text: f.Show(v, format, here)}
		}
	}
	return cells, nil
}

// namedColumns reads a first row as the names of the columns: for each value the place of
// its column, -1 for none. It is nil when the row names none of the key columns.
func namedColumns(columns []field.Field, names []string) []int {
	order, found := make([]int, len(names)), false
	for i, name := range names {
		order[i] = slices.IndexFunc(columns, func(f field.Field) bool { return strings.EqualFold(f.Key, name) || strings.EqualFold(f.Label, name) })
		found = found || order[i] == 0
	}
	if !found {
		return nil
	}
	return order
}

// ExportCrosswalk writes the rows of a crosswalk as CSV.
func (t *Service) ExportCrosswalk(ctx context.Context, key string) (string, error) {
	if err := access.Need(ctx, actor.RulesRead); err != nil {
		return "", err
	}
	shown, err := t.Crosswalk(ctx, key)
	if err != nil {
		return "", err
	}
	c := shown.Crosswalk
	rows := [][]string{view.List(columnsOf(&c), func(f field.Field) string { return f.Key })}
	for _, row := range c.Rows {
		rows = append(rows, append(slices.Concat(row.Keys, row.Results), string(row.From), string(row.Until)))
	}
	return exchange.WriteRows(rows)
}
