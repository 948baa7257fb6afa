package people

import (
	"context"
	"crypto/rand"
	"crypto/sha256"
	"encoding/base64"
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
	notSignedIn = notice.Define("sign-in-refused", "this does not fit: look at the name, the password and the code, and try again")
	tooOften    = notice.Define("sign-in-too-often", "too many tries; wait {seconds} seconds and try again")
	codeNeeded  = notice.Define("sign-in-code-needed", "give the code of your second factor too")
	wordRefused = notice.Define("word-refused", "this word does not fit, or no longer holds; ask for another")
	notFirst    = notice.Define("not-first", "there is an administrator already; sign in")
	onlySession = notice.Define("not-a-session", "this can be done only where somebody has signed in")
)

// Issued is a session that has begun: Token is what the browser holds, and nobody else.
type Issued struct {
	Token string
	Lasts time.Duration
}

// known is a caller, as far as it was looked up.
type known struct {
	actor   actor.Actor
	session store.Session // of a person
	key     *store.Key    // of a program
	used    time.Time
}

// refused counts a try that was refused, and says so plainly: not which part was wrong.
func (s *core) refused(ctx context.Context, what, name string) error {
	s.Refused(ctx, what, name)
	return &fault.Fault{Reason: fault.Unknown, Notice: notSignedIn.With()}
}

// tried slows down who tries too often.
func (s *core) tried(ctx context.Context, name string) error {
	if wait := s.throttle.allow(name, actor.Of(ctx).Address); wait > 0 {
		s.Refused(ctx, "slowed down", name)
		return &fault.Fault{Reason: fault.Busy, Notice: tooOften.With(int(wait/time.Second) + 1)}
	}
	return nil
}

// Begin begins a session for who knows the password, and the code where there is a second factor.
func (s *SignIn) Begin(ctx context.Context, said contract.SignIn) (Issued, error) {
	name := strings.ToLower(strings.TrimSpace(said.SignInName))
	if err := s.tried(ctx, name); err != nil {
		return Issued{}, err
	}
	p, err := s.base.Store.PersonBySignIn(ctx, name)
	if err != nil && !errors.Is(err, store.ErrNotFound) {
		return Issued{}, err
	}
	fits, err := s.fits(ctx, said.Password, p.Secrets.Password)
	if err != nil {
		return Issued{}, err
	}
	if !fits || p.Ended {
		return Issued{}, s.refused(ctx, "sign-in refused", name)
	}
	if p.Secrets.Factor != nil {
		if said.Code == "" {
			return Issued{}, &fault.Fault{Reason: fault.Unknown, Notice: codeNeeded.With()}
		}
		if err := s.takeCode(ctx, p, said.Code); err != nil {
			return Issued{}, err
		}
	}
	s.throttle.forgive(name, actor.Of(ctx).Address)
	return s.begin(ctx, p, "signed in", nil)
}

// begin begins a session of a person; also is written with it.
func (s *core) begin(ctx context.Context, p store.Person, what string, also func(ctx context.Context, tx *store.Store, by record.Stamp) error) (Issued, error) {
	token, at := newToken(), s.base.Clock()
	who := actor.Of(ctx)
	n := store.Session{Hash: hashToken(token), ID: strings.ToLower(rand.Text()), Owner: p.ID, Begun: store.Instant(at), Used: store.Instant(at), Address: who.Address, Program: short(who.Program)}
	who.ID, who.Name, who.Session = p.ID, p.Name, n.ID
	ctx = actor.With(ctx, who)
	err := s.base.Line.Write(ctx, func(tx *store.Store, by record.Stamp) error {
		if also != nil {
			if err := also(ctx, tx, by); err != nil {
				return err
			}
		}
		return errors.Join(
			tx.ForgetSessions(ctx, at.Add(-s.settings.Longest), at.Add(-s.settings.Idle)),
			tx.AddSession(ctx, n),
			tx.Note(ctx, by, store.TrailEntry{What: what, Kind: "person", Key: p.SignIn}),
		)
	})
	s.forget()
	return Issued{token, s.settings.Longest}, commit.Explain(err)
}

