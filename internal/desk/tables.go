package desk

import (
	"context"
	"fmt"
	"slices"
	"strings"

	"codicil/core/engine"
	"codicil/core/feel"
	"codicil/core/plan"
	"codicil/core/record"
	"codicil/core/rule"
	"codicil/core/table"
	"codicil/internal/contract"
	"codicil/internal/exchange"
	"codicil/internal/store"
)

// tablesWith is all that rules look up, with a change.
func (m *masters) tablesWith(change func(*table.Set)) *table.Set {
	next := &table.Set{Standing: slices.Clone(m.tables.Standing), Crosswalks: slices.Clone(m.tables.Crosswalks), Series: slices.Clone(m.tables.Series)}
	change(next)
	return next
}

// put replaces the item that is the same, or adds it; a nil item is removed.
func put[T any](list []T, same func(*T) bool, item *T) []T {
	i := slices.IndexFunc(list, func(t T) bool { return same(&t) })
	switch {
	case i < 0 && item == nil:
		return list
	case i < 0:
		return append(list, *item)
	case item == nil:
		return slices.Delete(list, i, i+1)
	}
	list[i] = *item
	return list
}

// staySound refuses changed tables with which a rule would no longer be sound, and names
// the rules.
func (d *Desk) staySound(ctx context.Context, m *masters, what string, tables *table.Set) error {
	var uses []contract.Use
	for i := range m.kinds {
		book, err := d.book(ctx, m.kinds[i].Key)
		if err != nil {
			return err
		}
		vocabulary := rule.NewVocabulary(book.Vocabulary.Kind, m.kinds, tables)
		for _, c := range book.Rules {
			if c.State != rule.Retired && c.Sound() && !rule.Compile(c.Rule, vocabulary).Sound() {
				uses = append(uses, contract.Use{What: "rule", Key: fmt.Sprint(c.ID), Title: c.Name})
			}
		}
	}
	if len(uses) == 0 {
		return nil
	}
	return &Error{
		Reason: Conflict, Code: "in-use", Count: len(uses), Uses: uses[:min(len(uses), mostUses)],
		Detail: fmt.Sprintf("%s is used by %d rules, which could no longer run; change or retire them first", what, len(uses)),
	}
}

// refuse refuses a table with problems; they stand in the detail by row and column.
func refuse(problems []table.Problem) error {
	if len(problems) == 0 {
		return nil
	}
	p := problems[0]
	text := p.Message
	if p.Row >= 0 {
		text = fmt.Sprintf("row %d: %s", p.Row+1, p.Message)
	}
	if len(problems) > 1 {
		text += fmt.Sprintf(" (and %d more)", len(problems)-1)
	}
	return &Error{Reason: Invalid, Code: "table-problems", Detail: text, Count: len(problems)}
}

func noProblems(problems []table.Problem) []table.Problem {
	if problems == nil {
		return []table.Problem{}
	}
	return problems
}

// Standing returns the standing values, with what should be known of them ahead.
func (d *Desk) Standing(ctx context.Context) ([]contract.StandingView, error) {
	m, err := d.master(ctx)
	if err != nil {
		return nil, err
	}
	return list(m.tables.Standing, func(s table.Standing) contract.StandingView { return d.viewStanding(m, s) }), nil
}

func (d *Desk) viewStanding(m *masters, s table.Standing) contract.StandingView {
	s.Periods = slices.Clone(s.Periods)
	view := contract.StandingView{Version: m.versions.VersionOf("standing", s.Field.Key), Problems: noProblems(s.Check()), Notices: []table.Notice{}}
	for i := range s.Periods {
		if p := &s.Periods[i]; p.Company != "" && m.company(p.Company) == nil {
			view.Problems = append(view.Problems, table.Problem{Row: i, Column: "company", Message: fmt.Sprintf("there is no company %q", p.Company)})
		}
	}
	if len(view.Problems) == 0 {
		view.Notices = append(view.Notices, s.Notices(list(m.companies, func(c record.Company) string { return c.Key }), d.today())...)
	}
	if s.Periods == nil {
		s.Periods = []table.StandingValue{}
	}
	view.Standing = s
	return view
}

// CheckStanding says what is wrong with a standing value.
func (d *Desk) CheckStanding(ctx context.Context, s table.Standing) (contract.StandingView, error) {
	m, err := d.master(ctx)
	if err != nil {
		return contract.StandingView{}, err
	}
	d.meantIn(ctx, m, &s)
	return d.viewStanding(m, s), nil
}

