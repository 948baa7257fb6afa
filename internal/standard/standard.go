// Package standard holds the kinds of record that every installation has. They
// are data: adding one needs no code.
//
// A field names its choices by "list", where several fields share them. Start
// reading at Kinds; the data is in kinds and lists.json.
package standard

import (
	"embed"
	"encoding/json"
	"fmt"

	"codicil/core/field"
	"codicil/core/record"
)

//go:embed kinds lists.json
var files embed.FS

// order is that in which the kinds are offered.
var order = []string{"vendor", "sales_order", "accounting_document", "quotation", "customer", "item", "price_list", "gl_account", "cost_centre"}

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
	kinds := make([]record.Kind, len(order))
	for i, key := range order {
		k := struct {
			*record.Kind
			Fields []listed `json:"fields"`
		}{Kind: &kinds[i]}
		if err := read("kinds/"+key+".json", &k); err != nil {
			return nil, err
		}
		for _, f := range k.Fields {
			if f.List != "" {
				if f.Choices = lists[f.List]; f.Choices == nil {
					return nil, fmt.Errorf("%s.%s: there is no list %q", key, f.Key, f.List)
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
