// Package exchange reads and writes what goes in and out of the application as files:
// rows of tables, and the rule book.
//
// It must never know where things are kept. Start reading at Rows.
package exchange

import (
	"encoding/csv"
	"errors"
	"fmt"
	"io"
	"strings"
)

// Rows reads rows that were pasted from a spreadsheet or come from a CSV file (RFC 4180).
// The values are parted by tabs, semicolons or commas, whichever the first line has most
// of, in this order. Blank rows are left out. The error names the line.
func Rows(text string) ([][]string, error) {
	text = strings.TrimPrefix(text, "\ufeff")
	first, _, _ := strings.Cut(strings.TrimLeft(text, "\r\n"), "\n")
	comma, most := ',', 0
	for _, candidate := range "\t;," {
		if n := strings.Count(first, string(candidate)); n > most {
			comma, most = candidate, n
		}
	}
	r := csv.NewReader(strings.NewReader(text))
	r.Comma, r.FieldsPerRecord, r.TrimLeadingSpace = comma, -1, comma != '\t'
	// A spreadsheet's clipboard does not always close its quotes.
	r.LazyQuotes = comma == '\t'
	var rows [][]string
	for {
		row, err := r.Read()
		if errors.Is(err, io.EOF) {
			return rows, nil
		}
		if err != nil {
			var wrong *csv.ParseError
			if errors.As(err, &wrong) {
				return nil, fmt.Errorf("line %d cannot be read: %w", wrong.Line, wrong.Err)
			}
			return nil, err
		}
		for i := range row {
			row[i] = strings.TrimSpace(row[i])
		}
		if strings.Join(row, "") != "" {
			rows = append(rows, row)
		}
	}
}

// WriteRows writes rows as CSV (RFC 4180).
func WriteRows(rows [][]string) (string, error) {
	var b strings.Builder
	w := csv.NewWriter(&b)
	if err := w.WriteAll(rows); err != nil {
		return "", err
	}
	return b.String(), nil
}
