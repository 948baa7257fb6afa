package store

import (
	"cmp"
	"context"
	"errors"
	"strconv"

	"gorm.io/gorm"

	"codicil/core/record"
)

// NamedBy asks for the records that name one of some, by a link of the header or of a line, or as the one that
// they follow; also by a number that leads there.
type NamedBy struct {
	Records []record.Ref
	// Kinds and States narrow; empty: all.
	Kinds, States []string
	// Except is left out; it may be empty.
	Except record.Ref
	// After is the last record of the page before; the zero value: from the start.
	After record.Ref
	Limit int
}

func (s *Store) naming(ctx context.Context, q NamedBy) (*gorm.DB, error) {
	db := s.db.WithContext(ctx)
	named := db.Table("record_links").Select("record")
	links := db
	all, err := s.withFormer(ctx, q.Records)
	if err != nil {
		return nil, err
	}
	for _, at := range all {
		links = links.Or("to_kind = ? AND to_number = ?", at.Kind, at.Number)
	}
	query := db.Table("records").Where("id IN (?)", named.Where(links))
	if len(q.Kinds) > 0 {
		query = query.Where("kind IN ?", q.Kinds)
	}
	if len(q.States) > 0 {
		query = query.Where("state IN ?", q.States)
	}
	if q.Except.Number != "" {
		query = query.Where("NOT (kind = ? AND number = ?)", q.Except.Kind, q.Except.Number)
	}
	if q.After.Number != "" {
		query = query.Where("(kind, number) > (?, ?)", q.After.Kind, q.After.Number)
	}
	return query, nil
}

// RecordsNaming returns the records that name one of some, by kind and number. Cost: those that do.
func (s *Store) RecordsNaming(ctx context.Context, q NamedBy) ([]record.Record, error) {
	query, err := s.naming(ctx, q)
	if err != nil {
		return nil, err
	}
	var rows []recordRow
	if err := query.Order("kind, number").Limit(q.Limit).Find(&rows).Error; err != nil {
		return nil, err
	}
	found := make([]record.Record, len(rows))
	for i := range rows {
		found[i] = rows[i].record()
	}
	return found, nil
}

// CountNaming counts them.
func (s *Store) CountNaming(ctx context.Context, q NamedBy) (int, error) {
	query, err := s.naming(ctx, q)
	if err != nil {
		return 0, err
	}
	var count int64
	err = query.Count(&count).Error
	return int(count), err
}

// standing is the condition that a record was not taken back and takes nothing back.
const standing = "state <> 'reversed' AND reverses = ''"

// following is a condition that a record follows one, or one whose number leads there; its values are the kind, the number, and
// both again.
const following = "origin_kind = ? AND origin_number IN (SELECT ? UNION ALL SELECT number FROM merged_records WHERE kind = ? AND lead = ?) AND origin_number <> ''"

// Followers returns the records that follow one, by kind and number, some at most; states narrow.
func (s *Store) Followers(ctx context.Context, at record.Ref, most int, states ...string) ([]record.Record, error) {
	query := s.db.WithContext(ctx).Where(following, at.Kind, at.Number, at.Kind, at.Number)
	if len(states) > 0 {
		query = query.Where("state IN ?", states)
	}
	return all(query.Order("kind, number").Limit(most), recordRow.record)
}

// ScopeCount is how many there are of a kind, company and type.
type ScopeCount struct {
	Kind, Company, Type string
	Count               int
}

// RecordScopes counts the records of a kind by company and type. Cost: an index over all of them.
func (s *Store) RecordScopes(ctx context.Context, kind string) (scopes []ScopeCount, err error) {
	err = s.db.WithContext(ctx).Model(&recordRow{}).Select("kind, company, type, COUNT(*) AS count").Where("kind = ?", kind).Group("kind, company, type").Scan(&scopes).Error
	return scopes, err
}

// PostingScopes counts the postings of a ledger by kind, company and type. Cost: all of them.
func (s *Store) PostingScopes(ctx context.Context, name string) (scopes []ScopeCount, err error) {
	err = s.db.WithContext(ctx).Model(&postingRow{}).Select("kind, company, type, COUNT(*) AS count").Where("ledger = ?", name).Group("kind, company, type").Scan(&scopes).Error
	return scopes, err
}

// CountFollowers counts the standing records that follow one; except is left out.
func (s *Store) CountFollowers(ctx context.Context, at, except record.Ref) (int, error) {
	var count int64
	err := s.db.WithContext(ctx).Model(&recordRow{}).Where(following+" AND "+standing, at.Kind, at.Number, at.Kind, at.Number).
		Where("NOT (kind = ? AND number = ?)", except.Kind, except.Number).Count(&count).Error
	return int(count), err
}

