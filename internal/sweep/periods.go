package sweep

import (
	"context"
	"errors"

	"oskel/core/calendar"
	"oskel/core/ledger"
	"oskel/internal/figures"
	"oskel/internal/store"
)

// Period says how a period stands.
type Period struct {
	Month  calendar.Month
	State  string         // "swept", "stale", "unswept" or "no lines"
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
				if sweeps[i].Revision != revision.Number || stale(last, sweeps[i], intakes) {
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

// stale says whether an intake since a sweep may have changed what it found:
// registers concern every period, lines and targets theirs and those after.
func stale(last calendar.Day, s store.Sweep, intakes []store.Intake) bool {
	for _, in := range intakes {
		if in.ID <= s.DataVersion {
			continue
		}
		if len(in.Months) == 0 {
			return true
		}
		for _, m := range in.Months {
			if calendar.Month(m) <= last.Month() {
				return true
			}
		}
	}
	return false
}
