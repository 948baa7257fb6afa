package store

import (
	"cmp"
	"container/heap"
	"context"
	"database/sql"
	"encoding/base64"
	"encoding/json"
	"errors"
	"runtime"
	"slices"
	"strings"
	"sync"
	"time"

	"golang.org/x/sync/errgroup"
	"gorm.io/gorm"

	"codicil/core/field"
	"codicil/core/record"
)

// ErrPlace reports a place in a list that no page told.
var ErrPlace = errors.New("not a place in this list")

// ListQuery asks for a page of a list.
type ListQuery struct {
	*record.Selector
	// After is the Next of the page before; "": from the start, less Offset.
	After  string
	Offset int
	Limit  int
	// Uncounted leaves out how many there are.
	Uncounted bool
	// Bands tells in which bands the numbers of a record are, where the selector filters by them.
	Bands func(r *record.Record) map[string]string
}

// ListPage is a page of a list.
type ListPage struct {
	Rows []record.Record
	// Total is how many the selection keeps. Where More is true there are more: they were counted as far as
	// mostCounted, or as long as counting may take.
	Total int
	More  bool
	// Next is the place after the last row; "" at the end.
	Next string
}

const (
	// mostCounted is up to how many records a list tells how many there are.
	mostCounted = 10_000
	// mostGathered is how many records are looked at one by one where words or filters find so many.
	mostGathered = 5_000
	// fewGathered is the same where only some are wanted, uncounted.
	fewGathered = 400
	// longestCount is how long counting may take where every record must be looked into.
	longestCount = 40 * time.Millisecond
)

// spot is where a record stands in an order: by its key, and among equals by when it was first saved.
type spot struct {
	Blank bool   `json:"b,omitempty"`
	Key   []byte `json:"k,omitempty"`
	ID    int64  `json:"i"`
}

func (p spot) String() string {
	text, _ := json.Marshal(p) // of plain values: it cannot fail
	return base64.RawURLEncoding.EncodeToString(text)
}

func spotOf(text string) (*spot, error) {
	if text == "" {
		return nil, nil
	}
	var p spot
	raw, err := base64.RawURLEncoding.DecodeString(text)
	if err == nil {
		err = json.Unmarshal(raw, &p)
	}
	if err != nil {
		return nil, ErrPlace
	}
	return &p, nil
}

// compare orders two spots; blanks go last whichever way the rest goes.
func (p spot) compare(o spot, descending bool) int {
	if p.Blank != o.Blank {
		if p.Blank {
			return 1
		}
		return -1
	}
	order := cmp.Or(slices.Compare(p.Key, o.Key), cmp.Compare(p.ID, o.ID))
	if descending {
		return -order
	}
	return order
}

// listing is a list that is being made.
type listing struct {
	ListQuery
	ctx   context.Context
	db    *gorm.DB
	index *kindIndex
	start *spot // the place that After names; nil: none
	// many are ids of records that words or bounds find, of which there are more.
	many [][]int64
	// parts is how many may look for records at once.
	parts int
}

// List returns a page of a list. Cost: by an indexed order the page, as far as the filters keep what they
// meet; where words or bounds find few, those; by any other order a look into every record. It ends
// when nobody waits for it.
func (s *Store) List(ctx context.Context, q ListQuery) (page ListPage, err error) {
	l, err := s.listing(ctx, q)
	if err != nil {
		return page, err
	}
	found, few, err := l.gathered()
	if err != nil {
		return page, err
	}
	if few {
		return l.among(found)
	}
	// The page and how many there are are found at once, but within a transaction, or where records have to be judged.
	var both errgroup.Group
	both.SetLimit(min(l.parts, 2))
	both.Go(func() error {
		if l.kept() {
			return l.walk(&page)
		}
		return l.sort(&page)
	})
	var total int
	var more bool
	if !q.Uncounted {
		both.Go(func() (err error) {
			total, more, err = l.count()
			return err
		})
	}
	err = both.Wait()
	page.Total, page.More = total, more
	return page, err
}

