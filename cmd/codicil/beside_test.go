package main

import (
	"context"
	"net/http"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// The demo beside an application is started once, with an address and data of its own, and ends with it.
func TestTheDemoIsStartedBeside(t *testing.T) {
	ctx, cancel := context.WithCancel(t.Context())
	start, wait := beside(ctx)
	url, err := start(ctx)
	require.NoError(t, err)
	again, err := start(ctx)
	require.NoError(t, err)
	assert.Equal(t, url, again)
	request, err := http.NewRequestWithContext(ctx, http.MethodGet, url+"/readyz", nil)
	require.NoError(t, err)
	answer, err := http.DefaultClient.Do(request)
	require.NoError(t, err)
	require.NoError(t, answer.Body.Close())
	assert.Equal(t, http.StatusOK, answer.StatusCode)
	cancel()
	wait()
}