// newToken makes what a browser or a program holds: 256 random bits.
func newToken() string {
	var b [32]byte
	_, _ = rand.Read(b[:]) // it never fails
	return base64.RawURLEncoding.EncodeToString(b[:])
}

func hashToken(token string) []byte {
	sum := sha256.Sum256([]byte(token))
	return sum[:]
}

const longestProgram = 200

func short(text string) string { return string([]rune(text)[:min(len([]rune(text)), longestProgram)]) }

// SignOut ends the session of who asks.
func (s *SignIn) SignOut(ctx context.Context) error {
	who := actor.Of(ctx)
	if who.Session == "" {
		return nil
	}
	return s.end(ctx, who.ID, who.Session, "signed out")
}

func (s *SignIn) end(ctx context.Context, owner, id, what string) error {
	err := s.base.Line.Write(ctx, func(tx *store.Store, by record.Stamp) error {
		ended, err := tx.EndSessions(ctx, owner, id, "")
		if err == nil && ended == 0 {
			return fault.Missing("%s %s", "session", id)
		}
		return errors.Join(err, tx.Note(ctx, by, store.TrailEntry{What: what, Kind: "session", Key: id}))
	})
	s.forget()
	return commit.Explain(err)
}

// SetPassword lets who was given a one-time word choose a password, and signs them in.
func (s *SignIn) SetPassword(ctx context.Context, said contract.WordGiven) (Issued, error) {
	name := strings.ToLower(strings.TrimSpace(said.SignInName))
	if err := s.tried(ctx, name); err != nil {
		return Issued{}, err
	}
	p, err := s.base.Store.PersonBySignIn(ctx, name)
	if err != nil && !errors.Is(err, store.ErrNotFound) {
		return Issued{}, err
	}
	holds := p.Secrets.WordEnds > store.Instant(s.base.Clock()) && !p.Ended
	if !same(p.Secrets.Word, hashOf(said.Word)) || !holds {
		s.Refused(ctx, "one-time word refused", name)
		return Issued{}, fault.Bad(wordRefused)
	}
	s.throttle.forgive(name, actor.Of(ctx).Address) // who knows the word may try several passwords
	hash, err := s.choose(ctx, &p, said.Password)
	if err != nil {
		return Issued{}, err
	}
	return s.begin(ctx, p, "password set", func(ctx context.Context, tx *store.Store, _ record.Stamp) error {
		now, err := tx.Person(ctx, p.ID)
		if err != nil {
			return err
		}
		if !same(now.Secrets.Word, p.Secrets.Word) { // it serves once
			return fault.Bad(wordRefused)
		}
		_, err = tx.EndSessions(ctx, p.ID, "", "")
		now.Secrets.Password, now.Secrets.Word, now.Secrets.WordEnds = hash, nil, ""
		return errors.Join(err, tx.SaveSecrets(ctx, p.ID, now.Secrets))
	})
}

func (s *core) choose(ctx context.Context, p *store.Person, password string) (string, error) {
	if err := checkPassword(password, p); err != nil {
		return "", err
	}
	return s.hash(ctx, password)
}

// ChangePassword changes the password of who asks; their other sessions end, and this one gets a new token.
func (s *SignIn) ChangePassword(ctx context.Context, said contract.PasswordChange) (Issued, error) {
	p, err := s.own(ctx, said.Current)
	if err != nil {
		return Issued{}, err
	}
	hash, err := s.choose(ctx, &p, said.Password)
	if err != nil {
		return Issued{}, err
	}
	return s.begin(ctx, p, "password changed", func(ctx context.Context, tx *store.Store, _ record.Stamp) error {
		now, err := tx.Person(ctx, p.ID)
		if err != nil {
			return err
		}
		_, err = tx.EndSessions(ctx, p.ID, "", "")
		now.Secrets.Password = hash
		return errors.Join(err, tx.SaveSecrets(ctx, p.ID, now.Secrets))
	})
}

