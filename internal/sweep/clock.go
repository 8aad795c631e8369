package sweep

import (
	"context"
	"errors"
	"fmt"
	"time"

	"oskel/core/schedule"
	"oskel/internal/store"
)

// ErrClock is that the clock has leapt: what is due by it waits for a lead's word.
var ErrClock = errors.New("the clock has leapt")

// Clock is what the clock says, what it said when it was last looked at, zero being never,
// and whether it has leapt in between.
type Clock struct {
	Now, Seen time.Time
	Leapt     bool
}

// Clock looks at the clock.
func (s *Service) Clock(ctx context.Context) (c Clock, err error) {
	c.Now = s.now()
	c.Seen, err = s.store.ClockSeen(ctx)
	c.Leapt = schedule.Leapt(c.Seen, c.Now)
	return c, err
}

// Goes looks at the clock and notes what it says; one that has leapt is ErrClock.
func (s *Service) Goes(ctx context.Context) error {
	c, err := s.Clock(ctx)
	switch {
	case err != nil:
		return err
	case c.Leapt:
		return leapt(c.Seen, c.Now)
	case c.Now.Sub(c.Seen) < time.Minute: // often enough
		return nil
	}
	return s.store.SeeClock(ctx, c.Now)
}

// Right notes that the clock is right, as a lead says.
func (s *Service) Right(ctx context.Context) error { return s.store.SetClock(ctx, s.now()) }

// steady is ErrClock where the clock has leapt, as a transaction sees it.
func (s *Service) steady(ctx context.Context, tx *store.Tx) error {
	seen, err := tx.ClockSeen(ctx)
	if now := s.now(); err == nil && schedule.Leapt(seen, now) {
		return leapt(seen, now)
	}
	return err
}

func leapt(seen, now time.Time) error {
	const form = "2 Jan 2006 15:04"
	return fmt.Errorf("%w: it says %s, and was last seen at %s. Sweeps and reminders are on hold until it is corrected or a lead confirms it (oskel "+
		"service clock -right)", ErrClock, now.UTC().Format(form), seen.UTC().Format(form))
}
