package people

import (
	"context"
	"crypto/rand"
	"errors"
	"fmt"
	"strings"
	"sync"
	"time"
	"unicode"
	"unicode/utf8"

	"github.com/trustelem/zxcvbn/frequency"

	"oskel/internal/store"
)

// ErrPassword says that a password is no good one, without repeating it.
type ErrPassword struct{ why string }

func (e *ErrPassword) Error() string { return e.why }

// LeastPassword is how many characters a password has at least.
const LeastPassword = 12

// Of the common passwords so many, the most common first.
const mostCommon = 10_000

var common = sync.OnceValue(func() map[string]bool {
	list := frequency.FrequencyLists["passwords"]
	out := map[string]bool{}
	for _, p := range list[:min(len(list), mostCommon)] {
		out[p] = true
	}
	return out
})

// fit says whether a password will do for an account: long enough, and neither the
// account's name nor a common password, also not with figures and marks around it.
func fit(name, password string) error {
	if n := utf8.RuneCountInString(password); n < LeastPassword {
		return &ErrPassword{fmt.Sprintf("a password needs %d characters; this one has %d", LeastPassword, n)}
	}
	lower := strings.ToLower(password)
	core := strings.TrimFunc(lower, func(r rune) bool { return !unicode.IsLetter(r) })
	bare := strings.TrimFunc(strings.ReplaceAll(lower, strings.ToLower(name), ""), func(r rune) bool { return !unicode.IsLetter(r) })
	switch {
	case utf8.RuneCountInString(bare) < 4 && bare != core:
		return &ErrPassword{"a password must not be the account's name"}
	case core == "":
		return &ErrPassword{"a password needs letters too"}
	case common()[lower] || common()[core] || repeats(lower):
		return &ErrPassword{"this password is too common; use several unrelated words"}
	}
	return nil
}

// repeats says whether a password is a short or a common one again and again.
func repeats(password string) bool {
	for n := 1; n <= len(password)/2; n++ {
		if part := password[:n]; len(password)%n == 0 && strings.Repeat(part, len(password)/n) == password && (n < 6 || common()[part]) {
			return true
		}
	}
	return false
}

// ErrWord says that what was given as the password is a one-time password.
var ErrWord = errors.New("this is a one-time password; choose your own password with it")

// wordHolds is for how long a one-time password does.
const wordHolds = 3 * 24 * time.Hour

// newWord is sixteen letters and digits in fours, which read well on the telephone.
func newWord() string {
	text := strings.ToLower(rand.Text())
	return text[:4] + "-" + text[4:8] + "-" + text[8:12] + "-" + text[12:16]
}

// tidyWord reads a word as it may be typed.
func tidyWord(typed string) string { return strings.ToLower(strings.TrimSpace(typed)) }

// AddWithWord adds an account that begins with a one-time password, which is told once.
func (s *Service) AddWithWord(ctx context.Context, p store.Person) (word string, ends time.Time, err error) {
	word, hashed, ends, err := s.word(ctx)
	if err != nil {
		return "", ends, err
	}
	return word, ends, s.store.AddPerson(ctx, p, &hashed, &ends)
}

// ResetPassword gives an account a one-time password in place of its password. All its
// sessions and tokens end.
func (s *Service) ResetPassword(ctx context.Context, name string) (word string, ends time.Time, err error) {
	word, hashed, ends, err := s.word(ctx)
	if err != nil {
		return "", ends, err
	}
	return word, ends, s.store.SetWord(ctx, name, hashed, ends)
}

func (s *Service) word(ctx context.Context) (word, hashed string, ends time.Time, err error) {
	word = newWord()
	hashed, err = s.hash(ctx, word)
	return word, hashed, s.now().Add(wordHolds), err
}

// UseOneTimePassword puts a password in the place of a one-time password, and is the account.
func (s *Service) UseOneTimePassword(ctx context.Context, name, word, password string, from Origin) (store.Person, error) {
	var p store.Person
	err := s.attempts.make(ctx, name, from, func() error {
		done, err := s.place(ctx)
		if err != nil {
			return err
		}
		kept, err := s.store.OneTimePassword(ctx, name, s.now())
		right := err == nil && matches(tidyWord(word), or(kept, nobody)) && kept != ""
		done()
		switch {
		case err != nil:
			return err
		case !right:
			return ErrWrong
		}
		if err := fit(name, password); err != nil {
			return err
		}
		hashed, err := s.hash(ctx, password)
		if err != nil {
			return err
		}
		if err := s.store.UseOneTimePassword(ctx, name, kept, hashed); errors.Is(err, store.ErrNotFound) {
			return ErrWrong
		} else if err != nil {
			return err
		}
		p, err = s.store.Person(ctx, name)
		return err
	})
	return p, err
}

func or(text, otherwise string) string {
	if text == "" {
		return otherwise
	}
	return text
}
