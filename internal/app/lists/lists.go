// Package lists keeps the lists of codes that fields choose from: countries, payment terms.
//
// It must never know what a rule does with a code. Start reading at Service.
package lists

import (
	"cmp"
	"context"
	"slices"
	"strconv"
	"strings"

	"codicil/core/field"
	"codicil/core/record"
	"codicil/core/table"
	"codicil/internal/access"
	"codicil/internal/actor"
	"codicil/internal/app/commit"
	"codicil/internal/app/judging"
	"codicil/internal/app/tables"
	"codicil/internal/cache"
	"codicil/internal/contract"
	"codicil/internal/exchange"
	"codicil/internal/fault"
	"codicil/internal/store"
	"codicil/internal/view"
)

// Service serves these use cases.
type Service struct {
	base *judging.Service
	// MostHeld is up to how many records it is counted that hold a code.
	MostHeld int
}

// New returns the use cases.
func New(j *judging.Service) *Service { return &Service{j, 10_000} }

// All returns the lists of codes without their entries.
func (s *Service) All(ctx context.Context) ([]contract.CodeListSummary, error) {
	if err := access.Need(ctx, actor.RulesRead); err != nil {
		return nil, err
	}
	m, err := s.base.Cache.Seen(ctx)
	if err != nil {
		return nil, err
	}
	return view.List(m.Tables.Lists, func(l table.List) contract.CodeListSummary {
		return contract.CodeListSummary{
			Key: l.Key, Label: l.Label, Note: l.Note, Standard: l.Standard, Entries: len(l.Entries), Used: len(l.Options()), Fields: choosing(m, l.Key), Version: m.TableVersion("list", l.Key),
		}
	}), nil
}

// choosing are the fields, and the columns of tables, that choose from a list.
func choosing(m *cache.Reference, list string) []fault.Use {
	uses := []fault.Use{}
	for i := range m.Kinds {
		k := &m.Kinds[i]
		for j := range k.Fields {
			if f := &k.Fields[j]; f.List == list {
				uses = append(uses, fault.Use{What: "field", Key: k.Key + "/" + f.Key, Title: k.Label + ": " + f.Label})
			}
		}
	}
	for i := range m.Tables.Crosswalks {
		c := &m.Tables.Crosswalks[i]
		if slices.ContainsFunc(slices.Concat(c.Keys, c.Results), func(f field.Field) bool { return f.List == list }) {
			uses = append(uses, fault.Use{What: "crosswalk", Key: c.Key, Title: c.Label})
		}
	}
	for i := range m.Tables.Standing {
		if v := &m.Tables.Standing[i]; v.Field.List == list {
			uses = append(uses, fault.Use{What: "standing", Key: v.Field.Key, Title: v.Field.Label})
		}
	}
	return uses
}

// Get returns one list.
func (s *Service) Get(ctx context.Context, key string) (contract.CodeListView, error) {
	if err := access.Need(ctx, actor.RulesRead); err != nil {
		return contract.CodeListView{}, err
	}
	m, err := s.base.Cache.Seen(ctx)
	if err != nil {
		return contract.CodeListView{}, err
	}
	l := m.Tables.List(key)
	if l == nil {
		return contract.CodeListView{}, fault.Missing("list %s", key)
	}
	return viewList(m, *l), nil
}

func viewList(m *cache.Reference, l table.List) contract.CodeListView {
	l.Entries, l.Views = slices.Clone(l.Entries), slices.Clone(l.Views)
	shown := contract.CodeListView{Version: m.TableVersion("list", l.Key), Problems: tables.Problems(l.Check())}
	for _, v := range l.Views {
		if v.Company != "" && m.Company(v.Company) == nil {
			shown.Problems = append(shown.Problems, table.ProblemOf(-1, "views", fault.UnknownCompany.With(v.Company)))
		}
	}
	if l.Entries == nil {
		l.Entries = []table.Entry{}
	}
	shown.List = l
	return shown
}

// Check says what is wrong with a list.
func (s *Service) Check(ctx context.Context, l table.List) (contract.CodeListView, error) {
	if err := access.Need(ctx, actor.RulesRead); err != nil {
		return contract.CodeListView{}, err
	}
	m, err := s.base.Cache.Seen(ctx)
	if err != nil {
		return contract.CodeListView{}, err
	}
	return viewList(m, l), nil
}