func (s *Store) listing(ctx context.Context, q ListQuery) (*listing, error) {
	if err := s.settle(ctx); err != nil {
		return nil, err
	}
	l := &listing{ListQuery: q, ctx: ctx, db: s.db.WithContext(ctx), parts: min(runtime.GOMAXPROCS(0), mostParts)}
	if s.within || q.Bands != nil { // both are for one goroutine
		l.parts = 1
	}
	var err error
	if l.index, err = s.indexOf(ctx, q.Kind.Key); err != nil {
		return nil, err
	}
	l.start, err = spotOf(q.After)
	return l, err
}

// kept tells whether the order of the list is one that is kept.
func (l *listing) kept() bool { return l.By == nil || l.index.columns[l.By.Key] != 0 }

// condition is a condition of a statement with its values.
type condition struct {
	text   string
	values []any
}

func where(conditions []condition) (text string, values []any) {
	texts := make([]string, len(conditions))
	for i, c := range conditions {
		texts[i], values = c.text, append(values, c.values...)
	}
	return " WHERE " + strings.Join(texts, " AND "), values
}

// isWord tells whether a text is of small letters only.
func isWord(text string) bool {
	return text != "" && !strings.ContainsFunc(text, func(r rune) bool { return r < 'a' || r > 'z' })
}

// scope narrows records to companies, types and states.
func (l *listing) scope() []condition { return l.scopeOf("records.company") }

// scopeOf does so by a column that says of which company they are.
func (l *listing) scopeOf(company string) (conditions []condition) {
	for _, by := range []struct {
		column string
		among  []string
	}{{company, l.Companies}, {"records.type", l.Types}, {"records.state", l.States}} {
		switch {
		case len(by.among) == 0:
		case len(by.among) == 1 && by.column == "records.state" && isWord(by.among[0]): // written out, so that an index of one state can be used
			conditions = append(conditions, condition{"records.state = '" + by.among[0] + "'", nil})
		case len(by.among) == 1:
			conditions = append(conditions, condition{by.column + " = ?", []any{by.among[0]}})
		default:
			conditions = append(conditions, condition{by.column + " IN ?", []any{by.among}})
		}
	}
	return conditions
}

// narrowing are queries of the ids of records, of which each holds all that the selection keeps.
func (l *listing) narrowing(most int) (queries []*gorm.DB) {
	var grams []string
	for _, word := range l.Words {
		for _, gram := range record.GramsOfWord(word) {
			if !slices.Contains(grams, gram) {
				grams = append(grams, gram)
			}
		}
	}
	if len(grams) > 0 {
		query, values := recordsWith(grams)
		queries = append(queries, l.db.Raw("SELECT records.id FROM records JOIN ("+query+") AS found ON found.record = records.id WHERE records.kind = ? LIMIT ?", append(values, l.Kind.Key, most)...))
	}
	for _, b := range l.Bounds {
		if len(b.Linked) > 0 {
			named, _ := json.Marshal(b.Linked) // of texts: it cannot fail
			queries = append(queries, l.db.Raw("SELECT DISTINCT records.id FROM record_links JOIN records ON records.id = record_links.record WHERE to_kind = ? AND "+amongst("to_number")+" AND records.kind = ? LIMIT ?",
				b.Field.Kind, string(named), l.Kind.Key, most))
			continue
		}
		column := l.index.columns[b.Field.Key]
		if column == 0 {
			continue
		}
		query := "SELECT record AS id FROM record_keys WHERE field = ? AND key > x''"
		values := []any{column}
		if b.From != "" {
			query, values = query+" AND key >= ?", append(values, []byte(b.From))
		}
		if b.To != "" {
			query, values = query+" AND key <= ?", append(values, []byte(b.To))
		}
		queries = append(queries, l.db.Raw(query+" LIMIT ?", append(values, most)...))
	}
	return queries
}

// gathered are the ids of the records that words or bounds find, where one of them finds few.
func (l *listing) gathered() (found []int64, few bool, err error) {
	most := mostGathered
	if l.Uncounted {
		most = fewGathered
	}
	for _, query := range l.narrowing(most + 1) {
		var ids []int64
		if err := query.Scan(&ids).Error; err != nil {
			return nil, false, err
		}
		switch {
		case len(ids) > most:
			l.many = append(l.many, ids) // some of them
		case !few || len(ids) < len(found):
			found, few = ids, true
		}
	}
	return found, few, nil
}

