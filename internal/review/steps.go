package review

import (
	"context"
	"errors"
	"fmt"
	"maps"
	"slices"
	"strings"

	"oskel/core/calendar"
	"oskel/core/casework"
	"oskel/core/routing"
	"oskel/core/rulebook"
	"oskel/internal/store"
)

// stepsAtOnce is how many cases of a desk come to a step in one transaction; the others
// do so a moment later.
const stepsAtOnce = 200

// byItself is who is said to have done what the calendar brings.
const byItself = "the calendar"

// Steps reminds people of what is due, and takes what is overdue up by the steps of its
// desk: each case comes to each step once, whichever service sees it first.
func (s *Service) Steps(ctx context.Context) error {
	_, book, err := s.books.Published(ctx)
	if errors.Is(err, store.ErrNotFound) {
		return nil
	} else if err != nil {
		return err
	}
	today := book.Calendar.Today(s.now())
	err = s.store.InTx(ctx, 0, func(tx *store.Tx) error {
		all, err := tx.TodosDue(ctx, today, stepsAtOnce)
		if err != nil {
			return err
		}
		var news []store.NewNotice
		for _, t := range all {
			news = append(news, store.NewNotice{Person: t.Owner, Case: t.Case, What: casework.Reminded,
				Text: fmt.Sprintf("To do by %s: %s", t.Due.Words(), t.Text), Author: byItself})
		}
		return tx.Tell(ctx, news)
	})
	if err != nil {
		return err
	}
	for i := range book.Desks {
		desk := &book.Desks[i]
		steps := routing.Steps(book, desk, today)
		for at := range steps {
			for {
				n, err := s.step(ctx, book, desk, steps[at:], today)
				if err != nil {
					return err
				}
				if n < stepsAtOnce {
					break
				}
			}
		}
	}
	return nil
}

// step brings cases of a desk to the first of some steps, and says how many. The others
// are those that come before it: a case that is long overdue does not go through them.
func (s *Service) step(ctx context.Context, book *rulebook.Book, desk *rulebook.Desk, steps []routing.Step, today calendar.Day) (n int, err error) {
	err = s.store.InTx(ctx, 0, func(tx *store.Tx) error {
		cases, err := tx.CasesComeTo(ctx, desk.Name, steps[0].Name, steps[0].Latest, stepsAtOnce)
		if n = len(cases); err != nil || n == 0 {
			return err
		}
		staff, err := tx.Staff(ctx, today)
		if err != nil {
			return err
		}
		var names []string
		for _, st := range steps {
			names = append(names, st.Name)
		}
		var changed []*store.Case
		var events []store.NewCaseEvent
		var news []store.NewNotice
		for i := range cases {
			c := &cases[i]
			if err := tx.NoteSteps(ctx, c, names); err != nil {
				return err
			}
			text, had := steps[0].Name, c.Holder
			if steps[0].HandTo != "" {
				var moved bool
				if moved, text = handUp(staff, c, text, steps[0].HandTo); moved {
					changed = append(changed, c)
				}
			}
			to := told(staff, c, had, steps[0].DeskStep)
			if len(to) > 0 {
				text += ", told to " + strings.Join(to, ", ")
			}
			what, says := casework.Escalated, fmt.Sprintf("%s: was due %s: %s", steps[0].Name, c.Due.Words(), c.Sentence)
			if steps[0].Name == routing.Reminder {
				what, says = casework.Reminded, fmt.Sprintf("due %s: %s", c.Due.Words(), c.Sentence)
			}
			for _, name := range to {
				news = append(news, store.NewNotice{Person: name, Case: c.ID, What: what, Text: says, Author: byItself})
			}
			events = append(events, store.NewCaseEvent{Case: c, Author: byItself, What: what, Text: text})
		}
		if err := tx.UpdateCases(ctx, changed); err != nil {
			return err
		}
		if err := tx.Tell(ctx, news); err != nil {
			return err
		}
		return tx.AddCaseEvents(ctx, events)
	})
	return n, err
}

// handUp gives a case to somebody, or to who stands in for them, and says so or why not.
func handUp(staff map[string]routing.Staff, c *store.Case, step, name string) (moved bool, text string) {
	if p, there := staff[name]; there && p.Away && p.StandIn != "" {
		step, name = fmt.Sprintf("%s: %s is away", step, name), p.StandIn
	}
	p, there := staff[name]
	switch {
	case !there:
		return false, fmt.Sprintf("%s: there is no account %q", step, name)
	case p.Away:
		return false, fmt.Sprintf("%s: %s is away", step, name)
	case c.Bars(name):
		return false, fmt.Sprintf("%s: %s cannot review it", step, name)
	case !p.Works(c.Desk):
		return false, fmt.Sprintf("%s: %s does not work the cases of %s", step, name, c.Desk)
	case c.Holder == name:
		return false, fmt.Sprintf("%s: %s has it already", step, name)
	}
	c.State, c.Holder, c.Undo = casework.Taken, name, nil
	return true, fmt.Sprintf("%s: handed to %s", step, name)
}

// told are the accounts that a step tells of a case, each once: whoever stands in for one
// who is away as well, and where it is handed on who has it now and who had it.
func told(staff map[string]routing.Staff, c *store.Case, had string, s rulebook.DeskStep) []string {
	all := map[string]bool{}
	tell := func(name string) {
		p, there := staff[name]
		if !there {
			return
		}
		all[name] = true
		if _, there := staff[p.StandIn]; p.Away && there {
			all[p.StandIn] = true
		}
	}
	everybody := func(is func(routing.Staff) bool) {
		for name, p := range staff {
			if is(p) {
				tell(name)
			}
		}
	}
	member := func(p routing.Staff) bool { return !p.Lead && p.Works(c.Desk) }
	for _, name := range s.Tell {
		switch {
		case name == rulebook.Leads:
			everybody(func(p routing.Staff) bool { return p.Lead })
		case name == rulebook.Members || name == rulebook.Holder && had == "":
			everybody(member)
		case name == rulebook.Holder:
			tell(had)
		default:
			tell(name)
		}
	}
	if s.HandTo != "" {
		tell(had)
		tell(c.Holder)
	}
	return slices.Sorted(maps.Keys(all))
}
