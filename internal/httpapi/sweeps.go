package httpapi

import (
	"context"
	"encoding/json"
	"errors"
	"net/http"
	"slices"
	"strings"

	"oskel/core/calendar"
	"oskel/core/rulebook"
	"oskel/internal/httpapi/contract"
	"oskel/internal/store"
	"oskel/internal/sweep"
)

// calendar is that of the published rulebook; before there is one, the plain
// one.
func (s *server) calendar(ctx context.Context) calendar.Calendar {
	_, book, err := s.Books.Published(ctx)
	if err != nil {
		return calendar.Calendar{}
	}
	return book.Calendar
}

// monthParam reads a month as the published calendar writes it.
func (s *server) monthParam(ctx context.Context, text string) (calendar.Month, error) {
	p, err := s.calendar(ctx).Parse(text)
	switch {
	case err != nil:
		return 0, fail(http.StatusBadRequest, "invalid-request", "period: %s", err)
	case p.Unit != calendar.Monthly:
		return 0, fail(http.StatusBadRequest, "invalid-request", "period: %s is a %s; rules are evaluated for a month", text, p.Unit)
	}
	return calendar.Month(p.Number), nil
}

func monthText(c calendar.Calendar, m calendar.Month) string {
	return c.String(calendar.MonthPeriod(m))
}

func monthWords(c calendar.Calendar, m calendar.Month) string {
	return c.Words(calendar.MonthPeriod(m))
}

func talliesOut(raw json.RawMessage) []contract.Tally {
	var all []sweep.TallyOf
	if len(raw) > 0 {
		json.Unmarshal(raw, &all) //nolint:errcheck // written by the sweep; an unreadable one shows as none
	}
	out := []contract.Tally{}
	for _, t := range all {
		out = append(out, contract.Tally{Rule: t.Rule, Level: optional(t.Level), Subjects: t.Subjects, Judged: t.Judged(), Clear: t.Clear, Breach: t.Breach, NoData: t.NoData, NotJudged: t.NotJudged, Flagged: t.Flagged, Crowded: t.Crowded()})
	}
	return out
}

func sweepOut(c calendar.Calendar, s store.Sweep, same bool) contract.Sweep {
	out := contract.Sweep{Id: s.ID, Period: monthText(c, s.Period), Revision: s.Revision, DataVersion: s.DataVersion, By: s.Author, At: s.At,
		Raised: s.Raised, Standing: s.Standing, Cleared: s.Cleared, TookMs: s.TookMS, Unchanged: same, Tallies: talliesOut(s.Tallies)}
	if len(s.Difference) > 0 {
		var d contract.SweepDifference
		if json.Unmarshal(s.Difference, &d) == nil {
			if d.Examples == nil {
				d.Examples = []contract.Change{}
			}
			out.Difference = &d
		}
	}
	return out
}

func (s *server) ListSweeps(ctx context.Context, r contract.ListSweepsRequestObject) (contract.ListSweepsResponseObject, error) {
	var month *calendar.Month
	if r.Params.Period != nil {
		m, err := s.monthParam(ctx, *r.Params.Period)
		if err != nil {
			return nil, err
		}
		month = &m
	}
	all, err := s.Store.Sweeps(ctx, month)
	if err != nil {
		return nil, err
	}
	out := contract.ListSweeps200JSONResponse{}
	for _, sw := range all {
		out = append(out, sweepOut(s.calendar(ctx), sw, false))
	}
	return out, nil
}

func (s *server) CreateSweep(ctx context.Context, r contract.CreateSweepRequestObject) (contract.CreateSweepResponseObject, error) {
	m, err := s.monthParam(ctx, r.Body.Period)
	if err != nil {
		return nil, err
	}
	openCases := r.Body.OpenCases == nil || *r.Body.OpenCases
	sw, same, err := s.Sweep.Sweep(ctx, m, whoAsks(ctx).Name, openCases)
	if err != nil {
		return nil, err
	}
	if same {
		return contract.CreateSweep200JSONResponse(sweepOut(s.calendar(ctx), sw, true)), nil
	}
	return contract.CreateSweep201JSONResponse(sweepOut(s.calendar(ctx), sw, false)), nil
}

