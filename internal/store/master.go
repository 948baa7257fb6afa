package store

import (
	"context"
	"fmt"
	"reflect"
	"slices"

	"gorm.io/gorm/clause"

	"codicil/core/field"
	"codicil/core/record"
	"codicil/core/table"
	"codicil/internal/codec"
)

type company struct {
	Key                               string `gorm:"primaryKey"`
	Name, Country, Currency, Rounding string
	Calendar                          record.Calendar `gorm:"serializer:kept"`
	TimeZone                          string
	Format                            *field.Format `gorm:"serializer:kept"`
	Changed                           record.Stamp  `gorm:"embedded;embeddedPrefix:changed_"`
}

func (c company) company() record.Company {
	return record.Company{Key: c.Key, Name: c.Name, Country: c.Country, Currency: c.Currency, Rounding: c.Rounding, Calendar: c.Calendar, TimeZone: c.TimeZone, Format: c.Format}
}

type kind struct {
	Key        string `gorm:"primaryKey"`
	Position   int
	Definition record.Kind `gorm:"serializer:kept"`
	Own        bool
	// Settings are what an administrator made of the kind, without the standard fields; nil: nothing.
	Settings *record.Kind `gorm:"serializer:kept"`
	Changed  record.Stamp `gorm:"embedded;embeddedPrefix:changed_"`
}

// whole is the kind as it is used, without added fields.
func (k kind) whole() record.Kind {
	w := k.Definition
	w.Own = k.Own
	if k.Settings != nil {
		w = w.Settled(k.Settings)
	}
	return w
}

type addedField struct {
	Kind                                 string `gorm:"primaryKey"`
	Key                                  string `gorm:"primaryKey"`
	Position                             int
	Definition                           field.Field `gorm:"serializer:kept"`
	RemovedAt                            *string     // RFC 3339; nil: the field is there
	RemovedBy, RemovedPerson, RemovedVia string
	Changed                              record.Stamp `gorm:"embedded;embeddedPrefix:changed_"`
}

// AddedField is a field that an administrator added to a kind.
type AddedField struct {
	field.Field
	// Removed tells who removed it; nil: it is there.
	Removed *record.Stamp
}

func (f addedField) added() AddedField {
	if f.RemovedAt == nil {
		return AddedField{Field: f.Definition}
	}
	return AddedField{f.Definition, &record.Stamp{At: *f.RemovedAt, By: f.RemovedBy, Person: f.RemovedPerson, Via: f.RemovedVia}}
}

type kindType struct {
	Kind      string `gorm:"primaryKey"`
	Key       string `gorm:"primaryKey"`
	Label     string
	Companies []string `gorm:"serializer:json"`
	Position  int
	Changed   record.Stamp `gorm:"embedded;embeddedPrefix:changed_"`
}

func (kindType) TableName() string { return "types" }

// Companies returns the companies by key.
func (s *Store) Companies(ctx context.Context) ([]record.Company, error) {
	return all(s.db.WithContext(ctx).Order("key"), company.company)
}

// SaveCompany adds or replaces a company.
func (s *Store) SaveCompany(ctx context.Context, c record.Company, by record.Stamp) error {
	row := company{c.Key, c.Name, c.Country, c.Currency, c.Rounding, c.Calendar, c.TimeZone, c.Format, by}
	return s.noted(ctx, by, TrailEntry{Kind: "company", Key: c.Key, Company: c.Key, Note: c.Name}, at("companies", "key = ?", c.Key), func(tx *Store) error {
		return tx.db.Save(&row).Error
	})
}

// DeleteCompany removes a company. Rows that name it make it fail.
func (s *Store) DeleteCompany(ctx context.Context, key string, by record.Stamp) error {
	return s.noted(ctx, by, TrailEntry{Kind: "company", Key: key, Company: key}, at("companies", "key = ?", key), func(tx *Store) error {
		return tx.db.Delete(&company{Key: key}).Error
	})
}

