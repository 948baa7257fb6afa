package store

import (
	"context"
	"encoding/json"
	"slices"
	"strings"
	"sync"
	"sync/atomic"

	"golang.org/x/sync/singleflight"

	"codicil/core/record"
)

// Records are found by indexes that are kept with them: what lists sort by, what words find, who
// names whom, and what must not be twice. What a kind's indexes are follows from its fields; what they
// were made for is kept, so that a kind that changes is indexed anew.

type recordIndex struct {
	Kind string `gorm:"primaryKey"`
	Made string // made, as JSON
}

func (recordIndex) TableName() string { return "record_indexes" }

// made is what the indexes of a kind were made for.
type made struct {
	Keys  []string `json:"keys"`  // fields with their types
	Words []string `json:"words"` // fields
	Links []string `json:"links"` // fields with the kinds they lead to
}

func madeFor(k *record.Kind) made {
	m := made{Keys: []string{}, Words: []string{}, Links: []string{}}
	for i := range k.Fields {
		f := &k.Fields[i]
		if k.Ordered(f) {
			m.Keys = append(m.Keys, f.Key+" "+string(f.Type))
		}
		if f.Searched || slices.Contains(k.Title, f.Key) {
			m.Words = append(m.Words, f.Key)
		}
		if f.IsLink() {
			m.Links = append(m.Links, f.Key+" "+f.Kind)
		}
	}
	slices.Sort(m.Keys)
	slices.Sort(m.Words)
	slices.Sort(m.Links)
	return m
}

// kindIndex makes the indexes of the records of a kind.
type kindIndex struct {
	turn    int64 // of the indexes when it was made
	kind    record.Kind
	columns map[string]int64 // by field
	sets    []uniqueSet      // of keys of its records
	makers  sync.Pool        // of *record.Indexer
}

func (x *kindIndex) of(r *record.Record) record.Index {
	maker := x.makers.Get().(*record.Indexer)
	defer x.makers.Put(maker)
	return maker.Of(r)
}

// indexOf returns what makes the indexes of a kind as they are in this transaction.
func (s *Store) indexOf(ctx context.Context, kind string) (*kindIndex, error) {
	changed := s.changed != nil && *s.changed // the transaction makes others: they are nobody else's yet
	turn := s.shared.turn.Load()
	if !changed {
		if known, there := s.shared.indexes.Load(kind); there && known.(*kindIndex).turn == turn {
			return known.(*kindIndex), nil
		}
	}
	var columns []struct {
		ID    int64
		Field string
	}
	if err := s.db.WithContext(ctx).Table("record_columns").Where("kind = ?", kind).Order("id").Find(&columns).Error; err != nil {
		return nil, err
	}
	kinds, err := s.Kinds(ctx)
	if err != nil {
		return nil, err
	}
	x := &kindIndex{turn: turn, kind: record.Kind{Key: kind}, columns: make(map[string]int64, len(columns))}
	for _, c := range columns {
		x.columns[c.Field] = c.ID
	}
	if err := s.db.WithContext(ctx).Find(&x.sets, "kind = ?", kind).Error; err != nil {
		return nil, err
	}
	for i := range x.sets {
		if err := json.Unmarshal([]byte(x.sets[i].Definition), &x.sets[i].unique); err != nil {
			return nil, err
		}
	}
	if i := slices.IndexFunc(kinds, func(k record.Kind) bool { return k.Key == kind }); i >= 0 {
		x.kind = kinds[i]
	}
	x.makers.New = func() any { return record.NewIndexer(&x.kind) }
	if !changed {
		s.shared.indexes.Store(kind, x)
	}
	return x, nil
}

// foundBy is by what a record is found, before and after it is written.
type foundBy struct {
	by                    *kindIndex // that made it
	before, after         record.Index
	keysBefore, keysAfter [][]uniqueKey // by set
}

