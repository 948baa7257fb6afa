// Package layers checks the layout: which package may import which, and how large a use case's
// face may be.
package layers

import (
	"codicil/internal/standard"
	"encoding/json"
	"go/ast"
	"go/parser"
	"go/token"
	"os"
	"os/exec"
	"path/filepath"
	"regexp"
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
var core = []string{"notice", "decimal", "feel", "field", "record", "table", "match", "rule", "learn", "plan", "engine", "judge", "proof", "finding", "evaluation"}

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
	"actor": {}, "clock": {}, "contract": {"fault"}, "fault": {}, "layers": {}, "ledger": {}, "reference": {"httpapi"}, "release": {}, "standard": {}, "torture": {},
	"reference/write": {"reference"}, "reference/schema": {},
	"codec":          {"ledger"},
	"exchange":       {"clock", "codec", "release"},
	"access":         {"actor", "fault"},
	"store":          {"actor", "codec", "fault", "ledger"},
	"cache":          {"access", "fault", "release", "store"},
	"view":           {"clock", "contract", "fault", "ledger"},
	"app/commit":     {"actor", "cache", "clock", "fault", "store"},
	"app/judging":    {"access", "actor", "app/commit", "cache", "clock", "codec", "contract", "fault", "store", "view"},
	"app/runs":       {"access", "actor", "app/commit", "clock", "contract", "exchange", "fault", "store"},
	"app/impact":     {"access", "actor", "app/commit", "app/judging", "app/runs", "contract", "fault", "store", "view"},
	"app/formulas":   {"access", "actor", "app/judging", "contract", "fault", "view"},
	"app/rules":      {"access", "actor", "app/commit", "app/impact", "app/judging", "contract", "fault", "store", "view"},
	"app/findings":   {"access", "actor", "app/commit", "app/judging", "app/runs", "cache", "clock", "contract", "fault", "store", "view"},
	"app/waiting":    {"access", "actor", "app/judging", "app/runs", "cache", "contract", "store", "view"},
	"app/proofs":     {"access", "actor", "app/commit", "app/judging", "cache", "contract", "fault", "ledger", "store", "view"},
	"app/coverage":   {"access", "actor", "clock", "app/commit", "app/judging", "app/runs", "cache", "contract", "exchange", "store", "view"},
	"app/records":    {"access", "actor", "app/commit", "app/judging", "app/runs", "cache", "contract", "exchange", "fault", "store", "view"},
	"app/posting":    {"access", "actor", "app/commit", "app/judging", "app/records", "cache", "contract", "fault", "ledger", "store", "view"},
	"app/batches":    {"access", "actor", "app/commit", "app/judging", "app/posting", "app/records", "contract", "fault", "store", "view"},
	"app/loads":      {"access", "actor", "app/commit", "app/judging", "app/posting", "app/records", "app/runs", "cache", "clock", "contract", "exchange", "fault", "store", "view"},
	"app/breaks":     {"access", "actor", "app/judging", "app/runs", "contract", "store", "view"},
	"app/takeback":   {"access", "actor", "app/judging", "app/merging", "app/records", "app/runs", "contract", "fault", "store"},
	"app/duplicates": {"access", "actor", "app/commit", "app/judging", "app/runs", "clock", "contract", "fault", "store", "view"},
	"app/merging":    {"access", "actor", "app/commit", "app/duplicates", "app/judging", "app/records", "app/runs", "codec", "contract", "fault", "store", "view"},
	"app/derive":     {"access", "actor", "app/commit", "app/judging", "app/records", "app/runs", "contract", "fault", "store", "view"},
	"app/people":     {"access", "actor", "app/commit", "app/judging", "clock", "contract", "fault", "store"},
	"app/backups":    {"access", "actor", "app/commit", "app/judging", "backup", "contract", "store"},
	"backup":         {"release", "store"},
	"app/trail":      {"access", "actor", "app/judging", "app/runs", "contract", "exchange", "fault", "store"},
	"app/trials":     {"access", "actor", "app/judging", "contract", "exchange", "fault"},
	"app/kinds":      {"access", "actor", "app/catalog", "app/commit", "app/fields", "app/judging", "cache", "contract", "exchange", "fault", "ledger", "store"},
	"app/learning":   {"access", "actor", "app/coverage", "app/judging", "app/proofs", "app/rules", "app/runs", "app/tables", "cache", "contract", "fault", "store", "view"},
	"app/lists":      {"access", "actor", "app/commit", "app/judging", "app/tables", "cache", "contract", "exchange", "fault", "store", "view"},
	"app/tables":     {"access", "actor", "app/judging", "app/rules", "cache", "contract", "exchange", "fault", "store", "view"},
	"app/catalog":    {"access", "actor", "app/commit", "app/judging", "cache", "contract", "fault", "release", "standard", "store", "view"},
	"app/fields":     {"access", "actor", "app/commit", "app/judging", "app/rules", "cache", "contract", "fault", "store", "view"},
	"app/replay":     {"access", "actor", "app/commit", "app/judging", "app/runs", "cache", "clock", "contract", "fault", "ledger", "store", "view"},
	"app/codicils":   {"access", "actor", "app/commit", "app/fields", "app/findings", "app/impact", "app/judging", "app/replay", "app/rules", "cache", "contract", "fault", "store", "view"},
	"app/books":      {"access", "actor", "app/catalog", "app/commit", "app/fields", "app/judging", "app/kinds", "app/lists", "app/rules", "app/tables", "contract", "exchange", "fault", "store", "view"},
	"app":            {"app/backups", "app/batches", "app/books", "app/breaks", "app/catalog", "app/codicils", "app/coverage", "app/derive", "app/duplicates", "app/fields", "app/findings", "app/formulas", "app/impact", "app/judging", "app/kinds", "app/learning", "app/lists", "app/loads", "app/merging", "app/news", "app/posting", "app/proofs", "app/records", "app/replay", "app/rules", "app/runs", "app/tables", "app/people", "app/personal", "app/takeback", "app/trail", "app/trials", "app/waiting", "actor", "clock", "store", "contract", "exchange", "view"},
	"app/news":       {"access", "actor", "app/judging", "cache", "contract", "fault", "store"},
	"app/personal":   {"access", "actor", "app/commit", "app/judging", "contract", "fault", "store", "view"},
	"oidc":           {"app/people", "clock"},
	"oidc/simulated": {"clock"},
	"demo":           {"actor", "app", "app/people", "clock", "contract", "exchange", "fault", "oidc/simulated", "standard", "store"},
	"demo/prepare":   {"demo"},
	"demo/suggest":   {"actor", "app", "demo", "store"},
	"httpapi":        {"access", "actor", "app", "app/books", "app/news", "app/people", "app/trail", "contract", "exchange", "fault", "release", "view"},
}