// keeps tells whether the selection keeps a record.
func (l *listing) keeps(r *record.Record) bool {
	listed := record.Listed{Number: r.Number, Company: r.Company, Type: r.Type, State: r.State, Former: r.Former, Content: r.Content}
	if l.Bands != nil {
		listed.Bands = l.Bands(r)
	}
	return l.Keeps(&listed)
}

// spot is where a record stands in the order of the list.
func (l *listing) spot(row *recordRow) spot {
	var key string
	switch {
	case l.By != nil:
		key = l.Key(row.Values[l.By.Key])
	case l.Sort == record.ByCompany:
		key = row.Company
	case l.Sort == record.ByType:
		key = row.Type
	case l.Sort == record.ByState:
		key = row.State
	case l.Sort == record.ByChange:
		key = row.Changed.At
	default:
		key = row.Number
	}
	return spot{key == "", []byte(key), row.ID}
}

// spotsAmong are where those of some records stand that the selection keeps.
func (l *listing) spotsAmong(ids []int64) (all []spot, err error) {
	var turn sync.Mutex
	var group errgroup.Group
	for some := range slices.Chunk(ids, max(1, (len(ids)+l.parts-1)/l.parts)) {
		group.Go(func() error {
			for _, columns := range l.looks() {
				var rest []int64
				err := l.each(some, columns, func(row *recordRow, r *record.Record) bool {
					if !l.keeps(r) {
						rest = append(rest, row.ID)
						return true
					}
					at := l.spot(row)
					turn.Lock()
					defer turn.Unlock()
					all = append(all, at)
					return true
				})
				if err != nil {
					return err
				}
				some = rest
			}
			return nil
		})
	}
	err = group.Wait()
	return all, err
}

// among makes the page of records that were gathered.
func (l *listing) among(ids []int64) (page ListPage, err error) {
	all, err := l.spotsAmong(ids)
	if err != nil {
		return page, err
	}
	slices.SortFunc(all, func(a, b spot) int { return a.compare(b, l.Descending) })
	page.Total = len(all)
	if l.start != nil {
		all = slices.DeleteFunc(all, func(p spot) bool { return p.compare(*l.start, l.Descending) <= 0 })
	}
	return page, l.cut(&page, all[min(l.Offset, len(all)):])
}

// cut puts the first of some spots on the page.
func (l *listing) cut(page *ListPage, spots []spot) error {
	if len(spots) > l.Limit {
		spots = spots[:l.Limit]
		page.Next = spots[len(spots)-1].String()
	}
	ids := make([]int64, len(spots))
	for i, p := range spots {
		ids[i] = p.ID
	}
	page.Rows = make([]record.Record, 0, len(ids))
	byID := make(map[int64]record.Record, len(ids))
	err := l.each(ids, "*", func(row *recordRow, r *record.Record) bool { byID[row.ID] = *r; return true })
	for _, id := range ids {
		if r, there := byID[id]; there {
			page.Rows = append(page.Rows, r)
		}
	}
	return err
}

// headerColumns tell whether the selection keeps a record, and where it stands, as far as the header does.
const headerColumns = "id, kind, number, company, type, state, former, changed_at, field_values"

// looked are the columns that tell whether the selection keeps a record, and where it stands.
func (l *listing) looked() string {
	if l.Bands != nil { // the record is judged
		return "*"
	}
	worded := len(l.Words) > 0 && slices.ContainsFunc(l.Kind.Fields, func(f field.Field) bool { return f.OfLine() && f.Searched })
	if worded || l.filtersLines() {
		return headerColumns + ", record_lines"
	}
	return headerColumns
}

// looks are the columns to look at, one after the other at those that were not kept yet: lines take longer to read, and mostly
// the words stand in the header.
func (l *listing) looks() []string {
	looked := l.looked()
	if l.Bands != nil || l.filtersLines() || looked == headerColumns {
		return []string{looked}
	}
	return []string{headerColumns, looked}
}

func (l *listing) filtersLines() bool {
	return slices.ContainsFunc(l.Filters, func(f record.Filter) bool { return l.Kind.Field(f.Field).OfLine() })
}

