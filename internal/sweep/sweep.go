// Package sweep evaluates the published rulebook for a period and records the
// exceptions: raised, standing, cleared.
package sweep

import (
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"slices"
	"sync"
	"time"

	"oskel/core/calendar"
	"oskel/core/judge"
	"oskel/core/rulebook"
	"oskel/internal/books"
	"oskel/internal/figures"
	"oskel/internal/store"
)

// Computation numbers how verdicts and sentences are made: it goes up where the same
// rulebook on the same data may say something else than before.
const Computation = 2

// Service is safe for concurrent use; sweeps happen one after the other.
type Service struct {
	store   *store.Store
	books   *books.Service
	figures *figures.Keeper
	now     func() time.Time
	counts  counts
	chains  chains
	told    func(Progress)

	judgedMu sync.Mutex
	judged   map[calendar.Key]judgedOn // the last sweep of each period by this service
}

// New is a service; now is the clock that due days and the end of a period
// are told by.
func New(s *store.Store, b *books.Service, f *figures.Keeper, now func() time.Time) *Service {
	return &Service{store: s, books: b, figures: f, now: now}
}

// Errors of a sweep that cannot be.
var (
	ErrNoLines  = errors.New("no feed has lines in the period")
	ErrNotEnded = errors.New("the period has not ended")
	ErrToDate   = errors.New("the period cannot be swept to date")
	ErrNoRules  = errors.New("no rule is evaluated for such a period")
)

// TallyOf is a tally with the rule it is of.
type TallyOf struct {
	Rule  string `json:"rule"`
	Level string `json:"level,omitempty"` // missing in sweeps of long ago
	Trial bool   `json:"trial,omitempty"` // what it flags is counted alone
	judge.Tally
}

// TalliesOf reads the tallies of a sweep; unreadable ones show as none.
func TalliesOf(s store.Sweep) (all []TallyOf) {
	if len(s.Tallies) > 0 {
		json.Unmarshal(s.Tallies, &all) //nolint:errcheck // written by the sweep
	}
	return all
}

// Difference is what changed against the sweep of the same period before.
type Difference struct {
	Sweep    int64    `json:"sweep"`
	Flagged  int      `json:"flagged"`
	NoLonger int      `json:"no_longer"`
	Regraded int      `json:"regraded"`
	Same     int      `json:"same"`
	Other    int      `json:"other_value,omitempty"` // of those that are the same, how many by another value
	Stands   int      `json:"stands,omitempty"`      // how many rules were not judged again, since nothing they read is another
	Examples []Change `json:"examples"`
}

// Change is one subject whose verdict by one rule changed.
type Change struct {
	Change string `json:"change"` // "flagged", "no longer", "regraded" or "other value"
	Rule   string `json:"rule"`
	Kind   string `json:"kind"`
	Key    string `json:"key"`
	Name   string `json:"name"`
	Before string `json:"before,omitempty"` // grades, or values
	After  string `json:"after,omitempty"`
}

const (
	shownChanges = 100
	shownValues  = 20 // of these, those with another value
)

// Ask is a sweep that is asked for.
type Ask struct {
	Period calendar.Period
	Author string
	Cases  bool          // what is flagged goes to its desk
	ToDate bool          // the period is running, and is judged as it is so far
	To     *calendar.Day // of one so far, its last day; unless stated the last before today that has lines
}

// Sweep evaluates the published revision for a period, by the rules of its
// grain, on the newest data. If neither has changed since its last sweep, that sweep is
// returned and same is true.
func (s *Service) Sweep(ctx context.Context, ask Ask) (out store.Sweep, same bool, err error) {
	began := time.Now()
	for range attempts {
		if out, same, err = s.attempt(ctx, ask, began); !errors.Is(err, errOvertaken) {
			break
		}
	}
	return out, same, err
}

// attempts is how often a sweep begins anew when an intake or a publishing
// comes between its reading and its lock.
const attempts = 20

var errOvertaken = errors.New("the data or the rulebook changed each time the sweep was about to begin; try again in a moment")