func (s *server) ListPeriods(ctx context.Context, r contract.ListPeriodsRequestObject) (contract.ListPeriodsResponseObject, error) {
	var until *calendar.Month
	if r.Params.Until != nil {
		m, err := s.monthParam(ctx, *r.Params.Until)
		if err != nil {
			return nil, err
		}
		until = &m
	}
	periods, err := s.Sweep.Periods(ctx, until)
	if err != nil {
		return nil, err
	}
	c := s.calendar(ctx)
	out := contract.ListPeriods200JSONResponse{}
	for _, p := range periods {
		out = append(out, contract.PeriodState{Period: monthText(c, p.Month), Label: monthWords(c, p.Month), State: contract.PeriodStateState(p.State), Grades: p.Grades})
	}
	return out, nil
}

func (s *server) GetOverview(ctx context.Context, r contract.GetOverviewRequestObject) (contract.GetOverviewResponseObject, error) {
	m, err := s.monthParam(ctx, r.Params.Period)
	if err != nil {
		return nil, err
	}
	out := contract.GetOverview200JSONResponse{Period: monthText(s.calendar(ctx), m), Label: monthWords(s.calendar(ctx), m), State: "no lines",
		Grades: []contract.Counts{}, Kinds: []contract.Counts{}, Rules: []contract.Counts{}, Desks: []contract.Counts{}}
	_, book, err := s.Books.Published(ctx)
	if errors.Is(err, store.ErrNotFound) {
		return out, nil
	} else if err != nil {
		return nil, err
	}
	periods, err := s.Sweep.Periods(ctx, &m)
	if err != nil {
		return nil, err
	}
	counts, err := s.Store.CountExceptions(ctx, m, m)
	if err != nil {
		return nil, err
	}
	unsettled, err := s.Store.CountUnsettled(ctx)
	if err != nil {
		return nil, err
	}
	now := periods[len(periods)-1]
	out.State = now.State
	if now.Sweep != nil {
		out.Sweep = ptr(sweepOut(s.calendar(ctx), *now.Sweep, false))
	}
	count := func(name, title string, belongs func(store.ExceptionCount) bool) contract.Counts {
		c := contract.Counts{Name: name, Title: title, Grades: &map[string]int{}}
		for _, x := range counts {
			if !belongs(x) {
				continue
			}
			switch x.State {
			case "raised":
				c.Raised += x.Count
			case "standing":
				c.Standing += x.Count
			default:
				c.Cleared += x.Count
				continue
			}
			(*c.Grades)[x.Grade] += x.Count
		}
		return c
	}
	for _, g := range book.Grades {
		out.Grades = append(out.Grades, count(g.Name, g.Label, func(x store.ExceptionCount) bool { return x.Grade == g.Name }))
	}
	for _, k := range levelsOf(book) {
		out.Kinds = append(out.Kinds, count(k.Name, k.Title, func(x store.ExceptionCount) bool { return x.Kind == k.Name }))
	}
	for _, rule := range book.Rules {
		c := count(rule.Name, rule.Title, func(x store.ExceptionCount) bool { return x.Rule == rule.Name })
		if out.Sweep != nil {
			for _, t := range out.Sweep.Tallies {
				if t.Rule == rule.Name {
					c.Judged = ptr(t.Judged)
				}
			}
		}
		out.Rules = append(out.Rules, c)
	}
	for _, d := range book.Desks {
		c := count(d.Name, d.Title, func(x store.ExceptionCount) bool { return x.Desk == d.Name })
		c.Unsettled = ptr(unsettled[d.Name])
		out.Desks = append(out.Desks, c)
	}
	return out, nil
}

// levelsOf lists the levels that rules judge, the kinds first.
func levelsOf(book *rulebook.Book) []contract.Named {
	var out []contract.Named
	for _, k := range book.Kinds {
		out = append(out, contract.Named{Name: k.Name, Title: k.Plural})
	}
	for _, r := range book.Rules {
		for _, l := range r.Levels {
			if name := l.String(); !slices.ContainsFunc(out, func(n contract.Named) bool { return n.Name == name }) {
				title := book.Many(l)
				out = append(out, contract.Named{Name: name, Title: strings.ToUpper(title[:1]) + title[1:]})
			}
		}
	}
	return out
}

func optional(s string) *string {
	if s == "" {
		return nil
	}
	return &s
}