// each reads columns of records by their ids, until do tells false.
func (l *listing) each(ids []int64, columns string, do func(row *recordRow, r *record.Record) bool) error {
	for some := range slices.Chunk(ids, recordsAtOnce) {
		if err := l.ctx.Err(); err != nil {
			return err
		}
		var rows []recordRow
		which, err := json.Marshal(some)
		if err != nil {
			return err
		}
		if err := l.db.Raw("SELECT "+columns+" FROM records WHERE "+amongst("id"), string(which)).Scan(&rows).Error; err != nil {
			return err
		}
		for i := range rows {
			if r := rows[i].record(); !do(&rows[i], &r) {
				return nil
			}
		}
	}
	return nil
}

// walkedRow is a record met on a walk.
type walkedRow struct {
	Row      recordRow `gorm:"embedded"`
	SortedBy []byte
}

// sortedColumns are the columns of records that lists are sorted by.
var sortedColumns = map[string]string{record.ByNumber: "number", record.ByCompany: "company", record.ByType: "type", record.ByState: "state", record.ByChange: "changed_at"}

// step returns the next records in the order of the list, of the blank ones or the others. Filters by columns are
// the database's; what else filters is tested by the caller.
func (l *listing) step(columns string, blank bool, from *spot, limit, offset int) (rows []walkedRow, err error) {
	var conditions []condition
	add := func(text string, values ...any) { conditions = append(conditions, condition{text, values}) }
	var tables, key, id string
	var begin any
	if l.By == nil {
		tables, key, id = "records", "records."+sortedColumns[l.Sort], "records.id"
		conditions = l.scope()
		add("records.kind = ?", l.Kind.Key)
		if from != nil {
			begin = string(from.Key)
		}
	} else {
		tables, key, id = "record_keys k "+leading+" records ON records.id = k.record", "k.key", "k.record"
		conditions = append(l.within(blank), l.scopeOf("k.company")...)
		if from != nil {
			begin = append([]byte{}, from.Key...)
		}
	}
	if from != nil {
		add(follows(key, id, l.Descending), begin, from.ID)
	}
	text, values := where(conditions)
	direction := ""
	if l.Descending {
		direction = " DESC"
	}
	of := strings.Split(columns, ", ")
	for i := range of {
		of[i] = "records." + of[i]
	}
	statement := "SELECT " + strings.Join(of, ", ") + ", CAST(" + key + " AS BLOB) AS sorted_by FROM " + tables + text + " ORDER BY " + key + direction + ", " + id + direction + " LIMIT ? OFFSET ?"
	err = l.db.Raw(statement, append(values, limit, offset)...).Scan(&rows).Error
	return rows, err
}

// within are the conditions of the keys that a walk meets: the blank ones or the others, within what
// filters say of the field.
func (l *listing) within(blank bool) []condition {
	conditions := []condition{{"k.field = ?", []any{l.index.columns[l.By.Key]}}, {"k.key > x''", nil}}
	if blank {
		conditions[1].text = "k.key = x''"
	}
	for _, b := range l.Bounds {
		if b.Field.Key == l.By.Key && b.From != "" {
			conditions = append(conditions, condition{"k.key >= ?", []any{[]byte(b.From)}})
		}
		if b.Field.Key == l.By.Key && b.To != "" {
			conditions = append(conditions, condition{"k.key <= ?", []any{[]byte(b.To)}})
		}
	}
	return conditions
}

// walk makes the page by going along an index.
func (l *listing) walk(page *ListPage) error {
	if !l.ByColumns() { // many are met that are not kept: of those less is read
		var met []spot
		err := l.along(l.looked(), func(_ *record.Record, here spot) (bool, error) {
			met = append(met, here)
			return len(met) <= l.Limit, nil
		})
		if err != nil {
			return err
		}
		return l.cut(page, met)
	}
	page.Rows = []record.Record{}
	var last spot
	return l.along("*", func(r *record.Record, here spot) (bool, error) {
		if len(page.Rows) == l.Limit {
			page.Next = last.String()
			return false, nil
		}
		page.Rows, last = append(page.Rows, *r), here
		return true, nil
	})
}