// attempt reads revision and data, then takes the lock, and gives up if either
// is another by then: what is judged under the lock is what was newest there.
func (s *Service) attempt(ctx context.Context, ask Ask, began time.Time) (out store.Sweep, same bool, err error) {
	revision, book, err := s.books.Published(ctx)
	if err != nil {
		return out, false, err
	}
	today := book.Calendar.Today(s.now())
	at := book.Calendar.Resolve(ask.Period)
	if !slices.ContainsFunc(book.Rules, func(r rulebook.Rule) bool { return r.Each == at.Key.Grain }) && at.Key.Grain != "month" {
		return out, false, fmt.Errorf("%w: each %s", ErrNoRules, at.Key.Grain)
	}
	if at.Last >= today && !ask.ToDate {
		return out, false, fmt.Errorf("%w: %s ends on %s; it can be swept to date", ErrNotEnded, at.Words, at.Last.Words())
	}
	w := &watch{told: s.told, of: Progress{Period: at.Of, Words: at.Words}}
	defer w.enter("")
	w.enter(Reading)
	engine, err := s.figures.Engine(ctx, book)
	if err != nil {
		return out, false, err
	}
	if !figures.HasLines(engine.Snapshot, at.First, at.Last) {
		return out, false, fmt.Errorf("%w: %s", ErrNoLines, at.Words)
	}
	var toDate *calendar.Day
	if ask.ToDate {
		to, err := toDateTo(engine.Snapshot, at, today, ask.To)
		if err != nil {
			return out, false, err
		}
		toDate = &to
		if engine, err = s.figures.Engine(ctx, book.ToDateTo(to)); err != nil {
			return out, false, err
		}
	}
	basis := basisOf(engine, at.Of)
	err = s.store.InTx(ctx, store.LockSweep, func(tx *store.Tx) error {
		if err := s.steady(ctx, tx); err != nil {
			return err
		}
		if newest, version, err := tx.Newest(ctx); err != nil {
			return err
		} else if newest != revision.Number || version != engine.Snapshot.Version {
			return errOvertaken
		}
		if c, err := tx.Closing(ctx, at.Key); err == nil {
			return fmt.Errorf("%w: %s closed %s on %s", store.ErrClosed, c.Author, at.Words, book.Calendar.Moment(c.At))
		} else if !errors.Is(err, store.ErrNotFound) {
			return err
		}
		prior, err := tx.LatestSweep(ctx, at.Key)
		if err != nil && !errors.Is(err, store.ErrNotFound) {
			return err
		}
		changed, err := tx.Changed(ctx, at.Key.Grain)
		if err != nil {
			return err
		}
		_, restated := chain(changed).broken(at.Key, prior.ID) // a period before it, since it was swept
		out = store.Sweep{Computation: Computation, Period: at.Key, Revision: revision.Number, DataVersion: engine.Snapshot.Version, Author: ask.Author,
			ToDate: toDate}
		if at.HasBefore {
			if last, err := tx.LatestSweep(ctx, at.BeforeKey); err == nil {
				out.ComparedWith = &last.ID
			} else if !errors.Is(err, store.ErrNotFound) {
				return err
			}
		}
		if prior.ID != 0 && !restated && prior.Computation == out.Computation && prior.Revision == out.Revision && prior.DataVersion == out.DataVersion &&
			equal(prior.ComparedWith, out.ComparedWith) && equal(prior.ToDate, out.ToDate) {
			out, same = prior, true
			return nil
		}
		run := &run{told: map[int64]bool{}, ctx: ctx, tx: tx, at: engine.Book.Calendar.Resolve(at.Of), engine: engine, sweep: &out, prior: prior,
			changed: changed, today: today, openCases: ask.Cases, now: s.now(), watch: w}
		if !restated {
			run.unchanged = s.unchanged(book, prior, out, basis)
		}
		if err := run.all(); err != nil {
			return err
		}
		w.enter("")
		if out.Stages, err = json.Marshal(w.stages); err != nil {
			return err
		}
		out.TookMS = int(time.Since(began).Milliseconds())
		return tx.FinishSweep(ctx, &out)
	})
	if err == nil && !same {
		s.remember(out, basis)
	}
	return out, same, err
}

func equal[T comparable](a, b *T) bool {
	return a == nil && b == nil || a != nil && b != nil && *a == *b
}
