package loads

import (
	"context"
	"errors"
	"slices"
	"strings"

	"codicil/core/field"
	"codicil/core/judge"
	"codicil/core/record"
	"codicil/core/rule"
	"codicil/internal/app/commit"
	"codicil/internal/app/judging"
	"codicil/internal/app/records"
	"codicil/internal/contract"
	"codicil/internal/exchange"
	"codicil/internal/fault"
	"codicil/internal/store"
	"codicil/internal/view"
)

// row is an entry on its way through the rules.
type row struct {
	service *Service
	plan    *plan
	entry   *entry
	beside  judging.Beside
	// also is written with the record.
	also func(ctx context.Context, tx *store.Store, r record.Record) error
	// double is the row before it that is about the same record; 0: none is.
	double int

	saving   *records.Saving
	after    record.Content // as it would stand, or came out where it is refused
	what     contract.LoadOutcome
	said     []string
	asks     []int64
	messages []contract.Message
	number   string // of the record that was written
}

// judge takes it through the rules, and says what becomes of it. Only errors of the machine end the work: all others
// are the row's own.
func (r *row) judge(ctx context.Context, within *records.Service) (*commit.Change, error) {
	r.saving, r.said, r.asks, r.messages, r.what = nil, nil, nil, nil, contract.LoadOutcomeRefuse
	if r.double > 0 {
		r.said = []string{"Row " + itoa(r.double) + " of this file is about the same record"}
		return commit.Nothing(), nil
	}
	st, err := r.service.state(ctx, r.plan, r.entry)
	if err != nil {
		return r.failed(ctx, err)
	}
	if st.skip != "" {
		r.what, r.said = contract.LoadOutcomeSkip, []string{st.skip}
		return commit.Nothing(), nil
	}
	request := contract.SaveRequest{Document: st.document, Format: &r.plan.format}
	if st.found != nil {
		request.Version = st.found.Version
	}
	c, err := r.save(ctx, within, request)
	if err == nil && c.Write == nil && r.what == contract.LoadOutcomeConfirm && r.reasoned() {
		request.Document.Reasons = map[int64]string{}
		for _, id := range r.asks {
			request.Document.Reasons[id] = r.plan.reasons[id]
		}
		c, err = r.save(ctx, within, request)
	}
	if err != nil {
		return r.failed(ctx, err)
	}
	return c, nil
}

// save judges the document.
func (r *row) save(ctx context.Context, within *records.Service, request contract.SaveRequest) (*commit.Change, error) {
	v := within.Saving(request, record.Load)
	v.Beside = r.beside
	v.Also = func(ctx context.Context, tx *store.Store, kept record.Record) error {
		r.number = kept.Number
		if r.also == nil {
			return nil
		}
		return r.also(ctx, tx, kept)
	}
	same := false
	v.Unless = func(before, after *record.Record) bool {
		same = before.Number != "" && before.Type == after.Type && len(record.Changes(r.plan.kind, &before.Content, &after.Content)) == 0
		return same
	}
	r.saving = v
	c, err := v.Judge(ctx)
	if err != nil {
		return nil, err
	}
	switch {
	case same:
		r.what = contract.LoadOutcomeSame
	case v.Trial.Accepted() && v.Before.Number != "":
		r.what = contract.LoadOutcomeChange
	case v.Trial.Accepted():
		r.what = contract.LoadOutcomeAdd
	}
	if r.after = v.Result.Content; !v.Trial.Accepted() {
		r.after = r.service.base.Content(ctx, v.Trial)
	}
	r.said, r.asks = nil, nil
	r.messages = v.Trial.Outcome().Messages
	refused := false
	for _, m := range r.messages {
		refused = refused || m.Severity == contract.MessageSeverity(rule.Refuse)
		if m.Severity == contract.MessageSeverity(rule.Confirm) && m.Reason == "" {
			r.asks = append(r.asks, m.Rule)
		}
		if m.Severity != contract.MessageSeverity(rule.Advise) || v.Trial.Accepted() {
			r.said = append(r.said, m.Text)
		}
	}
	if !v.Trial.Accepted() {
		if r.what = contract.LoadOutcomeRefuse; !refused && len(r.asks) > 0 {
			r.what = contract.LoadOutcomeConfirm
		}
	}
	return c, nil
}

// reasoned tells whether there is a reason for every rule that asks.
func (r *row) reasoned() bool {
	return !slices.ContainsFunc(r.asks, func(id int64) bool { return r.plan.reasons[id] == "" })
}

// failed is what becomes of a row whose error is its own.
func (r *row) failed(ctx context.Context, err error) (*commit.Change, error) {
	var known *fault.Fault
	var own problem
	switch {
	case ctx.Err() != nil:
		return nil, ctx.Err()
	case errors.As(err, &own), errors.As(err, &known) && known.Reason != fault.Unable:
		r.what, r.said = contract.LoadOutcomeRefuse, []string{err.Error()}
		return commit.Nothing(), nil
	}
	return nil, err
}

// rejected tells whether the row is not loaded though it was to be.
func (r *row) rejected() bool {
	return r.what == contract.LoadOutcomeRefuse || r.what == contract.LoadOutcomeConfirm
}

