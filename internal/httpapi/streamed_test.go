package httpapi

import (
	"errors"
	"io"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

func TestAnAnswerThatComesLineByLineTellsWhatGoesWrong(t *testing.T) {
	_, err := lines(func(func(any) error) error { return errors.New("refused") })
	require.EqualError(t, err, "refused", "before the first line: the request's own")

	_, err = lines(func(func(any) error) error { panic("broken") })
	require.ErrorContains(t, err, "broken", "a panic is an error")

	read := func(work func(write func(any) error) error) (string, error) {
		body, err := lines(work)
		require.NoError(t, err)
		text, err := io.ReadAll(body)
		return string(text), err
	}
	text, err := read(func(write func(any) error) error { return write(1) })
	require.NoError(t, err)
	assert.Equal(t, "1\n", text)
	text, err = read(func(write func(any) error) error {
		_ = write(1)
		panic("broken")
	})
	require.ErrorContains(t, err, "broken", "whoever reads is not told that this was all")
	assert.Equal(t, "1\n", text)

	left := make(chan error)
	body, err := lines(func(write func(any) error) error {
		for {
			if err := write(1); err != nil {
				left <- err
				return err
			}
		}
	})
	require.NoError(t, err)
	require.NoError(t, body.(io.Closer).Close())
	require.ErrorIs(t, <-left, io.ErrClosedPipe, "it ends when nobody reads")
}
