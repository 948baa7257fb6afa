package loads

import (
	"context"
	"fmt"
	"maps"
	"slices"
	"strconv"
	"strings"
	"time"

	"codicil/core/field"
	"codicil/core/judge"
	"codicil/core/match"
	"codicil/core/notice"
	"codicil/core/record"
	"codicil/core/rule"
	"codicil/internal/app/judging"
	"codicil/internal/cache"
	"codicil/internal/contract"
	"codicil/internal/exchange"
	"codicil/internal/fault"
)

var (
	unknownFileColumn = notice.Define("unknown-column.file", "the file has no column {column:q}")
	unknownTarget     = notice.Define("unknown-field.load", "a {kind} has no field {field:q} that a column could hold")
	notLoaded         = notice.Define("not-loaded", "{field} takes no part in loads; an administrator can include it under Tables, Fields")
	twice             = notice.Define("column-twice", "the columns {first:q} and {second:q} both hold {field}; leave one out")
	noPlace           = notice.Define("no-scope", "choose the {what} of the records, or the column that holds it")
	unsuitedKey       = notice.Define("unsuited-key", "records cannot be found by {fields}: no rule in force says that it is unique")
	keyless           = notice.Define("no-key-column", "records are to be found by {field}, but no column holds it")
	noRule            = notice.Define("not-a-rule", "{rule:q} is not the number of a rule")
)

// plan says how the rows of a file become records.
type plan struct {
	ref     *cache.Reference
	kind    *record.Kind
	setup   *contract.LoadSetup
	columns []string // what each column of the file holds: a target, or ""
	own     []int    // the columns of the file that are not our own
	format  field.Format
	unique  *match.Unique // by which records are found; nil: by number, or not at all
	reasons map[int64]string
	lined   bool // a column holds a field of the lines
}

// plan makes the plan of a load, or says what is wrong with its set-up.
func (s *Service) plan(ctx context.Context, ref *cache.Reference, kind *record.Kind, f *file) (*plan, error) {
	setup := &f.setup
	p := &plan{ref: ref, kind: kind, setup: setup, format: setup.Format.OrPlain(), reasons: map[int64]string{}}
	known, held := targetsOf(ref, kind), map[string]string{}
	check := func(to string) error {
		at := known.of(to)
		if at < 0 {
			return fault.Bad(unknownTarget, kind.Noun(), to)
		}
		if known.all[at].leftOut {
			return fault.Bad(notLoaded, known.all[at].label)
		}
		return nil
	}
	for column := range setup.Columns {
		if !slices.Contains(f.about.Source.Columns, column) {
			return nil, fault.Bad(unknownFileColumn, column)
		}
	}
	p.columns = make([]string, len(f.about.Source.Columns))
	for i, column := range f.about.Source.Columns {
		if column != why {
			p.own = append(p.own, i)
		}
		to := setup.Columns[column]
		if to == "" {
			continue
		}
		if err := check(to); err != nil {
			return nil, err
		}
		if first, there := held[to]; there {
			return nil, fault.Bad(twice, first, column, known.all[known.of(to)].label)
		}
		held[to] = column
		p.columns[i] = to
		p.lined = p.lined || strings.HasPrefix(to, field.LinePrefix)
	}
	for to := range setup.Constants {
		if err := check(to); err != nil {
			return nil, err
		}
	}
	for number, reason := range setup.Reasons {
		id, err := strconv.ParseInt(number, 10, 64)
		if err != nil {
			return nil, fault.Bad(noRule, number)
		}
		if reason = strings.TrimSpace(reason); reason != "" {
			p.reasons[id] = reason
		}
	}
	for _, key := range setup.Key {
		if held[key] == "" && setup.Constants[key] == "" {
			at := known.of(key)
			if at < 0 {
				return nil, fault.Bad(unknownTarget, kind.Noun(), key)
			}
			return nil, fault.Bad(keyless, known.all[at].label)
		}
	}
	if len(setup.Key) == 0 || slices.Equal(setup.Key, []string{toNumber}) {
		return p, nil
	}
	book, err := s.base.Cache.Book(ctx, kind.Key)
	if err != nil {
		return nil, err
	}
	for _, c := range book.Rules {
		if c.State == rule.InForce && len(c.Unique) > 0 && c.Sound() && slices.Equal(c.UniqueBy().Fields, setup.Key) {
			by := c.UniqueBy()
			p.unique = &by
			return p, nil
		}
	}
	return nil, fault.Bad(unsuitedKey, strings.Join(setup.Key, ", "))
}

