package store

import (
	"bytes"
	"context"
	"crypto/sha256"
	"encoding/binary"
	"encoding/hex"
	"encoding/json"
	"errors"
	"fmt"
	"strings"

	"gorm.io/gorm"

	"codicil/core/record"
	"codicil/internal/actor"
)

// TrailEntry says that something happened. Entries are chained: each carries the hash of the one before it, so that none can
// be changed, removed or put between others without that being seen.
type TrailEntry struct {
	ID int64 // from 1, without gaps
	// At, Person, By and Via are when it was, and who did it and from where.
	At, Person, By, Via string
	// Address is that of their machine, and Session the session or key; "": none.
	Address, Session string
	What             string // "saved", "signed in", …
	// Kind and Key name the thing: a kind of record with its number, or "rule", "person" and so on with its key.
	Kind, Key string
	Company   string // "": not of one
	Note      string
	Count     int // how often, where entries are summed; else 1
	// Before and After are hashes of the versions before and after; nil: there is none.
	Before, After []byte
	Chain         []byte
}

// TableName is that of the table.
func (TrailEntry) TableName() string { return "trail" }

// HashOf is the hash of a version of something, as the trail tells it.
func HashOf(content []byte) []byte {
	if content == nil {
		return nil
	}
	sum := sha256.Sum256(content)
	return sum[:]
}

// chained is the hash of an entry after one with the hash before.
func (e *TrailEntry) chained(before []byte) []byte {
	var b bytes.Buffer
	put := func(part []byte) {
		_ = binary.Write(&b, binary.BigEndian, int64(len(part))) // into memory: it cannot fail
		b.Write(part)
	}
	put(before)
	for _, text := range []string{fmt.Sprint(e.ID), e.At, e.Person, e.By, e.Via, e.Address, e.Session, e.What, e.Kind, e.Key, e.Company, e.Note, fmt.Sprint(e.Count)} {
		put([]byte(text))
	}
	put(e.Before)
	put(e.After)
	return HashOf(b.Bytes())
}

// Note adds an entry to the trail, in the transaction of what it tells of. Who did it is in by, and from where in the context.
func (s *Store) Note(ctx context.Context, by record.Stamp, e TrailEntry) error {
	who := actor.Of(ctx)
	e.At, e.Person, e.By, e.Via, e.Address, e.Session = by.At, by.Person, by.By, by.Via, who.Address, who.Session
	e.Count = max(e.Count, 1)
	if !s.within {
		return s.Transaction(ctx, func(tx *Store) error { return tx.Note(ctx, by, e) })
	}
	s.later.trail = append(s.later.trail, e)
	if len(s.later.trail) >= mostLater {
		return s.settle(ctx)
	}
	return nil
}

// place is where a row of a table is.
type place struct {
	table, where string
	values       []any
}

func at(table, where string, values ...any) place { return place{table, where, values} }

// hash is that of what stands at a place; nil where nothing does. Secrets are never hashed: a hash of few letters can be guessed.
func (s *Store) hash(ctx context.Context, p place) ([]byte, error) {
	rows := []map[string]any{}
	if err := s.db.WithContext(ctx).Table(p.table).Where(p.where, p.values...).Find(&rows).Error; err != nil || len(rows) == 0 {
		return nil, err
	}
	text, err := json.Marshal(rows)
	return HashOf(text), err
}

// noted changes what stands at a place and notes that in the trail, in one transaction. Where nothing is other than before,
// nothing is noted.
func (s *Store) noted(ctx context.Context, by record.Stamp, e TrailEntry, p place, work func(tx *Store) error) error {
	return s.Transaction(ctx, func(tx *Store) (err error) {
		if e.Before, err = tx.hash(ctx, p); err != nil {
			return err
		}
		if err := work(tx); err != nil {
			return err
		}
		if e.After, err = tx.hash(ctx, p); err != nil {
			return err
		}
		if e.Before == nil && e.After == nil {
			return nil
		}
		if e.What == "" {
			switch {
			case e.Before == nil:
				e.What = "added"
			case e.After == nil:
				e.What = "removed"
			default:
				e.What = "changed"
			}
		}
		return tx.Note(ctx, by, e)
	})
}

