package store

import (
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"iter"
	"maps"
	"reflect"
	"slices"
	"strconv"

	"gorm.io/gorm"

	"codicil/core/judge"
	"codicil/core/record"
	"codicil/internal/codec"
)

// recordRow is a saved record as it is kept.
type recordRow struct {
	ID                       int64 `gorm:"primaryKey"`
	Kind, Number             string
	Company, Type, State     string
	Version                  int
	Values                   map[string]string `gorm:"column:field_values;serializer:json"` // by field, in stored form
	Lines                    []record.Line     `gorm:"column:record_lines;serializer:packed"`
	Origins                  record.Origins    `gorm:"serializer:packed"`
	Reasons                  []record.Reason   `gorm:"serializer:packed"`
	Late                     bool
	OriginKind, OriginNumber string // of the record that this one follows; may be ""
	Reverses, ReversedBy     string
	Former                   string       // the numbers that lead to it, as JSON; "": none
	Changed                  record.Stamp `gorm:"embedded;embeddedPrefix:changed_"`
}

func (recordRow) TableName() string { return "records" }

// writtenRow is a recordRow as it is written: what is kept compressed is already.
type writtenRow struct {
	ID                       int64 `gorm:"primaryKey"`
	Kind, Number             string
	Company, Type, State     string
	Version                  int
	Values                   map[string]string `gorm:"column:field_values;serializer:json"`
	Lines                    []byte            `gorm:"column:record_lines"`
	Origins                  []byte
	Reasons                  []byte
	Late                     bool
	OriginKind, OriginNumber string
	Reverses, ReversedBy     string
	Former                   string
	Changed                  record.Stamp `gorm:"embedded;embeddedPrefix:changed_"`
}

func (writtenRow) TableName() string { return "records" }

func rowOf(id int64, r record.Record, c *writtenContent) writtenRow {
	return writtenRow{
		id, r.Kind, r.Number, r.Company, r.Type, r.State, r.Version, r.Values, c.lines, c.origins, c.reasons, r.Late,
		r.Preceding.Kind, r.Preceding.Number, r.Reverses, r.ReversedBy, listText(r.Former), r.Changed,
	}
}

// writtenContent is what a record holds, ready to be written.
type writtenContent struct {
	of                      record.Content
	whole                   []byte // compressed
	hash                    []byte // as the trail tells it
	lines, origins, reasons []byte // compressed; nil: there are none
}

func writeContent(c *record.Content) (*writtenContent, error) {
	text, err := codec.Write(*c)
	if err != nil {
		return nil, err
	}
	w := &writtenContent{of: *c, whole: pack(text), hash: HashOf(text)}
	for _, part := range []struct {
		into  *[]byte
		count int
		value any
	}{{&w.lines, len(c.Lines), c.Lines}, {&w.origins, len(c.Origins), c.Origins}, {&w.reasons, len(c.Reasons), c.Reasons}} {
		if part.count == 0 {
			continue
		}
		text, err := packable(part.value)
		if err != nil {
			return nil, err
		}
		*part.into = pack(text)
	}
	return w, nil
}

// is tells whether it was written of a content, not of an equal one.
func (w *writtenContent) is(c *record.Content) bool {
	same := func(x, y any) bool { return reflect.ValueOf(x).UnsafePointer() == reflect.ValueOf(y).UnsafePointer() }
	return same(w.of.Values, c.Values) && same(w.of.Origins, c.Origins) && len(w.of.Lines) == len(c.Lines) && same(w.of.Lines, c.Lines) && len(w.of.Reasons) == len(c.Reasons) && same(w.of.Reasons, c.Reasons)
}

// listText writes a list of texts as it is kept; "" for none.
func listText(texts []string) string {
	if len(texts) == 0 {
		return ""
	}
	text, _ := json.Marshal(texts) // of texts: it cannot fail
	return string(text)
}

// listOf reads it. Nothing else is ever written there.
func listOf(text string) (texts []string) {
	if text != "" && json.Unmarshal([]byte(text), &texts) != nil {
		return nil
	}
	return texts
}

func (r recordRow) record() record.Record {
	return record.Record{
		Ref: record.Ref{Kind: r.Kind, Number: r.Number}, Company: r.Company, Type: r.Type, State: r.State, Version: r.Version,
		Content: record.Content{Values: r.Values, Lines: r.Lines, Origins: r.Origins, Reasons: r.Reasons}, Late: r.Late,
		Preceding: record.Ref{Kind: r.OriginKind, Number: r.OriginNumber}, Reverses: r.Reverses, ReversedBy: r.ReversedBy, Former: listOf(r.Former), Changed: r.Changed,
	}
}

