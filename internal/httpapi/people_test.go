package httpapi_test

import (
	"encoding/base32"
	"encoding/json"
	"fmt"
	"net/http"
	"net/netip"
	"slices"
	"strings"
	"sync"
	"testing"
	"time"

	"github.com/getkin/kin-openapi/openapi3"
	"github.com/pquerna/otp/totp"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"codicil/internal/app/people"
	"codicil/internal/contract"
	"codicil/internal/httpapi"
)

const good = "four herons on one pier"

// cookies makes a visitor of who an answer signs in.
func (h *house) cookies(got answer) *visitor {
	h.t.Helper()
	require.Equal(h.t, http.StatusOK, got.status, got.text)
	set := got.header.Get("Set-Cookie")
	require.NotEmpty(h.t, set)
	pair, attributes, _ := strings.Cut(set, ";")
	for _, wanted := range []string{"Path=/", "HttpOnly", "Secure", "SameSite=Strict"} {
		assert.Contains(h.t, attributes, wanted)
	}
	assert.NotContains(h.t, attributes, "Domain")
	assert.True(h.t, strings.HasPrefix(pair, "__Host-codicil="))
	return &visitor{h, http.Header{"Cookie": {pair}}}
}

// person adds a person who has chosen a password.
func (h *house) person(name string, companies []string, roles ...string) *visitor {
	h.t.Helper()
	added, err := h.app.People.Add(h.own(), contract.PersonChange{Name: name, SignInName: name, Companies: companies, Everywhere: companies == nil, Roles: roles})
	require.NoError(h.t, err)
	return h.cookies((&visitor{house: h}).ask(http.MethodPost, "/api/v1/session/word", contract.WordGiven{SignInName: name, Word: added.Word, Password: good}))
}

func (h *house) signIn(name, password, code string) answer {
	return (&visitor{house: h}).ask(http.MethodPost, "/api/v1/session", contract.SignIn{SignInName: name, Password: password, Code: code})
}

func (v *visitor) in() bool {
	return v.ask(http.MethodGet, "/api/v1/account/sessions", nil).status == http.StatusOK
}

func TestTheFirstAdministratorIsMadeByAWord(t *testing.T) {
	h := openHouse(t, httpapi.Options{})
	persons, err := h.store.Persons(t.Context())
	require.NoError(t, err)
	require.NotEmpty(t, persons)
	empty := openEmpty(t)
	word, err := empty.app.SignIn.First(t.Context())
	require.NoError(t, err)
	stranger := &visitor{house: empty}
	var state contract.SessionState
	require.NoError(t, json.Unmarshal([]byte(stranger.ask(http.MethodGet, "/api/v1/session", nil).text), &state))
	assert.Equal(t, contract.First, state.State)
	first := contract.FirstPerson{Word: "wrong", Name: "Moya Keane", SignInName: "Moya.Keane", Password: good}
	assert.Equal(t, "word-refused", stranger.ask(http.MethodPost, "/api/v1/session/first", first).code())
	first.Word = strings.ToLower(word)
	for password, code := range map[string]string{"short": "password-short", "password1234": "password-common", "moya.keane.moya": "password-common", strings.Repeat("x", 200): "password-long"} {
		first.Password = password
		assert.Equal(t, code, stranger.ask(http.MethodPost, "/api/v1/session/first", first).code(), password)
	}
	first.Password = good
	moya := empty.cookies(stranger.ask(http.MethodPost, "/api/v1/session/first", first))
	assert.True(t, moya.in())
	assert.Equal(t, "not-first", stranger.ask(http.MethodPost, "/api/v1/session/first", first).code(), "the word serves once")
	word, err = empty.app.SignIn.First(t.Context())
	require.NoError(t, err)
	assert.Empty(t, word)
	assert.Equal(t, http.StatusOK, empty.signIn("moya.keane ", good, "").status)
}

