package httpapi_test

import (
	"crypto/ecdsa"
	"crypto/elliptic"
	"crypto/rand"
	"crypto/sha256"
	"encoding/base64"
	"encoding/binary"
	"encoding/json"
	"net/http"
	"strings"
	"testing"
	"time"

	"github.com/fxamacker/cbor/v2"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"codicil/internal/contract"
	"codicil/internal/httpapi"
)

// device holds one passkey (Web Authentication, level 3), and says of itself what a test wants.
type device struct {
	t      *testing.T
	key    *ecdsa.PrivateKey
	id     []byte
	owner  string // the handle of the person, as it was given
	count  uint32
	origin string
	party  string
	flags  byte
}

const present, verified, attested = 0x01, 0x04, 0x40

func newDevice(t *testing.T, origin string) *device {
	t.Helper()
	key, err := ecdsa.GenerateKey(elliptic.P256(), rand.Reader)
	require.NoError(t, err)
	return &device{t: t, key: key, id: []byte(rand.Text()), origin: origin, party: "localhost", flags: present | verified}
}

func encoded(b []byte) string { return base64.RawURLEncoding.EncodeToString(b) }

func (d *device) client(kind string, asked contract.PasskeyObject) []byte {
	text, err := json.Marshal(map[string]any{"type": kind, "challenge": asked["challenge"], "origin": d.origin})
	require.NoError(d.t, err)
	return text
}

func (d *device) about(flags byte) []byte {
	sum := sha256.Sum256([]byte(d.party))
	return binary.BigEndian.AppendUint32(append(sum[:], flags), d.count)
}

// makes answers what it is asked to add a passkey.
func (d *device) makes(asked contract.PasskeyObject) contract.PasskeyObject {
	d.t.Helper()
	d.owner = asked["user"].(map[string]any)["id"].(string)
	point, err := d.key.PublicKey.Bytes()
	require.NoError(d.t, err)
	key, err := cbor.Marshal(map[int]any{1: 2, 3: -7, -1: 1, -2: point[1:33], -3: point[33:]})
	require.NoError(d.t, err)
	about := append(d.about(d.flags|attested), make([]byte, 16)...)
	about = append(binary.BigEndian.AppendUint16(about, uint16(len(d.id))), d.id...)
	attestation, err := cbor.Marshal(map[string]any{"fmt": "none", "attStmt": map[string]any{}, "authData": append(about, key...)})
	require.NoError(d.t, err)
	return contract.PasskeyObject{"id": encoded(d.id), "rawId": encoded(d.id), "type": "public-key", "response": map[string]any{
		"clientDataJSON": encoded(d.client("webauthn.create", asked)), "attestationObject": encoded(attestation),
	}}
}

// signs answers what it is asked to sign in.
func (d *device) signs(asked contract.PasskeyObject) contract.PasskeyObject {
	d.t.Helper()
	d.count++
	client, about := d.client("webauthn.get", asked), d.about(d.flags)
	sum := sha256.Sum256(client)
	digest := sha256.Sum256(append(about, sum[:]...))
	signature, err := ecdsa.SignASN1(rand.Reader, d.key, digest[:])
	require.NoError(d.t, err)
	return contract.PasskeyObject{"id": encoded(d.id), "rawId": encoded(d.id), "type": "public-key", "response": map[string]any{
		"clientDataJSON": encoded(client), "authenticatorData": encoded(about), "signature": encoded(signature), "userHandle": d.owner,
	}}
}

// named is the address of the server by name.
func (h *house) named() string { return strings.Replace(h.server.URL, "127.0.0.1", "localhost", 1) }

// asks begins to sign in: what a device is asked, and the cookie.
func (h *house) asks() (contract.PasskeyObject, string) {
	h.t.Helper()
	got := (&visitor{house: h}).ask(http.MethodPost, "/api/v1/session/passkey", contract.ProviderAsked{From: h.named()})
	require.Equal(h.t, http.StatusOK, got.status, got.text)
	var asked contract.PasskeyObject
	require.NoError(h.t, json.Unmarshal([]byte(got.text), &asked))
	pair, _, _ := strings.Cut(got.header.Get("Set-Cookie"), ";")
	require.True(h.t, strings.HasPrefix(pair, "__Host-codicil-passkey="))
	return asked, pair
}

func (h *house) enters(cookie string, credential contract.PasskeyObject) answer {
	v := &visitor{h, http.Header{}}
	if cookie != "" {
		v.header.Set("Cookie", cookie)
	}
	return v.ask(http.MethodPost, "/api/v1/session/passkey/finish", contract.PasskeyAnswer{From: h.named(), Credential: credential})
}

// adds adds a passkey of a device to a person.
func (v *visitor) adds(d *device, name string) answer {
	v.t.Helper()
	got := v.ask(http.MethodPost, "/api/v1/account/passkeys", contract.PasskeyAsked{From: v.named(), Password: good})
	require.Equal(v.t, http.StatusOK, got.status, got.text)
	var asked contract.PasskeyObject
	require.NoError(v.t, json.Unmarshal([]byte(got.text), &asked))
	return v.ask(http.MethodPut, "/api/v1/account/passkeys", contract.PasskeyMade{From: v.named(), Name: name, Credential: d.makes(asked)})
}