// LastQuery asks for the standing record of a kind that was saved last in a company.
type LastQuery struct {
	Kind, Company string
	Type          string // "": any
	Person        string // who saved it; "": anyone
	// Naming is a record that it names by a link; the zero value: any.
	Naming record.Ref
	Except string // a number that is passed over
}

// Last returns it; nil: there is none. Cost: that of SavedLast, and one record.
func (s *Store) Last(ctx context.Context, q LastQuery) (*record.Record, error) {
	at, version, err := s.SavedLast(ctx, q)
	if err != nil || version == 0 {
		return nil, err
	}
	r, err := s.Record(ctx, at.Kind, at.Number)
	if errors.Is(err, ErrNotFound) { // it went at that moment
		return nil, nil
	}
	return &r, err
}

// newest is how many of the newest records are gone through for one that names another. Most often it is among them; else
// those that name it are gone through.
const newest = 300

// SavedLast returns which record that is, and its version; 0: there is none. Of two saved at once the one that was added later
// is the later. Cost: an index, of anyone and any type once a type, and a look for each company and type; of a person who saved the type last long ago, what they saved since;
// of those that name a record, the newest 300, or all that name it.
func (s *Store) SavedLast(ctx context.Context, q LastQuery) (at record.Ref, version int, err error) {
	types := []string{q.Type}
	if q.Type == "" && q.Person == "" {
		scopes, err := scopesOf(s.db.WithContext(ctx), q.Kind)
		if err != nil {
			return at, 0, err
		}
		types = nil
		for _, scope := range scopes {
			if scope.Company == q.Company {
				types = append(types, scope.Type)
			}
		}
	}
	var last savedRow
	for _, t := range types {
		one := q
		one.Type = t
		found, err := s.latest(ctx, one)
		if err != nil {
			return at, 0, err
		}
		if cmp.Or(cmp.Compare(found.ChangedAt, last.ChangedAt), cmp.Compare(found.ID, last.ID)) > 0 {
			last = found
		}
	}
	if last.ID == 0 && q.Naming.Number != "" { // long ago
		where, values := q.where()
		err = s.db.WithContext(ctx).Raw("SELECT "+savedColumns+" FROM record_links "+leading+" records ON id = record WHERE to_kind = ? AND to_number = ? AND "+where+newestFirst+"1",
			append([]any{q.Naming.Kind, q.Naming.Number}, values...)...).Scan(&last).Error
	}
	return record.Ref{Kind: last.Kind, Number: last.Number}, last.Version, err
}

// savedRow is a record that was saved last.
type savedRow struct {
	ID           int64
	Kind, Number string
	Version      int
	ChangedAt    string
}

const (
	savedColumns = "id, kind, number, version, changed_at"
	newestFirst  = " ORDER BY changed_at DESC, id DESC LIMIT "
)

// where are the conditions of a record.
func (q *LastQuery) where() (text string, values []any) {
	text, values = "kind = ? AND company = ? AND number <> ? AND "+standing, []any{q.Kind, q.Company, q.Except}
	if q.Person != "" {
		text, values = text+" AND changed_person = ?", append(values, q.Person)
	}
	if q.Type != "" {
		text, values = text+" AND type = ?", append(values, q.Type)
	}
	return text, values
}

// latest is the record that was saved last, of those that name another among the newest; the zero value: there is none.
func (s *Store) latest(ctx context.Context, q LastQuery) (last savedRow, err error) {
	from := "records"
	if q.Person != "" {
		from = recordsOfPerson
	}
	where, values := q.where()
	statement := "SELECT " + savedColumns + " FROM " + from + " WHERE " + where + newestFirst
	if q.Naming.Number == "" {
		statement += "1"
	} else {
		statement = "SELECT " + savedColumns + " FROM (" + statement + strconv.Itoa(newest) + ") AS newest WHERE EXISTS (SELECT 1 FROM record_links WHERE to_kind = ? AND to_number = ? AND record = newest.id)" + newestFirst + "1"
		values = append(values, q.Naming.Kind, q.Naming.Number)
	}
	err = s.db.WithContext(ctx).Raw(statement, values...).Scan(&last).Error
	return last, err
}

// NamingCount is how many records of a kind in a state name others.
type NamingCount struct {
	Kind, State string
	Count       int
}

// CountNamingBy counts the records that name one of some by kind and state.
func (s *Store) CountNamingBy(ctx context.Context, q NamedBy) (counts []NamingCount, err error) {
	query, err := s.naming(ctx, q)
	if err != nil {
		return nil, err
	}
	err = query.Select("kind, state, COUNT(*) AS count").Group("kind, state").Order("kind, state").Scan(&counts).Error
	return counts, err
}