// along goes along an index from where the list starts, with columns of the records, until do tells false.
func (l *listing) along(columns string, do func(r *record.Record, here spot) (bool, error)) error {
	skip, from, plain := l.Offset, l.start, l.ByColumns()
	for _, blank := range []bool{false, true} {
		if blank && l.By == nil {
			return nil
		}
		if from != nil && from.Blank && !blank {
			continue
		}
		for {
			if err := l.ctx.Err(); err != nil {
				return err
			}
			limit, offset := recordsAtOnce, 0
			if plain { // the database skips
				offset = skip
				if l.Limit > 0 {
					limit = min(limit, l.Limit+1)
				}
			}
			rows, err := l.step(columns, blank, from, limit, offset)
			if err != nil {
				return err
			}
			if plain && len(rows) > 0 {
				skip = 0
			}
			for i := range rows {
				here := spot{blank, rows[i].SortedBy, rows[i].Row.ID}
				from = &here
				r := rows[i].Row.record()
				if !plain && !l.keeps(&r) {
					continue
				}
				if skip > 0 {
					skip--
					continue
				}
				if on, err := do(&r, here); err != nil || !on {
					return err
				}
			}
			if len(rows) == limit {
				continue
			}
			if plain && len(rows) == 0 && skip > 0 { // the blanks go on where the others end
				passed, err := l.passed(blank)
				if err != nil {
					return err
				}
				skip = max(skip-passed, 0)
			}
			break
		}
		from = nil
	}
	return nil
}

// passed is how many records there are of the blank ones, or of the others.
func (l *listing) passed(blank bool) (count int, err error) {
	if l.By == nil {
		return 0, nil
	}
	text, values := where(append(l.within(blank), l.scopeOf("k.company")...))
	err = l.db.Raw("SELECT COUNT(*) FROM record_keys k "+leading+" records ON records.id = k.record"+text, values...).Scan(&count).Error
	return count, err
}

// firstSpots keeps the first of some spots, the last of them on top.
type firstSpots struct {
	spots      []spot
	descending bool
}

func (f *firstSpots) Len() int           { return len(f.spots) }
func (f *firstSpots) Less(a, b int) bool { return f.spots[a].compare(f.spots[b], f.descending) > 0 }
func (f *firstSpots) Swap(a, b int)      { f.spots[a], f.spots[b] = f.spots[b], f.spots[a] }
func (f *firstSpots) Push(x any)         { f.spots = append(f.spots, x.(spot)) }
func (f *firstSpots) Pop() any {
	last := f.spots[len(f.spots)-1]
	f.spots = f.spots[:len(f.spots)-1]
	return last
}

// sort makes the page in an order that is not kept: by a look into every record. Cost in memory: the page and what
// goes before it.
func (l *listing) sort(page *ListPage) error {
	first := &firstSpots{descending: l.Descending}
	most := l.Offset + l.Limit + 1
	err := l.spots(func(at spot) {
		if l.start != nil && at.compare(*l.start, l.Descending) <= 0 {
			return
		}
		switch {
		case first.Len() < most:
			heap.Push(first, at)
		case at.compare(first.spots[0], l.Descending) < 0:
			first.spots[0] = at
			heap.Fix(first, 0)
		}
	})
	if err != nil {
		return err
	}
	slices.SortFunc(first.spots, func(a, b spot) int { return a.compare(b, l.Descending) })
	return l.cut(page, first.spots[min(l.Offset, first.Len()):])
}

// spots goes through where the records stand that the selection keeps.
func (l *listing) spots(do func(spot)) error {
	if l.ByColumns() {
		return l.values(do)
	}
	return l.whole(func(row *recordRow, r *record.Record) bool {
		if l.keeps(r) {
			do(l.spot(row))
		}
		return true
	})
}

// mostParts is in how many parts the records are gone through at once, at most.
const mostParts = 4

// values goes through what the records are sorted by, in parts on all processors; do is called by one at a time.
func (l *listing) values(do func(spot)) error {
	var turn sync.Mutex
	var group errgroup.Group
	for part := range l.parts {
		group.Go(func() error {
			return l.valuesOf(part, func(at spot) {
				turn.Lock()
				defer turn.Unlock()
				do(at)
			})
		})
	}
	return group.Wait()
}