func TestWhoDoesNotKnowThePasswordIsRefusedPlainly(t *testing.T) {
	h := openHouse(t, httpapi.Options{})
	h.person("sam", nil, "reader")
	wrong := h.signIn("sam", "not the password", "")
	unknown := h.signIn("nobody.known", "not the password", "")
	ended := h.person("gone", nil, "reader")
	persons, err := h.app.People.Persons(h.own())
	require.NoError(t, err)
	for _, p := range persons {
		if p.Name == "gone" {
			_, err := h.app.People.Change(h.own(), p.ID, contract.PersonChange{Name: p.Name, SignInName: p.SignInName, Everywhere: true, Companies: []string{}, Roles: p.Roles, Ended: true, Version: p.Version})
			require.NoError(t, err)
		}
	}
	assert.False(t, ended.in(), "who may no longer sign in is signed out at once")
	for _, other := range []answer{unknown, h.signIn("gone", good, ""), h.signIn("sam", strings.Repeat("x", 900), ""), h.signIn("", "", "")} {
		assert.Equal(t, http.StatusUnauthorized, other.status)
		assert.Equal(t, wrong.text, other.text)
	}
	// Trying on and on is slowed down, not locked out.
	for range 10 {
		h.signIn("sam", "guess", "")
	}
	slow := h.signIn("sam", good, "")
	assert.Equal(t, http.StatusTooManyRequests, slow.status)
	assert.Equal(t, "sign-in-too-often", slow.code())
	h.later(time.Minute)
	assert.Equal(t, http.StatusOK, h.signIn("sam", good, "").status)
	require.NoError(t, h.app.People.WriteRefusals(t.Context()))
	trail, err := h.app.Trail.Page(h.own(), trailOf("refusal"), "")
	require.NoError(t, err)
	counted := 0
	for _, e := range trail.Entries {
		if e.What == "sign-in refused" && e.Key == "sam" {
			counted += e.Count
		}
		assert.NotContains(t, jsonOf(e), good)
	}
	assert.Positive(t, counted, "what was refused is in the trail, summed")
}

func TestAThousandSignInsAtOnce(t *testing.T) {
	h := openHouse(t, httpapi.Options{Proxies: []netip.Prefix{netip.MustParsePrefix("127.0.0.0/8")}})
	sam := h.person("sam", nil, "reader")
	var group sync.WaitGroup
	statuses := make([]int, 150)
	for i := range statuses {
		group.Go(func() {
			v := &visitor{h, http.Header{"X-Forwarded-For": {fmt.Sprintf("10.1.%d.%d", i/50, i%50)}}}
			statuses[i] = v.ask(http.MethodPost, "/api/v1/session", contract.SignIn{SignInName: "sam", Password: "x"}).status
		})
	}
	begun := time.Now()
	assert.True(t, sam.in(), "who is signed in works on")
	assert.Less(t, time.Since(begun), time.Minute)
	group.Wait()
	slowed := 0
	for _, status := range statuses {
		if status == http.StatusTooManyRequests {
			slowed++
			continue
		}
		assert.Equal(t, http.StatusUnauthorized, status)
	}
	assert.Greater(t, slowed, 50)
}

func TestSessionsEndAndAreSeen(t *testing.T) {
	h := openHouse(t, httpapi.Options{})
	sam := h.person("sam", nil, "reader")
	other := h.cookies(h.signIn("sam", good, ""))
	var sessions []contract.SessionTold
	require.NoError(t, json.Unmarshal([]byte(sam.ask(http.MethodGet, "/api/v1/account/sessions", nil).text), &sessions))
	require.Len(t, sessions, 2)
	for _, s := range sessions {
		if !s.Current {
			assert.Equal(t, http.StatusNoContent, sam.ask(http.MethodDelete, "/api/v1/account/sessions/"+s.ID, nil).status)
		}
	}
	assert.False(t, other.in())
	assert.True(t, sam.in())
	// A session that rests ends, as does one that lasts too long.
	h.later(59 * time.Minute)
	assert.True(t, sam.in())
	h.later(59 * time.Minute)
	assert.True(t, sam.in(), "it was used meanwhile")
	h.later(61 * time.Minute)
	assert.False(t, sam.in())
	long := h.cookies(h.signIn("sam", good, ""))
	for range 12 {
		h.later(50 * time.Minute)
		assert.True(t, long.in())
	}
	for range 4 {
		h.later(50 * time.Minute)
		long.in()
	}
	assert.False(t, long.in(), "after twelve hours")
	// A new password ends all others, and the session goes on under another token.
	first, second := h.cookies(h.signIn("sam", good, "")), h.cookies(h.signIn("sam", good, ""))
	assert.Equal(t, http.StatusForbidden, first.ask(http.MethodPut, "/api/v1/account/password", contract.PasswordChange{Current: "wrong", Password: "seven lamps by the sea"}).status)
	assert.Equal(t, "password-short", first.ask(http.MethodPut, "/api/v1/account/password", contract.PasswordChange{Current: good, Password: "x"}).code())
	third := h.cookies(first.ask(http.MethodPut, "/api/v1/account/password", contract.PasswordChange{Current: good, Password: "seven lamps by the sea"}))
	assert.False(t, first.in(), "an old token does not hold again")
	assert.False(t, second.in())
	assert.True(t, third.in())
	out := third.ask(http.MethodDelete, "/api/v1/session", nil)
	assert.Equal(t, http.StatusNoContent, out.status)
	assert.False(t, third.in(), "a session that has ended cannot be played again")
	// A forged one is nobody's.
	for _, token := range []string{"", "x", strings.Repeat("A", 43), "'; DROP TABLE sessions; --"} {
		assert.False(t, (&visitor{h, http.Header{"Cookie": {"__Host-codicil=" + token}}}).in(), token)
	}
}

