// Package people keeps the persons who use the application, what they may do, and by what they are known: passwords,
// second factors, sessions, and the keys of programs.
//
// It must never know what is done with the rights it gives, nor HTTP. Start reading at SignIn.Begin.
package people

import (
	"context"
	"crypto/rand"
	"errors"
	"slices"
	"strings"
	"sync"
	"time"
	"unicode"

	"golang.org/x/text/language"

	"codicil/core/notice"
	"codicil/core/record"
	"codicil/internal/access"
	"codicil/internal/actor"
	"codicil/internal/app/commit"
	"codicil/internal/app/judging"
	"codicil/internal/contract"
	"codicil/internal/fault"
	"codicil/internal/store"
)

// Settings are how long sign-ins hold.
type Settings struct {
	// Idle is how long a session may rest, and Longest how long it may last at all.
	Idle, Longest time.Duration
	// Word is how long a one-time word holds.
	Word time.Duration
	// Seal is the key that seals secrets of second factors in the data, of SealBytes; nil: they stand there as they are.
	Seal []byte
}

// Usual are the settings where none are given.
var Usual = Settings{Idle: time.Hour, Longest: 12 * time.Hour, Word: 24 * time.Hour}

// core is what the use cases share.
type core struct {
	base     *judging.Service
	settings Settings
	throttle *throttle
	hashing  chan struct{} // held while a password is hashed

	mutex sync.Mutex
	// known are callers by the hash of what they hold; it is emptied whenever a person, role, session or key changes.
	known map[[32]byte]*known
	// turns is how often it was emptied.
	turns int
	// first is the hash of the word that makes the first administrator; nil: there is one.
	first []byte
	// waiting are keys of second factors whose first code is waited for, by person.
	waiting  map[string][]byte
	refusals refusals
	// provider is that of sign-ins; nil: there is none.
	provider *Mapping
}

// Service keeps persons and roles.
type Service struct{ *core }

// SignIn knows persons by what they give, and keeps their sessions.
type SignIn struct{ *core }

// Keys keeps the keys of programs.
type Keys struct{ *core }

// New returns the use cases.
func New(j *judging.Service) (*Service, *SignIn, *Keys, *Provider, *Passkeys) {
	c := &core{base: j, settings: Usual, throttle: newThrottle(j.Clock), hashing: make(chan struct{}, mostHashing), known: map[[32]byte]*known{}, waiting: map[string][]byte{}}
	return &Service{c}, &SignIn{c}, &Keys{c}, &Provider{core: c}, newPasskeys(c)
}

// Set says how long sign-ins hold; it is called before anybody signs in.
func (s *core) Set(settings Settings) { s.settings = settings }

var (
	noName       = notice.Define("person-no-name", "give a name of at most 100 letters")
	noSignIn     = notice.Define("person-no-sign-in", "give a name to sign in with: 2 to 100 letters, digits, or . _ - @")
	signInTaken  = notice.Define("person-sign-in-taken", "another person signs in with {name:q}; choose another")
	subjectTaken = notice.Define("person-subject-taken", "the provider knows another person by this; take it from them first")
	noLanguage   = notice.Define("person-no-language", "{language:q} is not the tag of a language, such as en or de-AT")
	unknownRole  = notice.Define("unknown-role", "there is no role {role:q}")
	noPermission = notice.Define("unknown-permission", "there is no permission {permission:q}")
	lastKeeper   = notice.Define("last-administrator", "nobody would be left who keeps the persons; give another person the permission for all companies first")
	roleInUse    = notice.Define("role-in-use", "{count} persons have this role; take it from them first")
	noRoleKey    = notice.Define("role-no-key", "the key of a role has 1 to 40 small letters, digits or -")
	notAllYours  = notice.Define("not-allowed.give", "you cannot give companies that are not yours")
)

const longestName = 100

// Persons returns everybody who may or could sign in.
func (s *Service) Persons(ctx context.Context) ([]contract.Person, error) {
	if err := access.Need(ctx, actor.PersonsChange); err != nil {
		return nil, err
	}
	persons, err := s.base.Store.Persons(ctx)
	shown := []contract.Person{}
	for i := range persons {
		if p := show(ctx, &persons[i]); p != nil {
			shown = append(shown, *p)
		}
	}
	return shown, err
}

// show shows a person to who may see them: what is theirs in foreign companies is left out; nil where that is all.
func show(ctx context.Context, p *store.Person) *contract.Person {
	if p.Everywhere && !access.Everywhere(ctx) {
		return nil
	}
	companies, none := p.Companies, false
	if !p.Everywhere && len(companies) > 0 {
		companies, none = access.Narrow(ctx, companies)
	}
	if none {
		return nil
	}
	if companies == nil {
		companies = []string{}
	}
	return &contract.Person{
		ID: p.ID, Name: p.Name, SignInName: p.SignIn, Language: p.Language, Everywhere: p.Everywhere, Companies: companies,
		Roles: append([]string{}, p.Roles...), Ended: p.Ended, Version: p.Version, HasPassword: p.Secrets.Password != "", HasFactor: p.Secrets.Factor != nil, Subject: p.Subject,
	}
}

