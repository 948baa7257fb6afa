package httpapi_test

import (
	"crypto/ecdsa"
	"crypto/elliptic"
	"crypto/rand"
	"encoding/json"
	"net/http"
	"net/http/httptest"
	"net/url"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"codicil/internal/app/people"
	"codicil/internal/contract"
	"codicil/internal/demo"
	"codicil/internal/httpapi"
	"codicil/internal/oidc"
	"codicil/internal/oidc/simulated"
)

// provided is a house whose people sign in by a simulated provider, too.
type provided struct {
	*house
	provider *simulated.Provider
	away     *httptest.Server
	mapping  people.Mapping
}

func openProvided(t *testing.T, change func(*people.Mapping)) *provided {
	t.Helper()
	h := &provided{house: openHouse(t, httpapi.Options{})}
	var err error
	h.provider, err = simulated.New("Brinewell ID", h.time, demo.Provided)
	require.NoError(t, err)
	h.away = httptest.NewServer(h.provider)
	t.Cleanup(h.away.Close)
	h.provider.Issuer = h.away.URL
	h.provider.Back = func(address string) bool { return address == h.server.URL+"/sign-in/return" }
	h.mapping = demo.Mapping(h.away.URL)
	if change != nil {
		change(&h.mapping)
	}
	h.app.Provider.Use(oidc.New(oidc.Settings{Issuer: h.away.URL, Client: h.provider.Client, Secret: h.provider.Secret, Clock: h.time}), h.mapping)
	return h
}

// begun is a browser that was sent to the provider.
type begun struct {
	address string
	cookie  string
}

func (h *provided) begin() begun {
	h.t.Helper()
	got := (&visitor{house: h.house}).ask(http.MethodPost, "/api/v1/session/provider", contract.ProviderAsked{From: h.server.URL})
	require.Equal(h.t, http.StatusOK, got.status, got.text)
	var going contract.ProviderGoing
	require.NoError(h.t, json.Unmarshal([]byte(got.text), &going))
	pair, attributes, _ := strings.Cut(got.header.Get("Set-Cookie"), ";")
	require.True(h.t, strings.HasPrefix(pair, "__Host-codicil-provider="))
	require.Contains(h.t, attributes, "HttpOnly")
	return begun{going.Address, pair}
}

// choose signs in at the provider, and returns with what the browser comes back.
func (h *provided) choose(b begun, subject string) url.Values {
	h.t.Helper()
	client := http.Client{CheckRedirect: func(*http.Request, []*http.Request) error { return http.ErrUseLastResponse }}
	got, err := client.PostForm(b.address, url.Values{"person": {subject}})
	require.NoError(h.t, err)
	require.NoError(h.t, got.Body.Close())
	require.Equal(h.t, http.StatusSeeOther, got.StatusCode)
	back, err := url.Parse(got.Header.Get("Location"))
	require.NoError(h.t, err)
	assert.Equal(h.t, "/sign-in/return", back.Path)
	return back.Query()
}

func (h *provided) finish(cookie string, back url.Values) answer {
	v := &visitor{h.house, http.Header{}}
	if cookie != "" {
		v.header.Set("Cookie", cookie)
	}
	return v.ask(http.MethodPost, "/api/v1/session/provider/finish", contract.ProviderAnswer{From: h.server.URL, Code: back.Get("code"), State: back.Get("state")})
}

func (h *provided) enter(subject string) answer {
	h.t.Helper()
	b := h.begin()
	return h.finish(b.cookie, h.choose(b, subject))
}

func (h *provided) whoIs(v *visitor) (state contract.SessionState) {
	h.t.Helper()
	require.NoError(h.t, json.Unmarshal([]byte(v.ask(http.MethodGet, "/api/v1/session", nil).text), &state))
	return state
}

func TestAProviderSignsInWhomItKnows(t *testing.T) {
	h := openProvided(t, nil)
	jun := h.whoIs(h.cookies(h.enter("b-1042")))
	assert.Equal(t, "Jun Aoki", jun.Person.Name, "who has the name there is linked")
	assert.Equal(t, []string{"30"}, jun.Companies)
	assert.True(t, jun.Person.HasProvider)
	nell := h.whoIs(h.cookies(h.enter("b-1113")))
	assert.Equal(t, "Nell Farrow", nell.Person.Name, "who is new is added")
	assert.Equal(t, []string{"10"}, nell.Companies)
	assert.False(t, nell.Everywhere)
	again := h.whoIs(h.cookies(h.enter("b-1113")))
	assert.Equal(t, nell.Person.ID, again.Person.ID)

	// What the provider says now holds, in every session at once.
	first := h.cookies(h.enter("b-1113"))
	h.provider.Change = func(claims map[string]any) {
		claims["groups"] = []string{"codicil-clerks", "site-20", "site-30", "canteen"}
	}
	h.cookies(h.enter("b-1113"))
	assert.Equal(t, []string{"20", "30"}, h.whoIs(first).Companies)
	h.provider.Change = nil

	page, err := h.app.Trail.Page(h.own(), trailOf("person"), "")
	require.NoError(t, err)
	told := map[string]int{}
	for _, e := range page.Entries {
		if e.Key == "nell.farrow" {
			told[e.What]++
			assert.Equal(t, "Nell Farrow", e.By)
		}
	}
	assert.Equal(t, map[string]int{"added by provider": 1, "changed by provider": 1, "signed in by provider": 4}, told)
}