type recordVersion struct {
	Kind    string `gorm:"primaryKey"`
	Number  string `gorm:"primaryKey"`
	Version int    `gorm:"primaryKey"`
	What    string
	Type    string
	Content *record.Content `gorm:"serializer:packed"` // nil: that of the version before
	Judged  *judge.Kept     `gorm:"serializer:packed"` // nil: not known
	Changed record.Stamp    `gorm:"embedded;embeddedPrefix:changed_"`
}

// newVersion is a version as it is written.
type newVersion struct {
	Kind    string `gorm:"primaryKey"`
	Number  string `gorm:"primaryKey"`
	Version int    `gorm:"primaryKey"`
	What    string
	Type    string
	Company string // of one that is gone
	Content []byte
	Judged  []byte
	Changed record.Stamp `gorm:"embedded;embeddedPrefix:changed_"`
}

func (newVersion) TableName() string { return "record_versions" }

// Judgement is what a record was judged by, and what it holds by that, ready to be written. It is made before its turn to be
// written comes.
type Judgement struct {
	packed  []byte
	content *writtenContent
}

// JudgementOf makes it.
func JudgementOf(k *judge.Kept, content *record.Content) (*Judgement, error) {
	text, err := codec.Write(*k)
	if err != nil {
		return nil, err
	}
	written, err := writeContent(content)
	return &Judgement{pack(text), written}, err
}

// written is a content as it is written, which was made before or is made now.
func (j *Judgement) written(c *record.Content) (*writtenContent, error) {
	if j != nil && j.content.is(c) {
		return j.content, nil
	}
	return writeContent(c)
}

// recordsAtOnce is how many records are read at once where many are gone through.
const recordsAtOnce = 200

// Records goes through the saved records of a kind by number, in steps, so that others write meanwhile. What is
// saved meanwhile may be seen or not; companies narrow, nil: all. Cost: all of them, a step in memory.
func (s *Store) Records(ctx context.Context, kind string, companies []string) iter.Seq2[*record.Record, error] {
	return func(yield func(*record.Record, error) bool) {
		for after := ""; ; {
			rows, err := s.recordsAfter(ctx, kind, companies, after)
			if err != nil {
				yield(nil, err)
				return
			}
			for i := range rows {
				if r := rows[i].record(); !yield(&r, nil) {
					return
				}
			}
			if len(rows) < recordsAtOnce {
				return
			}
			after = rows[len(rows)-1].Number
		}
	}
}

// recordsAfter returns the records of a kind that come next by number.
func (s *Store) recordsAfter(ctx context.Context, kind string, companies []string, number string) (rows []recordRow, err error) {
	query := s.db.WithContext(ctx).Where("kind = ? AND number > ?", kind, number)
	if companies != nil {
		query = query.Where("company IN ?", companies)
	}
	err = query.Order("number").Limit(recordsAtOnce).Find(&rows).Error
	return rows, err
}

// Record returns one saved record. The error is ErrNotFound when there is none.
func (s *Store) Record(ctx context.Context, kind, number string) (record.Record, error) {
	var r recordRow
	err := s.db.WithContext(ctx).First(&r, "kind = ? AND number = ?", kind, number).Error
	return r.record(), found(err, kind, number)
}

// Numbering is how new records get their numbers.
type Numbering struct {
	Name string // of the count
	// Next returns the count after the last, which is 0 when there was none.
	Next func(last int64) int64
	// Format writes the number; the error says that there is none left.
	Format func(count int64) (string, error)
}

// AddRecord keeps a new record as its first version. r.Number is its number, or
// "" to take the next that does not belong to a record yet. judged is what it was judged by; nil: nobody knows.
func (s *Store) AddRecord(ctx context.Context, r record.Record, numbering Numbering, judged *Judgement, by record.Stamp) (record.Record, error) {
	r.Version, r.Changed = 1, by
	err := s.Transaction(ctx, func(tx *Store) error {
		for r.Number == "" {
			last, err := tx.LastCount(ctx, numbering.Name)
			if err != nil {
				return err
			}
			next := numbering.Next(last)
			number, err := numbering.Format(next)
			if err != nil {
				return err
			}
			if err := tx.Count(ctx, numbering.Name, last, next); err != nil {
				return err
			}
			// Numbers of records that were deleted or merged stay theirs: their versions are there.
			var taken bool
			if err := tx.db.WithContext(ctx).Raw("SELECT EXISTS (SELECT 1 FROM record_versions WHERE kind = ? AND number = ?)", r.Kind, number).Scan(&taken).Error; err != nil {
				return err
			}
			if !taken {
				r.Number = number
			}
		}
		return tx.add(ctx, r, "saved", judged)
	})
	return r, err
}