func isSignIn(name string) bool {
	if letters := len([]rune(name)); letters < 2 || letters > longestName {
		return false
	}
	return strings.IndexFunc(name, func(r rune) bool {
		return !unicode.IsLetter(r) && !unicode.IsDigit(r) && !strings.ContainsRune("._-@", r)
	}) < 0
}

// read reads what is said of a person.
func (s *Service) read(ctx context.Context, p *store.Person, said contract.PersonChange) error {
	p.Name, p.SignIn, p.Language = strings.TrimSpace(said.Name), strings.ToLower(strings.TrimSpace(said.SignInName)), strings.TrimSpace(said.Language)
	p.Everywhere, p.Ended, p.Subject = said.Everywhere, said.Ended, strings.TrimSpace(said.Subject)
	if p.Subject != "" && s.provider != nil && !strings.HasPrefix(p.Subject, s.provider.subject("")) {
		p.Subject = s.provider.subject(p.Subject)
	}
	if other, err := s.base.Store.PersonBySubject(ctx, p.Subject); err == nil && p.Subject != "" && other.ID != p.ID {
		return fault.Hindered(subjectTaken)
	}
	if p.Name == "" || len([]rune(p.Name)) > longestName {
		return fault.Bad(noName)
	}
	if !isSignIn(p.SignIn) {
		return fault.Bad(noSignIn)
	}
	if p.Language != "" {
		if _, err := language.Parse(p.Language); err != nil {
			return fault.Bad(noLanguage, p.Language)
		}
	}
	ref, err := s.base.Cache.Reference(ctx)
	if err != nil {
		return err
	}
	// Companies that the one who asks does not see stay as they are.
	companies := slices.DeleteFunc(slices.Clone(p.Companies), func(c string) bool { return access.In(ctx, c) })
	for _, c := range said.Companies {
		if err := access.Company(ctx, c); err != nil || ref.Company(c) == nil {
			return fault.Bad(fault.UnknownCompany, c)
		}
		companies = append(companies, c)
	}
	if p.Everywhere {
		if !access.Everywhere(ctx) {
			return forbidden(notAllYours)
		}
		companies = nil
	}
	slices.Sort(companies)
	p.Companies = slices.Compact(companies)
	roles, err := s.base.Store.Roles(ctx)
	if err != nil {
		return err
	}
	p.Roles = []string{}
	for _, key := range said.Roles {
		if !slices.ContainsFunc(roles, func(r store.Role) bool { return r.Key == key }) {
			return fault.Bad(unknownRole, key)
		}
		if !slices.Contains(p.Roles, key) {
			p.Roles = append(p.Roles, key)
		}
	}
	return nil
}

// Add adds a person, who gets a one-time word to choose a password with.
func (s *Service) Add(ctx context.Context, said contract.PersonChange) (contract.PersonAdded, error) {
	if err := access.Need(ctx, actor.PersonsChange); err != nil {
		return contract.PersonAdded{}, err
	}
	p := store.Person{ID: strings.ToLower(rand.Text())}
	word, hash := newWord()
	err := s.base.Line.Write(ctx, func(tx *store.Store, by record.Stamp) error {
		if err := s.read(ctx, &p, said); err != nil {
			return err
		}
		p.Changed = by
		p.Secrets.Word, p.Secrets.WordEnds = hash, store.Instant(s.base.Clock().Add(s.settings.Word))
		if err := tx.AddPerson(ctx, p); err != nil {
			return orTaken(err, signInTaken, p.SignIn)
		}
		return tx.Note(ctx, by, store.TrailEntry{What: "added", Kind: "person", Key: p.SignIn, Note: p.Name, After: stateOf(p)})
	})
	if err != nil {
		return contract.PersonAdded{}, commit.Explain(err)
	}
	s.forget()
	p.Version = 1
	return contract.PersonAdded{Person: *show(ctx, &p), Word: word, WordEnds: p.Secrets.WordEnds}, nil
}

// orTaken says in its own words that something is there already.
func orTaken(err error, d *notice.Definition, values ...any) error {
	if errors.Is(err, store.ErrTaken) {
		return fault.Hindered(d, values...)
	}
	return err
}

// person returns a person whom the one who asks may change.
func (s *Service) person(ctx context.Context, id string) (store.Person, error) {
	p, err := s.base.Store.Person(ctx, id)
	if err != nil {
		return p, commit.Explain(err)
	}
	if show(ctx, &p) == nil {
		return p, fault.Missing("%s %s", "person", id)
	}
	if !p.Everywhere {
		if err := access.Companies(ctx, p.Companies); err != nil && len(p.Companies) > 0 {
			return p, err
		}
	}
	return p, nil
}