func TestWhatChangesAPersonHoldsAtOnce(t *testing.T) {
	h := openHouse(t, httpapi.Options{})
	sam := h.person("sam", []string{"30"}, "keeper")
	assert.Equal(t, http.StatusOK, sam.ask(http.MethodGet, "/api/v1/rules", nil).status)
	persons, err := h.app.People.Persons(h.own())
	require.NoError(t, err)
	var p contract.Person
	for _, one := range persons {
		if one.Name == "sam" {
			p = one
		}
	}
	_, err = h.app.People.Change(h.own(), p.ID, contract.PersonChange{Name: "sam", SignInName: "sam", Companies: []string{"10"}, Roles: []string{"operator"}, Version: p.Version})
	require.NoError(t, err)
	assert.Equal(t, http.StatusForbidden, sam.ask(http.MethodGet, "/api/v1/rules", nil).status)
	assert.Equal(t, http.StatusOK, sam.ask(http.MethodGet, "/api/v1/records/vendor/V10001", nil).status)
	assert.Equal(t, http.StatusNotFound, sam.ask(http.MethodGet, "/api/v1/records/vendor/V30001", nil).status)
	// A reset ends what there was, and its word holds for a day and once.
	reset, err := h.app.People.Reset(h.own(), p.ID)
	require.NoError(t, err)
	assert.False(t, sam.in())
	assert.Equal(t, http.StatusUnauthorized, h.signIn("sam", good, "").status)
	given := contract.WordGiven{SignInName: "sam", Word: reset.Word, Password: "seven lamps by the sea"}
	stranger := &visitor{house: h}
	late := h.time()
	h.setTime(late.Add(25 * time.Hour))
	assert.Equal(t, "word-refused", stranger.ask(http.MethodPost, "/api/v1/session/word", given).code())
	h.setTime(late)
	h.cookies(stranger.ask(http.MethodPost, "/api/v1/session/word", given))
	assert.Equal(t, "word-refused", stranger.ask(http.MethodPost, "/api/v1/session/word", given).code())
	assert.Equal(t, http.StatusOK, h.signIn("sam", "seven lamps by the sea", "").status)
}

func TestTwoPersonsDoNotSignInAlike(t *testing.T) {
	h := openHouse(t, httpapi.Options{})
	moya := h.as("Moya Burke", nil, "administrator")
	add := func(name, subject string) answer {
		return moya.ask(http.MethodPost, "/api/v1/persons", contract.PersonChange{Name: name, SignInName: name, Subject: subject, Companies: []string{}, Roles: []string{}})
	}
	require.Equal(t, http.StatusCreated, add("rosa", "b-7").status)
	assert.Equal(t, "person-sign-in-taken", add("Rosa", "").code())
	assert.Equal(t, "person-subject-taken", add("rosalind", "b-7").code())
	var lena contract.PersonAdded
	require.NoError(t, json.Unmarshal([]byte(add("lena", "").text), &lena))
	got := moya.ask(http.MethodPut, "/api/v1/persons/"+lena.Person.ID, contract.PersonChange{Name: "Lena", SignInName: "rosa", Companies: []string{}, Roles: []string{}, Version: 1})
	assert.Equal(t, "person-sign-in-taken", got.code())
}

