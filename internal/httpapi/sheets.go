package httpapi

import (
	"bytes"
	"context"
	"strings"

	"codicil/internal/contract"
	"codicil/internal/exchange"
	"codicil/internal/view"
)

// WriteSheet writes what a screen shows as a file. There is no use case behind it: nothing is read
// and nothing is kept.
func (s *server) WriteSheet(_ context.Context, r WriteSheetRequestObject) (WriteSheetResponseObject, error) {
	if r.Body.As == contract.SheetAsCsv {
		rows := append([][]string{r.Body.Head}, view.List(r.Body.Rows, func(row []contract.SheetCell) []string {
			return view.List(row, func(c contract.SheetCell) string { return c.Text })
		})...)
		text, err := exchange.WriteRows(rows)
		return WriteSheet200TextCsvResponse{Body: strings.NewReader(text), ContentLength: int64(len(text))}, err
	}
	file, err := exchange.WriteSheet(r.Body.Head, view.List(r.Body.Rows, func(row []contract.SheetCell) []exchange.Cell {
		return view.List(row, func(c contract.SheetCell) exchange.Cell { return exchange.Cell{Text: c.Text, Exact: c.Exact} })
	}))
	return WriteSheet200ApplicationVndOpenxmlformatsOfficedocumentSpreadsheetmlSheetResponse{Body: bytes.NewReader(file), ContentLength: int64(len(file))}, err
}
