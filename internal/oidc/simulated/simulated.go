// Package simulated is a small provider of sign-ins by OpenID Connect, for tests and the demo: it signs in whoever asks, as
// whom they choose. It must never be reached from a network.
//
// Start reading at New.
package simulated

import (
	"crypto/ecdsa"
	"crypto/elliptic"
	"crypto/rand"
	"crypto/sha256"
	"crypto/subtle"
	"encoding/base64"
	"encoding/json"
	"html/template"
	"net/http"
	"net/url"
	"sync"
	"time"

	"github.com/go-jose/go-jose/v4"
	"github.com/go-jose/go-jose/v4/jwt"

	"codicil/internal/clock"
)

// Person is somebody whom the provider knows.
type Person struct {
	Subject string
	Name    string
	// Claims are what else it says of them.
	Claims map[string]any
}

// Provider is the simulated provider. It serves HTTP.
type Provider struct {
	// Issuer is its own address.
	Issuer string
	// Client and Secret are by what it knows the application.
	Client, Secret string
	// Back tells whether a browser may be sent back to an address.
	Back func(address string) bool
	// Change, where it is set, changes what is signed: for tests of a provider that is not sound.
	Change func(claims map[string]any)
	// Sign, where it is set, signs with another key than the one that is told.
	Sign *ecdsa.PrivateKey

	name    string
	now     clock.Clock
	persons []Person
	key     *ecdsa.PrivateKey
	mux     *http.ServeMux
	mutex   sync.Mutex
	given   map[string]given // by code, or by token
}

type given struct {
	person                     *Person
	nonce, challenge, redirect string
	ends                       time.Time
}

const (
	keyName   = "simulated"
	codeHolds = time.Minute
	holds     = 5 * time.Minute
	mostGiven = 1000
)

// New returns a provider that calls itself name and knows persons.
func New(name string, now clock.Clock, persons []Person) (*Provider, error) {
	key, err := ecdsa.GenerateKey(elliptic.P256(), rand.Reader)
	if err != nil {
		return nil, err
	}
	p := &Provider{name: name, now: now, persons: persons, key: key, mux: http.NewServeMux(), given: map[string]given{}, Client: "codicil", Secret: rand.Text()}
	p.mux.HandleFunc("GET /.well-known/openid-configuration", p.told)
	p.mux.HandleFunc("GET /keys", p.keys)
	p.mux.HandleFunc("GET /authorize", p.ask)
	p.mux.HandleFunc("POST /authorize", p.choose)
	p.mux.HandleFunc("POST /token", p.token)
	p.mux.HandleFunc("GET /person", p.person)
	return p, nil
}

// ServeHTTP answers.
func (p *Provider) ServeHTTP(w http.ResponseWriter, r *http.Request) { p.mux.ServeHTTP(w, r) }

func answer(w http.ResponseWriter, status int, value any) {
	w.Header().Set("Content-Type", "application/json")
	w.Header().Set("Cache-Control", "no-store")
	w.WriteHeader(status)
	_ = json.NewEncoder(w).Encode(value)
}

func (p *Provider) told(w http.ResponseWriter, _ *http.Request) {
	answer(w, http.StatusOK, map[string]any{
		"issuer": p.Issuer, "authorization_endpoint": p.Issuer + "/authorize", "token_endpoint": p.Issuer + "/token", "userinfo_endpoint": p.Issuer + "/person", "jwks_uri": p.Issuer + "/keys",
		"response_types_supported": []string{"code"}, "subject_types_supported": []string{"public"}, "id_token_signing_alg_values_supported": []string{string(jose.ES256)},
		"code_challenge_methods_supported": []string{"S256"}, "token_endpoint_auth_methods_supported": []string{"client_secret_basic"},
	})
}

func (p *Provider) keys(w http.ResponseWriter, _ *http.Request) {
	answer(w, http.StatusOK, jose.JSONWebKeySet{Keys: []jose.JSONWebKey{{Key: p.key.Public(), KeyID: keyName, Algorithm: string(jose.ES256), Use: "sig"}}})
}

// sound refuses what does not come from our application.
func (p *Provider) sound(w http.ResponseWriter, q url.Values) bool {
	if q.Get("client_id") != p.Client || q.Get("response_type") != "code" || q.Get("code_challenge_method") != "S256" || q.Get("code_challenge") == "" || q.Get("nonce") == "" || !p.Back(q.Get("redirect_uri")) {
		http.Error(w, "This request does not come from an application that is known here.", http.StatusBadRequest)
		return false
	}
	return true
}

