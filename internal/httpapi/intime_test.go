package httpapi

import (
	"context"
	"net/http"
	"net/http/httptest"
	"testing"
	"testing/synctest"
	"time"

	"github.com/labstack/echo/v5"
	"github.com/stretchr/testify/assert"
)

// An answer that goes on piece by piece is not cut; one of which nothing comes any more is.
func TestAnAnswerGoesOnAsLongAsItsPiecesCome(t *testing.T) {
	synctest.Test(t, func(t *testing.T) {
		ask := func(pieces int) (string, error) {
			answer := httptest.NewRecorder()
			c := echo.New().NewContext(httptest.NewRequest(http.MethodGet, "/", nil), answer)
			err := inTime(func(c *echo.Context) error {
				for range pieces {
					select {
					case <-time.After(longestAsk / 2):
					case <-c.Request().Context().Done():
						return c.Request().Context().Err()
					}
					if _, err := c.Response().Write([]byte("x")); err != nil {
						return err
					}
				}
				<-c.Request().Context().Done()
				return c.Request().Context().Err()
			})(c)
			return answer.Body.String(), err
		}
		text, err := ask(5)
		assert.Equal(t, "xxxxx", text)
		assert.ErrorIs(t, err, context.DeadlineExceeded, "nothing came any more")
		text, err = ask(0)
		assert.Empty(t, text)
		assert.ErrorIs(t, err, context.DeadlineExceeded)
	})
}
