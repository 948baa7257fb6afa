package loads

import (
	"context"
	"fmt"
	"slices"
	"strconv"
	"strings"
	"time"

	"codicil/core/field"
	"codicil/core/judge"
	"codicil/core/record"
	"codicil/internal/access"
	"codicil/internal/app/judging"
	"codicil/internal/contract"
	"codicil/internal/exchange"
)

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
		ref, err := s.base.Cache.Reference(ctx)
		if err != nil {
			return nil, err
		}
		links := s.base.Links(ctx, ref, "")
		numbers = slices.DeleteFunc(numbers, func(number string) bool { return links.Elsewhere(p.kind.Key, number) })
		if len(numbers) == 0 {
			return nil, links.Err()
		}
		if len(numbers) > 1 {
			return nil, problem(fmt.Sprintf("Several records have this key, among them %s and %s", numbers[0], numbers[1]))
		}
		number = numbers[0]
	}
	if number == "" {
		return nil, nil
	}
	r, err := s.base.Leading(ctx, record.Ref{Kind: p.kind.Key, Number: number})
	if r != nil && !access.In(ctx, r.Company) {
		r = nil
	}
	return r, err
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
	places := func(lines []judge.Line) map[int]int {
		at := make(map[int]int, len(lines))
		for i := range lines {
			at[lines[i].Number] = i
		}
		return at
	}
	there, before := places(lines), places(st.document.Lines)
	for i, l := range e.lines {
		if l.wrong != "" {
			return problem(fmt.Sprintf("%q is not the number of a line", l.wrong))
		}
		number := l.number
		if number == 0 {
			number = i + 1
		}
		at, known := there[number]
		if !known {
			at = len(lines)
			there[number] = at
			lines = append(lines, judge.Line{Number: number, Entered: map[string]judge.Item{}})
			// Lines without numbers are those of the record in their order.
			if have, saved := before[number]; !byNumber && saved {
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
