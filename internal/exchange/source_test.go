package exchange

import (
	"archive/zip"
	"bytes"
	"compress/flate"
	"io"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"github.com/xuri/excelize/v2"
	"golang.org/x/text/encoding/charmap"
	"golang.org/x/text/encoding/japanese"
	"golang.org/x/text/encoding/unicode"
)

func of(data []byte) Open {
	return func() (io.ReadCloser, error) { return io.NopCloser(bytes.NewReader(data)), nil }
}

// looked reads a whole file; blank cells are left out of the texts.
func looked(t *testing.T, name string, data []byte) (Source, []string) {
	t.Helper()
	s, err := Look(name, of(data), Source{})
	require.NoError(t, err)
	var rows []string
	require.NoError(t, s.Each(of(data), func(r *Row) error {
		texts := make([]string, len(r.Cells))
		for i, c := range r.Cells {
			if texts[i] = c.Text; c.Exact {
				texts[i] = "=" + c.Text
			}
		}
		rows = append(rows, strings.Join(texts, "|"))
		return nil
	}))
	assert.Len(t, rows, s.Rows)
	return s, rows
}

func encoded(t *testing.T, text string, encode func(string) (string, error)) []byte {
	t.Helper()
	out, err := encode(text)
	require.NoError(t, err)
	return []byte(out)
}

func TestATextIsReadInItsEncodingAndWithItsSeparator(t *testing.T) {
	const text = "Name;Ort\nMüller & Söhne;Kiel\n\n\"Quay; Ltd\";Cork\n"
	want := []string{"Müller & Söhne|Kiel", "Quay; Ltd|Cork"}
	for name, data := range map[string][]byte{
		"utf-8":        []byte(text),
		"windows-1252": encoded(t, text, charmap.Windows1252.NewEncoder().String),
		"utf-16le":     encoded(t, text, unicode.UTF16(unicode.LittleEndian, unicode.UseBOM).NewEncoder().String),
		"utf-16be":     encoded(t, text, unicode.UTF16(unicode.BigEndian, unicode.UseBOM).NewEncoder().String),
	} {
		s, rows := looked(t, "x.csv", data)
		assert.Equal(t, [3]string{CSV, name, ";"}, [3]string{s.Form, s.Encoding, s.Separator})
		assert.Equal(t, []string{"Name", "Ort"}, s.Columns)
		assert.Equal(t, want, rows, name)
	}
	s, rows := looked(t, "x.csv", encoded(t, "名称,市\n株式会社みなと,神戸\n", japanese.ShiftJIS.NewEncoder().String))
	assert.Equal(t, "shift_jis", s.Encoding)
	assert.Equal(t, []string{"株式会社みなと|神戸"}, rows)
	for text, separator := range map[string]string{"a\tb\n1,5\t2,5\n": "\t", "a|b\n1,5|2\n": "|", "a,b\n1;2,3\n": ",", "\ufeffone\ntwo\n": ","} {
		s, _ := looked(t, "x.csv", []byte(text))
		assert.Equal(t, separator, s.Separator, text)
	}
	s, _ = looked(t, "x.csv", []byte("\ufeffa,,a\n1,2,3\n"))
	assert.Equal(t, []string{"a", "Column 2", "a (2)"}, s.Columns, "every column has a name of its own")
	given, err := Look("x.csv", of([]byte("a;b,c\n1;2,3\n")), Source{Separator: ","})
	require.NoError(t, err)
	assert.Equal(t, []string{"a;b", "c"}, given.Columns, "what a person says goes before what is found out")
}

func TestAWorkbookIsReadAsItIsShown(t *testing.T) {
	book := excelize.NewFile()
	for i, row := range [][]any{{"Name", "Amount", "Day"}, {"Quay", 0.1 + 0.2, 45992}, {"'=1+1", 1e-7, "0012"}, {}, {"Long", "1234567890123456789", "2E5"}} {
		require.NoError(t, book.SetSheetRow("Sheet1", "A"+string(rune('1'+i)), &row))
	}
	_, err := book.NewSheet("Other")
	require.NoError(t, err)
	var data bytes.Buffer
	require.NoError(t, book.Write(&data))
	s, rows := looked(t, "x.xlsx", data.Bytes())
	assert.Equal(t, []string{"Sheet1", "Other"}, s.Sheets)
	assert.Equal(t, []string{"Quay|=0.3|=45992", "=1+1|=0.0000001|=0012", "Long|=1234567890123456789|2E5"}, rows)
	_, err = Look("x.xlsx", of(data.Bytes()), Source{Sheet: "Nope"})
	assert.ErrorContains(t, err, `no sheet "Nope"`)
}

func TestObjectsAreReadWithTheirLines(t *testing.T) {
	s, rows := looked(t, "x.ndjson", []byte(`{"number":"A1","total":12.50,"lines":[{"item":"P","quantity":2},{"item":"Q"}]}

{"number":"A2","ok":true,"total":null}
`))
	assert.Equal(t, []string{"number", "ok", "total", "lines.item", "lines.quantity"}, s.Columns)
	assert.Equal(t, []string{"=A1||=12.50|=P|=2", "|||=Q|", "=A2|=true|||"}, rows)
}

func TestAFileThatCannotBeReadIsToldClearly(t *testing.T) {
	var bomb bytes.Buffer
	z := zip.NewWriter(&bomb)
	z.RegisterCompressor(zip.Deflate, func(w io.Writer) (io.WriteCloser, error) { return flate.NewWriter(w, flate.BestSpeed) })
	w, err := z.Create("xl/worksheets/sheet1.xml")
	require.NoError(t, err)
	_, err = io.CopyN(w, zeros{}, maxUnpacked+1)
	require.NoError(t, err)
	require.NoError(t, z.Close())
	for name, c := range map[string]struct {
		data []byte
		says string
	}{
		"empty":        {nil, "empty"},
		"blank":        {[]byte(" \n\n"), "empty"},
		"zeros":        {make([]byte, 1000), "not a text"},
		"old":          {[]byte("\xd0\xcf\x11\xe0\xa1\xb1\x1a\xe1 and more"), "save it as XLSX"},
		"quote":        {[]byte("a,b\n1,\"" + strings.Repeat("x", 3<<20)), "quote not closed"},
		"wide":         {[]byte(strings.Repeat("c,", 1_000_000) + "\n"), ""},
		"long row":     {[]byte("a,b\n1,2,3\n"), "row 2 has 3 values"},
		"bad quote":    {[]byte("a,b\n1,x\"y\n"), "row 2 cannot be read"},
		"not an array": {[]byte(`{"lines":3}`), "must be an array"},
		"deep":         {[]byte(`{"a":{"b":1}}`), "not a single value"},
		"broken":       {[]byte("{\"a\":1}\n{\"a\":"), "line 2 is not an object"},
		"bomb":         {bomb.Bytes(), "cannot be read"},
		"no workbook":  {[]byte("PK\x03\x04 nothing"), "workbook"},
	} {
		s, err := Look(name+".txt", of(c.data), Source{})
		if err == nil {
			err = s.Each(of(c.data), func(*Row) error { return nil })
		}
		var told *UnreadableError
		require.ErrorAs(t, err, &told, name)
		assert.Contains(t, told.Why, c.says, name)
	}
	_, err = Look("x", of([]byte("a,b\n")), Source{Encoding: "klingon"})
	assert.ErrorContains(t, err, "no encoding is called")
}

type zeros struct{}

func (zeros) Read(p []byte) (int, error) { clear(p); return len(p), nil }