// meantIn puts the numbers of records in place of what people call them.
func (d *Desk) meantIn(ctx context.Context, m *masters, s *table.Standing) {
	for i := range s.Periods {
		s.Periods[i].Value = d.meant(ctx, m, &s.Field, s.Periods[i].Value)
	}
}

// SaveStanding keeps a new or changed standing value.
func (d *Desk) SaveStanding(ctx context.Context, key string, change contract.StandingChange) (contract.StandingView, error) {
	m, err := d.master(ctx)
	if err != nil {
		return contract.StandingView{}, err
	}
	s := change.Standing
	s.Field.Key = key
	d.meantIn(ctx, m, &s)
	view := d.viewStanding(m, s)
	if err := refuse(view.Problems); err != nil {
		return view, err
	}
	next := m.tablesWith(func(t *table.Set) {
		t.Standing = put(t.Standing, func(o *table.Standing) bool { return o.Field.Key == key }, &s)
	})
	if err := d.staySound(ctx, m, "the standing value "+s.Field.Label, next); err != nil {
		return view, err
	}
	if err := d.store.SaveStanding(ctx, view.Standing, change.Version, d.clock(), d.user); err != nil {
		return view, d.kept(err)
	}
	d.forgetMasters()
	if m, err = d.master(ctx); err != nil {
		return view, err
	}
	return d.viewStanding(m, view.Standing), nil
}

// kept explains why something could not be kept: one that is new may be there already.
func (d *Desk) kept(err error) error {
	if strings.Contains(err.Error(), "UNIQUE") {
		return conflict("key-taken", "there is one with this key already; choose another key")
	}
	return explain(err)
}

// DeleteStanding removes a standing value that no rule reads.
func (d *Desk) DeleteStanding(ctx context.Context, key string) error {
	return d.deleteLookup(ctx, "standing", key, "the standing value "+key, func(t *table.Set) {
		t.Standing = put(t.Standing, func(o *table.Standing) bool { return o.Field.Key == key }, nil)
	})
}

func (d *Desk) deleteLookup(ctx context.Context, what, key, named string, change func(*table.Set)) error {
	m, err := d.master(ctx)
	if err != nil {
		return err
	}
	if err := d.staySound(ctx, m, named, m.tablesWith(change)); err != nil {
		return err
	}
	defer d.forgetMasters()
	return explain(d.store.DeleteLookup(ctx, what, key, d.clock(), d.user))
}

// Crosswalks returns the crosswalks without their rows.
func (d *Desk) Crosswalks(ctx context.Context) ([]contract.CrosswalkSummary, error) {
	m, err := d.master(ctx)
	if err != nil {
		return nil, err
	}
	return list(m.tables.Crosswalks, func(c table.Crosswalk) contract.CrosswalkSummary {
		return contract.CrosswalkSummary{Key: c.Key, Label: c.Label, Note: c.Note, Keys: c.Keys, Results: c.Results, Rows: len(c.Rows), Version: m.versions.VersionOf("crosswalk", c.Key)}
	}), nil
}

// Crosswalk returns one crosswalk.
func (d *Desk) Crosswalk(ctx context.Context, key string) (contract.CrosswalkView, error) {
	m, err := d.master(ctx)
	if err != nil {
		return contract.CrosswalkView{}, err
	}
	c := m.tables.Crosswalk(key)
	if c == nil {
		return contract.CrosswalkView{}, missing("crosswalk " + key)
	}
	return d.viewCrosswalk(m, *c), nil
}

func (d *Desk) viewCrosswalk(m *masters, c table.Crosswalk) contract.CrosswalkView {
	c.Keys, c.Results, c.Rows = slices.Clone(c.Keys), slices.Clone(c.Results), slices.Clone(c.Rows)
	view := contract.CrosswalkView{Version: m.versions.VersionOf("crosswalk", c.Key), Problems: noProblems(c.Check())}
	if c.Rows == nil {
		c.Rows = []table.Row{}
	}
	if c.Default == nil {
		c.Default = []string{}
	}
	view.Crosswalk = c
	return view
}

// CheckCrosswalk says what is wrong with a crosswalk.
func (d *Desk) CheckCrosswalk(ctx context.Context, c table.Crosswalk) (contract.CrosswalkView, error) {
	m, err := d.master(ctx)
	if err != nil {
		return contract.CrosswalkView{}, err
	}
	return d.viewCrosswalk(m, c), nil
}