// found makes it: old is what the record was, nil for none, and now what it is, nil for gone.
func (x *kindIndex) found(old, now *record.Record) *foundBy {
	f := &foundBy{by: x, keysBefore: make([][]uniqueKey, len(x.sets)), keysAfter: make([][]uniqueKey, len(x.sets))}
	if old != nil {
		f.before = x.of(old)
	}
	if now != nil {
		f.after = x.of(now)
	}
	for i := range x.sets {
		f.keysBefore[i], f.keysAfter[i] = keysOf(&x.kind, &x.sets[i].unique, old), keysOf(&x.kind, &x.sets[i].unique, now)
	}
	return f
}

// numbered is that of a new record which got its number.
func (f *foundBy) numbered(number string) *foundBy {
	given := *f
	given.after.Grams = record.WithGrams(f.after.Grams, number)
	return &given
}

// file brings the indexes of a record up to date: old is what it was, nil for none, and now what it is,
// nil for gone; f is by what it is found, nil where that is the same.
func (s *Store) file(ctx context.Context, id int64, old, now *record.Record, f *foundBy) error {
	any := now
	if any == nil {
		any = old
	}
	if s.touched != nil {
		s.touched[any.Ref] = true
	}
	if f == nil {
		return nil
	}
	x, err := s.indexOf(ctx, any.Kind)
	if err != nil {
		return err
	}
	if f.by != x { // the indexes of the kind are others since
		f = x.found(old, now)
	}
	if err := s.fileKeys(x, id, f.before, f.after, old, now); err != nil {
		return err
	}
	if !slices.Equal(f.before.Grams, f.after.Grams) {
		if err := s.fileWords(ctx, id, f.before.Grams, f.after.Grams); err != nil {
			return err
		}
	}
	s.noteLinks(f.before.Links, f.after.Links)
	if err := s.fileLinks(id, f.before.Links, f.after.Links); err != nil {
		return err
	}
	return s.fileUnique(f, id, old, now)
}

// fileKeys keeps what the record is sorted by: a key for every column, an empty one for a blank.
func (s *Store) fileKeys(x *kindIndex, id int64, before, after record.Index, old, now *record.Record) error {
	moved := old == nil || now == nil || old.Company != now.Company
	var rows []any
	for field, column := range x.columns {
		was, is := before.Keys[field], after.Keys[field]
		if was == is && !moved {
			continue
		}
		if old != nil {
			if err := s.exec("DELETE FROM record_keys WHERE field = ? AND key = ? AND record = ?", column, []byte(was), id); err != nil {
				return err
			}
		}
		if now != nil {
			rows = append(rows, column, []byte(is), id, now.Company)
		}
	}
	return s.insert("INSERT INTO record_keys (field, key, record, company) VALUES ", 4, rows)
}

// insert adds rows of so many values each; then is what the statement ends with. The statements are few, however many rows
// there are, as each stays prepared.
func (s *Store) insert(into string, width int, values []any, then ...string) error {
	row := "(" + strings.Repeat("?,", width-1) + "?)"
	for len(values) > 0 {
		count := rowsAtOnce(len(values) / width)
		text := into + strings.Repeat(row+",", count-1) + row + strings.Join(then, "")
		if err := s.exec(text, values[:count*width]...); err != nil {
			return err
		}
		values = values[count*width:]
	}
	return nil
}

// rowsAtOnce is how many of some rows go into one statement: as many as there are where they are few, else one of few counts.
func rowsAtOnce(rows int) int {
	switch {
	case rows >= 32:
		return 32
	case rows >= 16:
		return 16
	}
	return min(rows, 12)
}

func (s *Store) fileLinks(id int64, before, after []record.Ref) error {
	var rows []any
	for _, to := range after {
		if !slices.Contains(before, to) {
			rows = append(rows, to.Kind, to.Number, id)
		}
	}
	for _, to := range before {
		if !slices.Contains(after, to) {
			if err := s.exec("DELETE FROM record_links WHERE to_kind = ? AND to_number = ? AND record = ?", to.Kind, to.Number, id); err != nil {
				return err
			}
		}
	}
	return s.insert("INSERT INTO record_links (to_kind, to_number, record) VALUES ", 3, rows)
}

