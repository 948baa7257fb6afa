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
	"regexp"
	"strings"
)

// Rows reads rows that were pasted from a spreadsheet or come from a CSV file (RFC 4180).
// The values are parted by tabs, semicolons or commas, whichever the first line has most
// of, in this order. Blank rows are left out. The error names the line.
func Rows(text string) ([][]string, error) {
	text = strings.TrimPrefix(text, "\ufeff")
	comma := parting(strings.TrimLeft(text, "\r\n"))
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
			row[i] = plain(strings.TrimSpace(row[i]))
		}
		if strings.Join(row, "") != "" {
			rows = append(rows, row)
		}
	}
}

// parting returns what parts the values: that of tabs, semicolons and commas of which the
// first row has most outside of quotes.
func parting(text string) rune {
	counts := map[rune]int{}
	quoted := false
	for _, r := range text {
		if r == '"' {
			quoted = !quoted
		}
		if r == '\n' && !quoted {
			break
		}
		if !quoted {
			counts[r]++
		}
	}
	comma, most := ',', 0
	for _, candidate := range "\t;," {
		if n := counts[candidate]; n > most {
			comma, most = candidate, n
		}
	}
	return comma
}

// A spreadsheet runs what begins with one of these as a formula.
const formulaic = "=+-@\t\r"

var number = regexp.MustCompile(`^-?\d+(\.\d+)?$`)

// inert writes a text so that no spreadsheet takes it for a formula: behind an apostrophe,
// which says "this is text" there. plain reads it back.
func inert(text string) string {
	rest := strings.TrimLeft(text, "'")
	if rest == "" || !strings.ContainsRune(formulaic, rune(rest[0])) || number.MatchString(text) {
		return text
	}
	return "'" + text
}

func plain(text string) string {
	rest, marked := strings.CutPrefix(text, "'")
	inner := strings.TrimLeft(rest, "'")
	if marked && inner != "" && strings.ContainsRune(formulaic, rune(inner[0])) {
		return rest
	}
	return text
}

// WriteRows writes rows as CSV (RFC 4180), every value that holds something by which rows are
// parted in quotes. No text in them is a formula to a spreadsheet.
func WriteRows(rows [][]string) (string, error) {
	var b strings.Builder
	for _, row := range rows {
		for i, text := range row {
			if i > 0 {
				b.WriteByte(',')
			}
			if text = inert(text); strings.ContainsAny(text, ",;\t\"\r\n") || strings.HasPrefix(text, " ") {
				text = `"` + strings.ReplaceAll(text, `"`, `""`) + `"`
			}
			b.WriteString(text)
		}
		b.WriteByte('\n')
	}
	return b.String(), nil
}

// WriteTo writes rows as CSV to a writer.
func WriteTo(to io.Writer, rows [][]string) error {
	text, err := WriteRows(rows)
	if err == nil {
		_, err = io.WriteString(to, text)
	}
	return err
}
