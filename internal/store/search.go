package store

import (
	"context"

	"codicil/core/record"
)

// RecordsFrom asks for the records of a kind whose number, or what they are called, begins with something.
type RecordsFrom struct {
	Kind *record.Kind
	// Companies narrow; nil: all.
	Companies []string
	// Number is how the number begins; where it is "", Title is how the sort key of the first title field
	// begins.
	Number string
	Title  string
	Limit  int
}

// RecordsFrom returns them by number, or by title. Cost: those that are returned, and those of other companies
// between them.
func (s *Store) RecordsFrom(ctx context.Context, q RecordsFrom) ([]record.Record, error) {
	query, company := s.db.WithContext(ctx), "records.company"
	if q.Number != "" {
		query = query.Where("records.kind = ? AND records.number >= ? AND records.number < ?", q.Kind.Key, q.Number, q.Number+"\U0010FFFF").Order("records.number")
	} else {
		x, err := s.indexOf(ctx, q.Kind.Key)
		if err != nil {
			return nil, err
		}
		// The keys go first, in their order.
		company = "k.company"
		query = query.Table("record_keys k "+leading+" records ON records.id = k.record").Select("records.*").
			Where("k.field = ? AND k.key >= ? AND k.key < ?", x.columns[q.Kind.Title[0]], []byte(q.Title), []byte(q.Title+"\xff")).Order("k.key, k.record")
	}
	if q.Companies != nil {
		query = query.Where(company+" IN ?", q.Companies)
	}
	return all(query.Limit(q.Limit), recordRow.record)
}