// own returns the person who asks by a session, and knows their password.
func (s *SignIn) own(ctx context.Context, password string) (store.Person, error) {
	if err := access.Person(ctx); err != nil {
		return store.Person{}, err
	}
	who := actor.Of(ctx)
	if who.Via != actor.Browser || who.Session == "" {
		return store.Person{}, forbidden(onlySession)
	}
	p, err := s.base.Store.Person(ctx, who.ID)
	if err != nil {
		return p, commit.Explain(err)
	}
	if err := s.tried(ctx, p.SignIn); err != nil {
		return p, err
	}
	fits, err := s.fits(ctx, password, p.Secrets.Password)
	if err == nil && !fits {
		err = forbidden(notSignedIn)
		s.Refused(ctx, "password refused", p.SignIn)
	}
	return p, err
}

// Sessions are those of who asks.
func (s *SignIn) Sessions(ctx context.Context) ([]contract.SessionTold, error) {
	if err := access.Person(ctx); err != nil {
		return nil, err
	}
	who := actor.Of(ctx)
	sessions, err := s.base.Store.Sessions(ctx, who.ID)
	told, at := []contract.SessionTold{}, s.base.Clock()
	for _, n := range sessions {
		if s.holds(&n, at) {
			told = append(told, contract.SessionTold{ID: n.ID, Begun: n.Begun, Used: n.Used, Address: n.Address, Program: n.Program, Current: n.ID == who.Session})
		}
	}
	return told, err
}

// EndSession ends one of the sessions of who asks.
func (s *SignIn) EndSession(ctx context.Context, id string) error {
	if err := access.Person(ctx); err != nil {
		return err
	}
	return s.end(ctx, actor.Of(ctx).ID, id, "session ended")
}

// holds tells whether a session still holds.
func (s *core) holds(n *store.Session, at time.Time) bool {
	return n.Begun > store.Instant(at.Add(-s.settings.Longest)) && n.Used > store.Instant(at.Add(-s.settings.Idle))
}

const (
	// noteEach is how exactly it is kept when a session or a key was used last.
	noteEach = time.Minute
	// mostKnown is how many callers are remembered; more are looked up.
	mostKnown = 10_000
)

// BySession returns who holds a token; nobody where it does not hold.
func (s *SignIn) BySession(ctx context.Context, token string) (actor.Actor, bool, error) {
	return s.by(ctx, token, func(hash []byte) (*known, error) {
		n, err := s.base.Store.Session(ctx, hash)
		if err != nil {
			return nil, err
		}
		p, rights, err := s.personAnd(ctx, n.Owner)
		if err != nil {
			return nil, err
		}
		if p.Ended {
			return nil, store.ErrNotFound
		}
		return &known{session: n, actor: actor.Actor{ID: p.ID, Name: p.Name, Session: n.ID, Rights: rights}}, nil
	})
}

// ByKey returns the program that holds a key, with the rights that the key gives and its owner still has.
func (s *Keys) ByKey(ctx context.Context, token string) (actor.Actor, bool, error) {
	return s.by(ctx, token, func(hash []byte) (*known, error) {
		k, err := s.base.Store.KeyByHash(ctx, hash)
		if err != nil {
			return nil, err
		}
		p, rights, err := s.personAnd(ctx, k.Owner)
		if err != nil {
			return nil, err
		}
		if p.Ended || k.Revoked {
			return nil, store.ErrNotFound
		}
		given := actor.Rights{Everywhere: k.Everywhere, Companies: k.Companies}
		for _, permission := range k.Permissions {
			given.Give(actor.Permission(permission), k.Kinds)
		}
		return &known{key: &k, actor: actor.Actor{ID: p.ID, Name: p.Name + " (" + k.Name + ")", Session: "key " + k.ID, Rights: given.Within(&rights)}}, nil
	})
}

