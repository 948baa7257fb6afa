package store

import (
	"context"
	"database/sql"
	"encoding/json"
	"errors"
	"fmt"
	"iter"
	"slices"
	"strconv"
	"strings"
	"sync"

	"gorm.io/gorm"

	"codicil/core/field"
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

// recordsAtOnce is how many records are read at once where many are gone through.
const recordsAtOnce = 200

// Records goes through the saved records of a kind by number, in steps, so that others write meanwhile. What is
// saved meanwhile may be seen or not; companies narrow, nil: all. Cost: all of them, two steps in memory: the next is read while
// one is worked on, but for a transaction.
func (s *Store) Records(ctx context.Context, kind string, companies []string) iter.Seq2[*record.Record, error] {
	return func(yield func(*record.Record, error) bool) {
		for step := range s.steps(ctx, kind, companies) {
			if step.err != nil {
				yield(nil, step.err)
				return
			}
			for i := range step.rows {
				if r := step.rows[i].record(); !yield(&r, nil) {
					return
				}
			}
		}
	}
}

// fewAtOnce is how many records are read at once where only few of their values are.
const fewAtOnce = 5_000

// RecordValues goes through the saved records of a kind by number, as [Store.Records] does, but reads of each only its number, company,
// state and the values of some fields, where all are of the header. It is the same record each time. Cost: all of them, one in memory.
func (s *Store) RecordValues(ctx context.Context, kind string, fields []string) iter.Seq2[*record.Record, error] {
	keys := slices.Compact(slices.Sorted(slices.Values(fields)))
	columns := "number, company, state, reverses"
	for _, key := range keys {
		if strings.HasPrefix(key, field.LinePrefix) {
			return s.Records(ctx, kind, nil)
		}
		columns += ", COALESCE(" + valueOf(key) + ", '')"
	}
	return func(yield func(*record.Record, error) bool) {
		r, texts := record.Record{Ref: record.Ref{Kind: kind}, Content: record.Content{Values: map[string]string{}}}, make([]string, len(keys))
		into := []any{&r.Number, &r.Company, &r.State, &r.Reverses}
		for i := range texts {
			into = append(into, &texts[i])
		}
		going := true
		for count := fewAtOnce; going && count == fewAtOnce; {
			count = 0
			err := s.eachRow(ctx, "SELECT "+columns+" FROM records WHERE kind = ? AND number > ? ORDER BY number LIMIT ?", []any{kind, r.Number, fewAtOnce}, into, func() bool {
				for i, key := range keys {
					r.Values[key] = texts[i]
				}
				count++
				going = yield(&r, nil)
				return going
			})
			if err != nil {
				yield(nil, err)
				return
			}
		}
	}
}

// step is what is read at once of many records.
type step struct {
	rows []recordRow
	err  error
}

// steps reads the records of a kind by number, one step ahead of who works on them.
func (s *Store) steps(ctx context.Context, kind string, companies []string) iter.Seq[step] {
	one := func(yield func(step) bool) {
		for after := ""; ; {
			rows, err := s.recordsAfter(ctx, kind, companies, after)
			if len(rows) > 0 {
				after = rows[len(rows)-1].Number
			}
			if !yield(step{rows, err}) || len(rows) < recordsAtOnce || err != nil {
				return
			}
		}
	}
	if s.within {
		return one
	}
	return func(yield func(step) bool) {
		var reading sync.WaitGroup
		next, left := make(chan step), make(chan struct{})
		reading.Go(func() {
			defer close(next)
			for ahead := range one {
				select {
				case next <- ahead:
				case <-left:
					return
				}
			}
		})
		defer reading.Wait()
		defer close(left)
		for ahead := range next {
			if !yield(ahead) {
				return
			}
		}
	}
}

// recordsAfter returns the records of a kind that come next by number, those that meet some conditions.
func (s *Store) recordsAfter(ctx context.Context, kind string, companies []string, number string, conditions ...string) (rows []recordRow, err error) {
	query := s.db.WithContext(ctx).Where("kind = ? AND number > ?", kind, number)
	for _, c := range conditions {
		query = query.Where(c)
	}
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

// RecordsSince are the records of a kind that were written after an entry of the trail and are still there, as they are now. Cost:
// the entries since; some records in memory.
func (s *Store) RecordsSince(ctx context.Context, kind string, entry int64) iter.Seq2[*record.Record, error] {
	return func(yield func(*record.Record, error) bool) {
		var numbers []string
		// By its number: there are few entries since, and many of the kind.
		err := s.db.WithContext(ctx).Raw("SELECT DISTINCT key FROM trail WHERE id > ? AND +kind = ?", entry, kind).Scan(&numbers).Error
		if err != nil {
			yield(nil, err)
			return
		}
		for some := range slices.Chunk(numbers, recordsAtOnce) {
			rows, err := s.RecordsNumbered(ctx, kind, some)
			if err != nil {
				yield(nil, err)
				return
			}
			for i := range rows {
				if !yield(&rows[i], nil) {
					return
				}
			}
		}
	}
}

// RecordsNumbered returns those of some numbers of a kind that there are, in any order. Cost: as many, which are in memory.
func (s *Store) RecordsNumbered(ctx context.Context, kind string, numbers []string) ([]record.Record, error) {
	if len(numbers) == 0 {
		return nil, nil
	}
	var rows []recordRow
	err := s.db.WithContext(ctx).Find(&rows, "kind = ? AND "+amongst("number"), kind, listText(numbers)).Error
	found := make([]record.Record, len(rows))
	for i := range rows {
		found[i] = rows[i].record()
	}
	return found, err
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
// "" to take the next that does not belong to a record yet. p is what was made before; nil: nothing.
func (s *Store) AddRecord(ctx context.Context, r record.Record, numbering Numbering, p *Prepared, by record.Stamp) (record.Record, error) {
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
			if err := tx.one(ctx, "SELECT EXISTS (SELECT 1 FROM record_versions WHERE kind = ? AND number = ?)", []any{r.Kind, number}, &taken); err != nil {
				return err
			}
			if !taken {
				r.Number = number
			}
		}
		return tx.add(ctx, r, "saved", p)
	})
	return r, err
}

