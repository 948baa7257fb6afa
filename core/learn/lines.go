package learn

import (
	"regexp"
	"strings"

	"codicil/core/field"
)

// EachRow is the Sheet.By of a sheet whose rows are records.
const EachRow = -1

// records says which rows of a sheet are one record.
type records struct {
	by     int    // the column whose value its rows share; EachRow: each row is a record, or the sheet says which are
	starts []int  // the first row of each
	lines  []bool // by column: whether it is one of the lines, whose values differ between the rows of a record
}

// identifier looks like the number of a document: letters and digits without decimals.
var identifier = regexp.MustCompile(`^\p{L}*[-/ ]?\d[\d\p{L}/-]*$`)

// records finds out which rows are one record, where the sheet does not say. Cost: the cells, for each column that
// could be the number of a document.
func (s *Sheet) records() records {
	switch {
	case s.Within != nil:
		r := records{by: EachRow, lines: make([]bool, len(s.Names))}
		for i, within := range s.Within {
			if !within {
				r.starts = append(r.starts, i)
			}
		}
		for at, name := range s.Names {
			r.lines[at] = strings.HasPrefix(name, field.LinePrefix)
		}
		return r
	case s.By == nil:
		return s.found()
	case *s.By >= 0:
		return s.grouped(*s.By)
	}
	return s.single()
}

func (s *Sheet) single() records {
	r := records{by: EachRow, starts: make([]int, len(s.Rows)), lines: make([]bool, len(s.Names))}
	for i := range r.starts {
		r.starts[i] = i
	}
	return r
}

// cell is a value of a row; "": it has none.
func (s *Sheet) cell(row, at int) string {
	if at < len(s.Rows[row]) {
		return s.Rows[row][at]
	}
	return ""
}

// groups tells whether rows that share a value of a column stand below each other, and some do.
func (s *Sheet) groups(at int) bool {
	seen, last, several := map[string]bool{}, "", false
	for row := range s.Rows {
		v := s.cell(row, at)
		if v == "" || v == last {
			several = several || row > 0
			continue
		}
		if seen[v] {
			return false
		}
		seen[v], last = true, v
	}
	return several && s.cell(0, at) != ""
}

// grouped takes rows that share a value of a column and stand below each other for one record; a blank goes on with the value above.
func (s *Sheet) grouped(by int) records {
	r := records{by: by, lines: make([]bool, len(s.Names))}
	last := ""
	for row := range s.Rows {
		if v := s.cell(row, by); row == 0 || (v != "" && v != last) {
			last = v
			r.starts = append(r.starts, row)
			continue
		}
		first := r.starts[len(r.starts)-1]
		for at := range s.Names {
			if c := s.cell(row, at); at != by && c != "" && c != s.cell(first, at) {
				r.lines[at] = true
			}
		}
	}
	return r
}

// mostCandidates is how many columns are tried as the number of a document.
const mostCandidates = 20

// found looks for the column whose values look like numbers of documents with several rows each: what stands in some other columns
// follows from it, and what stands in some differs. Of several it is the one with the most records. Where a column
// before it tells every row from the others, each row is a record.
func (s *Sheet) found() records {
	best := s.single()
	most, tried := 1, 0
	for at := range s.Names {
		if s.tells(at) || tried == mostCandidates {
			break
		}
		if !s.identifies(at) || !s.groups(at) {
			continue
		}
		tried++
		if r := s.grouped(at); len(r.starts) > most && s.divides(&r) {
			best, most = r, len(r.starts)
		}
	}
	return best
}

func (s *Sheet) identifies(at int) bool {
	var values []string
	for row := range s.Rows {
		if v := s.cell(row, at); v != "" {
			values = append(values, v)
		}
	}
	return len(values) > 0 && share(values, func(v string) bool { return identifier.MatchString(v) && !dateLike.MatchString(v) })
}

// tells tells whether a column has another value in every row, and no amount or day.
func (s *Sheet) tells(at int) bool {
	seen := map[string]bool{}
	for row := range s.Rows {
		v := s.cell(row, at)
		if v == "" || seen[v] || dateLike.MatchString(v) || isNumeric(v) && !identifier.MatchString(v) {
			return false
		}
		seen[v] = true
	}
	return true
}

// divides tells whether some columns are those of records and some those of their lines.
func (s *Sheet) divides(r *records) bool {
	header, line := false, false
	for at := range s.Names {
		switch {
		case at == r.by:
		case r.lines[at]:
			line = true
		default:
			first := s.cell(0, at)
			for _, row := range r.starts {
				header = header || (s.cell(row, at) != first)
			}
		}
	}
	return header && line
}