func TestTheLastWhoKeepsPersonsStays(t *testing.T) {
	h := openHouse(t, httpapi.Options{})
	persons, err := h.app.People.Persons(h.own())
	require.NoError(t, err)
	for _, p := range persons {
		if p.SignInName != "moya.keane" {
			continue
		}
		for _, change := range []contract.PersonChange{
			{Everywhere: true, Companies: []string{}, Roles: []string{"keeper"}}, {Everywhere: false, Companies: []string{"10"}, Roles: p.Roles}, {Everywhere: true, Companies: []string{}, Roles: p.Roles, Ended: true},
		} {
			change.Name, change.SignInName, change.Version = p.Name, p.SignInName, p.Version
			_, err := h.app.People.Change(h.own(), p.ID, change)
			assert.ErrorContains(t, err, "nobody would be left")
		}
	}
	_, err = h.app.People.SaveRole(h.own(), "administrator", contract.RoleChange{Name: "Administrator", Permissions: []string{"trail.read"}, Kinds: []string{}, Version: 1})
	assert.ErrorContains(t, err, "nobody would be left")
	assert.ErrorContains(t, h.app.People.DeleteRole(h.own(), "administrator"), "have this role")
}

func TestTheSecondFactor(t *testing.T) {
	h := openHouse(t, httpapi.Options{})
	sam := h.person("sam", nil, "reader")
	assert.Equal(t, "factor-none", sam.ask(http.MethodPut, "/api/v1/account/factor", contract.CodeGiven{Code: "123456"}).code())
	assert.Equal(t, http.StatusForbidden, sam.ask(http.MethodPost, "/api/v1/account/factor", contract.PasswordGiven{Password: "wrong"}).status)
	var begun contract.FactorBegun
	require.NoError(t, json.Unmarshal([]byte(sam.ask(http.MethodPost, "/api/v1/account/factor", contract.PasswordGiven{Password: good}).text), &begun))
	assert.Contains(t, begun.Address, "otpauth://totp/Codicil:sam")
	_, err := base32.StdEncoding.WithPadding(base32.NoPadding).DecodeString(begun.Secret)
	require.NoError(t, err)
	code := func() string {
		c, err := totp.GenerateCode(begun.Secret, h.time())
		require.NoError(t, err)
		return c
	}
	assert.Equal(t, http.StatusOK, h.signIn("sam", good, "").status, "before its first code it does not count")
	var set contract.FactorSet
	require.NoError(t, json.Unmarshal([]byte(sam.ask(http.MethodPut, "/api/v1/account/factor", contract.CodeGiven{Code: code()}).text), &set))
	require.Len(t, set.Recovery, 10)
	assert.Equal(t, "sign-in-code-needed", h.signIn("sam", good, "").code())
	assert.Equal(t, "sign-in-refused", h.signIn("sam", "wrong", code()).code())
	assert.Equal(t, "sign-in-refused", h.signIn("sam", good, "000000").code())
	assert.Equal(t, "sign-in-refused", h.signIn("sam", good, code()).code(), "a code serves once")
	h.later(time.Minute)
	used := code()
	assert.Equal(t, http.StatusOK, h.signIn("sam", good, used).status)
	assert.Equal(t, http.StatusUnauthorized, h.signIn("sam", good, used).status)
	assert.Equal(t, http.StatusOK, h.signIn("sam", good, strings.ToLower(set.Recovery[3])).status)
	h.later(3 * time.Minute)
	assert.Equal(t, http.StatusUnauthorized, h.signIn("sam", good, set.Recovery[3]).status, "and so does one of recovery")
	assert.Equal(t, http.StatusNoContent, sam.ask(http.MethodPost, "/api/v1/account/factor/remove", contract.PasswordGiven{Password: good}).status)
	h.later(3 * time.Minute)
	assert.Equal(t, http.StatusOK, h.signIn("sam", good, "").status)
}

