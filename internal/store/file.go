package store

import (
	"context"
	"database/sql"
	"encoding/json"
	"errors"
	"fmt"
	"io/fs"
	"os"
	"sync"
	"syscall"
	"time"

	"github.com/ncruces/go-sqlite3"
	"github.com/pressly/goose/v3"
)

// ErrFile reports a file that is not opened; the error says what to do.
var ErrFile = errors.New("the file is not opened")

func refuse(format string, values ...any) error {
	return fmt.Errorf("%w: %s", ErrFile, fmt.Sprintf(format, values...))
}

// owner is who has a file open, as it stands beside it.
type owner struct {
	Process int    `json:"process"`
	Host    string `json:"host"`
	Since   string `json:"since"` // RFC 3339
}

// claim makes the file this process's, as long as it lives; the lock goes with the process, however it ends.
func claim(path string) (release func() error, err error) {
	f, err := os.OpenFile(path+".owner", os.O_RDWR|os.O_CREATE, 0o600)
	if err != nil {
		return nil, fmt.Errorf("note who has %s open: %w", path, err)
	}
	if err := syscall.Flock(int(f.Fd()), syscall.LOCK_EX|syscall.LOCK_NB); err != nil {
		defer func() { _ = f.Close() }()
		var by owner
		if json.NewDecoder(f).Decode(&by) == nil {
			return nil, refuse("%s is open in another Codicil (process %d on %s, since %s); stop that first, or use its address", path, by.Process, by.Host, by.Since)
		}
		return nil, refuse("%s is open in another Codicil; stop that first, or use its address", path)
	}
	host, _ := os.Hostname()
	//nolint:forbidigo // when the program opened the file, for people
	text, err := json.Marshal(owner{os.Getpid(), host, time.Now().UTC().Format(time.RFC3339)})
	if err == nil {
		err = f.Truncate(0)
	}
	if err == nil {
		_, err = f.WriteAt(text, 0)
	}
	if err != nil {
		return nil, errors.Join(fmt.Errorf("note who has %s open: %w", path, err), f.Close())
	}
	return sync.OnceValue(f.Close), nil
}

// look refuses what is no file of Codicil's, before anything is written to it. isNew tells that there is nothing
// there yet.
func look(path string) (isNew bool, err error) {
	info, err := os.Stat(path)
	switch {
	case errors.Is(err, fs.ErrNotExist):
		if _, err := os.Stat(path + logSuffix); err == nil {
			return false, refuse("%s is missing, but its log %s is there; put the file back beside it, or move the log away to begin a new file", path, path+logSuffix)
		}
		return true, nil
	case err != nil:
		return false, fmt.Errorf("open %s: %w", path, err)
	case info.IsDir():
		return false, refuse("%s is a folder; name a file in it", path)
	case !info.Mode().IsRegular():
		return false, refuse("%s is no file", path)
	}
	return info.Size() == 0, nil
}

// logged refuses a file that was copied, or left, without its log while it was being written: what was saved last is in the
// log only.
func logged(path string) error {
	open, err := openMark(path)
	if err != nil || !open {
		return err
	}
	if _, err := os.Stat(path + logSuffix); !errors.Is(err, fs.ErrNotExist) {
		return nil
	}
	return refuse("%s was copied or left while it was being written, and its log %s is missing; what was saved last is in it. Put the log beside the file, or open the file without it (--without-log)", path, path+logSuffix)
}

// WithoutLog lets a file be opened whose log is missing; what was saved last is not in it.
func WithoutLog(ctx context.Context, path string) (err error) {
	if isNew, err := look(path); err != nil || isNew {
		return err
	}
	release, err := claim(path)
	if err != nil {
		return err
	}
	defer func() { err = errors.Join(err, release()) }()
	if open, err := openMark(path); err != nil || !open {
		return err
	}
	if err := known(ctx, path, "", Schema()); err != nil {
		return err
	}
	connections, err := connect(address(path, "")+writes, 1)
	if err != nil {
		return err
	}
	_, err = connections.ExecContext(ctx, markFolded)
	return errors.Join(err, connections.Close())
}

// known refuses a database that is not Codicil's, or that a newer release has written.
func known(ctx context.Context, path, system string, newest int64) (err error) {
	db, err := probe(path, system)
	if err != nil {
		return fmt.Errorf("open %s: %w", path, err)
	}
	defer func() { err = errors.Join(err, db.Close()) }()
	var tables, ours int
	err = db.QueryRowContext(ctx, "SELECT COUNT(*), COALESCE(SUM(name = 'goose_db_version'), 0) FROM sqlite_master WHERE type = 'table'").Scan(&tables, &ours)
	switch {
	case errors.Is(err, sqlite3.NOTADB):
		return refuse("%s is no file of Codicil's; nothing of it was changed", path)
	case errors.Is(err, sqlite3.CORRUPT):
		return refuse("%s is damaged; go back to a copy of it", path)
	case err != nil:
		return fmt.Errorf("open %s: %w", path, err)
	case tables > 0 && ours == 0:
		return refuse("%s is a database of another program; nothing of it was changed", path)
	case tables == 0:
		return nil
	}
	var version int64
	if err := db.QueryRowContext(ctx, "SELECT MAX(version_id) FROM goose_db_version WHERE is_applied").Scan(&version); err != nil {
		return fmt.Errorf("open %s: %w", path, err)
	}
	if version > newest {
		return refuse("%s was written by a newer release (its data are of schema %d, this release knows %d); use that release", path, version, newest)
	}
	return nil
}

// Schema is the version of the data that this release writes.
func Schema() (newest int64) {
	files, _ := migrations.ReadDir("migrations") // it is part of the program
	for _, f := range files {
		if version, err := goose.NumericComponent(f.Name()); err == nil {
			newest = max(newest, version)
		}
	}
	return newest
}

// copyBefore makes a copy of a file before it is brought up to date, beside it, and returns its path; "" where there is
// nothing to bring up to date.
func copyBefore(ctx context.Context, db *sql.DB, p *goose.Provider, path string) (string, error) {
	pending, err := p.HasPending(ctx)
	if err != nil || !pending {
		return "", err
	}
	version, err := p.GetDBVersion(ctx)
	if err != nil || version == 0 {
		return "", err
	}
	to := fmt.Sprintf("%s.schema-%d", path, version)
	if _, err := os.Stat(to); err == nil {
		return to, nil // an upgrade that was cut off has made it
	}
	tell(ctx, "a copy of the file as it was: "+to, 0, 0)
	_, err = db.ExecContext(ctx, markFolded) // which the copy is
	if err == nil {
		_, err = db.ExecContext(ctx, copyInto, to+".part")
	}
	if err != nil {
		return "", fmt.Errorf("copy %s before it is brought up to date: %w", path, err)
	}
	return to, errors.Join(os.Chmod(to+".part", 0o600), os.Rename(to+".part", to))
}