// add adds a record with its version. what says what happened.
func (s *Store) add(ctx context.Context, r record.Record, what string, judged *Judgement) error {
	content, err := judged.written(&r.Content)
	if err != nil {
		return err
	}
	row := rowOf(0, r, content)
	if err := s.db.Create(&row).Error; err != nil {
		return err
	}
	if err := s.file(ctx, row.ID, nil, &r); err != nil {
		return err
	}
	if err := s.countStanding(ctx, nil, &r); err != nil {
		return err
	}
	if err := s.writeLater(ctx, laterWrite{kind: r.Kind, records: 1}); err != nil {
		return err
	}
	return s.addRecordVersion(ctx, r, what, content, nil, judged, r.Changed)
}

// ChangeRecord keeps a changed record as its next version. r.Version is the
// version that the caller changed; the error is ErrStale when it is not the last
// one. what says what happened: "saved", "posted", "reversed"; judged is what
// it was judged by; nil: nobody knows.
func (s *Store) ChangeRecord(ctx context.Context, r record.Record, what string, judged *Judgement, by record.Stamp) (record.Record, error) {
	before := r.Version
	r.Version, r.Changed = before+1, by
	err := s.Transaction(ctx, func(tx *Store) error {
		kept, err := tx.atVersion(ctx, r.Ref, before)
		if err != nil {
			return err
		}
		content, err := judged.written(&r.Content)
		if err != nil {
			return err
		}
		row := rowOf(kept.ID, r, content)
		old := kept.record()
		if err := tx.db.Model(&row).Select(changedColumns(&old, &r)).Updates(&row).Error; err != nil {
			return err
		}
		if err := tx.file(ctx, row.ID, &old, &r); err != nil {
			return err
		}
		if err := tx.countStanding(ctx, &old, &r); err != nil {
			return err
		}
		was := content.hash
		if reflect.DeepEqual(plain(old.Content), plain(r.Content)) {
			content = nil
		} else if was, err = hashOfContent(&old.Content); err != nil {
			return err
		}
		return tx.addRecordVersion(ctx, r, what, content, was, judged, by)
	})
	return r, err
}

// changedColumns are the columns that differ between two versions of a record: what is written anew is filed anew in every
// index that has it, whether it is the same or not.
func changedColumns(old, now *record.Record) []string {
	columns := []string{"version", "changed_at", "changed_by", "changed_person", "changed_via"}
	for _, one := range []struct {
		same    bool
		columns []string
	}{
		{maps.Equal(old.Values, now.Values), []string{"field_values"}},
		{sameOrNone(old.Lines, now.Lines, len(old.Lines)+len(now.Lines)), []string{"record_lines"}},
		{sameOrNone(old.Origins, now.Origins, len(old.Origins)+len(now.Origins)), []string{"origins"}},
		{sameOrNone(old.Reasons, now.Reasons, len(old.Reasons)+len(now.Reasons)), []string{"reasons"}},
		{old.Company == now.Company, []string{"company"}}, {old.Type == now.Type, []string{"type"}}, {old.State == now.State, []string{"state"}},
		{old.Late == now.Late, []string{"late"}}, {old.Preceding == now.Preceding, []string{"origin_kind", "origin_number"}},
		{old.Reverses == now.Reverses && old.ReversedBy == now.ReversedBy, []string{"reverses", "reversed_by"}}, {slices.Equal(old.Former, now.Former), []string{"former"}},
	} {
		if !one.same {
			columns = append(columns, one.columns...)
		}
	}
	return columns
}

// sameOrNone tells whether two values are equal, of which nil and empty are one; count is how much is in both.
func sameOrNone(x, y any, count int) bool { return count == 0 || reflect.DeepEqual(x, y) }

