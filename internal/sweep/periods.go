package sweep

import (
	"context"
	"errors"
	"fmt"
	"slices"
	"strings"
	"time"

	"oskel/core/calendar"
	"oskel/core/ledger"
	"oskel/internal/figures"
	"oskel/internal/store"
)

// Period says how a period stands.
type Period struct {
	Of     calendar.Period
	Key    calendar.Key
	State  string         // "swept", "stale", "unswept" or "no lines"
	Stale  string         // why its verdicts are out of date; "" where they are not
	Since  time.Time      // since when they are
	Runs   bool           // its last day has not passed
	Closed *store.Closing // nil if it is open
	Grades map[string]int // flagged, by grade
	Sweep  *store.Sweep
	SameBy int // the published revision, where it is a later one and flags the same; 0 is none, or not known
}

// Shown is how many periods a strip shows.
const Shown = 13

// Periods lists the last thirteen periods of a grain up to one, or up to the
// newest with lines; none before there is a rulebook or a line.
func (s *Service) Periods(ctx context.Context, grain string, until *calendar.Period, many int) ([]Period, error) {
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
	if until != nil {
		return s.stand(ctx, revision, book.Calendar, snapshot, book.Calendar.Run(*until, many))
	}
	day, ok := figures.LastDay(snapshot)
	if !ok {
		return nil, nil
	}
	last, ok := book.Calendar.Holding(grain, day)
	if !ok {
		return nil, nil
	}
	return s.stand(ctx, revision, book.Calendar, snapshot, book.Calendar.Run(last, many))
}

// stand says how some periods of one grain stand, the oldest first.
func (s *Service) stand(ctx context.Context, revision store.Revision, c calendar.Calendar, snapshot *ledger.Snapshot,
	periods []calendar.Period) ([]Period, error) {
	if len(periods) == 0 {
		return nil, nil
	}
	from, to := c.Key(periods[0]), c.Key(periods[len(periods)-1])
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
	closed, err := s.store.Closings(ctx, from.Grain)
	if err != nil {
		return nil, err
	}
	changed, err := s.store.Changed(ctx, from.Grain)
	if err != nil {
		return nil, err
	}
	confirmed, err := s.store.Confirmed(ctx, revision.Number)
	if err != nil {
		return nil, err
	}
	var out []Period
	for _, of := range periods {
		p := Period{Of: of, Key: c.Key(of), State: "unswept", Grades: map[string]int{}}
		if by, ok := closed[p.Key]; ok {
			p.Closed = &by
		}
		first, last := c.Span(of)
		p.Runs = last >= c.Today(s.now())
		if !figures.HasLines(snapshot, first, last) {
			p.State = "no lines"
		}
		for i := range sweeps {
			if sweeps[i].Period == p.Key {
				p.Sweep = &sweeps[i]
				if sweeps[i].Revision != revision.Number && confirmed[sweeps[i].ID] {
					p.SameBy = revision.Number
				}
				p.State = "swept"
				if p.Stale = onlyToDate(sweeps[i].ToDate, last, c.Today(s.now())); p.Stale != "" {
					p.State, p.Since = "stale", sweeps[i].At
				} else if p.Stale, p.Since = outOfDate(calendar.Month(c.Of(calendar.Monthly, last).Number), last, sweeps[i], revision, intakes,
					restated(c, changed, sweeps[i]), p.Closed != nil, confirmed[sweeps[i].ID]); p.Stale != "" {
					p.State = "stale"
				}
			}
		}
		for _, n := range counts {
			if n.Period == p.Key && n.State != "cleared" {
				p.Grades[n.Grade] += n.Count
			}
		}
		out = append(out, p)
	}
	return out, nil
}

// Stale says why the verdicts of the last sweep of each of some periods are out
// of date: "" where they are not. It reads no lines, and counts nothing.
func (s *Service) Stale(ctx context.Context, keys ...calendar.Key) (map[calendar.Key]string, error) {
	if len(keys) == 0 {
		return nil, nil
	}
	newest, err := s.store.Newest(ctx)
	if err != nil {
		return nil, err
	}
	swept, err := s.LastOf(ctx, keys...)
	if err != nil {
		return nil, err
	}
	return s.StaleOf(ctx, newest, swept)
}