func TestSecretsOfSecondFactorsAreSealed(t *testing.T) {
	h := openHouse(t, httpapi.Options{})
	sam := h.person("sam", nil, "reader")
	var begun contract.FactorBegun
	require.NoError(t, json.Unmarshal([]byte(sam.ask(http.MethodPost, "/api/v1/account/factor", contract.PasswordGiven{Password: good}).text), &begun))
	code := func() string {
		h.later(3 * time.Minute)
		c, err := totp.GenerateCode(begun.Secret, h.time())
		require.NoError(t, err)
		return c
	}
	var set contract.FactorSet
	require.NoError(t, json.Unmarshal([]byte(sam.ask(http.MethodPut, "/api/v1/account/factor", contract.CodeGiven{Code: code()}).text), &set))
	secret, err := base32.StdEncoding.WithPadding(base32.NoPadding).DecodeString(begun.Secret)
	require.NoError(t, err)
	kept := func() []byte {
		p, err := h.store.PersonBySignIn(t.Context(), "sam")
		require.NoError(t, err)
		return p.Secrets.Factor
	}
	require.Equal(t, secret, kept(), "without a key it stands there as it is")
	settings := people.Usual
	settings.Seal = people.NewSealKey()
	h.app.SignIn.Set(settings)
	require.NoError(t, h.app.SignIn.SealAll(h.own()))
	sealed := kept()
	assert.NotContains(t, string(sealed), string(secret))
	require.NoError(t, h.app.SignIn.SealAll(h.own()))
	assert.Equal(t, sealed, kept(), "it is sealed once")
	assert.Equal(t, http.StatusOK, h.signIn("sam", good, code()).status)

	settings.Seal = people.NewSealKey()
	h.app.SignIn.Set(settings)
	assert.Equal(t, "factor-sealed", h.signIn("sam", good, code()).code(), "with another key it cannot be read")
	assert.Equal(t, http.StatusOK, h.signIn("sam", good, set.Recovery[0]).status, "a code of recovery needs none")
}

func TestKeysOfPrograms(t *testing.T) {
	h := openHouse(t, httpapi.Options{MostEach: 20})
	sam := h.person("sam", []string{"10", "30"}, "operator", "keeper")
	change := contract.KeyChange{Name: "Nightly load", Permissions: []string{"records.read"}, Kinds: []string{"vendor"}, Companies: []string{"30"}, Ends: "2026-12-31"}
	for code, wrong := range map[string]func(*contract.KeyChange){
		"key-no-end": func(k *contract.KeyChange) { k.Ends = "2026-01-01" }, "key-nothing": func(k *contract.KeyChange) { k.Permissions = []string{} }, "unknown-permission": func(k *contract.KeyChange) { k.Permissions = []string{"x"} },
		"not-allowed": func(k *contract.KeyChange) { k.Permissions = []string{"persons.change"} }, "unknown-company": func(k *contract.KeyChange) { k.Companies = []string{"20"} },
	} {
		k := change
		wrong(&k)
		got := sam.ask(http.MethodPost, "/api/v1/keys", k)
		assert.Equal(t, code, got.code(), got.text)
	}
	everywhere := change
	everywhere.Everywhere = true
	assert.Equal(t, http.StatusForbidden, sam.ask(http.MethodPost, "/api/v1/keys", everywhere).status)
	var added contract.KeyAdded
	got := sam.ask(http.MethodPost, "/api/v1/keys", change)
	require.Equal(t, http.StatusCreated, got.status, got.text)
	require.NoError(t, json.Unmarshal([]byte(got.text), &added))
	assert.True(t, strings.HasPrefix(added.Token, "codicil_"))
	program := &visitor{h, http.Header{"Authorization": {"Bearer " + added.Token}}}
	assert.Equal(t, http.StatusOK, program.ask(http.MethodGet, "/api/v1/records/vendor/V30001", nil).status)
	assert.Equal(t, http.StatusNotFound, program.ask(http.MethodGet, "/api/v1/records/vendor/V10001", nil).status, "its companies are fewer")
	assert.Equal(t, http.StatusForbidden, program.ask(http.MethodGet, "/api/v1/records/customer/C30001", nil).status, "its kinds are fewer")
	assert.Equal(t, http.StatusForbidden, program.ask(http.MethodGet, "/api/v1/rules", nil).status)
	assert.Equal(t, http.StatusForbidden, program.ask(http.MethodPost, "/api/v1/keys", change).status, "a key makes no keys")
	assert.Equal(t, http.StatusForbidden, program.ask(http.MethodPut, "/api/v1/account/password", contract.PasswordChange{Current: good, Password: "seven lamps by the sea"}).status)
	listed := sam.ask(http.MethodGet, "/api/v1/keys", nil)
	assert.Contains(t, listed.text, "Nightly load")
	assert.NotContains(t, listed.text, added.Token)
	assert.NotContains(t, listed.text, `"used":""`, "its last use is seen")
	for _, token := range []string{"", "codicil_", added.Token + "x", strings.ToUpper(added.Token), added.Token[8:]} {
		forged := &visitor{h, http.Header{"Authorization": {"Bearer " + token}}}
		assert.Equal(t, http.StatusUnauthorized, forged.ask(http.MethodGet, "/api/v1/catalog", nil).status, token)
	}
	// It asks only so often.
	fast := 0
	for range 60 {
		if program.ask(http.MethodGet, "/api/v1/functions", nil).status == http.StatusTooManyRequests {
			fast++
		}
	}
	assert.Positive(t, fast)
	// It holds no longer than its owner, nor after its day, nor when it is revoked.
	persons, err := h.app.People.Persons(h.own())
	require.NoError(t, err)
	for _, p := range persons {
		if p.Name == "sam" {
			_, err := h.app.People.Change(h.own(), p.ID, contract.PersonChange{Name: p.Name, SignInName: "sam", Companies: []string{"10"}, Roles: p.Roles, Version: p.Version})
			require.NoError(t, err)
		}
	}
	who, found, err := h.app.Keys.ByKey(t.Context(), added.Token)
	require.NoError(t, err)
	assert.True(t, found)
	assert.False(t, who.Rights.In("30"), "what its owner lost is lost")
	morning := h.time()
	h.setTime(time.Date(2027, 1, 1, 9, 0, 0, 0, time.UTC))
	_, found, err = h.app.Keys.ByKey(t.Context(), added.Token)
	require.NoError(t, err)
	assert.False(t, found)
	h.setTime(morning)
	require.Equal(t, http.StatusNoContent, sam.ask(http.MethodDelete, "/api/v1/keys/"+added.Key.ID, nil).status)
	_, found, err = h.app.Keys.ByKey(t.Context(), added.Token)
	require.NoError(t, err)
	assert.False(t, found)
	stranger := h.person("tom", []string{"30"}, "operator")
	assert.NotContains(t, stranger.ask(http.MethodGet, "/api/v1/keys", nil).text, "Nightly load")
	assert.Equal(t, http.StatusNotFound, stranger.ask(http.MethodDelete, "/api/v1/keys/"+added.Key.ID, nil).status)
}