// Kinds returns the kinds with their fields, the added ones after the standard ones.
func (s *Store) Kinds(ctx context.Context) ([]record.Kind, error) {
	kinds, err := all(s.db.WithContext(ctx).Order("position"), kind.whole)
	if err != nil {
		return nil, err
	}
	added, err := all(s.db.WithContext(ctx).Where("removed_at IS NULL").Order("position"), itself[addedField])
	if err == nil && s.view != nil {
		added, err = s.viewedFields(ctx, added)
	}
	if err != nil {
		return nil, err
	}
	for _, f := range added {
		if i := slices.IndexFunc(kinds, func(k record.Kind) bool { return k.Key == f.Kind }); i >= 0 {
			kinds[i].Fields = append(kinds[i].Fields, f.Definition)
		}
	}
	marks, err := all(s.db.WithContext(ctx), func(m personalField) personalField { return m })
	if err != nil {
		return nil, err
	}
	for i := range kinds {
		kinds[i].Sort()
		for _, m := range marks {
			if f := kinds[i].Field(m.Field); f != nil && m.Kind == kinds[i].Key {
				f.Personal = m.Personal
			}
		}
	}
	return kinds, nil
}

// personalField says whether a field holds what is about a person, whatever the field says of itself.
type personalField struct {
	Kind     string `gorm:"primaryKey"`
	Field    string `gorm:"primaryKey"`
	Personal bool
}

// MarkPersonal says whether a field of a kind holds what is about a person.
func (s *Store) MarkPersonal(ctx context.Context, kindKey, key string, personal bool, by record.Stamp) error {
	row := personalField{kindKey, key, personal}
	entry := TrailEntry{Kind: "field", Key: kindKey + "/" + key, Note: fmt.Sprintf("personal: %v", personal)}
	return s.noted(ctx, by, entry, at("personal_fields", "kind = ? AND field = ?", kindKey, key), func(tx *Store) error {
		return tx.db.Save(&row).Error
	})
}

// SaveKinds adds the kinds, or replaces what they say. Added fields stay, and so does what is
// the same already. A list that was never kept is added; in a file in which the kinds said
// themselves what can be chosen, so that the same can be chosen as before.
func (s *Store) SaveKinds(ctx context.Context, kinds []record.Kind, lists ...table.List) error {
	return s.Transaction(ctx, func(tx *Store) error {
		kept, err := all(tx.db, func(k kind) kind { return k })
		if err != nil {
			return err
		}
		for _, l := range lists {
			if err := tx.firstList(ctx, l, kinds, kept); err != nil {
				return err
			}
		}
		for i, k := range kinds {
			row := kind{Key: k.Key, Position: i, Definition: k}
			before := slices.IndexFunc(kept, func(o kind) bool { return o.Key == k.Key })
			if before >= 0 {
				if kept[before].Own {
					return fmt.Errorf("the kind %s was made here, and comes with this program too; rename it with the program of before", k.Key)
				}
				row.Settings, row.Changed = kept[before].Settings, kept[before].Changed
			}
			if row, err = again(row); err != nil {
				return err
			}
			if before >= 0 && reflect.DeepEqual(kept[before], row) {
				continue
			}
			if err := tx.db.Save(&row).Error; err != nil {
				return err
			}
		}
		return tx.indexAnew(ctx)
	})
}

// firstList adds a list that was never kept.
func (s *Store) firstList(ctx context.Context, l table.List, kinds []record.Kind, kept []kind) error {
	var known int64
	if err := s.db.WithContext(ctx).Model(&lookupVersion{}).Where("what = ? AND key = ?", codeList, l.Key).Count(&known).Error; err != nil || known > 0 {
		return err
	}
	before := choicesBefore(l.Key, kinds, kept)
	if slices.ContainsFunc(kept, func(k kind) bool { return !k.Own && len(k.Definition.Fields) == 0 }) {
		for _, old := range codec.ListsBefore { // the kinds said nothing yet of what can be chosen
			if old.Key == l.Key {
				before = old.Options()
			}
		}
	}
	if len(before) > 0 {
		l = asBefore(l, before)
	}
	text, err := written(l)
	if err != nil {
		return err
	}
	row := lookup{codeList, l.Key, 1, *text}
	if err := s.db.Create(&row).Error; err != nil {
		return err
	}
	return s.addLookupVersion(lookupVersion{What: row.What, Key: row.Key, Version: row.Version, Definition: &row.Definition, Changed: record.Stamp{By: program}})
}

// program is who changes what comes with the program.
const program = "Codicil"

// choicesBefore is what fields that choose from a list could choose before there were lists.
func choicesBefore(list string, kinds []record.Kind, kept []kind) []field.Option {
	for i := range kinds {
		for j := range kinds[i].Fields {
			f := &kinds[i].Fields[j]
			if f.List != list {
				continue
			}
			for k := range kept {
				if old := kept[k].Definition.Field(f.Key); kept[k].Key == kinds[i].Key && old != nil && len(old.Choices) > 0 {
					return old.Choices
				}
			}
		}
	}
	return nil
}

