package review

import (
	"context"

	"oskel/core/casework"
	"oskel/internal/store"
)

// notices are who is told what when somebody does something to a case: who is named in
// what is said, who is asked, who has asked, whom it is handed to, and who holds a case
// that somebody else changes.
func notices(ctx context.Context, tx *store.Tx, id int64, by string, was casework.Standing, e casework.Event, act casework.Action) ([]store.NewNotice, error) {
	var out []store.NewNotice
	tell := func(person string, what casework.EventKind, text string) {
		for _, n := range out {
			if n.Person == person {
				return
			}
		}
		if person != "" && person != by {
			out = append(out, store.NewNotice{Person: person, Case: id, What: what, Text: text, Author: by})
		}
	}
	switch e.What {
	case casework.CaseAnswered:
		asker, err := tx.LastAsker(ctx, id)
		if err != nil {
			return nil, err
		}
		tell(asker, e.What, e.Text)
	case casework.CaseAsked:
		tell(act.Person, e.What, act.Text)
	case casework.CaseHandedOver:
		tell(act.Person, e.What, act.Text)
	}
	if e.What == casework.CaseCommented || e.What == casework.CaseAnswered {
		for _, name := range casework.Mentions(e.Text) {
			tell(name, casework.Mentioned, e.Text)
		}
	}
	tell(was.Holder, e.What, e.Text)
	return out, nil
}

// Notices lists what somebody was told last, and how much of all they have not seen.
func (s *Service) Notices(ctx context.Context, person string, unseen bool, skip int) ([]store.Notice, int, error) {
	return s.store.Notices(ctx, person, unseen, skip)
}

// MarkNotificationsRead notes that somebody has seen what they were told, up to a number; of a case
// or with 0 of all.
func (s *Service) MarkNotificationsRead(ctx context.Context, person string, upTo, of int64) error {
	return s.store.MarkNotificationsRead(ctx, person, upTo, of)
}
