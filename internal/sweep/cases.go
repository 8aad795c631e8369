package sweep

import (
	"fmt"

	"oskel/core/calendar"
	"oskel/core/routing"
	"oskel/internal/store"
)

// subjectDesk is where there is at most one unsettled case.
type subjectDesk struct {
	kind string
	code uint32
	desk string
}

// toCases takes what was found to its desks: into the unsettled case of the
// same subject there, or a new one. What was put into a case before stays in
// it, settled or not. All is written at once, however much was found.
func (r *run) toCases() error {
	unsettled, err := r.tx.UnsettledCases(r.ctx)
	if err != nil {
		return err
	}
	open, byID := map[subjectDesk]*store.Case{}, map[int64]*store.Case{}
	for i := range unsettled {
		c := &unsettled[i]
		open[subjectDesk{c.Kind, c.Code, c.Desk}], byID[c.ID] = c, c
	}
	var fresh, changed []*store.Case
	touched := map[*store.Case]bool{}
	var events []store.NewCaseEvent
	homes := make([]*store.Case, len(r.found)) // of what has none yet
	for i, f := range r.found {
		note := func(c *store.Case, what string) {
			events = append(events, store.NewCaseEvent{Case: c, Author: fmt.Sprintf("sweep %d", r.sweep.ID), What: what,
				Text: fmt.Sprintf("%s, %s: %s", r.title(f.Rule), r.engine.Book.Calendar.Words(calendar.MonthPeriod(f.Period)), f.Sentence)})
		}
		if f.CaseID != nil {
			c := byID[*f.CaseID]
			switch {
			case c == nil || f.flagged == f.wasFlagged: // settled, or as it was
			case f.flagged:
				note(c, "joined")
			default:
				note(c, "cleared")
			}
			continue
		}
		if !f.flagged || !r.openCases || f.Desk == "" {
			continue
		}
		due := routing.Due(r.engine.Book.Calendar, r.engine.Book.Desk(f.Desk), f.Grade, r.today)
		at := subjectDesk{f.Kind, f.Code, f.Desk}
		c := open[at]
		if c == nil {
			c = &store.Case{Kind: f.Kind, Code: f.Code, Desk: f.Desk, State: "open", Grade: f.Grade, Severity: f.Severity, Due: due}
			open[at], homes[i] = c, c
			fresh = append(fresh, c)
			note(c, "opened")
			continue
		}
		homes[i] = c
		if f.Severity < c.Severity || due < c.Due {
			c.Grade, c.Severity, c.Due = pick(f.Grade, c.Grade, f.Severity < c.Severity), min(f.Severity, c.Severity), min(due, c.Due)
		}
		if c.ID != 0 && !touched[c] {
			touched[c] = true
			changed = append(changed, c)
		}
		note(c, "joined")
	}
	if err := r.tx.AddCases(r.ctx, fresh); err != nil {
		return err
	}
	for i, c := range homes {
		if c != nil {
			r.found[i].CaseID = &c.ID
		}
	}
	if err := r.tx.UpdateCases(r.ctx, changed); err != nil {
		return err
	}
	return r.tx.AddCaseEvents(r.ctx, events)
}
