package exchange

import (
	"bufio"
	"bytes"
	"encoding/csv"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"slices"
	"strconv"
	"strings"
	"unicode/utf8"

	"golang.org/x/text/encoding"
	"golang.org/x/text/encoding/ianaindex"
	"golang.org/x/text/encoding/japanese"
	"golang.org/x/text/encoding/unicode"
)

// The forms of files of rows.
const (
	CSV    = "csv"
	XLSX   = "xlsx"
	NDJSON = "ndjson"
)

// The bounds of a file of rows.
const (
	MaxColumns = 500
	MaxRows    = 1_000_000
	// maxRow is how many bytes one row may take.
	maxRow = 1 << 20
)

// Source says how a file of rows is read. A file is opened as often as it is gone through.
type Source struct {
	Form      string
	Encoding  string // of CSV, as IANA names it
	Separator string // of CSV
	Sheet     string // of a workbook
	Sheets    []string
	// Columns are named by the first row that is not blank; in NDJSON by the keys of the objects, those in an array
	// "lines" with "lines." before them.
	Columns []string
	Rows    int
}

// Row is a row of a file.
type Row struct {
	At    int // counted from 1, with the head
	Cells []Cell
	// Within tells that the row goes on with the record of the row before, as one object of NDJSON has several lines.
	Within bool
}

// UnreadableError says why a file cannot be read, in words for the person who brought it.
type UnreadableError struct{ Why string }

func (e *UnreadableError) Error() string { return e.Why }

func unreadable(format string, values ...any) error {
	return &UnreadableError{fmt.Sprintf(format, values...)}
}

// Open opens a file from its start.
type Open func() (io.ReadCloser, error)

// Look finds out how a file is read, goes through all of it, and tells its columns and how many rows it has. What given says
// is taken as it is. name decides what it is where its first bytes do not. Cost: the file once or twice, a row in memory.
func Look(name string, open Open, given Source) (s Source, err error) {
	s = given
	head, err := beginning(open)
	if err != nil {
		return s, err
	}
	lower := strings.ToLower(name)
	trimmed := bytes.TrimLeft(bytes.TrimPrefix(head, []byte("\ufeff")), " \t\r\n")
	switch {
	case bytes.HasPrefix(head, []byte("PK\x03\x04")):
		s.Form = XLSX
	case bytes.HasPrefix(head, []byte("\xd0\xcf\x11\xe0")):
		return s, unreadable("this is a workbook of the old binary form or one with a password: save it as XLSX without a password")
	case len(trimmed) == 0:
		return s, unreadable("the file is empty")
	case trimmed[0] == '{' && !strings.HasSuffix(lower, ".csv"):
		s.Form = NDJSON
	default:
		s.Form = CSV
		if err := s.lookAtText(open, head); err != nil {
			return s, err
		}
	}
	if s.Form == NDJSON {
		if s.Columns, err = keysOfObjects(open); err != nil {
			return s, err
		}
	} else {
		s.Columns = nil
	}
	if s.Form == XLSX {
		if s.Sheets, err = sheetsOf(open); err != nil {
			return s, err
		}
		if s.Sheet == "" {
			s.Sheet = s.Sheets[0]
		}
		if !slices.Contains(s.Sheets, s.Sheet) {
			return s, unreadable("the workbook has no sheet %q", s.Sheet)
		}
	}
	s.Rows = 0
	err = s.each(open, func(columns []string) { s.Columns = columns }, func(*Row) error {
		s.Rows++
		return nil
	})
	if err == nil && len(s.Columns) == 0 {
		err = unreadable("the file has no head: its first row names the columns")
	}
	return s, err
}

// Each goes through the rows of a file, without its head. Cost: the file, a row in memory.
func (s *Source) Each(open Open, do func(*Row) error) error {
	return s.each(open, func([]string) {}, do)
}

func (s *Source) each(open Open, head func([]string), do func(*Row) error) error {
	count := 0
	counted := func(r *Row) error {
		if count++; count > MaxRows {
			return unreadable("the file has more than %d rows: divide it", MaxRows)
		}
		return do(r)
	}
	if s.Form == NDJSON {
		return s.eachObject(open, counted)
	}
	var columns []string
	cells := func(at int, row []Cell) error {
		for len(row) > 0 && row[len(row)-1].Text == "" {
			row = row[:len(row)-1]
		}
		switch {
		case len(row) == 0:
			return nil
		case len(row) > MaxColumns:
			return unreadable("row %d has %d columns; a file has %d at most", at, len(row), MaxColumns)
		case columns == nil:
			columns = named(row)
			head(columns)
			return nil
		case len(row) > len(columns):
			return unreadable("row %d has %d values, but the head names %d columns", at, len(row), len(columns))
		}
		return counted(&Row{At: at, Cells: append(row, make([]Cell, len(columns)-len(row))...)})
	}
	if s.Form == XLSX {
		return s.eachOfSheet(open, cells)
	}
	return s.eachOfText(open, cells)
}

