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

// historiesAtOnce is of how many records the versions are read by one question.
const historiesAtOnce = 50

// Histories returns the versions of records of a kind, by number. Cost: all their versions, which are in memory packed.
func (s *Store) Histories(ctx context.Context, kind string, numbers []string) (map[string]History, error) {
	found := make(map[string]History, len(numbers))
	for len(numbers) > 0 {
		some := numbers[:min(len(numbers), historiesAtOnce)]
		numbers = numbers[len(some):]
		if err := s.histories(ctx, kind, some, found); err != nil {
			return nil, err
		}
	}
	return found, nil
}

func (s *Store) histories(ctx context.Context, kind string, numbers []string, into map[string]History) error {
	rows, err := s.db.WithContext(ctx).Model(&recordVersion{}).Where("kind = ? AND number IN ?", kind, numbers).Order("number, version").
		Select("number", "version", "what", "type", "content", "judged", "changed_at", "changed_by", "changed_person", "changed_via").Rows()
	if err != nil {
		return err
	}
	defer func() { _ = rows.Close() }()
	for rows.Next() {
		var number string
		var v packedVersion
		c := &v.Changed
		if err := rows.Scan(&number, &v.Version.Version, &v.What, &v.Type, &v.content, &v.judged, &c.At, &c.By, &c.Person, &c.Via); err != nil {
			return err
		}
		into[number] = append(into[number], v)
	}
	return rows.Err()
}

// Versions unpacks the versions up to one. Cost: each of them.
func (h History) Versions(until int) ([]JudgedVersion, error) {
	versions := make([]JudgedVersion, 0, len(h))
	var content record.Content
	for i := range h {
		if h[i].Version.Version > until {
			break
		}
		v := JudgedVersion{Version: h[i].Version}
		if h[i].content != nil {
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
		versions = append(versions, v)
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
