package books

import (
	"context"
	"crypto/sha256"
	"errors"
	"fmt"
	"strings"
	"sync"

	"oskel/core/amount"
	"oskel/core/calendar"
	"oskel/core/judge"
	"oskel/core/lang"
	"oskel/core/ledger"
	"oskel/core/measure"
	"oskel/core/method"
	"oskel/core/rulebook"
	"oskel/internal/figures"
	"oskel/internal/store"
)

// Rehearser judges drafts on real data and changes nothing. It is safe for
// concurrent use; one rehearsal happens after the other.
type Rehearser struct {
	books   *Service
	figures *figures.Keeper
	store   *store.Store

	mu   sync.Mutex
	last map[[32]byte]*rulebook.Book // drafts read lately, by their text
	was  map[publishedKey]*publishedResult
}

// publishedKey names what a published rule finds: nothing of it changes.
type publishedKey struct {
	snapshot *ledger.Snapshot
	rule     *rulebook.Rule // of the published book
	level    rulebook.Level
	period   calendar.Period
}

// publishedResult is what a published rule finds, to hold drafts against.
type publishedResult struct {
	result *judge.Result
	tally  judge.Tally
	desks  map[string]int
}

// keptResults is how many of these are remembered.
const keptResults = 16

// published judges a published rule, or remembers what it found.
func (r *Rehearser) published(e *measure.Engine, rule *rulebook.Rule, level rulebook.Level, p calendar.Period) *publishedResult {
	key := publishedKey{e.Snapshot, rule, level, p}
	r.mu.Lock()
	defer r.mu.Unlock()
	if known := r.was[key]; known != nil {
		return known
	}
	found := &publishedResult{result: judge.Judge(e, rule, level, p), desks: map[string]int{}}
	found.tally = found.result.Tally()
	desks(e, found.result, found.desks)
	if len(r.was) >= keptResults {
		clear(r.was)
	}
	if !e.Stopped() {
		r.was[key] = found
	}
	return found
}

// NewRehearser is a rehearser of drafts against the published book.
func NewRehearser(s *store.Store, b *Service, f *figures.Keeper) *Rehearser {
	return &Rehearser{books: b, figures: f, store: s, last: map[[32]byte]*rulebook.Book{}, was: map[publishedKey]*publishedResult{}}
}

// Variant says what is rehearsed: a text, or without one the published book, with
// dials turned and cuts moved.
type Variant struct {
	Text    *string
	Dials   map[string]string // by name, as written: "24%"
	CutRule string            // whose cuts are moved
	Cuts    []Cut
}

// Cut moves one stated end of a band, counted from 0.
type Cut struct {
	Band  int
	High  bool
	Value string
}

// ErrRehearsal says why something cannot be rehearsed.
type ErrRehearsal struct{ Text string }

func (e *ErrRehearsal) Error() string { return e.Text }

func cannot(format string, args ...any) error { return &ErrRehearsal{fmt.Sprintf(format, args...)} }

// keptDrafts is how many texts are remembered.
const keptDrafts = 8

func (r *Rehearser) read(text string) (*rulebook.Book, error) {
	key := sha256.Sum256([]byte(text))
	r.mu.Lock()
	defer r.mu.Unlock()
	if b := r.last[key]; b != nil {
		return b, nil
	}
	b, problems := rulebook.Read([]byte(text), method.All())
	if len(problems) > 0 {
		return nil, &Faulty{problems}
	}
	if len(r.last) >= keptDrafts {
		clear(r.last)
	}
	r.last[key] = b
	return b, nil
}

// Turned is a book with other values of some dials, by name, as they are written. What is wrong
// with them is an ErrRehearsal.
func Turned(book *rulebook.Book, dials map[string]string) (*rulebook.Book, error) {
	for name, value := range dials {
		dial := book.Dial(name)
		if dial == nil {
			return nil, cannot("there is no dial %q%s", name, lang.Suggestion(name, dialNames(book)))
		}
		v, err := dialValue(dial, value)
		if err != nil {
			return nil, err
		}
		book = book.WithDial(name, v)
	}
	return book, nil
}

// draft is the published book, and the draft as it is turned.
func (r *Rehearser) draft(ctx context.Context, d Variant) (published, draft *rulebook.Book, err error) {
	_, published, err = r.books.Published(ctx)
	if err != nil {
		return nil, nil, err
	}
	draft = published
	if d.Text != nil {
		if draft, err = r.read(*d.Text); err != nil {
			return nil, nil, err
		}
	}
	if draft, err = Turned(draft, d.Dials); err != nil {
		return nil, nil, err
	}
	var moves []rulebook.CutMove
	for _, c := range d.Cuts {
		v, err := lang.ParseNumber(c.Value)
		if err != nil {
			return nil, nil, cannot("the cut: %s", err)
		}
		moves = append(moves, rulebook.CutMove{Band: c.Band, High: c.High, At: v})
	}
	if len(moves) > 0 {
		if draft, err = draft.WithCuts(d.CutRule, moves...); err != nil {
			return nil, nil, &ErrRehearsal{err.Error()}
		}
	}
	return published, draft, nil
}

func dialNames(b *rulebook.Book) (out []string) {
	for _, d := range b.Dials {
		out = append(out, d.Name)
	}
	return out
}

// dialValue reads a value as the dial is written, within its range.
func dialValue(d *rulebook.Dial, s string) (amount.Amount, error) {
	v, err := lang.ParseNumber(s)
	switch {
	case err != nil:
		return 0, cannot("the dial %s: %s", d.Name, err)
	case strings.HasSuffix(s, "%") != d.Percent && v != 0:
		return 0, cannot("the dial %s is written %s: did you mean %s?", d.Name, map[bool]string{true: "in percent", false: "without percent"}[d.Percent],
			map[bool]string{true: s + "%", false: strings.TrimSuffix(s, "%")}[d.Percent])
	case d.From != nil && v < *d.From || d.To != nil && v > *d.To:
		return 0, cannot("the dial %s cannot be %s: it is out of its range", d.Name, s)
	}
	return v, nil
}

// IsRehearsal says whether an error is the asker's to mend.
func IsRehearsal(err error) bool {
	var e *ErrRehearsal
	return errors.As(err, &e)
}
