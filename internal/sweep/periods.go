package sweep

import (
	"context"
	"errors"
	"fmt"
	"slices"
	"strings"

	"oskel/core/calendar"
	"oskel/core/ledger"
	"oskel/internal/figures"
	"oskel/internal/store"
)

// Period says how a period stands.
type Period struct {
	Month  calendar.Month
	State  string         // "swept", "stale", "unswept" or "no lines"
	Stale  string         // why its verdicts are out of date; "" where they are not
	Grades map[string]int // flagged, by grade
	Sweep  *store.Sweep
}

// shownPeriods is how many periods a strip shows.
const shownPeriods = 13

// Periods lists the last thirteen periods up to a month, or up to the newest
// with lines; none before there is a rulebook or a line.
func (s *Service) Periods(ctx context.Context, until *calendar.Month) ([]Period, error) {
	revision, book, err := s.books.Published(ctx)
	if errors.Is(err, store.ErrNotFound) {
		return nil, nil
	} else if err != nil {
		return nil, err
	}
	snapshot, err := s.figures.Snapshot(ctx, book)
	if err != nil {
		return nil, err
	}
	last, ok := figures.LastMonth(book.Calendar, snapshot)
	if until != nil {
		last, ok = *until, true
	}
	if !ok {
		return nil, nil
	}
	return s.stand(ctx, revision, book.Calendar, snapshot, last-shownPeriods+1, last)
}

func (s *Service) stand(ctx context.Context, revision store.Revision, c calendar.Calendar, snapshot *ledger.Snapshot, from, to calendar.Month) ([]Period, error) {
	sweeps, err := s.store.LatestSweeps(ctx, from, to)
	if err != nil {
		return nil, err
	}
	counts, err := s.store.CountExceptions(ctx, from, to)
	if err != nil {
		return nil, err
	}
	since := snapshot.Version
	for _, sw := range sweeps {
		since = min(since, sw.DataVersion)
	}
	intakes, err := s.store.IntakesSince(ctx, since)
	if err != nil {
		return nil, err
	}
	var out []Period
	for m := from; m <= to; m++ {
		p := Period{Month: m, State: "unswept", Grades: map[string]int{}}
		first, last := c.Span(calendar.MonthPeriod(m))
		if !figures.HasLines(snapshot, first, last) {
			p.State = "no lines"
		}
		for i := range sweeps {
			if sweeps[i].Period == m {
				p.Sweep = &sweeps[i]
				p.State = "swept"
				if p.Stale = outOfDate(m, last, sweeps[i], revision.Number, intakes); p.Stale != "" {
					p.State = "stale"
				}
			}
		}
		for _, n := range counts {
			if n.Period == m && n.State != "cleared" {
				p.Grades[n.Grade] += n.Count
			}
		}
		out = append(out, p)
	}
	return out, nil
}

// Stale says why the verdicts of the last sweep of each of some periods are out
// of date: "" where they are not.
func (s *Service) Stale(ctx context.Context, months ...calendar.Month) (map[calendar.Month]string, error) {
	out := map[calendar.Month]string{}
	for _, m := range months {
		if _, known := out[m]; known {
			continue
		}
		periods, err := s.Periods(ctx, &m)
		if err != nil {
			return nil, err
		}
		for _, p := range periods {
			out[p.Month] = p.Stale
		}
	}
	return out, nil
}

// outOfDate says in words why a sweep no longer tells what holds, or "".
func outOfDate(m calendar.Month, last calendar.Day, s store.Sweep, published int, intakes []store.Intake) string {
	var since []string
	if s.Revision != published {
		since = append(since, fmt.Sprintf("revision %d has been published", published))
	}
	var newer []int64
	for _, in := range intakes {
		if in.ID > s.DataVersion && touches(in, m, last) {
			newer = append(newer, in.ID)
		}
	}
	switch n := len(newer); {
	case n == 1:
		since = append(since, fmt.Sprintf("intake %d has arrived", newer[0]))
	case n > 1:
		since = append(since, fmt.Sprintf("%d intakes have arrived", n))
	}
	if len(since) == 0 {
		return ""
	}
	return "Out of date: since this sweep " + strings.Join(since, " and ") + ". Sweep again."
}

// touches says whether an intake may change what is found in a period:
// registers concern every period, lines and targets theirs and those after. The
// months of lines are those of days, those of targets the calendar's.
func touches(in store.Intake, m calendar.Month, last calendar.Day) bool {
	until := last.Month()
	if in.Of == "targets" {
		until = m
	}
	return len(in.Months) == 0 || slices.ContainsFunc(in.Months, func(touched int32) bool { return calendar.Month(touched) <= until })
}
