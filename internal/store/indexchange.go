package store

import (
	"context"
	"slices"
	"strings"

	"codicil/core/field"
	"codicil/core/record"
)

// indexChanged indexes a kind that is indexed by other fields than it was: what the fields that stay are found by stays.
func (s *Store) indexChanged(ctx context.Context, k *record.Kind, was, is made, text string, unheld []string) error {
	for _, gone := range without(was.Keys, is.Keys) {
		key, _, _ := strings.Cut(gone, " ")
		for _, statement := range []string{
			"DELETE FROM record_keys WHERE field = (SELECT id FROM record_columns WHERE kind = ? AND field = ?)", "DELETE FROM record_columns WHERE kind = ? AND field = ?",
		} {
			if err := s.db.WithContext(ctx).Exec(statement, k.Key, key).Error; err != nil {
				return err
			}
		}
	}
	for _, more := range without(is.Keys, was.Keys) {
		key, _, _ := strings.Cut(more, " ")
		if err := s.orderBy(ctx, k, key); err != nil {
			return err
		}
	}
	if err := s.db.WithContext(ctx).Save(&recordIndex{k.Key, text}).Error; err != nil {
		return err
	}
	held := func(fields []string) []string {
		return slices.DeleteFunc(fields, func(f string) bool { key, _, _ := strings.Cut(f, " "); return slices.Contains(unheld, key) })
	}
	words := held(slices.Concat(without(was.Words, is.Words), without(is.Words, was.Words)))
	links := held(slices.Concat(without(was.Links, is.Links), without(is.Links, was.Links)))
	return s.refile(ctx, k, words, links, linkedBy(was.Links), linkedBy(is.Links))
}

// without are the texts that are not among others.
func without(texts, others []string) []string {
	return slices.DeleteFunc(slices.Clone(texts), func(t string) bool { return slices.Contains(others, t) })
}

// linkedBy is a kind with nothing but links: fields with the kinds they lead to, as [made] has them.
func linkedBy(links []string) *record.Kind {
	k := &record.Kind{}
	for _, link := range links {
		key, to, _ := strings.Cut(link, " ")
		k.Fields = append(k.Fields, field.Field{Key: key, Type: field.Link, Kind: to})
	}
	return k
}

// addColumn makes a field one that records of a kind are kept in the order of.
func (s *Store) addColumn(ctx context.Context, kind, key string) (id int64, err error) {
	if err := s.db.WithContext(ctx).Exec("INSERT INTO record_columns (kind, field) VALUES (?, ?)", kind, key).Error; err != nil {
		return 0, err
	}
	err = s.db.WithContext(ctx).Raw("SELECT id FROM record_columns WHERE kind = ? AND field = ?", kind, key).Scan(&id).Error
	return id, err
}

// orderBy keeps the records of a kind in the order of one field more. Cost: all of them, of which those with a value are read.
func (s *Store) orderBy(ctx context.Context, k *record.Kind, key string) error {
	f := k.Field(key)
	column, err := s.addColumn(ctx, k.Key, key)
	if err != nil || f == nil {
		return err
	}
	value := "COALESCE(" + valueOf(key) + ", '')"
	if err := s.db.WithContext(ctx).Exec("INSERT INTO record_keys (field, key, record, company) SELECT ?, x'', id, company FROM records WHERE kind = ? AND "+value+" = ''", column, k.Key).Error; err != nil {
		return err
	}
	var id int64
	var company, text string
	keyOf := record.SortKeyOf(f)
	for count := fewAtOnce; count == fewAtOnce; {
		count = 0
		var rows []any
		err := s.eachRow(ctx, "SELECT id, company, "+value+" FROM records WHERE kind = ? AND id > ? AND "+value+" <> '' ORDER BY id LIMIT ?", []any{k.Key, id, fewAtOnce}, []any{&id, &company, &text}, func() bool {
			count++
			rows = append(rows, column, []byte(keyOf(text)), id, company)
			return true
		})
		if err != nil {
			return err
		}
		if err := s.insert("INSERT INTO record_keys (field, key, record, company) VALUES ", 4, rows); err != nil {
			return err
		}
	}
	return nil
}

// refile files the words and links of the records anew that have a value in one of the fields by which they are found otherwise now.
// Cost: those records, and all where one of the fields is of lines.
func (s *Store) refile(ctx context.Context, k *record.Kind, words, links []string, was, is *record.Kind) error {
	var held []string
	for _, f := range slices.Concat(words, links) {
		key, _, _ := strings.Cut(f, " ")
		if strings.HasPrefix(key, field.LinePrefix) {
			held = append(held, "record_lines IS NOT NULL")
		} else {
			held = append(held, "COALESCE("+valueOf(key)+", '') <> ''")
		}
	}
	if len(held) == 0 {
		return nil
	}
	x, err := s.indexOf(ctx, k.Key)
	if err != nil {
		return err
	}
	for after := ""; ; {
		rows, err := s.recordsAfter(ctx, k.Key, nil, after, "("+strings.Join(held, " OR ")+")")
		if err != nil {
			return err
		}
		for i := range rows {
			r := rows[i].record()
			if len(words) > 0 {
				if err := s.fileWords(ctx, rows[i].ID, []string{}, x.of(&r).Grams); err != nil {
					return err
				}
			}
			if len(links) > 0 {
				if err := s.fileLinks(rows[i].ID, record.LinksOf(was, &r), record.LinksOf(is, &r)); err != nil {
					return err
				}
			}
			after = r.Number
		}
		if len(rows) < recordsAtOnce {
			return nil
		}
	}
}