// atVersion returns the row of a record; the error is ErrStale where it is not of the version.
func (s *Store) atVersion(ctx context.Context, at record.Ref, version int) (recordRow, error) {
	var row recordRow
	err := s.db.WithContext(ctx).First(&row, "kind = ? AND number = ?", at.Kind, at.Number).Error
	if errors.Is(err, gorm.ErrRecordNotFound) || (err == nil && row.Version != version) {
		err = fmt.Errorf("%s %s: %w", at.Kind, at.Number, ErrStale)
	}
	return row, err
}

// plain is a content by which equal ones are equal: nil and empty are one.
func plain(c record.Content) record.Content {
	if len(c.Lines) == 0 {
		c.Lines = nil
	}
	if len(c.Origins) == 0 {
		c.Origins = nil
	}
	if len(c.Reasons) == 0 {
		c.Reasons = nil
	}
	return c
}

// addRecordVersion keeps a version and notes it in the trail; content is nil where it is that of the version before, and before
// is the hash of that; nil: there was none.
func (s *Store) addRecordVersion(ctx context.Context, r record.Record, what string, content *writtenContent, before []byte, judged *Judgement, by record.Stamp) error {
	v := newVersion{Kind: r.Kind, Number: r.Number, Version: r.Version, What: what, Type: r.Type, Changed: by}
	if judged != nil {
		v.Judged = judged.packed
	}
	entry := TrailEntry{What: what, Kind: r.Kind, Key: r.Number, Company: r.Company, Note: "version " + strconv.Itoa(r.Version), Before: before}
	switch {
	case content != nil:
		v.Content, entry.After = content.whole, content.hash
	case what == "deleted" || what == record.Merged:
		v.Company = r.Company
	default:
		entry.After = before
	}
	if err := s.Note(ctx, by, entry); err != nil {
		return err
	}
	return s.db.WithContext(ctx).Create(&v).Error
}

// hashOfContent is the hash of what a record holds.
func hashOfContent(c *record.Content) ([]byte, error) {
	if c == nil {
		return nil, nil
	}
	text, err := codec.Write(*c)
	return HashOf(text), err
}

// CompanyOfDeleted is the company of a record that was deleted or merged; "" where it is not known.
func (s *Store) CompanyOfDeleted(ctx context.Context, at record.Ref) (company string, err error) {
	err = s.db.WithContext(ctx).Raw("SELECT company FROM record_versions WHERE kind = ? AND number = ? ORDER BY version DESC LIMIT 1", at.Kind, at.Number).Scan(&company).Error
	return company, err
}

func (s *Store) countRecords(kind string, more int) error {
	return s.db.Exec("INSERT INTO record_counts (kind, count) VALUES (?, ?) ON CONFLICT (kind) DO UPDATE SET count = count + excluded.count", kind, more).Error
}

// VersionOf returns the version of a record; 0 when there is none.
func (s *Store) VersionOf(ctx context.Context, at record.Ref) (version int, err error) {
	err = s.db.WithContext(ctx).Raw("SELECT version FROM records WHERE kind = ? AND number = ?", at.Kind, at.Number).Scan(&version).Error
	return version, err
}

// CountRecords returns how many records of a kind there are.
func (s *Store) CountRecords(ctx context.Context, kind string, companies []string) (count int, err error) {
	if err := s.settle(ctx); err != nil {
		return 0, err
	}
	if companies != nil {
		err = s.db.WithContext(ctx).Raw("SELECT COUNT(*) FROM records WHERE kind = ? AND company IN ?", kind, companies).Scan(&count).Error
		return count, err
	}
	err = s.db.WithContext(ctx).Raw("SELECT COALESCE((SELECT count FROM record_counts WHERE kind = ?), 0)", kind).Scan(&count).Error
	return count, err
}

// DeleteRecord removes a record. Its versions stay, so that its number is never
// taken for another and what it held can be found.
func (s *Store) DeleteRecord(ctx context.Context, r record.Record, by record.Stamp) error {
	return s.Transaction(ctx, func(tx *Store) error { return tx.remove(ctx, r, "deleted", by) })
}

// remove takes a record away; its versions stay. what says what happened.
func (s *Store) remove(ctx context.Context, r record.Record, what string, by record.Stamp) error {
	kept, err := s.atVersion(ctx, r.Ref, r.Version)
	if err != nil {
		return err
	}
	if err := s.db.Delete(&kept).Error; err != nil {
		return err
	}
	old := kept.record()
	if err := s.file(ctx, kept.ID, &old, nil); err != nil {
		return err
	}
	if err := s.countStanding(ctx, &old, nil); err != nil {
		return err
	}
	if err := s.writeLater(ctx, laterWrite{kind: r.Kind, records: -1}); err != nil {
		return err
	}
	before, err := hashOfContent(&old.Content)
	if err != nil {
		return err
	}
	r.Version++
	return s.addRecordVersion(ctx, r, what, nil, before, nil, by)
}