// SaveCrosswalk keeps a new or changed crosswalk.
func (d *Desk) SaveCrosswalk(ctx context.Context, key string, change contract.CrosswalkChange) (contract.CrosswalkView, error) {
	m, err := d.master(ctx)
	if err != nil {
		return contract.CrosswalkView{}, err
	}
	c := change.Crosswalk
	c.Key = key
	view := d.viewCrosswalk(m, c)
	if err := refuse(view.Problems); err != nil {
		return view, err
	}
	next := m.tablesWith(func(t *table.Set) {
		t.Crosswalks = put(t.Crosswalks, func(o *table.Crosswalk) bool { return o.Key == key }, &c)
	})
	if err := d.staySound(ctx, m, "the crosswalk "+c.Label, next); err != nil {
		return view, err
	}
	if err := d.store.SaveCrosswalk(ctx, view.Crosswalk, change.Version, d.clock(), d.user); err != nil {
		return view, d.kept(err)
	}
	d.forgetMasters()
	return d.Crosswalk(ctx, key)
}

// DeleteCrosswalk removes a crosswalk that no rule looks up.
func (d *Desk) DeleteCrosswalk(ctx context.Context, key string) error {
	return d.deleteLookup(ctx, "crosswalk", key, "the crosswalk "+key, func(t *table.Set) {
		t.Crosswalks = put(t.Crosswalks, func(o *table.Crosswalk) bool { return o.Key == key }, nil)
	})
}

// columnsOf are the columns of a crosswalk's rows as they are exchanged: keys, results, days.
func columnsOf(c *table.Crosswalk) []record.Field {
	columns := append(slices.Clone(c.Keys), c.Results...)
	return append(columns, record.Field{Key: "from", Label: "From", Type: record.Date}, record.Field{Key: "until", Label: "Until", Type: record.Date})
}

