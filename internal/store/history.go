package store

import (
	"context"

	"codicil/core/judge"
	"codicil/core/record"
	"codicil/internal/codec"
)

// History is what is kept of the versions of one record, the first first, still packed.
type History []packedVersion

type packedVersion struct {
	record.Version         // without its content
	content, judged []byte // nil: that of the version before; not known
}

// Histories returns the versions of records of a kind, by number. Cost: all their versions, which are in memory packed.
func (s *Store) Histories(ctx context.Context, kind string, numbers []string) (map[string]History, error) {
	found := make(map[string]History, len(numbers))
	rows, err := s.db.WithContext(ctx).Model(&recordVersion{}).Where("kind = ? AND number IN ?", kind, numbers).Order("number, version").
		Select("number", "version", "what", "type", "content", "judged", "changed_at", "changed_by", "changed_person", "changed_via").Rows()
	if err != nil {
		return nil, err
	}
	defer func() { _ = rows.Close() }()
	for rows.Next() {
		var number string
		var v packedVersion
		c := &v.Changed
		if err := rows.Scan(&number, &v.Version.Version, &v.What, &v.Type, &v.content, &v.judged, &c.At, &c.By, &c.Person, &c.Via); err != nil {
			return nil, err
		}
		found[number] = append(found[number], v)
	}
	return found, rows.Err()
}

// Versions unpacks the versions up to the one in which a record stands, whose content is that of the record. Cost: each of
// them.
func (h History) Versions(r *record.Record) ([]JudgedVersion, error) {
	for len(h) > 0 && h[len(h)-1].Version.Version > r.Version {
		h = h[:len(h)-1]
	}
	last := len(h) - 1 // the one with which the record got its content
	for last > 0 && h[last].content == nil {
		last--
	}
	versions := make([]JudgedVersion, len(h))
	var content record.Content
	for i := range h {
		v := &versions[i]
		v.Version = h[i].Version
		switch {
		case i == last:
			content = r.Content
		case h[i].content != nil:
			content = record.Content{}
			if err := unpackInto(h[i].content, &content); err != nil {
				return nil, err
			}
		}
		v.Content = content
		if h[i].judged != nil {
			v.Kept = &judge.Kept{}
			if err := unpackInto(h[i].judged, v.Kept); err != nil {
				return nil, err
			}
		}
	}
	return versions, nil
}

func unpackInto(column []byte, value any) error {
	text, err := unpack(column)
	if err != nil {
		return err
	}
	return codec.Read(text, value)
}
