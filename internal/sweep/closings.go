package sweep

import (
	"context"
	"errors"
	"fmt"
	"strings"

	"oskel/core/calendar"
	"oskel/internal/books"
	"oskel/internal/store"
)

// Errors of closing and opening.
var (
	ErrUnswept = errors.New("only a period with an up-to-date sweep can be closed")
	ErrWaiting = errors.New("the period cannot be signed off")
	ErrReason  = errors.New("reopening a period needs a reason")
)

// Close closes a period, so that nothing sweeps it until it is opened again. Its last
// sweep must hold: what is closed is what is on record. Where it is signed off, all
// cases of the period are settled or parked.
func (s *Service) Close(ctx context.Context, p calendar.Period, author, note string, signOff bool) error {
	return s.store.InTx(ctx, store.LockSweep, func(tx *store.Tx) error {
		revision, version, err := tx.Newest(ctx)
		if err != nil {
			return err
		}
		published, err := tx.Revision(ctx, revision)
		if errors.Is(err, store.ErrNotFound) {
			return books.ErrNone
		} else if err != nil {
			return err
		}
		book, err := s.books.Of(published)
		if err != nil {
			return err
		}
		at := book.Calendar.Resolve(p)
		last, err := tx.LatestSweep(ctx, at.Key)
		if errors.Is(err, store.ErrNotFound) {
			return fmt.Errorf("%w: %s has not been swept", ErrUnswept, at.Words)
		} else if err != nil {
			return err
		}
		if last.ToDate != nil {
			return fmt.Errorf("%w: %s has been swept to date only, up to %s", ErrUnswept, at.Words, last.ToDate.Words())
		}
		changed, err := tx.Changed(ctx, at.Key.Grain)
		if err != nil {
			return err
		}
		if again := restated(book.Calendar, changed, last); again != "" || last.Revision != revision || last.DataVersion != version {
			intakes, err := tx.IntakesSince(ctx, last.DataVersion)
			if err != nil {
				return err
			}
			month := calendar.Month(book.Calendar.Of(calendar.Monthly, at.Last).Number)
			if why, _ := outOfDate(month, at.Last, last, published, intakes, again, false, false); why != "" {
				return fmt.Errorf("%w. %s", ErrUnswept, why)
			}
		}
		if signOff {
			waiting, err := tx.Waiting(ctx, at.Key)
			if err != nil {
				return err
			}
			if waiting > 0 {
				return fmt.Errorf("%w: %d of its cases are still open", ErrWaiting, waiting)
			}
		}
		return tx.ClosePeriod(ctx, store.Closing{Period: at.Key, Author: author, Note: strings.TrimSpace(note), SignedOff: signOff})
	})
}

// Reopen opens a closed period again, for a reason.
func (s *Service) Reopen(ctx context.Context, k calendar.Key, reason string) error {
	if strings.TrimSpace(reason) == "" {
		return ErrReason
	}
	return s.store.InTx(ctx, store.LockSweep, func(tx *store.Tx) error { return tx.ReopenPeriod(ctx, k) })
}