// mostKeys is how many different values are remembered with the keys that they sort by.
const mostKeys = 10_000

// valuesOf goes through one of some parts of the records.
func (l *listing) valuesOf(part int, do func(spot)) (err error) {
	text, values := where(append(l.scope(), condition{"kind = ? AND id % ? = ?", []any{l.Kind.Key, l.parts, part}}))
	rows, err := l.db.Raw("SELECT id, "+valueOf(l.By.Key)+" FROM records"+text, values...).Rows()
	if err != nil {
		return err
	}
	defer func() { err = errors.Join(err, rows.Close()) }()
	keys := map[string][]byte{}
	var id int64
	var value sql.RawBytes
	for rows.Next() {
		if err := rows.Scan(&id, &value); err != nil {
			return err
		}
		key, known := keys[string(value)]
		if !known {
			key = []byte(l.Key(string(value)))
			if len(keys) < mostKeys {
				keys[string(value)] = key
			}
		}
		do(spot{len(key) == 0, key, id})
	}
	return rows.Err()
}

// whole goes through the records of the kind, as far as the list looks at them, until do tells false.
func (l *listing) whole(do func(row *recordRow, r *record.Record) bool) error {
	for after := ""; ; {
		if err := l.ctx.Err(); err != nil {
			return err
		}
		var rows []recordRow
		text, values := where(append(l.scope(), condition{"kind = ? AND number > ?", []any{l.Kind.Key, after}}))
		if err := l.db.Raw("SELECT "+l.looked()+" FROM records"+text+" ORDER BY number LIMIT ?", append(values, recordsAtOnce)...).Scan(&rows).Error; err != nil {
			return err
		}
		for i := range rows {
			if r := rows[i].record(); !do(&rows[i], &r) {
				return nil
			}
		}
		if len(rows) < recordsAtOnce {
			return nil
		}
		after = rows[len(rows)-1].Number
	}
}

// count tells how many records the selection keeps, up to mostCounted.
func (l *listing) count() (count int, more bool, err error) {
	if l.ByColumns() {
		text, values := where(append(l.scope(), condition{"kind = ?", []any{l.Kind.Key}}))
		err := l.db.Raw("SELECT COUNT(*) FROM (SELECT 1 FROM records"+text+" LIMIT ?) AS some", append(values, mostCounted+1)...).Scan(&count).Error
		return min(count, mostCounted), count > mostCounted, err
	}
	until := time.Now().Add(longestCount) //nolint:forbidigo // how long it takes, not what time it is
	tell := func(_ *recordRow, r *record.Record) bool {
		if l.keeps(r) {
			count++
		}
		more = count > mostCounted || time.Now().After(until) //nolint:forbidigo // as above
		return !more
	}
	if len(l.many) == 0 {
		err = l.whole(tell)
		return min(count, mostCounted), more, err
	}
	// Of those that words find: there are more than were gathered.
	err = l.each(l.many[0], l.looked(), tell)
	return min(count, mostCounted), true, err
}

// EachListed goes through all records of a list in its order, some of them in memory; in an order that is not kept,
// where each stands is besides.
func (s *Store) EachListed(ctx context.Context, q ListQuery, do func(r *record.Record) error) error {
	l, err := s.listing(ctx, q)
	if err != nil {
		return err
	}
	found, few, err := l.gathered()
	if err != nil {
		return err
	}
	if !few && l.kept() {
		return l.along("*", func(r *record.Record, _ spot) (bool, error) { return true, do(r) })
	}
	var all []spot
	if few {
		all, err = l.spotsAmong(found)
	} else {
		err = l.spots(func(at spot) { all = append(all, at) })
	}
	if err != nil {
		return err
	}
	slices.SortFunc(all, func(a, b spot) int { return a.compare(b, l.Descending) })
	for some := range slices.Chunk(all, recordsAtOnce) {
		page := ListPage{}
		l.Limit = len(some)
		if err := l.cut(&page, some); err != nil {
			return err
		}
		for i := range page.Rows {
			if err := do(&page.Rows[i]); err != nil {
				return err
			}
		}
	}
	return nil
}
