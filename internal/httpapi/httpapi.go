// Package httpapi serves the contract over HTTP, and the web client beside it.
//
// It must never know how anything is computed or kept: it turns requests into
// calls of use cases, and errors into problem+json. Start reading at New.
package httpapi

import (
	"compress/gzip"
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"io/fs"
	"log/slog"
	"net"
	"net/http"
	"net/url"
	"strings"
	"sync"
	"time"

	"github.com/getkin/kin-openapi/openapi3"
	"github.com/getkin/kin-openapi/openapi3filter"
	"github.com/getkin/kin-openapi/routers"
	"github.com/getkin/kin-openapi/routers/gorillamux"
	"github.com/labstack/echo/v5"
	"github.com/labstack/echo/v5/middleware"

	"codicil/api"
	"codicil/core/field"
	"codicil/core/judge"
	"codicil/core/notice"
	"codicil/internal/actor"
	"codicil/internal/app"
	"codicil/internal/contract"
	"codicil/internal/fault"
	"codicil/internal/view"
)

const (
	base        = "/api/v1"
	largestAsk  = 4 << 20 // bytes of a request
	leastPacked = 1 << 10 // bytes of an answer that is compressed
	longestAsk  = 5 * time.Minute

	// How long a client may take: for the head of a request, for its body, for taking the answer, and between two
	// requests. What stalls does not live for ever.
	longestHead   = 10 * time.Second
	longestBody   = 60 * time.Second
	longestAnswer = longestAsk + time.Minute
	longestIdle   = 2 * time.Minute
	largestHead   = 64 << 10 // bytes
	// longestEnd is how long what is under way may go on when the program is told to end.
	longestEnd = 5 * time.Second
)

// New returns the handler of the whole application. client holds the files of
// the web client, and user is the name of the person who uses this machine, under which all is
// kept as long as nobody signs in.
func New(a *app.App, user string, client fs.FS) (*Handler, error) {
	router, err := contractRouter()
	if err != nil {
		return nil, err
	}
	w := newWatch(a)
	e := echo.New()
	e.Logger = slog.Default()
	e.HTTPErrorHandler = writeProblem
	e.Use(w.watching, middleware.Recover(), middleware.BodyLimitWithConfig(middleware.BodyLimitConfig{LimitBytes: largestAsk, Skipper: bringsFile}), middleware.GzipWithConfig(middleware.GzipConfig{Level: gzip.BestSpeed, MinLength: leastPacked}), onlyThisMachine, secure, inTime, asking(user), checkRequest(router))
	RegisterHandlersWithBaseURL(e, NewStrictHandler(&server{a}, nil), base)
	e.GET("/healthz", func(c *echo.Context) error { return c.String(http.StatusOK, "ok\n") })
	e.GET("/readyz", func(c *echo.Context) error {
		if err := a.Ready(c.Request().Context()); err != nil {
			slog.Error("not ready", "error", err)
			return c.String(http.StatusServiceUnavailable, "the data cannot be read\n")
		}
		return c.String(http.StatusOK, "ready\n")
	})
	e.GET("/metrics", echo.WrapHandler(w.serve))
	e.GET("/*", serveClient(client))
	return &Handler{Handler: e, watch: w}, nil
}

// Handler is the handler of the whole application.
type Handler struct {
	http.Handler
	watch *watch
}

// Serve listens on a loopback address and serves until the context ends. ready
// is told the address when connections are accepted.
func Serve(ctx context.Context, address string, handler *Handler, ready func(url string)) error {
	host, _, err := net.SplitHostPort(address)
	if err != nil {
		return fmt.Errorf("address %q: %w", address, err)
	}
	if ip := net.ParseIP(host); host != "localhost" && (ip == nil || !ip.IsLoopback()) {
		return fmt.Errorf("address %q is not on this machine: Codicil has no log-in yet and listens on 127.0.0.1 only", address)
	}
	listener, err := new(net.ListenConfig).Listen(ctx, "tcp", address)
	if err != nil {
		return fmt.Errorf("listen: %w; choose another with --address", err)
	}
	s := &http.Server{Handler: handler, ReadHeaderTimeout: longestHead, ReadTimeout: longestBody, WriteTimeout: longestAnswer, IdleTimeout: longestIdle, MaxHeaderBytes: largestHead}
	ready("http://" + listener.Addr().String())
	done := make(chan error, 1)
	go func() { done <- s.Serve(listener) }()
	select {
	case err := <-done:
		return err
	case <-ctx.Done():
		stop, cancel := context.WithTimeout(context.WithoutCancel(ctx), longestEnd)
		defer cancel()
		err := s.Shutdown(stop)
		for _, what := range handler.watch.open() {
			slog.Warn("a request was cut off", "request", what)
		}
		return errors.Join(err, s.Close())
	}
}

