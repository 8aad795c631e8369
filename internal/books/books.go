// Package books keeps the rulebook's life: checking, publishing, revisions.
package books

import (
	"context"
	"errors"
	"fmt"
	"strings"
	"sync"
	"time"

	"oskel/core/judge"
	"oskel/core/rulebook"
	"oskel/internal/store"
)

// Service is safe for concurrent use.
type Service struct {
	store *store.Store
	mu    sync.Mutex
	read  map[int]*rulebook.Book
}

// New is a service over a store.
func New(s *store.Store) *Service { return &Service{store: s, read: map[int]*rulebook.Book{}} }

// Published is the published revision with its book, or store.ErrNotFound
// before the first.
func (s *Service) Published(ctx context.Context) (store.Revision, *rulebook.Book, error) {
	r, err := s.store.LatestRevision(ctx)
	if err != nil {
		return r, nil, err
	}
	book, err := s.book(r)
	return r, book, err
}

// At is the book of a revision.
func (s *Service) At(ctx context.Context, number int) (*rulebook.Book, error) {
	s.mu.Lock()
	book := s.read[number]
	s.mu.Unlock()
	if book != nil {
		return book, nil
	}
	r, err := s.store.Revision(ctx, number)
	if err != nil {
		return nil, err
	}
	return s.book(r)
}

// book reads a revision once; it never changes.
func (s *Service) book(r store.Revision) (*rulebook.Book, error) {
	s.mu.Lock()
	defer s.mu.Unlock()
	if b := s.read[r.Number]; b != nil {
		return b, nil
	}
	b, problems := rulebook.Reread([]byte(r.Text))
	if len(problems) > 0 {
		return nil, fmt.Errorf("revision %d can no longer be read: %s", r.Number, problems[0])
	}
	s.read[r.Number] = b
	return b, nil
}

// Check reads a text and says what is wrong with it and how it differs from
// the published revision; it changes nothing.
func (s *Service) Check(ctx context.Context, text string) (Checked, error) {
	book, problems, advice := judge.ReadBook([]byte(text))
	out := Checked{Book: book, Problems: problems, Advice: advice}
	if len(problems) > 0 {
		return out, nil
	}
	_, published, err := s.Published(ctx)
	if errors.Is(err, store.ErrNotFound) {
		published, err = &rulebook.Book{}, nil
	}
	if err != nil {
		return out, err
	}
	out.Differences = rulebook.Difference(published, book)
	return out, nil
}

// Checked is what there is to say of a text.
type Checked struct {
	Book        *rulebook.Book
	Problems    []rulebook.Problem
	Advice      []rulebook.Problem
	Differences []string // against the published revision
}

// Faulty says that a text has problems and cannot be published.
type Faulty struct{ Problems []rulebook.Problem }

func (f *Faulty) Error() string {
	return fmt.Sprintf("the rulebook has %d problems; the first: %s", len(f.Problems), f.Problems[0])
}

// Overtaken says that somebody published in between.
type Overtaken struct {
	Published   store.Revision
	Differences []string // of what was published in between
}

func (o *Overtaken) Error() string {
	return fmt.Sprintf("%s published revision %d in the meantime (%s); it changes: %s", o.Published.Author, o.Published.Number, o.Published.Note, strings.Join(o.Differences, "; "))
}

// ErrSame says that a text changes nothing.
var ErrSame = errors.New("this says the same as the published revision; there is nothing to publish")

// ErrFeed says that a feed cannot become what the text declares.
type ErrFeed struct{ Err error }

func (e *ErrFeed) Error() string { return e.Err.Error() }

// Publish makes a text the new revision, if it is sound and was made from the
// published one. The tables of new feeds come with it or not at all.
func (s *Service) Publish(ctx context.Context, author, text, note string, basedOn int) (store.Revision, error) {
	book, problems, _ := judge.ReadBook([]byte(text))
	if len(problems) > 0 {
		return store.Revision{}, &Faulty{problems}
	}
	var out store.Revision
	err := s.store.Do(ctx, store.LockPublish, func(tx *store.Tx) error {
		latest, err := tx.LatestRevision(ctx)
		before := &rulebook.Book{}
		switch {
		case errors.Is(err, store.ErrNotFound):
		case err != nil:
			return err
		default:
			if before, err = s.book(latest); err != nil {
				return err
			}
		}
		if latest.Number != basedOn {
			base := &rulebook.Book{}
			if basedOn > 0 && basedOn < latest.Number {
				if base, err = s.At(ctx, basedOn); err != nil {
					return err
				}
			}
			return &Overtaken{latest, rulebook.Difference(base, before)}
		}
		if latest.Text == text {
			return ErrSame
		}
		for i := range book.Feeds {
			if err := tx.MakeFeed(ctx, &book.Feeds[i]); err != nil {
				return &ErrFeed{err}
			}
		}
		out = store.Revision{Number: latest.Number + 1, BasedOn: basedOn, Text: text, Author: author, Note: note, Differences: rulebook.Difference(before, book), At: time.Now().UTC()}
		if out.Differences == nil {
			out.Differences = []string{}
		}
		return tx.AddRevision(ctx, out)
	})
	return out, err
}
