package httpapi

import (
	"net/http"

	"github.com/labstack/echo/v5"
)

// exact tells of every writing how much of it was written. The middleware that packs answers tells how much it has written
// of all that waited, where an answer comes in pieces, and who copies a stream takes that for a failure.
func exact(next echo.HandlerFunc) echo.HandlerFunc {
	return func(c *echo.Context) error {
		c.SetResponse(&exactWriter{c.Response()})
		return next(c)
	}
}

type exactWriter struct{ http.ResponseWriter }

// Write writes, and tells of no more than was given.
func (w *exactWriter) Write(text []byte) (int, error) {
	n, err := w.ResponseWriter.Write(text)
	return min(n, len(text)), err
}

// Flush sends what was written so far.
func (w *exactWriter) Flush() { _ = http.NewResponseController(w.ResponseWriter).Flush() }

// Unwrap returns the writer within.
func (w *exactWriter) Unwrap() http.ResponseWriter { return w.ResponseWriter }
