package httpapi

import (
	"context"
	"encoding/json"
	"errors"
	"log/slog"
	"net"
	"net/http"
	"net/netip"
	"net/url"
	"slices"
	"strings"
	"time"

	"github.com/labstack/echo/v5"
	"github.com/maypok86/otter/v2"
	"golang.org/x/time/rate"

	"codicil/core/field"
	"codicil/core/notice"
	"codicil/internal/actor"
	"codicil/internal/app"
	"codicil/internal/app/people"
	"codicil/internal/contract"
	"codicil/internal/fault"
)

// door finds out who asks, and keeps out what comes from elsewhere.
type door struct {
	app *app.App
	Options
	cross *http.CrossOriginProtection
	each  *otter.Cache[string, *rate.Limiter] // by key of a program
}

const (
	// cookie holds the token of a session. The prefix makes browsers keep it to this server, by TLS or on this machine.
	cookie = "__Host-codicil"
	// usualEach is how many requests a key may send in a second, and so many times that at once.
	usualEach, atOnce = 500, 2
	mostKeys          = 10_000
	bearer            = "Bearer "
)

var tooFast = notice.Define("too-many-requests.key", "this key may send {most} requests a second; wait a moment")

func newDoor(a *app.App, o Options) *door {
	if o.MostEach == 0 {
		o.MostEach = usualEach
	}
	return &door{a, o, http.NewCrossOriginProtection(), otter.Must(&otter.Options[string, *rate.Limiter]{MaximumSize: mostKeys})}
}

// address is that of the client: of who connects, or, where that is a proxy which is believed, of whom it asks for.
func (d *door) address(r *http.Request) string {
	host, _, err := net.SplitHostPort(r.RemoteAddr)
	if err != nil {
		host = r.RemoteAddr
	}
	said := strings.Split(strings.Join(r.Header.Values("X-Forwarded-For"), ","), ",")
	for i := len(said) - 1; i >= 0 && d.isProxy(host); i-- {
		at, err := netip.ParseAddr(strings.TrimSpace(said[i]))
		if err != nil {
			break
		}
		host = at.Unmap().String()
	}
	return host
}

func (d *door) isProxy(host string) bool {
	at, err := netip.ParseAddr(host)
	return err == nil && slices.ContainsFunc(d.Proxies, func(p netip.Prefix) bool { return p.Contains(at.Unmap()) })
}

// isOurs tells whether a host is a name of this server.
func (d *door) isOurs(hostPort string) bool {
	host := hostPort
	if h, _, err := net.SplitHostPort(hostPort); err == nil {
		host = h
	}
	ip := net.ParseIP(strings.Trim(host, "[]"))
	return host == "localhost" || (ip != nil && ip.IsLoopback()) || slices.ContainsFunc(d.Hosts, func(h string) bool { return strings.EqualFold(h, host) })
}

var notOrigin = notice.Define("origin-unknown", "{origin:q} is not the origin of a page of this server")

// isOrigin refuses what is not the origin of our own pages.
func (d *door) isOrigin(from string) error {
	u, err := url.Parse(from)
	if err != nil || (u.Scheme != "https" && u.Scheme != "http") || from != u.Scheme+"://"+u.Host || !d.isOurs(u.Host) {
		return fault.Bad(notOrigin, from)
	}
	return nil
}

// As lets whoever asks be one person of this machine, who may do everything: for tests.
func As(name string) func(context.Context) (actor.Actor, error) {
	return func(context.Context) (actor.Actor, error) { return actor.Named(name, actor.Browser), nil }
}

// known refuses requests that a page of another site makes a browser send, and those for another name.
func (d *door) known(next echo.HandlerFunc) echo.HandlerFunc {
	return func(c *echo.Context) error {
		r := c.Request()
		if !d.isOurs(r.Host) {
			return echo.ErrForbidden
		}
		if origin := r.Header.Get("Origin"); origin != "" {
			if u, err := url.Parse(origin); err != nil || !d.isOurs(u.Host) {
				return echo.ErrForbidden
			}
		}
		if d.cross.Check(r) != nil {
			return echo.ErrForbidden
		}
		return next(c)
	}
}

// asking says who asks for what comes next: a person whose browser has signed in, a program with a key, or nobody.
func (d *door) asking(next echo.HandlerFunc) echo.HandlerFunc {
	return func(c *echo.Context) error {
		r := c.Request()
		who, err := d.who(r)
		if err != nil {
			return err
		}
		who.Address, who.Program = d.address(r), r.UserAgent()
		// What is no format leaves the one that is kept; it never keeps a request from its answer.
		if written := r.Header.Get("Person-Format"); written != "" {
			var f field.Format
			if json.Unmarshal([]byte(written), &f) == nil && f.Sound() {
				who.Format = f
			}
		} else {
			who.Format = field.Format{}
		}
		if who.Via == actor.Program && who.Session != "" {
			limiter, _ := d.each.ComputeIfAbsent(who.Session, func() (*rate.Limiter, bool) {
				return rate.NewLimiter(rate.Limit(d.MostEach), atOnce*d.MostEach), false
			})
			if !limiter.Allow() {
				c.Response().Header().Set(echo.HeaderRetryAfter, "1")
				return &fault.Fault{Reason: fault.Busy, Notice: tooFast.With(d.MostEach)}
			}
		}
		ctx := context.WithValue(r.Context(), askedKey{}, r)
		c.SetRequest(r.WithContext(actor.With(ctx, who)))
		return next(c)
	}
}

// askedKey is that of the request as it came, in its context.
type askedKey struct{}

