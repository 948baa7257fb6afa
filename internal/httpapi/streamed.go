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

// begun is streamed from its first writing on. An error before that is that of the request; one after it breaks the answer
// off.
func begun(work func(io.Writer) error) (io.ReadCloser, error) {
	first := make(chan error, 1)
	body := streamed(func(w io.Writer) error {
		told := false
		err := safely(func() error {
			return work(writerFunc(func(text []byte) (int, error) {
				if !told {
					told = true
					first <- nil
				}
				return w.Write(text)
			}))
		})
		if !told {
			first <- err
			return nil // the request tells it
		}
		return err
	})
	if err := <-first; err != nil {
		return nil, errors.Join(err, body.Close())
	}
	return body, nil
}

type writerFunc func([]byte) (int, error)

func (f writerFunc) Write(text []byte) (int, error) { return f(text) }

// lines answers with a line of JSON for everything that work writes, as it comes.
func lines(work func(write func(any) error) error) (io.Reader, error) {
	return begun(func(w io.Writer) error { return work(json.NewEncoder(w).Encode) })
}
