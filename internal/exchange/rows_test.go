package exchange_test

import (
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"codicil/internal/exchange"
)

func TestRowsAreReadAsTheyCome(t *testing.T) {
	want := [][]string{{"IE", "4,10", "x"}, {"JP", "", "two words"}}
	for name, text := range map[string]string{
		"tabs":                 "IE\t4,10\tx\r\nJP\t\ttwo words\r\n",
		"semicolons":           "IE;4,10;x\n\n;;\nJP;;two words",
		"commas and quotes":    "\ufeffIE,\"4,10\",x\nJP,,two words\n",
		"spaces after a comma": "IE, \"4,10\", x\nJP, , two words\n",
	} {
		rows, err := exchange.Rows(text)
		require.NoError(t, err, name)
		assert.Equal(t, want, rows, name)
	}
	_, err := exchange.Rows("a,b\n\"c,d\n")
	assert.ErrorContains(t, err, "cannot be read")
	rows, err := exchange.Rows("")
	require.NoError(t, err)
	assert.Empty(t, rows)
}

// What is written is read again as it was, whatever the values hold.
func TestWhatIsWrittenIsReadAgain(t *testing.T) {
	value := rapid.StringMatching(`['=+@-]{0,3}[a-z,;" 0-9éß]{0,6}[a-z]`)
	rapid.Check(t, func(rt *rapid.T) {
		rows := rapid.SliceOfN(rapid.SliceOfN(value, 3, 3), 1, 5).Draw(rt, "rows")
		for i := range rows {
			for j := range rows[i] {
				for len(rows[i][j]) > 0 && rows[i][j][0] == ' ' {
					rows[i][j] = rows[i][j][1:]
				}
			}
		}
		rows = append([][]string{{"key", "one; or; more", "two"}}, rows...) // the first line shows what parts the values
		text, err := exchange.WriteRows(rows)
		if err != nil {
			rt.Fatal(err)
		}
		again, err := exchange.Rows(text)
		if err != nil || !assert.ObjectsAreEqual(rows, again) {
			rt.Fatalf("%q is read as %q: %v", text, again, err)
		}
	})
}

func TestNoTextIsAFormulaToASpreadsheet(t *testing.T) {
	rows := [][]string{{"a", "b", "c", "d"}, {"=1+1", "+353 1 555", "-x", "@SUM(A1)"}, {"-5", "-0.50", "'=2", "plain"}}
	text, err := exchange.WriteRows(rows)
	require.NoError(t, err)
	assert.Equal(t, "a,b,c,d\n'=1+1,'+353 1 555,'-x,'@SUM(A1)\n-5,-0.50,''=2,plain\n", text)
	again, err := exchange.Rows(text)
	require.NoError(t, err)
	assert.Equal(t, rows, again)
}