var page = template.Must(template.New("page").Parse(`<!doctype html>
<html lang="en">
<head>
<meta charset="utf-8">
<title>{{.Name}}</title>
<style>
body { font: 15px/1.5 system-ui, sans-serif; margin: 12vh auto 0; width: min(420px, 90vw); color: #1d2733; background: #eef2f6; }
button { display: block; width: 100%; margin: 6px 0; padding: 9px 14px; font: inherit; text-align: left; background: #fff; border: 1px solid #b8c4d0; border-radius: 4px; cursor: pointer; }
button.no { border-color: transparent; background: none; }
small { color: #5c6b7a; }
</style>
</head>
<body>
<h1>{{.Name}}</h1>
<p>A simulated provider of sign-ins, without passwords: as whom do you sign in?</p>
<form method="post" action="/authorize?{{.Query}}">
{{range .Persons}}<button name="person" value="{{.Subject}}">{{.Name}}</button>
{{end}}<button class="no" name="person" value="">Do not sign in</button>
</form>
</body>
</html>
`))

func (p *Provider) ask(w http.ResponseWriter, r *http.Request) {
	if !p.sound(w, r.URL.Query()) {
		return
	}
	w.Header().Set("Content-Type", "text/html; charset=utf-8")
	_ = page.Execute(w, map[string]any{"Name": p.name, "Persons": p.persons, "Query": template.URL(r.URL.RawQuery)}) //nolint:gosec // a query that was sent to us, quoted as it was
}

// hold remembers what a code or a token was given for. What is old goes first.
func (p *Provider) hold(name string, g given) {
	p.mutex.Lock()
	defer p.mutex.Unlock()
	if len(p.given) >= mostGiven {
		clear(p.given)
	}
	p.given[name] = g
}

// take returns what a code or a token was given for, once.
func (p *Provider) take(name string) (given, bool) {
	p.mutex.Lock()
	defer p.mutex.Unlock()
	g, found := p.given[name]
	delete(p.given, name)
	return g, found && p.now().Before(g.ends)
}

func (p *Provider) choose(w http.ResponseWriter, r *http.Request) {
	q := r.URL.Query()
	if !p.sound(w, q) {
		return
	}
	back, err := url.Parse(q.Get("redirect_uri"))
	if err != nil {
		http.Error(w, "This is no address.", http.StatusBadRequest)
		return
	}
	to := url.Values{"state": {q.Get("state")}}
	if person := p.find(r.PostFormValue("person")); person == nil {
		to.Set("error", "access_denied")
	} else {
		code := rand.Text()
		p.hold(code, given{person, q.Get("nonce"), q.Get("code_challenge"), q.Get("redirect_uri"), p.now().Add(codeHolds)})
		to.Set("code", code)
	}
	back.RawQuery = to.Encode()
	http.Redirect(w, r, back.String(), http.StatusSeeOther)
}

func (p *Provider) find(subject string) *Person {
	for i := range p.persons {
		if p.persons[i].Subject == subject {
			return &p.persons[i]
		}
	}
	return nil
}

func (p *Provider) token(w http.ResponseWriter, r *http.Request) {
	client, secret, _ := r.BasicAuth()
	if client != p.Client || subtle.ConstantTimeCompare([]byte(secret), []byte(p.Secret)) != 1 {
		answer(w, http.StatusUnauthorized, map[string]string{"error": "invalid_client"})
		return
	}
	g, found := p.take(r.PostFormValue("code"))
	sum := sha256.Sum256([]byte(r.PostFormValue("code_verifier")))
	if !found || base64.RawURLEncoding.EncodeToString(sum[:]) != g.challenge || r.PostFormValue("redirect_uri") != g.redirect {
		answer(w, http.StatusBadRequest, map[string]string{"error": "invalid_grant"})
		return
	}
	at := p.now()
	claims := map[string]any{"iss": p.Issuer, "sub": g.person.Subject, "aud": p.Client, "iat": at.Unix(), "exp": at.Add(holds).Unix(), "nonce": g.nonce, "name": g.person.Name}
	for name, value := range g.person.Claims {
		claims[name] = value
	}
	if p.Change != nil {
		p.Change(claims)
	}
	key := p.key
	if p.Sign != nil {
		key = p.Sign
	}
	signer, err := jose.NewSigner(jose.SigningKey{Algorithm: jose.ES256, Key: jose.JSONWebKey{Key: key, KeyID: keyName}}, nil)
	if err != nil {
		http.Error(w, err.Error(), http.StatusInternalServerError)
		return
	}
	signed, err := jwt.Signed(signer).Claims(claims).Serialize() //nolint:misspell // so it is called
	if err != nil {
		http.Error(w, err.Error(), http.StatusInternalServerError)
		return
	}
	access := rand.Text()
	p.hold(access, given{person: g.person, ends: at.Add(holds)})
	answer(w, http.StatusOK, map[string]any{"access_token": access, "token_type": "Bearer", "expires_in": int(holds / time.Second), "id_token": signed})
}

// person tells who holds a token; what is signed tells all else.
func (p *Provider) person(w http.ResponseWriter, r *http.Request) {
	const bearer = "Bearer "
	sent := r.Header.Get("Authorization")
	g, found := p.take(sent[min(len(bearer), len(sent)):])
	if !found {
		answer(w, http.StatusUnauthorized, map[string]string{"error": "invalid_token"})
		return
	}
	answer(w, http.StatusOK, map[string]any{"sub": g.person.Subject, "name": g.person.Name})
}
