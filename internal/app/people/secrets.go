package people

import (
	"context"
	"crypto/rand"
	"crypto/sha256"
	"crypto/subtle"
	"encoding/json"
	"strings"

	"github.com/alexedwards/argon2id"
	"github.com/trustelem/zxcvbn"

	"codicil/core/notice"
	"codicil/internal/fault"
	"codicil/internal/store"
)

func forbidden(d *notice.Definition, values ...any) error {
	return &fault.Fault{Reason: fault.Forbidden, Notice: d.With(values...)}
}

// How passwords are: long rather than of many sorts of letters. The cost of hashing is that which OWASP's Password Storage
// Cheat Sheet gives for Argon2id.
const (
	leastPassword   = 12
	longestPassword = 128
	mostHashing     = 2 // at once: each takes 19 MB and a core
	// leastGuesses is in how many guesses, as a power of ten, a password must not be found.
	leastGuesses = 1e8
)

var cost = &argon2id.Params{Memory: 19 * 1024, Iterations: 2, Parallelism: 1, SaltLength: 16, KeyLength: 32}

var (
	passwordShort  = notice.Define("password-short", "a password has at least {least} letters; a few words that only you put together are a good one")
	passwordLong   = notice.Define("password-long", "a password has at most {most} letters")
	passwordCommon = notice.Define("password-common", "this password is one of the first that somebody would try; choose another, a few words that only you put together are a good one")
)

// checkPassword refuses a password that is short, common or made from what is known of the person.
func checkPassword(password string, p *store.Person) error {
	switch letters := len([]rune(password)); {
	case letters < leastPassword:
		return fault.Bad(passwordShort, leastPassword)
	case letters > longestPassword:
		return fault.Bad(passwordLong, longestPassword)
	}
	known := append(strings.Fields(p.Name), p.SignIn, "codicil")
	if zxcvbn.PasswordStrength(password, known).Guesses < leastGuesses {
		return fault.Bad(passwordCommon)
	}
	return nil
}

// hash hashes a password. Where too many are hashed at once, it waits, as long as somebody waits for it.
func (s *core) hash(ctx context.Context, password string) (string, error) {
	if err := s.turn(ctx); err != nil {
		return "", err
	}
	defer func() { <-s.hashing }()
	return argon2id.CreateHash(password, cost)
}

func (s *core) turn(ctx context.Context) error {
	select {
	case s.hashing <- struct{}{}:
		return nil
	case <-ctx.Done():
		return ctx.Err()
	}
}

// nobody is the hash of a password that nobody has, so that a name that nobody has takes as long as one that somebody has.
const nobody = "$argon2id$v=19$m=19456,t=2,p=1$MDEyMzQ1Njc4OWFiY2RlZg$VGhpcyBpcyBub3QgdGhlIGhhc2ggb2YgYW55dGhpbmc"

// fits tells whether a password is that of a hash; "" is the hash of none. It takes as long either way.
func (s *core) fits(ctx context.Context, password, hash string) (bool, error) {
	if len(password) > 4*longestPassword {
		password = ""
	}
	if err := s.turn(ctx); err != nil {
		return false, err
	}
	defer func() { <-s.hashing }()
	if hash == "" {
		_, err := argon2id.ComparePasswordAndHash(password, nobody)
		return false, err
	}
	return argon2id.ComparePasswordAndHash(password, hash)
}

// newWord makes a one-time word and its hash: 26 letters of 130 random bits, in groups.
func newWord() (word string, hash []byte) {
	text := rand.Text()
	return grouped(text), hashOf(text)
}

func grouped(text string) string {
	var groups []string
	for len(text) > 0 {
		n := min(len(text), 5)
		groups = append(groups, text[:n])
		text = text[n:]
	}
	return strings.Join(groups, "-")
}

// hashOf is the hash of a random text, which needs no costly one. Dashes, blanks and small letters do not count.
func hashOf(text string) []byte {
	text = strings.ToUpper(strings.NewReplacer("-", "", " ", "").Replace(text))
	sum := sha256.Sum256([]byte(text))
	return sum[:]
}

func same(a, b []byte) bool { return len(a) > 0 && subtle.ConstantTimeCompare(a, b) == 1 }

// stateOf is the hash of what a person is, less their secrets.
func stateOf(p store.Person) []byte {
	p.Secrets, p.Version = store.Secrets{}, 0
	text, _ := json.Marshal(p) // of plain values: it cannot fail
	return store.HashOf(text)
}
