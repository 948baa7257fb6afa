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
	"net/url"
	"os"

	"github.com/glebarez/sqlite"
	"github.com/pressly/goose/v3"
	"gorm.io/gorm"
	"gorm.io/gorm/logger"
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
type Store struct{ db *gorm.DB }

// Open opens the database file, creating it where it is missing, and brings its
// tables up to date. "" opens a database in memory, for tests.
func Open(ctx context.Context, path string) (*Store, error) {
	// A path may hold what means something in an address: ?, # and %.
	location := "file:" + (&url.URL{Path: path}).EscapedPath()
	if path == "" {
		location = "file::memory:"
	} else if err := private(path); err != nil {
		return nil, err
	}
	// A write takes its lock at once, so that two writers wait for each other
	// instead of failing half-way; what is committed is on the disk.
	location += "?_pragma=busy_timeout(5000)&_pragma=journal_mode(WAL)&_pragma=synchronous(FULL)&_pragma=foreign_keys(1)&_txlock=immediate"
	db, err := gorm.Open(sqlite.Open(location), &gorm.Config{
		PrepareStmt: true,
		// An error of a part always fails the whole, so that parts need no savepoints.
		DisableNestedTransaction: true,
		// Errors are returned and told where they are met; writing out every statement for a
		// log that nobody reads took a tenth of a posting.
		Logger: logger.Discard,
	})
	if err != nil {
		return nil, fmt.Errorf("open %s: %w", path, err)
	}
	connections, err := db.DB()
	if err != nil {
		return nil, fmt.Errorf("open %s: %w", path, err)
	}
	if path == "" {
		connections.SetMaxOpenConns(1) // every connection to memory is a database of its own
	}
	files, err := fs.Sub(migrations, "migrations")
	if err != nil {
		return nil, err
	}
	provider, err := goose.NewProvider(goose.DialectSQLite3, connections, files)
	if err != nil {
		return nil, fmt.Errorf("read the migrations: %w", err)
	}
	if _, err := provider.Up(ctx); err != nil {
		return nil, fmt.Errorf("bring %s up to date: %w", path, err)
	}
	return &Store{db: db}, nil
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

// Close closes the database.
func (s *Store) Close() error {
	connections, err := s.db.DB()
	if err != nil {
		return err
	}
	return connections.Close()
}

// Transaction runs work in one transaction: all of it is kept, or nothing.
func (s *Store) Transaction(ctx context.Context, work func(*Store) error) error {
	return s.db.WithContext(ctx).Transaction(func(tx *gorm.DB) error { return work(&Store{db: tx}) })
}

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
