package people

import (
	"context"
	"crypto/hmac"
	"crypto/rand"
	"crypto/sha256"
	"encoding/base64"
	"errors"
	"log/slog"
	"slices"
	"strings"
	"time"

	"codicil/core/notice"
	"codicil/core/record"
	"codicil/internal/actor"
	"codicil/internal/contract"
	"codicil/internal/fault"
	"codicil/internal/store"
)

var (
	noProvider        = notice.Define("provider-none", "no provider of sign-ins is set up here; sign in with a password")
	providerSilent    = notice.Define("provider-silent", "{provider} did not answer as it should; try again, or sign in with a password")
	providerUnknown   = notice.Define("provider-unknown-person", "{provider} knows you, but you are not a person here; ask whoever keeps the persons to add you")
	providerNotLinked = notice.Define("provider-not-linked", "somebody signs in here as {name:q} already, and {provider} does not vouch for them; ask whoever keeps the persons to link you")
	providerNoRole    = notice.Define("provider-no-role", "{provider} gives you no role here; ask whoever keeps your account there")
	providerNoName    = notice.Define("provider-no-name", "{provider} does not say by what name you sign in; ask whoever keeps your account there")
)

// Source is a provider of sign-ins.
type Source interface {
	// Address is where a browser is sent, which comes back to the page at.
	Address(ctx context.Context, at string, ask Asked) (string, error)
	// Redeem returns what the provider says of who came back with a code. ErrNotVouched: the code, or what came for it, does not hold.
	Redeem(ctx context.Context, at, code string, ask Asked) (Claims, error)
}

// ErrNotVouched is returned for what a provider did not say, or not now, not to us, or not for this browser.
var ErrNotVouched = errors.New("not vouched for")

// Asked belongs to one try of one browser.
type Asked struct {
	State, Nonce string
	// Verifier is what the code is redeemed with (PKCE, RFC 7636).
	Verifier string
}

// Claims are what a provider says of a person. Claims of OpenID Connect are named by their key, those inside others by a path with dots.
type Claims map[string]any

// texts are the values of a claim: a text, or a list of them.
func (c Claims) texts(name string) (texts []string) {
	value, found := c[name]
	for parts := (map[string]any)(c); !found; {
		head, rest, is := strings.Cut(name, ".")
		if parts, _ = parts[head].(map[string]any); !is || parts == nil {
			return nil
		}
		name = rest
		value, found = parts[name]
	}
	switch v := value.(type) {
	case string:
		return []string{v}
	case []any:
		for _, each := range v {
			if text, is := each.(string); is {
				texts = append(texts, text)
			}
		}
	}
	return texts
}

func (c Claims) text(name string) string {
	if texts := c.texts(name); len(texts) == 1 {
		return texts[0]
	}
	return ""
}

// All is, as what a claim stands for, all companies.
const All = "*"

// Mapping says what the claims of a provider mean here.
type Mapping struct {
	// Name is what people call the provider; Issuer is its address, by which it calls itself.
	Name, Issuer string
	// SignIn is the claim that holds the name to sign in with.
	SignIn string
	// Link takes who has that name here, and no provider yet, for the person that the provider means.
	Link bool
	// Add adds whom the provider knows and who is not a person here.
	Add bool
	// Roles are the keys of roles by the values of the claim RolesFrom; where there are any, they decide at every sign-in, as do
	// Companies, which may be All.
	RolesFrom     string
	Roles         map[string][]string
	CompaniesFrom string
	Companies     map[string][]string
}

// Provider signs in by a provider of sign-ins (OpenID Connect).
type Provider struct {
	*core
	source  Source
	mapping Mapping
}

// Use sets a provider up; it is called before anybody signs in.
func (p *Provider) Use(s Source, m Mapping) {
	p.source, p.mapping, p.provider = s, m, &p.mapping
}

// returnPath is the page to which the provider sends a browser back.
const returnPath = "/sign-in/return"

