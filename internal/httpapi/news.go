package httpapi

import (
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"net/http"
	"strconv"
	"time"

	"github.com/labstack/echo/v5"

	"codicil/internal/app/news"
)

// newsPath is where somebody listens, for long.
const newsPath = base + "/news"

// eventStream is the type of content of server-sent events.
const eventStream = "text/event-stream"

// listens tells whether a request stays open while nothing is said.
func listens(c *echo.Context) bool { return c.Request().URL.Path == newsPath }

// GetNews tells news as server-sent events.
func (s *server) GetNews(ctx context.Context, r GetNewsRequestObject) (GetNewsResponseObject, error) {
	after := r.Params.After
	if id, err := strconv.ParseInt(r.Params.LastEventID, 10, 64); err == nil {
		after = id
	}
	return listening{s, ctx, after, r.Params.Once}, nil
}

// BePresent says where somebody is.
func (s *server) BePresent(ctx context.Context, r BePresentRequestObject) (BePresentResponseObject, error) {
	v, err := s.app.News.Present(ctx, *r.Body)
	return BePresent200JSONResponse(v), err
}

// listening is the answer to who listens.
type listening struct {
	*server
	ctx   context.Context //nolint:containedctx // of the request that it answers
	after int64
	once  bool
}

// toTake is how long somebody who listens may take until they have what was said.
const toTake = 10 * time.Second

// askAgain is after how many milliseconds a browser listens again whose line was broken.
const askAgain = 2000

// VisitGetNewsResponse writes events until nobody listens.
func (l listening) VisitGetNewsResponse(w http.ResponseWriter) error {
	control, begun := http.NewResponseController(w), false
	err := l.app.News.Watch(l.ctx, l.after, l.once, l.door.still(l.ctx), func(h *news.Heard) error {
		// Not every writer can; those of the server can.
		_ = control.SetWriteDeadline(time.Now().Add(toTake))
		if !begun {
			begun = true
			w.Header().Set(echo.HeaderContentType, eventStream)
			w.Header().Set("X-Accel-Buffering", "no") // a proxy passes on what it has
			w.WriteHeader(http.StatusOK)
			if _, err := fmt.Fprintf(w, "retry: %d\n\n", askAgain); err != nil {
				return err
			}
		}
		text := []byte(":\n\n")
		if h != nil {
			data, err := json.Marshal(h.News)
			if err != nil {
				return err
			}
			text = fmt.Appendf(nil, "id: %d\nevent: news\ndata: %s\n\n", h.ID, data)
		}
		if _, err := w.Write(text); err != nil {
			return err
		}
		return control.Flush()
	})
	if begun { // nobody is left to whom it could be told
		return nil
	}
	return errors.Join(err, l.ctx.Err())
}
