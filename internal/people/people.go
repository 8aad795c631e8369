// Package people keeps accounts: passwords, tokens, roles.
package people

import (
	"context"
	"crypto/rand"
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
	store    *store.Store
	hashing  chan struct{} // a place for each password that is hashed at a time
	attempts *attempts
	now      func() time.Time
}

// New is a service over a store.
func New(s *store.Store, now func() time.Time) *Service {
	return &Service{s, make(chan struct{}, 2*runtime.GOMAXPROCS(0)), newAttempts(time.Now, sleep), now}
}

// WithoutDelay has wrong passwords slow nobody down, for tests that try many.
func (s *Service) WithoutDelay() {
	s.attempts.sleep = func(context.Context, time.Duration) error { return nil }
}

// ErrBusy says that so many sign in at once that this one had to wait too long.
var ErrBusy = errors.New("too many sign-ins at the moment; try again in a few seconds")

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

// ErrWrong says that wrong user name or password, without saying
// which of them is wrong.
var ErrWrong = errors.New("wrong user name or password")

// Add adds an account with a password.
func (s *Service) Add(ctx context.Context, p store.Person, password string) (err error) {
	if err := fit(p.Name, password); err != nil {
		return err
	}
	if p.Password, err = s.hash(ctx, password); err != nil {
		return err
	}
	return s.store.AddPerson(ctx, p, nil, nil)
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

// Check is the account of a name, if the password is its. After failures from the
// same place it takes its time.
func (s *Service) Check(ctx context.Context, name, password string, from Origin) (store.Person, error) {
	var p store.Person
	err := s.attempts.make(ctx, name, from, func() (err error) {
		p, err = s.check(ctx, name, password)
		return err
	})
	return p, err
}

func (s *Service) check(ctx context.Context, name, password string) (store.Person, error) {
	done, err := s.place(ctx)
	if err != nil {
		return store.Person{}, err
	}
	defer done()
	p, err := s.store.Person(ctx, name)
	if errors.Is(err, store.ErrNotFound) || err == nil && p.Password == "" {
		p.Password, err = nobody, ErrWrong
	} else if err != nil {
		return store.Person{}, err
	}
	if !matches(password, p.Password) || err != nil {
		word, err := s.store.OneTimePassword(ctx, name, s.now())
		if err != nil {
			return store.Person{}, err
		}
		known := word != ""
		if !known { // it takes as long as with one that is pending
			word = nobody
		}
		if matches(tidyWord(password), word) && known {
			return store.Person{}, ErrWord
		}
		return store.Person{}, ErrWrong
	}
	return p, nil
}

// ChangePassword gives an account another password, if the old one is its. All its
// sessions and tokens end.
func (s *Service) ChangePassword(ctx context.Context, name, old, password string, from Origin) error {
	if _, err := s.Check(ctx, name, old, from); err != nil {
		return err
	}
	if err := fit(name, password); err != nil {
		return err
	}
	hashed, err := s.hash(ctx, password)
	if err != nil {
		return err
	}
	return s.store.SetPassword(ctx, name, hashed)
}

// ErrLastLead says that a change would leave nobody who may change accounts.
var ErrLastLead = errors.New("this is the last lead; make another person a lead first")

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

// Known says whether a name is that of an account, open or closed. Where it cannot be
// found out it is not.
func (s *Service) Known(ctx context.Context, name string) bool {
	all, err := s.store.People(ctx)
	return err == nil && slices.ContainsFunc(all, func(p store.Person) bool { return p.Name == name })
}

// InSession is the account of a session begun under a generation of its
// password, or ErrWrong where it is closed or has another one by now.
func (s *Service) InSession(ctx context.Context, name string, generation int) (store.Person, error) {
	p, err := s.store.Person(ctx, name)
	if errors.Is(err, store.ErrNotFound) || err == nil && p.Generation != generation {
		return p, ErrWrong
	}
	return p, err
}

// cost is what a password's hash takes: passes over KiB of memory, on one thread.
type cost struct{ passes, memory uint32 }

// hashing is the cost of new hashes (RFC 9106): two passes over 19 MiB. A hash says its
// own, so that those of before are read whatever stands here.
var hashing = cost{2, 19 << 10}

// HashCheaply is for tests, which sign in some hundreds of people in a minute: from now on
// passwords are hashed so that they could be guessed.
func HashCheaply() {
	hashing = cost{1, 64}
	nobody = hash("")
}

func hash(password string) string {
	salt := make([]byte, 16)
	rand.Read(salt) //nolint:errcheck // never fails
	key := argon2.IDKey([]byte(password), salt, hashing.passes, hashing.memory, 1, 32)
	b64 := base64.RawStdEncoding.EncodeToString
	return fmt.Sprintf("$argon2id$v=19$m=%d,t=%d,p=1$%s$%s", hashing.memory, hashing.passes, b64(salt), b64(key))
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
