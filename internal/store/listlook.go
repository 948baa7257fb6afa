package store

import (
	"encoding/json"
	"slices"
	"sync"

	"golang.org/x/sync/errgroup"
	"gorm.io/gorm"

	"codicil/core/field"
	"codicil/core/record"
)

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

// gathered are the ids of the records that words or bounds find, where one of them finds no more than most.
func (l *listing) gathered(most int) (found []int64, few bool, err error) {
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
	narrowed := len(l.Companies)+len(l.Types) > 0
	if few || !narrowed && len(l.States) == 0 || l.By == nil && l.ByColumns() {
		return found, few, nil
	}
	// Of a company, type or state that few records are of, all are looked at, wherever they stand in the order.
	text, values := where(append(l.scope(), condition{"kind = ?", []any{l.Kind.Key}}))
	table := "records"
	if narrowed {
		table += " " + by(inScope)
	}
	var ids []int64
	err = l.db.Raw("SELECT id FROM "+table+text+" LIMIT ?", append(values, most+1)...).Scan(&ids).Error
	return ids, err == nil && len(ids) <= most, err
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
	err := l.each(ids, l.told(), func(row *recordRow, r *record.Record) bool { byID[row.ID] = *r; return true })
	for _, id := range ids {
		if r, there := byID[id]; there {
			page.Rows = append(page.Rows, r)
		}
	}
	return err
}

// allColumns are those of a record; headColumns say which it is and where it stands; headerColumns have the values of its
// header besides.
const (
	allColumns    = "records.*"
	headColumns   = "records.id, records.kind, records.number, records.company, records.type, records.state, records.former, records.changed_at"
	headerColumns = headColumns + ", records.field_values"
)

// told are the columns of the records that are told.
func (l *listing) told() string {
	if l.Heads {
		return l.looked()
	}
	return allColumns
}

// looked are the columns that tell whether the selection keeps a record, and where it stands: of the values those that filters
// ask for, where no words are looked for in all.
func (l *listing) looked() string {
	switch {
	case l.Bands != nil: // the record is judged
		return allColumns
	case l.filtersLines() || l.searchesLines():
		return headerColumns + ", records.record_lines"
	case len(l.Words) > 0:
		return headerColumns
	}
	fields := []string{}
	for _, f := range l.Filters {
		fields = append(fields, f.Field)
	}
	if l.By != nil {
		fields = append(fields, l.By.Key)
	}
	return headColumns + ", " + valuesOf(fields) + " AS field_values"
}

// looks are the columns to look at, one after the other at those that were not kept yet: lines take longer to read, and mostly
// the words stand in the header.
func (l *listing) looks() []string {
	if l.Bands == nil && !l.filtersLines() && l.searchesLines() {
		return []string{headerColumns, l.looked()}
	}
	return []string{l.looked()}
}

// searchesLines tells whether words are looked for in lines.
func (l *listing) searchesLines() bool {
	return len(l.Words) > 0 && slices.ContainsFunc(l.Kind.Fields, func(f field.Field) bool { return f.OfLine() && f.Searched })
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
