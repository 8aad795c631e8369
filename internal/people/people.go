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
	"runtime"
	"slices"
	"strings"
	"time"

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
type Service struct {
	store   *store.Store
	hashing chan struct{} // a place for each password that is hashed at a time
}

// New is a service over a store.
func New(s *store.Store) *Service {
	return &Service{s, make(chan struct{}, 2*runtime.GOMAXPROCS(0))}
}

// ErrBusy says that so many sign in at once that this one had to wait too long.
var ErrBusy = errors.New("too many are signing in at once; try again in a few seconds")

// patience is how long a password waits to be hashed.
const patience = 5 * time.Second

// place waits for its turn to hash a password, which costs 19 MiB each. done
// gives the place up.
func (s *Service) place(ctx context.Context) (done func(), err error) {
	wait := time.NewTimer(patience)
	defer wait.Stop()
	select {
	case s.hashing <- struct{}{}:
		return func() { <-s.hashing }, nil
	case <-wait.C:
		return nil, ErrBusy
	case <-ctx.Done():
		return nil, ctx.Err()
	}
}

// ErrWrong says that name and password do not go together, without saying
// which of them is wrong.
var ErrWrong = errors.New("name and password do not go together")

// Add adds an account with its password.
func (s *Service) Add(ctx context.Context, p store.Person, password string) (err error) {
	if p.Password, err = s.hash(ctx, password); err != nil {
		return err
	}
	return s.store.AddPerson(ctx, p)
}

func (s *Service) hash(ctx context.Context, password string) (string, error) {
	done, err := s.place(ctx)
	if err != nil {
		return "", err
	}
	defer done()
	return hash(password), nil
}

// nobody is hashed against when a name is unknown, so that a wrong name takes
// as long as a wrong password.
var nobody = hash("")

// Check is the account of a name, if the password is its.
func (s *Service) Check(ctx context.Context, name, password string) (store.Person, error) {
	done, err := s.place(ctx)
	if err != nil {
		return store.Person{}, err
	}
	defer done()
	p, err := s.store.Person(ctx, name)
	if errors.Is(err, store.ErrNotFound) {
		p.Password = nobody
	} else if err != nil {
		return store.Person{}, err
	}
	if !matches(password, p.Password) || err != nil {
		return store.Person{}, ErrWrong
	}
	return p, nil
}

// ChangePassword gives an account another password, if the old one is its.
func (s *Service) ChangePassword(ctx context.Context, name, old, password string) error {
	if _, err := s.Check(ctx, name, old); err != nil {
		return err
	}
	return s.ResetPassword(ctx, name, password)
}

// ResetPassword gives an account another password. All its sessions and tokens
// end.
func (s *Service) ResetPassword(ctx context.Context, name, password string) error {
	hashed, err := s.hash(ctx, password)
	if err != nil {
		return err
	}
	return s.store.SetPassword(ctx, name, hashed)
}

// ErrLastLead says that a change would leave nobody who may change accounts.
var ErrLastLead = errors.New("this is the last lead; make somebody else a lead first")

// Change gives an account another title, role or desks.
func (s *Service) Change(ctx context.Context, p store.Person) error {
	return s.store.ChangePerson(ctx, p, func(others []store.Person) error { return leadLeft(append(others, p)) })
}

// Close ends an account: its sessions and tokens at once; what it did stays.
// What it had taken goes back to the desks.
func (s *Service) Close(ctx context.Context, name, by string) error {
	return s.store.ClosePerson(ctx, name, by, leadLeft)
}

func leadLeft(all []store.Person) error {
	if !slices.ContainsFunc(all, func(p store.Person) bool { return p.Role == Lead }) {
		return ErrLastLead
	}
	return nil
}

// All lists all accounts by name, closed ones too.
func (s *Service) All(ctx context.Context) ([]store.Person, error) { return s.store.People(ctx) }

// InSession is the account of a session begun under a generation of its
// password, or ErrWrong where it is closed or has another one by now.
func (s *Service) InSession(ctx context.Context, name string, generation int) (store.Person, error) {
	p, err := s.store.Person(ctx, name)
	if errors.Is(err, store.ErrNotFound) || err == nil && p.Generation != generation {
		return p, ErrWrong
	}
	return p, err
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
