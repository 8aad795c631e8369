package httpapi

import (
	"context"
	"fmt"
	"strings"

	"oskel/core/calendar"
	"oskel/core/rulebook"
	"oskel/core/schedule"
	"oskel/internal/httpapi/contract"
	"oskel/internal/sweep"
)

func (s *server) GetSchedule(ctx context.Context, _ contract.GetScheduleRequestObject) (contract.GetScheduleResponseObject, error) {
	out := contract.GetSchedule200JSONResponse{Plans: []contract.Plan{}}
	book, turns, err := s.Sweep.Turns(ctx)
	if err != nil || book == nil {
		return out, err
	}
	troubles, err := s.Jobs.Failures(ctx)
	if err != nil {
		return nil, err
	}
	for i := range book.Sweeps {
		plan := contract.Plan{Each: book.Sweeps[i].Each, Words: book.PlanWords(book.Sweeps[i]), Turns: []contract.Turn{}}
		for _, t := range turns {
			if t.Plan == &book.Sweeps[i] {
				plan.Turns = append(plan.Turns, turnOut(book, t, troubles[t.Standing.Key]))
			}
		}
		out.Plans = append(out.Plans, plan)
	}
	return out, nil
}

func turnOut(book *rulebook.Book, t sweep.Turn, trouble string) contract.Turn {
	c := book.Calendar
	out := contract.Turn{Period: c.String(t.Period), Label: c.Words(t.Period), State: contract.TurnState(t.State), At: t.At, Trouble: optional(trouble),
		Words: turnWords(book, t, trouble)}
	if !t.Latest.IsZero() {
		out.Latest = &t.Latest
	}
	if !t.Again.IsZero() {
		out.Again = &t.Again
	}
	if len(t.Waits) > 0 {
		out.Waits = &t.Waits
	}
	if t.Standing.Sweep != nil {
		out.Sweep = &t.Standing.Sweep.ID
	}
	return out
}

// turnWords say what becomes of a period, and why.
func turnWords(book *rulebook.Book, t sweep.Turn, trouble string) string {
	at := book.Calendar.Moment
	var waits []string
	for _, feed := range t.Waits {
		waits = append(waits, strings.ToLower(book.Feed(feed).Title))
	}
	lines := strings.Join(waits, " and ")
	switch t.State {
	case schedule.Coming:
		if lines != "" {
			return fmt.Sprintf("Will be swept from %s, as soon as %s are in; on %s in any case.", at(t.At), lines, at(t.Latest))
		}
		return fmt.Sprintf("Will be swept on %s.", at(t.At))
	case schedule.Waiting:
		return fmt.Sprintf("Waits for %s, until %s at the latest.", lines, at(t.Latest))
	case schedule.Empty:
		return "No lines in this period."
	case schedule.Due:
		if trouble != "" {
			return "The sweep failed and is retried: " + trouble
		}
		return "Will be swept in a moment."
	case schedule.Done:
		return fmt.Sprintf("Sweep %d is up to date.", t.Standing.Sweep.ID)
	case schedule.Outdated:
		return t.Standing.Stale
	case schedule.Night:
		return fmt.Sprintf("%s Will be swept again on %s.", strings.TrimSuffix(t.Standing.Stale, " Sweep again."), at(t.Again))
	}
	return fmt.Sprintf("%s closed it on %s.", t.Standing.Closed.Author, at(t.Standing.Closed.At))
}

func (s *server) ClosePeriod(ctx context.Context, r contract.ClosePeriodRequestObject) (contract.ClosePeriodResponseObject, error) {
	p, err := s.periodParam(ctx, r.Body.Period)
	if err != nil {
		return nil, err
	}
	if err := s.Sweep.Close(ctx, p, whoAsks(ctx).Name, or(r.Body.Note, ""), or(r.Body.SignOff, false)); err != nil {
		return nil, err
	}
	out, err := s.periodState(ctx, p)
	return contract.ClosePeriod200JSONResponse(out), err
}

func (s *server) ReopenPeriod(ctx context.Context, r contract.ReopenPeriodRequestObject) (contract.ReopenPeriodResponseObject, error) {
	p, err := s.periodParam(ctx, r.Body.Period)
	if err != nil {
		return nil, err
	}
	if err := s.Sweep.Reopen(ctx, s.calendar(ctx).Key(p), r.Body.Reason); err != nil {
		return nil, err
	}
	out, err := s.periodState(ctx, p)
	return contract.ReopenPeriod200JSONResponse(out), err
}

func (s *server) periodState(ctx context.Context, p calendar.Period) (contract.PeriodState, error) {
	c := s.calendar(ctx)
	periods, err := s.Sweep.Periods(ctx, c.Grain(p), &p, 1)
	if err != nil || len(periods) == 0 {
		return contract.PeriodState{}, err
	}
	return periodOut(c, periods[len(periods)-1]), nil
}
