package people

import (
	"context"
	"crypto/rand"
	"crypto/sha256"
	"errors"
	"time"

	"oskel/internal/store"
)

// The scopes of a token: to read; to read and work on cases; everything its person may.
const (
	Read       = "read"
	Review     = "review"
	Everything = "everything"
)

// Token makes a token for an account. Only its hash is kept.
func (s *Service) Token(ctx context.Context, person, title, scope string, days int) (string, error) {
	token, now := "oskel_"+rand.Text(), s.now()
	return token, s.store.AddToken(ctx, store.Token{Hash: secretHash(token), Person: person, Title: title, Scope: scope, Made: now,
		Ends: now.Add(time.Duration(days) * 24 * time.Hour)})
}

// ByToken is the account of a token and what is known of that, or ErrWrong.
func (s *Service) ByToken(ctx context.Context, token string) (store.Person, store.Token, error) {
	p, k, err := s.store.PersonByToken(ctx, secretHash(token), s.now())
	if errors.Is(err, store.ErrNotFound) {
		err = ErrWrong
	}
	return p, k, err
}

// Tokens lists the tokens of a person, or of all where that is nil.
func (s *Service) Tokens(ctx context.Context, person *string) ([]store.Token, error) {
	return s.store.Tokens(ctx, person, s.now())
}

// Revoke makes a token void, if it is the person's or that is nil.
func (s *Service) Revoke(ctx context.Context, id int64, person *string) error {
	return s.store.EndToken(ctx, id, person)
}

// NewBrowser remembers a browser from which somebody has signed in, by a secret that
// it keeps.
func (s *Service) NewBrowser(ctx context.Context, person string) (secret string, err error) {
	secret = rand.Text()
	return secret, s.store.AddBrowser(ctx, secretHash(secret), person)
}

// KnowsBrowser says whether a person has signed in from a browser.
func (s *Service) KnowsBrowser(ctx context.Context, secret, person string) (bool, error) {
	return s.store.KnowsBrowser(ctx, secretHash(secret), person)
}

// secretHash needs no salt or cost: a token is 128 bits of chance.
func secretHash(secret string) []byte {
	sum := sha256.Sum256([]byte(secret))
	return sum[:]
}