// askedBy derives from the token of a browser what belongs to its try, so that the server keeps nothing of tries that are given up.
func askedBy(token string) Asked {
	of := func(what string) string {
		h := hmac.New(sha256.New, []byte(token))
		_, _ = h.Write([]byte(what)) // it never fails
		return base64.RawURLEncoding.EncodeToString(h.Sum(nil))
	}
	return Asked{of("state"), of("nonce"), of("verifier")}
}

// Begin returns where to send a browser whose page has the origin from, and the token that it must show when it comes back.
func (p *Provider) Begin(ctx context.Context, from string) (address, token string, err error) {
	if p.source == nil {
		return "", "", fault.Hindered(noProvider)
	}
	token = dated(p.base.Clock().Add(Holds))
	if address, err = p.source.Address(ctx, from+returnPath, askedBy(token)); err != nil {
		return "", "", p.silent(ctx, err)
	}
	return address, token, nil
}

// silent is told to who cannot do anything about it; the log has the reason.
func (p *Provider) silent(ctx context.Context, err error) error {
	if ctx.Err() != nil {
		return ctx.Err()
	}
	slog.Error("the provider of sign-ins did not answer as it should", "error", err)
	return &fault.Fault{Reason: fault.Unable, Notice: providerSilent.With(p.mapping.Name)}
}

// Finish begins a session for whom the provider vouches.
func (p *Provider) Finish(ctx context.Context, token string, said contract.ProviderAnswer) (Issued, error) {
	if p.source == nil {
		return Issued{}, fault.Hindered(noProvider)
	}
	name := "by " + p.mapping.Name + " from " + actor.Of(ctx).Address
	if err := p.tried(ctx, name); err != nil {
		return Issued{}, err
	}
	ask := askedBy(token)
	if !isDated(token, p.base.Clock()) || !same([]byte(ask.State), []byte(said.State)) {
		return Issued{}, p.refused(ctx, "sign-in by provider refused", "state")
	}
	claims, err := p.source.Redeem(ctx, said.From+returnPath, said.Code, ask)
	switch {
	case errors.Is(err, ErrNotVouched):
		slog.Warn("a sign-in by the provider was refused", "error", err)
		return Issued{}, p.refused(ctx, "sign-in by provider refused", "code")
	case err != nil:
		return Issued{}, p.silent(ctx, err)
	case claims.text("sub") == "":
		return Issued{}, p.refused(ctx, "sign-in by provider refused", "subject")
	}
	p.throttle.forgive(name, actor.Of(ctx).Address)
	person, err := p.personOf(ctx, claims)
	if err != nil {
		return Issued{}, err
	}
	return p.begin(ctx, person, "signed in by provider", func(ctx context.Context, tx *store.Store, by record.Stamp) error {
		return p.follow(ctx, tx, by, &person, claims)
	})
}

// subject is how a person is kept whom a provider knows.
func (m *Mapping) subject(sub string) string { return m.Issuer + "#" + sub }

// personOf finds the person whom the provider means, or makes one who is not written yet: their version is 0.
func (p *Provider) personOf(ctx context.Context, claims Claims) (store.Person, error) {
	subject := p.mapping.subject(claims.text("sub"))
	found, err := p.base.Store.PersonBySubject(ctx, subject)
	if err == nil && found.Ended {
		return found, p.refused(ctx, "sign-in by provider refused", found.SignIn)
	}
	if !errors.Is(err, store.ErrNotFound) {
		return found, err
	}
	name := strings.ToLower(strings.TrimSpace(claims.text(p.mapping.SignIn)))
	if !isSignIn(name) {
		return found, p.unfit(ctx, providerNoName.With(p.mapping.Name), subject)
	}
	found, err = p.base.Store.PersonBySignIn(ctx, name)
	switch {
	case err == nil && found.Subject == "" && p.mapping.Link && p.vouched(claims) && !found.Ended:
		found.Subject = subject
		return found, nil
	case err == nil:
		return found, p.unfit(ctx, providerNotLinked.With(name, p.mapping.Name), subject)
	case !errors.Is(err, store.ErrNotFound):
		return found, err
	case !p.mapping.Add:
		return found, p.unfit(ctx, providerUnknown.With(p.mapping.Name), subject)
	}
	called := strings.TrimSpace(claims.text("name"))
	if called == "" || len([]rune(called)) > longestName {
		called = name
	}
	return store.Person{ID: strings.ToLower(rand.Text()), Name: called, SignIn: name, Subject: subject, Companies: []string{}, Roles: []string{}}, nil
}

