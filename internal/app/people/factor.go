package people

import (
	"context"
	"crypto/rand"
	"encoding/base32"
	"errors"
	"slices"
	"strings"
	"time"

	"github.com/pquerna/otp"
	"github.com/pquerna/otp/totp"

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
	noFactor    = notice.Define("factor-none", "there is no second factor that waits for its first code; begin again")
	codeRefused = notice.Define("factor-code-refused", "this code does not fit; wait for the next one and type it within half a minute")
)

const (
	step          = 30 // seconds that a code holds (RFC 6238)
	skew          = 1  // steps that a clock may be wrong
	recoveryCodes = 10
	factorBytes   = 20
)

var codes = totp.ValidateOpts{Period: step, Digits: otp.DigitsSix, Algorithm: otp.AlgorithmSHA1}

func secretText(secret []byte) string {
	return base32.StdEncoding.WithPadding(base32.NoPadding).EncodeToString(secret)
}

// stepOf is the step whose code was given; it must come after the last that was taken, so that none serves twice.
func stepOf(secret []byte, code string, at time.Time, last int64) (int64, bool) {
	now := at.Unix() / step
	for n := now - skew; n <= now+skew; n++ {
		if n <= last {
			continue
		}
		want, err := totp.GenerateCodeCustom(secretText(secret), time.Unix(n*step, 0), codes)
		if err == nil && same([]byte(want), []byte(code)) {
			return n, true
		}
	}
	return 0, false
}

// takeCode takes a code of the second factor, or one of recovery, each of which serves once.
func (s *SignIn) takeCode(ctx context.Context, p store.Person, code string) error {
	code = strings.TrimSpace(code)
	taken := false
	err := s.base.Store.Transaction(ctx, func(tx *store.Store) error {
		now, err := tx.Person(ctx, p.ID)
		if err != nil {
			return err
		}
		secret, sealed := s.unseal(now.ID, now.Secrets.Factor) // codes of recovery hold without it
		n, fits := int64(0), false
		if sealed == nil {
			n, fits = stepOf(secret, code, s.base.Clock(), now.Secrets.FactorStep)
		}
		if fits {
			now.Secrets.FactorStep, taken = n, true
		} else if at := slices.IndexFunc(now.Secrets.Recovery, func(h []byte) bool { return same(h, hashOf(code)) }); at >= 0 {
			now.Secrets.Recovery, taken = slices.Delete(now.Secrets.Recovery, at, at+1), true
		}
		if !taken {
			return sealed
		}
		return tx.SaveSecrets(ctx, p.ID, now.Secrets)
	})
	if err == nil && !taken {
		return s.refused(ctx, "code refused", p.SignIn)
	}
	return err
}

// BeginFactor makes the key of a second factor; it counts from its first code on.
func (s *SignIn) BeginFactor(ctx context.Context, password string) (contract.FactorBegun, error) {
	p, err := s.own(ctx, password)
	if err != nil {
		return contract.FactorBegun{}, err
	}
	secret := make([]byte, factorBytes)
	_, _ = rand.Read(secret) // it never fails
	key, err := totp.Generate(totp.GenerateOpts{Issuer: "Codicil", AccountName: p.SignIn, Secret: secret, Period: step})
	if err != nil {
		return contract.FactorBegun{}, err
	}
	s.mutex.Lock()
	defer s.mutex.Unlock()
	if len(s.waiting) >= mostKnown {
		clear(s.waiting)
	}
	s.waiting[p.ID] = secret
	return contract.FactorBegun{Secret: secretText(secret), Address: key.URL()}, nil
}

// ConfirmFactor takes the first code of a second factor, which counts from then on, and returns codes of recovery.
func (s *SignIn) ConfirmFactor(ctx context.Context, code string) (contract.FactorSet, error) {
	if err := access.Person(ctx); err != nil {
		return contract.FactorSet{}, err
	}
	person := actor.Of(ctx).ID
	s.mutex.Lock()
	secret := s.waiting[person]
	s.mutex.Unlock()
	if secret == nil {
		return contract.FactorSet{}, fault.Hindered(noFactor)
	}
	n, fits := stepOf(secret, strings.TrimSpace(code), s.base.Clock(), 0)
	if !fits {
		return contract.FactorSet{}, fault.Bad(codeRefused)
	}
	set := contract.FactorSet{Recovery: []string{}}
	var hashes [][]byte
	for range recoveryCodes {
		text := rand.Text()[:15]
		set.Recovery = append(set.Recovery, grouped(text))
		hashes = append(hashes, hashOf(text))
	}
	sealed, err := s.seal(person, secret)
	if err != nil {
		return contract.FactorSet{}, err
	}
	err = s.secrets(ctx, person, "second factor set", func(now *store.Secrets) {
		now.Factor, now.FactorStep, now.Recovery = sealed, n, hashes
	})
	if err == nil {
		s.mutex.Lock()
		delete(s.waiting, person)
		s.mutex.Unlock()
	}
	return set, err
}

// RemoveFactor takes the second factor of who asks away.
func (s *SignIn) RemoveFactor(ctx context.Context, password string) error {
	p, err := s.own(ctx, password)
	if err != nil {
		return err
	}
	return s.secrets(ctx, p.ID, "second factor removed", func(now *store.Secrets) {
		now.Factor, now.FactorStep, now.Recovery = nil, 0, nil
	})
}

// secrets changes by what a person is known.
func (s *SignIn) secrets(ctx context.Context, id, what string, change func(*store.Secrets)) error {
	err := s.base.Line.Write(ctx, func(tx *store.Store, by record.Stamp) error {
		p, err := tx.Person(ctx, id)
		if err != nil {
			return err
		}
		change(&p.Secrets)
		return errors.Join(tx.SaveSecrets(ctx, id, p.Secrets), tx.Note(ctx, by, store.TrailEntry{What: what, Kind: "person", Key: p.SignIn}))
	})
	s.forget()
	return commit.Explain(err)
}
