// Package standard holds the kinds of record that every installation has. They
// are data: adding one needs no code.
package standard

import (
	_ "embed"
	"encoding/json"
	"fmt"

	"codicil/core/record"
)

//go:embed vendor.json
var vendor []byte

// Kinds returns the standard kinds.
func Kinds() ([]record.Kind, error) {
	var k record.Kind
	if err := json.Unmarshal(vendor, &k); err != nil {
		return nil, fmt.Errorf("read the kind vendor: %w", err)
	}
	return []record.Kind{k}, nil
}
