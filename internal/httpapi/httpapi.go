// Package httpapi serves the contract over HTTP, and the web client beside it.
//
// It must never know how anything is computed or kept: it turns requests into
// calls of use cases, and errors into problem+json. Start reading at New.
package httpapi

import (
	"bytes"
	"context"
	"crypto/rand"
	"crypto/tls"
	"errors"
	"fmt"
	"io/fs"
	"log/slog"
	"net"
	"net/http"
	"net/netip"
	"os"
	"slices"
	"strings"
	"sync"
	"time"

	"github.com/getkin/kin-openapi/openapi3"
	"github.com/getkin/kin-openapi/openapi3filter"
	"github.com/getkin/kin-openapi/routers"
	"github.com/getkin/kin-openapi/routers/gorillamux"
	"github.com/klauspost/compress/gzhttp"
	"github.com/klauspost/compress/gzip"
	"github.com/labstack/echo/v5"
	"github.com/labstack/echo/v5/middleware"

	"codicil/api"
	"codicil/core/judge"
	"codicil/core/notice"
	"codicil/internal/access"
	"codicil/internal/actor"
	"codicil/internal/app"
	"codicil/internal/contract"
	"codicil/internal/fault"
	"codicil/internal/view"
)

const (
	apiRoot     = "/api"
	base        = apiRoot + "/v1"
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

// Options say how the application is served.
type Options struct {
	// Client holds the files of the web client.
	Client fs.FS
	// Hosts are the names by which it is asked for besides those of this machine.
	Hosts []string
	// Proxies are the addresses of those between it and its clients, which are believed when they say for whom they ask.
	Proxies []netip.Prefix
	// Guest, if any, is who asks where nobody has signed in. It is for demos and tests, on this machine only.
	Guest func(ctx context.Context) (actor.Actor, error)
	// Guests lets whoever asks become any person, as in a demo.
	Guests bool
	// Demo, if any, starts the demo beside the application, once, and tells its address.
	Demo func(ctx context.Context) (url string, err error)
	// MostEach is how many requests a key may send in a second; 0: as many as are usual.
	MostEach int
}

// New returns the handler of the whole application.
func New(a *app.App, o Options) (*Handler, error) {
	router, err := contractRouter()
	if err != nil {
		return nil, err
	}
	w := newWatch(a)
	d := newDoor(a, o)
	e := echo.New()
	e.Logger = slog.Default()
	e.HTTPErrorHandler = d.answer
	e.Use(w.watching(d), middleware.Recover(), middleware.BodyLimitWithConfig(middleware.BodyLimitConfig{LimitBytes: largestAsk, Skipper: bringsFile}), secure, d.known, d.asking, inTime, checkRequest(a, router))
	RegisterHandlersWithBaseURL(e, NewStrictHandler(&server{a, d, o.Demo}, nil), base)
	e.GET("/healthz", func(c *echo.Context) error { return c.String(http.StatusOK, "ok\n") })
	e.GET("/readyz", func(c *echo.Context) error {
		if err := a.Ready(c.Request().Context()); err != nil {
			slog.Error("not ready", "error", err)
			return c.String(http.StatusServiceUnavailable, "the data cannot be read\n")
		}
		return c.String(http.StatusOK, "ready\n")
	})
	e.GET("/metrics", func(c *echo.Context) error {
		if at, err := netip.ParseAddr(actor.Of(c.Request().Context()).Address); err != nil || !at.IsLoopback() {
			return echo.ErrNotFound
		}
		w.serve.ServeHTTP(c.Response(), c.Request())
		return nil
	})
	serveContract(e)
	e.GET("/*", serveClient(o.Client))
	packs, err := gzhttp.NewWrapper(gzhttp.MinSize(leastPacked), gzhttp.CompressionLevel(gzip.BestSpeed), gzhttp.EnableZstd(false), gzhttp.ContentTypeFilter(packable))
	if err != nil {
		return nil, err
	}
	return &Handler{Handler: packs(e), watch: w, ending: a.News.End}, nil
}

// packable tells whether an answer of a type of content is compressed: events are sent as they come.
func packable(content string) bool {
	return !strings.HasPrefix(content, eventStream) && gzhttp.DefaultContentTypeFilter(content)
}

// Handler is the handler of the whole application.
type Handler struct {
	http.Handler
	watch *watch
	// ending lets those go who listen, when the server is to end.
	ending func()
}

// Network says where the application is reached.
type Network struct {
	Address string
	// Certificate and Key are files of TLS; "": none. They are read again when they change.
	Certificate, Key string
	// Hosts and Proxies are those of Options.
	Hosts   []string
	Proxies []netip.Prefix
	// Local refuses every address but those of this machine.
	Local bool
}

// check refuses what would send what is secret over a network in the clear, or answer to any name.
func (n Network) check() (local bool, err error) {
	host, _, err := net.SplitHostPort(n.Address)
	if err != nil {
		return false, fmt.Errorf("address %q: %w", n.Address, err)
	}
	ip := net.ParseIP(host)
	local = host == "localhost" || (ip != nil && ip.IsLoopback())
	switch {
	case (n.Certificate == "") != (n.Key == ""):
		return local, errors.New("give both files of TLS, the certificate and its key")
	case local:
		return local, nil
	case n.Local:
		return local, fmt.Errorf("address %q is not on this machine: a demo, where nobody signs in, listens on 127.0.0.1 only", n.Address)
	case len(n.Hosts) == 0:
		return local, fmt.Errorf("address %q is not on this machine: say with --host by which name Codicil is asked for", n.Address)
	case n.Certificate == "" && len(n.Proxies) == 0:
		return local, fmt.Errorf("address %q is not on this machine: give the files of TLS with --tls-certificate and --tls-key, or say with --proxy which proxy in front of it has them", n.Address)
	}
	return local, nil
}

// OnThisMachine tells whether nobody else can ask.
func (n Network) OnThisMachine() bool {
	local, err := n.check()
	return err == nil && local
}

// Serve listens on an address and serves until the context ends. ready is told the address when connections are accepted.
func Serve(ctx context.Context, n Network, handler *Handler, ready func(url string)) error {
	if _, err := n.check(); err != nil {
		return err
	}
	listener, err := new(net.ListenConfig).Listen(ctx, "tcp", n.Address)
	if err != nil {
		return fmt.Errorf("listen: %w; choose another with --address", err)
	}
	s := &http.Server{Handler: handler, ReadHeaderTimeout: longestHead, ReadTimeout: longestBody, WriteTimeout: longestAnswer, IdleTimeout: longestIdle, MaxHeaderBytes: largestHead}
	s.RegisterOnShutdown(handler.ending)
	scheme := "http://"
	if n.Certificate != "" {
		files := &certificate{certificate: n.Certificate, key: n.Key}
		if _, err := files.read(nil); err != nil {
			return errors.Join(fmt.Errorf("read the files of TLS: %w", err), listener.Close())
		}
		scheme = "https://"
		listener = tls.NewListener(listener, &tls.Config{MinVersion: tls.VersionTLS12, GetCertificate: files.read, NextProtos: []string{"h2", "http/1.1"}})
	}
	ready(scheme + listener.Addr().String())
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

// certificate is one that is read from files, again when they have changed.
type certificate struct {
	certificate, key string

	mutex sync.Mutex
	at    time.Time // when the files were changed last
	held  *tls.Certificate
}

func (c *certificate) read(*tls.ClientHelloInfo) (*tls.Certificate, error) {
	c.mutex.Lock()
	defer c.mutex.Unlock()
	at := time.Time{}
	for _, name := range []string{c.certificate, c.key} {
		info, err := os.Stat(name)
		if err != nil {
			return c.held, c.kept(err)
		}
		if info.ModTime().After(at) {
			at = info.ModTime()
		}
	}
	if c.held != nil && at.Equal(c.at) {
		return c.held, nil
	}
	read, err := tls.LoadX509KeyPair(c.certificate, c.key)
	if err != nil {
		return c.held, c.kept(err)
	}
	c.held, c.at = &read, at
	return c.held, nil
}

// kept goes on with the certificate that is there, where new files cannot be read.
func (c *certificate) kept(err error) error {
	if c.held == nil {
		return err
	}
	slog.Error("the files of TLS cannot be read; the certificate that was read before is used", "error", err)
	return nil
}

// bringsFile tells whether a request brings a file, which is read piece by piece and bounded by who reads it.
func bringsFile(c *echo.Context) bool {
	r := c.Request()
	return r.Method == http.MethodPost && slices.Contains([]string{base + "/loads", base + "/kinds/guess", base + "/books"}, r.URL.Path) && r.Header.Get(echo.HeaderContentType) == echo.MIMEOctetStream
}

// inTime ends the work for a request that takes too long; that for a caller who has left ends
// too. An answer that comes piece by piece may go on as long as its pieces come and are taken.
func inTime(next echo.HandlerFunc) echo.HandlerFunc {
	return func(c *echo.Context) error {
		ctx, cancel := context.WithCancelCause(c.Request().Context())
		defer cancel(nil)
		late := time.AfterFunc(longestAsk, func() { cancel(context.DeadlineExceeded) })
		defer late.Stop()
		c.SetRequest(c.Request().WithContext(ctx))
		if c.Request().URL.Path != base+"/news" { // who listens asks again
			c.SetResponse(&pieces{c.Response(), http.NewResponseController(c.Response()), late})
		}
		err := next(c)
		if err != nil && ctx.Err() != nil {
			return context.Cause(ctx) // whatever was broken off by it says so in words of its own
		}
		return err
	}
}

// pieces are written one after the other; with each the time begins anew.
type pieces struct {
	http.ResponseWriter
	control *http.ResponseController
	late    *time.Timer
}

// Unwrap is what it is written to.
func (p *pieces) Unwrap() http.ResponseWriter { return p.ResponseWriter }

// Flush sends what was written.
func (p *pieces) Flush() { _ = p.control.Flush() }

// Write writes a piece.
func (p *pieces) Write(text []byte) (int, error) {
	if p.late.Stop() { // otherwise its time is over
		p.late.Reset(longestAsk)
		_ = p.control.SetWriteDeadline(time.Now().Add(longestAnswer)) // not every writer can
	}
	return p.ResponseWriter.Write(text)
}

// secure sets the headers by which a browser is told what it must not do with an answer.
func secure(next echo.HandlerFunc) echo.HandlerFunc {
	return func(c *echo.Context) error {
		h := c.Response().Header()
		h.Set("Content-Security-Policy", policy("'self'"))
		h.Set("X-Content-Type-Options", "nosniff")
		h.Set("X-Frame-Options", "DENY")
		h.Set("Referrer-Policy", "no-referrer")
		h.Set("Cross-Origin-Opener-Policy", "same-origin")
		h.Set("Cross-Origin-Resource-Policy", "same-origin")
		h.Set("Permissions-Policy", "camera=(), geolocation=(), microphone=(), payment=(), usb=()")
		if c.Request().TLS != nil {
			h.Set("Strict-Transport-Security", "max-age=31536000")
		}
		if strings.HasPrefix(c.Request().URL.Path, apiRoot) {
			h.Set("Cache-Control", "no-store")
		}
		return next(c)
	}
}

// policy is what a page may load, with where its style sheets may come from.
func policy(styles string) string {
	return "default-src 'none'; script-src 'self'; connect-src 'self'; style-src " + styles + "; img-src 'self' data:; font-src 'self'; form-action 'self'; base-uri 'none'; frame-ancestors 'none'"
}

// nonceMark stands in the page for the word that its own style sheets carry, another one each time.
const nonceMark = "NONCE-OF-THE-PAGE"

// serveClient serves the files of the client; a path that is no file is a
// screen, and gets the page that shows it.
func serveClient(client fs.FS) echo.HandlerFunc {
	return func(c *echo.Context) error {
		path := strings.TrimPrefix(c.Request().URL.Path, "/")
		if strings.HasPrefix("/"+path, apiRoot) {
			return echo.ErrNotFound
		}
		if _, err := fs.Stat(client, path); path == "" || err != nil {
			if strings.HasPrefix(path, "assets/") {
				return echo.ErrNotFound
			}
			path = page
		} else if strings.HasPrefix(path, "assets/") { // their names change with their contents
			c.Response().Header().Set("Cache-Control", "public, max-age=31536000, immutable")
		}
		if path == page {
			text, err := fs.ReadFile(client, page)
			if err != nil {
				return &fault.Fault{Reason: fault.NotFound, Notice: notBuilt.With()}
			}
			nonce := rand.Text()
			c.Response().Header().Set("Cache-Control", "no-store")
			c.Response().Header().Set("Content-Security-Policy", policy("'self' 'nonce-"+nonce+"'"))
			return c.HTMLBlob(http.StatusOK, bytes.ReplaceAll(text, []byte(nonceMark), []byte(nonce)))
		}
		http.ServeFileFS(c.Response(), c.Request(), client, path)
		return nil
	}
}

// page is the file of the client that shows every screen.
const page = "index.html"

// toAnybody marks an operation that needs no sign-in.
const toAnybody = "x-to-anybody"

// contractRouter finds the operation of a request in the contract, which is read once.
var contractRouter = sync.OnceValues(func() (routers.Router, error) {
	document, err := openapi3.NewLoader().LoadFromData(api.OpenAPI)
	if err != nil {
		return nil, fmt.Errorf("read the contract: %w", err)
	}
	// Who asks is found out by the door; the check of a request would read a whole body for it.
	for _, path := range document.Paths.Map() {
		for _, operation := range path.Operations() {
			if s := operation.Security; s != nil && len(*s) == 0 {
				operation.Extensions[toAnybody] = true
			}
			operation.Security = nil
		}
	}
	document.Security = nil
	return gorillamux.NewRouter(document)
})

// checkRequest refuses requests that the contract does not allow, before any
// handler sees them.
func checkRequest(a *app.App, router routers.Router) echo.MiddlewareFunc {
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
			if open, _ := route.Operation.Extensions[toAnybody].(bool); !open && actor.Of(r.Context()).ID == "" {
				return access.Person(r.Context()) // nothing of it is read
			}
			if err := viewing(a, c, route.Operation); err != nil {
				return err
			}
			r = c.Request()
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
	forbidden   = notice.Define("forbidden", "requests are taken for the names and from the pages of this server only")
	tooMuch     = notice.Define("request-entity-too-large", "the request is larger than {most} MB; send less")
	refused     = notice.Define("refused", "the request was refused ({status}); look at its address and headers")
	notBuilt    = notice.Define("not-built", "the web client is not built; run make build")
)

// statuses are the answers to faults.
var statuses = map[fault.Reason]int{fault.Invalid: http.StatusUnprocessableEntity, fault.NotFound: http.StatusNotFound, fault.Conflict: http.StatusConflict, fault.Unable: http.StatusServiceUnavailable, fault.Unknown: http.StatusUnauthorized, fault.Forbidden: http.StatusForbidden, fault.Busy: http.StatusTooManyRequests}

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
