package httpapi_test

import (
	"io"
	"net/http"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"codicil/internal/contract"
)

// brings brings a file to load as it is, and returns the status and the answer.
func (c *client) brings(query, kind string, body io.Reader) (int, string) {
	c.t.Helper()
	return c.sends("/loads?"+query, kind, body)
}

// sends sends a file as it is.
func (c *client) sends(path, kind string, body io.Reader) (int, string) {
	c.t.Helper()
	request, err := http.NewRequestWithContext(c.t.Context(), http.MethodPost, c.server.URL+"/api/v1"+path, body)
	require.NoError(c.t, err)
	request.Header.Set("Content-Type", kind)
	response, err := http.DefaultClient.Do(request)
	require.NoError(c.t, err)
	defer func() { _ = response.Body.Close() }()
	text, err := io.ReadAll(response.Body)
	require.NoError(c.t, err)
	return response.StatusCode, string(text)
}

type endless struct{}

func (endless) Read(p []byte) (int, error) {
	for i := range p {
		p[i] = "a,b\n"[i%4]
	}
	return len(p), nil
}

// A file is read piece by piece: one of many megabytes is taken, one without an end is refused with the reason, and so is
// what cannot be read.
func TestAFileIsBroughtPieceByPiece(t *testing.T) {
	c := start(t)
	const octets = "application/octet-stream"
	status, text := c.brings("kind=vendor&name=big.csv", octets, strings.NewReader("Name,City\n"+strings.Repeat("Lantern,Kilbrack\n", 600_000)))
	assert.Equal(t, http.StatusCreated, status, text[:min(len(text), 200)])
	assert.Contains(t, text, `"rows":600000`)
	status, text = c.brings("kind=vendor&name=endless.csv", octets, endless{})
	assert.Equal(t, http.StatusUnprocessableEntity, status)
	assert.Contains(t, text, "file-too-large")
	status, text = c.brings("kind=vendor&name=zeros.csv", octets, strings.NewReader(strings.Repeat("\x00", 5000)))
	assert.Equal(t, http.StatusUnprocessableEntity, status)
	assert.Contains(t, text, "file-unreadable")
	status, text = c.brings("kind=nope&name=a.csv", octets, strings.NewReader("a\n1\n"))
	assert.Equal(t, http.StatusUnprocessableEntity, status)
	assert.Contains(t, text, "unknown-kind")
	status, _ = c.brings("kind=vendor&name=a.csv", "text/csv", strings.NewReader("a\n1\n"))
	assert.Equal(t, http.StatusBadRequest, status, "of another kind than the contract says")
	status, _ = c.brings("kind=vendor", octets, strings.NewReader("a\n1\n"))
	assert.Equal(t, http.StatusBadRequest, status, "without a name")
	var loads []contract.Load
	require.Equal(t, http.StatusOK, c.ask(http.MethodGet, "/loads", nil, &loads))
	assert.Len(t, loads, 3, "what cannot be read is not kept")
}

// A load is set up, started, stopped and taken back over HTTP.
func TestALoadIsDoneOverHTTP(t *testing.T) {
	c := start(t)
	var l contract.Load
	require.Equal(t, http.StatusOK, c.ask(http.MethodGet, "/loads/1", nil, &l))
	setup := l.Setup
	setup.Name = "Boatyard"
	require.Equal(t, http.StatusOK, c.ask(http.MethodPut, "/loads/1", setup, &l))
	assert.Equal(t, "Boatyard", l.Setups[0].Name)
	setup.Found = "nonsense"
	c.refused(http.MethodPut, "/loads/1", setup, http.StatusBadRequest, "bad-request")
	assert.Equal(t, map[string]int{"add": 12}, c.ended("/loads/1/start", nil).Counts)
	assert.Equal(t, map[string]int{"same": 12}, c.ended("/loads/1/start", nil).Counts)
	c.refused(http.MethodGet, "/loads/1/refused", nil, http.StatusNotFound, "not-found")
	assert.Equal(t, map[string]int{"withdrawn": 12}, c.ended("/runs/1/take-back", nil).Counts)
	c.refused(http.MethodPost, "/runs/1/take-back", nil, http.StatusConflict, "nothing-to-take-back")
	require.Equal(t, http.StatusNoContent, c.ask(http.MethodDelete, "/loads/1", nil, nil))
	c.refused(http.MethodGet, "/loads/1", nil, http.StatusNotFound, "not-found")
}