// bringsFile tells whether a request brings a file, which is read piece by piece and bounded by who reads it.
func bringsFile(c *echo.Context) bool {
	r := c.Request()
	return r.Method == http.MethodPost && r.URL.Path == base+"/loads" && r.Header.Get(echo.HeaderContentType) == echo.MIMEOctetStream
}

// onlyThisMachine refuses requests that a page of another site makes a browser
// send: their Host or Origin is not on this machine.
func onlyThisMachine(next echo.HandlerFunc) echo.HandlerFunc {
	return func(c *echo.Context) error {
		r := c.Request()
		hosts := []string{r.Host}
		if origin := r.Header.Get("Origin"); origin != "" {
			u, err := url.Parse(origin)
			if err != nil {
				return echo.ErrForbidden
			}
			hosts = append(hosts, u.Host)
		}
		for _, hostPort := range hosts {
			host := hostPort
			if h, _, err := net.SplitHostPort(hostPort); err == nil {
				host = h
			}
			if ip := net.ParseIP(strings.Trim(host, "[]")); host != "localhost" && (ip == nil || !ip.IsLoopback()) {
				return echo.ErrForbidden
			}
		}
		return next(c)
	}
}

// asking says who asks for what comes next: a person in a browser, which tells how it fetches, or
// a program.
func asking(user string) echo.MiddlewareFunc {
	return func(next echo.HandlerFunc) echo.HandlerFunc {
		return func(c *echo.Context) error {
			r, via := c.Request(), actor.Program
			if r.Header.Get("Sec-Fetch-Mode") != "" {
				via = actor.Browser
			}
			who := actor.Named(user, via)
			// What is no format leaves the one that everybody reads; it never keeps a request from its answer.
			if written := r.Header.Get("Person-Format"); written != "" {
				var f field.Format
				if json.Unmarshal([]byte(written), &f) == nil && f.Sound() {
					who.Format = f
				}
			}
			c.SetRequest(r.WithContext(actor.With(r.Context(), who)))
			return next(c)
		}
	}
}

// inTime ends the work for a request that takes too long; that for a caller who has left ends
// too.
func inTime(next echo.HandlerFunc) echo.HandlerFunc {
	return func(c *echo.Context) error {
		ctx, cancel := context.WithTimeout(c.Request().Context(), longestAsk)
		defer cancel()
		c.SetRequest(c.Request().WithContext(ctx))
		return next(c)
	}
}

func secure(next echo.HandlerFunc) echo.HandlerFunc {
	return func(c *echo.Context) error {
		h := c.Response().Header()
		h.Set("Content-Security-Policy", "default-src 'self'; style-src 'self' 'unsafe-inline'; img-src 'self' data:; font-src 'self' data:; frame-ancestors 'none'")
		h.Set("X-Content-Type-Options", "nosniff")
		h.Set("Referrer-Policy", "no-referrer")
		if strings.HasPrefix(c.Request().URL.Path, base) {
			h.Set("Cache-Control", "no-store")
		}
		return next(c)
	}
}

// serveClient serves the files of the client; a path that is no file is a
// screen, and gets the page that shows it.
func serveClient(client fs.FS) echo.HandlerFunc {
	return func(c *echo.Context) error {
		path := strings.TrimPrefix(c.Request().URL.Path, "/")
		if strings.HasPrefix("/"+path, base) {
			return echo.ErrNotFound
		}
		if _, err := fs.Stat(client, path); path == "" || err != nil {
			if strings.HasPrefix(path, "assets/") {
				return echo.ErrNotFound
			}
			path = "index.html"
			c.Response().Header().Set("Cache-Control", "no-cache")
		} else if strings.HasPrefix(path, "assets/") { // their names change with their contents
			c.Response().Header().Set("Cache-Control", "public, max-age=31536000, immutable")
		}
		if _, err := fs.Stat(client, path); err != nil {
			return &fault.Fault{Reason: fault.NotFound, Notice: notBuilt.With()}
		}
		http.ServeFileFS(c.Response(), c.Request(), client, path)
		return nil
	}
}

// contractRouter finds the operation of a request in the contract, which is read once.
var contractRouter = sync.OnceValues(func() (routers.Router, error) {
	document, err := openapi3.NewLoader().LoadFromData(api.OpenAPI)
	if err != nil {
		return nil, fmt.Errorf("read the contract: %w", err)
	}
	return gorillamux.NewRouter(document)
})

// checkRequest refuses requests that the contract does not allow, before any
// handler sees them.
func checkRequest(router routers.Router) echo.MiddlewareFunc {
	return func(next echo.HandlerFunc) echo.HandlerFunc {
		return func(c *echo.Context) error {
			r := c.Request()
			if !strings.HasPrefix(r.URL.Path, base) {
				return next(c)
			}
			route, parameters, err := router.FindRoute(r)
			if err != nil {
				return next(c) // there is no such route, which Echo says better
			}
			input := &openapi3filter.RequestValidationInput{Request: r, PathParams: parameters, Route: route, Options: &openapi3filter.Options{ExcludeRequestBody: bringsFile(c)}}
			if err := openapi3filter.ValidateRequest(r.Context(), input); err != nil {
				return fault.Bad(badRequest, describe(err))
			}
			return next(c)
		}
	}
}