// vouched tells whether the name to sign in with is the person's: an address of mail counts only where the provider has verified it.
func (p *Provider) vouched(claims Claims) bool {
	verified, _ := claims["email_verified"].(bool)
	return p.mapping.SignIn != "email" || verified
}

// unfit refuses whom the provider vouches for, and tells the trail how the provider knows them, so that they can be linked.
func (p *Provider) unfit(ctx context.Context, why notice.Notice, subject string) error {
	p.Refused(ctx, "sign-in by provider refused", subject)
	return &fault.Fault{Reason: fault.Forbidden, Notice: why}
}

// follow writes what the claims say of a person now, where that is another than what is kept.
func (p *Provider) follow(ctx context.Context, tx *store.Store, by record.Stamp, person *store.Person, claims Claims) error {
	var before []byte
	if person.Version > 0 {
		kept, err := tx.Person(ctx, person.ID)
		if err != nil {
			return err
		}
		if kept.Ended {
			return &fault.Fault{Reason: fault.Unknown, Notice: notSignedIn.With()}
		}
		before, kept.Subject = stateOf(kept), person.Subject
		subject := person.Subject
		*person = kept
		person.Subject = subject
	}
	if err := p.given(ctx, tx, person, claims); err != nil {
		return err
	}
	after := stateOf(*person)
	if slices.Equal(before, after) {
		return nil
	}
	person.Changed = by
	what := "changed by provider"
	if person.Version == 0 {
		what = "added by provider"
		if err := tx.AddPerson(ctx, *person); err != nil {
			return orTaken(err, signInTaken, person.SignIn)
		}
	} else if err := tx.ChangePerson(ctx, *person); err != nil {
		return err
	}
	return errors.Join(p.keeperLeft(ctx, tx), tx.Note(ctx, by, store.TrailEntry{What: what, Kind: "person", Key: person.SignIn, Note: person.Name, Before: before, After: after}))
}

// given are the roles and companies that claims give to a person.
func (p *Provider) given(ctx context.Context, tx *store.Store, person *store.Person, claims Claims) error {
	if len(p.mapping.Roles) > 0 {
		roles, err := tx.Roles(ctx)
		if err != nil {
			return err
		}
		person.Roles = slices.DeleteFunc(mapped(claims.texts(p.mapping.RolesFrom), p.mapping.Roles), func(key string) bool {
			return !slices.ContainsFunc(roles, func(r store.Role) bool { return r.Key == key })
		})
	}
	if len(p.mapping.Companies) > 0 {
		companies := mapped(claims.texts(p.mapping.CompaniesFrom), p.mapping.Companies)
		person.Everywhere = slices.Contains(companies, All)
		if person.Everywhere {
			companies = []string{}
		}
		ref, err := p.base.Cache.Reference(ctx)
		if err != nil {
			return err
		}
		person.Companies = slices.DeleteFunc(companies, func(c string) bool { return ref.Company(c) == nil })
	}
	if len(person.Roles) == 0 {
		return p.unfit(ctx, providerNoRole.With(p.mapping.Name), person.Subject)
	}
	return nil
}

// mapped are the values that stand for those of a claim, in order, each once.
func mapped(values []string, by map[string][]string) []string {
	all := []string{}
	for _, v := range values {
		all = append(all, by[v]...)
	}
	slices.Sort(all)
	return slices.Compact(all)
}

// Holds is how long a browser may take from Begin to Finish.
const Holds = 10 * time.Minute
