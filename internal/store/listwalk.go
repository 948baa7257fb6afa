package store

import "codicil/core/record"

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
	if parts, err := l.partsByIndex(); err != nil || parts != nil {
		if err != nil {
			return nil, err
		}
		return l.stepByParts(parts, columns, from, limit, offset)
	}
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
	statement := "SELECT " + columns + ", CAST(" + key + " AS BLOB) AS sorted_by FROM " + tables + text + " ORDER BY " + key + direction + ", " + id + direction + " LIMIT ? OFFSET ?"
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
	return l.along(allColumns, func(r *record.Record, here spot) (bool, error) {
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