// add adds a record with its version. what says what happened.
func (s *Store) add(ctx context.Context, r record.Record, what string, p *Prepared) (err error) {
	if !p.of(&r, true) {
		if p, err = s.Prepare(ctx, nil, nil, &r); err != nil {
			return err
		}
	}
	var id int64
	values := append(append(make([]any, 0, len(recordColumns)), p.content.values()...), r.Kind, r.Number, r.Company, r.Type, r.State, r.Version, r.Late,
		r.Preceding.Kind, r.Preceding.Number, r.Reverses, r.ReversedBy, listText(r.Former), r.Changed.At, r.Changed.By, r.Changed.Person, r.Changed.Via)
	if err := s.ask(addRecord, values, &id); err != nil {
		return err
	}
	if err := s.file(ctx, id, nil, &r, p.found.numbered(r.Number)); err != nil {
		return err
	}
	if err := s.countStanding(ctx, nil, &r); err != nil {
		return err
	}
	if err := s.writeLater(ctx, laterWrite{kind: r.Kind, records: 1}); err != nil {
		return err
	}
	return s.addRecordVersion(ctx, r, what, p.content, nil, p.judged, r.Changed)
}

// ChangeRecord keeps a changed record as its next version. r.Version is the
// version that the caller changed; the error is ErrStale when it is not the last
// one. what says what happened: "saved", "posted", "reversed"; p is what was made
// before; nil: nothing.
func (s *Store) ChangeRecord(ctx context.Context, r record.Record, what string, p *Prepared, by record.Stamp) (record.Record, error) {
	before := r.Version
	err := s.Transaction(ctx, func(tx *Store) error {
		if !p.of(&r, false) {
			kept, err := tx.atVersion(ctx, r.Ref, before)
			if err != nil {
				return err
			}
			old := kept.record()
			if p, err = tx.Prepare(ctx, nil, &old, &r); err != nil {
				return err
			}
		}
		r.Version, r.Changed = before+1, by
		id, err := tx.change(&r, p)
		if err != nil {
			return err
		}
		if err := tx.file(ctx, id, p.before, &r, p.found); err != nil {
			return err
		}
		if err := tx.countStanding(ctx, p.before, &r); err != nil {
			return err
		}
		content := p.content
		if p.same.all() {
			content = nil
		}
		return tx.addRecordVersion(ctx, r, what, content, p.was, p.judged, by)
	})
	r.Version, r.Changed = before+1, by
	return r, err
}

// change writes the columns of a record that changed: what is written anew is filed anew in every index that has it, whether it is
// the same or not. The error is ErrStale where the version before is not the last one.
func (s *Store) change(r *record.Record, p *Prepared) (id int64, err error) {
	old := p.before
	set, values := "late = ?, version = ?, changed_at = ?, changed_by = ?, changed_person = ?, changed_via = ?", []any{r.Late, r.Version, r.Changed.At, r.Changed.By, r.Changed.Person, r.Changed.Via}
	column := func(same bool, name string, value any) {
		if !same {
			set, values = set+", "+name+" = ?", append(values, value)
		}
	}
	column(p.same.values, "field_values", p.content.header)
	column(p.same.lines, "record_lines", p.content.lines)
	column(p.same.origins, "origins", p.content.origins)
	column(p.same.reasons, "reasons", p.content.reasons)
	column(old.Company == r.Company, "company", r.Company)
	column(old.Type == r.Type, "type", r.Type)
	column(old.State == r.State, "state", r.State)
	column(old.Preceding.Kind == r.Preceding.Kind, "origin_kind", r.Preceding.Kind)
	column(old.Preceding.Number == r.Preceding.Number, "origin_number", r.Preceding.Number)
	column(old.Reverses == r.Reverses, "reverses", r.Reverses)
	column(old.ReversedBy == r.ReversedBy, "reversed_by", r.ReversedBy)
	column(slices.Equal(old.Former, r.Former), "former", listText(r.Former))
	err = s.ask("UPDATE records SET "+set+" WHERE kind = ? AND number = ? AND version = ? RETURNING id", append(values, r.Kind, r.Number, old.Version), &id)
	if errors.Is(err, sql.ErrNoRows) {
		err = fmt.Errorf("%s %s: %w", r.Kind, r.Number, ErrStale)
	}
	return id, err
}

