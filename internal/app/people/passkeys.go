package people

import (
	"context"
	"crypto/rand"
	"encoding/base64"
	"encoding/json"
	"errors"
	"log/slog"
	"net"
	"net/url"
	"strconv"
	"strings"
	"time"

	"github.com/go-webauthn/webauthn/protocol"
	"github.com/go-webauthn/webauthn/webauthn"
	"github.com/maypok86/otter/v2"

	"codicil/core/notice"
	"codicil/core/record"
	"codicil/internal/access"
	"codicil/internal/actor"
	"codicil/internal/app/commit"
	"codicil/internal/contract"
	"codicil/internal/fault"
	"codicil/internal/store"
)

var (
	noPasskeyHere  = notice.Define("passkey-needs-name", "passkeys are for names, not for numbers: open Codicil as {example} and try again")
	noPasskeyBegun = notice.Define("passkey-not-begun", "no passkey of yours is being added, or it took too long; begin again")
	passkeyMisfit  = notice.Define("passkey-misfit", "this passkey could not be added; begin again, or use another device")
	noPasskeyName  = notice.Define("passkey-no-name", "give the passkey a name of at most 100 letters, such as that of the device")
	passkeyKnown   = notice.Define("passkey-known", "this passkey is added already")
	tooManyKeys    = notice.Define("passkey-too-many", "a person has {most} passkeys at most; remove one first")
)

// mostPasskeys is how many a person may have.
const mostPasskeys = 20

// Passkeys signs people in by keys that their devices hold (Web Authentication, level 3): no word that could be told to another.
type Passkeys struct {
	*core
	// begun are those that are being added, by person.
	begun *otter.Cache[string, webauthn.SessionData]
	// taken are challenges that have served, until they hold no longer.
	taken *otter.Cache[string, bool]
}

func newPasskeys(c *core) *Passkeys {
	return &Passkeys{
		core:  c,
		begun: otter.Must(&otter.Options[string, webauthn.SessionData]{MaximumSize: mostKnown}),
		taken: otter.Must(&otter.Options[string, bool]{MaximumSize: mostKnown, ExpiryCalculator: otter.ExpiryWriting[string, bool](2 * Holds)}),
	}
}

// device is what a person is to Web Authentication.
type device struct {
	person *store.Person
	keys   []webauthn.Credential
}

// WebAuthnID names the person for good.
func (d device) WebAuthnID() []byte { return []byte(d.person.ID) }

// WebAuthnName is what they sign in with.
func (d device) WebAuthnName() string { return d.person.SignIn }

// WebAuthnDisplayName is what they are called.
func (d device) WebAuthnDisplayName() string { return d.person.Name }

// WebAuthnCredentials are their passkeys.
func (d device) WebAuthnCredentials() []webauthn.Credential { return d.keys }

// partyOf is what we are to Web Authentication, for pages of an origin.
func partyOf(from string) (*webauthn.WebAuthn, error) {
	u, err := url.Parse(from)
	if err != nil {
		return nil, err
	}
	if net.ParseIP(strings.Trim(u.Hostname(), "[]")) != nil {
		u.Host = strings.Replace(u.Host, u.Hostname(), "localhost", 1)
		return nil, fault.Hindered(noPasskeyHere, u.String())
	}
	return webauthn.New(&webauthn.Config{RPID: u.Hostname(), RPDisplayName: "Codicil", RPOrigins: []string{from}})
}

// objectOf writes what Web Authentication has in JSON.
func objectOf(v any) (object contract.PasskeyObject, err error) {
	text, err := json.Marshal(v)
	if err == nil {
		err = json.Unmarshal(text, &object)
	}
	return object, err
}

func (s *Passkeys) deviceOf(ctx context.Context, p *store.Person) (device, []store.Passkey, error) {
	kept, err := s.base.Store.Passkeys(ctx, p.ID)
	d := device{person: p}
	for i := range kept {
		var c webauthn.Credential
		if err := json.Unmarshal([]byte(kept[i].Held), &c); err != nil {
			return d, nil, err
		}
		d.keys = append(d.keys, c)
	}
	return d, kept, err
}

