// Package sweep evaluates the published rulebook for a period and records the
// exceptions: raised, standing, cleared.
package sweep

import (
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"time"

	"oskel/core/amount"
	"oskel/core/calendar"
	"oskel/core/explain"
	"oskel/core/judge"
	"oskel/core/measure"
	"oskel/core/routing"
	"oskel/internal/books"
	"oskel/internal/figures"
	"oskel/internal/store"
)

// Service is safe for concurrent use; sweeps happen one after the other.
type Service struct {
	store   *store.Store
	books   *books.Service
	figures *figures.Keeper
	now     func() time.Time
}

// New is a service; now is the clock that due days and the end of a period
// are told by.
func New(s *store.Store, b *books.Service, f *figures.Keeper, now func() time.Time) *Service {
	return &Service{s, b, f, now}
}

// Errors of a sweep that cannot be.
var (
	ErrNoRulebook = errors.New("no rulebook is published yet; publish one first")
	ErrNoLines    = errors.New("no feed has lines in the period")
	ErrNotEnded   = errors.New("the period has not ended")
)

// TallyOf is a tally with the rule it is of.
type TallyOf struct {
	Rule  string `json:"rule"`
	Level string `json:"level,omitempty"` // where it judges another than one kind
	judge.Tally
}

// Difference is what changed against the sweep of the same period before.
type Difference struct {
	Sweep    int64    `json:"sweep"`
	Flagged  int      `json:"flagged"`
	NoLonger int      `json:"no_longer"`
	Regraded int      `json:"regraded"`
	Same     int      `json:"same"`
	Examples []Change `json:"examples"`
}

// Change is one subject whose verdict by one rule changed.
type Change struct {
	Change string `json:"change"` // "flagged", "no longer" or "regraded"
	Rule   string `json:"rule"`
	Kind   string `json:"kind"`
	Key    string `json:"key"`
	Name   string `json:"name"`
	Before string `json:"before,omitempty"` // grades
	After  string `json:"after,omitempty"`
}

const shownChanges = 100

// Sweep evaluates the published revision for a month on the newest data. If
// neither has changed since the last sweep of the month, that sweep is
// returned and same is true. With openCases, what is flagged goes to its
// desk.
func (s *Service) Sweep(ctx context.Context, m calendar.Month, author string, openCases bool) (out store.Sweep, same bool, err error) {
	began := time.Now()
	today := calendar.Date(s.now().Date())
	revision, book, err := s.books.Published(ctx)
	if errors.Is(err, store.ErrNotFound) {
		return out, false, ErrNoRulebook
	} else if err != nil {
		return out, false, err
	}
	words := book.Calendar.Words(calendar.MonthPeriod(m))
	first, last := book.Calendar.Span(calendar.MonthPeriod(m))
	if last >= today {
		return out, false, fmt.Errorf("%w: %s ends on %s", ErrNotEnded, words, last.Words())
	}
	engine, err := s.figures.Engine(ctx, book)
	if err != nil {
		return out, false, err
	}
	if !figures.HasLines(engine.Snapshot, first, last) {
		return out, false, fmt.Errorf("%w: %s", ErrNoLines, words)
	}
	err = s.store.Do(ctx, store.LockSweep, func(tx *store.Tx) error {
		prior, err := tx.LatestSweep(ctx, m)
		if err != nil && !errors.Is(err, store.ErrNotFound) {
			return err
		}
		out = store.Sweep{Period: m, Revision: revision.Number, DataVersion: engine.Snapshot.Version, Author: author}
		if before, err := tx.LatestSweep(ctx, m-1); err == nil {
			out.ComparedWith = &before.ID
		} else if !errors.Is(err, store.ErrNotFound) {
			return err
		}
		if prior.ID != 0 && prior.Revision == out.Revision && prior.DataVersion == out.DataVersion && equal(prior.ComparedWith, out.ComparedWith) {
			out, same = prior, true
			return nil
		}
		run := &run{ctx: ctx, tx: tx, engine: engine, sweep: &out, prior: prior.ID, today: today, openCases: openCases}
		if err := run.all(); err != nil {
			return err
		}
		out.TookMS = int(time.Since(began).Milliseconds())
		return tx.FinishSweep(ctx, &out)
	})
	return out, same, err
}

func equal(a, b *int64) bool { return a == nil && b == nil || a != nil && b != nil && *a == *b }

// run is one sweep on its way.
type run struct {
	ctx       context.Context
	tx        *store.Tx
	engine    *measure.Engine
	sweep     *store.Sweep
	prior     int64
	today     calendar.Day
	openCases bool
	diff      Difference
	found     []found // to be written
}

// found is what a sweep has to record of one subject and rule.
type found struct {
	store.Exception
	flagged, wasFlagged bool
}

type exceptionKey struct{ rule, kind, key string }

func keyOf(e store.Exception) exceptionKey { return exceptionKey{e.Rule, e.Kind, e.Key} }

