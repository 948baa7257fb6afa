package exchange

import (
	"errors"
	"io"
	"os"
	"regexp"
	"strconv"
	"strings"

	"github.com/xuri/excelize/v2"

	"codicil/core/decimal"
)

// The bounds of a workbook: what it may be unpacked, and what of it is unpacked into memory; the rest goes to
// temporary files.
const (
	maxUnpacked  = 1 << 30
	mostInMemory = 8 << 20
)

// workbook opens a workbook from a temporary file, which goes with it.
func workbook(open Open) (book *excelize.File, leave func(), err error) {
	in, err := open()
	if err != nil {
		return nil, nil, err
	}
	defer func() { _ = in.Close() }()
	file, err := os.CreateTemp("", "codicil-*.xlsx")
	if err != nil {
		return nil, nil, err
	}
	remove := func() { _ = os.Remove(file.Name()) }
	_, err = io.Copy(file, in)
	if err = errors.Join(err, file.Close()); err != nil {
		remove()
		return nil, nil, err
	}
	book, err = excelize.OpenFile(file.Name(), excelize.Options{RawCellValue: true, UnzipSizeLimit: maxUnpacked, UnzipXMLSizeLimit: mostInMemory})
	if err != nil {
		remove()
		if errors.Is(err, excelize.ErrWorkbookFileFormat) {
			return nil, nil, unreadable("this is not a workbook, or it has a password: save it as XLSX without one")
		}
		return nil, nil, unreadable("the workbook cannot be read: %v", err)
	}
	return book, func() {
		_ = book.Close()
		remove()
	}, nil
}

func sheetsOf(open Open) ([]string, error) {
	book, leave, err := workbook(open)
	if err != nil {
		return nil, err
	}
	defer leave()
	sheets := book.GetSheetList()
	if len(sheets) == 0 {
		return nil, unreadable("the workbook has no sheet")
	}
	return sheets, nil
}

func (s *Source) eachOfSheet(open Open, do func(int, []Cell) error) error {
	book, leave, err := workbook(open)
	if err != nil {
		return err
	}
	defer leave()
	rows, err := book.Rows(s.Sheet)
	if err != nil {
		return unreadable("the sheet %s cannot be read: %v", s.Sheet, err)
	}
	defer func() { _ = rows.Close() }()
	for at := 1; rows.Next(); at++ {
		texts, err := rows.Columns()
		if err != nil {
			return unreadable("row %d cannot be read: %v", at, err)
		}
		cells := make([]Cell, len(texts))
		for i, text := range texts {
			text = strings.TrimSpace(text)
			if len(text) > maxRow {
				return unreadable("row %d has a cell of more than %d kB", at, maxRow>>10)
			}
			cells[i] = numeric(text)
		}
		if err := do(at, cells); err != nil {
			return err
		}
	}
	if err := rows.Error(); err != nil {
		return unreadable("the sheet %s cannot be read: %v", s.Sheet, err)
	}
	return nil
}

// significant is how many digits a spreadsheet shows of a number; it keeps binary floats behind them.
const significant = 15

// A number as a workbook keeps it. A text of digits looks the same, and is the same to a field.
var (
	keptNumber = regexp.MustCompile(`^-?\d+(\.\d+)?(E[+-]\d+)?$`)
	keptPlain  = regexp.MustCompile(`^-?\d+(\.\d{1,8})?$`)
)

// numeric is a cell with a number as a spreadsheet shows it, or with a text.
func numeric(text string) Cell {
	switch {
	case keptPlain.MatchString(text):
		return Cell{Text: text, Exact: true}
	case !keptNumber.MatchString(text):
		return Cell{Text: plain(text)}
	}
	binary, err := strconv.ParseFloat(text, 64)
	if err != nil {
		return Cell{Text: text}
	}
	shown, err := decimal.Parse(strconv.FormatFloat(binary, 'g', significant, 64))
	if err != nil {
		return Cell{Text: text}
	}
	return Cell{Text: shown.String(), Exact: true}
}
