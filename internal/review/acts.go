package review

import (
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"slices"
	"time"

	"oskel/core/calendar"
	"oskel/core/casework"
	"oskel/core/rulebook"
	"oskel/internal/people"
	"oskel/internal/store"
)

// MostAtOnce is to how many cases one thing is done at once.
const MostAtOnce = 200

// undoable is for how long what was done can be undone by whoever did it.
const undoable = 10 * time.Second

// Errors of doing the same to several cases.
var (
	ErrMany = fmt.Errorf("state 1 to %d cases", MostAtOnce)
	ErrUndo = errors.New("nothing to undo")
)

// personOf is an account as casework knows it.
func personOf(p store.Person) casework.Person {
	return casework.Person{Name: p.Name, Lead: p.Role == people.Lead, Reviews: p.Role == people.Reviewer, Defines: p.Role == people.Analyst, Desks: p.Desks}
}

// undo is how a case is put back to what it was.
type undo struct {
	Was     casework.Standing  `json:"was"`
	Parked  *int64             `json:"parked_at,omitempty"`
	Due     calendar.Day       `json:"due"`
	By      string             `json:"by"`
	What    casework.EventKind `json:"what"`
	At      time.Time          `json:"at"`
	Version int                `json:"version"` // of the case after it
}

// keepUndo has a case know how it is put back to what it was.
func keepUndo(c *store.Case, was casework.Standing, by string, what casework.EventKind, now time.Time) (err error) {
	c.Undo, err = json.Marshal(undo{was, c.ParkedAt, c.Due, by, what, now, c.Version + 1})
	return err
}

// Act does one thing to some cases, all of them or none. Versions, where they are stated,
// are those that were read.
func (s *Service) Act(ctx context.Context, ids []int64, versions map[int64]int, by store.Person, act casework.Action) error {
	if len(ids) == 0 || len(ids) > MostAtOnce {
		return ErrMany
	}
	return s.store.InTx(ctx, 0, func(tx *store.Tx) error {
		scene, err := s.scene(ctx, tx, act)
		if err != nil {
			return err
		}
		if len(act.FlagFindings) > 0 && len(ids) > 1 {
			return fmt.Errorf("%w: flags can have findings of their own only in one case at a time", ErrState)
		}
		var named map[int64]bool // in which they may say something
		if act.Kind == "comment" {
			if named, err = tx.NamedIn(ctx, by.Name, ids); err != nil {
				return err
			}
		}
		var news []store.NewNotice
		err = s.each(ctx, tx, ids, versions, func(c *store.Case) (store.NewCaseEvent, error) {
			was := c.Standing
			person := personOf(by)
			person.Named = named[c.ID]
			var err error
			if act.FlagFindings, err = withWords(ctx, tx, scene.Book, c.ID, act.FlagFindings); err != nil {
				return store.NewCaseEvent{}, err
			}
			e, err := scene.Apply(&c.Case, person, act)
			if err != nil {
				return store.NewCaseEvent{}, err
			}
			c.Undo = nil
			if e.What != casework.CaseCommented && e.What != casework.CaseAnswered { // said is said
				if err := keepUndo(c, was, by.Name, e.What, scene.Now); err != nil {
					return store.NewCaseEvent{}, err
				}
			}
			if act.Kind == "park" && c.ParkedFor != "" { // whatever else is done to it, lines since then have come
				_, version, err := tx.Newest(ctx)
				if err != nil {
					return store.NewCaseEvent{}, err
				}
				c.ParkedAt = &version
			}
			told, err := notices(ctx, tx, c.ID, by.Name, was, e, act)
			news = append(news, told...)
			return store.NewCaseEvent{Case: c, Author: by.Name, What: e.What, Text: e.Text}, err
		})
		if err == nil {
			err = tx.Tell(ctx, news)
		}
		switch {
		case err != nil:
			return err
		case act.Kind == "reopen":
			if err := tx.DropFaults(ctx, ids); err != nil {
				return err
			}
			return tx.EndSnoozes(ctx, ids, by.Name)
		case act.Kind == "settle" && act.Finds(casework.DataFault):
			if err := s.faults(ctx, tx, scene.Book, ids, act, by.Name); err != nil {
				return err
			}
		}
		if p := act.Snooze; p != nil && act.Kind == "settle" {
			if p.Worse != nil {
				if rule, err := tx.WithoutDistance(ctx, ids); err != nil {
					return err
				} else if rule != "" {
					return fmt.Errorf("%w: flags of %s have no distance from a cut; state the day alone", casework.ErrState, rule)
				}
			}
			return tx.Snooze(ctx, ids, p.All, p.Until, p.Worse, by.Name)
		}
		return nil
	})
}

