package store

import (
	"context"
	"maps"
	"slices"

	"codicil/core/record"
)

// What a person was can stand in past versions of other records: of those that named the person once, of what was deleted since, and
// of a record that took the person's values over in a merge that was taken back.

// formerly blanks that. Cost: the versions of the kinds that name the person's and have personal fields, and what the versions of
// the person's kind say that they are, some in memory.
func (b *blanking) formerly(ctx context.Context) error {
	for i := range b.Kinds {
		k := &b.Kinds[i]
		personal, links := false, false
		for f := range k.Fields {
			personal = personal || k.Fields[f].Personal
			links = links || k.Fields[f].IsLink() && k.Fields[f].Kind == b.At.Kind
		}
		if personal && links {
			if err := b.onceNaming(ctx, k.Key); err != nil {
				return err
			}
		}
	}
	return b.onceMerged(ctx)
}

// pastVersion is a version of another record, as it is kept.
type pastVersion struct {
	Number          string
	Version         int
	What            string
	Content, Judged []byte
	Named           bool // its record names the person now
}

// onceNaming blanks the versions of records of a kind that name the person, but for those of posted ones.
func (b *blanking) onceNaming(ctx context.Context, kind string) error {
	for number, version := "", 0; ; {
		var rows []pastVersion
		err := b.tx.db.WithContext(ctx).Raw(`SELECT v.number, v.version, v.content, v.judged,
			  EXISTS (SELECT 1 FROM record_links l WHERE l.to_kind = ? AND l.to_number IN ? AND l.record = r.id) AS named
			FROM record_versions v LEFT JOIN records r ON r.kind = v.kind AND r.number = v.number
			WHERE v.kind = ? AND (v.number, v.version) > (?, ?) AND COALESCE(r.state, ?) = ? ORDER BY v.number, v.version LIMIT ?`,
			b.At.Kind, b.clean.numbers, kind, number, version, record.Kept, record.Kept, othersAtOnce).Scan(&rows).Error
		if err != nil {
			return err
		}
		for i := range rows {
			v := &rows[i]
			number, version = v.Number, v.Version
			if slices.Contains(b.clean.numbers, number) && kind == b.At.Kind {
				continue // the person's own
			}
			if err := b.scrubPast(ctx, kind, v, b.clean, true); err != nil {
				return err
			}
		}
		if len(rows) < othersAtOnce {
			return nil
		}
	}
}

// scrubPast takes the values out of a past version; naming: only where it names the person.
func (b *blanking) scrubPast(ctx context.Context, kind string, v *pastVersion, clean *scrubber, naming bool) error {
	changed := false
	for _, column := range []*[]byte{&v.Content, &v.Judged} {
		if *column == nil {
			continue
		}
		text, err := unpack(*column)
		if err != nil {
			return err
		}
		if naming && !clean.numbered(text) {
			continue
		}
		without, was, err := clean.scrub(text)
		if err != nil {
			return err
		}
		if was {
			changed, *column = true, pack(without)
		}
	}
	if !changed {
		return nil
	}
	if !v.Named { // those that name the person now are told by themselves
		b.found.Versions++
	}
	if !b.Apply {
		return nil
	}
	return b.tx.db.WithContext(ctx).Exec("UPDATE record_versions SET content = ?, judged = ? WHERE kind = ? AND number = ? AND version = ?", v.Content, v.Judged, kind, v.Number, v.Version).Error
}

// onceMerged blanks what records took over from the person's in merges that were taken back: in the versions from the merge on, what
// they did not hold before.
func (b *blanking) onceMerged(ctx context.Context) error {
	var survivors []pastVersion
	err := b.tx.db.WithContext(ctx).Raw(`SELECT number, version FROM record_versions WHERE kind = ? AND what = 'merged' AND number NOT IN ? AND changed_at IN
		  (SELECT changed_at FROM record_versions WHERE kind = ? AND number IN ? AND what = 'merged') ORDER BY number, version`,
		b.At.Kind, b.clean.numbers, b.At.Kind, b.clean.numbers).Scan(&survivors).Error
	if err != nil {
		return err
	}
	for _, s := range survivors {
		if s.Version < 2 {
			continue
		}
		before, err := b.tx.RecordVersion(ctx, record.Ref{Kind: b.At.Kind, Number: s.Number}, s.Version-1)
		if err != nil {
			return err
		}
		theirs := *b.clean
		theirs.values, theirs.telling = maps.Clone(b.clean.values), slices.Clone(b.clean.telling)
		for i := range b.kind(b.At.Kind).Fields {
			f := &b.kind(b.At.Kind).Fields[i]
			own := []string{before.Content.Get(f, 0)}
			if f.OfLine() {
				own = own[:0]
				for _, l := range before.Content.Lines {
					own = append(own, l.Values[f.Column()])
				}
			}
			for _, value := range own {
				delete(theirs.values, value)
				theirs.telling = slices.DeleteFunc(theirs.telling, func(t string) bool { return t == value })
			}
		}
		for version := s.Version; ; version++ {
			var rows []pastVersion
			err := b.tx.db.WithContext(ctx).Raw("SELECT number, version, what, content, judged FROM record_versions WHERE kind = ? AND number = ? AND version = ?", b.At.Kind, s.Number, version).Scan(&rows).Error
			if err != nil {
				return err
			}
			if len(rows) == 0 || rows[0].What == "taken back" {
				break
			}
			if err := b.scrubPast(ctx, b.At.Kind, &rows[0], &theirs, false); err != nil {
				return err
			}
		}
	}
	return nil
}
