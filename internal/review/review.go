// Package review is the work on desks: cases taken, talked over and settled.
package review

import (
	"context"
	"errors"
	"sync"
	"time"

	"oskel/core/calendar"
	"oskel/core/casework"
	"oskel/core/rulebook"
	"oskel/internal/books"
	"oskel/internal/people"
	"oskel/internal/store"
)

// Service is safe for concurrent use.
type Service struct {
	store  *store.Store
	books  *books.Service
	now    func() time.Time
	counts counted

	mu   sync.Mutex
	woke time.Time // when parked cases were last looked through

	year yearFindings
}

// New is a service over a store; now is the clock that days are told by.
func New(s *store.Store, b *books.Service, now func() time.Time) *Service {
	return &Service{store: s, books: b, now: now}
}

// Errors of what cannot be done to a case.
var (
	ErrNotYours = casework.ErrNotYours
	ErrState    = casework.ErrState
	ErrChanged  = errors.New("the case has changed since it was read")
)

// MayAct says whether a person works the cases of a desk: its members and the
// leads.
func MayAct(p store.Person, desk string) bool { return personOf(p).Works(desk) }

// SettleCleared settles all cases in which nothing is flagged any more, of one
// desk or, with "", of all on which the person works; those that another has
// taken are left to that one. It says how many.
func (s *Service) SettleCleared(ctx context.Context, by store.Person, desk string, at time.Time) (settled []int64, more bool, err error) {
	desks := by.Desks
	switch {
	case desk != "" && !MayAct(by, desk):
		return nil, false, ErrNotYours
	case desk != "":
		desks = []string{desk}
	case by.Role == people.Lead:
		desks = nil
	case by.Role != people.Reviewer:
		return nil, false, ErrNotYours
	}
	err = s.store.InTx(ctx, 0, func(tx *store.Tx) error {
		all, err := tx.ClearedCases(ctx, desks)
		if err != nil {
			return err
		}
		scene, person := casework.Context{Book: &rulebook.Book{}, Now: at}, personOf(by)
		var changed []*store.Case
		var events []store.NewCaseEvent
		for i := range all {
			c := &all[i]
			if more = len(changed) == MostAtOnce; more {
				break
			}
			was := c.Standing
			e, err := scene.Apply(&c.Case, person, casework.Action{Kind: "settle", Finding: casework.Cleared})
			if errors.Is(err, ErrState) {
				continue // it is left to the person who has taken it, or may review it
			}
			if err == nil {
				err = keepUndo(c, was, by.Name, e.What, at)
			}
			if err != nil {
				return err
			}
			changed = append(changed, c)
			events = append(events, store.NewCaseEvent{Case: c, Author: by.Name, What: e.What, Text: e.Text})
		}
		for _, c := range changed {
			settled = append(settled, c.ID)
		}
		if err := tx.UpdateCases(ctx, changed); err != nil {
			return err
		}
		return tx.AddCaseEvents(ctx, events)
	})
	return settled, more, err
}

// Detail finds a case, as somebody sees it.
func (s *Service) Detail(ctx context.Context, id int64, who string) (store.CaseDetail, error) {
	return s.store.CaseDetail(ctx, id, who)
}

// MaySay says whether somebody may say something to a case.
func MaySay(c store.Case, named bool, by store.Person) bool {
	p := personOf(by)
	p.Named = named
	return casework.MaySay(&c.Case, p)
}

// Findings counts what came of the cases that were settled.
func (s *Service) Findings(ctx context.Context, by string, of store.FindingFilter) ([]store.FindingRow, error) {
	return s.store.Findings(ctx, by, of)
}

// Work counts what waits.
func (s *Service) Work(ctx context.Context, by string, today calendar.Day, otherStakes string) ([]store.WorkRow, error) {
	return s.store.Work(ctx, by, today, s.now(), otherStakes)
}

// Foremosts lists the flags that some cases are shown by.
func (s *Service) Foremosts(ctx context.Context, cases []int64) ([]store.Foremost, error) {
	return s.store.Foremosts(ctx, cases)
}

// Some lists some cases, by number.
func (s *Service) Some(ctx context.Context, ids []int64) ([]store.Case, error) {
	return s.store.SomeCases(ctx, ids)
}

// published is the published rulebook as a transaction sees it; an empty one before
// there is any.
func (s *Service) published(ctx context.Context, tx *store.Tx) (*rulebook.Book, error) {
	number, _, err := tx.Newest(ctx)
	if err != nil || number == 0 {
		return &rulebook.Book{}, err
	}
	if b := s.books.Known(number); b != nil {
		return b, nil
	}
	revision, err := tx.Revision(ctx, number)
	if err != nil {
		return nil, err
	}
	return s.books.Of(revision)
}