func TestAProviderGivesNobodyMoreThanIsSaid(t *testing.T) {
	h := openProvided(t, nil)
	assert.Equal(t, "provider-no-role", h.enter("b-1200").code())
	h.provider.Change = func(claims map[string]any) { claims["groups"] = []string{"all-sites"} }
	assert.Equal(t, "provider-no-role", h.enter("b-1007").code(), "groups that stand for nothing give nothing")
	h.provider.Change = func(claims map[string]any) { claims["preferred_username"] = "no name at all" }
	assert.Equal(t, "provider-no-name", h.enter("b-1113").code())
	h.provider.Change = nil
	persons, err := h.app.People.Persons(h.own())
	require.NoError(t, err)
	for _, p := range persons {
		assert.Empty(t, p.Subject, "%s was linked, though they were not signed in", p.Name)
		if p.SignInName == "jun.aoki" {
			_, err = h.app.People.Change(h.own(), p.ID, contract.PersonChange{Name: p.Name, SignInName: p.SignInName, Companies: p.Companies, Roles: p.Roles, Ended: true, Version: p.Version, Subject: "b-1042"})
			require.NoError(t, err)
		}
	}
	assert.Equal(t, "sign-in-refused", h.enter("b-1042").code(), "who may no longer sign in may not so either")

	strict := openProvided(t, func(m *people.Mapping) { m.Link, m.Add = false, false })
	assert.Equal(t, "provider-not-linked", strict.enter("b-1042").code())
	assert.Equal(t, "provider-unknown-person", strict.enter("b-1113").code())
	mails := openProvided(t, func(m *people.Mapping) { m.SignIn = "email" })
	mails.provider.Change = func(claims map[string]any) { claims["email"], claims["email_verified"] = "jun.aoki", false }
	assert.Equal(t, "provider-not-linked", mails.enter("b-1042").code(), "an address of mail that nobody has verified is nobody's")
	mails.provider.Change = func(claims map[string]any) { claims["email"], claims["email_verified"] = "jun.aoki", true }
	mails.cookies(mails.enter("b-1042"))

	// The last who keeps the persons stays so.
	last := openProvided(t, nil)
	last.provider.Change = func(claims map[string]any) { claims["groups"] = []string{"codicil-readers", "all-sites"} }
	assert.Equal(t, "last-administrator", last.enter("b-1007").code())
}

func TestWhatAProviderDidNotSayIsRefused(t *testing.T) {
	h := openProvided(t, nil)
	other, err := ecdsa.GenerateKey(elliptic.P256(), rand.Reader)
	require.NoError(t, err)
	for what, change := range map[string]func(map[string]any){
		"another nonce":    func(c map[string]any) { c["nonce"] = "made up" },
		"for another":      func(c map[string]any) { c["aud"] = "ledger" },
		"by another":       func(c map[string]any) { c["iss"] = "http://elsewhere.example" },
		"no longer":        func(c map[string]any) { c["exp"] = h.time().Add(-time.Hour).Unix() },
		"of another":       func(c map[string]any) { c["sub"] = "b-1007" },
		"of nobody":        func(c map[string]any) { c["sub"] = "" },
		"by a foreign key": func(map[string]any) { h.provider.Sign = other },
	} {
		h.provider.Change = change
		got := h.enter("b-1113")
		assert.Equal(t, "sign-in-refused", got.code(), what)
		assert.Empty(t, got.header.Get("Set-Cookie"), what)
		h.provider.Change, h.provider.Sign = nil, nil
		h.later(time.Minute)
	}
	mine, theirs := h.begin(), h.begin()
	back := h.choose(mine, "b-1113")
	for what, try := range map[string]func() answer{
		"without the cookie": func() answer { return h.finish("", back) },
		"in another browser": func() answer { return h.finish(theirs.cookie, back) },
		"with another state": func() answer {
			return h.finish(mine.cookie, url.Values{"code": back["code"], "state": {"made-up"}})
		},
		"a code that is made up": func() answer {
			return h.finish(mine.cookie, url.Values{"code": {"made-up"}, "state": back["state"]})
		},
	} {
		assert.Equal(t, "sign-in-refused", try().code(), what)
		h.later(time.Minute)
	}
	// A minute has passed at the provider, too: another code, which serves once.
	back = h.choose(mine, "b-1113")
	h.cookies(h.finish(mine.cookie, back))
	assert.Equal(t, "sign-in-refused", h.finish(mine.cookie, back).code(), "a code serves once")

	stranger := &visitor{house: h.house}
	for _, from := range []string{"https://elsewhere.example", h.server.URL + "/x", "javascript:alert(1)", ""} {
		assert.Equal(t, "origin-unknown", stranger.ask(http.MethodPost, "/api/v1/session/provider", contract.ProviderAsked{From: from}).code(), from)
	}
	h.away.Close()
	assert.Equal(t, "provider-silent", h.finish(mine.cookie, back).code())
	none := openHouse(t, httpapi.Options{})
	assert.Equal(t, "provider-none", (&visitor{house: none}).ask(http.MethodPost, "/api/v1/session/provider", contract.ProviderAsked{From: none.server.URL}).code())
}