func TestPasskeys(t *testing.T) {
	h := openHouse(t, httpapi.Options{})
	ana, ben := h.person("ana", nil, "reader"), h.person("ben", nil, "reader")
	mine := newDevice(t, h.named())
	require.Equal(t, http.StatusNoContent, ana.adds(mine, "Desk").status)
	assert.Equal(t, "passkey-known", ana.adds(mine, "Desk again").code())
	assert.Equal(t, "passkey-known", ben.adds(mine, "Not mine").code())
	assert.Equal(t, "passkey-no-name", ana.adds(newDevice(t, h.named()), " ").code())
	// Ben's tries changed of whom the device thinks that it is.
	mine.owner = encoded([]byte(h.idOf("ana")))

	asked, cookie := h.asks()
	answered := mine.signs(asked)
	in := h.cookies(h.enters(cookie, answered))
	assert.True(t, in.in())
	h.setTime(h.time().Add(time.Minute))
	assert.Equal(t, "sign-in-refused", h.enters(cookie, answered).code(), "an answer serves once")

	for what, try := range map[string]func() answer{
		"without the cookie": func() answer { asked, _ := h.asks(); return h.enters("", mine.signs(asked)) },
		"asked in another browser": func() answer {
			asked, _ := h.asks()
			_, theirs := h.asks()
			return h.enters(theirs, mine.signs(asked))
		},
		"too late": func() answer {
			asked, cookie := h.asks()
			h.later(11 * time.Minute)
			return h.enters(cookie, mine.signs(asked))
		},
		"a token that is made up": func() answer {
			return h.enters("__Host-codicil-passkey=9999999999.made-up", mine.signs(asked))
		},
		"for a page of another": func() answer {
			other := *mine
			other.origin = "https://elsewhere.example"
			asked, cookie := h.asks()
			return h.enters(cookie, other.signs(asked))
		},
		"for another server": func() answer {
			other := *mine
			other.party = "elsewhere.example"
			asked, cookie := h.asks()
			return h.enters(cookie, other.signs(asked))
		},
		"that did not know its owner": func() answer {
			other := *mine
			other.flags = present
			asked, cookie := h.asks()
			return h.enters(cookie, other.signs(asked))
		},
		"that says it is of somebody else": func() answer {
			other := *mine
			other.owner = encoded([]byte(h.idOf("ben")))
			asked, cookie := h.asks()
			return h.enters(cookie, other.signs(asked))
		},
		"with another key": func() answer {
			other := newDevice(t, h.named())
			other.id, other.owner = mine.id, mine.owner
			asked, cookie := h.asks()
			return h.enters(cookie, other.signs(asked))
		},
		"a copy that lags behind": func() answer {
			asked, cookie := h.asks()
			copied := *mine
			h.cookies(h.enters(cookie, mine.signs(asked)))
			copied.count = 0
			asked, cookie = h.asks()
			return h.enters(cookie, copied.signs(asked))
		},
		"nonsense": func() answer {
			_, cookie := h.asks()
			return h.enters(cookie, contract.PasskeyObject{"id": 1})
		},
	} {
		got := try()
		assert.Equal(t, "sign-in-refused", got.code(), what)
		assert.Empty(t, got.header.Get("Set-Cookie"), what)
		h.later(time.Minute)
	}

	// None is left that was removed, nor after a reset.
	refused := func(what string) {
		t.Helper()
		asked, cookie := h.asks()
		assert.Equal(t, "sign-in-refused", h.enters(cookie, mine.signs(asked)).code(), what)
	}
	ana = h.cookies(h.signIn("ana", good, ""))
	var kept []contract.Passkey
	require.NoError(t, json.Unmarshal([]byte(ana.ask(http.MethodGet, "/api/v1/account/passkeys", nil).text), &kept))
	require.Len(t, kept, 1)
	assert.Equal(t, "Desk", kept[0].Name)
	assert.NotEmpty(t, kept[0].Used)
	assert.Equal(t, http.StatusNotFound, ben.ask(http.MethodDelete, "/api/v1/account/passkeys/"+kept[0].ID, nil).status, "of others one sees none")
	require.Equal(t, http.StatusNoContent, ana.ask(http.MethodDelete, "/api/v1/account/passkeys/"+kept[0].ID, nil).status)
	refused("removed")
	h.later(time.Minute)
	mine = newDevice(t, h.named())
	require.Equal(t, http.StatusNoContent, ana.adds(mine, "New").status)
	asked, cookie = h.asks()
	h.cookies(h.enters(cookie, mine.signs(asked)))
	_, err := h.app.People.Reset(h.own(), h.idOf("ana"))
	require.NoError(t, err)
	refused("reset")
	got := (&visitor{house: h}).ask(http.MethodPost, "/api/v1/session/passkey", contract.ProviderAsked{From: h.server.URL})
	assert.Equal(t, "passkey-needs-name", got.code())
	assert.Contains(t, got.text, "localhost")
}

// idOf is the number of a person by the name that they sign in with.
func (h *house) idOf(name string) string {
	h.t.Helper()
	p, err := h.store.PersonBySignIn(h.t.Context(), name)
	require.NoError(h.t, err)
	return p.ID
}
