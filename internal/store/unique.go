package store

import (
	"cmp"
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"slices"

	"gorm.io/gorm"

	"codicil/core/match"
	"codicil/core/record"
)

// uniqueSet is a set of keys: of the records of a kind, by some fields.
type uniqueSet struct {
	ID         int64 `gorm:"primaryKey"`
	Kind       string
	Definition string // match.Unique as JSON
	Ready      bool
	unique     match.Unique
}

// Claim is a key that no other record had when a change was judged: it is written in the one slot, so that
// the database itself refuses it twice.
type Claim struct {
	Kind    string
	Unique  match.Unique
	Company string
	Key     string
}

// Claiming returns the store for the writes of a change that relies on claims.
func (s *Store) Claiming(claims []Claim) *Store {
	claiming := *s
	claiming.claims = claims
	return &claiming
}

// uniqueKey is what one line of a record, or its header, is filed under in a set.
type uniqueKey struct {
	key, name, beside string
}

// keysOf are the keys of a record in a set, each once. What was taken back may be entered again, and a
// blank is like nothing.
func keysOf(k *record.Kind, u *match.Unique, r *record.Record) (keys []uniqueKey) {
	if r == nil || !r.Standing() {
		return nil
	}
	target := k.Field(u.Fields[0])
	if target == nil {
		return nil
	}
	lines := []int{0}
	if target.OfLine() {
		lines = lines[:0]
		for _, l := range r.Lines {
			lines = append(lines, l.Number)
		}
	}
	for _, line := range lines {
		texts := make([]string, len(u.Fields))
		for i, key := range u.Fields {
			if f := k.Field(key); f != nil {
				texts[i] = r.Content.Get(f, line)
			}
		}
		key, filled := u.Ignore.Key(texts)
		if !filled {
			continue
		}
		found := uniqueKey{key: key}
		if u.Near {
			found.name = match.Plain(texts[0])
			found.beside, _ = u.Ignore.Key(texts[1:])
		}
		if !slices.Contains(keys, found) {
			keys = append(keys, found)
		}
	}
	return keys
}

func companyOf(u *match.Unique, company string) string {
	if u.Everywhere {
		return ""
	}
	return company
}

// fileUnique brings the keys of a record up to date in all sets of its kind.
func (s *Store) fileUnique(f *foundBy, id int64, old, now *record.Record) error {
	for i := range f.by.sets {
		set := &f.by.sets[i]
		u, before, after := &set.unique, f.keysBefore[i], f.keysAfter[i]
		if old != nil && now != nil && slices.Equal(before, after) && old.Company == now.Company {
			continue
		}
		for _, key := range before {
			if err := s.unfileKey(set, u, id, old, key); err != nil {
				return err
			}
		}
		for _, key := range after {
			if err := s.fileKey(set, u, id, now, key); err != nil {
				return err
			}
		}
	}
	return nil
}

func (s *Store) unfileKey(set *uniqueSet, u *match.Unique, id int64, r *record.Record, key uniqueKey) error {
	s.noteKey(set, u, r, key)
	company := companyOf(u, r.Company)
	err := s.exec("DELETE FROM unique_keys WHERE unique_set = ? AND company = ? AND key = ? AND slot IN ('', ?) AND record = ?", set.ID, company, key.key, fmt.Sprint(id), id)
	for _, mark := range marksOf(u, company, key) {
		err = errors.Join(err, s.exec("DELETE FROM unique_names WHERE unique_set = ? AND mark = ? AND record = ?", set.ID, mark, id))
	}
	return err
}

// marksOf are the marks under which a name is found by those that are almost equal, among those with which it is compared.
func marksOf(u *match.Unique, company string, key uniqueKey) []int64 {
	if !u.Near || key.name == "" {
		return nil
	}
	marks, apart := match.Filed(key.name), match.Apart(company, key.beside)
	for i := range marks {
		marks[i] ^= apart
	}
	return marks
}

