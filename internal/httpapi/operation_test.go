package httpapi_test

import (
	"bytes"
	"log/slog"
	"net/http"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

func TestTheServerTellsThatItIsThereAndWhatWasAsked(t *testing.T) {
	c := start(t)
	var log bytes.Buffer
	before := slog.Default()
	t.Cleanup(func() { slog.SetDefault(before) })
	slog.SetDefault(slog.New(slog.NewJSONHandler(&log, nil)))
	for path, status := range map[string]int{"/healthz": http.StatusOK, "/readyz": http.StatusOK, "/api/v1/records/vendor/V0?secret=1": http.StatusNotFound} {
		answer, err := http.Get(c.server.URL + path)
		require.NoError(t, err)
		_ = answer.Body.Close()
		assert.Equal(t, status, answer.StatusCode, path)
		id := answer.Header.Get("X-Request-Id")
		assert.Len(t, id, 12)
		assert.Contains(t, log.String(), id)
	}
	assert.Contains(t, log.String(), `"path":"/api/v1/records/vendor/V0","status":404`)
	assert.NotContains(t, log.String(), "secret")
}