// Change changes a person. Who may no longer sign in is signed out.
func (s *Service) Change(ctx context.Context, id string, said contract.PersonChange) (contract.Person, error) {
	if err := access.Need(ctx, actor.PersonsChange); err != nil {
		return contract.Person{}, err
	}
	var p store.Person
	err := s.base.Line.Write(ctx, func(tx *store.Store, by record.Stamp) (err error) {
		if p, err = s.person(ctx, id); err != nil {
			return err
		}
		before := stateOf(p)
		if p.Version != said.Version {
			return fault.Hindered(fault.Stale)
		}
		if err := s.read(ctx, &p, said); err != nil {
			return err
		}
		p.Changed = by
		if err := tx.ChangePerson(ctx, p); err != nil {
			return orTaken(err, signInTaken, p.SignIn)
		}
		if err := s.keeperLeft(ctx, tx); err != nil {
			return err
		}
		if p.Ended {
			if _, err := tx.EndSessions(ctx, id, "", ""); err != nil {
				return err
			}
		}
		return tx.Note(ctx, by, store.TrailEntry{What: "changed", Kind: "person", Key: p.SignIn, Note: p.Name, Before: before, After: stateOf(p)})
	})
	s.forget()
	if err != nil {
		return contract.Person{}, commit.Explain(err)
	}
	p.Version++
	return *show(ctx, &p), nil
}

// keeperLeft refuses a change after which nobody keeps the persons in all companies, where somebody did.
func (s *core) keeperLeft(ctx context.Context, tx *store.Store) error {
	persons, err := tx.Persons(ctx)
	if err != nil || len(persons) == 0 {
		return err
	}
	roles, err := tx.Roles(ctx)
	if err != nil {
		return err
	}
	for i := range persons {
		if rights := rightsOf(&persons[i], roles); !persons[i].Ended && rights.All() && rights.Has(actor.PersonsChange, "") {
			return nil
		}
	}
	return fault.Hindered(lastKeeper)
}

// rightsOf are the rights of a person by their roles.
func rightsOf(p *store.Person, roles []store.Role) actor.Rights {
	r := actor.Rights{Everywhere: p.Everywhere, Companies: p.Companies}
	for i := range roles {
		if slices.Contains(p.Roles, roles[i].Key) {
			for _, permission := range roles[i].Permissions {
				r.Give(actor.Permission(permission), roles[i].Kinds)
			}
		}
	}
	return r
}

// Reset gives a person a one-time word to choose a new password with, ends their sessions, and takes their second factor and
// passkeys away.
func (s *Service) Reset(ctx context.Context, id string) (contract.PersonAdded, error) {
	if err := access.Need(ctx, actor.PersonsChange); err != nil {
		return contract.PersonAdded{}, err
	}
	word, hash := newWord()
	var p store.Person
	err := s.base.Line.Write(ctx, func(tx *store.Store, by record.Stamp) (err error) {
		if p, err = s.person(ctx, id); err != nil {
			return err
		}
		p.Secrets = store.Secrets{Word: hash, WordEnds: store.Instant(s.base.Clock().Add(s.settings.Word))}
		_, ending := tx.EndSessions(ctx, id, "", "")
		_, removing := tx.RemovePasskeys(ctx, id, "")
		return errors.Join(tx.SaveSecrets(ctx, id, p.Secrets), ending, removing, tx.Note(ctx, by, store.TrailEntry{What: "reset", Kind: "person", Key: p.SignIn, Note: p.Name}))
	})
	s.forget()
	if err != nil {
		return contract.PersonAdded{}, commit.Explain(err)
	}
	return contract.PersonAdded{Person: *show(ctx, &p), Word: word, WordEnds: p.Secrets.WordEnds}, nil
}

// Roles returns all roles, and what can be permitted.
func (s *Service) Roles(ctx context.Context) (contract.Roles, error) {
	if err := access.Need(ctx, actor.PersonsChange); err != nil {
		return contract.Roles{}, err
	}
	roles, err := s.base.Store.Roles(ctx)
	if err != nil {
		return contract.Roles{}, err
	}
	persons, err := s.base.Store.Persons(ctx)
	all := contract.Roles{Roles: []contract.Role{}, Permissions: []contract.PermissionTold{}}
	for _, r := range roles {
		shown := showRole(r)
		for i := range persons {
			if slices.Contains(persons[i].Roles, r.Key) && show(ctx, &persons[i]) != nil {
				shown.Persons++
			}
		}
		all.Roles = append(all.Roles, shown)
	}
	for _, p := range actor.Permissions {
		all.Permissions = append(all.Permissions, contract.PermissionTold{Key: string(p), Title: access.Titles[p], ByKind: p.ByKind()})
	}
	return all, err
}

