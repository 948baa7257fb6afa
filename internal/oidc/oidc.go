// Package oidc asks a provider of sign-ins who somebody is, by OpenID Connect: the authorization code flow with PKCE
// (OpenID Connect Core 1.0, RFC 7636).
//
// It must never know what a person may do. Start reading at New.
package oidc

import (
	"context"
	"errors"
	"fmt"
	"net/http"
	"slices"
	"sync"
	"time"

	"github.com/coreos/go-oidc/v3/oidc"
	"golang.org/x/oauth2"

	"codicil/internal/app/people"
	"codicil/internal/clock"
)

// Settings are how the provider knows us.
type Settings struct {
	// Issuer is the address by which the provider calls itself; what else there is to know is asked there.
	Issuer string
	// Client is by what the provider knows us, and Secret how; "": without one.
	Client, Secret string
	// Scopes are asked for besides openid.
	Scopes []string
	Clock  clock.Clock
}

// Source is a provider. What it says of itself is asked when it is first needed, so that a server starts without it.
type Source struct {
	settings Settings
	client   *http.Client
	mutex    sync.Mutex
	provider *oidc.Provider
}

// patience is how long an answer of the provider is waited for.
const patience = 10 * time.Second

// New returns a provider; nothing is asked yet.
func New(s Settings) *Source {
	return &Source{settings: s, client: &http.Client{Timeout: patience}}
}

// reach returns what is known of the provider. Keys that it signs with are asked for anew when it uses others.
func (s *Source) reach(ctx context.Context) (*oidc.Provider, error) {
	s.mutex.Lock()
	defer s.mutex.Unlock()
	if s.provider != nil {
		return s.provider, nil
	}
	// The provider keeps the context for asking for keys later: it must not end with this request.
	provider, err := oidc.NewProvider(oidc.ClientContext(context.WithoutCancel(ctx), s.client), s.settings.Issuer)
	if err == nil {
		s.provider = provider
	}
	return provider, err
}

func (s *Source) config(p *oidc.Provider, at string) *oauth2.Config {
	endpoint := p.Endpoint()
	var told struct {
		Methods []string `json:"token_endpoint_auth_methods_supported"`
	}
	// Trying one way after the other would redeem a code twice. The header is the way of the standard where nothing is told.
	endpoint.AuthStyle = oauth2.AuthStyleInHeader
	if p.Claims(&told) == nil && len(told.Methods) > 0 && !slices.Contains(told.Methods, "client_secret_basic") {
		endpoint.AuthStyle = oauth2.AuthStyleInParams
	}
	return &oauth2.Config{ClientID: s.settings.Client, ClientSecret: s.settings.Secret, Endpoint: endpoint, RedirectURL: at, Scopes: append([]string{oidc.ScopeOpenID}, s.settings.Scopes...)}
}

// Address is where a browser is sent.
func (s *Source) Address(ctx context.Context, at string, ask people.Asked) (string, error) {
	p, err := s.reach(ctx)
	if err != nil {
		return "", err
	}
	return s.config(p, at).AuthCodeURL(ask.State, oidc.Nonce(ask.Nonce), oauth2.S256ChallengeOption(ask.Verifier)), nil
}

// Redeem returns what the provider says of who came back with a code. What it says elsewhere of the same person (UserInfo) is
// added to what it has signed.
func (s *Source) Redeem(ctx context.Context, at, code string, ask people.Asked) (people.Claims, error) {
	p, err := s.reach(ctx)
	if err != nil {
		return nil, err
	}
	ctx = oidc.ClientContext(ctx, s.client)
	token, err := s.config(p, at).Exchange(ctx, code, oauth2.VerifierOption(ask.Verifier))
	if err != nil {
		var refused *oauth2.RetrieveError
		if errors.As(err, &refused) && refused.ErrorCode == "invalid_grant" {
			return nil, fmt.Errorf("%w: %w", people.ErrNotVouched, err)
		}
		return nil, err
	}
	raw, _ := token.Extra("id_token").(string)
	signed, err := p.Verifier(&oidc.Config{ClientID: s.settings.Client, Now: s.settings.Clock}).Verify(ctx, raw)
	if err != nil {
		return nil, fmt.Errorf("%w: %w", people.ErrNotVouched, err)
	}
	if signed.Nonce != ask.Nonce {
		return nil, fmt.Errorf("%w: another nonce", people.ErrNotVouched)
	}
	claims := people.Claims{}
	if err := signed.Claims(&claims); err != nil {
		return nil, err
	}
	if p.UserInfoEndpoint() == "" {
		return claims, nil
	}
	more, err := p.UserInfo(ctx, oauth2.StaticTokenSource(token))
	if err != nil {
		return nil, err
	}
	if more.Subject != signed.Subject {
		return nil, fmt.Errorf("%w: two subjects", people.ErrNotVouched)
	}
	told := people.Claims{}
	if err := more.Claims(&told); err != nil {
		return nil, err
	}
	for name, value := range told {
		if _, is := claims[name]; !is {
			claims[name] = value
		}
	}
	return claims, nil
}