// still tells whether who asked may go on, long after they have asked, and with which rights. It is no sign that they are at
// work: a session that rests ends, whatever listens.
func (d *door) still(ctx context.Context) func() (context.Context, bool) {
	r, was := ctx.Value(askedKey{}).(*http.Request), actor.Of(ctx)
	return func() (context.Context, bool) {
		who, err := d.who(r.WithContext(people.Resting(r.Context())))
		if err != nil || who.ID != was.ID || who.Session != was.Session {
			return ctx, false
		}
		was.Rights = who.Rights
		return actor.With(ctx, was), true
	}
}

func (d *door) who(r *http.Request) (actor.Actor, error) {
	via := actor.Program
	if r.Header.Get("Sec-Fetch-Mode") != "" {
		via = actor.Browser
	}
	if sent := r.Header.Get(echo.HeaderAuthorization); sent != "" {
		token, is := strings.CutPrefix(sent, bearer)
		who, found, err := d.app.Keys.ByKey(r.Context(), token)
		if err != nil || (is && found) {
			who.Via = actor.Program
			return who, err
		}
		return actor.Actor{Via: actor.Program}, nil // a key that does not hold is nobody's, also in a demo
	}
	if held, err := r.Cookie(cookie); err == nil {
		who, found, err := d.app.SignIn.BySession(r.Context(), held.Value)
		if err != nil || found {
			who.Via = actor.Browser
			return who, err
		}
	}
	if d.Guest != nil {
		who, err := d.Guest(r.Context())
		who.Via = via
		return who, err
	}
	return actor.Actor{Via: via}, nil
}

// answer writes any error as problem+json, and tells the trail what was refused to whom.
func (d *door) answer(c *echo.Context, err error) {
	var known *fault.Fault
	if errors.As(err, &known) && (known.Reason == fault.Forbidden || known.Reason == fault.Unknown) && known.Code != signedOutCode {
		r := c.Request()
		d.app.People.Refused(r.Context(), "refused", r.Method+" "+c.Path())
	}
	writeProblem(c, err)
}

// signedOutCode is that of the answer to who has not signed in: every page that is left open asks so.
const signedOutCode = "sign-in-needed"

// entered answers with a session that has begun: its token goes to the browser and to nobody else.
type entered struct {
	token string
	lasts time.Duration
	state contract.SessionState
}

func (b entered) write(w http.ResponseWriter) error {
	return answerWith(w, cookie, b.token, b.lasts, b.state)
}

func (b entered) VisitSignInResponse(w http.ResponseWriter) error         { return b.write(w) }
func (b entered) VisitSetUpResponse(w http.ResponseWriter) error          { return b.write(w) }
func (b entered) VisitSetPasswordResponse(w http.ResponseWriter) error    { return b.write(w) }
func (b entered) VisitBecomeResponse(w http.ResponseWriter) error         { return b.write(w) }
func (b entered) VisitFinishProviderResponse(w http.ResponseWriter) error { return b.write(w) }
func (b entered) VisitEnterByPasskeyResponse(w http.ResponseWriter) error { return b.write(w) }
func (b entered) VisitChangePasswordResponse(w http.ResponseWriter) error { return b.write(w) }

// providerCookie holds what a browser must show when it comes back from the provider of sign-ins.
const providerCookie = cookie + "-provider"

// going answers with where the browser goes to sign in.
type going struct {
	token string
	to    contract.ProviderGoing
}

// VisitBeginProviderResponse sends the address, and the cookie for the way back.
func (b going) VisitBeginProviderResponse(w http.ResponseWriter) error {
	return answerWith(w, providerCookie, b.token, people.Holds, b.to)
}

// passkeyCookie does the same for who signs in with a passkey.
const passkeyCookie = cookie + "-passkey"

// askedPasskey answers with what the browser asks a device for.
type askedPasskey struct {
	token  string
	object contract.PasskeyObject
}

// VisitAskPasskeyResponse sends it, and the cookie for the answer.
func (b askedPasskey) VisitAskPasskeyResponse(w http.ResponseWriter) error {
	return answerWith(w, passkeyCookie, b.token, people.Holds, b.object)
}

// ended answers that a session has ended.
type ended struct{}

// VisitSignOutResponse takes the cookie away.
func (ended) VisitSignOutResponse(w http.ResponseWriter) error {
	setCookie(w, cookie, "", -1)
	w.Header().Set("Clear-Site-Data", `"cache", "storage"`)
	w.WriteHeader(http.StatusNoContent)
	return nil
}

// answerWith answers with JSON, and gives the browser a token for as long as that lasts.
func answerWith(w http.ResponseWriter, name, token string, lasts time.Duration, body any) error {
	setCookie(w, name, token, int(lasts/time.Second))
	w.Header().Set("Content-Type", "application/json")
	w.WriteHeader(http.StatusOK)
	return json.NewEncoder(w).Encode(body)
}

// setCookie gives the browser a token for so many seconds; less than 0 takes it away.
func setCookie(w http.ResponseWriter, name, token string, lasts int) {
	http.SetCookie(w, &http.Cookie{Name: name, Value: token, Path: "/", MaxAge: lasts, Secure: true, HttpOnly: true, SameSite: http.SameSiteStrictMode})
}

// session tells who has signed in, once a session has begun for them.
func (d *door) session(ctx context.Context, token string) (contract.SessionState, error) {
	who, found, err := d.app.SignIn.BySession(ctx, token)
	if err != nil || !found {
		return contract.SessionState{}, err
	}
	who.Via, who.Address = actor.Browser, actor.Of(ctx).Address
	return d.state(actor.With(ctx, who))
}

// state tells who asks.
func (d *door) state(ctx context.Context) (contract.SessionState, error) {
	state, err := d.app.SignIn.State(ctx)
	if err == nil && d.Guests {
		state.Guests, err = d.app.SignIn.Guests(ctx)
	}
	if err != nil {
		slog.Error("a session could not be told", "error", err)
	}
	return state, err
}