// LastOf is the last sweep of each of some periods, without what it found.
func (s *Service) LastOf(ctx context.Context, keys ...calendar.Key) (map[calendar.Key]store.Sweep, error) {
	swept := map[calendar.Key]store.Sweep{}
	for _, k := range keys {
		if _, known := swept[k]; known {
			continue
		}
		sw, err := s.store.LatestSwept(ctx, k)
		if err == nil {
			swept[k] = sw
		} else if !errors.Is(err, store.ErrNotFound) {
			return nil, err
		}
	}
	return swept, nil
}

// StaleOf says the same of the last sweeps of some periods, beside what is newest.
func (s *Service) StaleOf(ctx context.Context, newest store.Newest, swept map[calendar.Key]store.Sweep) (map[calendar.Key]string, error) {
	out := map[calendar.Key]string{}
	if len(swept) == 0 {
		return out, nil
	}
	book, err := s.books.At(ctx, newest.Revision)
	if err != nil {
		return nil, err
	}
	closed := map[string]map[calendar.Key]store.Closing{} // by grain
	confirmed, err := s.store.Confirmed(ctx, newest.Revision)
	if err != nil {
		return nil, err
	}
	for k, sw := range swept {
		of, ok := book.Calendar.ByKey(k)
		if !ok {
			out[k] = "Out of date: the calendar has no such window any more."
			continue
		}
		var intakes []store.Intake
		if sw.DataVersion < newest.DataVersion {
			if intakes, err = s.store.IntakesSince(ctx, sw.DataVersion); err != nil {
				return nil, err
			}
		}
		_, last := book.Calendar.Span(of)
		today := book.Calendar.Today(s.now())
		if out[k] = onlyToDate(sw.ToDate, last, today); out[k] != "" {
			continue
		}
		changed, err := s.chainOf(ctx, k.Grain, newest.Sweep)
		if err != nil {
			return nil, err
		}
		sw.Period = k
		again := restated(book.Calendar, changed, sw)
		if out[k] = stillToDate(sw.ToDate, last, today, ""); again == "" && sw.DataVersion >= newest.DataVersion && sw.Revision == newest.Revision {
			continue
		}
		if closed[k.Grain] == nil {
			if closed[k.Grain], err = s.store.Closings(ctx, k.Grain); err != nil {
				return nil, err
			}
		}
		_, shut := closed[k.Grain][k]
		why, _ := outOfDate(calendar.Month(book.Calendar.Of(calendar.Monthly, last).Number), last, sw, store.Revision{Number: newest.Revision}, intakes, again, shut,
			confirmed[sw.ID])
		out[k] = stillToDate(sw.ToDate, last, today, why)
	}
	return out, nil
}

// restated names the period before that of a sweep in which something else is flagged since
// then: what is raised, standing and cleared is held against it. "" is none.
func restated(c calendar.Calendar, changed chain, s store.Sweep) string {
	at, is := changed.broken(s.Period, s.ID)
	if !is {
		return ""
	}
	if p, ok := c.ByKey(at); ok {
		return c.Words(p)
	}
	return "an earlier period"
}

// outOfDate says in words why a sweep no longer tells what holds, or "", and since
// when. again is the earlier period that was restated since, if any; same that the published
// revision flags the same.
func outOfDate(m calendar.Month, last calendar.Day, s store.Sweep, published store.Revision, intakes []store.Intake, again string,
	closed, same bool) (why string, when time.Time) {
	var since []string
	if again != "" {
		since, when = append(since, again+" has been swept again"), s.At
	}
	if s.Revision != published.Number && !same {
		since = append(since, fmt.Sprintf("revision %d has been published", published.Number))
		when = published.At
	}
	var newer []int64
	for _, in := range intakes {
		if in.ID > s.DataVersion && touches(in, m, last) {
			newer = append(newer, in.ID)
			if when.IsZero() || in.At.Before(when) {
				when = in.At
			}
		}
	}
	switch n := len(newer); {
	case n == 1:
		since = append(since, fmt.Sprintf("intake %d has arrived", newer[0]))
	case n > 1:
		since = append(since, fmt.Sprintf("%d intakes have arrived", n))
	}
	if len(since) == 0 {
		return "", when
	}
	then := "Sweep again."
	if closed {
		then = "The period is closed."
	}
	return "Out of date: since this sweep " + strings.Join(since, " and ") + ". " + then, when
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
