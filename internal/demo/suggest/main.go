// Command suggest writes the proofs that are suggested for the rules of the scenario into the
// file that the scenario takes as accepted. Run it when rules changed; read what it wrote.
package main

import (
	"context"
	"encoding/json"
	"fmt"
	"os"
	"path/filepath"

	"codicil/internal/actor"
	"codicil/internal/app"
	"codicil/internal/demo"
	"codicil/internal/store"
)

func main() {
	if err := suggest(context.Background(), filepath.Join("internal", "demo", "suggested.json")); err != nil {
		fmt.Fprintln(os.Stderr, "suggest proofs for the demo:", err)
		os.Exit(1)
	}
}

func suggest(ctx context.Context, path string) error {
	folder, err := os.MkdirTemp("", "codicil-suggest-")
	if err != nil {
		return err
	}
	defer func() { _ = os.RemoveAll(folder) }()
	file := filepath.Join(folder, "demo.db")
	if err := demo.Make(ctx, file, true); err != nil {
		return err
	}
	s, err := store.Open(ctx, file)
	if err != nil {
		return err
	}
	defer func() { _ = s.Close() }()
	list, err := demo.Suggest(actor.With(ctx, actor.Named(demo.Author, actor.CommandLine)), app.New(s, demo.Morning), demo.Rules())
	if err != nil {
		return err
	}
	text, err := json.MarshalIndent(list, "", " ")
	if err != nil {
		return err
	}
	return os.WriteFile(path, append(text, '\n'), 0o644)
}