// Save keeps a new or changed list. An entry that something holds cannot go. Cost: the rules; and
// where entries go, every record of the kinds that choose from the list.
func (s *Service) Save(ctx context.Context, key string, request contract.CodeListChange) (contract.CodeListView, error) {
	if err := access.Need(ctx, actor.TablesChange); err != nil {
		return contract.CodeListView{}, err
	}
	if err := access.Companies(ctx, nil); err != nil {
		return contract.CodeListView{}, err
	}
	m, err := s.base.Cache.Reference(ctx)
	if err != nil {
		return contract.CodeListView{}, err
	}
	l := request.List
	l.Key = key
	shown := viewList(m, l)
	if err := tables.Refuse(shown.Problems); err != nil {
		return shown, err
	}
	err = s.base.Line.BookLooking(ctx, func(since int64) commit.Definition {
		return func() (func(tx *store.Store, by record.Stamp) error, error) {
			write := func(tx *store.Store, by record.Stamp) error { return tx.SaveList(ctx, shown.List, request.Version, by) }
			return write, s.mayLose(ctx, &shown.List, since)
		}
	})
	if err != nil {
		return shown, err
	}
	return s.Get(ctx, key)
}

// mayLose refuses a list that lacks an entry which something holds: of records those that were written after an entry of the
// trail; 0: any.
func (s *Service) mayLose(ctx context.Context, next *table.List, since int64) error {
	m, err := s.base.Cache.Reference(ctx)
	if err != nil {
		return err
	}
	before := m.Tables.List(next.Key)
	if before == nil {
		return nil
	}
	there := make(map[string]bool, len(next.Entries))
	for i := range next.Entries {
		there[next.Entries[i].Code] = true
	}
	var gone []string
	for i := range before.Entries {
		if code := before.Entries[i].Code; !there[code] {
			gone = append(gone, code)
		}
	}
	if len(gone) == 0 {
		return nil
	}
	some, err := s.holding(ctx, m, next.Key, gone, 1, since)
	if err != nil {
		return err
	}
	i := slices.IndexFunc(gone, func(code string) bool { return some[code] != nil })
	if i < 0 {
		return nil
	}
	all, err := s.holding(ctx, m, next.Key, gone[i:i+1], s.MostHeld, since)
	if err != nil {
		return err
	}
	h := all[gone[i]]
	if h == nil { // what held it is gone meanwhile
		return nil
	}
	count := strconv.Itoa(h.Records + h.besides)
	if h.More {
		count = "more than " + count
	}
	refused := fault.Hindered(entryInUse, gone[i], count).With(h.Uses)
	refused.Count = h.Records + h.besides
	return refused
}

// held is what holds a code.
type held struct {
	contract.CodeListUses
	besides int // rules, tables and proofs
}

// holding finds what holds codes of a list, in some records at most; more in a kind than those end the search in it. A code that
// nothing holds is not there; of many codes one that something holds may be missing, but never all. since narrows the records to
// those that were written after an entry of the trail. Cost: the rules, tables and
// proofs; and of the kinds that choose from the list a look into the values of every record, or where a field of the lines does,
// every record.
func (s *Service) holding(ctx context.Context, m *cache.Reference, list string, codes []string, most int, since int64) (map[string]*held, error) {
	found := map[string]*held{}
	of := func(code string) *held {
		if found[code] == nil {
			found[code] = &held{CodeListUses: contract.CodeListUses{Uses: []fault.Use{}}}
		}
		return found[code]
	}
	named, err := s.base.Named(ctx, true)
	if err != nil {
		return nil, err
	}
	for _, code := range codes {
		for _, n := range named.Of(code) {
			if n.Use.What == "list" || !chooses(m, n, list) {
				continue
			}
			h := of(code)
			if h.besides++; h.besides <= fault.MostUses {
				h.Uses = append(h.Uses, n.Use)
			}
		}
	}
	for i := range m.Kinds {
		k := &m.Kinds[i]
		var fields []*field.Field
		lined := false
		for j := range k.Fields {
			if f := &k.Fields[j]; f.List == list {
				fields, lined = append(fields, f), lined || f.OfLine()
			}
		}
		if len(fields) == 0 {
			continue
		}
		records := s.base.Store.Records(ctx, k.Key, nil)
		switch {
		case since > 0:
			records = s.base.Store.RecordsSince(ctx, k.Key, since)
		case !lined: // the database finds them
			keys := make([]string, len(fields))
			for j, f := range fields {
				keys[j] = f.Key
			}
			records = s.base.Store.RecordsWith(ctx, k.Key, keys, codes, most+1)
		}
		for r, err := range records {
			if err != nil {
				return nil, err
			}
			for _, code := range codesIn(r, fields) {
				if slices.Contains(codes, code) {
					h := of(code)
					if h.Records++; h.Records <= fault.MostUses {
						h.Uses = append(h.Uses, view.Use(s.base.Links(ctx, m, ""), r))
					}
					h.More = h.Records > most
				}
			}
			if slices.ContainsFunc(codes, func(code string) bool { return found[code] != nil && found[code].More }) {
				break
			}
		}
	}
	for _, h := range found {
		h.Records = min(h.Records, most)
	}
	return found, nil
}