// indexAnew indexes the kinds of which the indexes were made for other fields. unheld are fields of which no record has a value yet.
// Cost: the records of these kinds that have a value of a field that is indexed otherwise.
func (s *Store) indexAnew(ctx context.Context, unheld ...string) error {
	kinds, err := s.Kinds(ctx)
	if err != nil {
		return err
	}
	for i := range kinds {
		k, is := &kinds[i], madeFor(&kinds[i])
		text, err := json.Marshal(is)
		if err != nil {
			return err
		}
		var row recordIndex
		if err := s.db.WithContext(ctx).Limit(1).Find(&row, "kind = ?", k.Key).Error; err != nil {
			return err
		}
		if row.Made == string(text) {
			continue
		}
		s.changes()
		if err := s.settle(ctx); err != nil {
			return err
		}
		var was made
		if json.Unmarshal([]byte(row.Made), &was) != nil { // it was never made
			err = s.indexKind(ctx, k, string(text))
		} else {
			err = s.indexChanged(ctx, k, was, is, string(text), unheld)
		}
		if err != nil {
			return err
		}
	}
	return nil
}

// changes notes that the transaction changes indexes: what is known of them holds no longer when it is committed.
func (s *Store) changes() {
	if *s.changed {
		return
	}
	*s.changed = true
	if t, ok := s.db.Statement.ConnPool.(*writing); ok {
		t.after = append(t.after, func() { s.shared.turn.Add(1) })
	}
}

// indexKind indexes all records of a kind.
func (s *Store) indexKind(ctx context.Context, k *record.Kind, text string) error {
	for _, statement := range []string{
		"DELETE FROM record_keys WHERE field IN (SELECT id FROM record_columns WHERE kind = ?)",
		"DELETE FROM record_words WHERE rowid IN (SELECT id FROM records WHERE kind = ?)",
		"DELETE FROM record_links WHERE record IN (SELECT id FROM records WHERE kind = ?)",
		"DELETE FROM record_columns WHERE kind = ?",
	} {
		if err := s.db.WithContext(ctx).Exec(statement, k.Key).Error; err != nil {
			return err
		}
	}
	for i := range k.Fields {
		if f := &k.Fields[i]; k.Ordered(f) {
			if _, err := s.addColumn(ctx, k.Key, f.Key); err != nil {
				return err
			}
		}
	}
	if err := s.db.WithContext(ctx).Save(&recordIndex{k.Key, text}).Error; err != nil {
		return err
	}
	x, err := s.indexOf(ctx, k.Key)
	if err != nil {
		return err
	}
	total, err := s.CountRecords(ctx, k.Key, nil)
	if err != nil {
		return err
	}
	done := 0
	for after := ""; ; {
		rows, err := s.recordsAfter(ctx, k.Key, nil, after)
		if err != nil {
			return err
		}
		if done += len(rows); len(rows) > 0 {
			tell(ctx, "the index of "+k.Key, done, total)
		}
		for i := range rows {
			r := rows[i].record()
			index := x.of(&r)
			if err := s.fileKeys(x, rows[i].ID, record.Index{}, index, nil, &r); err != nil {
				return err
			}
			if err := s.fileWords(ctx, rows[i].ID, nil, index.Grams); err != nil {
				return err
			}
			if err := s.fileLinks(rows[i].ID, nil, index.Links); err != nil {
				return err
			}
		}
		if len(rows) < recordsAtOnce {
			return nil
		}
		after = rows[len(rows)-1].Number
	}
}

// shared is what all transactions of a store share.
type shared struct {
	close   func() error
	indexes sync.Map     // *kindIndex by kind
	turn    atomic.Int64 // counts the changes of kinds and their indexes
	written atomic.Int64 // counts the transactions that ended
	aside   asides
	making  sync.Mutex // held while a set of unique keys, or what is held of it in memory, is made
	held    sync.Map   // *held by set
	holding singleflight.Group
	beside  *beside
	// mostMarks is how many marks of names are held of a set.
	mostMarks atomic.Int64
	keys      recent[keyChange]
	links     recent[record.Ref]
	path      string // empty: in memory
	commits   *atomic.Int64
	damaged   atomic.Bool
	must      atomic.Pointer[func(ctx context.Context, tx *Store, c Codicil, contents []CodicilChange, by record.Stamp) error] // see Govern
}
