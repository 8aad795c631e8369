package httpapi

import (
	"context"
	"encoding/json"
	"errors"
	"net/http"
	"sync"

	openapi_types "github.com/oapi-codegen/runtime/types"

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
	m, err := s.calendar(ctx).ParseMonth(text)
	if err != nil {
		return 0, refusal(http.StatusBadRequest, "invalid-request", "period: %s", err)
	}
	return m, nil
}

// periodParam reads a period as the published calendar writes it.
func (s *server) periodParam(ctx context.Context, text string) (calendar.Period, error) {
	p, err := s.calendar(ctx).Parse(text)
	if err != nil {
		return p, refusal(http.StatusBadRequest, "invalid-request", "period: %s", err)
	}
	return p, nil
}

// keyParam is the key of a period that is asked for.
func (s *server) keyParam(ctx context.Context, text string) (calendar.Key, error) {
	p, err := s.periodParam(ctx, text)
	if err != nil {
		return calendar.Key{}, err
	}
	return s.calendar(ctx).Key(p), nil
}

// keyText and keyWords say a period that is on record; of a window that the
// calendar has no longer, its first day.
func keyText(c calendar.Calendar, k calendar.Key) string {
	if p, ok := c.ByKey(k); ok {
		return c.String(p)
	}
	return k.Start.String()
}

func keyWords(c calendar.Calendar, k calendar.Key) string {
	if p, ok := c.ByKey(k); ok {
		return c.Words(p)
	}
	return k.Grain + " from " + k.Start.Words()
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
		one := tallyOut(t.Rule, t.Level, t.Tally)
		one.Trial = t.Trial
		out = append(out, one)
	}
	return out
}

func sweepOut(c calendar.Calendar, s store.Sweep, same bool) contract.Sweep {
	out := contract.Sweep{ToDate: dayOut(s.ToDate), Snoozed: s.Snoozed, Id: s.ID, Period: keyText(c, s.Period), Revision: s.Revision,
		DataVersion: s.DataVersion, By: s.Author, At: s.At,
		Raised: s.Raised, Standing: s.Standing, Cleared: s.Cleared, TookMs: s.TookMS, Unchanged: same, Tallies: talliesOut(s)}
	if stages := sweep.StagesOf(s); stages != nil {
		all := []contract.SweepStage{}
		for _, t := range stages {
			all = append(all, contract.SweepStage{Stage: t.Stage, Ms: t.MS})
		}
		out.Stages = &all
	}
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
	var key *calendar.Key
	if r.Params.Period != nil {
		k, err := s.keyParam(ctx, *r.Params.Period)
		if err != nil {
			return nil, err
		}
		key = &k
	}
	all, err := s.Sweep.Sweeps(ctx, key, or(r.Params.Before, 0), sweepPage)
	if err != nil {
		return nil, err
	}
	var keys []calendar.Key
	for _, sw := range all {
		keys = append(keys, sw.Period)
	}
	stale, err := s.Sweep.Stale(ctx, keys...)
	if err != nil {
		return nil, err
	}
	last, err := s.Sweep.LastOf(ctx, keys...)
	if err != nil {
		return nil, err
	}
	out := contract.ListSweeps200JSONResponse{}
	c := s.calendar(ctx)
	for _, sw := range all {
		one := sweepOut(c, sw, false)
		if last[sw.Period].ID == sw.ID { // those after it have overtaken the earlier ones
			one.Stale = optional(stale[sw.Period])
		}
		out = append(out, one)
	}
	return out, nil
}

// sweepPage is how many sweeps are listed at once.
const sweepPage = 100

func (s *server) CreateSweep(ctx context.Context, r contract.CreateSweepRequestObject) (contract.CreateSweepResponseObject, error) {
	p, err := s.periodParam(ctx, r.Body.Period)
	if err != nil {
		return nil, err
	}
	ask := sweep.Ask{Period: p, Author: whoAsks(ctx).Name, Cases: or(r.Body.OpenCases, true), ToDate: or(r.Body.ToDate, false)}
	if to := r.Body.To; to != nil {
		day := calendar.Date(to.Year(), to.Month(), to.Day())
		if ask.To = &day; !ask.ToDate {
			return nil, refusal(http.StatusBadRequest, "invalid-request", "to: only a sweep to date has a day up to which it judges")
		}
	}
	sw, same, err := s.Sweep.Sweep(ctx, ask)
	if err != nil {
		return nil, err
	}
	if same {
		return contract.CreateSweep200JSONResponse(sweepOut(s.calendar(ctx), sw, true)), nil
	}
	return contract.CreateSweep201JSONResponse(sweepOut(s.calendar(ctx), sw, false)), nil
}

