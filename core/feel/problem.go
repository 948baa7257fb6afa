package feel

import (
	"fmt"
	"strings"
	"unicode/utf8"
)

// Severity says whether a problem keeps a formula from being used.
type Severity uint8

// An Error keeps a formula from being used; a Warning is legal but suspicious.
const (
	Error Severity = iota
	Warning
)

// Problem is something wrong with a formula, at its place in the text.
type Problem struct {
	Severity   Severity
	Code       string // stable: "syntax", "unknown-name", "type", "argument", "limit"
	Message    string // what was found and what fits
	Suggestion string // text that would likely be right in place of Start..End; "" if none is near
	Start, End int    // byte offsets into the formula; End is exclusive
	Line       int    // 1-based, of Start
	Column     int    // 1-based, of Start, counted in characters
}

// Error returns the message with its line and column.
func (p Problem) Error() string {
	return fmt.Sprintf("%s (line %d, column %d)", p.Message, p.Line, p.Column)
}

// Problems are the problems of one formula, in the order of the text.
type Problems []Problem

// Errors returns the first error among the problems, or nil when there are only
// warnings or none.
func (p Problems) Errors() error {
	for _, problem := range p {
		if problem.Severity == Error {
			return problem
		}
	}
	return nil
}

func problemAt(source string, start, end int, code, message string) Problem {
	start = min(start, len(source))
	line := 1 + strings.Count(source[:start], "\n")
	column := 1 + utf8.RuneCountInString(source[strings.LastIndexByte(source[:start], '\n')+1:start])
	return Problem{Code: code, Message: message, Start: start, End: min(end, len(source)), Line: line, Column: column}
}

// nearest returns the candidate that a writer most likely meant by name, or "".
func nearest(name string, candidates []string) string {
	best, bestDistance := "", 1+len(name)/3
	for _, c := range candidates {
		if difference := len(name) - len(c); max(difference, -difference) > bestDistance*utf8.UTFMax {
			continue
		}
		if d := distance(strings.ToLower(name), strings.ToLower(c)); d < bestDistance || (d == bestDistance && best == "") {
			best, bestDistance = c, d
		}
	}
	return best
}

// distance counts the letters to change, insert, drop or swap with a neighbour
// to get from a to b (optimal string alignment).
func distance(a, b string) int {
	x, y := []rune(a), []rune(b)
	rows := make([][]int, len(x)+1)
	for i := range rows {
		rows[i] = make([]int, len(y)+1)
		rows[i][0] = i
	}
	for j := range rows[0] {
		rows[0][j] = j
	}
	for i := 1; i <= len(x); i++ {
		for j := 1; j <= len(y); j++ {
			cost := 1
			if x[i-1] == y[j-1] {
				cost = 0
			}
			rows[i][j] = min(rows[i-1][j]+1, rows[i][j-1]+1, rows[i-1][j-1]+cost)
			if i > 1 && j > 1 && x[i-1] == y[j-2] && x[i-2] == y[j-1] {
				rows[i][j] = min(rows[i][j], rows[i-2][j-2]+1)
			}
		}
	}
	return rows[len(x)][len(y)]
}
