package sweep

import (
	"context"

	"oskel/core/calendar"
	"oskel/core/rulebook"
	"oskel/internal/store"
)

// Last are the periods up to one, with whether they were swept.
type Last struct {
	Periods []calendar.Period
	Swept   []bool
	at      map[calendar.Day]int // their places, by their first days
}

func (s *Service) last(ctx context.Context, book *rulebook.Book, p calendar.Period) (l Last, err error) {
	l.Periods, l.at = book.Calendar.Run(p, Shown), map[calendar.Day]int{}
	for i, of := range l.Periods {
		l.at[book.Calendar.Key(of).Start] = i
	}
	l.Swept = make([]bool, len(l.Periods))
	sweeps, err := s.store.LatestSweeps(ctx, book.Calendar.Key(l.Periods[0]), book.Calendar.Key(p))
	for _, sw := range sweeps {
		if i, ok := l.at[sw.Period.Start]; ok {
			l.Swept[i] = true
		}
	}
	return l, err
}

// Grid is subjects by periods.
type Grid struct {
	Last
	Rows  []GridRow
	Total int
}

// GridRow is a subject with what flags it in each period, the most serious first.
type GridRow struct {
	store.GridSubject
	Cells [][]store.GridFlag
}

// Grid is a page of the subjects that are flagged in the last periods up to one.
func (s *Service) Grid(ctx context.Context, book *rulebook.Book, f store.ExceptionFilter) (g Grid, err error) {
	if f, err = s.resolved(ctx, book, f); err != nil {
		return g, err
	}
	p, ok := book.Calendar.ByKey(f.Period)
	if !ok {
		return g, nil
	}
	if g.Last, err = s.last(ctx, book, p); err != nil {
		return g, err
	}
	from := book.Calendar.Key(g.Periods[0])
	subjects, total, err := s.store.FlagGrid(ctx, f, from)
	if err != nil {
		return g, err
	}
	flags, err := s.store.GridFlags(ctx, f, from, subjects)
	if err != nil {
		return g, err
	}
	type identity struct {
		kind string
		code int32
	}
	rows := map[identity]int{}
	for i, of := range subjects {
		rows[identity{of.Kind, of.Code}] = i
		g.Rows = append(g.Rows, GridRow{of, make([][]store.GridFlag, len(g.Periods))})
	}
	for _, flag := range flags {
		if i, ok := g.at[calendar.Date(flag.Period.Date())]; ok {
			cells := g.Rows[rows[identity{flag.Kind, flag.Code}]].Cells
			cells[i] = append(cells[i], flag)
		}
	}
	g.Total = total
	return g, nil
}

// Trend is how many are flagged in the last periods, by something; and of all how many
// are new, still there, and gone.
type Trend struct {
	Last
	Rows                      []TrendRow
	Raised, Standing, Cleared []int
}

// TrendRow is one of what a trend is by.
type TrendRow struct {
	rulebook.Named
	Flagged []int // by period
}

// Trend counts the last periods up to one, by rule, desk, kind or grade.
func (s *Service) Trend(ctx context.Context, book *rulebook.Book, k calendar.Key, by string) (t Trend, err error) {
	p, ok := book.Calendar.ByKey(k)
	if !ok {
		return t, nil
	}
	if t.Last, err = s.last(ctx, book, p); err != nil {
		return t, err
	}
	counts, err := s.store.CountExceptions(ctx, book.Calendar.Key(t.Periods[0]), k)
	if err != nil {
		return t, err
	}
	n := len(t.Periods)
	t.Raised, t.Standing, t.Cleared = make([]int, n), make([]int, n), make([]int, n)
	names := map[string][]rulebook.Named{"rule": book.RulesNamed(), "desk": book.DesksNamed(), "kind": book.LevelsNamed(), "grade": book.GradesNamed()}[by]
	place := map[string]int{}
	row := func(name rulebook.Named) int {
		i, known := place[name.Name]
		if !known {
			i = len(t.Rows)
			place[name.Name] = i
			t.Rows = append(t.Rows, TrendRow{name, make([]int, n)})
		}
		return i
	}
	for _, name := range names {
		row(name)
	}
	for _, c := range counts {
		i, ok := t.at[c.Period.Start]
		if !ok {
			continue
		}
		switch c.State {
		case "raised":
			t.Raised[i] += c.Count
		case "standing":
			t.Standing[i] += c.Count
		default:
			t.Cleared[i] += c.Count
			continue
		}
		of := map[string]string{"rule": c.Rule, "desk": c.Desk, "kind": c.Kind, "grade": c.Grade}[by]
		t.Rows[row(rulebook.Named{Name: of, Title: of})].Flagged[i] += c.Count // also of what the rulebook has no longer
	}
	return t, nil
}

// Flagged are the keys of those of a level that are flagged in some periods, in order.
func (s *Service) Flagged(ctx context.Context, level string, periods []calendar.Key) ([]string, error) {
	return s.store.FlaggedKeys(ctx, level, periods)
}

// FlagCounts counts what is flagged of a level in some periods, by subject, rule and grade.
func (s *Service) FlagCounts(ctx context.Context, level string, periods []calendar.Key) ([]store.FlagCount, error) {
	return s.store.FlagCounts(ctx, level, periods)
}

// FlagsOf is what is flagged of some of a level in some periods, the most serious first.
func (s *Service) FlagsOf(ctx context.Context, level string, keys []string, periods []calendar.Key) ([]store.Exception, error) {
	return s.store.FlagsOf(ctx, level, keys, periods)
}