func (s *Store) fileKey(set *uniqueSet, u *match.Unique, id int64, r *record.Record, key uniqueKey) error {
	s.noteKey(set, u, r, key)
	company := companyOf(u, r.Company)
	slot := fmt.Sprint(id)
	if slices.ContainsFunc(s.claims, func(c Claim) bool {
		return c.Kind == set.Kind && c.Key == key.key && c.Company == company && definitionOf(&c.Unique) == set.Definition
	}) {
		slot = ""
	}
	err := s.exec("INSERT INTO unique_keys (unique_set, company, key, slot, record) VALUES (?, ?, ?, ?, ?)", set.ID, company, key.key, slot, id)
	if errors.Is(err, gorm.ErrDuplicatedKey) {
		return fmt.Errorf("%s %s: another record has its key: %w", r.Kind, r.Number, ErrStale)
	}
	if err != nil {
		return err
	}
	var rows []any
	marks := marksOf(u, company, key)
	s.holdKey(set.ID, id, company, key, marks)
	for _, mark := range marks {
		rows = append(rows, set.ID, mark, id, key.name)
	}
	return s.insert("INSERT OR IGNORE INTO unique_names (unique_set, mark, record, name) VALUES ", 4, rows)
}

func definitionOf(u *match.Unique) string {
	text, _ := json.Marshal(u) // of texts and truth values: it cannot fail
	return string(text)
}

// HasUnique tells whether the keys of a definition are kept.
func (s *Store) HasUnique(ctx context.Context, kind string, u match.Unique) (ready bool, err error) {
	err = s.db.WithContext(ctx).Raw("SELECT EXISTS (SELECT 1 FROM unique_sets WHERE kind = ? AND definition = ? AND ready)", kind, definitionOf(&u)).Scan(&ready).Error
	return ready, err
}

// MakeUnique makes the keys of a definition, where they are not kept yet, from the records in steps, so that others write
// meanwhile. came is told how many records are done; its error ends the work. Cost: all records of the kind.
func (s *Store) MakeUnique(ctx context.Context, k *record.Kind, u match.Unique, came func(done int) error) error {
	_, err := s.makeUnique(ctx, k, &u, came)
	return err
}

// KeepUnique forgets the keys of a kind that no definition asks for any more. Cost: those keys.
func (s *Store) KeepUnique(ctx context.Context, kind string, asked []match.Unique) error {
	var sets []uniqueSet
	if err := s.db.WithContext(ctx).Find(&sets, "kind = ?", kind).Error; err != nil {
		return err
	}
	keep := map[string]bool{}
	for i := range asked {
		keep[definitionOf(&asked[i])] = true
	}
	for _, set := range sets {
		if keep[set.Definition] {
			continue
		}
		err := s.Transaction(ctx, func(tx *Store) error {
			tx.changes()
			return tx.dropUniqueSet(set.ID)
		})
		if err != nil {
			return err
		}
	}
	return nil
}

// uniqueSetOf returns the set of a definition, which is made where it is not there yet.
func (s *Store) uniqueSetOf(ctx context.Context, k *record.Kind, u *match.Unique) (*uniqueSet, error) {
	return s.makeUnique(ctx, k, u, func(int) error { return nil })
}