// Begin begins to add a passkey to who asks and knows their password.
func (s *Passkeys) Begin(ctx context.Context, said contract.PasskeyAsked) (contract.PasskeyObject, error) {
	p, err := (&SignIn{s.core}).own(ctx, said.Password)
	if err != nil {
		return nil, err
	}
	party, err := partyOf(said.From)
	if err != nil {
		return nil, err
	}
	d, kept, err := s.deviceOf(ctx, &p)
	if err != nil {
		return nil, err
	}
	if len(kept) >= mostPasskeys {
		return nil, fault.Hindered(tooManyKeys, mostPasskeys)
	}
	asked, begun, err := party.BeginRegistration(d,
		webauthn.WithExclusions(webauthn.Credentials(d.keys).CredentialDescriptors()),
		webauthn.WithAuthenticatorSelection(protocol.AuthenticatorSelection{ResidentKey: protocol.ResidentKeyRequirementRequired, UserVerification: protocol.VerificationRequired}),
	)
	if err != nil {
		return nil, err
	}
	begun.Expires = s.base.Clock().Add(Holds)
	s.begun.Set(p.ID, *begun)
	return objectOf(asked.Response)
}

// Add adds the passkey that a device has made.
func (s *Passkeys) Add(ctx context.Context, said contract.PasskeyMade) error {
	if err := access.Person(ctx); err != nil {
		return err
	}
	name := strings.TrimSpace(said.Name)
	if name == "" || len([]rune(name)) > longestName {
		return fault.Bad(noPasskeyName)
	}
	party, err := partyOf(said.From)
	if err != nil {
		return err
	}
	p, err := s.base.Store.Person(ctx, actor.Of(ctx).ID)
	if err != nil {
		return commit.Explain(err)
	}
	begun, found := s.begun.GetIfPresent(p.ID)
	if !found || begun.Expires.Before(s.base.Clock()) {
		return fault.Hindered(noPasskeyBegun)
	}
	begun.Expires = time.Time{} // it was looked at by our own clock
	text, err := json.Marshal(said.Credential)
	if err != nil {
		return err
	}
	parsed, err := protocol.ParseCredentialCreationResponseBytes(text)
	var made *webauthn.Credential
	if err == nil {
		made, err = party.CreateCredential(device{person: &p}, begun, parsed)
	}
	if err != nil {
		slog.Warn("a passkey could not be added", "error", err)
		return fault.Bad(passkeyMisfit)
	}
	held, err := json.Marshal(made)
	if err != nil {
		return err
	}
	err = s.base.Line.Write(ctx, func(tx *store.Store, by record.Stamp) error {
		k := store.Passkey{ID: strings.ToLower(rand.Text()), Owner: p.ID, Name: name, Credential: made.ID, Held: string(held), Made: by}
		if err := tx.AddPasskey(ctx, k); err != nil {
			return orTaken(err, passkeyKnown)
		}
		return tx.Note(ctx, by, store.TrailEntry{What: "passkey added", Kind: "person", Key: p.SignIn, Note: name})
	})
	if err == nil {
		s.begun.Invalidate(p.ID)
	}
	return commit.Explain(err)
}

// List are the passkeys of who asks.
func (s *Passkeys) List(ctx context.Context) ([]contract.Passkey, error) {
	if err := access.Person(ctx); err != nil {
		return nil, err
	}
	kept, err := s.base.Store.Passkeys(ctx, actor.Of(ctx).ID)
	told := []contract.Passkey{}
	for _, k := range kept {
		told = append(told, contract.Passkey{ID: k.ID, Name: k.Name, Added: k.Made.At, Used: k.Used})
	}
	return told, err
}

