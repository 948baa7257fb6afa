package loads

import (
	"maps"
	"slices"
	"strconv"
	"strings"

	"codicil/core/field"
	"codicil/core/judge"
	"codicil/internal/exchange"
)

// entry is a record of a file: one row, or several for its lines.
type entry struct {
	index  int // among the records of the file, from 1
	row    int // its first
	header map[string]exchange.Cell
	lines  []entryLine
	raw    [][]exchange.Cell
}

type entryLine struct {
	number int // 0: the file does not say
	cells  map[string]exchange.Cell
	wrong  string // what it says is no number
}

// mostRows is how many rows a record may have: the lines of a document.
const mostRows = judge.MaxLines

// entries goes through the records of a file in their order. Cost: the file, a record in memory.
func (p *plan) entries(source *exchange.Source, open exchange.Open, do func(*entry) error) error {
	var last *entry
	count := 0
	finish := func() error {
		if last == nil {
			return nil
		}
		e := last
		last = nil
		return do(e)
	}
	err := source.Each(open, func(r *exchange.Row) error {
		header, line := map[string]exchange.Cell{}, map[string]exchange.Cell{}
		for i, to := range p.columns {
			c := r.Cells[i]
			switch {
			case to == "" || c.Text == "":
			case to == toLine || strings.HasPrefix(to, field.LinePrefix):
				line[strings.TrimPrefix(to, field.LinePrefix)] = c
			default:
				header[to] = c
			}
		}
		if last == nil || !(r.Within || p.continues(last, header)) || len(last.raw) >= mostRows {
			if err := finish(); err != nil {
				return err
			}
			count++
			last = &entry{index: count, row: r.At, header: header}
		}
		last.raw = append(last.raw, r.Cells)
		if len(line) > 0 {
			l := entryLine{cells: line}
			if c, there := line[toLine]; there {
				n, err := strconv.Atoi(c.Text)
				if l.number = n; err != nil || n < 1 {
					l.number, l.wrong = 0, c.Text
				}
				delete(line, toLine)
			}
			last.lines = append(last.lines, l)
		}
		return nil
	})
	if err != nil {
		return told(err)
	}
	return finish()
}

// continues tells whether a row is a further line of the record before: where it states no header, the same key, or,
// without one, the same header.
func (p *plan) continues(e *entry, header map[string]exchange.Cell) bool {
	if !p.lined {
		return false
	}
	if len(header) == 0 {
		return true
	}
	keys := p.setup.Key
	if header[toNumber].Text != "" {
		keys = []string{toNumber}
	}
	stated := len(keys) > 0
	for _, key := range keys {
		stated = stated && header[key].Text != ""
	}
	if stated {
		return !slices.ContainsFunc(keys, func(key string) bool { return header[key].Text != e.header[key].Text })
	}
	return maps.Equal(header, e.header)
}

// cell is what a row has for a target, or what every row has.
func (p *plan) cell(e *entry, to string) exchange.Cell {
	if c, there := e.header[to]; there {
		return c
	}
	return exchange.Cell{Text: p.setup.Constants[to]}
}
