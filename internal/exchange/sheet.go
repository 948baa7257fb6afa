package exchange

import (
	"bytes"
	"regexp"

	"github.com/xuri/excelize/v2"
)

// Cell is a cell of a sheet.
type Cell struct {
	// Text is what people read there, or a number or day as it is kept: 1234.5, 2026-11-24.
	Text string
	// Exact tells that it is a number or a day as it is kept, so that a spreadsheet computes with it.
	Exact bool
}

var (
	exactNumber = regexp.MustCompile(`^-?\d{1,15}(\.\d{1,15})?$`)
)

const sheetName = "Sheet1"

// WriteSheet writes rows as a workbook (ISO/IEC 29500) of one sheet, with the first row standing
// fixed. Exact numbers are written as the digits that they have, never through binary floats. Cost:
// the cells, which are held once.
func WriteSheet(head []string, rows [][]Cell) ([]byte, error) {
	book := excelize.NewFile()
	defer func() { _ = book.Close() }()
	bold, err := book.NewStyle(&excelize.Style{Font: &excelize.Font{Bold: true}})
	if err != nil {
		return nil, err
	}
	for column, text := range head {
		at, err := excelize.CoordinatesToCellName(column+1, 1)
		if err != nil {
			return nil, err
		}
		if err := book.SetCellStr(sheetName, at, text); err != nil {
			return nil, err
		}
		if err := book.SetCellStyle(sheetName, at, at, bold); err != nil {
			return nil, err
		}
	}
	for i, row := range rows {
		for column, cell := range row {
			at, err := excelize.CoordinatesToCellName(column+1, i+2)
			if err != nil {
				return nil, err
			}
			switch {
			case cell.Text == "":
			case cell.Exact && exactNumber.MatchString(cell.Text):
				err = book.SetCellDefault(sheetName, at, cell.Text)
			default:
				err = book.SetCellStr(sheetName, at, cell.Text)
			}
			if err != nil {
				return nil, err
			}
		}
	}
	if err := book.SetPanes(sheetName, &excelize.Panes{Freeze: true, YSplit: 1, TopLeftCell: "A2", ActivePane: "bottomLeft"}); err != nil {
		return nil, err
	}
	var b bytes.Buffer
	err = book.Write(&b)
	return b.Bytes(), err
}