func TestWhatComesFromElsewhereIsRefused(t *testing.T) {
	h := openHouse(t, httpapi.Options{Hosts: []string{"codicil.example"}})
	sam := h.person("sam", nil, "keeper")
	with := func(name, value string) *visitor {
		v := &visitor{h, sam.header.Clone()}
		v.header.Set(name, value)
		return v
	}
	change := contract.Preferences{}
	for _, v := range []*visitor{with("Host", "evil.example"), with("Origin", "https://evil.example"), with("Origin", "null"), with("Sec-Fetch-Site", "cross-site"), with("Sec-Fetch-Site", "same-site")} {
		got := v.ask(http.MethodPut, "/api/v1/preferences", change)
		assert.Equal(t, http.StatusForbidden, got.status, "%v %s", v.header, got.text)
	}
	assert.Equal(t, http.StatusOK, with("Host", "codicil.example").ask(http.MethodPut, "/api/v1/preferences", change).status)
	assert.Equal(t, http.StatusOK, with("Sec-Fetch-Site", "same-origin").ask(http.MethodPut, "/api/v1/preferences", change).status)
	// Forms of other pages cannot send JSON.
	form := with("Content-Type", "text/plain")
	assert.GreaterOrEqual(t, form.ask(http.MethodPut, "/api/v1/preferences", change).status, 400)
	for _, path := range []string{"/api/v1/../../etc/passwd", "/api/v1/%2e%2e/%2e%2e/etc/passwd", "/api/v1/nowhere", "/api/nowhere", "/api/", "/assets/../../../etc/passwd", "/api/v1/records/vendor/..%2f..%2fetc", "/api/v1//catalog"} {
		got := sam.ask(http.MethodGet, path, nil)
		assert.NotContains(t, got.text, "root:", path)
		if strings.HasPrefix(path, "/api") {
			assert.GreaterOrEqual(t, got.status, 400, path)
			assert.Equal(t, "application/problem+json", got.header.Get("Content-Type"), path)
		}
	}
	got := sam.ask(http.MethodGet, "/plan", nil)
	policy := got.header.Get("Content-Security-Policy")
	assert.NotContains(t, policy, "unsafe-inline")
	for name, value := range map[string]string{"X-Frame-Options": "DENY", "X-Content-Type-Options": "nosniff", "Referrer-Policy": "no-referrer", "Cross-Origin-Opener-Policy": "same-origin", "Cross-Origin-Resource-Policy": "same-origin"} {
		assert.Equal(t, value, got.header.Get(name))
	}
	assert.NotEmpty(t, got.header.Get("Permissions-Policy"))
	assert.Equal(t, "no-store", sam.ask(http.MethodGet, "/api/v1/catalog", nil).header.Get("Cache-Control"))
	// Who is no proxy of ours cannot say for whom they ask; what the program is like is told on this machine only.
	forged := with("X-Forwarded-For", "203.0.113.9")
	require.Equal(t, http.StatusOK, forged.ask(http.MethodGet, "/metrics", nil).status)
	behind := openHouse(t, httpapi.Options{Proxies: []netip.Prefix{netip.MustParsePrefix("127.0.0.1/32")}})
	assert.Equal(t, http.StatusNotFound, (&visitor{behind, http.Header{"X-Forwarded-For": {"203.0.113.9"}}}).ask(http.MethodGet, "/metrics", nil).status)
	assert.Equal(t, http.StatusNotFound, (&visitor{behind, http.Header{"X-Forwarded-For": {"127.0.0.1, 203.0.113.9"}}}).ask(http.MethodGet, "/metrics", nil).status, "what a client says itself does not count")
}