// sound says what is missing for its rows to become records.
func (p *plan) sound() error {
	for _, need := range []struct{ to, label string }{{toCompany, "company"}, {toType, strings.ToLower(p.kind.TypeLabel)}} {
		if !slices.Contains(p.columns, need.to) && p.setup.Constants[need.to] == "" && !slices.Equal(p.setup.Key, []string{toNumber}) {
			return fault.Bad(noPlace, need.label)
		}
	}
	return nil
}

// entry is a record of a file: one row, or several for its lines.
type entry struct {
	index  int // among the records of the file, from 1
	row    int // its first
	header map[string]exchange.Cell
	lines  []entryLine
	raw    [][]exchange.Cell
}

type entryLine struct {
	number int // 0: the file does not say
	cells  map[string]exchange.Cell
	wrong  string // what it says is no number
}

// mostRows is how many rows a record may have: the lines of a document.
const mostRows = judge.MaxLines

// entries goes through the records of a file in their order. Cost: the file, a record in memory.
func (p *plan) entries(source *exchange.Source, open exchange.Open, do func(*entry) error) error {
	var last *entry
	count := 0
	finish := func() error {
		if last == nil {
			return nil
		}
		e := last
		last = nil
		return do(e)
	}
	err := source.Each(open, func(r *exchange.Row) error {
		header, line := map[string]exchange.Cell{}, map[string]exchange.Cell{}
		for i, to := range p.columns {
			c := r.Cells[i]
			switch {
			case to == "" || c.Text == "":
			case to == toLine || strings.HasPrefix(to, field.LinePrefix):
				line[strings.TrimPrefix(to, field.LinePrefix)] = c
			default:
				header[to] = c
			}
		}
		if last == nil || !(r.Within || p.continues(last, header)) || len(last.raw) >= mostRows {
			if err := finish(); err != nil {
				return err
			}
			count++
			last = &entry{index: count, row: r.At, header: header}
		}
		last.raw = append(last.raw, r.Cells)
		if len(line) > 0 {
			l := entryLine{cells: line}
			if c, there := line[toLine]; there {
				n, err := strconv.Atoi(c.Text)
				if l.number = n; err != nil || n < 1 {
					l.number, l.wrong = 0, c.Text
				}
				delete(line, toLine)
			}
			last.lines = append(last.lines, l)
		}
		return nil
	})
	if err != nil {
		return told(err)
	}
	return finish()
}

// continues tells whether a row is a further line of the record before: where it states no header, the same key, or,
// without one, the same header.
func (p *plan) continues(e *entry, header map[string]exchange.Cell) bool {
	if !p.lined {
		return false
	}
	if len(header) == 0 {
		return true
	}
	keys := p.setup.Key
	if header[toNumber].Text != "" {
		keys = []string{toNumber}
	}
	stated := len(keys) > 0
	for _, key := range keys {
		stated = stated && header[key].Text != ""
	}
	if stated {
		return !slices.ContainsFunc(keys, func(key string) bool { return header[key].Text != e.header[key].Text })
	}
	return maps.Equal(header, e.header)
}

// cell is what a row has for a target, or what every row has.
func (p *plan) cell(e *entry, to string) exchange.Cell {
	if c, there := e.header[to]; there {
		return c
	}
	return exchange.Cell{Text: p.setup.Constants[to]}
}

// item is a cell as it is entered in a field. A day of a workbook is the number of days since the end of 1899.
func item(f *field.Field, c exchange.Cell) judge.Item {
	if !c.Exact {
		return judge.Item{Typed: c.Text}
	}
	text := c.Text
	switch {
	case f.Type == field.Date:
		if day, err := strconv.ParseFloat(text, 64); err == nil && day >= 1 && day < 2_958_466 {
			text = time.Date(1899, 12, 30+int(day), 0, 0, 0, 0, time.UTC).Format(time.DateOnly)
		}
	case f.Type == field.YesNo && text == "1":
		text = "true"
	case f.Type == field.YesNo && text == "0":
		text = "false"
	}
	if _, misfit := f.Parse(text); misfit != nil {
		return judge.Item{Typed: text}
	}
	return judge.Item{Value: text}
}

