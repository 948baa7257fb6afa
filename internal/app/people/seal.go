package people

import (
	"context"
	"crypto/aes"
	"crypto/cipher"
	"crypto/rand"
	"errors"
	"log/slog"

	"codicil/core/notice"
	"codicil/core/record"
	"codicil/internal/fault"
	"codicil/internal/store"
)

var factorSealed = notice.Define("factor-sealed", "your second factor cannot be read here: the server lacks the key that seals it; ask whoever keeps the server")

// SealBytes is the length of the key that seals secrets: one of AES-256.
const SealBytes = 32

// sealedBy is the first byte of what is sealed so; a secret that is not has factorBytes, and what is sealed has more.
const sealedBy = 1

func (s *core) gcm() (cipher.AEAD, error) {
	block, err := aes.NewCipher(s.settings.Seal)
	if err != nil {
		return nil, err
	}
	return cipher.NewGCMWithRandomNonce(block)
}

// seal makes a secret of a person unreadable to who has the data and not the key; without a key it stays as it is. It is bound to
// the person: put to another it cannot be read.
func (s *core) seal(person string, secret []byte) ([]byte, error) {
	if s.settings.Seal == nil {
		return secret, nil
	}
	gcm, err := s.gcm()
	if err != nil {
		return nil, err
	}
	return gcm.Seal([]byte{sealedBy}, nil, secret, []byte(person)), nil
}

// unseal returns the secret again.
func (s *core) unseal(person string, kept []byte) ([]byte, error) {
	if len(kept) <= factorBytes {
		return kept, nil
	}
	gcm, err := s.gcm()
	if err == nil && kept[0] == sealedBy {
		var secret []byte
		if secret, err = gcm.Open(nil, nil, kept[1:], []byte(person)); err == nil {
			return secret, nil
		}
	}
	slog.Error("the second factor of a person is sealed with another key than the server has", "person", person, "error", err)
	return nil, &fault.Fault{Reason: fault.Unable, Notice: factorSealed.With()}
}

// SealAll seals what was kept before there was a key. Cost: all persons.
func (s *SignIn) SealAll(ctx context.Context) error {
	if s.settings.Seal == nil {
		return nil
	}
	persons, err := s.base.Store.Persons(ctx)
	if err != nil {
		return err
	}
	for i := range persons {
		if f := persons[i].Secrets.Factor; len(f) != factorBytes {
			continue
		}
		err := s.base.Line.Write(ctx, func(tx *store.Store, by record.Stamp) error {
			p, err := tx.Person(ctx, persons[i].ID)
			if err != nil || len(p.Secrets.Factor) != factorBytes {
				return err
			}
			if p.Secrets.Factor, err = s.seal(p.ID, p.Secrets.Factor); err != nil {
				return err
			}
			return errors.Join(tx.SaveSecrets(ctx, p.ID, p.Secrets), tx.Note(ctx, by, store.TrailEntry{What: "second factor sealed", Kind: "person", Key: p.SignIn}))
		})
		if err != nil {
			return err
		}
	}
	return nil
}

// NewSealKey makes a key that seals secrets.
func NewSealKey() []byte {
	key := make([]byte, SealBytes)
	_, _ = rand.Read(key) // it never fails
	return key
}
