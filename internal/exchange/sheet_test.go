package exchange_test

import (
	"bytes"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"github.com/xuri/excelize/v2"

	"codicil/internal/exchange"
)

// Numbers keep every digit on their way into a workbook, and texts stay texts.
func TestASheetHoldsWhatIsWritten(t *testing.T) {
	file, err := exchange.WriteSheet([]string{"Rule", "Sentence"}, [][]exchange.Cell{
		{{Text: "12345678901234.05", Exact: true}, {Text: "=HYPERLINK(\"x\")"}},
		{{Text: "-0.10", Exact: true}, {Text: "00123"}},
		{{Text: "much", Exact: true}, {}},
	})
	require.NoError(t, err)
	book, err := excelize.OpenReader(bytes.NewReader(file))
	require.NoError(t, err)
	defer func() { require.NoError(t, book.Close()) }()
	for at, want := range map[string]string{"A1": "Rule", "B1": "Sentence", "A2": "12345678901234.05", "B2": "=HYPERLINK(\"x\")", "A3": "-0.10", "B3": "00123", "A4": "much", "B4": ""} {
		raw, err := book.GetCellValue("Sheet1", at, excelize.Options{RawCellValue: true})
		require.NoError(t, err)
		assert.Equal(t, want, raw, at)
		formula, err := book.GetCellFormula("Sheet1", at)
		require.NoError(t, err)
		assert.Empty(t, formula, at)
		kind, err := book.GetCellType("Sheet1", at)
		require.NoError(t, err)
		if at == "A2" || at == "A3" {
			assert.NotEqual(t, excelize.CellTypeSharedString, kind, "a number to compute with")
		}
	}
}
