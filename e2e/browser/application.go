package browser

import (
	"context"
	"errors"
	"fmt"
	"log/slog"
	"net/http"
	"net/http/httptest"
	"os"
	"path/filepath"
	"strings"
	"sync"
	"sync/atomic"
	"time"

	"github.com/chromedp/cdproto/emulation"
	"github.com/chromedp/chromedp"

	"codicil/internal/actor"
	"codicil/internal/app"
	"codicil/internal/contract"
	"codicil/internal/demo"
	"codicil/internal/httpapi"
	"codicil/internal/oidc"
	"codicil/internal/oidc/simulated"
	"codicil/internal/standard"
	"codicil/internal/store"
	"codicil/web"
)

// Application is a running application on a database of its own, and the cookies and
// storage of one person who has never been there.
type Application struct {
	URL     string
	browser *Browser
	server  *httptest.Server
	store   *store.Store
	app     *app.App
	folder  string
	person  context.Context
	leave   func()
	tabs    int
	away    atomic.Bool
	held    atomic.Pointer[string]
	// provider is the simulated provider of sign-ins; nil: there is none.
	provider *httptest.Server
	// later is how much time was let pass.
	later   atomic.Int64
	refused sync.Map // what was asked and refused, by its path
}

// Refused is what was asked and answered with 403.
func (a *Application) Refused() (paths []string) {
	a.refused.Range(func(path, _ any) bool {
		paths = append(paths, fmt.Sprint(path))
		return true
	})
	return paths
}

// telling remembers what was refused.
type telling struct {
	http.ResponseWriter
	refused func()
}

// WriteHeader begins the answer.
func (t telling) WriteHeader(status int) {
	if status == http.StatusForbidden {
		t.refused()
	}
	t.ResponseWriter.WriteHeader(status)
}

// Unwrap lets what is written be sent at once.
func (t telling) Unwrap() http.ResponseWriter { return t.ResponseWriter }

// Setup says how an application is started.
type Setup struct {
	// Empty is without any data, as it is when nobody has entered anything.
	Empty bool
	// SignIn lets in only who signs in, and Demo lets who comes become any person of the demo. Otherwise who comes is one
	// person, who may do everything.
	SignIn, Demo bool
	// Provider lets people sign in by a simulated provider, too.
	Provider bool
	// Named is open by the name of this machine, not by its number.
	Named bool
}

// Start starts the application. Close ends it.
func (b *Browser) Start(setup Setup) (*Application, error) {
	folder, err := os.MkdirTemp("", "codicil-e2e-")
	if err != nil {
		return nil, err
	}
	a := &Application{browser: b, folder: folder, leave: func() {}}
	if err := a.serve(setup); err != nil {
		a.Close()
		return nil, err
	}
	a.person, a.leave = chromedp.NewContext(b.context, chromedp.WithNewBrowserContext())
	return a, nil
}

func (a *Application) serve(setup Setup) error {
	slog.SetLogLoggerLevel(slog.LevelWarn) // what was asked is told by the tests
	ctx := context.Background()
	var err error
	path := filepath.Join(a.folder, "e2e.db")
	if !setup.Empty {
		if err = demo.Write(ctx, path); err != nil {
			return err
		}
	}
	if a.store, err = store.Open(ctx, path); err != nil {
		return err
	}
	if err := standard.Bring(ctx, a.store); err != nil {
		return err
	}
	a.app = app.New(a.store, func() time.Time { return Now.Add(time.Duration(a.later.Load())) })
	options := httpapi.Options{Client: web.Files(), Guests: setup.Demo}
	switch {
	case setup.Demo:
		options.Guest = func(ctx context.Context) (actor.Actor, error) { return a.app.SignIn.Guest(ctx, demo.First) }
	case !setup.SignIn:
		options.Guest = httpapi.As("Ada Quill")
	}
	handler, err := httpapi.New(a.app, options)
	if err != nil {
		return err
	}
	a.server = httptest.NewServer(http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		if a.away.Load() {
			panic(http.ErrAbortHandler)
		}
		if held := a.held.Load(); held != nil && strings.HasSuffix(r.URL.Path, *held) {
			w = &holding{ResponseWriter: w, asked: r.Context()}
		}
		handler.ServeHTTP(telling{w, func() { a.refused.Store(r.Method+" "+r.URL.RequestURI(), true) }}, r)
	}))
	a.URL = a.server.URL
	if setup.Named {
		a.URL = strings.Replace(a.URL, "127.0.0.1", "localhost", 1)
	}
	if setup.Provider {
		return a.provide()
	}
	return nil
}