// chooses tells whether what names a text can mean an entry of the list by it: it stands in a rule
// or proof of a kind that chooses from the list, or in a table.
func chooses(m *cache.Reference, n judging.Named, list string) bool {
	k, err := m.Kind(n.Kind)
	return n.Kind == "" || err == nil && slices.ContainsFunc(k.Fields, func(f field.Field) bool { return f.List == list })
}

// codesIn are the codes in some fields of a record, each once.
func codesIn(r *record.Record, fields []*field.Field) (codes []string) {
	note := func(code string) {
		if code != "" && !slices.Contains(codes, code) {
			codes = append(codes, code)
		}
	}
	for _, f := range fields {
		if !f.OfLine() {
			note(r.Content.Get(f, 0))
			continue
		}
		for i := range r.Lines {
			note(r.Content.Get(f, r.Lines[i].Number))
		}
	}
	return codes
}

// Uses tells what holds an entry of a list.
func (s *Service) Uses(ctx context.Context, key, code string) (contract.CodeListUses, error) {
	if err := access.Need(ctx, actor.RulesRead); err != nil {
		return contract.CodeListUses{}, err
	}
	if err := access.Companies(ctx, nil); err != nil { // a list is one of all companies
		return contract.CodeListUses{}, err
	}
	m, err := s.base.Cache.Reference(ctx)
	if err != nil {
		return contract.CodeListUses{}, err
	}
	found, err := s.holding(ctx, m, key, []string{code}, s.MostHeld, 0)
	if err != nil || found[code] == nil {
		return contract.CodeListUses{Uses: []fault.Use{}}, err
	}
	return found[code].CodeListUses, nil
}

// Delete removes a list that no field chooses from.
func (s *Service) Delete(ctx context.Context, key string) error {
	if err := access.Need(ctx, actor.TablesChange); err != nil {
		return err
	}
	if err := access.Companies(ctx, nil); err != nil {
		return err
	}
	return s.base.Line.Book(ctx, func() (func(tx *store.Store, by record.Stamp) error, error) {
		m, err := s.base.Cache.Reference(ctx)
		if err != nil {
			return nil, err
		}
		if uses := choosing(m, key); len(uses) > 0 {
			return nil, fault.Hindered(listInUse, key).With(uses)
		}
		return func(tx *store.Store, by record.Stamp) error { return tx.DeleteLookup(ctx, "list", key, by) }, nil
	})
}

// The columns of a list as it is exchanged. A company that uses some entries only, or calls them
// otherwise, has two columns of its own, "used in 30" and "label in 30".
const (
	codeColumn, labelColumn, decimalsColumn, fromColumn, untilColumn = "code", "label", "decimals", "from", "until"
	usedColumn, usedIn, labelIn                                      = "used", "used in ", "label in "
)

// Export writes the entries of a list as CSV, with what companies make of them.
func (s *Service) Export(ctx context.Context, key string) (string, error) {
	if err := access.Need(ctx, actor.RulesRead); err != nil {
		return "", err
	}
	shown, err := s.Get(ctx, key)
	if err != nil {
		return "", err
	}
	l := &shown.List
	head := []string{codeColumn, labelColumn}
	if l.Key == table.Currencies {
		head = append(head, decimalsColumn)
	}
	head = append(head, fromColumn, untilColumn)
	for _, v := range l.Views {
		if v.Company == "" {
			head = append(head, usedColumn)
		} else {
			head = append(head, usedIn+v.Company, labelIn+v.Company)
		}
	}
	rows := [][]string{head}
	for _, e := range l.Entries {
		row := []string{e.Code, e.Label}
		if l.Key == table.Currencies {
			row = append(row, strconv.Itoa(*e.Decimals))
		}
		row = append(row, string(e.From), string(e.Until))
		for _, v := range l.Views {
			used := "yes"
			if len(v.Only) > 0 && !slices.Contains(v.Only, e.Code) {
				used = "no"
			}
			row = append(row, used)
			if v.Company != "" {
				row = append(row, v.Labels[e.Code])
			}
		}
		rows = append(rows, row)
	}
	return exchange.WriteRows(rows)
}

