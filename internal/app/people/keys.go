package people

import (
	"context"
	"crypto/rand"
	"errors"
	"slices"
	"strings"
	"time"

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
	keyNoEnd     = notice.Define("key-no-end", "give the last day on which the key holds, within {most} days from today")
	keyTooMuch   = notice.Define("not-allowed.key", "a key can do only what you may do yourself: you do not have the permission {permission:q}")
	keyNothing   = notice.Define("key-nothing", "give the key one permission at least")
	keyElsewhere = notice.Define("not-allowed.key-companies", "a key holds only in companies that are yours")
)

// KeyPrefix begins every key of a program, so that one that strays can be found.
const KeyPrefix = "codicil_"

const longestKey = 400 // days

// List are the keys of who asks; those of all, for who keeps the persons.
func (s *Keys) List(ctx context.Context) ([]contract.ProgramKey, error) {
	if err := access.Person(ctx); err != nil {
		return nil, err
	}
	keys, err := s.base.Store.Keys(ctx)
	if err != nil {
		return nil, err
	}
	shown, who := []contract.ProgramKey{}, actor.Of(ctx)
	for _, k := range keys {
		own := k.Owner == who.ID
		p, err := s.base.Store.Person(ctx, k.Owner)
		if err != nil {
			return nil, err
		}
		if !own && (!access.Has(ctx, actor.PersonsChange, "") || show(ctx, &p) == nil) {
			continue
		}
		shown = append(shown, s.showKey(ctx, k, p.Name))
	}
	return shown, nil
}

func (s *Keys) showKey(ctx context.Context, k store.Key, owner string) contract.ProgramKey {
	companies, none := k.Companies, false
	if len(companies) > 0 {
		companies, none = access.Narrow(ctx, companies)
	}
	if none {
		companies = nil
	}
	return contract.ProgramKey{
		ID: k.ID, Name: k.Name, Owner: k.Owner, OwnerName: owner, Permissions: append([]string{}, k.Permissions...), Kinds: append([]string{}, k.Kinds...),
		Everywhere: k.Everywhere, Companies: append([]string{}, companies...), Ends: k.Ends, Revoked: k.Revoked, Used: k.Used, Made: k.Made.At,
		Ended: k.Ends < string(s.base.Today(nil)),
	}
}

// Add makes a key of who asks; it is told once and never again.
func (s *Keys) Add(ctx context.Context, said contract.KeyChange) (contract.KeyAdded, error) {
	if err := access.Person(ctx); err != nil {
		return contract.KeyAdded{}, err
	}
	who := actor.Of(ctx)
	if who.Via == actor.Program && who.Session != "" { // a key that strayed must not make others
		return contract.KeyAdded{}, forbidden(onlySession)
	}
	if _, err := s.base.Store.Person(ctx, who.ID); err != nil {
		return contract.KeyAdded{}, forbidden(onlySession)
	}
	k := store.Key{ID: strings.ToLower(rand.Text()), Name: strings.TrimSpace(said.Name), Owner: who.ID, Permissions: []string{}, Kinds: append([]string{}, said.Kinds...), Everywhere: said.Everywhere, Companies: append([]string{}, said.Companies...), Ends: said.Ends}
	last := s.base.Clock().AddDate(0, 0, longestKey).UTC().Format(time.DateOnly)
	day, err := record.ParseDay(said.Ends)
	switch {
	case k.Name == "" || len([]rune(k.Name)) > longestName:
		return contract.KeyAdded{}, fault.Bad(noName)
	case err != nil || day < s.base.Today(nil) || string(day) > last:
		return contract.KeyAdded{}, fault.Bad(keyNoEnd, longestKey)
	case len(said.Permissions) == 0:
		return contract.KeyAdded{}, fault.Bad(keyNothing)
	case said.Everywhere && !access.Everywhere(ctx):
		return contract.KeyAdded{}, forbidden(keyElsewhere)
	}
	ref, err := s.base.Cache.Reference(ctx)
	if err != nil {
		return contract.KeyAdded{}, err
	}
	for _, kind := range k.Kinds {
		if _, err := ref.Kind(kind); err != nil {
			return contract.KeyAdded{}, err
		}
	}
	for _, c := range k.Companies {
		if access.Company(ctx, c) != nil || ref.Company(c) == nil {
			return contract.KeyAdded{}, fault.Bad(fault.UnknownCompany, c)
		}
	}
	for _, p := range said.Permissions {
		switch permission := actor.Permission(p); {
		case !slices.Contains(actor.Permissions, permission):
			return contract.KeyAdded{}, fault.Bad(noPermission, p)
		case !access.Has(ctx, permission, ""):
			return contract.KeyAdded{}, forbidden(keyTooMuch, access.Titles[permission])
		}
	}
	for _, p := range actor.Permissions {
		if slices.Contains(said.Permissions, string(p)) {
			k.Permissions = append(k.Permissions, string(p))
		}
	}
	token := KeyPrefix + newToken()
	k.Hash = hashToken(token)
	err = s.base.Line.Write(ctx, func(tx *store.Store, by record.Stamp) error {
		k.Made = by
		return errors.Join(tx.AddKey(ctx, k), tx.Note(ctx, by, store.TrailEntry{What: "added", Kind: "key", Key: k.ID, Note: k.Name}))
	})
	return contract.KeyAdded{Key: s.showKey(ctx, k, who.Name), Token: token}, commit.Explain(err)
}

// Revoke ends a key at once and for good.
func (s *Keys) Revoke(ctx context.Context, id string) error {
	keys, err := s.List(ctx)
	if err != nil {
		return err
	}
	at := slices.IndexFunc(keys, func(k contract.ProgramKey) bool { return k.ID == id })
	if at < 0 {
		return fault.Missing("%s %s", "key", id)
	}
	err = s.base.Line.Write(ctx, func(tx *store.Store, by record.Stamp) error {
		return errors.Join(tx.RevokeKey(ctx, id), tx.Note(ctx, by, store.TrailEntry{What: "revoked", Kind: "key", Key: id, Note: keys[at].Name}))
	})
	s.forget()
	return commit.Explain(err)
}
