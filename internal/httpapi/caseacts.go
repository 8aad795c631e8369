package httpapi

import (
	"context"
	"net/http"

	"oskel/core/amount"
	"oskel/core/calendar"
	"oskel/core/casework"
	"oskel/internal/httpapi/contract"
)

func (s *server) ActOnCases(ctx context.Context, r contract.ActOnCasesRequestObject) (contract.ActOnCasesResponseObject, error) {
	b := r.Body
	act := casework.Action{Kind: string(b.Do), Person: or(b.Person, ""), Desk: or(b.Desk, ""), Feed: or(b.Feed, ""), Finding: string(or(b.Finding, "")),
		FlagFindings: flagFindingsIn(b.FlagFindings), Reason: or(b.Reason, ""), Text: or(b.Text, "")}
	if b.Until != nil {
		act.Until = ptr(calendar.Date(b.Until.Year(), b.Until.Month(), b.Until.Day()))
	}
	if err := amounts(&act, b.Recovered, b.WrittenOff); err != nil {
		return nil, err
	}
	act.Snooze = snoozeIn(b.Snooze)
	if act.Desk != "" {
		var err error
		if act.Desk, err = s.deskOf(ctx, act.Desk); err != nil {
			return nil, err
		}
	}
	ids, versions := []int64{}, map[int64]int{}
	for _, c := range b.Cases {
		ids = append(ids, c.Id)
		versions[c.Id] = or(c.Version, 0)
	}
	if err := s.Review.Act(ctx, ids, versions, whoAsks(ctx), act); err != nil {
		return nil, err
	}
	out, err := s.casesOut(ctx, ids)
	return contract.ActOnCases200JSONResponse(out), err
}

// snoozeIn is how somebody is to be snoozed; nil where they are not.
func snoozeIn(p *contract.NewSnooze) *casework.Snooze {
	if p == nil {
		return nil
	}
	return &casework.Snooze{Until: calendar.Date(p.Until.Year(), p.Until.Month(), p.Until.Day()), Worse: p.Worse, All: or(p.All, false)}
}

// flagFindingsIn is which flags of a case have findings of their own.
func flagFindingsIn(all *[]contract.FlagFinding) (out []casework.FlagFinding) {
	if all != nil {
		for _, f := range *all {
			out = append(out, casework.FlagFinding{Flag: f.Exception, Finding: string(f.Finding)})
		}
	}
	return out
}

// amounts reads what was recovered and written off.
func amounts(act *casework.Action, recovered, writtenOff *string) error {
	for _, n := range []struct {
		name string
		text *string
		to   **amount.Amount
	}{{"recovered", recovered, &act.Recovered}, {"written_off", writtenOff, &act.WrittenOff}} {
		if n.text == nil {
			continue
		}
		a, err := amount.Parse(amount.Plain(*n.text))
		if err != nil {
			return refusal(http.StatusBadRequest, "invalid-request", "%s: %s", n.name, err)
		}
		*n.to = &a
	}
	return nil
}

func (s *server) UndoOnCases(ctx context.Context, r contract.UndoOnCasesRequestObject) (contract.UndoOnCasesResponseObject, error) {
	if err := s.Review.Undo(ctx, r.Body.Cases, whoAsks(ctx)); err != nil {
		return nil, err
	}
	out, err := s.casesOut(ctx, r.Body.Cases)
	return contract.UndoOnCases200JSONResponse(out), err
}

// casesOut are some cases as they stand, by number.
func (s *server) casesOut(ctx context.Context, ids []int64) ([]contract.Case, error) {
	all, err := s.Review.Some(ctx, ids)
	today := s.calendar(ctx).Today(s.Now())
	out := []contract.Case{}
	for _, c := range all {
		out = append(out, s.caseOut(c, today))
	}
	return out, err
}
