package sweep

import (
	"context"
	"errors"

	"oskel/core/calendar"
	"oskel/core/judge"
	"oskel/core/measure"
	"oskel/core/record"
	"oskel/core/rulebook"
	"oskel/internal/store"
)

// mostConfirmed is how many closed periods are held against a new revision at a time.
const mostConfirmed = 4

// Confirm holds closed periods, which cannot be swept again, against the published revision
// where that is all that is new since they were swept, some at a time: where it flags the same
// they are not out of date. It says whether there may be more.
func (s *Service) Confirm(ctx context.Context) (more bool, err error) {
	revision, book, err := s.books.Published(ctx)
	if errors.Is(err, store.ErrNotFound) {
		return false, nil
	} else if err != nil {
		return false, err
	}
	known, err := s.store.Confirmed(ctx, revision.Number)
	if err != nil {
		return false, err
	}
	left := mostConfirmed
	for _, grain := range book.Grains() {
		closed, err := s.store.Closings(ctx, grain)
		if err != nil {
			return false, err
		}
		for k := range closed {
			done, err := s.store.LatestSwept(ctx, k)
			if errors.Is(err, store.ErrNotFound) {
				continue
			} else if err != nil {
				return false, err
			}
			done.Period = k
			if _, held := known[done.ID]; held || done.Revision == revision.Number || done.ToDate != nil {
				continue
			}
			at, err := s.otherwiseStale(ctx, book, revision, done, k)
			if err != nil || !at.is {
				return false, err
			}
			if at.stale {
				continue
			}
			if left--; left < 0 {
				return true, nil
			}
			same, err := s.saysTheSame(ctx, book, at.period, done)
			if err != nil {
				return false, err
			}
			if err := s.store.Confirm(ctx, done.ID, revision.Number, same); err != nil {
				return false, err
			}
		}
	}
	return false, nil
}

// otherwise is a closed period as it stands but for the revision.
type otherwise struct {
	period calendar.Period
	is     bool // the calendar has it
	stale  bool // by its data, or by an earlier period
}

func (s *Service) otherwiseStale(ctx context.Context, book *rulebook.Book, revision store.Revision, done store.Sweep, k calendar.Key) (otherwise, error) {
	p, ok := book.Calendar.ByKey(k)
	if !ok {
		return otherwise{is: true, stale: true}, nil
	}
	newest, err := s.store.Newest(ctx)
	if err != nil {
		return otherwise{}, err
	}
	as := done
	as.Revision = revision.Number
	why, err := s.StaleOf(ctx, newest, map[calendar.Key]store.Sweep{k: as})
	return otherwise{p, true, why[k] != ""}, err
}

// saysTheSame says whether a book flags in a period what a sweep of it left flagged, with the
// same grades.
func (s *Service) saysTheSame(ctx context.Context, book *rulebook.Book, p calendar.Period, done store.Sweep) (bool, error) {
	engine, err := s.figures.Engine(ctx, book)
	if err != nil {
		return false, err
	}
	kept, err := s.store.SweepExceptions(ctx, done)
	if err != nil {
		return false, err
	}
	grades := map[record.Key]string{}
	for _, e := range kept {
		if e.State != string(record.Cleared) {
			grades[keyOf(e)] = e.Grade
		}
	}
	same := sameFlags(engine, p, grades)
	if engine.Stopped() {
		return false, ctx.Err()
	}
	return same, nil
}

// sameFlags says whether the rules of an engine's book flag just these, with these grades.
func sameFlags(engine *measure.Engine, p calendar.Period, grades map[record.Key]string) bool {
	found := 0
	for _, r := range judge.All(engine, p) {
		keys, _ := engine.Names(r.Level)
		for _, code := range r.Flagged() {
			for _, k := range flagsOf(r, code, keys[code]) {
				if found++; grades[k] != r.Verdict(code).Grade {
					return false
				}
			}
		}
	}
	return found == len(grades)
}