// asBefore is a list of which only what was there before can be chosen. Where the list lacks a code
// of before, it is another list, and stays as it was.
func asBefore(l table.List, before []field.Option) table.List {
	only := make([]string, len(before))
	for i, o := range before {
		only[i] = o.Code
		if l.Entry(o.Code) == nil {
			l.Standard, l.Entries = "", nil
			for _, o := range before {
				l.Entries = append(l.Entries, table.Entry{Code: o.Code, Label: o.Label})
			}
			return l
		}
	}
	if len(only) < len(l.Entries) {
		l.Views = []table.ListView{{Only: only}}
	}
	return l
}

// again is the kind as it comes back from the database, so that nil and empty are one.
func again(k kind) (kind, error) {
	text, err := codec.Write(k.Definition)
	if err != nil {
		return k, err
	}
	k.Definition = record.Kind{}
	return k, codec.Read(text, &k.Definition)
}

// PutAway returns the standard fields of a kind that are put away, and who changed the kind last.
func (s *Store) PutAway(ctx context.Context, key string) ([]field.Field, record.Stamp, error) {
	rows, err := all(s.db.WithContext(ctx).Where("key = ?", key), itself[kind])
	if err != nil || len(rows) == 0 || rows[0].Settings == nil {
		return nil, record.Stamp{}, err
	}
	away := slices.DeleteFunc(slices.Clone(rows[0].Definition.Fields), func(f field.Field) bool { return !slices.Contains(rows[0].Settings.Away, f.Key) })
	return away, rows[0].Changed, nil
}

// SetUpKinds returns the keys of the kinds that were set up by somebody: made, or changed.
func (s *Store) SetUpKinds(ctx context.Context) (keys []string, err error) {
	err = s.db.WithContext(ctx).Model(&kind{}).Where("settings IS NOT NULL").Order("position").Pluck("key", &keys).Error
	return keys, err
}

// SaveKind adds a kind, or changes what an administrator makes of one; its fields are kept by
// themselves.
func (s *Store) SaveKind(ctx context.Context, k record.Kind, by record.Stamp) error {
	k.Fields = nil
	return s.noted(ctx, by, TrailEntry{Kind: "kind", Key: k.Key, Note: k.Label}, at("kinds", "key = ?", k.Key), func(tx *Store) error {
		row, own := kind{}, k
		own.Own, own.Away = k.Own, k.Away
		switch err := tx.db.Where("key = ?", k.Key).Limit(1).Find(&row).Error; {
		case err != nil:
			return err
		case row.Key == "":
			row = kind{Key: k.Key, Own: true, Definition: record.Kind{Key: k.Key}}
			if err := tx.db.Raw("SELECT COALESCE(MAX(position), 0) + 1 FROM kinds").Scan(&row.Position).Error; err != nil {
				return err
			}
		}
		row.Settings, row.Changed = &own, by
		if err := tx.db.Save(&row).Error; err != nil {
			return err
		}
		return tx.indexAnew(ctx)
	})
}

// DeleteKind removes a kind that an administrator made, with its types, layouts and fields. Records or
// rules of it make it fail.
func (s *Store) DeleteKind(ctx context.Context, key string, by record.Stamp) error {
	return s.noted(ctx, by, TrailEntry{Kind: "kind", Key: key}, at("kinds", "key = ?", key), func(tx *Store) error {
		for _, table := range []string{"added_fields", "layouts", "types", "personal_fields", "learned", "learned_asides"} {
			if err := tx.db.Exec("DELETE FROM "+table+" WHERE kind = ?", key).Error; err != nil {
				return err
			}
		}
		if err := tx.db.Exec("DELETE FROM kinds WHERE key = ? AND own", key).Error; err != nil {
			return err
		}
		return tx.indexAnew(ctx)
	})
}

// AddedFields returns the fields that were added to a kind, removed ones too.
func (s *Store) AddedFields(ctx context.Context, kind string) ([]AddedField, error) {
	rows, err := all(s.db.WithContext(ctx).Where("kind = ?", kind).Order("position"), itself[addedField])
	if err != nil {
		return nil, err
	}
	fields := make([]AddedField, len(rows))
	for i, row := range rows {
		fields[i] = row.added()
	}
	if s.view == nil {
		return fields, nil
	}
	return s.viewedAdded(ctx, kind, fields)
}