// problem is why a row cannot become a record, before any rule is asked.
type problem string

func (p problem) Error() string { return string(p) }

// stated is an entry as a document that changes a record, or makes a new one.
type stated struct {
	document judge.Document
	found    *record.Record // nil: it is new
	skip     string         // why it is passed over
}

// state makes a document of an entry.
func (s *Service) state(ctx context.Context, p *plan, e *entry) (*stated, error) {
	st := &stated{}
	company, err := p.company(e)
	if err != nil {
		return nil, err
	}
	if st.found, err = s.found(ctx, p, e, company); err != nil {
		return nil, err
	}
	if st.found == nil {
		switch p.setup.Missing {
		case contract.LoadSetupMissingSkip:
			st.skip = "no such record is saved"
			return st, nil
		case contract.LoadSetupMissingRefuse:
			return nil, problem(fmt.Sprintf("There is no %s with this key", p.kind.Noun()))
		}
		if company == "" {
			return nil, problem("There is no company in this row")
		}
		if number := p.cell(e, toNumber).Text; number != "" && slices.Contains(p.setup.Key, toNumber) {
			return nil, problem(fmt.Sprintf("There is no %s %s. The numbers of new records are given when they are saved: leave the number blank", p.kind.Noun(), number))
		}
		kindType, err := p.typed(e)
		if err != nil {
			return nil, err
		}
		if kindType == "" {
			return nil, problem(fmt.Sprintf("There is no %s in this row", strings.ToLower(p.kind.TypeLabel)))
		}
		st.document = judge.Document{Kind: p.kind.Key, Company: company, Type: kindType, Entered: map[string]judge.Item{}}
	} else {
		switch p.setup.Found {
		case contract.LoadSetupFoundSkip:
			st.skip = "the record is saved already"
			return st, nil
		case contract.LoadSetupFoundRefuse:
			return nil, problem(fmt.Sprintf("%s %s has this key already", p.kind.Label, st.found.Number))
		}
		if company != "" && company != st.found.Company {
			return nil, problem(fmt.Sprintf("%s is of company %s, not %s", st.found.Number, st.found.Company, company))
		}
		if st.found.State != record.Kept {
			return nil, problem(fmt.Sprintf("%s is posted and can no longer be changed", st.found.Number))
		}
		st.document = judging.DocumentOf(p.kind, st.found)
		if _, there := e.header[toType]; there {
			if st.document.Type, err = p.typed(e); err != nil {
				return nil, err
			}
		}
	}
	return st, p.enter(e, st)
}

func (p *plan) company(e *entry) (string, error) {
	text := p.cell(e, toCompany).Text
	if text == "" || p.ref.Company(text) != nil {
		return text, nil
	}
	for _, c := range p.ref.Companies {
		if strings.EqualFold(c.Name, text) {
			return c.Key, nil
		}
	}
	return "", problem(fmt.Sprintf("There is no company %q", text))
}

func (p *plan) typed(e *entry) (string, error) {
	text := p.cell(e, toType).Text
	if text == "" || p.ref.Type(p.kind.Key, text) != nil {
		return text, nil
	}
	for _, t := range p.ref.Types[p.kind.Key] {
		if strings.EqualFold(t.Label, text) {
			return t.Key, nil
		}
	}
	return "", problem(fmt.Sprintf("There is no %s %q", strings.ToLower(p.kind.TypeLabel), text))
}

// found is the saved record that an entry is about; nil: there is none.
func (s *Service) found(ctx context.Context, p *plan, e *entry, company string) (*record.Record, error) {
	var number string
	switch {
	case len(p.setup.Key) == 0:
		return nil, nil
	case p.unique == nil:
		number = p.cell(e, toNumber).Text
	default:
		if !p.unique.Everywhere && company == "" {
			return nil, problem("There is no company in this row, and the key is that of a company")
		}
		company, key, filled := p.uniqueKey(e, company)
		if !filled {
			return nil, problem("The key is blank in this row")
		}
		numbers, err := s.base.Store.KeyedRecords(ctx, p.kind, *p.unique, company, key)
		if err != nil || len(numbers) == 0 {
			return nil, err
		}
		if len(numbers) > 1 {
			return nil, problem(fmt.Sprintf("Several records have this key, among them %s and %s", numbers[0], numbers[1]))
		}
		number = numbers[0]
	}
	if number == "" {
		return nil, nil
	}
	return s.base.Cache.Records.Find(ctx, record.Ref{Kind: p.kind.Key, Number: number})
}

