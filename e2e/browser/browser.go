// Package browser drives the real application in headless Chromium: the whole
// server in this process, the built web client, a page of 1280 by 800.
//
// Start reading at Launch.
package browser

import (
	"context"
	"errors"
	"fmt"
	"log/slog"
	"net/http"
	"net/http/httptest"
	"os"
	"os/exec"
	"path/filepath"
	"strconv"
	"strings"
	"sync"
	"sync/atomic"
	"time"

	"github.com/chromedp/cdproto/emulation"
	"github.com/chromedp/cdproto/input"
	"github.com/chromedp/cdproto/webauthn"
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

// Now is the time at which the application under test believes to be.
var Now = time.Date(2026, 11, 24, 9, 30, 0, 0, time.UTC)

// patience is how long an action may wait for what it expects to see. It bounds a test that
// waits for what never comes; a slow machine is given all of it.
const patience = 3 * time.Minute

// Browser is a running Chromium. Several applications may be open in it at once.
type Browser struct {
	context context.Context
	folder  string
	stop    []func()
}

// programs are those that run a page, the best first. Debian has Chromium without a desktop as a package of its own: it takes two
// thirds of the time.
var programs = []string{"chromium-headless-shell", "chromium", "chromium-browser", "google-chrome"}

// Launch starts Chromium. Close ends it.
func Launch() (*Browser, error) {
	path := ""
	for _, name := range programs {
		if found, err := exec.LookPath(name); err == nil {
			path = found
			break
		}
	}
	if path == "" {
		return nil, errors.New("no Chromium on this machine: install Debian's package chromium-headless-shell or chromium, or run make test as root")
	}
	folder, err := os.MkdirTemp("", "codicil-browser-")
	if err != nil {
		return nil, err
	}
	options := append(chromedp.DefaultExecAllocatorOptions[:],
		chromedp.ExecPath(path), chromedp.NoSandbox, chromedp.WindowSize(1280, 800),
		chromedp.Flag("disable-quic", true), chromedp.Flag("disable-component-update", true),
		chromedp.Flag("lang", "en-IE"), chromedp.Flag("accept-lang", "en-IE"), chromedp.Flag("force-color-profile", "srgb"), chromedp.Flag("hide-scrollbars", false),
		chromedp.Env("LANGUAGE=en_IE", "TZ=UTC"), chromedp.UserDataDir(folder),
	)
	allocator, stopAllocator := chromedp.NewExecAllocator(context.Background(), options...)
	root, stopRoot := chromedp.NewContext(allocator)
	b := &Browser{root, folder, []func(){stopRoot, stopAllocator}}
	if _, err := chromedp.Run(root, chromedp.Title()); err != nil {
		b.Close()
		return nil, err
	}
	return b, nil
}

// Close ends Chromium and removes its files.
func (b *Browser) Close() {
	for _, stop := range b.stop {
		stop()
	}
	_ = os.RemoveAll(b.folder)
}

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
	kinds, err := standard.Kinds()
	if err != nil {
		return err
	}
	lists, err := standard.Lists()
	if err != nil {
		return err
	}
	if err := a.store.SaveKinds(ctx, kinds, lists...); err != nil {
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

// Device gives the tab a device that holds passkeys and knows its owner.
func (p *Page) Device() error {
	ctx, cancel := context.WithTimeout(p.tab, patience)
	defer cancel()
	if _, err := chromedp.Call(ctx, webauthn.Enable, webauthn.EnableParams{}); err != nil {
		return err
	}
	_, err := chromedp.Call(ctx, webauthn.AddVirtualAuthenticator, webauthn.AddVirtualAuthenticatorParams{Options: &webauthn.VirtualAuthenticatorOptions{
		Protocol: webauthn.AuthenticatorProtocolCtap2, Transport: webauthn.AuthenticatorTransportInternal, HasResidentKey: true, HasUserVerification: true, IsUserVerified: true, AutomaticPresenceSimulation: true,
	}})
	return err
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

// Page is one tab.
type Page struct {
	application *Application
	tab         context.Context
	stop        func()
}

// Close closes the tab.
func (p *Page) Close() { p.stop() }

// Do runs actions, each waiting for what it needs, within the patience.
func (p *Page) Do(actions ...chromedp.Action[chromedp.Void]) error {
	_, err := Ask(p, chromedp.Steps(actions...))
	return err
}

// Ask runs one action and returns its value.
func Ask[T any](p *Page, action chromedp.Action[T]) (T, error) {
	ctx, cancel := context.WithTimeout(p.tab, patience)
	defer cancel()
	answer, err := chromedp.Run(ctx, action)
	for tries := 0; tries < 3 && err != nil && (strings.Contains(err.Error(), "navigated") || strings.Contains(err.Error(), "Cannot find context")); tries++ {
		answer, err = chromedp.Run(ctx, action) // the page was loaded anew meanwhile
	}
	return answer, err
}

// Until waits until the JavaScript expression is true. The error holds what the
// page shows instead.
func (p *Page) Until(expression string) error {
	poll := chromedp.Poll[bool](expression, chromedp.WithPollingInterval(30*time.Millisecond), chromedp.WithPollingTimeout(0)) // Ask bounds it
	_, err := Ask(p, poll)
	for tries := 0; err != nil && tries < mostPages && strings.Contains(err.Error(), replaced); tries++ {
		_, err = Ask(p, poll)
	}
	if err != nil {
		text, _ := Ask(p, chromedp.Evaluate[string](`document.body.innerText`))
		return fmt.Errorf("never true: %s: %w\nthe page shows:\n%s", expression, err, text)
	}
	return nil
}

const (
	// replaced is what Chromium says to who waits in a page while the tab goes to another.
	replaced  = "Cannot find context with specified id"
	mostPages = 5
)

// Picture returns a PNG of what the tab shows.
func (p *Page) Picture() ([]byte, error) {
	return Ask(p, chromedp.CaptureScreenshot())
}

// Go opens another path of the application in the tab.
func (p *Page) Go(path string) error { return p.Do(chromedp.Navigate(p.application.URL + path)) }

// Run runs a JavaScript statement.
func (p *Page) Run(statement string) (bool, error) {
	return Ask(p, chromedp.Evaluate[bool]("(() => { "+statement+"; return true })()"))
}

// Insert puts a text at the cursor at once, in the place of what is selected.
func (p *Page) Insert(text string) error {
	ctx, cancel := context.WithTimeout(p.tab, patience)
	defer cancel()
	_, err := chromedp.Call(ctx, input.InsertText, input.InsertTextParams{Text: text})
	return err
}

// Drag presses the mouse at one point, moves it to another and lets go there. over
// is a JavaScript expression that is true when the page has noticed the drag over
// the second point.
func (p *Page) Drag(x, y, toX, toY float64, over string) error {
	button := func(e *input.DispatchMouseEventParams) { e.Button, e.Buttons = input.MouseButtonLeft, 1 }
	if err := p.Do(
		chromedp.MouseEvent(chromedp.MousePressed, x, y, button, chromedp.ClickCount(1)),
		chromedp.MouseEvent(chromedp.MouseMoved, x+8, y+4, button),
		chromedp.MouseEvent(chromedp.MouseMoved, (x+toX)/2, (y+toY)/2, button),
		chromedp.MouseEvent(chromedp.MouseMoved, toX-2, toY, button),
		chromedp.MouseEvent(chromedp.MouseMoved, toX, toY, button),
	); err != nil {
		return err
	}
	if err := p.Until(over); err != nil {
		return err
	}
	return p.Do(chromedp.MouseEvent(chromedp.MouseReleased, toX, toY, button, chromedp.ClickCount(1)))
}

// Click clicks in the middle of the first visible element that fits the selector and shows the
// text, once it is there and stands still. Where the page moved it away under the mouse, it is
// clicked again. Options say which keys are held.
func (p *Page) Click(selector, text string, options ...chromedp.MouseOption) error {
	find := fmt.Sprintf(`(() => {
		const e = [...document.querySelectorAll(%s)].find(e => e.checkVisibility() && (%s === "" || (e.innerText ?? "").trim().includes(%s)));
		if (!e || e.disabled || e.closest("[inert]")) return null;
		// A list that is still opening has its place and height later: what stands still and is
		// hidden nonetheless is out of view, and only that is brought into it.
		const r = e.getBoundingClientRect();
		const at = [Math.round(r.x + r.width / 2), Math.round(r.y + r.height / 2)];
		// What came from the server may still move it: it stands still for a while.
		window.__still = window.__last === String(at) ? (window.__still ?? 0) + 1 : 0;
		window.__last = String(at);
		if (window.__still < 3) return null;
		const top = document.elementFromPoint(at[0], at[1]);
		const seen = r.top >= 0 && r.bottom <= innerHeight && top && (e.contains(top) || top.contains(e));
		if (!seen && window.__still %% 3 === 0) e.scrollIntoView({ block: "nearest" });
		if (!top || !(e.contains(top) || top.contains(e))) return null;
		if (!seen && window.__still < 6) return null;
		window.__still = 0;
		window.__last = "";
		window.__met = false;
		document.addEventListener("mousedown", (press) => {
			const within = e.contains(press.target);
			window.__met = within || press.target === top;
			// The page moved between pressing and letting go: the click belongs to what holds both.
			document.addEventListener("click", (click) => {
				if (within && e.isConnected && !e.contains(click.target)) window.__met = false;
			}, { capture: true, once: true });
		}, { capture: true, once: true });
		return at;
	})()`, strconv.Quote(selector), strconv.Quote(text), strconv.Quote(text))
	for met := false; !met; {
		at, err := Ask(p, chromedp.Poll[[]float64](find, chromedp.WithPollingInterval(30*time.Millisecond), chromedp.WithPollingTimeout(0)))
		if err != nil {
			return err
		}
		if err = p.Do(chromedp.MouseClickXY(at[0], at[1], options...)); err != nil {
			return err
		}
		if met, err = Ask(p, chromedp.Evaluate[bool](`window.__met !== false`)); err != nil { // a page loaded anew knows of nothing
			return err
		}
	}
	return nil
}