// SaveField adds or changes an added field, in the codicil that is shown or at once; it is no longer removed.
func (s *Store) SaveField(ctx context.Context, kind string, f field.Field, by record.Stamp) error {
	text, err := written(f)
	if err != nil {
		return err
	}
	return s.amend(ctx, fieldThingOf(kind, f.Key), f.Label, inForceNow{text: text}, by, func(tx *Store) error { return tx.putField(ctx, kind, f, by) })
}

func fieldThingOf(kind, key string) Thing { return Thing{fieldThing, kind + "/" + key} }

func (s *Store) putField(ctx context.Context, kind string, f field.Field, by record.Stamp) error {
	row := addedField{Kind: kind, Key: f.Key, Definition: f, Changed: by}
	return s.noted(ctx, by, fieldEntry(kind, f.Key), fieldAt(kind, f.Key), func(tx *Store) error {
		var there bool // otherwise no record can have a value of it
		if err := tx.db.Raw("SELECT EXISTS (SELECT 1 FROM added_fields WHERE kind = ? AND key = ?)", kind, f.Key).Scan(&there).Error; err != nil {
			return err
		}
		if err := tx.db.Raw("SELECT COALESCE((SELECT position FROM added_fields WHERE kind = ? AND key = ?), (SELECT COUNT(*) FROM added_fields WHERE kind = ?))", kind, f.Key, kind).Scan(&row.Position).Error; err != nil {
			return err
		}
		if err := tx.db.Save(&row).Error; err != nil {
			return err
		}
		if there {
			return tx.indexAnew(ctx)
		}
		return tx.indexAnew(ctx, f.Key)
	})
}

func fieldAt(kind, key string) place {
	return at("added_fields", "kind = ? AND key = ? AND removed_at IS NULL", kind, key)
}

func fieldEntry(kind, key string) TrailEntry { return TrailEntry{Kind: "field", Key: kind + "/" + key} }

// RemoveField takes a field out of its kind, in the codicil that is shown or at once. Its values stay with the records.
func (s *Store) RemoveField(ctx context.Context, kind, key string, by record.Stamp) error {
	return s.amend(ctx, fieldThingOf(kind, key), key, inForceNow{}, by, func(tx *Store) error { return tx.takeField(ctx, kind, key, by) })
}

func (s *Store) takeField(ctx context.Context, kind, key string, by record.Stamp) error {
	return s.noted(ctx, by, fieldEntry(kind, key), fieldAt(kind, key), func(tx *Store) error {
		err := tx.db.Model(&addedField{}).Where("kind = ? AND key = ?", kind, key).
			Updates(map[string]any{"removed_at": by.At, "removed_by": by.By, "removed_person": by.Person, "removed_via": by.Via}).Error
		if err != nil {
			return err
		}
		return tx.indexAnew(ctx)
	})
}

// Types returns the types of a kind, in their order.
func (s *Store) Types(ctx context.Context, kind string) ([]record.Type, error) {
	return all(s.db.WithContext(ctx).Where("kind = ?", kind).Order("position, key"), func(t kindType) record.Type {
		return record.Type{Kind: t.Kind, Key: t.Key, Label: t.Label, Companies: t.Companies}
	})
}

// SaveType adds a type after the others of its kind, or changes one in its place.
func (s *Store) SaveType(ctx context.Context, t record.Type, by record.Stamp) error {
	row := kindType{Kind: t.Kind, Key: t.Key, Label: t.Label, Companies: append([]string{}, t.Companies...), Changed: by}
	return s.noted(ctx, by, typeEntry(t.Kind, t.Key), typeAt(t.Kind, t.Key), func(tx *Store) error {
		if err := tx.db.Raw("SELECT COUNT(*) FROM types WHERE kind = ?", t.Kind).Scan(&row.Position).Error; err != nil {
			return err
		}
		return tx.db.Clauses(clause.OnConflict{Columns: []clause.Column{{Name: "kind"}, {Name: "key"}}, DoUpdates: clause.AssignmentColumns([]string{"label", "companies", "changed_at", "changed_by", "changed_person", "changed_via"})}).Create(&row).Error
	})
}

// DeleteType removes a type.
func (s *Store) DeleteType(ctx context.Context, kind, key string, by record.Stamp) error {
	return s.noted(ctx, by, typeEntry(kind, key), typeAt(kind, key), func(tx *Store) error {
		return tx.db.Delete(&kindType{}, "kind = ? AND key = ?", kind, key).Error
	})
}

func typeAt(kind, key string) place { return at("types", "kind = ? AND key = ?", kind, key) }

func typeEntry(kind, key string) TrailEntry {
	return TrailEntry{Kind: "type", Key: kind + "/" + key}
}