func (s *core) personAnd(ctx context.Context, id string) (store.Person, actor.Rights, error) {
	p, err := s.base.Store.Person(ctx, id)
	if err != nil {
		return p, actor.Rights{}, err
	}
	roles, err := s.base.Store.Roles(ctx)
	return p, rightsOf(&p, roles), err
}

type restingKey struct{}

// Resting returns a context in which it is asked who holds a token without their being at work.
func Resting(ctx context.Context) context.Context {
	return context.WithValue(ctx, restingKey{}, true)
}

func isResting(ctx context.Context) bool { return ctx.Value(restingKey{}) != nil }

// by looks up who holds a token.
func (s *core) by(ctx context.Context, token string, find func(hash []byte) (*known, error)) (actor.Actor, bool, error) {
	sum, at := sha256.Sum256([]byte(token)), s.base.Clock()
	s.mutex.Lock()
	k, turn := s.known[sum], s.turns
	s.mutex.Unlock()
	if k == nil {
		var err error
		if k, err = find(sum[:]); err != nil {
			if errors.Is(err, store.ErrNotFound) {
				err = nil
			}
			return actor.Actor{}, false, err
		}
		s.mutex.Lock()
		if len(s.known) >= mostKnown {
			clear(s.known)
		}
		if turn == s.turns { // what was looked up before somebody lost their rights is not remembered
			s.known[sum] = k
		}
		s.mutex.Unlock()
	}
	s.mutex.Lock()
	note := at.Sub(k.used) >= noteEach && !isResting(ctx)
	var holds bool
	if k.key != nil {
		holds = k.key.Ends >= at.UTC().Format(time.DateOnly)
	} else {
		holds = s.holds(&k.session, at)
		if holds && note {
			k.session.Used = store.Instant(at)
		}
	}
	if holds && note {
		k.used = at
	}
	s.mutex.Unlock()
	if !holds {
		return actor.Actor{}, false, nil
	}
	if note {
		var err error
		if k.key != nil {
			err = s.base.Store.UseKey(ctx, k.key.ID, at)
		} else {
			err = s.base.Store.UseSession(ctx, sum[:], at)
		}
		if err != nil {
			return actor.Actor{}, false, err
		}
	}
	return k.actor, true, nil
}

// First tells whether there is no person yet, and returns the word with which the first administrator is made; it is another one
// at every start.
func (s *SignIn) First(ctx context.Context) (word string, err error) {
	if any, err := s.base.Store.AnyPerson(ctx); any || err != nil {
		return "", err
	}
	word, hash := newWord()
	s.mutex.Lock()
	s.first = hash
	s.mutex.Unlock()
	return word, nil
}

// SetUp makes the first administrator, for who knows the word, and signs them in.
func (s *SignIn) SetUp(ctx context.Context, said contract.FirstPerson) (Issued, error) {
	if err := s.tried(ctx, ""); err != nil {
		return Issued{}, err
	}
	s.mutex.Lock()
	first := s.first
	s.mutex.Unlock()
	if any, err := s.base.Store.AnyPerson(ctx); any || err != nil {
		return Issued{}, errors.Join(err, fault.Hindered(notFirst))
	}
	if !same(first, hashOf(said.Word)) {
		s.Refused(ctx, "one-time word refused", "")
		return Issued{}, fault.Bad(wordRefused)
	}
	s.throttle.forgive("", actor.Of(ctx).Address)
	p := store.Person{ID: strings.ToLower(rand.Text()), Name: strings.TrimSpace(said.Name), SignIn: strings.ToLower(strings.TrimSpace(said.SignInName)), Everywhere: true, Companies: []string{}}
	switch {
	case p.Name == "" || len([]rune(p.Name)) > longestName:
		return Issued{}, fault.Bad(noName)
	case !isSignIn(p.SignIn):
		return Issued{}, fault.Bad(noSignIn)
	}
	// Whoever begins does everything, until they give it to others.
	roles, err := s.base.Store.Roles(ctx)
	if err != nil {
		return Issued{}, err
	}
	for _, r := range roles {
		if slices.Contains([]string{"administrator", "keeper", "operator"}, r.Key) {
			p.Roles = append(p.Roles, r.Key)
		}
	}
	if p.Secrets.Password, err = s.choose(ctx, &p, said.Password); err != nil {
		return Issued{}, err
	}
	issued, err := s.begin(ctx, p, "signed in", func(ctx context.Context, tx *store.Store, by record.Stamp) error {
		if any, err := tx.AnyPerson(ctx); any || err != nil {
			return errors.Join(err, fault.Hindered(notFirst))
		}
		p.Changed = by
		return errors.Join(tx.AddPerson(ctx, p), tx.Note(ctx, by, store.TrailEntry{What: "added", Kind: "person", Key: p.SignIn, Note: p.Name, After: stateOf(p)}))
	})
	if err == nil {
		s.mutex.Lock()
		s.first = nil
		s.mutex.Unlock()
	}
	return issued, err
}

