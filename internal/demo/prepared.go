package demo

import (
	"bytes"
	"compress/gzip"
	"context"
	"embed"
	"io"
	"os"
	"sync"
	"time"

	"codicil/internal/standard"
	"codicil/internal/store"
)

// The scenario as a database file, filled when the program was built, so that neither
// a start of the demo nor a test fills it again. make build makes it.
//
//go:embed all:prepared
var prepared embed.FS

// PreparedName is the file's name in the folder prepared.
const PreparedName = "brinewell.db.gz"

// Morning is the time at which the scenario was written.
func Morning() time.Time { return time.Date(2026, 11, 24, 8, 0, 0, 0, time.UTC) }

// Write writes the scenario to a new database file: as it was prepared, or filled now
// where the program was built without it.
func Write(ctx context.Context, path string) error {
	file, err := once()
	if err != nil {
		return Make(ctx, path, false)
	}
	return os.WriteFile(path, file, 0o600)
}

// once unpacks the prepared file; an error says that there is none.
var once = sync.OnceValues(func() ([]byte, error) {
	packed, err := prepared.ReadFile("prepared/" + PreparedName)
	if err != nil {
		return nil, err
	}
	reader, err := gzip.NewReader(bytes.NewReader(packed))
	if err != nil {
		return nil, err
	}
	return io.ReadAll(reader)
})

// Make fills the scenario into a new database file, through the use cases a person
// uses. bare leaves out the proofs that were suggested and accepted.
func Make(ctx context.Context, path string, bare bool) (err error) {
	s, err := store.Open(ctx, path)
	if err != nil {
		return err
	}
	defer func() {
		if closing := s.Close(); err == nil { // which brings everything into the one file
			err = closing
		}
	}()
	if err := standard.Bring(ctx, s); err != nil {
		return err
	}
	return scenario(ctx, s, Morning, Author, bare)
}
