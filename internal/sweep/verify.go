package sweep

import (
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"reflect"
	"strconv"

	"oskel/core/judge"
	"oskel/core/record"
	"oskel/internal/store"
)

// Verified is what a sweep recorded, held against what its revision and its data
// version say when they are computed again.
type Verified struct {
	Sweep    store.Sweep
	Overtook int64 // the later sweep of the period that stands now; 0 if there is none
	Earlier  bool  // it was made by an earlier version, which may have judged otherwise
	Checked  int   // exceptions as it left them; of one that was overtaken before such were kept, those that still stand so
	Wrong    []Mismatch
}

// Mismatch is something on record that does not hold.
type Mismatch struct {
	Exception  int64 // 0 of one that is not on record
	Rule, Key  string
	What       string
	Recorded   string
	Recomputed string
}

// ErrCalendar says that a period cannot be computed again.
var ErrCalendar = errors.New("the revision's calendar has no such period")

// Verify computes a sweep again, from its revision and its data version, and compares
// all that it recorded with that, to the last digit. It changes nothing.
func (s *Service) Verify(ctx context.Context, id int64) (v Verified, err error) {
	if v.Sweep, err = s.store.Sweep(ctx, id); err != nil {
		return v, err
	}
	last, err := s.store.LatestSwept(ctx, v.Sweep.Period)
	if err != nil {
		return v, err
	}
	v.Earlier = v.Sweep.Computation < Computation
	if last.ID != id {
		v.Overtook = last.ID
	}
	_, published, err := s.books.Published(ctx)
	if err != nil {
		return v, err
	}
	book, err := s.books.At(ctx, v.Sweep.Revision)
	if err != nil {
		return v, err
	}
	if v.Sweep.ToDate != nil {
		book = book.ToDateTo(*v.Sweep.ToDate)
	}
	p, ok := book.Calendar.ByKey(v.Sweep.Period)
	if !ok {
		return v, ErrCalendar
	}
	engine, err := s.figures.EngineOf(ctx, published, book, v.Sweep.DataVersion)
	if err != nil {
		return v, err
	}
	kept, err := s.store.SweepExceptions(ctx, v.Sweep)
	if err != nil {
		return v, err
	}
	results := judge.All(engine, p)
	if engine.Stopped() {
		return v, ctx.Err()
	}
	again := &again{run: run{ctx: ctx, engine: engine, at: engine.Book.Calendar.Resolve(p), sweep: &v.Sweep}, results: map[[2]string]*judge.Result{},
		left: map[record.Key]bool{}}
	again.all(results)
	if err := again.compare(ctx, s.store); err != nil {
		return v, err
	}
	for _, e := range kept {
		v.Checked++
		v.Wrong = append(v.Wrong, again.hold(e)...)
	}
	if v.Overtook == 0 || v.Sweep.Whole { // whatever is flagged again and is not on record
		for _, r := range results {
			keys, _ := engine.Names(r.Level)
			for code := range r.All() {
				for _, k := range flagsOf(r, code, keys[code]) {
					if again.left[k] {
						v.Wrong = append(v.Wrong, Mismatch{Rule: k.Rule, Key: k.Subject, What: "the exception", Recorded: "none", Recomputed: "flagged"})
					}
				}
			}
		}
	}
	return v, nil
}

// again is a sweep that is computed again.
type again struct {
	run
	results map[[2]string]*judge.Result // by rule and level
	left    map[record.Key]bool         // flagged, and not found on record yet

	compared bool                       // it is known what the sweep was compared with
	before   map[record.Key]record.Flag // what was flagged in the period before, as it was then
}

func (a *again) all(results []*judge.Result) {
	for _, r := range results {
		a.results[[2]string{r.Rule.Name, r.Level.String()}] = r
		keys, _ := a.engine.Names(r.Level)
		for code := range r.All() {
			for _, k := range flagsOf(r, code, keys[code]) {
				a.left[k] = true
			}
		}
	}
}

