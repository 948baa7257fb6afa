package store

import (
	"fmt"
	"slices"
	"strings"

	"gorm.io/gorm"

	"codicil/core/record"
)

// The indexes that keep an order of every company and type by itself: by number, and by change.
const (
	inScope         = "records_in_scope"
	inScopeByChange = "records_anyone_last"
)

// mostScopes is of how many companies and types a page is put together.
const mostScopes = 100

// recordScope is a company and a type that records are of.
type recordScope struct{ Company, Type string }

// scopesOf are the companies and types that records of a kind are of. Cost: a look into an index for each.
func scopesOf(db *gorm.DB, kind string) (scopes []recordScope, err error) {
	const (
		nextType    = "(SELECT id FROM records WHERE kind = ? AND company = at.company AND type > at.type ORDER BY type LIMIT 1)"
		nextCompany = "(SELECT id FROM records WHERE kind = ? AND company > at.company ORDER BY company, type LIMIT 1)"
	)
	err = db.Raw("WITH RECURSIVE scopes (id) AS (SELECT (SELECT id FROM records WHERE kind = ? ORDER BY company, type LIMIT 1) UNION ALL "+
		"SELECT COALESCE("+nextType+", "+nextCompany+") FROM scopes JOIN records at ON at.id = scopes.id) SELECT company, type FROM scopes JOIN records ON records.id = scopes.id",
		kind, kind, kind).Scan(&scopes).Error
	return scopes, err
}

// partsByIndex are conditions that each keep a part of the list, of which the order is kept; together they keep all of it. Of the orders by
// company, type and state, and of what is in too many scopes, there is one part, which is sorted, of its index alone. nil: the list is
// read by the index of all numbers.
func (l *listing) partsByIndex() (parts []condition, err error) {
	if l.By != nil {
		return nil, nil
	}
	states := ""
	var of []any
	if len(l.States) > 0 {
		states, of = " AND state IN ?", []any{l.States}
	}
	text, values := where(append(l.scope(), condition{"kind = ?", []any{l.Kind.Key}}))
	whole := []condition{{text, values}}
	switch {
	case l.Sort == record.ByCompany, l.Sort == record.ByType, l.Sort == record.ByState:
		return whole, nil
	case l.Sort == record.ByNumber && len(l.Companies)+len(l.Types) == 0:
		return nil, nil
	}
	if l.scopes == nil {
		all, err := scopesOf(l.db, l.Kind.Key)
		if err != nil {
			return nil, err
		}
		l.scopes = slices.DeleteFunc(all, func(s recordScope) bool {
			return len(l.Companies) > 0 && !slices.Contains(l.Companies, s.Company) || len(l.Types) > 0 && !slices.Contains(l.Types, s.Type)
		})
	}
	switch {
	case len(l.scopes) > mostScopes && l.Sort == record.ByChange:
		return whole, nil
	case len(l.scopes) > mostScopes:
		return nil, nil
	}
	parts = []condition{}
	for _, s := range l.scopes {
		parts = append(parts, condition{" WHERE kind = ? AND company = ? AND type = ?" + states, append([]any{l.Kind.Key, s.Company, s.Type}, of...)})
	}
	return parts, nil
}

// stepByParts returns the next records in the order of the list from each of its parts, put together. Cost: as many entries of an index
// of each part; of one that is sorted, all.
func (l *listing) stepByParts(parts []condition, columns string, from *spot, limit, offset int) (rows []walkedRow, err error) {
	if len(parts) == 0 {
		return nil, nil
	}
	key, index, direction := sortedColumns[l.Sort], inScope, ""
	if l.Sort == record.ByChange {
		index = inScopeByChange
	}
	if l.Descending {
		direction = " DESC"
	}
	order := " ORDER BY sorted_by" + direction + ", id" + direction
	some := make([]string, len(parts))
	var values []any
	for i, p := range parts {
		if from != nil {
			p.text += " AND " + follows(key, "id", l.Descending)
			p.values = append(slices.Clone(p.values), string(from.Key), from.ID)
		}
		some[i] = fmt.Sprintf("SELECT * FROM (SELECT id, %s AS sorted_by FROM records %s%s ORDER BY %s%s, id%s LIMIT ?)", key, by(index), p.text, key, direction, direction)
		values = append(values, append(p.values, limit+offset)...)
	}
	statement := "SELECT " + columns + ", CAST(found.sorted_by AS BLOB) AS sorted_by FROM (SELECT * FROM (" + strings.Join(some, " UNION ALL ") + ")" + order + " LIMIT ? OFFSET ?) AS found " +
		leading + " records ON records.id = found.id ORDER BY found.sorted_by" + direction + ", found.id" + direction
	err = l.db.Raw(statement, append(values, limit, offset)...).Scan(&rows).Error
	return rows, err
}
