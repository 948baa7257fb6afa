package demo

import (
	"context"
	"os"
	"path/filepath"
	"sync"

	"codicil/internal/clock"
	"codicil/internal/standard"
	"codicil/internal/store"
)

// Template holds the scenario as a database file that is filled once, for tests
// that each need a fresh one.
type Template struct {
	Clock clock.Clock
	User  string
	// Bare leaves out the proofs that were suggested and accepted.
	Bare bool
	once sync.Once
	file []byte
	err  error
}

// Write writes the scenario to a new database file.
func (t *Template) Write(ctx context.Context, path string) error {
	t.once.Do(func() { t.file, t.err = t.fill(ctx) })
	if t.err != nil {
		return t.err
	}
	return os.WriteFile(path, t.file, 0o600)
}

func (t *Template) fill(ctx context.Context) ([]byte, error) {
	folder, err := os.MkdirTemp("", "codicil-template-")
	if err != nil {
		return nil, err
	}
	defer func() { _ = os.RemoveAll(folder) }()
	path := filepath.Join(folder, "template.db")
	s, err := store.Open(ctx, path)
	if err != nil {
		return nil, err
	}
	kinds, err := standard.Kinds()
	if err == nil {
		err = s.SaveKinds(ctx, kinds)
	}
	if err == nil {
		err = scenario(ctx, s, t.Clock, t.User, t.Bare)
	}
	if closing := s.Close(); err == nil { // which brings everything into the one file
		err = closing
	}
	if err != nil {
		return nil, err
	}
	return os.ReadFile(path)
}