// withWords says in words which flags of a case have findings of their own; the case is held,
// so that none leaves it meanwhile.
func withWords(ctx context.Context, tx *store.Tx, book *rulebook.Book, id int64, apart []casework.FlagFinding) ([]casework.FlagFinding, error) {
	if len(apart) == 0 {
		return nil, nil
	}
	flags, err := tx.FlagsOf(ctx, id)
	if err != nil {
		return nil, err
	}
	for i := range apart {
		f := &apart[i]
		rule, in := flags[f.Flag]
		if !in {
			return nil, fmt.Errorf("%w: exception %d is not in case %d", ErrState, f.Flag, id)
		}
		if f.Words = rule; book.Rule(rule) != nil {
			f.Words = book.Rule(rule).Title
		}
		f.Words += fmt.Sprintf(" (exception %d)", f.Flag)
	}
	return apart, nil
}

// Undo puts cases back to what they were before what the person did to them last, a
// moment ago, if nothing else was done since.
func (s *Service) Undo(ctx context.Context, ids []int64, by store.Person) error {
	if len(ids) == 0 || len(ids) > MostAtOnce {
		return ErrMany
	}
	now := s.now()
	return s.store.InTx(ctx, 0, func(tx *store.Tx) error {
		settled := []int64{}
		err := s.each(ctx, tx, ids, nil, func(c *store.Case) (store.NewCaseEvent, error) {
			var u undo
			if len(c.Undo) == 0 || json.Unmarshal(c.Undo, &u) != nil || u.By != by.Name {
				return store.NewCaseEvent{}, ErrUndo
			}
			switch {
			case u.Version != c.Version:
				return store.NewCaseEvent{}, fmt.Errorf("%w: it has been changed since", ErrUndo)
			case now.Sub(u.At) > undoable:
				return store.NewCaseEvent{}, fmt.Errorf("%w: an action can be undone for %d seconds", ErrUndo, int(undoable.Seconds()))
			}
			c.Standing, c.ParkedAt, c.Due, c.Undo = u.Was, u.Parked, u.Due, nil
			if u.What == casework.CaseSettled {
				settled = append(settled, c.ID)
			}
			return store.NewCaseEvent{Case: c, Author: by.Name, What: casework.ActUndone, Text: string(u.What)}, nil
		})
		if err != nil {
			return err
		}
		if err := tx.Untell(ctx, ids, by.Name); err != nil {
			return err
		}
		if err := tx.DropFaults(ctx, settled); err != nil {
			return err
		}
		return tx.EndSnoozes(ctx, settled, by.Name)
	})
}

// scene is what an act is seen against, as the transaction sees it. Taking and the like,
// which is done all day, needs no rulebook.
func (s *Service) scene(ctx context.Context, tx *store.Tx, act casework.Action) (casework.Context, error) {
	book := &rulebook.Book{}
	if act.Kind == "hand over" || act.Kind == "park" || act.Kind == "settle" &&
		(act.Reason != "" || act.Snooze != nil || len(act.FlagFindings) > 0 || act.Finds(casework.DataFault)) {
		var err error
		if book, err = s.published(ctx, tx); err != nil {
			return casework.Context{}, err
		}
	}
	now := s.now()
	return casework.Context{Book: book, Now: now, Today: book.Calendar.Today(now), Person: func(name string) (casework.Person, bool) {
		p, err := tx.OpenPerson(ctx, name)
		if err != nil {
			return casework.Person{}, false
		}
		out := personOf(p)
		today := book.Calendar.Today(now)
		if all, err := tx.Absences(ctx, today, today); err == nil {
			for _, a := range all {
				if a.Person == name {
					out.Away = awayWords(a)
				}
			}
		}
		return out, true
	}}, nil
}

// Snoozes lists who is snoozed.
func (s *Service) Snoozes(ctx context.Context, today calendar.Day) ([]store.Snooze, error) {
	return s.store.Snoozes(ctx, today)
}

