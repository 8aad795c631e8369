// Package review is the work on desks: cases taken, talked over and settled.
package review

import (
	"context"
	"errors"
	"fmt"
	"slices"
	"time"

	"oskel/internal/people"
	"oskel/internal/store"
)

// Service is safe for concurrent use.
type Service struct {
	store  *store.Store
	counts counted
}

// New is a service over a store.
func New(s *store.Store) *Service { return &Service{store: s} }

// Errors of what cannot be done to a case.
var (
	ErrNotYours = errors.New("only members of the desk work its cases")
	ErrState    = errors.New("the case does not allow it")
	ErrChanged  = errors.New("the case has changed since it was read")
)

// Findings are what a reviewer may conclude. Cleared says that nothing in the
// case is flagged any more, so that there was nothing left to find.
var Findings = []string{"confirmed", "explained", "data fault", "rule fault", Cleared}

// Cleared is the finding of a case in which nothing is flagged any more.
const Cleared = "cleared"

// MayAct says whether a person works the cases of a desk: its members and the
// leads.
func MayAct(p store.Person, desk string) bool {
	return p.Role == people.Lead || p.Role == people.Reviewer && slices.Contains(p.Desks, desk)
}

// Take makes the person the one who works on the case.
func (s *Service) Take(ctx context.Context, id int64, by store.Person, version int) error {
	return s.change(ctx, id, by, version, func(c *store.Case) (string, string, error) {
		if c.State == "taken" {
			if *c.TakenBy == by.Name {
				return "", "", fmt.Errorf("%w: it is already yours", ErrState)
			}
			return "", "", fmt.Errorf("%w: %s has taken it", ErrState, *c.TakenBy)
		}
		c.State, c.TakenBy = "taken", &by.Name
		return "taken", "", nil
	})
}

// Release puts a taken case back on the desk.
func (s *Service) Release(ctx context.Context, id int64, by store.Person, version int) error {
	return s.change(ctx, id, by, version, func(c *store.Case) (string, string, error) {
		if c.State != "taken" {
			return "", "", fmt.Errorf("%w: nobody has taken it", ErrState)
		}
		// Who could put it back could settle it then.
		if *c.TakenBy != by.Name && by.Role != people.Lead {
			return "", "", fmt.Errorf("%w: %s has taken it and puts it back, or a lead", ErrState, *c.TakenBy)
		}
		text := ""
		if *c.TakenBy != by.Name {
			text = "from " + *c.TakenBy
		}
		c.State, c.TakenBy = "open", nil
		return "released", text, nil
	})
}

// Settle ends the review with a finding. A case that another member has taken
// is settled by that one, or by a lead.
func (s *Service) Settle(ctx context.Context, id int64, by store.Person, version int, finding, note string, at time.Time) error {
	if !slices.Contains(Findings, finding) {
		return fmt.Errorf("%w: %q is not a finding; expected confirmed, explained, data fault, rule fault or cleared", ErrState, finding)
	}
	return s.change(ctx, id, by, version, func(c *store.Case) (string, string, error) {
		if c.State == "taken" && *c.TakenBy != by.Name && by.Role != people.Lead {
			return "", "", fmt.Errorf("%w: %s has taken it and settles it", ErrState, *c.TakenBy)
		}
		if finding == Cleared && !c.Cleared {
			return "", "", fmt.Errorf("%w: something in it is still flagged, so it is not settled as cleared", ErrState)
		}
		c.State, c.Finding, c.SettledBy, c.SettledAt = "settled", &finding, &by.Name, &at
		text := finding
		if note != "" {
			text += ": " + note
		}
		return "settled", text, nil
	})
}

// SettleCleared settles all cases in which nothing is flagged any more, of one
// desk or, with "", of all on which the person works; those that another has
// taken are left to that one. It says how many.
func (s *Service) SettleCleared(ctx context.Context, by store.Person, desk string, at time.Time) (settled int, err error) {
	desks := by.Desks
	switch {
	case desk != "" && !MayAct(by, desk):
		return 0, ErrNotYours
	case desk != "":
		desks = []string{desk}
	case by.Role == people.Lead:
		desks = nil
	case by.Role != people.Reviewer:
		return 0, ErrNotYours
	}
	err = s.store.Do(ctx, 0, func(tx *store.Tx) error {
		all, err := tx.ClearedCases(ctx, desks)
		if err != nil {
			return err
		}
		var changed []*store.Case
		var events []store.NewCaseEvent
		finding := Cleared
		for i := range all {
			c := &all[i]
			if c.State == "taken" && *c.TakenBy != by.Name && by.Role != people.Lead {
				continue
			}
			c.State, c.Finding, c.SettledBy, c.SettledAt = "settled", &finding, &by.Name, &at
			changed = append(changed, c)
			events = append(events, store.NewCaseEvent{Case: c, Author: by.Name, What: "settled", Text: finding})
		}
		settled = len(changed)
		if err := tx.UpdateCases(ctx, changed); err != nil {
			return err
		}
		return tx.AddCaseEvents(ctx, events)
	})
	return settled, err
}

// Comment adds to the talk of a case, settled or not. Analysts may too: they
// are asked about rules and data.
func (s *Service) Comment(ctx context.Context, id int64, by store.Person, text string) error {
	return s.store.Do(ctx, 0, func(tx *store.Tx) error {
		c, err := tx.LockCase(ctx, id)
		if err != nil {
			return err
		}
		if by.Role != people.Analyst && !MayAct(by, c.Desk) {
			return ErrNotYours
		}
		return tx.AddCaseEvent(ctx, id, by.Name, "comment", text)
	})
}

// Detail finds a case.
func (s *Service) Detail(ctx context.Context, id int64) (store.CaseDetail, error) {
	return s.store.CaseDetail(ctx, id)
}

// change does one thing to an unsettled case of the version given (0 is any).
func (s *Service) change(ctx context.Context, id int64, by store.Person, version int, do func(*store.Case) (what, text string, err error)) error {
	return s.store.Do(ctx, 0, func(tx *store.Tx) error {
		c, err := tx.LockCase(ctx, id)
		switch {
		case err != nil:
			return err
		case !MayAct(by, c.Desk):
			return ErrNotYours
		case c.State == "settled":
			return fmt.Errorf("%w: %s settled it on %s as %s", ErrState, *c.SettledBy, c.SettledAt.Format("2 Jan 2006"), *c.Finding)
		case version != 0 && version != c.Version:
			return ErrChanged
		}
		what, text, err := do(&c)
		if err != nil {
			return err
		}
		return tx.UpdateCase(ctx, c, store.CaseEvent{Author: by.Name, What: what, Text: text})
	})
}
