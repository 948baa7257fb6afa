package httpapi

import (
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"log/slog"
	"runtime/debug"
)

// streamed is read while work writes it. Where the work fails, what reads it is told so; where nobody reads any more,
// its writing fails.
func streamed(work func(io.Writer) error) io.ReadCloser {
	read, write := io.Pipe()
	go func() {
		err := safely(func() error { return work(write) })
		if err != nil && !errors.Is(err, context.Canceled) && !errors.Is(err, io.ErrClosedPipe) {
			slog.Error("an answer broke off", "error", err)
		}
		_ = write.CloseWithError(err)
	}()
	return read
}

// safely makes a panic of work an error: outside of the goroutine of its request it would end the program.
func safely(work func() error) (err error) {
	defer func() {
		if cause := recover(); cause != nil {
			err = fmt.Errorf("panic: %v\n%s", cause, debug.Stack())
		}
	}()
	return work()
}

// lines answers with a line of JSON for everything that work writes, as it comes. An error before the
// first line is that of the request; one after it breaks the answer off.
func lines(work func(write func(any) error) error) (io.Reader, error) {
	begun := make(chan error, 1)
	body := streamed(func(w io.Writer) error {
		encoder := json.NewEncoder(w)
		first := true
		err := safely(func() error {
			return work(func(line any) error {
				if first {
					first = false
					begun <- nil
				}
				return encoder.Encode(line)
			})
		})
		if first {
			begun <- err
			return nil // the request tells it
		}
		return err
	})
	if err := <-begun; err != nil {
		_ = body.Close()
		return nil, err
	}
	return body, nil
}
