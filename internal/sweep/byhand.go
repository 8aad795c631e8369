package sweep

import (
	"context"
	"errors"
	"fmt"
	"slices"

	"oskel/core/amount"
	"oskel/core/calendar"
	"oskel/core/lang"
	"oskel/core/record"
	"oskel/core/routing"
	"oskel/core/rulebook"
	"oskel/internal/store"
)

// MostByHand is how many exceptions are taken to their desks by hand at once.
const MostByHand = 200

// ErrByHand says why an exception cannot be taken to its desk by hand.
var ErrByHand = errors.New("it cannot open a case")

// ToDesks takes exceptions that are in no case to their desks, as somebody says: into the
// unsettled case of the same subject there, or a new one; all of them or none. Which they
// are find says, inside the transaction. It returns the cases.
func (s *Service) ToDesks(ctx context.Context, author string, find func(*store.Tx, *rulebook.Book) ([]store.Exception, error)) (cases []int64, err error) {
	for range attempts {
		if cases, err = s.toDesks(ctx, author, find); !errors.Is(err, errOvertaken) {
			break
		}
	}
	return cases, err
}

// toDesks sends exceptions to desks by hand, in one transaction. What is sent is found within it,
// so that two who send the same at once open one case.
func (s *Service) toDesks(ctx context.Context, author string, find func(*store.Tx, *rulebook.Book) ([]store.Exception, error)) (cases []int64, err error) {
	revision, book, err := s.books.Published(ctx)
	if err != nil {
		return nil, err
	}
	engine, err := s.figures.Engine(ctx, book)
	if err != nil {
		return nil, err
	}
	now := s.now()
	err = s.store.InTx(ctx, store.LockSweep, func(tx *store.Tx) error {
		if newest, _, err := tx.Newest(ctx); err != nil {
			return err
		} else if newest != revision.Number {
			return errOvertaken
		}
		all, err := find(tx, book)
		if err != nil {
			return err
		}
		byPeriod := map[calendar.Key][]store.Exception{}
		var periods []calendar.Key
		for _, e := range all {
			if byPeriod[e.Period] == nil {
				periods = append(periods, e.Period)
			}
			byPeriod[e.Period] = append(byPeriod[e.Period], e)
		}
		cases = nil
		for _, k := range periods {
			p, known := book.Calendar.ByKey(k)
			if !known {
				return fmt.Errorf("%w: the calendar has no %s %s any more", ErrByHand, k.Grain, k.Start)
			}
			if c, err := tx.Closing(ctx, k); err == nil {
				return fmt.Errorf("%w: %s closed %s", store.ErrClosed, c.Author, book.Calendar.Words(p))
			} else if !errors.Is(err, store.ErrNotFound) {
				return err
			}
			r := &run{told: map[int64]bool{}, ctx: ctx, tx: tx, at: book.Calendar.Resolve(p), engine: engine, sweep: &store.Sweep{Period: k, Author: author},
				today: book.Calendar.Today(now), openCases: true, now: now, byHand: author}
			for _, e := range byPeriod[k] {
				r.found = append(r.found, found{Exception: e, routed: r.routed(e)})
			}
			if err := r.toCases(); err != nil {
				return err
			}
			for _, f := range r.found {
				if f.CaseID == nil {
					continue
				}
				if err := tx.PutInCase(ctx, f.ID, *f.CaseID); err != nil {
					return err
				}
				if r.told[*f.CaseID] = true; !slices.Contains(cases, *f.CaseID) {
					cases = append(cases, *f.CaseID)
				}
			}
			var told []int64
			for id := range r.told {
				told = append(told, id)
			}
			if err := tx.TellCases(ctx, told, book.OtherStakes()); err != nil {
				return err
			}
		}
		return nil
	})
	return cases, err
}

// routed says more of where a recorded exception goes: who gets it by the routes as they
// are now, and whom it is about.
func (r *run) routed(e store.Exception) record.Routed {
	book := r.engine.Book
	level, complaint := book.ParseLevel(e.Kind)
	if complaint != "" {
		return record.Routed{}
	}
	attributes := func(string) lang.Value { return lang.Value{} }
	if code, there := r.engine.Code(level, e.Key); there {
		attributes = r.engine.Lookup(r.engine.Slot(level, r.at.Of), code)
	}
	item := routing.Item{Kind: e.Kind, Rule: e.Rule, Grade: e.Grade, State: e.State, Streak: or(e.Streak, 0), Attributes: attributes}
	if rule := book.Rule(e.Rule); rule != nil {
		item.Family = rule.Family()
	}
	if e.Stake != nil {
		if stake, err := amount.Parse(*e.Stake); err == nil {
			item.Stake = &stake
		}
	}
	to := routing.To(book, item)
	if to.Desk != e.Desk { // it stays on the desk where it is listed
		to = routing.Destination{}
	}
	self := book.SelfOf(level, attributes)
	return record.Routed{For: to.For, Copy: to.Copy, Self: self, Reports: r.below()[self]}
}

// TakeToDesks takes some exceptions that are in no case to their desks; may says whether
// whoever asks works the cases of one.
func (s *Service) TakeToDesks(ctx context.Context, ids []int64, author string, may func(desk string) bool) ([]int64, error) {
	ids = slices.Compact(slices.Sorted(slices.Values(ids)))
	if len(ids) == 0 || len(ids) > MostByHand {
		return nil, fmt.Errorf("%w: state 1 to %d exceptions", ErrByHand, MostByHand)
	}
	return s.ToDesks(ctx, author, func(tx *store.Tx, book *rulebook.Book) ([]store.Exception, error) {
		all, err := tx.SomeExceptions(ctx, ids)
		if err != nil {
			return nil, err
		}
		for i, id := range ids {
			switch {
			case i >= len(all) || all[i].ID != id:
				return nil, fmt.Errorf("exception %d: %w", id, store.ErrNotFound)
			case all[i].CaseID != nil:
				return nil, fmt.Errorf("%w: exception %d is in case %d", ErrByHand, id, *all[i].CaseID)
			case all[i].State == string(record.Cleared):
				return nil, fmt.Errorf("%w: exception %d has cleared", ErrByHand, id)
			case book.Desk(all[i].Desk) == nil:
				return nil, fmt.Errorf("%w: the rulebook has no desk %q, where exception %d goes", ErrByHand, all[i].Desk, id)
			case !may(all[i].Desk):
				return nil, fmt.Errorf("%w: only members of %s, analysts and leads may open a case for exception %d", ErrByHand, book.Desk(all[i].Desk).Title, id)
			}
		}
		return all, nil
	})
}
