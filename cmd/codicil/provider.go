package main

import (
	"context"
	"errors"
	"fmt"
	"net"
	"net/http"
	"net/url"
	"slices"
	"strings"
	"time"

	"codicil/internal/app"
	"codicil/internal/app/people"
	"codicil/internal/demo"
	"codicil/internal/oidc"
	"codicil/internal/oidc/simulated"
)

// provider is the provider of sign-ins, if there is one.
type provider struct {
	reached oidc.Settings
	means   people.Mapping
}

// provider reads what is set of the provider of sign-ins; nil: nothing is.
func (s settings) provider() (*provider, error) {
	issuer := strings.TrimSuffix(s.GetString(setIssuer), "/")
	if issuer == "" {
		return nil, nil //nolint:nilnil // there is none, and that is no fault
	}
	u, err := url.Parse(issuer)
	if err != nil || u.Host == "" || (u.Scheme != "https" && (u.Scheme != "http" || !isLoopback(u.Hostname()))) {
		return nil, fmt.Errorf("--%s %q: give an https address; http is for this machine only", setIssuer, issuer)
	}
	if s.GetString(setClient) == "" {
		return nil, fmt.Errorf("--%s is missing: by what the provider knows Codicil", setClient)
	}
	p := &provider{
		oidc.Settings{Issuer: s.GetString(setIssuer), Client: s.GetString(setClient), Secret: s.GetString(setSecret), Scopes: s.list(setScopes), Clock: time.Now},
		people.Mapping{
			Name: s.GetString(setName), Issuer: s.GetString(setIssuer), SignIn: s.GetString(setSignIn), Link: s.GetBool(setLink), Add: s.GetBool(setAdd),
			RolesFrom: s.GetString(setRolesFrom), CompaniesFrom: s.GetString(setCompaniesFrom),
		},
	}
	if p.means.Name == "" {
		p.means.Name = u.Hostname()
	}
	roles, err := s.pairs(setRoles)
	companies, wrong := s.pairs(setCompanies)
	if err := errors.Join(err, wrong); err != nil {
		return nil, err
	}
	p.means.Roles, p.means.Companies = roles, companies
	if p.means.Add && len(roles) == 0 {
		return nil, fmt.Errorf("--%s needs --%s: whoever is added would have no role", setAdd, setRoles)
	}
	return p, nil
}

func isLoopback(host string) bool {
	ip := net.ParseIP(host)
	return host == "localhost" || (ip != nil && ip.IsLoopback())
}

// pairs reads what values of a claim stand for: value=role, as often as there are.
func (s settings) pairs(key string) (map[string][]string, error) {
	pairs := map[string][]string{}
	for _, text := range s.list(key) {
		at := strings.LastIndexByte(text, '=')
		if at < 1 || at == len(text)-1 {
			return nil, fmt.Errorf("--%s %q: write what the provider says, =, and what it stands for here, such as finance-rules=keeper", key, text)
		}
		from, to := strings.TrimSpace(text[:at]), strings.TrimSpace(text[at+1:])
		if !slices.Contains(pairs[from], to) {
			pairs[from] = append(pairs[from], to)
		}
	}
	return pairs, nil
}

// use lets people sign in by the provider.
func (p *provider) use(a *app.App) {
	if p != nil {
		a.Provider.Use(oidc.New(p.reached), p.means)
	}
}

// simulate serves a simulated provider for the demo, on this machine only, until the context ends.
func simulate(ctx context.Context) (*provider, error) {
	var listening net.ListenConfig
	at, err := listening.Listen(ctx, "tcp", "127.0.0.1:0")
	if err != nil {
		return nil, err
	}
	source, err := simulated.New(demo.Provider, time.Now, demo.Provided)
	if err != nil {
		return nil, err
	}
	source.Issuer = "http://" + at.Addr().String()
	source.Back = func(address string) bool {
		u, err := url.Parse(address)
		return err == nil && isLoopback(u.Hostname())
	}
	server := &http.Server{Handler: source, ReadHeaderTimeout: time.Second, ReadTimeout: time.Second, WriteTimeout: time.Second}
	go func() { _ = server.Serve(at) }()
	context.AfterFunc(ctx, func() { _ = server.Close() })
	return &provider{oidc.Settings{Issuer: source.Issuer, Client: source.Client, Secret: source.Secret, Scopes: []string{"profile"}, Clock: time.Now}, demo.Mapping(source.Issuer)}, nil
}