func (s *Store) makeUnique(ctx context.Context, k *record.Kind, u *match.Unique, came func(done int) error) (*uniqueSet, error) {
	definition := definitionOf(u)
	x, err := s.indexOf(ctx, k.Key)
	if err != nil {
		return nil, err
	}
	if i := slices.IndexFunc(x.sets, func(s uniqueSet) bool { return s.Definition == definition && s.Ready }); i >= 0 {
		return &x.sets[i], nil
	}
	var set uniqueSet
	find := func() error {
		return s.db.WithContext(ctx).Limit(1).Find(&set, "kind = ? AND definition = ?", k.Key, definition).Error
	}
	if err := find(); err != nil || set.Ready {
		return &set, err
	}
	if !s.within { // within a transaction nobody else makes any
		s.shared.making.Lock()
		defer s.shared.making.Unlock()
		if err := find(); err != nil || set.Ready {
			return &set, err
		}
	}
	// A set that was begun before is made anew. From here on every write is filed in it.
	err = s.Transaction(ctx, func(tx *Store) error {
		tx.changes()
		if err := tx.dropUniqueSet(set.ID); err != nil {
			return err
		}
		set = uniqueSet{Kind: k.Key, Definition: definition}
		return tx.db.Create(&set).Error
	})
	if err != nil {
		return nil, err
	}
	done := 0
	for after := ""; ; {
		count := 0
		err := s.Transaction(ctx, func(tx *Store) error {
			rows, err := tx.recordsAfter(ctx, k.Key, nil, after)
			if err != nil {
				return err
			}
			for i := range rows {
				r := rows[i].record()
				for _, key := range keysOf(k, u, &r) {
					if err := tx.unfileKey(&set, u, rows[i].ID, &r, key); err != nil { // written meanwhile
						return err
					}
					if err := tx.fileKey(&set, u, rows[i].ID, &r, key); err != nil {
						return err
					}
				}
				after = r.Number
			}
			count = len(rows)
			return nil
		})
		if err == nil {
			done += count
			err = came(done)
		}
		if err != nil {
			return nil, err
		}
		if count < recordsAtOnce {
			set.Ready = true
			err := s.Transaction(ctx, func(tx *Store) error {
				tx.changes()
				result := tx.db.Model(&set).Update("ready", true)
				if result.Error == nil && result.RowsAffected == 0 { // a transaction made another meanwhile
					return tx.dropUniqueSet(set.ID)
				}
				return result.Error
			})
			if err == nil {
				err = find()
			}
			return &set, err
		}
	}
}

func (s *Store) dropUniqueSet(id int64) error {
	for _, statement := range []string{"DELETE FROM unique_keys WHERE unique_set = ?", "DELETE FROM unique_names WHERE unique_set = ?", "DELETE FROM unique_sets WHERE id = ?"} {
		if err := s.db.Exec(statement, id).Error; err != nil {
			return err
		}
	}
	return nil
}

// UniqueKey is what one line of a record, or its header, is filed under for a unique rule.
type UniqueKey struct {
	Company string // "": all count
	Key     string
	// Name is the name to which others are compared, and Beside the key of the other fields, where almost equal names
	// count too.
	Name, Beside string
}

// UniqueKeys are the keys of a record for a unique rule.
func UniqueKeys(k *record.Kind, u match.Unique, r *record.Record) (keys []UniqueKey) {
	for _, key := range keysOf(k, &u, r) {
		keys = append(keys, UniqueKey{companyOf(&u, r.Company), key.key, key.name, key.beside})
	}
	return keys
}

// KeyedRecords returns the numbers of the standing records that have exactly a key, at most two: the key of a record
// has one.
func (s *Store) KeyedRecords(ctx context.Context, k *record.Kind, u match.Unique, company, key string) (numbers []string, err error) {
	set, err := s.uniqueSetOf(ctx, k, &u)
	if err != nil {
		return nil, err
	}
	if may, err := s.mayHaveKey(ctx, set, u.Near, company, key); err != nil || !may {
		return nil, err
	}
	err = s.db.WithContext(ctx).Raw("SELECT DISTINCT r.number FROM unique_keys u JOIN records r ON r.id = u.record WHERE u.unique_set = ? AND u.company = ? AND u.key = ? ORDER BY r.number LIMIT 2",
		set.ID, company, key).Scan(&numbers).Error
	return numbers, err
}

// SameRecords returns the numbers of the standing records that have a key, and where the definition asks those
// whose name is almost equal, the most alike first. company is "" where all count. texts are the values
// of the definition's fields. Cost: the records that are found, and for names those that share a part.
func (s *Store) SameRecords(ctx context.Context, k *record.Kind, u match.Unique, company, key string, texts []string) ([]string, error) {
	set, err := s.uniqueSetOf(ctx, k, &u)
	if err != nil {
		return nil, err
	}
	var numbers []string
	may, err := s.mayHaveKey(ctx, set, u.Near, company, key)
	if err == nil && may {
		err = s.db.WithContext(ctx).Raw("SELECT DISTINCT r.number FROM unique_keys u JOIN records r ON r.id = u.record WHERE u.unique_set = ? AND u.company = ? AND u.key = ? ORDER BY r.number",
			set.ID, company, key).Scan(&numbers).Error
	}
	if err != nil || !u.Near {
		return numbers, err
	}
	near, err := s.near(ctx, set, &u, company, texts)
	for _, number := range near {
		if !slices.Contains(numbers, number) {
			numbers = append(numbers, number)
		}
	}
	return numbers, err
}