func TestTheContractIsServed(t *testing.T) {
	h := openHouse(t, httpapi.Options{})
	got := h.as("Ada", nil, "reader").ask(http.MethodGet, "/api/v1/openapi.yaml", nil)
	assert.Equal(t, http.StatusOK, got.status)
	document, err := openapi3.NewLoader().LoadFromData([]byte(got.text))
	require.NoError(t, err)
	require.NoError(t, document.Validate(t.Context()))
	page := (&visitor{house: h}).ask(http.MethodGet, "/api", nil)
	assert.Equal(t, http.StatusOK, page.status)
	assert.NotContains(t, page.header.Get("Content-Security-Policy"), "unsafe-inline")
	for _, o := range operations(t) {
		assert.Contains(t, page.text, `id="`+o.OperationID+`"`)
		served := document.Paths.Find(o.path).GetOperation(o.method)
		for _, status := range []int{http.StatusBadRequest, http.StatusTooManyRequests, http.StatusServiceUnavailable} {
			assert.NotNil(t, served.Responses.Status(status), o.OperationID)
		}
		if permissions, _ := o.permissions(); !slices.Contains(permissions, "nobody") {
			assert.NotNil(t, served.Responses.Status(http.StatusUnauthorized), o.OperationID)
			assert.NotNil(t, served.Responses.Status(http.StatusForbidden), o.OperationID)
		}
	}
}

func TestOnlyADemoLetsOneBecomeOthers(t *testing.T) {
	h := openHouse(t, httpapi.Options{})
	assert.Equal(t, http.StatusNotFound, (&visitor{house: h}).ask(http.MethodPost, "/api/v1/session/guest", contract.Become{Person: "Moya Keane"}).status)
	assert.NotContains(t, (&visitor{house: h}).ask(http.MethodGet, "/api/v1/session", nil).text, "guests")
	d := openHouse(t, httpapi.Options{Guests: true, Guest: httpapi.As("Moya Keane")})
	var state contract.SessionState
	require.NoError(t, json.Unmarshal([]byte((&visitor{house: d}).ask(http.MethodGet, "/api/v1/session", nil).text), &state))
	assert.Len(t, state.Guests, 5)
	jun := d.cookies((&visitor{house: d}).ask(http.MethodPost, "/api/v1/session/guest", contract.Become{Person: "Jun Aoki"}))
	assert.Equal(t, http.StatusForbidden, jun.ask(http.MethodGet, "/api/v1/rules", nil).status)
	assert.Equal(t, http.StatusNotFound, jun.ask(http.MethodGet, "/api/v1/records/vendor/V10001", nil).status)
	assert.Equal(t, http.StatusOK, jun.ask(http.MethodGet, "/api/v1/records/vendor/V30001", nil).status)
}
