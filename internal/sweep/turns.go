package sweep

import (
	"context"
	"errors"
	"slices"
	"time"

	"oskel/core/calendar"
	"oskel/core/ledger"
	"oskel/core/rulebook"
	"oskel/core/schedule"
	"oskel/internal/figures"
	"oskel/internal/store"
)

// Turn is what becomes of a period that the rulebook has a plan for.
type Turn struct {
	schedule.Turn
	Standing Period
}

// Turns say what becomes of the last periods of each plan, by the clock as it is now;
// none before there is a rulebook.
func (s *Service) Turns(ctx context.Context) (*rulebook.Book, []Turn, error) {
	revision, book, err := s.books.Published(ctx)
	if errors.Is(err, store.ErrNotFound) {
		return nil, nil, nil
	} else if err != nil || len(book.Sweeps) == 0 {
		return book, nil, err
	}
	snapshot, err := s.figures.Snapshot(ctx, book)
	if err != nil {
		return nil, nil, err
	}
	now := s.now()
	stands := map[calendar.Period]Period{}
	var since calendar.Day // the first day on which a feed's lines may have come
	for i := range book.Sweeps {
		periods := schedule.Periods(book.Calendar, &book.Sweeps[i], now)
		stand, err := s.stand(ctx, revision, book.Calendar, snapshot, periods)
		if err != nil {
			return nil, nil, err
		}
		for _, p := range stand {
			stands[p.Of] = p
			if _, last := book.Calendar.Span(p.Of); since == 0 || last < since {
				since = last
			}
		}
	}
	came, err := s.came(ctx, book, snapshot, since)
	if err != nil {
		return nil, nil, err
	}
	var out []Turn
	turns := schedule.Turns(book, now, func(p calendar.Period) schedule.Standing {
		is := stands[p]
		first, last := book.Calendar.Span(p)
		return standing(snapshot, first, last, book.Calendar.Today(now), is)
	}, came)
	for _, t := range turns {
		out = append(out, Turn{t, stands[t.Period]})
	}
	return book, out, nil
}

// standing is how a period stands to the plan: what was swept so far alone is not swept.
func standing(snapshot *ledger.Snapshot, first, last, today calendar.Day, is Period) schedule.Standing {
	out := schedule.Standing{Lines: figures.HasLines(snapshot, first, last), Swept: is.Sweep != nil, Outdated: is.Since, Closed: is.Closed != nil,
		ToDate: schedule.Never, Newest: newestDay(snapshot, first, min(today, last)-1)}
	if is.Sweep != nil && is.Sweep.ToDate != nil {
		out.Swept, out.Outdated, out.ToDate = false, time.Time{}, *is.Sweep.ToDate
	}
	return out
}

// came says whether a feed's lines of a period have come: it has lines of the period's
// last working day or of later ones, or an intake that touches the period arrived
// after its end.
func (s *Service) came(ctx context.Context, book *rulebook.Book, snapshot *ledger.Snapshot, since calendar.Day) (schedule.Came, error) {
	zone, err := calendar.Zone(book.Calendar.Zone)
	if err != nil {
		return nil, err
	}
	end := func(last calendar.Day) time.Time {
		d := (last + 1).Time()
		return time.Date(d.Year(), d.Month(), d.Day(), 0, 0, 0, 0, zone)
	}
	intakes, err := s.store.IntakesAfter(ctx, end(since))
	if err != nil {
		return nil, err
	}
	return func(feed string, p calendar.Period) bool {
		first, last := book.Calendar.Span(p)
		worked := last
		for worked > first && !book.Calendar.Working(worked) {
			worked--
		}
		if f := snapshot.Feeds[feed]; f != nil {
			if _, newest, ok := f.Days(); ok && newest >= worked {
				return true
			}
		}
		return slices.ContainsFunc(intakes, func(in store.Intake) bool {
			return in.Into == "feed" && in.Name == feed && !in.At.Before(end(last)) && slices.ContainsFunc(in.Months, func(m int32) bool {
				return calendar.Month(m) >= first.Month() && calendar.Month(m) <= last.Month()
			})
		})
	}, nil
}

// planner is who sweeps what the rulebook plans; no person can have such a name.
const planner = "the plan"

// Due are the periods that are to be swept now, the oldest first; none by a clock that has
// leapt, which is ErrClock.
func (s *Service) Due(ctx context.Context) (out []calendar.Key, err error) {
	if err := s.Goes(ctx); err != nil {
		return nil, err
	}
	_, turns, err := s.Turns(ctx)
	for _, t := range turns {
		if t.State == schedule.Due {
			out = append(out, t.Standing.Key)
		}
	}
	return out, err
}

// SweepDue sweeps a period, unless it is not due any more.
func (s *Service) SweepDue(ctx context.Context, k calendar.Key) error {
	_, turns, err := s.Turns(ctx)
	if err != nil {
		return err
	}
	for _, t := range turns {
		if t.Standing.Key == k && t.State == schedule.Due {
			_, _, err := s.Sweep(ctx, Ask{Period: t.Period, Author: planner, Cases: true, ToDate: t.ToDate})
			return err
		}
	}
	return nil
}

// Counted is how the work stands, in numbers.
type Counted struct {
	Sweeps, DataVersion int64
	Revision            int
	Unsettled           map[string]int // cases, by desk
}

// Standing counts how the work stands.
func (s *Service) Standing(ctx context.Context) (c Counted, err error) {
	newest, err := s.store.Newest(ctx)
	if err != nil {
		return c, err
	}
	c.Revision, c.DataVersion = newest.Revision, newest.DataVersion
	if c.Sweeps, err = s.store.CountSweeps(ctx); err != nil {
		return c, err
	}
	c.Unsettled, err = s.store.CountUnsettled(ctx)
	return c, err
}
