package httpapi

import (
	"context"
	"encoding/json"
	"errors"
	"net/http"

	"oskel/core/calendar"
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
	m, err := s.calendar(ctx).ParseMonth(text)
	if err != nil {
		return 0, fail(http.StatusBadRequest, "invalid-request", "period: %s", err)
	}
	return m, nil
}

func monthText(c calendar.Calendar, m calendar.Month) string {
	return c.String(calendar.MonthPeriod(m))
}

func monthWords(c calendar.Calendar, m calendar.Month) string {
	return c.Words(calendar.MonthPeriod(m))
}

func talliesOut(s store.Sweep) []contract.Tally {
	out := []contract.Tally{}
	for _, t := range sweep.TalliesOf(s) {
		out = append(out, contract.Tally{Rule: t.Rule, Level: optional(t.Level), Subjects: t.Subjects, Judged: t.Judged(), Clear: t.Clear, Breach: t.Breach, NoData: t.NoData, NotJudged: t.NotJudged, Flagged: t.Flagged, Crowded: t.Crowded()})
	}
	return out
}

func sweepOut(c calendar.Calendar, s store.Sweep, same bool) contract.Sweep {
	out := contract.Sweep{Id: s.ID, Period: monthText(c, s.Period), Revision: s.Revision, DataVersion: s.DataVersion, By: s.Author, At: s.At,
		Raised: s.Raised, Standing: s.Standing, Cleared: s.Cleared, TookMs: s.TookMS, Unchanged: same, Tallies: talliesOut(s)}
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
	all, err := s.Sweep.Sweeps(ctx, month)
	if err != nil {
		return nil, err
	}
	var months []calendar.Month
	for _, sw := range all {
		months = append(months, sw.Period)
	}
	stale, err := s.Sweep.Stale(ctx, months...)
	if err != nil {
		return nil, err
	}
	out, last := contract.ListSweeps200JSONResponse{}, map[calendar.Month]bool{}
	c := s.calendar(ctx)
	for _, sw := range all {
		one := sweepOut(c, sw, false)
		if !last[sw.Period] { // those after it have overtaken the earlier ones
			one.Stale, last[sw.Period] = optional(stale[sw.Period]), true
		}
		out = append(out, one)
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
		out = append(out, contract.PeriodState{Period: monthText(c, p.Month), Label: monthWords(c, p.Month), State: contract.PeriodStateState(p.State), Grades: p.Grades, Stale: optional(p.Stale)})
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
	o, err := s.Sweep.Overview(ctx, book, m)
	if err != nil {
		return nil, err
	}
	out.State = o.State
	if o.Sweep != nil {
		out.Sweep = ptr(sweepOut(book.Calendar, *o.Sweep, false))
		out.Sweep.Stale = optional(o.Stale)
	}
	out.Grades, out.Kinds, out.Rules, out.Desks = countsOut(o.Grades), countsOut(o.Kinds), countsOut(o.Rules), countsOut(o.Desks)
	return out, nil
}

func countsOut(all []sweep.Counts) []contract.Counts {
	out := []contract.Counts{}
	for _, c := range all {
		out = append(out, contract.Counts{Name: c.Name, Title: c.Title, Raised: c.Raised, Standing: c.Standing, Cleared: c.Cleared, Grades: &c.Grades, Judged: c.Judged, Unsettled: c.Unsettled})
	}
	return out
}

func optional(s string) *string {
	if s == "" {
		return nil
	}
	return &s
}