// writeTrail chains entries to those before and writes them.
func (s *Store) writeTrail(ctx context.Context, entries []TrailEntry) error {
	head, err := s.TrailHead(ctx)
	if err != nil {
		return err
	}
	for i := range entries {
		e := &entries[i]
		head.Last++
		e.ID = head.Last
		e.Chain = e.chained(head.Chain)
		head.Chain = e.Chain
	}
	values := make([]any, 0, 16*len(entries))
	for i := range entries {
		e := &entries[i]
		values = append(values, e.ID, e.At, e.Person, e.By, e.Via, e.Address, e.Session, e.What, e.Kind, e.Key, e.Company, e.Note, e.Count, e.Before, e.After, e.Chain)
	}
	if err := s.insert("INSERT INTO trail (id, at, person, by, via, address, session, what, kind, key, company, note, count, before, after, chain) VALUES ", 16, values); err != nil {
		return err
	}
	return s.db.WithContext(ctx).Exec("UPDATE trail_head SET last = ?, chain = ? WHERE id = 1", head.Last, head.Chain).Error
}

// TrailHead is the last entry of the trail.
type TrailHead struct {
	Last  int64
	Chain []byte
}

// String is the head as it is kept outside of the data.
func (h TrailHead) String() string { return fmt.Sprintf("%d %s", h.Last, hex.EncodeToString(h.Chain)) }

// TableName is that of the table.
func (TrailHead) TableName() string { return "trail_head" }

// TrailHead returns it.
func (s *Store) TrailHead(ctx context.Context) (h TrailHead, err error) {
	return h, s.db.WithContext(ctx).Where("id = 1").Take(&h).Error
}

// TrailQuery says which entries are wanted.
type TrailQuery struct {
	// After is the ID before which they are wanted, the newest first; 0: from the newest.
	After int64
	Limit int
	// Person, What, Kind and Key keep those that are equal; From and To keep those of instants from and before; Words keeps
	// those in whose texts it is. "" keeps all.
	Person, What, Kind, Key, From, To, Words string
	// Companies keeps those of some companies and of none; nil: of all.
	Companies []string
}