// atVersion returns the row of a record; the error is ErrStale where it is not of the version.
func (s *Store) atVersion(ctx context.Context, at record.Ref, version int) (recordRow, error) {
	var row recordRow
	err := s.db.WithContext(ctx).First(&row, "kind = ? AND number = ?", at.Kind, at.Number).Error
	if errors.Is(err, gorm.ErrRecordNotFound) || (err == nil && row.Version != version) {
		err = fmt.Errorf("%s %s: %w", at.Kind, at.Number, ErrStale)
	}
	return row, err
}

// addRecordVersion keeps a version and notes it in the trail; content is nil where it is that of the version before, and before
// is the hash of that; nil: there was none.
func (s *Store) addRecordVersion(ctx context.Context, r record.Record, what string, content *writtenContent, before, judged []byte, by record.Stamp) error {
	var whole []byte
	company := "" // of one that is gone
	entry := TrailEntry{What: what, Kind: r.Kind, Key: r.Number, Company: r.Company, Note: "version " + strconv.Itoa(r.Version), Before: before}
	switch {
	case content != nil:
		whole, entry.After = content.whole, content.hash
	case what == "deleted" || what == record.Merged:
		company = r.Company
	default:
		entry.After = before
	}
	if err := s.Note(ctx, by, entry); err != nil {
		return err
	}
	return s.exec(addVersion, r.Kind, r.Number, r.Version, what, r.Type, company, whole, judged, by.At, by.By, by.Person, by.Via)
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

// RecordsWith goes through the records of a kind that have one of some values in one of some fields of the header, as far as some
// many; of their content only the header is read. Cost: a look into the values of every record of the kind, until so many are
// found.
func (s *Store) RecordsWith(ctx context.Context, kind string, fields, among []string, most int) iter.Seq2[*record.Record, error] {
	return func(yield func(*record.Record, error) bool) {
		sought, _ := json.Marshal(among) // of texts: it cannot fail
		conditions, values := make([]string, len(fields)), []any{kind}
		for i, key := range fields {
			conditions[i], values = amongst(valueOf(key)), append(values, string(sought))
		}
		var rows []recordRow
		err := s.db.WithContext(ctx).Raw("SELECT id, kind, number, company, type, state, field_values FROM records WHERE kind = ? AND ("+strings.Join(conditions, " OR ")+") LIMIT ?", append(values, most)...).Scan(&rows).Error
		if err != nil {
			yield(nil, err)
			return
		}
		for i := range rows {
			if r := rows[i].record(); !yield(&r, nil) {
				return
			}
		}
	}
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
	x, err := s.indexOf(ctx, r.Kind)
	if err != nil {
		return err
	}
	if err := s.file(ctx, kept.ID, &old, nil, x.found(&old, nil)); err != nil {
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

// RecordVersion returns one version of a record. The error is ErrNotFound when there is none.
func (s *Store) RecordVersion(ctx context.Context, at record.Ref, version int) (record.Version, error) {
	v, err := s.recordVersion(s.db.WithContext(ctx).Omit("judged"), at, version)
	return v.Version, err
}

// JudgedVersion returns one version of a record with what it was judged by. The error is ErrNotFound when there is none.
func (s *Store) JudgedVersion(ctx context.Context, at record.Ref, version int) (JudgedVersion, error) {
	return s.recordVersion(s.db.WithContext(ctx), at, version)
}

// recordVersion reads a version; one whose content is that of a version before has it from there.
func (s *Store) recordVersion(columns *gorm.DB, at record.Ref, version int) (JudgedVersion, error) {
	var row recordVersion
	if err := columns.Where("kind = ? AND number = ? AND version = ?", at.Kind, at.Number, version).Take(&row).Error; err != nil {
		return JudgedVersion{}, found(err, at.Kind, at.Number)
	}
	if row.Content == nil {
		whole, before := recordVersion{}, s.db.WithContext(columns.Statement.Context).Omit("judged")
		err := before.Where("kind = ? AND number = ? AND version < ? AND content IS NOT NULL", at.Kind, at.Number, version).Order("version DESC").Take(&whole).Error
		if err != nil {
			return JudgedVersion{}, found(err, at.Kind, at.Number)
		}
		row.Content = whole.Content
	}
	return JudgedVersion{record.Version{Version: row.Version, What: row.What, Type: row.Type, Changed: row.Changed, Content: *row.Content}, row.Judged}, nil
}

// JudgedVersion is a version of a record with what it was judged by; nil where nobody knows.
type JudgedVersion struct {
	record.Version
	Kept *judge.Kept
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
	// The condition is that of the index of these few.
	err = s.db.WithContext(ctx).Model(&recordRow{}).Where("kind = ? AND late = 1", kind).Order("number").Pluck("number", &numbers).Error
	return numbers, err
}