func (r *run) all() error {
	book, m := r.engine.Book, r.sweep.Period
	results := judge.All(r.engine, m)
	var tallies []TallyOf
	for _, result := range results {
		of := TallyOf{Rule: result.Rule.Name, Tally: result.Tally()}
		if len(result.Rule.Levels) > 1 || !result.Level.Plain() {
			of.Level = result.Level.String()
		}
		tallies = append(tallies, of)
	}
	var err error
	if r.sweep.Tallies, err = json.Marshal(tallies); err != nil {
		return err
	}
	if err := r.tx.AddSweep(r.ctx, r.sweep); err != nil {
		return err
	}
	known, err := r.known(m)
	if err != nil {
		return err
	}
	lastPeriod, err := r.known(m - 1)
	if err != nil {
		return err
	}
	done := map[exceptionKey]bool{}
	for _, result := range results {
		keys, names := r.engine.Names(result.Level)
		level := result.Level.String()
		for code, v := range result.Verdicts() {
			key := exceptionKey{result.Rule.Name, level, keys[code]}
			before, wasKnown := known[key]
			last, wasLast := lastPeriod[key]
			wasLast = wasLast && last.State != "cleared"
			if !v.Flagged() && !wasKnown && !wasLast {
				continue
			}
			done[key] = true
			e := r.describe(result, code, v)
			e.Kind, e.Key, e.Name = level, keys[code], names[code]
			if e.Code = code; !result.Level.Plain() {
				if e.Code, err = r.tx.SubjectCode(r.ctx, level, keys[code]); err != nil {
					return err
				}
			}
			e.ID, e.CaseID, e.CaseState, e.Desk = before.ID, before.CaseID, before.CaseState, pick(e.Desk, before.Desk, v.Flagged())
			switch {
			case !v.Flagged():
				e.State, e.Grade, e.Severity = "cleared", pick(last.Grade, before.Grade, !wasKnown), len(book.Grades)
				if !wasKnown {
					e.Desk = last.Desk
				}
			case wasLast:
				e.State = "standing"
			default:
				e.State = "raised"
			}
			r.put(e, before, wasKnown)
		}
	}
	// What was flagged by rules that are off or gone by now, here or in the
	// period before.
	for key, before := range known {
		if !done[key] && before.State != "cleared" {
			e := before
			e.State, e.Sentence, e.Sweep = "cleared", ruleGone, r.sweep.ID
			r.put(e, before, true)
		}
	}
	for key, last := range lastPeriod {
		if _, wasKnown := known[key]; !done[key] && !wasKnown && last.State != "cleared" {
			e := last
			e.ID, e.CaseID, e.CaseState, e.Period = 0, nil, nil, m
			e.State, e.Outcome, e.Severity, e.Sentence, e.Sweep = "cleared", judge.NotJudged.String(), len(book.Grades), ruleGone, r.sweep.ID
			r.put(e, store.Exception{}, false)
		}
	}
	if err := r.toCases(); err != nil {
		return err
	}
	records := make([]store.Exception, len(r.found))
	for i, f := range r.found {
		records[i] = f.Exception
	}
	if err := r.tx.PutExceptions(r.ctx, records); err != nil {
		return err
	}
	if r.prior != 0 {
		r.diff.Sweep = r.prior
		if r.sweep.Difference, err = json.Marshal(r.diff); err != nil {
			return err
		}
	}
	return nil
}

const ruleGone = "The rule is off or no longer in the rulebook."

func pick(a, b string, first bool) string {
	if first {
		return a
	}
	return b
}

func (r *run) known(m calendar.Month) (map[exceptionKey]store.Exception, error) {
	all, err := r.tx.PeriodExceptions(r.ctx, m)
	out := make(map[exceptionKey]store.Exception, len(all))
	for _, e := range all {
		out[keyOf(e)] = e
	}
	return out, err
}

// describe makes the record of a verdict with its evidence and sentence.
func (r *run) describe(result *judge.Result, code uint32, v judge.Verdict) store.Exception {
	book, rule := r.engine.Book, result.Rule
	ev := judge.EvidenceFor(r.engine, result, code)
	e := store.Exception{
		Period: result.Month, Rule: rule.Name, Outcome: v.Outcome.String(), Grade: v.Grade, Severity: book.Severity(v.Grade), Sweep: r.sweep.ID,
		Sentence: explain.Sentence(book, rule, result.Month, v, ev),
	}
	e.Value, e.Yardstick = explain.Values(book, rule, ev)
	if ev.Stake != nil {
		s := amount.RoundRat(ev.Stake, 4)
		e.Stake = &s
	}
	e.Evidence, _ = json.Marshal(ev) // rationals and texts always can be
	e.Desk = routing.Desk(book, routing.Item{Kind: result.Level.String(), Rule: e.Rule, Grade: e.Grade, Attributes: result.Attributes(r.engine, code)})
	return e
}

// put notes one exception and counts it.
func (r *run) put(e, before store.Exception, wasKnown bool) {
	flagged, wasFlagged := e.State != "cleared", wasKnown && before.State != "cleared"
	switch e.State {
	case "raised":
		r.sweep.Raised++
	case "standing":
		r.sweep.Standing++
	default:
		r.sweep.Cleared++
	}
	r.compare(e, before, flagged, wasFlagged)
	r.found = append(r.found, found{e, flagged, wasFlagged})
}

func (r *run) compare(e, before store.Exception, flagged, wasFlagged bool) {
	change := Change{Rule: e.Rule, Kind: e.Kind, Key: e.Key, Name: e.Name}
	switch {
	case flagged && !wasFlagged:
		r.diff.Flagged++
		change.Change, change.After = "flagged", e.Grade
	case !flagged && wasFlagged:
		r.diff.NoLonger++
		change.Change, change.Before = "no longer", before.Grade
	case flagged && e.Grade != before.Grade:
		r.diff.Regraded++
		change.Change, change.Before, change.After = "regraded", before.Grade, e.Grade
	case flagged:
		r.diff.Same++
		return
	default:
		return
	}
	if len(r.diff.Examples) < shownChanges {
		r.diff.Examples = append(r.diff.Examples, change)
	}
}

func (r *run) title(rule string) string {
	if d := r.engine.Book.Rule(rule); d != nil {
		return d.Title
	}
	return rule
}