// named are the names of columns: none is blank, and none there twice.
func named(row []Cell) []string {
	names := make([]string, len(row))
	for i, c := range row {
		name := strings.Join(strings.Fields(c.Text), " ")
		if name == "" {
			name = "Column " + strconv.Itoa(i+1)
		}
		for n, plain := 2, name; slices.Contains(names[:i], name); n++ {
			name = fmt.Sprintf("%s (%d)", plain, n)
		}
		names[i] = name
	}
	return names
}

func beginning(open Open) ([]byte, error) {
	file, err := open()
	if err != nil {
		return nil, err
	}
	head := make([]byte, 64<<10)
	n, err := io.ReadFull(file, head)
	if errors.Is(err, io.EOF) || errors.Is(err, io.ErrUnexpectedEOF) {
		err = nil
	}
	return head[:n], errors.Join(err, file.Close())
}

// lookAtText finds out the encoding and what parts the values.
func (s *Source) lookAtText(open Open, head []byte) error {
	if s.Encoding == "" {
		found, err := encodingOf(open, head)
		if err != nil {
			return err
		}
		s.Encoding = found
	}
	decoder, err := decoderOf(s.Encoding)
	if err != nil {
		return err
	}
	// What was cut off in the middle of a letter does not matter here.
	text, _ := io.ReadAll(decoder.Reader(bytes.NewReader(head)))
	if bytes.IndexByte(text, 0) >= 0 {
		return unreadable("this is not a text: bring CSV, XLSX or NDJSON, or choose another encoding")
	}
	if s.Separator == "" {
		s.Separator = separatorOf(string(text))
	}
	if utf8.RuneCountInString(s.Separator) != 1 || strings.ContainsAny(s.Separator, "\"\r\n") {
		return unreadable("%q cannot part values", s.Separator)
	}
	return nil
}

// encodingOf tells the encoding of a text: what its mark says, UTF-8 where all of it can be that, Shift JIS where that
// gives Japanese, and else what Windows writes in Western Europe.
func encodingOf(open Open, head []byte) (string, error) {
	switch {
	case bytes.HasPrefix(head, []byte("\xff\xfe")):
		return "utf-16le", nil
	case bytes.HasPrefix(head, []byte("\xfe\xff")):
		return "utf-16be", nil
	}
	file, err := open()
	if err != nil {
		return "", err
	}
	defer func() { _ = file.Close() }()
	in := bufio.NewReaderSize(file, 1<<16)
	for {
		r, size, err := in.ReadRune()
		if errors.Is(err, io.EOF) {
			return "utf-8", nil
		}
		if err != nil {
			return "", err
		}
		if r == utf8.RuneError && size == 1 {
			break
		}
	}
	text, err := japanese.ShiftJIS.NewDecoder().Bytes(head)
	if err == nil {
		signs, broken := 0, 0
		for _, r := range string(text) {
			switch {
			case r >= 0x3040 && r < 0xa000:
				signs++
			case r == utf8.RuneError:
				broken++
			}
		}
		if signs > 1 && broken <= 1 {
			return "shift_jis", nil
		}
	}
	return "windows-1252", nil
}

func decoderOf(name string) (*encoding.Decoder, error) {
	switch strings.ToLower(name) {
	case "utf-8":
		return unicode.UTF8BOM.NewDecoder(), nil
	case "utf-16le":
		return unicode.UTF16(unicode.LittleEndian, unicode.UseBOM).NewDecoder(), nil
	case "utf-16be":
		return unicode.UTF16(unicode.BigEndian, unicode.UseBOM).NewDecoder(), nil
	}
	found, err := ianaindex.IANA.Encoding(name)
	if err != nil || found == nil {
		return nil, unreadable("no encoding is called %q; examples are utf-8, windows-1252, iso-8859-2 and shift_jis", name)
	}
	return found.NewDecoder(), nil
}

// separatorOf is what parts the values of a text: of tabs, semicolons, bars and commas the one of which its first rows
// have most outside of quotes, and the same number in each.
func separatorOf(text string) string {
	best, score := ",", 0
	for _, candidate := range "\t;|," {
		var counts []int
		count, quoted := 0, false
		for _, r := range text {
			switch {
			case r == '"':
				quoted = !quoted
			case r == '\n' && !quoted:
				if counts = append(counts, count); len(counts) == 20 {
					break
				}
				count = 0
			case r == candidate && !quoted:
				count++
			}
		}
		if len(counts) == 0 {
			counts = []int{count}
		}
		here := counts[0] * 10
		for _, n := range counts[1:] {
			if n == counts[0] && n > 0 {
				here += 10
			}
		}
		if here > score {
			best, score = string(candidate), here
		}
	}
	return best
}

// bounded ends a row that is too long, as one is whose quote is never closed.
type bounded struct {
	in   io.Reader
	left int
}

func (b *bounded) Read(p []byte) (int, error) {
	if b.left <= 0 {
		return 0, unreadable("a row takes more than %d kB; is a quote not closed?", maxRow>>10)
	}
	n, err := b.in.Read(p[:min(len(p), b.left)])
	b.left -= n
	return n, err
}