func showRole(r store.Role) contract.Role {
	return contract.Role{Key: r.Key, Name: r.Name, Permissions: append([]string{}, r.Permissions...), Kinds: append([]string{}, r.Kinds...), Version: r.Version}
}

// SaveRole adds a role, or changes it. Roles hold in all companies, so that only who is in all of them may change one.
func (s *Service) SaveRole(ctx context.Context, key string, said contract.RoleChange) (contract.Role, error) {
	if err := access.Need(ctx, actor.PersonsChange); err != nil {
		return contract.Role{}, err
	}
	if err := access.Companies(ctx, nil); err != nil {
		return contract.Role{}, err
	}
	ref, err := s.base.Cache.Reference(ctx)
	if err != nil {
		return contract.Role{}, err
	}
	r := store.Role{Key: key, Name: strings.TrimSpace(said.Name), Permissions: []string{}, Kinds: []string{}, Version: said.Version}
	switch {
	case !isRoleKey(key):
		return contract.Role{}, fault.Bad(noRoleKey)
	case r.Name == "" || len([]rune(r.Name)) > longestName:
		return contract.Role{}, fault.Bad(noName)
	}
	for _, p := range said.Permissions {
		if !slices.Contains(actor.Permissions, actor.Permission(p)) {
			return contract.Role{}, fault.Bad(noPermission, p)
		}
	}
	for _, p := range actor.Permissions { // in their own order, each once
		if slices.Contains(said.Permissions, string(p)) {
			r.Permissions = append(r.Permissions, string(p))
		}
	}
	for _, k := range said.Kinds {
		if _, err := ref.Kind(k); err != nil {
			return contract.Role{}, err
		}
		if !slices.Contains(r.Kinds, k) {
			r.Kinds = append(r.Kinds, k)
		}
	}
	err = s.base.Line.Write(ctx, func(tx *store.Store, by record.Stamp) error {
		r.Changed = by
		if err := tx.SaveRole(ctx, r); err != nil {
			return err
		}
		if err := s.keeperLeft(ctx, tx); err != nil {
			return err
		}
		what := "changed"
		if said.Version == 0 {
			what = "added"
		}
		return tx.Note(ctx, by, store.TrailEntry{What: what, Kind: "role", Key: key, Note: r.Name + ": " + strings.Join(r.Permissions, ", ")})
	})
	s.forget()
	r.Version++
	return showRole(r), commit.Explain(err)
}

func isRoleKey(key string) bool {
	return key != "" && len(key) <= 40 && strings.Trim(key, "abcdefghijklmnopqrstuvwxyz0123456789-") == ""
}

// DeleteRole removes a role that nobody has.
func (s *Service) DeleteRole(ctx context.Context, key string) error {
	if err := access.Need(ctx, actor.PersonsChange); err != nil {
		return err
	}
	if err := access.Companies(ctx, nil); err != nil {
		return err
	}
	err := s.base.Line.Write(ctx, func(tx *store.Store, by record.Stamp) error {
		persons, err := tx.Persons(ctx)
		if err != nil {
			return err
		}
		count := 0
		for i := range persons {
			if slices.Contains(persons[i].Roles, key) {
				count++
			}
		}
		if count > 0 {
			return fault.Hindered(roleInUse, count)
		}
		if err := tx.DeleteRole(ctx, key); err != nil {
			return &store.NotFoundError{What: "role", Key: key}
		}
		return tx.Note(ctx, by, store.TrailEntry{What: "removed", Kind: "role", Key: key})
	})
	s.forget()
	return commit.Explain(err)
}

// Founding is a person of a demo.
type Founding struct {
	ID, Name, SignIn string
	Companies        []string // nil: all
	Roles            []string
}

// Found adds a person to data that is being made.
func (s *Service) Found(ctx context.Context, f Founding) error {
	return s.base.Line.Write(ctx, func(tx *store.Store, by record.Stamp) error {
		p := store.Person{ID: f.ID, Name: f.Name, SignIn: f.SignIn, Everywhere: f.Companies == nil, Companies: f.Companies, Roles: f.Roles, Changed: by}
		if p.Companies == nil {
			p.Companies = []string{}
		}
		if p.Roles == nil {
			p.Roles = []string{}
		}
		return errors.Join(tx.AddPerson(ctx, p), tx.Note(ctx, by, store.TrailEntry{What: "added", Kind: "person", Key: p.SignIn, Note: p.Name, After: stateOf(p)}))
	})
}

// forget reads anew what callers may do.
func (s *core) forget() {
	s.mutex.Lock()
	clear(s.known)
	s.turns++
	s.mutex.Unlock()
}