func (s *server) ListPeriods(ctx context.Context, r contract.ListPeriodsRequestObject) (contract.ListPeriodsResponseObject, error) {
	var until *calendar.Period
	grain := "month"
	if r.Params.Until != nil {
		p, err := s.periodParam(ctx, *r.Params.Until)
		if err != nil {
			return nil, err
		}
		until, grain = &p, s.calendar(ctx).Grain(p)
	}
	if r.Params.Each != nil {
		grain = *r.Params.Each
		if until != nil {
			within, ok := s.calendar(ctx).Within(*until, grain)
			if !ok {
				return contract.ListPeriods200JSONResponse{}, nil
			}
			until = &within
		}
	}
	periods, err := s.Sweep.Periods(ctx, grain, until, or(r.Params.Count, sweep.Shown))
	if err != nil {
		return nil, err
	}
	c := s.calendar(ctx)
	out := contract.ListPeriods200JSONResponse{}
	for _, p := range periods {
		out = append(out, periodOut(c, p))
	}
	return out, nil
}

func periodOut(c calendar.Calendar, p sweep.Period) contract.PeriodState {
	out := contract.PeriodState{Period: c.String(p.Of), Label: c.Words(p.Of), Running: p.Runs, State: contract.PeriodStateState(p.State),
		Grades: p.Grades, Stale: optional(p.Stale)}
	if p.Sweep != nil {
		out.Sweep, out.ToDate = &p.Sweep.ID, dayOut(p.Sweep.ToDate)
	}
	if p.SameBy != 0 {
		out.SameBy = &p.SameBy
	}
	if p.Closed != nil {
		out.Closed = &contract.Closing{SignedOff: p.Closed.SignedOff, By: p.Closed.Author, At: p.Closed.At, Note: p.Closed.Note}
	}
	return out
}

func (s *server) GetOverview(ctx context.Context, r contract.GetOverviewRequestObject) (contract.GetOverviewResponseObject, error) {
	p, err := s.periodParam(ctx, r.Params.Period)
	if err != nil {
		return nil, err
	}
	out := contract.GetOverview200JSONResponse{Period: s.calendar(ctx).String(p), Label: s.calendar(ctx).Words(p), State: "no lines",
		Grades: []contract.Counts{}, Kinds: []contract.Counts{}, Rules: []contract.Counts{}, Desks: []contract.Counts{}}
	_, book, err := s.Books.Published(ctx)
	if errors.Is(err, store.ErrNotFound) {
		return out, nil
	} else if err != nil {
		return nil, err
	}
	o, err := s.Sweep.Overview(ctx, book, p)
	if err != nil {
		return nil, err
	}
	out.State = o.State
	if o.Sweep != nil {
		out.Sweep = ptr(sweepOut(book.Calendar, *o.Sweep, false))
		out.Sweep.Stale = optional(o.Stale)
	}
	out.Closed = periodOut(book.Calendar, o.Period).Closed
	out.Grades, out.Kinds, out.Rules, out.Desks = countsOut(o.Grades), countsOut(o.Kinds), countsOut(o.Rules), countsOut(o.Desks)
	return out, nil
}

func countsOut(all []sweep.Counts) []contract.Counts {
	out := []contract.Counts{}
	for _, c := range all {
		out = append(out, contract.Counts{Name: c.Name, Title: c.Title, Raised: c.Raised, Standing: c.Standing, Cleared: c.Cleared, Grades: &c.Grades,
			Judged: c.Judged, Unsettled: c.Unsettled})
	}
	return out
}

func dayOut(d *calendar.Day) *openapi_types.Date {
	if d == nil {
		return nil
	}
	return &openapi_types.Date{Time: d.Time()}
}

// asSwept is a book whose periods are taken as the last sweep of one took it: so far,
// where it was still running.
func (s *server) asSwept(ctx context.Context, book *rulebook.Book, p calendar.Period) (*rulebook.Book, error) {
	key := book.Calendar.Key(p)
	last, err := s.Sweep.LastOf(ctx, key)
	if err != nil {
		return nil, err
	}
	return s.toDate.of(book, last[key].ToDate), nil
}

// toDateBook is the last book that was taken so far: what is kept of its verdicts hangs
// on its being the same one.
type toDateBook struct {
	mu         sync.Mutex
	whole, cut *rulebook.Book
}

func (b *toDateBook) of(book *rulebook.Book, to *calendar.Day) *rulebook.Book {
	if to == nil {
		return book
	}
	b.mu.Lock()
	defer b.mu.Unlock()
	if b.whole == book {
		if day, _ := b.cut.Calendar.ToDate(); day == *to {
			return b.cut
		}
	}
	b.whole, b.cut = book, book.ToDateTo(*to)
	return b.cut
}

func optional(s string) *string {
	if s == "" {
		return nil
	}
	return &s
}
