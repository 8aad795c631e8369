package review

import (
	"context"

	"oskel/core/casework"
	"oskel/internal/store"
)

// notices are who is told what when somebody does something to a case: who is named in
// what is said, who is asked, who has asked, whom it is handed to, and who holds a case
// that somebody else changes.
func notices(ctx context.Context, tx *store.Tx, id int64, by string, was casework.Case, e casework.Event, act casework.Act) ([]store.NewNotice, error) {
	var out []store.NewNotice
	tell := func(person, what, text string) {
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
	case "answered":
		asker, err := tx.LastAsker(ctx, id)
		if err != nil {
			return nil, err
		}
		tell(asker, "answered", e.Text)
	case "asked":
		tell(act.Person, "asked", act.Text)
	case "handed over":
		tell(act.Person, "handed over", act.Text)
	}
	if e.What == "comment" || e.What == "answered" {
		for _, name := range casework.Mentions(e.Text) {
			tell(name, "named", e.Text)
		}
	}
	tell(was.Holder, e.What, e.Text)
	return out, nil
}

// Notices lists what somebody was told last, and how much of all they have not seen.
func (s *Service) Notices(ctx context.Context, person string, unseen bool, skip int) ([]store.Notice, int, error) {
	return s.store.Notices(ctx, person, unseen, skip)
}

// SeeNotices notes that somebody has seen what they were told, up to a number; of a case
// or with 0 of all.
func (s *Service) SeeNotices(ctx context.Context, person string, upTo, of int64) error {
	return s.store.SeeNotices(ctx, person, upTo, of)
}