// Become begins a session of another person, without a password: for demos only.
func (s *SignIn) Become(ctx context.Context, id string) (Issued, error) {
	p, err := s.base.Store.Person(ctx, id)
	if err != nil {
		return Issued{}, commit.Explain(err)
	}
	return s.begin(ctx, p, "signed in", nil)
}

// Guest returns a person as if they had signed in: for demos only.
func (s *SignIn) Guest(ctx context.Context, id string) (actor.Actor, error) {
	p, rights, err := s.personAnd(ctx, id)
	return actor.Actor{ID: p.ID, Name: p.Name, Rights: rights}, err
}

// Guests are those whom one can become in a demo.
func (s *SignIn) Guests(ctx context.Context) ([]contract.Guest, error) {
	persons, err := s.base.Store.Persons(ctx)
	guests := []contract.Guest{}
	for _, p := range persons {
		guests = append(guests, contract.Guest{ID: p.ID, Name: p.Name, Roles: p.Roles, Companies: append([]string{}, p.Companies...)})
	}
	return guests, err
}

// State tells who asks, and what they may do.
func (s *SignIn) State(ctx context.Context) (contract.SessionState, error) {
	who := actor.Of(ctx)
	state := contract.SessionState{State: contract.SignedOut, Permissions: []contract.PermissionHeld{}, Companies: []string{}, Idle: int(s.settings.Idle / time.Second)}
	if s.provider != nil {
		state.Provider = s.provider.Name
	}
	if who.ID == "" {
		any, err := s.base.Store.AnyPerson(ctx)
		if !any {
			state.State = contract.First
		}
		return state, err
	}
	head, err := s.base.Store.TrailHead(ctx)
	if err != nil {
		return state, err
	}
	state.News = head.Last
	state.State, state.Everywhere, state.Companies = contract.SignedIn, who.Rights.All(), append(state.Companies, who.Rights.Companies...)
	for _, p := range actor.Permissions {
		if who.Rights.Has(p, "") {
			state.Permissions = append(state.Permissions, contract.PermissionHeld{Key: string(p), Title: access.Titles[p], ByKind: p.ByKind(), Kinds: append([]string{}, who.Rights.May[p]...)})
		}
	}
	state.Person = &contract.SessionPerson{ID: who.ID, Name: who.Name}
	p, err := s.base.Store.Person(ctx, who.ID)
	switch {
	case errors.Is(err, store.ErrNotFound): // a person of the machine
		return state, nil
	case err == nil:
		state.Person.SignInName, state.Person.HasPassword, state.Person.HasFactor = p.SignIn, p.Secrets.Password != "", p.Secrets.Factor != nil
		state.Person.HasProvider, state.Person.Language = p.Subject != "", p.Language
	}
	return state, err
}
