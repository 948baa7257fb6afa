// Package store keeps everything in one SQLite file, through GORM.
//
// It must never know what rules do or how anything is shown; it reads and writes
// rows. Start reading at Open; the tables are in migrations.
package store

import (
	"context"
	"embed"
	"errors"
	"fmt"
	"io/fs"
	"os"

	"github.com/pressly/goose/v3"
	"gorm.io/gorm"
	"gorm.io/gorm/logger"

	"codicil/core/record"
	"codicil/internal/fault"
)

//go:embed migrations/*.sql
var migrations embed.FS

// ErrNotFound reports that there is no such row; the error itself is a NotFoundError.
var ErrNotFound = errors.New("not found")

// NotFoundError names what is not there.
type NotFoundError struct {
	What string // "rule", or a kind of record
	Key  string
}

// Error says what is not there.
func (e *NotFoundError) Error() string { return e.What + " " + e.Key + ": not found" }

// Is makes it an ErrNotFound.
func (e *NotFoundError) Is(target error) bool { return target == ErrNotFound }

// ErrTaken reports that there is a row with the key already.
var ErrTaken = errors.New("taken")

// ErrStale reports that somebody changed a row since the caller read it.
var ErrStale = errors.New("changed meanwhile")

// Store is an open database. It may be used by several goroutines.
type Store struct {
	// db reads; within a transaction it is the transaction.
	db *gorm.DB
	// writer is the one connection that writes, with its statements at hand.
	writer *gorm.DB
	shared *shared
	// claims are the keys of which a judgement relies on it that no other record has them: see Claim.
	claims []Claim
	within bool // a transaction
	// touched are the records that were written in the transaction.
	touched map[record.Ref]bool
	// view is what is shown in place of what is in force; nil: what is in force.
	view *View
	// later is what the transaction writes at its end; nil: it is none.
	later *later
	// changed tells whether the transaction changes by what records are found; nil: it is none.
	changed *bool
}

// Open opens the database file, creating it where it is missing, and brings its
// tables up to date. "" opens a database in memory, for tests.
func Open(ctx context.Context, path string) (*Store, error) { return OpenOn(ctx, path, "") }

// OpenOn opens it on a file system that is registered with the driver under a name: one that takes the power away, for
// tests.
func OpenOn(ctx context.Context, path, system string) (*Store, error) {
	release := func() error { return nil }
	isNew := true
	if path != "" {
		var err error
		if isNew, err = look(path); err != nil {
			return nil, err
		}
		if release, err = claim(path); err != nil {
			return nil, explain(err)
		}
	}
	if path != "" && !isNew {
		if err := logged(path); err != nil {
			return nil, errors.Join(err, release())
		}
	}
	s, err := open(ctx, path, system, isNew, release)
	if err != nil {
		return nil, errors.Join(explain(err), release())
	}
	return s, nil
}

func open(ctx context.Context, path, system string, isNew bool, release func() error) (*Store, error) {
	if path != "" && isNew {
		if err := private(path); err != nil {
			return nil, err
		}
	}
	location := address(path, system)
	writers, err := connect(location+writes, 1)
	if err != nil {
		return nil, fmt.Errorf("open %s: %w", path, err)
	}
	readers, err := connect(location+readsOnly, mostReaders)
	if err != nil {
		return nil, errors.Join(fmt.Errorf("open %s: %w", path, err), writers.Close())
	}
	closing := func(err error) error { return errors.Join(err, readers.Close(), writers.Close()) }
	files, err := fs.Sub(migrations, "migrations")
	if err != nil {
		return nil, closing(err)
	}
	provider, err := goose.NewProvider(migrationDialect, writers, files)
	if err != nil {
		return nil, closing(fmt.Errorf("read the migrations: %w", err))
	}
	if !isNew {
		// Nothing is written to a file before it is known to be one of ours.
		if err := known(ctx, path, system, Schema()); err != nil {
			return nil, closing(err)
		}
		if err := private(path); err != nil {
			return nil, closing(err)
		}
		if _, err := copyBefore(ctx, writers, provider, path); err != nil {
			return nil, closing(err)
		}
	}
	if err := upgrade(ctx, provider, isNew); err != nil {
		return nil, closing(fmt.Errorf("bring %s up to date: %w", path, err))
	}
	w, err := newWriter(ctx, writers, path)
	if err != nil {
		return nil, closing(err)
	}
	//nolint:contextcheck // the file closes when whoever opened it is gone
	s := &Store{shared: &shared{path: path, commits: &w.commits, beside: newBeside(), close: func() error { return errors.Join(readers.Close(), w.Close(), release()) }}}
	s.LimitNames(DefaultHeldNames)
	if s.db, err = gorm.Open(dialect{readers}, options(true)); err == nil {
		s.writer, err = gorm.Open(dialect{w}, options(false))
	}
	if err != nil {
		return nil, errors.Join(fmt.Errorf("open %s: %w", path, err), s.Close())
	}
	err = s.Transaction(ctx, func(tx *Store) error {
		return errors.Join(tx.indexAnew(ctx), tx.uniqueAnew(ctx), tx.balanceAnew(ctx), tx.usesAnew(ctx), tx.codicilsAnew(ctx))
	})
	if err != nil {
		return nil, errors.Join(fmt.Errorf("bring what is kept in %s up to date: %w", path, err), s.Close())
	}
	return s, nil
}

// upgrade brings the tables up to date.
func upgrade(ctx context.Context, p *goose.Provider, isNew bool) error {
	from, err := p.GetDBVersion(ctx)
	if err != nil {
		return err
	}
	for {
		step, err := p.UpByOne(ctx)
		if errors.Is(err, goose.ErrNoNextVersion) {
			return nil
		}
		if err != nil {
			return err
		}
		if !isNew {
			tell(ctx, "the tables", int(step.Source.Version-from), int(Schema()-from))
		}
	}
}

