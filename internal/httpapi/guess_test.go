package httpapi_test

import (
	"encoding/json"
	"net/http"
	"net/url"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"codicil/internal/contract"
)

// Which rows are one record is found out, or said: by a column, or that each is one.
func TestAKindIsGuessedOverHTTP(t *testing.T) {
	t.Parallel()
	c := start(t)
	const orders = "Order,Boat,Article,Berth\nS-1,Petrel,rope,A\nS-1,Petrel,oar,A\nS-2,Skua,rope,B\nS-2,Skua,lamp,B\nS-3,Skua,oar,B\n"
	for _, asked := range []struct {
		query, by string
		records   int
		lines     []string
	}{
		{"", "Order", 3, []string{"Article"}},
		{"&by=Boat", "Boat", 2, []string{"Order", "Article"}},
		{"&each=true", "", 5, nil},
		{"&each=false", "Order", 3, []string{"Article"}},
	} {
		status, text := c.sends("/kinds/guess?name=orders.csv"+asked.query, "application/octet-stream", strings.NewReader(orders))
		require.Equal(t, http.StatusOK, status, text)
		var guess contract.KindGuess
		require.NoError(t, json.Unmarshal([]byte(text), &guess))
		assert.Equal(t, asked.by, guess.By, asked.query)
		assert.Equal(t, asked.records, guess.Records, asked.query)
		assert.Equal(t, 5, guess.Rows)
		var lines []string
		for _, column := range guess.Columns {
			if column.Line {
				lines = append(lines, column.Name)
			}
		}
		assert.Equal(t, asked.lines, lines, asked.query)
	}
}

// What no kind can be made of is told with the reason.
func TestAKindIsNotGuessedFromWhatCannotBeRead(t *testing.T) {
	t.Parallel()
	c := start(t)
	for _, bad := range []struct{ name, query, text, code string }{
		{"zeros.csv", "", strings.Repeat("\x00", 5000), "file-unreadable"},
		{"broken.xlsx", "", "PK\x03\x04, and then nothing of a workbook", "file-unreadable"},
		{"empty.csv", "", "", "file-unreadable"},
		{"orders.csv", "&by=Ship", "Order,Boat\nS-1,Petrel\n", "unknown-column"},
	} {
		status, text := c.sends("/kinds/guess?name="+url.QueryEscape(bad.name)+bad.query, "application/octet-stream", strings.NewReader(bad.text))
		assert.Equal(t, http.StatusUnprocessableEntity, status, "%s: %s", bad.name, text)
		var problem contract.Problem
		require.NoError(t, json.Unmarshal([]byte(text), &problem), text)
		assert.Equal(t, bad.code, problem.Code, "%s: %s", bad.name, text)
		assert.NotEmpty(t, problem.Detail)
	}
	status, text := c.sends("/kinds/guess", "application/octet-stream", strings.NewReader("a\n1\n"))
	assert.Equal(t, http.StatusBadRequest, status, "without a name: %s", text)
	status, _ = c.sends("/kinds/guess?name=a.csv&each=perhaps", "application/octet-stream", strings.NewReader("a\n1\n"))
	assert.Equal(t, http.StatusBadRequest, status)
}