// provide starts a simulated provider of sign-ins.
func (a *Application) provide() error {
	now := func() time.Time { return Now }
	source, err := simulated.New(demo.Provider, now, demo.Provided)
	if err != nil {
		return err
	}
	a.provider = httptest.NewServer(source)
	source.Issuer = a.provider.URL
	source.Back = func(address string) bool { return address == a.URL+"/sign-in/return" }
	a.app.Provider.Use(oidc.New(oidc.Settings{Issuer: source.Issuer, Client: source.Client, Secret: source.Secret, Clock: now}), demo.Mapping(source.Issuer))
	return nil
}

// Later lets time pass, and does what is due by then.
func (a *Application) Later(by time.Duration) error {
	a.later.Add(int64(by))
	return a.app.Codicils.Due(context.Background())
}

// First is the word that makes the first administrator.
func (a *Application) First() (string, error) { return a.app.SignIn.First(context.Background()) }

// owner is who sets up what tests need.
func owner() context.Context {
	return actor.With(context.Background(), actor.Named("Ada Quill", actor.CommandLine))
}

// Let lets a person of the data choose a password.
func (a *Application) Let(signIn, password string) error {
	p, err := a.store.PersonBySignIn(context.Background(), signIn)
	if err != nil {
		return err
	}
	given, err := a.app.People.Reset(owner(), p.ID)
	if err != nil {
		return err
	}
	_, err = a.app.SignIn.SetPassword(context.Background(), contract.WordGiven{SignInName: signIn, Word: given.Word, Password: password})
	return err
}

// EndSessions ends those of a person.
func (a *Application) EndSessions(signIn string) error {
	p, err := a.store.PersonBySignIn(context.Background(), signIn)
	if err != nil {
		return err
	}
	sessions, err := a.store.Sessions(context.Background(), p.ID)
	for _, s := range sessions {
		who := actor.Named(p.Name, actor.Browser)
		who.ID = p.ID
		err = errors.Join(err, a.app.SignIn.EndSession(actor.With(context.Background(), who), s.ID))
	}
	return err
}

// Away breaks every request off, as if the server were gone, until it is back.
func (a *Application) Away(away bool) { a.away.Store(away) }

// Hold lets answers of a path begin and not end: after some pieces they stop until nobody waits
// for them any more.
func (a *Application) Hold(path string) { a.held.Store(&path) }

// holding is an answer that is held.
type holding struct {
	http.ResponseWriter
	asked  context.Context
	pieces int
}

const piecesBeforeHold = 40

// Write writes until the answer is held.
func (h *holding) Write(text []byte) (int, error) {
	if h.pieces++; h.pieces > piecesBeforeHold {
		<-h.asked.Done()
		return 0, h.asked.Err()
	}
	return h.ResponseWriter.Write(text)
}

// Flush sends what was written.
func (h *holding) Flush() { _ = http.NewResponseController(h.ResponseWriter).Flush() }

// Page opens a new tab on a path of the application.
func (a *Application) Page(path string) (*Page, error) {
	tab, stop := a.person, func() {} // a person comes with a first tab, and leaves with it
	if a.tabs++; a.tabs > 1 {
		tab, stop = chromedp.NewContext(a.person)
	}
	return a.open(tab, stop, path)
}

// Elsewhere opens a path in the browser of somebody else.
func (a *Application) Elsewhere(path string) (*Page, error) {
	tab, stop := chromedp.NewContext(a.browser.context, chromedp.WithNewBrowserContext())
	return a.open(tab, stop, path)
}

func (a *Application) open(tab context.Context, stop func(), path string) (*Page, error) {
	if _, err := chromedp.Run(tab, chromedp.Title()); err != nil { // opens the tab
		stop()
		return nil, err
	}
	p := &Page{application: a, tab: tab, stop: stop}
	// Several tabs are open at once; each behaves as the one that has the keyboard.
	focused := emulation.SetFocusEmulationEnabledParams{Enabled: true}
	if _, err := chromedp.Call(tab, emulation.SetFocusEmulationEnabled, focused); err != nil {
		return p, err
	}
	return p, p.Do(chromedp.EmulateViewport(1280, 800), chromedp.Navigate(a.URL+path)) //nolint:contextcheck // a page has its own
}

// Close ends the application and removes its files.
func (a *Application) Close() {
	a.leave()
	if a.server != nil {
		a.server.Close()
	}
	if a.provider != nil {
		a.provider.Close()
	}
	if a.app != nil { // runs end before what they write to
		a.app.Close()
	}
	if a.store != nil {
		_ = a.store.Close()
	}
	_ = os.RemoveAll(a.folder)
}