// most is how many methods a struct of the use cases may have.
const most = 25

func TestNoUseCaseGrowsWithoutBounds(t *testing.T) {
	methods := map[string]int{}
	require.NoError(t, filepath.WalkDir("../app", func(path string, entry os.DirEntry, err error) error {
		if err != nil || entry.IsDir() || !strings.HasSuffix(path, ".go") || strings.HasSuffix(path, "_test.go") {
			return err
		}
		file, err := parser.ParseFile(token.NewFileSet(), path, nil, 0)
		if err != nil {
			return err
		}
		for _, d := range file.Decls {
			f, isFunction := d.(*ast.FuncDecl)
			if !isFunction || f.Recv == nil {
				continue
			}
			receiver := f.Recv.List[0].Type
			if pointer, isPointer := receiver.(*ast.StarExpr); isPointer {
				receiver = pointer.X
			}
			if name, isName := receiver.(*ast.Ident); isName {
				methods[filepath.Dir(path)+"."+name.Name]++
			}
		}
		return nil
	}))
	require.NotEmpty(t, methods)
	for name, count := range methods {
		assert.LessOrEqual(t, count, most, "%s has %d methods; a struct that does so much is several", name, count)
	}
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

// What the client knows of kinds it has from the catalogue.
func TestTheClientNamesNoKind(t *testing.T) {
	kinds, err := standard.Kinds()
	require.NoError(t, err)
	keys := make([]string, len(kinds))
	for i := range kinds {
		keys[i] = kinds[i].Key
	}
	named := regexp.MustCompile("[\"'`/](" + strings.Join(keys, "|") + ")[\"'`/]") // quoted, or in an address
	looked := 0
	require.NoError(t, filepath.WalkDir("../../web/src", func(path string, entry os.DirEntry, err error) error {
		if err != nil || entry.IsDir() || (filepath.Ext(path) != ".ts" && filepath.Ext(path) != ".vue") || entry.Name() == "schema.d.ts" {
			return err
		}
		text, err := os.ReadFile(path)
		looked++
		assert.Empty(t, named.FindString(string(text)), path)
		return err
	}))
	require.Greater(t, looked, 50)
}

// What each part of the client may import besides itself; features also what is below them all.
var client = map[string][]string{
	"api": {}, "theme": {}, "queries": {"api", "theme"}, "ui": {"api", "queries", "theme"},
	"features/ledger": {}, "features/start": {}, "features/desk": {"features/records"}, "features/proofs": {}, "features/records": {}, "features/runs": {}, "features/loads": {}, "features/merging": {"features/records", "features/runs"}, "features/rules": {"features/proofs", "features/records", "features/runs"},
	"features/codicils": {"features/rules", "features/runs"}, "features/people": {}, "features/plan": {"features/rules"}, "features/tables": {"features/codicils", "features/records", "features/rules"}, "features/waiting": {},
}

func TestTheClientImportsDownwards(t *testing.T) {
	imported := regexp.MustCompile(`"@/((?:features/)?[a-z]+)[/"]`)
	arrows := 0
	for part, below := range client {
		if strings.HasPrefix(part, "features/") {
			below = append(below, "api", "queries", "ui", "theme")
		}
		require.NoError(t, filepath.WalkDir("../../web/src/"+part, func(path string, entry os.DirEntry, err error) error {
			if err != nil || entry.IsDir() {
				return err
			}
			text, err := os.ReadFile(path)
			for _, found := range imported.FindAllStringSubmatch(string(text), -1) {
				arrows++
				assert.True(t, found[1] == part || slices.Contains(below, found[1]), "%s must not import %s", path, found[1])
			}
			return err
		}))
	}
	require.Greater(t, arrows, 100)
}
