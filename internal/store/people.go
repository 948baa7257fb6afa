package store

import (
	"context"
	"errors"
	"time"

	"gorm.io/gorm"

	"codicil/core/record"
)

// Person is somebody who may sign in.
type Person struct {
	ID       string `gorm:"primaryKey"` // for good
	Name     string
	SignIn   string // in small letters
	Language string // a tag of BCP 47; "": none was chosen
	// Everywhere is in every company, otherwise in Companies.
	Everywhere bool
	Companies  []string `gorm:"serializer:json"`
	Roles      []string `gorm:"serializer:json"` // keys
	Ended      bool     // may no longer sign in
	Version    int
	// Subject is how a provider of sign-ins knows them; "": none does.
	Subject string
	Secrets Secrets      `gorm:"embedded"`
	Changed record.Stamp `gorm:"embedded"`
}

// TableName is that of the table.
func (Person) TableName() string { return "persons" }

// Secrets are by what a person is known. None of them can be read back into what they type.
type Secrets struct {
	Password string // hashed; "": none
	// Word is the hash of a one-time word, which holds until WordEnds, an instant; nil: none.
	Word     []byte
	WordEnds string
	// Factor is the key of the codes of the second factor; nil: none. FactorStep is the step of the last code that was taken.
	Factor     []byte
	FactorStep int64
	Recovery   [][]byte `gorm:"serializer:json"` // hashes of the codes that are left
}

// Role is a set of permissions under a name.
type Role struct {
	Key         string `gorm:"primaryKey"`
	Name        string
	Permissions []string `gorm:"serializer:json"`
	Kinds       []string `gorm:"serializer:json"` // of records, for which they hold; empty: all
	Version     int
	Changed     record.Stamp `gorm:"embedded"`
}

// Session is a browser that is signed in.
type Session struct {
	Hash    []byte `gorm:"primaryKey"` // of what the browser holds
	ID      string
	Owner   string // a person
	Begun   string // an instant, as is the next
	Used    string
	Address string
	Program string // what the browser says it is
}

// Key is by what a program is known.
type Key struct {
	ID          string `gorm:"primaryKey"`
	Hash        []byte
	Name        string
	Owner       string
	Permissions []string `gorm:"serializer:json"`
	Kinds       []string `gorm:"serializer:json"`
	Everywhere  bool
	Companies   []string `gorm:"serializer:json"`
	Ends        string   // the last day on which it holds
	Revoked     bool
	Used        string       // an instant; "": never
	Made        record.Stamp `gorm:"embedded"`
}

// TableName is that of the table.
func (Key) TableName() string { return "program_keys" }

// Persons returns all persons by name. Cost: their number.
func (s *Store) Persons(ctx context.Context) (persons []Person, err error) {
	return persons, s.db.WithContext(ctx).Order("name, id").Find(&persons).Error
}

// Person returns a person by id.
func (s *Store) Person(ctx context.Context, id string) (p Person, err error) {
	return p, found(s.db.WithContext(ctx).Where("id = ?", id).Take(&p).Error, "person", id)
}

// PersonBySignIn returns a person by the name that they sign in with.
func (s *Store) PersonBySignIn(ctx context.Context, name string) (p Person, err error) {
	return p, found(s.db.WithContext(ctx).Where("sign_in = ?", name).Take(&p).Error, "person", "")
}

// PersonBySubject returns a person as a provider of sign-ins knows them.
func (s *Store) PersonBySubject(ctx context.Context, subject string) (p Person, err error) {
	return p, found(s.db.WithContext(ctx).Where("subject = ? AND subject <> ''", subject).Take(&p).Error, "person", "")
}

// AnyPerson tells whether there is a person.
func (s *Store) AnyPerson(ctx context.Context) (bool, error) {
	var count int64
	err := s.db.WithContext(ctx).Model(&Person{}).Limit(1).Count(&count).Error
	return count > 0, err
}

// AddPerson adds a person; ErrTaken where the name to sign in with is taken.
func (s *Store) AddPerson(ctx context.Context, p Person) error {
	p.Version = 1
	return taken(s.write(ctx, func(db *gorm.DB) *gorm.DB { return db.Create(&p) }))
}

// ChangePerson changes a person whose version is that before; ErrStale where it is another.
func (s *Store) ChangePerson(ctx context.Context, p Person) error {
	before := p.Version
	p.Version++
	return taken(s.mustChange(ctx, func(db *gorm.DB) *gorm.DB {
		return db.Model(&Person{}).Select("*").Where("id = ? AND version = ?", p.ID, before).Updates(&p)
	}))
}

// SaveSecrets changes by what a person is known.
func (s *Store) SaveSecrets(ctx context.Context, id string, secrets Secrets) error {
	return s.mustChange(ctx, func(db *gorm.DB) *gorm.DB {
		return db.Model(&Person{}).Select("password", "word", "word_ends", "factor", "factor_step", "recovery").Where("id = ?", id).Updates(&Person{Secrets: secrets})
	})
}

// mustChange writes what must change a row; ErrStale where it changes none.
func (s *Store) mustChange(ctx context.Context, work func(*gorm.DB) *gorm.DB) error {
	return s.Transaction(ctx, func(tx *Store) error {
		result := work(tx.db.WithContext(ctx))
		if result.Error == nil && result.RowsAffected == 0 {
			return ErrStale
		}
		return result.Error
	})
}

func taken(err error) error {
	if errors.Is(err, gorm.ErrDuplicatedKey) {
		return ErrTaken
	}
	return err
}

// Roles returns all roles by name.
func (s *Store) Roles(ctx context.Context) (roles []Role, err error) {
	return roles, s.db.WithContext(ctx).Order("name, key").Find(&roles).Error
}