// private makes the file one that only its owner reads and writes; what SQLite puts beside it
// gets the same permissions.
func private(path string) error {
	f, err := os.OpenFile(path, os.O_RDWR|os.O_CREATE, 0o600)
	if err != nil {
		return fmt.Errorf("open %s: %w", path, err)
	}
	if err := errors.Join(f.Chmod(0o600), f.Close()); err != nil {
		return fmt.Errorf("keep others from reading %s: %w", path, err)
	}
	return nil
}

// options are those of a database of GORM; prepared keeps its statements, where the connections do not.
func options(prepared bool) *gorm.Config {
	return &gorm.Config{
		PrepareStmt:        prepared,
		PrepareStmtMaxSize: mostStatements,
		TranslateError:     true,
		// An error of a part always fails the whole, so that parts need no savepoints.
		DisableNestedTransaction: true,
		// A statement by itself is all or nothing; what belongs together says so.
		SkipDefaultTransaction: true,
		// Errors are returned and told where they are met; writing out every statement for a
		// log that nobody reads took a tenth of a posting.
		Logger: logger.Discard,
	}
}

// Close closes the database.
func (s *Store) Close() error {
	s.shared.beside.close()
	return s.shared.close()
}

// Check looks at every page of the file; it reads the whole file once, and ends early where the context does. The error
// says what is damaged, and Damaged tells so from then on.
func (s *Store) Check(ctx context.Context) error {
	var found string
	err := s.db.WithContext(ctx).Raw(checkFile).Scan(&found).Error
	if err == nil && found != "ok" {
		err = fault.ByMachine(fault.Damaged, errors.New(found))
	}
	if fault.Is(err, fault.Damaged) {
		s.shared.damaged.Store(true)
	}
	return err
}

// Damaged tells whether Check has found something.
func (s *Store) Damaged() bool { return s.shared.damaged.Load() }

// Figures are numbers of the store, for those who watch it.
type Figures struct {
	Commits            int64 // since it was opened
	DataBytes, LogSize int64 // on the disk
}

// Figures returns them.
func (s *Store) Figures() Figures {
	f := Figures{Commits: s.shared.commits.Load()}
	if s.shared.path != "" {
		for name, size := range map[string]*int64{s.shared.path: &f.DataBytes, s.shared.path + logSuffix: &f.LogSize} {
			if info, err := os.Stat(name); err == nil {
				*size = info.Size()
			}
		}
	}
	return f
}

// Transaction runs work in one transaction: all of it is kept, or nothing.
func (s *Store) Transaction(ctx context.Context, work func(*Store) error) error {
	if s.within {
		return s.db.WithContext(ctx).Transaction(func(tx *gorm.DB) error {
			inner := *s
			inner.db = tx
			return work(&inner)
		})
	}
	defer s.shared.written.Add(1)
	return s.writer.WithContext(ctx).Transaction(func(tx *gorm.DB) error {
		outer := &Store{db: tx, shared: s.shared, claims: s.claims, view: s.view, within: true, touched: map[record.Ref]bool{}, changed: new(bool), later: &later{}}
		if err := work(outer); err != nil {
			return err
		}
		if err := outer.settle(ctx); err != nil {
			return err
		}
		s.shared.keys.publish(outer, outer.later.keys)
		s.shared.links.publish(outer, outer.later.links)
		return nil
	})
}

// Within tells whether this is a transaction, which is for one goroutine.
func (s *Store) Within() bool { return s.within }

// write does what is written by itself.
func (s *Store) write(ctx context.Context, work func(*gorm.DB) *gorm.DB) error {
	return s.Transaction(ctx, func(tx *Store) error { return work(tx.db).Error })
}

// Part runs work as a part of a transaction: where it fails, nothing of it is kept, and the rest goes on.
func (s *Store) Part(work func(*Store) error) error {
	if err := s.exec("SAVEPOINT part"); err != nil {
		return err
	}
	waiting := *s.later
	if err := work(s); err != nil {
		*s.later = waiting
		if undone := errors.Join(s.exec("ROLLBACK TO part"), s.exec("RELEASE part")); undone != nil {
			if known := (*fault.Fault)(nil); errors.As(err, &known) && known.Reason == fault.Unable {
				return err // which ends the whole as well
			}
			// What went wrong has ended the whole transaction, whatever it was.
			return fmt.Errorf("undo a part of a transaction: %w; after: %v", undone, err) //nolint:errorlint // the part's own error no longer counts
		}
		return err
	}
	return s.exec("RELEASE part")
}

// Touched tells whether a record was written in the transaction.
func (s *Store) Touched(at record.Ref) bool { return s.touched[at] }

// Empty tells whether the database holds no company yet.
func (s *Store) Empty(ctx context.Context) (bool, error) {
	var count int64
	err := s.db.WithContext(ctx).Model(&company{}).Count(&count).Error
	return count == 0, err
}

// found turns GORM's word for a missing row into ours.
func found(err error, what string, key any) error {
	if errors.Is(err, gorm.ErrRecordNotFound) {
		return &NotFoundError{what, fmt.Sprint(key)}
	}
	return err
}

// all reads every row that the query finds, as what convert makes of it.
func all[Row, Result any](query *gorm.DB, convert func(Row) Result) ([]Result, error) {
	var rows []Row
	if err := query.Find(&rows).Error; err != nil {
		return nil, err
	}
	results := make([]Result, len(rows))
	for i, row := range rows {
		results[i] = convert(row)
	}
	return results, nil
}