func (s *Source) eachOfText(open Open, do func(int, []Cell) error) error {
	decoder, err := decoderOf(s.Encoding)
	if err != nil {
		return err
	}
	file, err := open()
	if err != nil {
		return err
	}
	defer func() { _ = file.Close() }()
	in := &bounded{in: decoder.Reader(file), left: maxRow}
	r := csv.NewReader(in)
	r.Comma, _ = utf8.DecodeRuneInString(s.Separator)
	r.FieldsPerRecord, r.LazyQuotes, r.ReuseRecord = -1, r.Comma == '\t', true
	for {
		texts, err := r.Read()
		if errors.Is(err, io.EOF) {
			return nil
		}
		if err != nil {
			var wrong *csv.ParseError
			if errors.As(err, &wrong) && !errors.As(err, new(*UnreadableError)) {
				return unreadable("row %d cannot be read: %v", wrong.StartLine, wrong.Err)
			}
			return err
		}
		in.left = maxRow
		line, _ := r.FieldPos(0)
		cells := make([]Cell, len(texts))
		for i, text := range texts {
			cells[i].Text = plain(strings.TrimSpace(strings.ToValidUTF8(text, "\ufffd")))
		}
		if err := do(line, cells); err != nil {
			return err
		}
	}
}

// objects goes through the lines of NDJSON.
func objects(open Open, do func(at int, object map[string]json.RawMessage) error) error {
	file, err := open()
	if err != nil {
		return err
	}
	defer func() { _ = file.Close() }()
	lines := bufio.NewScanner(unicode.UTF8BOM.NewDecoder().Reader(file))
	lines.Buffer(make([]byte, 64<<10), maxRow)
	for at := 1; lines.Scan(); at++ {
		if len(bytes.TrimSpace(lines.Bytes())) == 0 {
			continue
		}
		var object map[string]json.RawMessage
		if err := json.Unmarshal(lines.Bytes(), &object); err != nil {
			return unreadable("line %d is not an object of JSON: %v", at, err)
		}
		if err := do(at, object); err != nil {
			return err
		}
	}
	if errors.Is(lines.Err(), bufio.ErrTooLong) {
		return unreadable("a line takes more than %d kB", maxRow>>10)
	}
	return lines.Err()
}

const linesKey = "lines"

func keysOfObjects(open Open) (columns []string, err error) {
	seen := map[string]bool{}
	note := func(object map[string]json.RawMessage, prefix string) {
		for key := range object {
			if prefix+key != linesKey {
				seen[prefix+key] = true
			}
		}
	}
	err = objects(open, func(at int, object map[string]json.RawMessage) error {
		note(object, "")
		lines, err := linesOf(at, object)
		for _, line := range lines {
			note(line, linesKey+".")
		}
		if err == nil && len(seen) > MaxColumns {
			err = unreadable("line %d: the objects have more than %d keys", at, MaxColumns)
		}
		return err
	})
	for key := range seen {
		columns = append(columns, key)
	}
	slices.SortFunc(columns, func(a, b string) int {
		inA, inB := strings.HasPrefix(a, linesKey+"."), strings.HasPrefix(b, linesKey+".")
		switch {
		case inA && !inB:
			return 1
		case inB && !inA:
			return -1
		}
		return strings.Compare(a, b)
	})
	return columns, err
}

func linesOf(at int, object map[string]json.RawMessage) (lines []map[string]json.RawMessage, err error) {
	if text := object[linesKey]; len(text) > 0 {
		if json.Unmarshal(text, &lines) != nil {
			return nil, unreadable("line %d: lines must be an array of objects", at)
		}
	}
	return lines, nil
}

func (s *Source) eachObject(open Open, do func(*Row) error) error {
	at := map[string]int{}
	for i, column := range s.Columns {
		at[column] = i
	}
	return objects(open, func(line int, object map[string]json.RawMessage) error {
		lines, err := linesOf(line, object)
		if err != nil {
			return err
		}
		for n := range max(1, len(lines)) {
			row := &Row{At: line, Cells: make([]Cell, len(s.Columns)), Within: n > 0}
			if n == 0 {
				if err := fill(row, at, object, "", line); err != nil {
					return err
				}
			}
			if n < len(lines) {
				if err := fill(row, at, lines[n], linesKey+".", line); err != nil {
					return err
				}
			}
			if err := do(row); err != nil {
				return err
			}
		}
		return nil
	})
}

func fill(row *Row, at map[string]int, object map[string]json.RawMessage, prefix string, line int) error {
	for key, text := range object {
		place, known := at[prefix+key]
		if !known {
			continue // "lines" itself
		}
		trimmed := strings.TrimSpace(string(text))
		switch {
		case trimmed == "null":
		case trimmed[0] == '"':
			var value string
			if err := json.Unmarshal(text, &value); err != nil {
				return unreadable("line %d, %s: %v", line, prefix+key, err)
			}
			row.Cells[place] = Cell{Text: strings.TrimSpace(value), Exact: true}
		case trimmed[0] == '{' || trimmed[0] == '[':
			return unreadable("line %d, %s is not a single value", line, prefix+key)
		default:
			row.Cells[place] = Cell{Text: trimmed, Exact: true}
		}
	}
	return nil
}
