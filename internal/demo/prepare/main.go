// Command prepare fills the demo scenario into a database file, packed, for the
// program to carry along. make build runs it.
package main

import (
	"compress/gzip"
	"context"
	"fmt"
	"os"
	"path/filepath"

	"codicil/internal/demo"
)

func main() {
	if err := prepare(filepath.Join("internal", "demo", "prepared", demo.PreparedName)); err != nil {
		fmt.Fprintln(os.Stderr, "prepare the demo:", err)
		os.Exit(1)
	}
}

func prepare(path string) (err error) {
	folder, err := os.MkdirTemp("", "codicil-prepare-")
	if err != nil {
		return err
	}
	defer func() { _ = os.RemoveAll(folder) }()
	plain := filepath.Join(folder, "demo.db")
	if err := demo.Make(context.Background(), plain, false); err != nil {
		return err
	}
	file, err := os.ReadFile(plain)
	if err != nil {
		return err
	}
	out, err := os.Create(path)
	if err != nil {
		return err
	}
	defer func() {
		if closing := out.Close(); err == nil {
			err = closing
		}
	}()
	packer := gzip.NewWriter(out)
	if _, err := packer.Write(file); err != nil {
		return err
	}
	return packer.Close()
}