// near returns the numbers of the records with an almost equal name, the most alike first. Cost: the names of the company that
// share a part with it.
func (s *Store) near(ctx context.Context, set *uniqueSet, u *match.Unique, company string, texts []string) ([]string, error) {
	name := match.Plain(texts[0])
	beside, _ := u.Ignore.Key(texts[1:])
	if name == "" {
		return nil, nil
	}
	amongst, values, err := s.nearAmong(ctx, set, name, match.Apart(company, beside))
	if err != nil || amongst == "" {
		return nil, err
	}
	type candidate struct {
		ID           int64
		Number, Name string
		alike        int
	}
	var found []candidate
	// The marks say of which company the names are, and beside what.
	err = s.db.WithContext(ctx).Raw("SELECT DISTINCT r.id, r.number, n.name FROM unique_names n "+leading+" records r ON r.id = n.record WHERE n.unique_set = ? AND alike(?, n.name) AND "+
		amongst, append([]any{set.ID, name}, values...)...).Scan(&found).Error
	if err != nil {
		return nil, err
	}
	for i := range found {
		found[i].alike = match.SimilarPlain(name, found[i].Name)
	}
	slices.SortFunc(found, func(a, b candidate) int { return cmp.Or(b.alike-a.alike, cmp.Compare(a.ID, b.ID)) })
	var numbers []string
	for _, c := range found {
		if c.alike >= match.Alike && !slices.Contains(numbers, c.Number) {
			numbers = append(numbers, c.Number)
		}
	}
	return numbers, nil
}

// nearAmong is a condition on unique_names, with its values, that every name meets that is almost equal to one and still stands: those
// that are held in memory are compared there. "": there is none.
func (s *Store) nearAmong(ctx context.Context, set *uniqueSet, name string, apart int64) (string, []any, error) {
	h, err := s.heldOf(ctx, set, true)
	if err != nil {
		return "", nil, err
	}
	var records, marks []int64
	names := h.namesHeld()
	if names != nil {
		if records, marks = names.Like(name, apart); len(records) == 0 {
			return "", nil, nil
		}
	} else {
		match.EachSought(name, func(m int64) { marks = append(marks, m^apart) })
		slices.Sort(marks)
		marks = slices.Compact(marks)
	}
	sought, err := json.Marshal(marks)
	if err != nil || names == nil {
		return amongst("n.mark"), []any{string(sought)}, err
	}
	of, err := json.Marshal(records)
	return amongst("n.mark") + " AND " + amongst("n.record"), []any{string(sought), string(of)}, err
}

// uniqueAnew makes the sets anew that are not whole: a release filed them otherwise, or it ended while it made them. Cost: all
// records of their kinds.
func (s *Store) uniqueAnew(ctx context.Context) error {
	var sets []uniqueSet
	if err := s.db.WithContext(ctx).Find(&sets, "NOT ready").Error; err != nil || len(sets) == 0 {
		return err
	}
	kinds, err := s.Kinds(ctx)
	if err != nil {
		return err
	}
	for _, set := range sets {
		var u match.Unique
		if err := json.Unmarshal([]byte(set.Definition), &u); err != nil {
			return err
		}
		if i := slices.IndexFunc(kinds, func(k record.Kind) bool { return k.Key == set.Kind }); i >= 0 {
			total, err := s.CountRecords(ctx, set.Kind, nil)
			if err != nil {
				return err
			}
			_, err = s.makeUnique(ctx, &kinds[i], &u, func(done int) error {
				tell(ctx, "the keys of "+set.Kind, done, total)
				return nil
			})
			if err != nil {
				return err
			}
		}
	}
	return nil
}