// describe says in one line what the contract misses in a request.
func describe(err error) string {
	var schema *openapi3.SchemaError
	if errors.As(err, &schema) {
		place := strings.Join(schema.JSONPointer(), ".")
		// What a schema is put together from tells that something within it is missed; that says what.
		for within := (*openapi3.SchemaError)(nil); errors.As(schema.Origin, &within); schema = within {
			if at := strings.Join(within.JSONPointer(), "."); len(at) > len(place) {
				place = at
			}
		}
		if place == "" {
			place = "the request"
		}
		return place + ": " + schema.Reason
	}
	line, _, _ := strings.Cut(err.Error(), "\n")
	return line
}

// What the server itself tells.
var (
	badRequest  = notice.Define("bad-request", "{why}")
	internal    = notice.Define("internal", "an internal error occurred; it has been logged")
	tookTooLong = notice.Define("took-too-long.request", "this took longer than {time} and was stopped; ask for less")
	noSuchPath  = notice.Define("not-found.path", "nothing found at this address")
	notAllowed  = notice.Define("method-not-allowed", "this method is not allowed at this address")
	forbidden   = notice.Define("forbidden", "requests are taken from this machine only")
	tooMuch     = notice.Define("request-entity-too-large", "the request is larger than {most} MB; send less")
	refused     = notice.Define("refused", "the request was refused ({status}); look at its address and headers")
	notBuilt    = notice.Define("not-built", "the web client is not built; run make build")
)

// statuses are the answers to faults.
var statuses = map[fault.Reason]int{fault.Invalid: http.StatusUnprocessableEntity, fault.NotFound: http.StatusNotFound, fault.Conflict: http.StatusConflict, fault.Unable: http.StatusServiceUnavailable}

// problemOf is the answer to an error. What a person cannot act on is told without its innards;
// then inside is true.
func problemOf(err error) (p contract.Problem, inside bool) {
	var known *fault.Fault
	var status echo.HTTPStatusCoder
	tell := func(code int, n notice.Notice) {
		p.Status, p.Code, p.Variant, p.Params, p.Detail = code, n.Code, n.Variant, n.Named(), n.String()
	}
	switch {
	case errors.As(err, &known):
		tell(statuses[known.Reason], known.Notice)
		if known.Code == badRequest.Code {
			p.Status = http.StatusBadRequest
		}
		if known.Code == tooMany.Code {
			p.Status = http.StatusTooManyRequests
		}
		inside = known.Reason == fault.Unable
		p.Code, p.Uses, p.Count = known.Known(), known.Uses, known.Count
		if known.Rule != nil {
			p.Problems = view.Problems(known.Rule)
		}
	case errors.As(err, &status) && status.StatusCode() < 500:
		switch code := status.StatusCode(); code {
		case http.StatusNotFound:
			tell(code, noSuchPath.With())
		case http.StatusMethodNotAllowed:
			tell(code, notAllowed.With())
		case http.StatusForbidden:
			tell(code, forbidden.With())
		case http.StatusRequestEntityTooLarge:
			tell(code, tooMuch.With(largestAsk>>20))
		default:
			tell(code, refused.With(code))
		}
	case errors.Is(err, context.DeadlineExceeded), errors.Is(err, judge.ErrStopped):
		tell(http.StatusServiceUnavailable, tookTooLong.With(longestAsk))
	default:
		tell(http.StatusInternalServerError, internal.With())
		inside = true
	}
	p.Type, p.Title, p.Detail = "about:blank", http.StatusText(p.Status), brief(p.Detail)
	for name, value := range p.Params {
		p.Params[name] = brief(value)
	}
	return p, inside
}

// longestTold is how many letters are told of what somebody sent.
const longestTold = 1000

// brief cuts a text that somebody sent to what a person can read.
func brief(text string) string {
	if letters := []rune(text); len(letters) > longestTold {
		return string(letters[:longestTold]) + "…"
	}
	return text
}

// writeProblem writes any error as problem+json; what is inside goes to the log.
func writeProblem(c *echo.Context, err error) {
	if errors.Is(err, context.Canceled) {
		return // nobody is waiting for an answer
	}
	problem, inside := problemOf(err)
	if inside {
		slog.Error("request failed", "method", c.Request().Method, "path", c.Request().URL.Path, "error", err)
	}
	c.Response().Header().Set("Content-Type", "application/problem+json")
	if err := c.JSON(problem.Status, problem); err != nil {
		slog.Error("answer failed", "error", err)
	}
}
