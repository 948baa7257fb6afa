package store

import (
	"context"
	"encoding/json"
	"fmt"
	"slices"

	"gorm.io/gorm"

	"codicil/core/field"
	"codicil/core/record"
)

// Blanking says whose values are blanked: those that the personal fields of a record hold or held.
type Blanking struct {
	At    record.Ref
	Kinds []record.Kind
	// Apply does it; otherwise it is only told what would be done.
	Apply bool
	Why   string
}

// Blanked is what was blanked, and what stays.
type Blanked struct {
	Company string // of the record
	// Fields are the keys of the fields that hold or held values, and Versions how many versions did, with those of records that
	// named the person once, or took values over in a merge that was taken back.
	Fields   []string
	Versions int
	// Records are others, not posted, that held the same values in fields that are personal.
	Records []record.Ref
	// Posted are documents that name the record and stay as they are, with what they hold: posting binds them.
	Posted []record.Ref
	// Elsewhere are records that hold them in fields which are not said to be personal.
	Elsewhere []record.Ref
	// Of these three the first are named, and all are counted.
	RecordsCount, PostedCount, ElsewhereCount int
	// Proofs and Practice are those that held them.
	Proofs   []int64
	Practice []string
	// Results is how many results of runs held them. Exports and Loads are how many files go because they may.
	Results, Exports, Loads int
}

// telling are the types of fields whose values say by themselves who somebody is.
var telling = []field.Name{field.Email, field.Telephone, field.BankAccount, field.TaxNumber, field.WebAddress}

// leastTelling is how many letters a value has at least that is looked for within texts.
const leastTelling = 4

// blanking is one under way.
type blanking struct {
	Blanking
	tx    *Store
	clean *scrubber
	by    record.Stamp
	found Blanked
}

// Blank blanks the values of a person for good: in all versions of the record and of those that were merged into it, in what is
// searched, in other records that are not posted and what those were, in proofs and their versions, in the practice ledger, and in results and files
// of runs and loads. It is one transaction where it is applied. Cost: the versions of the record, the records that name it, and all proofs, postings
// of the practice ledger and results of runs once, a page of them in memory.
func (s *Store) Blank(ctx context.Context, b Blanking, by record.Stamp) (Blanked, error) {
	work := &blanking{Blanking: b, tx: s, by: by, found: Blanked{Fields: []string{}}}
	if !b.Apply {
		err := work.do(ctx)
		return work.found, err
	}
	err := s.Transaction(ctx, func(tx *Store) error {
		work.tx = tx
		// What is removed is overwritten, too.
		if err := tx.db.WithContext(ctx).Exec(overwriteRemoved).Error; err != nil {
			return err
		}
		return work.do(ctx)
	})
	s.shared.held.Clear() // names that stand no longer are held until it is made anew
	return work.found, err
}

func (b *blanking) do(ctx context.Context) error {
	steps := []func(context.Context) error{b.collect, b.others, b.formerly, b.proofs, b.practice, b.results, b.files}
	if b.Apply {
		steps = append(steps, b.own, b.note)
	}
	for _, step := range steps {
		if err := step(ctx); err != nil {
			return err
		}
	}
	return nil
}

func (b *blanking) kind(key string) *record.Kind {
	if i := slices.IndexFunc(b.Kinds, func(k record.Kind) bool { return k.Key == key }); i >= 0 {
		return &b.Kinds[i]
	}
	return nil
}

// collect finds the values that the record holds or held, in all its versions.
func (b *blanking) collect(ctx context.Context) error {
	kind := b.kind(b.At.Kind)
	former, err := b.tx.FormerOf(ctx, b.At)
	if err != nil {
		return err
	}
	c := &scrubber{personal: map[string]bool{}, values: map[string]bool{}, numbers: append([]string{b.At.Number}, former...)}
	b.clean = c
	for i := range b.Kinds {
		for _, f := range b.Kinds[i].Fields {
			if f.Personal {
				c.personal[f.Column()] = true
			}
		}
	}
	last, err := b.tx.Record(ctx, b.At.Kind, b.At.Number)
	if err == nil {
		b.found.Company = last.Company
	} else if b.found.Company, err = b.tx.CompanyOfDeleted(ctx, b.At); err != nil {
		return err
	}
	says := map[string]bool{}
	take := func(f *field.Field, value string) bool {
		if !f.Personal || value == "" {
			return false
		}
		c.values[value] = true
		if len([]rune(value)) >= leastTelling && (slices.Contains(telling, f.Type) || slices.Contains(kind.Title, f.Key)) {
			says[value] = true
		}
		if !slices.Contains(b.found.Fields, f.Key) {
			b.found.Fields = append(b.found.Fields, f.Key)
		}
		return true
	}
	for _, number := range c.numbers {
		if err := b.versions(ctx, record.Ref{Kind: b.At.Kind, Number: number}, func(v *recordVersion) error {
			held := false
			for i := range kind.Fields {
				f := &kind.Fields[i]
				if v.Content != nil {
					held = take(f, v.Content.Get(f, 0)) || held
					for _, l := range v.Content.Lines {
						held = (f.OfLine() && take(f, l.Values[f.Column()])) || held
					}
				}
				if v.Judged == nil {
					continue
				}
				entered := v.Judged.Document.Entered[f.Key]
				held = take(f, entered.Value) || held
				for _, l := range v.Judged.Document.Lines {
					held = (f.OfLine() && take(f, l.Entered[f.Column()].Value)) || held
				}
			}
			if held {
				b.found.Versions++
			}
			return nil
		}); err != nil {
			return err
		}
	}
	slices.Sort(b.found.Fields)
	for value := range says {
		c.telling = append(c.telling, value)
	}
	slices.Sort(c.telling)
	return nil
}

