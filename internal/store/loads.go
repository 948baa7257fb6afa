package store

import (
	"context"
	"errors"
	"io"

	"gorm.io/gorm"
	"gorm.io/gorm/clause"

	"codicil/core/record"
)

// Load is a file of records that was brought to be loaded.
type Load struct {
	ID      int64 `gorm:"primaryKey;autoIncrement"`
	Kind    string
	Name    string       // of the file
	About   string       // what was found out about the file, as JSON
	Setup   string       // how it is loaded, as JSON
	Brought record.Stamp `gorm:"embedded;embeddedPrefix:brought_"`
}

type loadFile struct {
	Load  int64 `gorm:"primaryKey;autoIncrement:false"`
	Place int   `gorm:"primaryKey;autoIncrement:false"`
	Piece []byte
}

// LoadSetup is a set-up that is used again.
type LoadSetup struct {
	Kind, Name string
	Setup      string // as JSON
}

// pieceSize is how much of a file is held in memory and kept in one row, in bytes.
const pieceSize = 1 << 20

// AddLoad keeps a file, as it is read, piece by piece, so that others write meanwhile. Of the loads that are there
// only the newest keep stay. The caller sets what is found out about it with SaveLoad. The error of reading is
// returned as it is, and nothing is kept.
func (s *Store) AddLoad(ctx context.Context, l Load, file io.Reader, keep int) (Load, error) {
	err := s.Transaction(ctx, func(tx *Store) error {
		if err := tx.db.Create(&l).Error; err != nil {
			return err
		}
		return tx.db.Exec("DELETE FROM loads WHERE id NOT IN (SELECT id FROM loads ORDER BY id DESC LIMIT ?)", keep).Error
	})
	if err != nil {
		return l, err
	}
	piece := make([]byte, pieceSize)
	for place := 0; ; place++ {
		n, err := io.ReadFull(file, piece)
		if n > 0 {
			row := loadFile{l.ID, place, pack(piece[:n])}
			if kept := s.Transaction(ctx, func(tx *Store) error { return tx.db.Create(&row).Error }); kept != nil {
				return l, kept
			}
		}
		if errors.Is(err, io.EOF) || errors.Is(err, io.ErrUnexpectedEOF) {
			return l, nil
		}
		if err != nil {
			return l, errors.Join(err, s.DeleteLoad(context.WithoutCancel(ctx), l.ID))
		}
	}
}

// SaveLoad keeps what is known of a load, and its set-up under its name where it has one.
func (s *Store) SaveLoad(ctx context.Context, l Load, named string) error {
	return s.Transaction(ctx, func(tx *Store) error {
		if named != "" {
			row := LoadSetup{l.Kind, named, l.Setup}
			if err := tx.db.Clauses(clause.OnConflict{UpdateAll: true}).Create(&row).Error; err != nil {
				return err
			}
		}
		return tx.db.Save(&l).Error
	})
}

// Load returns a load. The error is ErrNotFound when there is none.
func (s *Store) Load(ctx context.Context, id int64) (l Load, err error) {
	err = s.db.WithContext(ctx).First(&l, id).Error
	return l, found(err, "load", id)
}

// Loads returns the newest loads.
func (s *Store) Loads(ctx context.Context, most int) (loads []Load, err error) {
	err = s.db.WithContext(ctx).Order("id DESC").Limit(most).Find(&loads).Error
	return loads, err
}

// DeleteLoad removes a load with its file.
func (s *Store) DeleteLoad(ctx context.Context, id int64) error {
	return s.write(ctx, func(db *gorm.DB) *gorm.DB { return db.Delete(&Load{ID: id}) })
}

// LoadSetups returns the named set-ups of a kind.
func (s *Store) LoadSetups(ctx context.Context, kind string) (setups []LoadSetup, err error) {
	err = s.db.WithContext(ctx).Where("kind = ?", kind).Order("name").Find(&setups).Error
	return setups, err
}

// DeleteLoadSetup removes a named set-up of a kind. The error is ErrNotFound when there is none.
func (s *Store) DeleteLoadSetup(ctx context.Context, kind, name string, by record.Stamp) error {
	return s.Transaction(ctx, func(tx *Store) error {
		result := tx.db.Where("kind = ? AND name = ?", kind, name).Delete(&LoadSetup{})
		if result.Error == nil && result.RowsAffected == 0 {
			return &NotFoundError{"set-up", name}
		}
		return errors.Join(result.Error, tx.Note(ctx, by, TrailEntry{What: "removed", Kind: "load set-up", Key: name, Note: kind}))
	})
}

// OpenLoad reads the file of a load from its start, a piece in memory.
func (s *Store) OpenLoad(ctx context.Context, id int64) io.ReadCloser {
	return &loadReader{store: s, ctx: ctx, load: id}
}

type loadReader struct {
	store *Store
	ctx   context.Context //nolint:containedctx // that of who reads
	load  int64
	place int
	text  []byte
}

// Read reads on.
func (r *loadReader) Read(p []byte) (int, error) {
	for len(r.text) == 0 {
		var row loadFile
		err := r.store.db.WithContext(r.ctx).First(&row, "load = ? AND place = ?", r.load, r.place).Error
		if errors.Is(err, gorm.ErrRecordNotFound) {
			return 0, io.EOF
		}
		if err != nil {
			return 0, err
		}
		if r.text, err = unpack(row.Piece); err != nil {
			return 0, err
		}
		r.place++
	}
	n := copy(p, r.text)
	r.text = r.text[n:]
	return n, nil
}

// Close ends reading.
func (r *loadReader) Close() error { return nil }