// Remove removes a passkey of who asks.
func (s *Passkeys) Remove(ctx context.Context, id string) error {
	if err := access.Person(ctx); err != nil {
		return err
	}
	who := actor.Of(ctx)
	err := s.base.Line.Write(ctx, func(tx *store.Store, by record.Stamp) error {
		count, err := tx.RemovePasskeys(ctx, who.ID, id)
		if err == nil && (count == 0 || id == "") {
			return fault.Missing("%s %s", "passkey", id)
		}
		return errors.Join(err, tx.Note(ctx, by, store.TrailEntry{What: "passkey removed", Kind: "person", Key: who.Name}))
	})
	return commit.Explain(err)
}

// challengeOf derives what a device signs from the token of a browser, so that the server keeps nothing of tries that are given up.
func challengeOf(token string) []byte {
	challenge, _ := base64.RawURLEncoding.DecodeString(askedBy(token).Nonce) // as it was made
	return challenge
}

// dated is a token that says until when it holds.
func dated(ends time.Time) string { return strconv.FormatInt(ends.Unix(), 10) + "." + newToken() }

// isDated tells whether a token of dated holds.
func isDated(token string, at time.Time) bool {
	text, _, _ := strings.Cut(token, ".")
	ends, err := strconv.ParseInt(text, 10, 64)
	return err == nil && at.Unix() < ends && ends <= at.Add(Holds).Unix()
}

// Ask begins to sign in with a passkey: it returns what a device is asked, and the token that the browser shows with the answer.
func (s *Passkeys) Ask(_ context.Context, from string) (contract.PasskeyObject, string, error) {
	party, err := partyOf(from)
	if err != nil {
		return nil, "", err
	}
	token := dated(s.base.Clock().Add(Holds))
	asked, _, err := party.BeginDiscoverableLogin(webauthn.WithChallenge(challengeOf(token)), webauthn.WithUserVerification(protocol.VerificationRequired))
	if err != nil {
		return nil, "", err
	}
	object, err := objectOf(asked.Response)
	return object, token, err
}

// Enter begins a session for who holds a passkey. It stands for both factors: the device, and how it knows its owner.
func (s *Passkeys) Enter(ctx context.Context, token string, said contract.PasskeyAnswer) (Issued, error) {
	const refused = "sign-in by passkey refused"
	name := "by passkey from " + actor.Of(ctx).Address
	if err := s.tried(ctx, name); err != nil {
		return Issued{}, err
	}
	party, err := partyOf(said.From)
	if err != nil {
		return Issued{}, err
	}
	if _, served := s.taken.GetIfPresent(token); served || !isDated(token, s.base.Clock()) {
		return Issued{}, s.refused(ctx, refused, "token")
	}
	text, err := json.Marshal(said.Credential)
	if err != nil {
		return Issued{}, err
	}
	parsed, err := protocol.ParseCredentialRequestResponseBytes(text)
	if err != nil {
		return Issued{}, s.refused(ctx, refused, "form")
	}
	asked := webauthn.SessionData{Challenge: base64.RawURLEncoding.EncodeToString(challengeOf(token)), RelyingPartyID: party.Config.RPID, UserVerification: protocol.VerificationRequired}
	var p store.Person
	var kept []store.Passkey
	_, credential, err := party.ValidatePasskeyLogin(func(_, handle []byte) (webauthn.User, error) {
		var err error
		if p, err = s.base.Store.Person(ctx, string(handle)); err != nil {
			return nil, err
		}
		var d device
		d, kept, err = s.deviceOf(ctx, &p)
		return d, err
	}, asked, parsed)
	if err != nil || p.Ended || credential.Authenticator.CloneWarning {
		return Issued{}, s.refused(ctx, refused, p.SignIn)
	}
	s.taken.Set(token, true)
	s.throttle.forgive(name, actor.Of(ctx).Address)
	held, err := json.Marshal(credential)
	if err != nil {
		return Issued{}, err
	}
	return s.begin(ctx, p, "signed in by passkey", func(ctx context.Context, tx *store.Store, by record.Stamp) error {
		for _, k := range kept {
			if string(k.Credential) == string(credential.ID) {
				k.Held, k.Used = string(held), by.At
				return tx.UsePasskey(ctx, k)
			}
		}
		return fault.Missing("%s %s", "passkey", "")
	})
}
