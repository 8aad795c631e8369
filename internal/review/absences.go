package review

import (
	"context"
	"errors"
	"fmt"

	"oskel/core/calendar"
	"oskel/core/casework"
	"oskel/internal/people"
	"oskel/internal/store"
)

// ErrAbsence says that an absence cannot be.
var ErrAbsence = errors.New("that is no absence")

// Absences lists who is away, or will be.
func (s *Service) Absences(ctx context.Context, today calendar.Day) ([]store.Absence, error) {
	return s.store.Absences(ctx, today)
}

// Away notes that somebody is away: themselves, or a lead does for them.
func (s *Service) Away(ctx context.Context, a *store.Absence, by store.Person) error {
	if a.Person != by.Name && by.Role != people.Lead {
		return fmt.Errorf("%w: only leads can do this for others", ErrNotYours)
	}
	a.Author = by.Name
	return s.store.InTx(ctx, store.LockPeople, func(tx *store.Tx) error {
		book, err := s.published(ctx, tx)
		if err != nil {
			return err
		}
		for _, name := range []string{a.Person, a.StandIn} {
			if name == "" {
				continue
			}
			if _, err := tx.OpenPerson(ctx, name); errors.Is(err, store.ErrNotFound) {
				return fmt.Errorf("%w: there is no account %q", ErrAbsence, name)
			} else if err != nil {
				return err
			}
		}
		all, err := tx.Absences(ctx, a.First, a.Last)
		if err != nil {
			return err
		}
		var known []casework.Absence
		for _, k := range all {
			known = append(known, casework.Absence{Person: k.Person, First: k.First, Last: k.Last, StandIn: k.StandIn})
		}
		if err := casework.CheckAbsence(casework.Absence{Person: a.Person, First: a.First, Last: a.Last, StandIn: a.StandIn}, known,
			book.Calendar.Today(s.now())); err != nil {
			return fmt.Errorf("%w: %w", ErrAbsence, err)
		}
		return tx.AddAbsence(ctx, a)
	})
}

// DeleteAbsence takes an absence away: one's own, or as a lead anybody's.
func (s *Service) DeleteAbsence(ctx context.Context, id int64, by store.Person) error {
	of := by.Name
	if by.Role == people.Lead {
		of = ""
	}
	return s.store.DeleteAbsence(ctx, id, of)
}