// SaveRole adds a role, of version 0, or changes it; ErrStale where somebody has changed it meanwhile.
func (s *Store) SaveRole(ctx context.Context, r Role) error {
	before := r.Version
	r.Version++
	if before == 0 {
		return taken(s.write(ctx, func(db *gorm.DB) *gorm.DB { return db.Create(&r) }))
	}
	return s.mustChange(ctx, func(db *gorm.DB) *gorm.DB {
		return db.Model(&Role{}).Select("*").Where("key = ? AND version = ?", r.Key, before).Updates(&r)
	})
}

// DeleteRole removes a role that nobody has.
func (s *Store) DeleteRole(ctx context.Context, key string) error {
	return s.mustChange(ctx, func(db *gorm.DB) *gorm.DB { return db.Where("key = ?", key).Delete(&Role{}) })
}

// AddSession keeps a session.
func (s *Store) AddSession(ctx context.Context, n Session) error {
	return s.write(ctx, func(db *gorm.DB) *gorm.DB { return db.Create(&n) })
}

// Session returns a session by the hash of what the browser holds.
func (s *Store) Session(ctx context.Context, hash []byte) (n Session, err error) {
	return n, found(s.db.WithContext(ctx).Where("hash = ?", hash).Take(&n).Error, "session", "")
}

// Sessions returns those of a person, the one used last first.
func (s *Store) Sessions(ctx context.Context, owner string) (sessions []Session, err error) {
	return sessions, s.db.WithContext(ctx).Where("owner = ?", owner).Order("used DESC, id").Find(&sessions).Error
}

// UseSession says when a session was used last.
func (s *Store) UseSession(ctx context.Context, hash []byte, at time.Time) error {
	return s.write(ctx, func(db *gorm.DB) *gorm.DB {
		return db.Model(&Session{}).Where("hash = ?", hash).Update("used", Instant(at))
	})
}

// EndSessions ends those of a person; one of them, where id is not "", all but one where except is not "".
func (s *Store) EndSessions(ctx context.Context, owner, id, except string) (ended int64, err error) {
	err = s.write(ctx, func(db *gorm.DB) *gorm.DB {
		db = db.Where("owner = ?", owner)
		if id != "" {
			db = db.Where("id = ?", id)
		}
		if except != "" {
			db = db.Where("id <> ?", except)
		}
		db = db.Delete(&Session{})
		ended = db.RowsAffected
		return db
	})
	return ended, err
}

// ForgetSessions removes those that were begun or used last before.
func (s *Store) ForgetSessions(ctx context.Context, begun, used time.Time) error {
	return s.write(ctx, func(db *gorm.DB) *gorm.DB {
		return db.Where("begun < ? OR used < ?", Instant(begun), Instant(used)).Delete(&Session{})
	})
}

// Keys returns the keys of programs, the newest first.
func (s *Store) Keys(ctx context.Context) (keys []Key, err error) {
	return keys, s.db.WithContext(ctx).Order("at DESC, id").Find(&keys).Error
}

// KeyByHash returns a key by the hash of what the program holds.
func (s *Store) KeyByHash(ctx context.Context, hash []byte) (k Key, err error) {
	return k, found(s.db.WithContext(ctx).Where("hash = ?", hash).Take(&k).Error, "key", "")
}

// AddKey keeps a key.
func (s *Store) AddKey(ctx context.Context, k Key) error {
	return s.write(ctx, func(db *gorm.DB) *gorm.DB { return db.Create(&k) })
}

// RevokeKey ends a key for good.
func (s *Store) RevokeKey(ctx context.Context, id string) error {
	return s.mustChange(ctx, func(db *gorm.DB) *gorm.DB {
		return db.Model(&Key{}).Where("id = ? AND revoked = 0", id).Update("revoked", true)
	})
}

// UseKey says when a key was used last.
func (s *Store) UseKey(ctx context.Context, id string, at time.Time) error {
	return s.write(ctx, func(db *gorm.DB) *gorm.DB {
		return db.Model(&Key{}).Where("id = ?", id).Update("used", Instant(at))
	})
}

// Passkey is a key of a device by which a person signs in.
type Passkey struct {
	ID         string       `gorm:"primaryKey"`
	Owner      string       // a person
	Name       string       // as they call it
	Credential []byte       // its own number
	Held       string       // what there is to know of it, as JSON; nothing of it is secret
	Used       string       // an instant; "": never
	Made       record.Stamp `gorm:"embedded"`
}

// Passkeys returns those of a person, the oldest first.
func (s *Store) Passkeys(ctx context.Context, owner string) (keys []Passkey, err error) {
	return keys, s.db.WithContext(ctx).Where("owner = ?", owner).Order("at, id").Find(&keys).Error
}

// AddPasskey adds a passkey; ErrTaken where its credential is known.
func (s *Store) AddPasskey(ctx context.Context, k Passkey) error {
	return taken(s.write(ctx, func(db *gorm.DB) *gorm.DB { return db.Create(&k) }))
}

// UsePasskey keeps what is known of a passkey since it was used.
func (s *Store) UsePasskey(ctx context.Context, k Passkey) error {
	return s.mustChange(ctx, func(db *gorm.DB) *gorm.DB {
		return db.Model(&Passkey{}).Select("held", "used").Where("id = ?", k.ID).Updates(&k)
	})
}

// RemovePasskeys removes one of a person, or all where id is ""; it returns how many.
func (s *Store) RemovePasskeys(ctx context.Context, owner, id string) (count int64, err error) {
	err = s.Transaction(ctx, func(tx *Store) error {
		query := tx.db.WithContext(ctx).Where("owner = ?", owner)
		if id != "" {
			query = query.Where("id = ?", id)
		}
		result := query.Delete(&Passkey{})
		count = result.RowsAffected
		return result.Error
	})
	return count, err
}