// versions goes through those of a record, one in memory.
func (b *blanking) versions(ctx context.Context, at record.Ref, do func(*recordVersion) error) error {
	for after := 0; ; {
		var rows []recordVersion
		err := b.tx.db.WithContext(ctx).Where("kind = ? AND number = ? AND version > ?", at.Kind, at.Number, after).Order("version").Limit(1).Find(&rows).Error
		if err != nil || len(rows) == 0 {
			return err
		}
		if err := do(&rows[0]); err != nil {
			return err
		}
		after = rows[0].Version
	}
}

// scrubVersions takes the values out of the versions of a record.
func (b *blanking) scrubVersions(ctx context.Context, at record.Ref) error {
	// What a second person keyed of it goes as a whole: it was for comparison only, and is keyed again.
	second := b.tx.db.WithContext(ctx).Model(&BatchDocument{}).Where("kind = ? AND number = ?", at.Kind, at.Number)
	if err := second.Update("second", nil).Error; err != nil {
		return err
	}
	type kept struct {
		Version         int
		Content, Judged []byte
	}
	for after := 0; ; {
		var rows []kept
		err := b.tx.db.WithContext(ctx).Raw("SELECT version, content, judged FROM record_versions WHERE kind = ? AND number = ? AND version > ? ORDER BY version LIMIT 1", at.Kind, at.Number, after).Scan(&rows).Error
		if err != nil || len(rows) == 0 {
			return err
		}
		r := rows[0]
		after = r.Version
		content, one, err := b.scrubPacked(r.Content)
		if err != nil {
			return err
		}
		judged, two, err := b.scrubPacked(r.Judged)
		if err != nil {
			return err
		}
		if !one && !two {
			continue
		}
		err = b.tx.db.WithContext(ctx).Exec("UPDATE record_versions SET content = ?, judged = ? WHERE kind = ? AND number = ? AND version = ?", content, judged, at.Kind, at.Number, r.Version).Error
		if err != nil {
			return err
		}
	}
}

func (b *blanking) scrubPacked(column []byte) ([]byte, bool, error) {
	if column == nil {
		return nil, false, nil
	}
	text, err := unpack(column)
	if err != nil {
		return nil, false, err
	}
	clean, changed, err := b.clean.scrub(text)
	if err != nil || !changed {
		return column, false, err
	}
	return pack(clean), true, nil
}

// othersAtOnce is how many records are read at once.
const othersAtOnce = 100

// others are the records that name the person's.
func (b *blanking) others(ctx context.Context) error {
	for after := (record.Ref{}); ; {
		page, err := b.tx.RecordsNaming(ctx, NamedBy{Records: []record.Ref{b.At}, After: after, Limit: othersAtOnce})
		if err != nil {
			return err
		}
		for i := range page {
			if err := b.other(ctx, &page[i]); err != nil {
				return err
			}
		}
		if len(page) < othersAtOnce {
			return nil
		}
		after = page[len(page)-1].Ref
	}
}

// mostListed is how many records are named of those that are found.
const mostListed = 1_000

func listed(refs *[]record.Ref, count *int, at record.Ref) {
	if *count++; *count <= mostListed {
		*refs = append(*refs, at)
	}
}