// ReadCrosswalk puts pasted rows into a crosswalk. Nothing is kept.
func (d *Desk) ReadCrosswalk(ctx context.Context, request contract.CrosswalkRead) (contract.CrosswalkView, error) {
	m, err := d.master(ctx)
	if err != nil {
		return contract.CrosswalkView{}, err
	}
	rows, err := exchange.Rows(request.Text)
	if err != nil {
		return contract.CrosswalkView{}, invalid("not-rows", "%v", err)
	}
	c := request.Crosswalk
	c.Rows = slices.Clone(c.Rows)
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
		return contract.CrosswalkView{}, invalid("no-rows", "there are no rows to read; copy them from a spreadsheet, with or without the names of the columns")
	}
	format, here := formatOf(request.Format), record.Surroundings{Day: d.today()}
	for _, texts := range rows {
		values := make([]string, len(columns))
		for i, text := range texts {
			if i >= len(order) || order[i] < 0 {
				continue
			}
			values[order[i]] = text
			// What is not of the column's type stays as it came, and is told at its cell.
			if v, wrong := columns[order[i]].Read(text, format, here); wrong == nil {
				values[order[i]] = record.Write(v)
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
	return d.viewCrosswalk(m, c), nil
}

// namedColumns reads a first row as the names of the columns: for each value the place of
// its column, -1 for none. It is nil when the row names none of the key columns.
func namedColumns(columns []record.Field, names []string) []int {
	order, found := make([]int, len(names)), false
	for i, name := range names {
		order[i] = slices.IndexFunc(columns, func(f record.Field) bool { return strings.EqualFold(f.Key, name) || strings.EqualFold(f.Label, name) })
		found = found || order[i] == 0
	}
	if !found {
		return nil
	}
	return order
}

// ExportCrosswalk writes the rows of a crosswalk as CSV.
func (d *Desk) ExportCrosswalk(ctx context.Context, key string) (string, error) {
	view, err := d.Crosswalk(ctx, key)
	if err != nil {
		return "", err
	}
	c := view.Crosswalk
	rows := [][]string{list(columnsOf(&c), func(f record.Field) string { return f.Key })}
	for _, row := range c.Rows {
		rows = append(rows, append(slices.Concat(row.Keys, row.Results), string(row.From), string(row.Until)))
	}
	return exchange.WriteRows(rows)
}

// lookUp is a place in a rule where it looks a crosswalk up: the formulas of the codes.
type lookUp struct {
	rule *rule.Compiled
	keys []*feel.Program
}

// lookUps finds where the rules of a book look a crosswalk up. A code that the rule makes
// within a loop cannot be told from outside of it, and is left out.
func lookUps(book *plan.Book, c *table.Crosswalk) (found []lookUp) {
	for _, r := range book.Rules {
		if r.State == rule.Retired || !r.Sound() {
			continue
		}
		for _, program := range []*feel.Program{r.When, r.Value, r.Must} {
			if program == nil {
				continue
			}
			feel.Walk(program.Root(), func(n feel.Node) {
				call, ok := n.(*feel.Call)
				if !ok || call.Function != "crosswalk" || len(call.Arguments) <= len(c.Keys) || feel.Format(call.Arguments[0]) != fmt.Sprintf("%q", c.Key) {
					return
				}
				use := lookUp{rule: r}
				for _, argument := range call.Arguments[1 : len(c.Keys)+1] {
					key, _ := feel.Compile(feel.Format(argument), book.Vocabulary.ScopeOf(r.Field), feel.Strict)
					if key == nil {
						return
					}
					use.keys = append(use.keys, key)
				}
				found = append(found, use)
			})
		}
	}
	return found
}

// MissingCodes returns the codes in saved records that rules would look up in vain today.
func (d *Desk) MissingCodes(ctx context.Context, key string) ([]contract.MissingCode, error) {
	m, err := d.master(ctx)
	if err != nil {
		return nil, err
	}
	c := m.tables.Crosswalk(key)
	if c == nil {
		return nil, missing("crosswalk " + key)
	}
	index := table.NewIndex([]table.Crosswalk{*c}, d.today())
	missed := []contract.MissingCode{}
	places := map[string]int{}
	for i := range m.kinds {
		book, err := d.book(ctx, m.kinds[i].Key)
		if err != nil {
			return nil, err
		}
		uses := lookUps(book, c)
		if len(uses) == 0 {
			continue
		}
		rows, err := d.shelf(ctx, m.kinds[i].Key)
		if err != nil {
			return nil, err
		}
		for j := range rows.rows {
			r := &rows.rows[j]
			t, err := d.again(ctx, m, book, r)
			if err != nil {
				continue // a record that no longer fits its kind tells so elsewhere
			}
			for _, use := range uses {
				if !plan.Covers(use.rule, t.plan.Scope) {
					continue
				}
				for _, codes := range use.codes(t) {
					if index.Has(key, codes) {
						continue
					}
					texts := list(codes, record.Write)
					id := fmt.Sprint(use.rule.ID, texts)
					at, known := places[id]
					if !known {
						at = len(missed)
						places[id] = at
						missed = append(missed, contract.MissingCode{Codes: texts, Rule: use.rule.ID, Examples: []contract.Use{}})
					}
					missed[at].Count++
					if len(missed[at].Examples) < 3 {
						missed[at].Examples = append(missed[at].Examples, t.links.use(*r))
					}
				}
			}
		}
	}
	return missed, nil
}

// again takes a saved record through its plan as it stands, on its own day.
func (d *Desk) again(ctx context.Context, m *masters, book *plan.Book, r *store.Record) (*trial, error) {
	kind := book.Vocabulary.Kind
	clean := *r
	clean.Values, clean.Lines = onlyKnown(kind, "", r.Values), onlyKnownLines(kind, r.Lines)
	document := documentOf(&clean)
	document.Day = dayOf(kind, r, d.today())
	s, err := m.scope(r.Kind, r.Company, r.Type, document.Day)
	if err != nil {
		return nil, err
	}
	return d.run(ctx, m, d.plan(book, s), document, ask{asProof: true, given: true})
}

// codes are what a use looks up for a document: one for the header, or for every line.
// What is blank is not looked up.
func (u *lookUp) codes(t *trial) (all [][]feel.Value) {
	lines := []int{0}
	if u.rule.Field >= t.plan.Vocabulary.Headers {
		lines = list(t.out.Lines, func(l engine.LineOutcome) int { return l.Number })
	}
	for _, line := range lines {
		var codes []feel.Value
		for _, key := range u.keys {
			found, ok := engine.Probe{Place: u.rule.Field, Line: line, Family: u.rule.Family, Program: key}.Try(t.plan, t.c, t.out)
			if !ok || found.Value.IsNull() {
				break
			}
			codes = append(codes, found.Value)
		}
		if len(codes) == len(u.keys) {
			all = append(all, codes)
		}
	}
	return all
}
