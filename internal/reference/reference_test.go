package reference_test

import (
	"io"
	"os"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"codicil/core/feel"
	"codicil/internal/reference"
)

func TestTheReferenceIsThatOfTheTables(t *testing.T) {
	var b strings.Builder
	require.NoError(t, reference.Write(&b))
	kept, err := os.ReadFile("../../docs/formulas.md")
	require.NoError(t, err)
	assert.Equal(t, b.String(), string(kept), "run make generate")
	for _, f := range append(feel.Forms(), feel.Functions()...) {
		assert.Contains(t, b.String(), "| "+f.Name, "every entry stands in it")
	}
}

func TestTheListOfNoticesIsThatOfTheProgram(t *testing.T) {
	for file, write := range map[string]func(io.Writer) error{"../../docs/errors.md": reference.Notices, "../../web/src/api/notices.json": reference.Catalogue} {
		var b strings.Builder
		require.NoError(t, write(&b))
		kept, err := os.ReadFile(file)
		require.NoError(t, err)
		assert.Equal(t, b.String(), string(kept), "run make generate")
	}
}