func (b *blanking) other(ctx context.Context, r *record.Record) error {
	kind := b.kind(r.Kind)
	next, marked, unmarked := r.Content.Clone(), false, false
	each := func(f *field.Field, line int) {
		value := next.Get(f, line)
		switch {
		case f.Personal && b.clean.values[value]:
			marked = true
			next.Set(f, line, "", record.Unknown)
		case value != "" && b.clean.says(value):
			unmarked = true
		}
	}
	for i := range kind.Fields {
		if f := &kind.Fields[i]; !f.OfLine() {
			each(f, 0)
		} else {
			for _, l := range r.Lines {
				each(f, l.Number)
			}
		}
	}
	switch {
	case r.State != record.Kept: // its posting tells of whom it is, if nothing else does
		listed(&b.found.Posted, &b.found.PostedCount, r.Ref)
		return nil
	case unmarked:
		listed(&b.found.Elsewhere, &b.found.ElsewhereCount, r.Ref)
	}
	if b.Apply && r.State == record.Kept { // live values are taken anew
		if err := b.tx.MarkLate(ctx, r.Kind, []string{r.Number}); err != nil {
			return err
		}
	}
	if !marked {
		return nil
	}
	listed(&b.found.Records, &b.found.RecordsCount, r.Ref)
	if !b.Apply {
		return nil
	}
	changed := *r
	changed.Content, changed.Late = next, true
	if _, err := b.tx.ChangeRecord(ctx, changed, "blanked", nil, b.by); err != nil {
		return err
	}
	return b.scrubVersions(ctx, r.Ref)
}

// own blanks the record itself.
func (b *blanking) own(ctx context.Context) error {
	r, err := b.tx.Record(ctx, b.At.Kind, b.At.Number)
	if err == nil {
		kind, next := b.kind(r.Kind), r.Content.Clone()
		for i := range kind.Fields {
			f := &kind.Fields[i]
			if !f.Personal {
				continue
			}
			if !f.OfLine() {
				next.Set(f, 0, "", record.Unknown)
			}
			for _, l := range r.Lines {
				if f.OfLine() {
					next.Set(f, l.Number, "", record.Unknown)
				}
			}
		}
		r.Content = next
		if _, err := b.tx.ChangeRecord(ctx, r, "blanked", nil, b.by); err != nil {
			return err
		}
	}
	for _, number := range b.clean.numbers {
		if err := b.scrubVersions(ctx, record.Ref{Kind: b.At.Kind, Number: number}); err != nil {
			return err
		}
	}
	if err := b.tx.settle(ctx); err != nil {
		return err
	}
	return b.tx.db.WithContext(ctx).Exec(forgetWords).Error
}

// note says in the trail that it was done, and why; what was blanked stands nowhere.
func (b *blanking) note(ctx context.Context) error {
	return b.tx.Note(ctx, b.by, TrailEntry{What: "values blanked", Kind: b.At.Kind, Key: b.At.Number, Company: b.found.Company, Note: b.Why})
}

// proofs are those whose documents name the person, and what they were.
func (b *blanking) proofs(ctx context.Context) error {
	type kept struct {
		ID            int64
		Version       int
		Name          string
		Given, Expect string
	}
	held := map[int64]bool{}
	for _, table := range []struct{ name, id string }{{"proofs", "id"}, {"proof_versions", "proof_id"}} {
		for id, version := int64(0), 0; ; {
			var rows []kept
			err := b.tx.db.WithContext(ctx).Raw("SELECT "+table.id+" AS id, version, name, given, expect FROM "+table.name+" WHERE ("+table.id+", version) > (?, ?) ORDER BY 1, 2 LIMIT ?", id, version, othersAtOnce).Scan(&rows).Error
			if err != nil {
				return err
			}
			for _, r := range rows {
				id, version = r.ID, r.Version
				if !b.clean.names([]byte(r.Given)) && !b.clean.names([]byte(r.Expect)) && !b.clean.says(r.Name) {
					continue
				}
				given, one, err := b.clean.scrub([]byte(r.Given))
				if err != nil {
					return err
				}
				expect, two, err := b.clean.scrub([]byte(r.Expect))
				if err != nil {
					return err
				}
				named := b.clean.says(r.Name)
				if named {
					r.Name = fmt.Sprintf("Proof %d", r.ID)
				}
				if !one && !two && !named {
					continue
				}
				held[r.ID] = true
				if b.Apply {
					err := b.tx.db.WithContext(ctx).Exec("UPDATE "+table.name+" SET name = ?, given = ?, expect = ? WHERE "+table.id+" = ? AND version = ?", r.Name, string(given), string(expect), r.ID, r.Version).Error
					if err != nil {
						return err
					}
				}
			}
			if len(rows) < othersAtOnce {
				break
			}
		}
	}
	for id := range held {
		b.found.Proofs = append(b.found.Proofs, id)
	}
	slices.Sort(b.found.Proofs)
	return nil
}