// uniqueKey is the key of an entry in the unique rule by which records are found; company is "" where all count.
func (p *plan) uniqueKey(e *entry, company string) (of, key string, filled bool) {
	texts, filled := p.keyTexts(e, company)
	key, keyed := p.unique.Ignore.Key(texts)
	if p.unique.Everywhere {
		company = ""
	}
	return company, key, filled && keyed
}

// key is by what an entry is told from the others of its file; "": by nothing.
func (p *plan) key(e *entry) string {
	switch {
	case len(p.setup.Key) == 0:
		return ""
	case p.unique == nil:
		return p.cell(e, toNumber).Text
	}
	company, err := p.company(e)
	if err != nil {
		return ""
	}
	of, key, filled := p.uniqueKey(e, company)
	if !filled {
		return ""
	}
	return of + "\x00" + key
}

// keyTexts are the values of the key in stored form; filled tells that none is blank.
func (p *plan) keyTexts(e *entry, company string) (texts []string, filled bool) {
	filled = true
	here := p.ref.Company(company).Surroundings("")
	for _, key := range p.setup.Key {
		f, c := p.kind.Field(key), p.cell(e, key)
		given := item(f, c)
		text := given.Value
		if given.Typed != "" {
			if v, misfit := f.Read(given.Typed, p.format, here); misfit == nil {
				if v, misfit = f.Settle(v, here); misfit == nil {
					text = field.Write(v)
				}
			}
			if text == "" {
				text = given.Typed
			}
		} else if v, misfit := f.Parse(text); misfit == nil && !v.IsNull() {
			if v, misfit = f.Settle(v, here); misfit == nil {
				text = field.Write(v)
			}
		}
		filled = filled && text != ""
		texts = append(texts, text)
	}
	return texts, filled
}

// enter puts the cells of an entry into its document.
func (p *plan) enter(e *entry, st *stated) error {
	put := func(items map[string]judge.Item, f *field.Field, c exchange.Cell) {
		switch {
		case c.Text != "":
			items[f.Column()] = item(f, c)
		case p.setup.Blanks == contract.Clear:
			delete(items, f.Column())
		}
	}
	inFile := func(to string) bool { return slices.Contains(p.columns, to) }
	for i := range p.kind.Fields {
		f := &p.kind.Fields[i]
		constant, always := p.setup.Constants[f.Key]
		if f.OfLine() || (!inFile(f.Key) && !always) {
			continue
		}
		c := e.header[f.Key]
		if c.Text == "" && always && (st.found == nil || !inFile(f.Key)) {
			c.Text = constant
		}
		put(st.document.Entered, f, c)
	}
	if !p.lined || len(e.lines) == 0 {
		return nil
	}
	byNumber := inFile(toLine)
	var lines []judge.Line
	if byNumber {
		lines = st.document.Lines
	}
	for i, l := range e.lines {
		if l.wrong != "" {
			return problem(fmt.Sprintf("%q is not the number of a line", l.wrong))
		}
		number := l.number
		if number == 0 {
			number = i + 1
		}
		at := slices.IndexFunc(lines, func(have judge.Line) bool { return have.Number == number })
		if at < 0 {
			at = len(lines)
			lines = append(lines, judge.Line{Number: number, Entered: map[string]judge.Item{}})
			// Lines without numbers are those of the record in their order.
			if have := slices.IndexFunc(st.document.Lines, func(have judge.Line) bool { return have.Number == number }); !byNumber && have >= 0 {
				lines[at].Entered = st.document.Lines[have].Entered
			}
		}
		for n := range p.kind.Fields {
			if f := &p.kind.Fields[n]; f.OfLine() && inFile(f.Key) {
				put(lines[at].Entered, f, l.cells[f.Column()])
			}
		}
	}
	slices.SortFunc(lines, func(a, b judge.Line) int { return a.Number - b.Number })
	st.document.Lines = lines
	return nil
}