// rank orders what becomes of rows: what somebody must look at goes first.
func (r *row) rank() int {
	return slices.Index([]contract.LoadOutcome{contract.LoadOutcomeRefuse, contract.LoadOutcomeConfirm, contract.LoadOutcomeChange, contract.LoadOutcomeAdd, contract.LoadOutcomeSkip, contract.LoadOutcomeSame}, r.what)
}

// hit is the row as a run tells it: with what changes in the record, or what the rules gave a new one.
func (r *row) hit() contract.RunHit {
	h := contract.RunHit{Kind: r.plan.kind.Key, Row: r.entry.row, What: contract.RunHitWhat(r.what), Asks: r.asks, Changes: []contract.ValueChange{}}
	h.Said = strings.Join(r.said, "; ")
	if v := r.saving; v != nil && v.Trial != nil {
		h.Company, h.Type = v.Trial.Document.Company, v.Trial.Document.Type
		after := r.after
		h.Number, h.Title = v.Before.Number, v.Trial.Title(&after)
		if v.Trial.Accepted() && r.what != contract.LoadOutcomeSame {
			before := &v.Before.Content
			if v.Before.Number == "" {
				before = contentOf(&v.Trial.Document)
			}
			for _, c := range record.Changes(r.plan.kind, before, &after) {
				if shown := v.Trial.Reader.Change(before, &after, c); shown.Before.Text != shown.After.Text {
					h.Changes = append(h.Changes, shown)
				}
			}
		}
	}
	if r.number != "" {
		h.Number = r.number
	}
	var told []string
	for _, c := range h.Changes {
		told = append(told, c.Label+" "+view.OrBlank(c.Before.Text)+" → "+view.OrBlank(c.After.Text))
	}
	if h.Said != "" {
		told = append(told, h.Said)
	}
	h.Told = strings.Join(told, "; ")
	return h
}

// contentOf is what a document states.
func contentOf(d *judge.Document) *record.Content {
	values := func(items map[string]judge.Item) map[string]string {
		all := map[string]string{}
		for key, item := range items {
			if item.Value != "" {
				all[key] = item.Value
			}
		}
		return all
	}
	c := &record.Content{Values: values(d.Entered)}
	for _, l := range d.Lines {
		c.Lines = append(c.Lines, record.Line{Number: l.Number, Values: values(l.Entered)})
	}
	return c
}

// refused are its rows for the file of refused rows: as they were, and why.
func (r *row) refused() (text []byte) {
	for i, cells := range r.entry.raw {
		out := make([]string, 0, len(r.plan.own)+1)
		for _, place := range r.plan.own {
			out = append(out, shownCell(r.plan, place, cells[place]))
		}
		said := ""
		if i == 0 {
			said = strings.Join(r.said, "; ")
		}
		text = append(text, refusedRow(append(out, said))...)
	}
	return text
}

// shownCell is a cell as it goes back into a file of its own. The numbers of days of a workbook become days, as no column
// of CSV tells that they are.
func shownCell(p *plan, place int, c exchange.Cell) string {
	if f := p.kind.Field(p.columns[place]); f != nil && c.Exact {
		if i := item(f, c); i.Value != "" {
			return i.Value
		}
	}
	return c.Text
}

// preview is the row as a person looks at it before it is loaded.
func (r *row) preview() contract.LoadEntry {
	e := contract.LoadEntry{Row: r.entry.row, What: r.what, Messages: append([]string{}, r.said...), Cells: []contract.LoadCell{}}
	v := r.saving
	if v == nil || v.Trial == nil {
		return e
	}
	t := v.Trial
	e.Number, e.Company, e.Type = v.Before.Number, t.Document.Company, t.Document.Type
	after := r.after
	e.Title = t.Title(&after)
	problems := map[[2]string]string{}
	for _, m := range r.messages {
		if m.Severity != contract.MessageSeverity(rule.Advise) && problems[[2]string{m.Field, itoa(m.Line)}] == "" {
			problems[[2]string{m.Field, itoa(m.Line)}] = m.Text
		}
	}
	cell := func(f *field.Field, line int, typed string) {
		value := after.Get(f, line)
		c := contract.LoadCell{Field: f.Key, Line: line, Label: f.Label, Problem: problems[[2]string{f.Key, itoa(line)}]}
		if value != "" {
			c.Text = t.Reader.Stored(&after, r.plan.kind.Index(f.Key), line, value).Text
		}
		before := v.Before.Content.Get(f, line)
		switch {
		case typed != "":
			c.Given = contract.LoadCellGivenFile
			if typed != c.Text && typed != value {
				c.Typed = typed
			}
		case value == "" && c.Problem == "":
			return
		case value == before && v.Before.Number != "":
			c.Given = contract.LoadCellGivenStored
		default:
			c.Given = contract.LoadCellGivenRule
		}
		e.Cells = append(e.Cells, c)
	}
	for i := range r.plan.kind.Fields {
		if f := &r.plan.kind.Fields[i]; !f.OfLine() {
			cell(f, 0, r.plan.cell(r.entry, f.Key).Text)
		}
	}
	for n, l := range after.Lines {
		cells := map[string]exchange.Cell{}
		if n < len(r.entry.lines) {
			cells = r.entry.lines[n].cells
		}
		for i := range r.plan.kind.Fields {
			if f := &r.plan.kind.Fields[i]; f.OfLine() {
				cell(f, l.Number, cells[f.Column()].Text)
			}
		}
	}
	return e
}
