// Package people keeps accounts: passwords, tokens, roles.
package people

import (
	"context"
	"crypto/rand"
	"crypto/sha256"
	"crypto/subtle"
	"encoding/base64"
	"errors"
	"fmt"
	"strings"

	"golang.org/x/crypto/argon2"

	"oskel/internal/store"
)

// Roles. An analyst defines, loads, publishes and sweeps; a reviewer works
// the cases of their desks; a lead does both, on every desk, and adds people.
const (
	Analyst  = "analyst"
	Reviewer = "reviewer"
	Lead     = "lead"
)

// Service is safe for concurrent use.
type Service struct{ store *store.Store }

// New is a service over a store.
func New(s *store.Store) *Service { return &Service{s} }

// ErrWrong says that name and password do not go together, without saying
// which of them is wrong.
var ErrWrong = errors.New("name and password do not go together")

// Add adds an account with its password.
func (s *Service) Add(ctx context.Context, p store.Person, password string) error {
	p.Password = hash(password)
	return s.store.AddPerson(ctx, p)
}

// nobody is hashed against when a name is unknown, so that a wrong name takes
// as long as a wrong password.
var nobody = hash("")

// Check is the account of a name, if the password is its.
func (s *Service) Check(ctx context.Context, name, password string) (store.Person, error) {
	p, err := s.store.Person(ctx, name)
	if errors.Is(err, store.ErrNotFound) {
		matches(password, nobody)
		return store.Person{}, ErrWrong
	}
	if err != nil {
		return store.Person{}, err
	}
	if !matches(password, p.Password) {
		return store.Person{}, ErrWrong
	}
	return p, nil
}

// Token makes a token for an account. Only its hash is kept.
func (s *Service) Token(ctx context.Context, person string) (string, error) {
	token := "oskel_" + rand.Text()
	return token, s.store.AddToken(ctx, tokenHash(token), person)
}

// ByToken is the account of a token, or ErrWrong.
func (s *Service) ByToken(ctx context.Context, token string) (store.Person, error) {
	p, err := s.store.PersonByToken(ctx, tokenHash(token))
	if errors.Is(err, store.ErrNotFound) {
		return p, ErrWrong
	}
	return p, err
}

// DropToken makes a token void.
func (s *Service) DropToken(ctx context.Context, token string) error {
	return s.store.DeleteToken(ctx, tokenHash(token))
}

// tokenHash needs no salt or cost: a token is 128 bits of chance.
func tokenHash(token string) []byte {
	sum := sha256.Sum256([]byte(token))
	return sum[:]
}

// The cost of a password's hash (RFC 9106): two passes over 19 MiB.
const (
	passes  = 2
	memory  = 19 << 10
	threads = 1
)

func hash(password string) string {
	salt := make([]byte, 16)
	rand.Read(salt) //nolint:errcheck // never fails
	key := argon2.IDKey([]byte(password), salt, passes, memory, threads, 32)
	b64 := base64.RawStdEncoding.EncodeToString
	return fmt.Sprintf("$argon2id$v=19$m=%d,t=%d,p=%d$%s$%s", memory, passes, threads, b64(salt), b64(key))
}

func matches(password, encoded string) bool {
	parts := strings.Split(encoded, "$")
	var m, t uint32
	var p uint8
	if len(parts) != 6 {
		return false
	}
	if _, err := fmt.Sscanf(parts[3], "m=%d,t=%d,p=%d", &m, &t, &p); err != nil {
		return false
	}
	salt, err := base64.RawStdEncoding.DecodeString(parts[4])
	if err != nil {
		return false
	}
	want, err := base64.RawStdEncoding.DecodeString(parts[5])
	if err != nil {
		return false
	}
	got := argon2.IDKey([]byte(password), salt, t, m, p, uint32(len(want)))
	return subtle.ConstantTimeCompare(got, want) == 1
}