// compare reads what stood in the period before when the sweep was made.
func (a *again) compare(ctx context.Context, from *store.Store) error {
	a.before = map[record.Key]record.Flag{}
	if a.compared = a.sweep.Whole && a.sweep.Computation >= Computation; !a.compared || a.sweep.ComparedWith == nil {
		return nil
	}
	if !a.at.HasBefore {
		return nil
	}
	left, _, err := from.FlagsLeft(ctx, a.at.BeforeKey, a.sweep.ID)
	if err != nil {
		return err
	}
	for f := range left {
		a.before[record.Key{Rule: f.Rule, Level: f.Kind, Subject: f.Key}] = record.Flag{State: record.Standing}
	}
	return follow(ctx, from, a.engine.Book.Calendar, a.at.Before, a.sweep.ID, a.before)
}

// flagsOf are the identities of what a rule flags of a subject.
func flagsOf(r *judge.Result, code uint32, key string) (out []record.Key) {
	if !r.Verdict(code).Flagged() {
		return nil
	}
	k := record.Key{Rule: r.Rule.Name, Level: r.Level.String(), Subject: key}
	days := r.Events(code)
	if len(days) == 0 {
		return []record.Key{k}
	}
	for _, day := range days {
		k.Event = day
		out = append(out, k)
	}
	return out
}

// hold compares an exception on record with what is found again.
func (a *again) hold(e store.Exception) (wrong []Mismatch) {
	differ := func(what, recorded, recomputed string) {
		if recorded != recomputed {
			wrong = append(wrong, Mismatch{e.ID, e.Rule, e.Key, what, recorded, recomputed})
		}
	}
	k := keyOf(e)
	flagged := e.State != string(record.Cleared)
	differ("whether it is flagged", fmt.Sprint(flagged), fmt.Sprint(a.left[k]))
	delete(a.left, k)
	r := a.results[[2]string{e.Rule, e.Kind}]
	if r == nil {
		differ("the sentence", e.Sentence, ruleGone)
		return wrong
	}
	code, there := a.engine.Code(r.Level, e.Key)
	if there {
		of := a.engine.There(a.engine.Slot(r.Level, a.at.Of))
		there = of == nil || of[code]
	}
	if !there { // it has cleared with that, and keeps what was known of it
		if e.Sentence != ruleGone { // as earlier versions say it
			differ("the sentence", e.Sentence, a.goneWords(e.Rule, e.Kind, e.Key))
		}
		return wrong
	}
	before, known := a.before[k]
	state, streak := record.State(e.State), or(e.Streak, 0)
	if a.compared && flagged {
		state, streak = record.Raised, 1
		if known && !r.PerEvent() {
			state, streak = record.Standing, before.Streak+1
		}
		differ("the state", e.State, string(state))
		differ("the streak", fmt.Sprint(or(e.Streak, 0)), fmt.Sprint(streak))
	}
	now := &noted{code: code, verdict: r.Verdict(code)}
	now.step = record.Step{Key: k, Flagged: flagged, Grade: now.verdict.Grade, State: state, Streak: streak}
	a.describe(r, now)
	differ("the outcome", e.Outcome, now.Outcome)
	differ("the sentence", e.Sentence, now.Sentence)
	differ("the value", e.Value, now.Value)
	differ("the comparison value", e.Comparison, now.Comparison)
	if flagged {
		differ("the grade", e.Grade, now.Grade)
		differ("the desk", e.Desk, now.Desk)
		differ("the stake", decimal(e.Stake), decimal(now.Stake))
		differ("the distance from the cut", distance(e.Beyond), distance(now.Beyond))
	}
	var recorded, recomputed any
	if json.Unmarshal(e.Evidence, &recorded) != nil || json.Unmarshal(now.Evidence, &recomputed) != nil || !reflect.DeepEqual(recorded, recomputed) {
		differ("the evidence", string(e.Evidence), string(now.Evidence))
	}
	return wrong
}

func distance(b *float64) string {
	if b == nil {
		return ""
	}
	return strconv.FormatFloat(*b, 'g', -1, 64)
}

func decimal(s *string) string {
	if s == nil {
		return ""
	}
	return *s
}