// practice are the postings of the practice ledger that hold the values.
func (b *blanking) practice(ctx context.Context) error {
	type kept struct {
		Sequence                  int64
		Number, Title             string
		Document, Judged, Outcome []byte
	}
	for after := int64(-1); ; {
		var rows []kept
		err := b.tx.db.WithContext(ctx).Raw("SELECT sequence, number, title, document, judged, outcome FROM postings WHERE ledger = 'practice' AND sequence > ? ORDER BY sequence LIMIT ?", after, othersAtOnce).Scan(&rows).Error
		if err != nil {
			return err
		}
		for _, r := range rows {
			after = r.Sequence
			changed := b.clean.says(r.Title)
			if changed {
				r.Title = ""
			}
			about := changed
			for _, column := range []*[]byte{&r.Document, &r.Judged, &r.Outcome} {
				text, err := unpack(*column)
				if err != nil {
					return err
				}
				about = about || b.clean.names(text)
			}
			if !about {
				continue
			}
			for _, column := range []*[]byte{&r.Document, &r.Judged, &r.Outcome} {
				clean, was, err := b.scrubPacked(*column)
				if err != nil {
					return err
				}
				*column, changed = clean, changed || was
			}
			if !changed {
				continue
			}
			b.found.Practice = append(b.found.Practice, r.Number)
			if !b.Apply {
				continue
			}
			db := b.tx.db.WithContext(ctx)
			if err := db.Exec("UPDATE postings SET title = ?, document = ?, judged = ?, outcome = ? WHERE ledger = 'practice' AND sequence = ?", r.Title, r.Document, r.Judged, r.Outcome, r.Sequence).Error; err != nil {
				return err
			}
			for _, value := range b.clean.telling {
				if err := db.Exec("UPDATE journal SET text = '' WHERE ledger = 'practice' AND sequence = ? AND instr(text, ?) > 0", r.Sequence, value).Error; err != nil {
					return err
				}
			}
		}
		if len(rows) < othersAtOnce {
			return nil
		}
	}
}

// results are what runs found about the person.
func (b *blanking) results(ctx context.Context) error {
	last := runResult{}
	for {
		var rows []runResult
		err := b.tx.db.WithContext(ctx).Where("(run, rank, place) > (?, ?, ?)", last.Run, last.Rank, last.Place).Order("run, rank, place").Limit(othersAtOnce).Find(&rows).Error
		if err != nil {
			return err
		}
		for _, r := range rows {
			last = r
			text, err := unpack(r.Result)
			if err != nil {
				return err
			}
			if !b.clean.names(text) {
				continue
			}
			clean, changed, err := b.clean.scrub(text)
			if err != nil {
				return err
			}
			if !changed {
				continue
			}
			b.found.Results++
			if b.Apply {
				if err := b.tx.db.WithContext(ctx).Exec("UPDATE run_results SET result = ? WHERE run = ? AND rank = ? AND place = ?", pack(clean), r.Run, r.Rank, r.Place).Error; err != nil {
					return err
				}
			}
		}
		if len(rows) < othersAtOnce {
			return b.subjects(ctx)
		}
	}
}

// subjects are what runs are about, in which somebody may have looked for the person.
func (b *blanking) subjects(ctx context.Context) error {
	var rows []struct {
		ID             int64
		Title, Subject string
	}
	if err := b.tx.db.WithContext(ctx).Raw("SELECT id, title, subject FROM runs").Scan(&rows).Error; err != nil || !b.Apply {
		return err
	}
	for _, r := range rows {
		if !b.clean.says(r.Title) && !b.clean.tells([]byte(r.Subject)) {
			continue
		}
		subject := []byte(r.Subject)
		if json.Valid(subject) {
			clean, _, err := b.clean.scrub(subject)
			if err != nil {
				return err
			}
			subject = clean
		}
		if b.clean.says(r.Title) {
			r.Title = ""
		}
		if err := b.tx.db.WithContext(ctx).Exec("UPDATE runs SET title = ?, subject = ? WHERE id = ?", r.Title, string(subject), r.ID).Error; err != nil {
			return err
		}
	}
	return nil
}

// files are those that were taken out or brought, of which nobody can tell whom they hold; and what scans compared.
func (b *blanking) files(ctx context.Context) error {
	db := func() *gorm.DB { return b.tx.db.WithContext(ctx) }
	if err := db().Raw("SELECT COUNT(DISTINCT run) FROM run_files").Scan(&b.found.Exports).Error; err != nil {
		return err
	}
	if err := db().Raw("SELECT COUNT(*) FROM loads WHERE kind = ?", b.At.Kind).Scan(&b.found.Loads).Error; err != nil || !b.Apply {
		return err
	}
	if err := db().Exec("DELETE FROM run_files").Error; err != nil {
		return err
	}
	if err := db().Exec("DELETE FROM loads WHERE kind = ?", b.At.Kind).Error; err != nil {
		return err
	}
	return db().Exec("DELETE FROM scanned_keys WHERE number IN ?", b.clean.numbers).Error
}
