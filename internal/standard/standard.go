// Package standard holds the kinds of record that every installation has. They
// are data: adding one needs no code.
//
// A kind is a file in kinds; the number that begins its name is its place among those that are
// offered. Lists of codes are in lists.json. Start reading at Kinds.
package standard

import (
	"context"
	"embed"
	"encoding/json"
	"fmt"
	"io/fs"

	"codicil/core/record"
	"codicil/core/table"
)

//go:embed kinds lists.json
var files embed.FS

// Lists returns the lists of codes that fields of the standard kinds choose from, complete where a
// standard is.
func Lists() (lists []table.List, err error) {
	err = read("lists.json", &lists)
	return lists, err
}

// Kinds returns the standard kinds, with what their fields choose from.
func Kinds() ([]record.Kind, error) {
	lists, err := Lists()
	if err != nil {
		return nil, err
	}
	found, err := fs.Glob(files, "kinds/*.json") // in the order of their names
	if err != nil {
		return nil, err
	}
	kinds := make([]record.Kind, len(found))
	for i, name := range found {
		k := &kinds[i]
		if err := read(name, k); err != nil {
			return nil, err
		}
		for j := range k.Fields {
			k.Fields[j].Loaded = true
		}
		k.Sort()
	}
	(&table.Set{Lists: lists}).ChooseAll(kinds)
	return kinds, nil
}

// Keeper keeps kinds and lists of codes, in place of those of an earlier release.
type Keeper interface {
	SaveKinds(ctx context.Context, kinds []record.Kind, lists ...table.List) error
}

// Bring lets a keeper have the standard kinds and lists as they are in this release.
func Bring(ctx context.Context, to Keeper) error {
	kinds, err := Kinds()
	if err != nil {
		return err
	}
	lists, err := Lists()
	if err != nil {
		return err
	}
	return to.SaveKinds(ctx, kinds, lists...)
}

func read(name string, into any) error {
	text, err := files.ReadFile(name)
	if err != nil {
		return err
	}
	if err := json.Unmarshal(text, into); err != nil {
		return fmt.Errorf("read %s: %w", name, err)
	}
	return nil
}
