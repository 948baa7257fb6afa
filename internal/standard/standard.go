// Package standard holds the kinds of record that every installation has. They
// are data: adding one needs no code.
//
// A kind is a file in kinds; the number that begins its name is its place among those that are
// offered. A field names its choices by "list", where several fields share them. Start reading at
// Kinds; shared lists are in lists.json.
package standard

import (
	"embed"
	"encoding/json"
	"fmt"
	"io/fs"

	"codicil/core/field"
	"codicil/core/record"
)

//go:embed kinds lists.json
var files embed.FS

// listed is a field whose choices may be a list that others share.
type listed struct {
	field.Field
	List string `json:"list"`
}

// Kinds returns the standard kinds.
func Kinds() ([]record.Kind, error) {
	lists := map[string][]field.Option{}
	if err := read("lists.json", &lists); err != nil {
		return nil, err
	}
	found, err := fs.Glob(files, "kinds/*.json") // in the order of their names
	if err != nil {
		return nil, err
	}
	kinds := make([]record.Kind, len(found))
	for i, name := range found {
		k := struct {
			*record.Kind
			Fields []listed `json:"fields"`
		}{Kind: &kinds[i]}
		if err := read(name, &k); err != nil {
			return nil, err
		}
		for _, f := range k.Fields {
			if f.List != "" {
				if f.Choices = lists[f.List]; f.Choices == nil {
					return nil, fmt.Errorf("%s.%s: there is no list %q", k.Key, f.Key, f.List)
				}
			}
			f.Loaded = true
			kinds[i].Fields = append(kinds[i].Fields, f.Field)
		}
		kinds[i].Sort()
	}
	return kinds, nil
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