// Read puts pasted rows into a list. Nothing is kept. Rows without names of columns are codes and
// labels. Cost: the rows, and the entries once.
func (s *Service) Read(ctx context.Context, request contract.CodeListRead) (contract.CodeListView, error) {
	if err := access.Need(ctx, actor.RulesRead); err != nil {
		return contract.CodeListView{}, err
	}
	m, err := s.base.Cache.Seen(ctx)
	if err != nil {
		return contract.CodeListView{}, err
	}
	rows, err := exchange.Rows(request.Text)
	if err != nil {
		return contract.CodeListView{}, fault.Bad(fault.NotRows, err)
	}
	names := []string{codeColumn, labelColumn}
	if len(rows) > 0 && slices.ContainsFunc(rows[0], func(name string) bool { return strings.EqualFold(strings.TrimSpace(name), codeColumn) }) {
		names, rows = view.List(rows[0], func(name string) string { return strings.ToLower(strings.TrimSpace(name)) }), rows[1:]
	}
	switch {
	case len(rows) == 0:
		return contract.CodeListView{}, fault.Bad(tables.NoRows)
	case !slices.Contains(names, codeColumn):
		return contract.CodeListView{}, fault.Bad(noCodeColumn)
	}
	read := listRead{list: table.List{Key: request.List.Key, Label: request.List.Label}, format: request.Format.OrPlain(), here: (*record.Company)(nil).Surroundings(s.base.Today(nil))}
	for _, name := range names {
		if company := strings.TrimPrefix(name, usedIn); company != name {
			read.views = append(read.views, strings.ToUpper(company))
		} else if name == usedColumn {
			read.views = append(read.views, "")
		}
	}
	for _, row := range rows {
		read.row(names, row)
	}
	l := read.done()
	if request.Replace {
		l.Note, l.Standard = request.List.Note, request.List.Standard
		return viewList(m, l), nil
	}
	both := request.List.With(l)
	both.Note = request.List.Note
	return viewList(m, both), nil
}

// listRead is a list as it is read row by row.
type listRead struct {
	list   table.List
	views  []string // the companies that say what they use; "": all
	unused map[string]bool
	labels map[string]map[string]string
	only   map[string][]string
	format field.Format
	here   field.Surroundings
}

func (r *listRead) row(names, texts []string) {
	e := table.Entry{}
	said := map[string]string{}
	for i, text := range texts {
		if i < len(names) {
			said[names[i]] = strings.TrimSpace(text)
		}
	}
	e.Code, e.Label = said[codeColumn], cmp.Or(said[labelColumn], said[codeColumn])
	e.From, e.Until = r.day(said[fromColumn]), r.day(said[untilColumn])
	if n, err := strconv.Atoi(said[decimalsColumn]); err == nil {
		e.Decimals = &n
	}
	r.list.Entries = append(r.list.Entries, e)
	for _, company := range r.views {
		name := usedColumn
		if company != "" {
			name = strings.ToLower(usedIn + company)
		}
		if slices.Contains([]string{"no", "n", "false", "0"}, strings.ToLower(said[name])) {
			if r.unused == nil {
				r.unused = map[string]bool{}
			}
			r.unused[company] = true
			continue
		}
		if r.only == nil {
			r.only = map[string][]string{}
		}
		r.only[company] = append(r.only[company], e.Code)
	}
	for name, text := range said {
		if company := strings.TrimPrefix(name, labelIn); company != name && text != "" {
			if r.labels == nil {
				r.labels = map[string]map[string]string{}
			}
			company = strings.ToUpper(company)
			if r.labels[company] == nil {
				r.labels[company] = map[string]string{}
			}
			r.labels[company][e.Code] = text
		}
	}
}

// day reads a day as a person writes it; what is none stays, and is told at its cell.
func (r *listRead) day(text string) record.Day {
	f := field.Field{Type: field.Date}
	if v, wrong := f.Read(text, r.format, r.here); wrong == nil {
		return record.Day(field.Write(v))
	}
	return record.Day(text)
}

// done is the list with what companies make of it.
func (r *listRead) done() table.List {
	companies := slices.Clone(r.views)
	for company := range r.labels {
		if !slices.Contains(companies, company) {
			companies = append(companies, company)
		}
	}
	slices.Sort(companies)
	for _, company := range companies {
		v := table.ListView{Company: company, Labels: r.labels[company]}
		if r.unused[company] {
			v.Only = r.only[company]
		}
		r.list.Views = append(r.list.Views, v)
	}
	return r.list
}