// Trail returns entries, the newest first. Cost: by an index, as far as the rest keeps what it meets; it ends when nobody waits.
func (s *Store) Trail(ctx context.Context, q TrailQuery) (entries []TrailEntry, err error) {
	db := s.db.WithContext(ctx).Order("id DESC").Limit(q.Limit)
	if q.After > 0 {
		db = db.Where("id < ?", q.After)
	}
	for column, value := range map[string]string{"person": q.Person, "what": q.What, "kind": q.Kind, "key": q.Key} {
		if value != "" {
			db = db.Where(column+" = ?", value)
		}
	}
	if q.From != "" {
		db = db.Where("at >= ?", q.From)
	}
	if q.To != "" {
		db = db.Where("at < ?", q.To)
	}
	if q.Words != "" {
		like := "%" + strings.NewReplacer(`\`, `\\`, "%", `\%`, "_", `\_`).Replace(q.Words) + "%"
		db = db.Where(`(key LIKE ? ESCAPE '\' OR note LIKE ? ESCAPE '\' OR by LIKE ? ESCAPE '\' OR what LIKE ? ESCAPE '\')`, like, like, like, like)
	}
	if q.Companies != nil {
		db = db.Where("company = '' OR company IN ?", q.Companies)
	}
	return entries, db.Find(&entries).Error
}

// TrailBrokenError says where the trail is not as it was written.
type TrailBrokenError struct {
	ID  int64 // of the first entry that does not fit
	Why string
}

// Error says it.
func (e *TrailBrokenError) Error() string {
	return fmt.Sprintf("entry %d of the trail: %s", e.ID, e.Why)
}

// trailPage is how many entries are read at once.
const trailPage = 1_000

// VerifyTrail looks at every entry: heads are those that were kept outside, by the ID of their entry; told is called now and
// then with how far it is, and may be nil. What others write meanwhile is looked at too. The error is a TrailBrokenError for the
// first entry that does not fit, or that of told. Cost: the whole trail once, a page of it in memory.
func (s *Store) VerifyTrail(ctx context.Context, heads map[int64][]byte, told func(TrailHead) error) (head TrailHead, err error) {
	inside := trailEnd{More: true}
	for inside.More {
		var page []TrailEntry
		if err := s.db.WithContext(ctx).Where("id > ?", head.Last).Order("id").Limit(trailPage).Find(&page).Error; err != nil {
			return head, err
		}
		for i := range page {
			e := &page[i]
			switch kept, known := heads[e.ID]; {
			case e.ID != head.Last+1:
				return head, &TrailBrokenError{head.Last + 1, "it is missing"}
			case !bytes.Equal(e.chained(head.Chain), e.Chain):
				return head, &TrailBrokenError{e.ID, "it was changed, or the one before it"}
			case known && !bytes.Equal(kept, e.Chain):
				return head, &TrailBrokenError{e.ID, "it is another than the one that was kept outside: the trail was written anew from here or before"}
			}
			head = TrailHead{e.ID, e.Chain}
		}
		if told != nil {
			if err := told(head); err != nil {
				return head, err
			}
		}
		if inside, err = s.trailEnd(ctx, head.Last); err != nil {
			return head, err
		}
	}
	for id := range heads {
		if id > head.Last {
			return head, &TrailBrokenError{head.Last + 1, fmt.Sprintf("it is missing, as are those after it: a head that was kept outside tells of entry %d", id)}
		}
	}
	if inside.Last != head.Last || !bytes.Equal(inside.Chain, head.Chain) {
		return head, &TrailBrokenError{min(head.Last, inside.Last) + 1, fmt.Sprintf("the file tells that the last entry is %d, and it is %d", inside.Last, head.Last)}
	}
	return head, nil
}

// trailEnd is the head of the trail, and whether there are entries after one, both at one moment.
type trailEnd struct {
	TrailHead
	More bool
}

func (s *Store) trailEnd(ctx context.Context, after int64) (end trailEnd, err error) {
	found := s.db.WithContext(ctx).Raw("SELECT last, chain, EXISTS (SELECT 1 FROM trail WHERE id > ?) AS more FROM trail_head WHERE id = 1", after).Scan(&end)
	if found.Error == nil && found.RowsAffected == 0 {
		return end, gorm.ErrRecordNotFound
	}
	return end, found.Error
}

// IsTrailBroken tells whether an error says where the trail is broken.
func IsTrailBroken(err error) (broken *TrailBrokenError, is bool) {
	return broken, errors.As(err, &broken)
}

// ParseTrailHead reads a head as String writes it.
func ParseTrailHead(text string) (h TrailHead, err error) {
	var chain string
	if _, err := fmt.Sscanf(text, "%d %s", &h.Last, &chain); err != nil {
		return h, fmt.Errorf("%q is not the head of a trail", text)
	}
	h.Chain, err = hex.DecodeString(chain)
	return h, err
}

// TrailSince returns entries after one, the oldest first. Cost: by the key, as many as are wanted.
func (s *Store) TrailSince(ctx context.Context, after int64, limit int) (entries []TrailEntry, err error) {
	return entries, s.db.WithContext(ctx).Where("id > ?", after).Order("id").Limit(limit).Find(&entries).Error
}

// EntryOf returns the number of the last entry of the trail about a thing with a note, and the hash of it and of all entries
// before it; 0 where there is none.
func (s *Store) EntryOf(ctx context.Context, kind, key, note string) (id int64, chain []byte, err error) {
	var rows []struct {
		ID    int64
		Chain []byte
	}
	err = s.db.WithContext(ctx).Table("trail").Select("id", "chain").Where("kind = ? AND key = ? AND note = ?", kind, key, note).Order("id DESC").Limit(1).Find(&rows).Error
	if err != nil || len(rows) == 0 {
		return 0, nil, err
	}
	return rows[0].ID, rows[0].Chain, nil
}