// RecordVersions returns the versions of a record, newest first.
func (s *Store) RecordVersions(ctx context.Context, kind, number string) ([]record.Version, error) {
	rows, err := all(s.db.WithContext(ctx).Where("kind = ? AND number = ?", kind, number).Omit("judged").Order("version"), func(v recordVersion) recordVersion { return v })
	versions := make([]record.Version, len(rows))
	var content record.Content
	for i, v := range rows {
		if v.Content != nil {
			content = *v.Content
		}
		versions[len(rows)-1-i] = record.Version{Version: v.Version, What: v.What, Type: v.Type, Content: content, Changed: v.Changed}
	}
	return versions, err
}

// RecordVersion returns one version of a record, with what it was judged by; nil where nobody knows. The error is
// ErrNotFound when there is none.
func (s *Store) RecordVersion(ctx context.Context, at record.Ref, version int) (v record.Version, judged *judge.Kept, err error) {
	var row recordVersion
	if err := s.db.WithContext(ctx).First(&row, "kind = ? AND number = ? AND version = ?", at.Kind, at.Number, version).Error; err != nil {
		return v, nil, found(err, at.Kind, at.Number)
	}
	if row.Content == nil {
		var whole recordVersion
		err = s.db.WithContext(ctx).Where("kind = ? AND number = ? AND version < ? AND content IS NOT NULL", at.Kind, at.Number, version).Omit("judged").Order("version DESC").First(&whole).Error
		if err != nil {
			return v, nil, found(err, at.Kind, at.Number)
		}
		row.Content = whole.Content
	}
	return record.Version{Version: row.Version, What: row.What, Type: row.Type, Changed: row.Changed, Content: *row.Content}, row.Judged, nil
}

// JudgedVersion is a version of a record with what it was judged by; nil where nobody knows.
type JudgedVersion struct {
	record.Version
	Kept *judge.Kept
}

// JudgedVersions returns the versions of a record up to one, the first first.
func (s *Store) JudgedVersions(ctx context.Context, at record.Ref, until int) ([]JudgedVersion, error) {
	rows, err := all(s.db.WithContext(ctx).Where("kind = ? AND number = ? AND version <= ?", at.Kind, at.Number, until).Order("version"), itself[recordVersion])
	versions := make([]JudgedVersion, len(rows))
	var content record.Content
	for i, v := range rows {
		if v.Content != nil {
			content = *v.Content
		}
		versions[i] = JudgedVersion{record.Version{Version: v.Version, What: v.What, Type: v.Type, Content: content, Changed: v.Changed}, v.Judged}
	}
	return versions, err
}

// LastJudged returns the last version of a record, up to one, of which is known by what it was judged; 0: of none.
func (s *Store) LastJudged(ctx context.Context, at record.Ref, version int) (judged int, err error) {
	err = s.db.WithContext(ctx).Raw("SELECT COALESCE(MAX(version), 0) FROM record_versions WHERE kind = ? AND number = ? AND version <= ? AND judged IS NOT NULL", at.Kind, at.Number, version).Scan(&judged).Error
	return judged, err
}

// VersionAsOf returns in which version a record was at an instant; 0: it was not there.
func (s *Store) VersionAsOf(ctx context.Context, at record.Ref, instant string) (version int, err error) {
	err = s.db.WithContext(ctx).Raw("SELECT COALESCE(MAX(version), 0) FROM record_versions WHERE kind = ? AND number = ? AND changed_at <= ?", at.Kind, at.Number, instant).Scan(&version).Error
	return version, err
}

// MarkLate marks records of which a live value is still to be taken anew.
func (s *Store) MarkLate(ctx context.Context, kind string, numbers []string) error {
	return s.db.WithContext(ctx).Model(&recordRow{}).Where("kind = ? AND number IN ?", kind, numbers).Update("late", true).Error
}

// Late returns the numbers of the records of a kind that are marked as late.
func (s *Store) Late(ctx context.Context, kind string) (numbers []string, err error) {
	err = s.db.WithContext(ctx).Model(&recordRow{}).Where("kind = ? AND late", kind).Order("number").Pluck("number", &numbers).Error
	return numbers, err
}
