// Package books keeps the rulebook's life: checking, publishing, revisions.
package books

import (
	"context"
	"errors"
	"fmt"
	"regexp"
	"slices"
	"strconv"
	"strings"
	"sync"
	"time"

	"oskel/core/judge"
	"oskel/core/method"
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

// ErrNone says that no rulebook is published yet.
var ErrNone = fmt.Errorf("no rulebook is published yet; publish one first (%w)", store.ErrNotFound)

// Published is the published revision with its book, or ErrNone before the
// first.
func (s *Service) Published(ctx context.Context) (store.Revision, *rulebook.Book, error) {
	r, err := s.store.LatestRevision(ctx)
	if errors.Is(err, store.ErrNotFound) {
		err = ErrNone
	}
	if err != nil {
		return r, nil, err
	}
	book, err := s.Of(r)
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
	return s.Of(r)
}

// Known is the book of a revision that was read already, or nil.
func (s *Service) Known(number int) *rulebook.Book {
	s.mu.Lock()
	defer s.mu.Unlock()
	return s.read[number]
}

// Of is the book of a revision, which is read once; it never changes.
func (s *Service) Of(r store.Revision) (*rulebook.Book, error) {
	s.mu.Lock()
	defer s.mu.Unlock()
	if b := s.read[r.Number]; b != nil {
		return b, nil
	}
	b, problems := rulebook.Reread([]byte(r.Text), method.All())
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
	people, err := s.store.People(ctx)
	if err != nil {
		return out, err
	}
	accounts := map[string][]string{}
	for _, p := range people {
		if !p.Closed {
			accounts[p.Name] = p.Desks
		}
	}
	out.Advice = append(out.Advice, book.AdvisePeople(accounts)...)
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
	if len(f.Problems) == 1 {
		return fmt.Sprintf("the rulebook has a problem: %s", f.Problems[0])
	}
	return fmt.Sprintf("the rulebook has %d problems; the first: %s", len(f.Problems), f.Problems[0])
}

// Overtaken says that somebody published since a text was made, which
// publishing it would undo.
type Overtaken struct {
	Published   store.Revision
	From        int      // the revision the text was made from
	Differences []string // of what was published since
	Foreign     bool     // it has no rule of the published one, and would drop them all
}

func (o *Overtaken) Error() string {
	if o.Foreign {
		return fmt.Sprintf("this has none of the rules of revision %d, which %s published (%s); publishing it would do this: %s", o.Published.Number,
			o.Published.Author, o.Published.Note, strings.Join(o.Differences, "; "))
	}
	return fmt.Sprintf("this was made from revision %d, and %s has published revision %d since (%s); publishing it would undo: %s", o.From,
		o.Published.Author, o.Published.Number, o.Published.Note, strings.Join(o.Differences, "; "))
}

// ErrSame says that a text changes nothing.
var ErrSame = errors.New("no differences from the published revision; there is nothing to publish")

// Latest is the published revision, or store.ErrNotFound before the first.
func (s *Service) Latest(ctx context.Context) (store.Revision, error) {
	return s.store.LatestRevision(ctx)
}

// Revision finds a revision by number.
func (s *Service) Revision(ctx context.Context, number int) (store.Revision, error) {
	return s.store.Revision(ctx, number)
}

// Revisions lists all revisions, the newest first.
func (s *Service) Revisions(ctx context.Context) ([]store.Revision, error) {
	return s.store.Revisions(ctx)
}

// Publication asks to make a text the new revision.
type Publication struct {
	Author, Text, Note string
	BasedOn            int  // the revision it was made from, 0 the first; Unknown is to be found out
	Over               bool // publish over what came since
}

// Unknown is the base of a text of which nobody said what it was made from.
const Unknown = -1

// Publish makes a text the new revision, if it is sound and was made from the
// published one. The tables of new feeds come with it or not at all.
func (s *Service) Publish(ctx context.Context, p Publication) (store.Revision, error) {
	book, problems, _ := judge.ReadBook([]byte(p.Text))
	if len(problems) > 0 {
		return store.Revision{}, &Faulty{problems}
	}
	var out store.Revision
	err := s.store.InTx(ctx, store.LockPublish, func(tx *store.Tx) error {
		latest, err := tx.LatestRevision(ctx)
		before := &rulebook.Book{}
		switch {
		case errors.Is(err, store.ErrNotFound):
		case err != nil:
			return err
		default:
			if before, err = s.Of(latest); err != nil {
				return err
			}
		}
		if p.BasedOn == Unknown {
			if before != nil && sharesNoRule(before, book) && !p.Over {
				return &Overtaken{Published: latest, Differences: rulebook.Difference(before, book), Foreign: true}
			}
			if p.BasedOn, err = s.origin(ctx, tx, p.Text, book, latest); err != nil {
				return err
			}
		}
		if latest.Number != p.BasedOn && !p.Over {
			return s.overtaken(ctx, tx, p.BasedOn, latest, before)
		}
		p.Text = fromLine.ReplaceAllString(p.Text, "") // it is from this one from now on
		if latest.Text == p.Text {
			return ErrSame
		}
		if !rulebook.SameShape(before, book) {
			// No intake may be on its way into a table that changes.
			if err := tx.Lock(ctx, store.LockIntake); err != nil {
				return err
			}
		}
		for i := range book.Feeds {
			if err := tx.MakeFeed(ctx, &book.Feeds[i]); err != nil {
				return err
			}
		}
		out = store.Revision{Number: latest.Number + 1, BasedOn: latest.Number, Text: p.Text, Author: p.Author, Note: p.Note,
			Differences: rulebook.Difference(before, book), At: time.Now().UTC()}
		if out.Differences == nil {
			out.Differences = []string{}
		}
		return tx.AddRevision(ctx, out)
	})
	return out, err
}

// overtaken says what was published since the revision a text was made from.
func (s *Service) overtaken(ctx context.Context, tx *store.Tx, basedOn int, latest store.Revision, now *rulebook.Book) error {
	base := &rulebook.Book{}
	if basedOn > 0 && basedOn < latest.Number {
		r, err := tx.Revision(ctx, basedOn)
		if err != nil {
			return err
		}
		if base, err = s.Of(r); err != nil {
			return err
		}
	}
	return &Overtaken{Published: latest, From: basedOn, Differences: rulebook.Difference(base, now)}
}

// sharesNoRule says whether a rulebook is of another origin than one that has rules, or
// drops them all.
func sharesNoRule(before, book *rulebook.Book) bool {
	return len(before.Rules) > 0 && !slices.ContainsFunc(before.Rules, func(r rulebook.Rule) bool { return book.Rule(r.Name) != nil })
}

// fromLine is how a text that was taken from a revision begins.
var fromLine = regexp.MustCompile(`(?m)\A# From revision (\d+)\b.*\n`)

// nearest is how many revisions back a text is compared with.
const nearest = 20

// origin is the revision that a text says it was taken from, or the one of the
// last that it differs from least: of equal ones the newest.
func (s *Service) origin(ctx context.Context, tx *store.Tx, text string, book *rulebook.Book, latest store.Revision) (int, error) {
	if m := fromLine.FindStringSubmatch(text); m != nil {
		n, err := strconv.Atoi(m[1])
		if err == nil && n >= 1 && n <= latest.Number {
			return n, nil
		}
	}
	best, least := latest.Number, -1
	for n := latest.Number; n > max(0, latest.Number-nearest); n-- {
		r, err := tx.Revision(ctx, n)
		if err != nil {
			return 0, err
		}
		b, err := s.Of(r)
		if err != nil {
			return 0, err
		}
		if d := len(rulebook.Difference(b, book)); least < 0 || d < least {
			best, least = n, d
		}
	}
	return best, nil
}
