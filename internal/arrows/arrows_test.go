// Package arrows checks which package may import which.
package arrows

import (
	"encoding/json"
	"os"
	"os/exec"
	"path/filepath"
	"slices"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

type listed struct {
	ImportPath string
	Imports    []string
	Deps       []string
	Standard   bool
}

func list(t *testing.T, arguments ...string) []listed {
	t.Helper()
	out, err := exec.CommandContext(t.Context(), "go", append([]string{"list", "-json=ImportPath,Imports,Deps,Standard"}, arguments...)...).Output()
	require.NoError(t, err)
	var packages []listed
	for decoder := json.NewDecoder(strings.NewReader(string(out))); decoder.More(); {
		var p listed
		require.NoError(t, decoder.Decode(&p))
		packages = append(packages, p)
	}
	return packages
}

// The core, lowest first: each may import only those before it.
var core = []string{"notice", "decimal", "feel", "field", "record", "table", "match", "rule", "plan", "finding", "engine", "judge", "proof", "batch"}

// What the core may use from outside the standard library: decimals, languages and
// currencies, and the numbering plans of the world's telephones.
var outside = []string{"github.com/cockroachdb/apd/v3", "golang.org/x/text", "github.com/nyaruka/phonenumbers"}

func TestTheCoreComputesAndNothingElse(t *testing.T) {
	sources, err := filepath.Glob("../../core/*/*.go")
	require.NoError(t, err)
	for _, source := range sources {
		text, err := os.ReadFile(source)
		require.NoError(t, err)
		assert.True(t, strings.HasSuffix(source, "_test.go") || !strings.Contains(string(text), "time.Now"), "%s must get the time from outside", source)
	}
	for _, p := range list(t, "codicil/core/...") {
		name := strings.TrimPrefix(p.ImportPath, "codicil/core/")
		height := slices.Index(core, name)
		require.GreaterOrEqual(t, height, 0, "%s has no place in the order of the core", name)
		for _, path := range p.Imports {
			assert.NotContains(t, []string{"os", "net/http", "database/sql", "math/rand", "math/rand/v2"}, path, "%s must get this from outside", name)
			// The offsets of named zones are data; what the time is now is not.
			assert.False(t, path == "time" && name != "feel", "%s must get the time from outside", name)
			if inner, ok := strings.CutPrefix(path, "codicil/"); ok {
				below, isCore := strings.CutPrefix(inner, "core/")
				assert.True(t, isCore && slices.Index(core, below) < height, "%s must not import %s", name, path)
			} else if strings.Contains(path, ".") {
				assert.True(t, slices.ContainsFunc(outside, func(allowed string) bool { return strings.HasPrefix(path, allowed) }), "%s must not import %s", name, path)
			}
		}
		for _, path := range p.Deps {
			assert.False(t, strings.HasPrefix(path, "github.com/labstack/echo") || strings.HasPrefix(path, "gorm.io/"), "%s reaches %s", name, path)
		}
	}
}

// Whom each inner package may import among its peers.
var peers = map[string][]string{
	"contract": {}, "standard": {}, "arrows": {}, "reference": {}, "release": {}, "clock": {},
	"exchange":        {"clock", "release"},
	"reference/write": {"reference"}, "reference/schema": {},
	"store":        {"contract"},
	"ledger":       {"store"},
	"desk":         {"clock", "contract", "exchange", "ledger", "release", "store"},
	"demo":         {"contract", "desk", "standard", "store"},
	"demo/prepare": {"demo"},
	"demo/suggest": {"demo", "desk", "store"},
	"httpapi":      {"contract", "desk"},
}

func TestArrowsPointDown(t *testing.T) {
	for _, p := range list(t, "codicil/internal/...") {
		name := strings.TrimPrefix(p.ImportPath, "codicil/internal/")
		allowed, known := peers[name]
		require.True(t, known, "%s has no place in the layout", name)
		for _, path := range p.Imports {
			assert.False(t, strings.HasPrefix(path, "codicil/cmd"), "%s must not import %s", name, path)
			if peer, ok := strings.CutPrefix(path, "codicil/internal/"); ok {
				assert.Contains(t, allowed, peer, "%s must not import %s", name, path)
			}
			if strings.HasPrefix(path, "github.com/labstack/echo") {
				assert.Equal(t, "httpapi", name, "only httpapi knows Echo")
			}
			if strings.HasPrefix(path, "gorm.io/") {
				assert.Equal(t, "store", name, "only store knows GORM")
			}
		}
	}
}