// EndSnooze ends one within a transaction, and tells it in its case; members of its desk
// and leads do. What is flagged of its subject now, and is in no case, goes to a desk again.
func EndSnooze(ctx context.Context, tx *store.Tx, id int64, by store.Person) ([]store.Exception, error) {
	p, err := tx.EndSnooze(ctx, id, by.Name)
	if err != nil {
		return nil, err
	}
	c, err := tx.LockCase(ctx, p.Case)
	if err != nil {
		return nil, err
	}
	if !MayAct(by, c.Desk) {
		return nil, ErrNotYours
	}
	if err := tx.AddCaseEvent(ctx, p.Case, by.Name, casework.SnoozeEnded, ""); err != nil {
		return nil, err
	}
	return tx.InNoCase(ctx, c.Kind, c.Code, p.Rule)
}

// awayWords say until when somebody is away, and who stands in.
func awayWords(a store.Absence) string {
	words := "until " + a.Last.Words()
	if a.StandIn != "" {
		words += ", " + a.StandIn + " stands in"
	}
	return words
}

// noCase says that there is none of a number.
type noCase int64

func (n noCase) Error() string { return fmt.Sprintf("there is no case %d", int64(n)) }

// Unwrap has it be store.ErrNotFound.
func (noCase) Unwrap() error { return store.ErrNotFound }

// each does something to each of some cases, in order of their numbers, and writes them
// with what is told of it; nothing at all where one does not allow it.
func (s *Service) each(ctx context.Context, tx *store.Tx, ids []int64, versions map[int64]int, do func(*store.Case) (store.NewCaseEvent, error)) error {
	ids = slices.Compact(slices.Sorted(slices.Values(ids)))
	all, err := tx.LockCases(ctx, ids)
	if err != nil {
		return err
	}
	of := func(id int64, err error) error {
		if len(ids) > 1 {
			return fmt.Errorf("nothing was done: case %d: %w", id, err)
		}
		return err
	}
	var changed []*store.Case
	var events []store.NewCaseEvent
	for i, id := range ids {
		if i >= len(all) || all[i].ID != id {
			return of(id, noCase(id))
		}
		c := &all[i]
		if v := versions[id]; v != 0 && v != c.Version {
			return of(id, s.changed(ctx, tx, id))
		}
		e, err := do(c)
		if err != nil {
			return of(id, err)
		}
		if events = append(events, e); e.What != casework.CaseCommented { // which leaves the case what it is
			changed = append(changed, c)
		}
	}
	if len(changed) == 1 && len(events) == 1 {
		err = tx.UpdateCase(ctx, *changed[0], store.CaseEvent{Author: events[0].Author, What: events[0].What, Text: events[0].Text})
	} else if err = tx.UpdateCases(ctx, changed); err == nil {
		err = tx.AddCaseEvents(ctx, events)
	}
	switch {
	case store.IsDuplicate(err):
		return fmt.Errorf("%w: another case of the subject is open on that desk", ErrState)
	case err != nil:
		return err
	case slices.ContainsFunc(events, func(e store.NewCaseEvent) bool {
		return e.What == casework.CaseReopened || e.What == casework.ActUndone
	}):
		return tx.Reclear(ctx, ids) // sweeps have left it alone since
	}
	return nil
}

// changed says by whom a case has changed since it was read.
func (s *Service) changed(ctx context.Context, tx *store.Tx, id int64) error {
	e, err := tx.LastEvent(ctx, id)
	if err != nil {
		return err
	}
	by := e.Author
	if by == "" {
		by = "a sweep"
	}
	return fmt.Errorf("%w: %s by %s", ErrChanged, e.What, by)
}

// Wake takes parked cases back whose day has come, or for which lines have. It looks at
// most four times a second.
func (s *Service) Wake(ctx context.Context) error {
	s.mu.Lock()
	soon := time.Since(s.woke) < countsHold
	if !soon {
		s.woke = time.Now()
	}
	s.mu.Unlock()
	if soon {
		return nil
	}
	some, err := s.store.AnyParked(ctx)
	if err != nil || !some {
		return err
	}
	return s.store.InTx(ctx, 0, func(tx *store.Tx) error {
		book, err := s.published(ctx, tx)
		if err != nil {
			return err
		}
		parked, err := tx.ParkedCases(ctx)
		if err != nil {
			return err
		}
		var changed []*store.Case
		var events []store.NewCaseEvent
		for i := range parked {
			c := &parked[i].Case
			if c.IsBack(book.Calendar.Today(s.now()), func(string) bool { return parked[i].Came }) {
				e := c.Return()
				c.Undo = nil
				changed, events = append(changed, c), append(events, store.NewCaseEvent{Case: c, Author: byItself, What: e.What, Text: e.Text})
			}
		}
		if err := tx.UpdateCases(ctx, changed); err != nil {
			return err
		}
		return tx.AddCaseEvents(ctx, events)
	})
}
