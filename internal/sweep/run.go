package sweep

import (
	"context"
	"encoding/json"
	"fmt"
	"maps"
	"math"
	"slices"
	"strings"
	"time"

	"oskel/core/amount"
	"oskel/core/calendar"
	"oskel/core/cores"
	"oskel/core/explain"
	"oskel/core/judge"
	"oskel/core/measure"
	"oskel/core/record"
	"oskel/core/routing"
	"oskel/core/rulebook"
	"oskel/internal/store"
)

// run is one sweep on its way.
type run struct {
	ctx       context.Context
	tx        *store.Tx
	at        calendar.Resolved // in the engine's calendar, which may be to date
	engine    *measure.Engine
	sweep     *store.Sweep
	prior     store.Sweep     // of this period before; ID 0 is none
	unchanged map[ruleAt]bool // the rules that say what they said there
	changed   chain           // of the period's grain
	today     calendar.Day
	now       time.Time
	openCases bool
	watch     *watch
	counts    record.Counts
	diff      Difference
	found     []found           // to be written
	told      map[int64]bool    // cases that are there and whose items change
	reports   map[string]string // see below; nil until it is asked for
	byHand    string            // who takes what was found to desks; "" is the sweep
}

// found is what a sweep has to record.
type found struct {
	store.Exception
	wasFlagged bool
	stands     bool // it says the same as is on record
	routed     record.Routed
}

func or[T any](p *T, otherwise T) T {
	if p == nil {
		return otherwise
	}
	return *p
}

func keyOf(e store.Exception) record.Key {
	return record.Key{Rule: e.Rule, Level: e.Kind, Subject: e.Key, Event: e.Event}
}

// onRecord are the exceptions of a period by their identity.
type onRecord map[record.Key]recorded

// recorded is one of them, with how it came to be there.
type recorded struct {
	store.Exception
	Own     bool // a sweep of its own period raised it
	Dropped bool // it is on record no more, but for what earlier sweeps said
}

func (o onRecord) flags() map[record.Key]record.Flag {
	out := make(map[record.Key]record.Flag, len(o))
	for k, e := range o {
		if e.Dropped {
			continue
		}
		out[k] = record.Flag{State: record.State(e.State), Grade: e.Grade, Streak: or(e.Streak, 0), Own: e.Own}
	}
	return out
}

// all does the work of a sweep in its order: judge what is not known to be unchanged, compare with
// the period before, send to cases, write. It is within one transaction: nothing is kept of a run
// that stops half-way.
func (r *run) all() error {
	c := r.engine.Book.Calendar
	r.watch.enter(Judging)
	results := judge.Some(r.engine, r.at.Of, func(rule *rulebook.Rule, level rulebook.Level) bool {
		return !r.unchanged[ruleAt{rule.Name, level.String()}]
	})
	trials := judge.Trials(r.engine, r.at.Of)
	if r.engine.Stopped() {
		return r.ctx.Err()
	}
	r.watch.enter(Comparing)
	if err := r.begin(results, trials); err != nil {
		return err
	}
	here, err := r.known(r.at.Key)
	if err != nil {
		return err
	}
	before, stood := onRecord{}, map[record.Key]record.Flag{}
	if r.at.HasBefore {
		if before, err = r.known(r.at.BeforeKey); err != nil {
			return err
		}
		stood = before.flags()
		if r.sweep.ComparedWith != nil {
			if _, broken := r.changed.broken(r.at.BeforeKey, *r.sweep.ComparedWith); broken {
				if err := follow(r.ctx, r.tx, c, r.at.Before, r.sweep.ID, stood); err != nil {
					return err
				}
			}
		}
	}
	kept := record.NewBook(here.flags(), stood)
	if err := r.record(results, kept, here, before); err != nil {
		return err
	}
	if err := r.gone(kept.Rest(), here, before); err != nil {
		return err
	}
	r.sweep.Raised, r.sweep.Standing, r.sweep.Cleared = r.counts.Raised, r.counts.Standing, r.counts.Cleared
	r.diff.Flagged, r.diff.NoLonger, r.diff.Regraded, r.diff.Same = r.counts.Flagged, r.counts.NoLonger, r.counts.Regraded, r.counts.Unaffected
	r.watch.enter(Writing)
	if err := r.toCases(); err != nil {
		return err
	}
	var records, standing []store.Exception
	for _, f := range r.found {
		if f.stands {
			standing = append(standing, f.Exception)
		} else {
			records = append(records, f.Exception)
		}
	}
	if err := r.tx.PutExceptions(r.ctx, records); err != nil {
		return err
	}
	if err := r.tx.RestateExceptions(r.ctx, r.sweep.ID, standing); err != nil {
		return err
	}
	if err := r.tx.DropExceptions(r.ctx, r.sweep.ID, r.dropped(here, stood)); err != nil {
		return err
	}
	if err := r.figures(results); err != nil {
		return err
	}
	if err := r.tx.TellCases(r.ctx, slices.Collect(maps.Keys(r.told)), r.engine.Book.OtherStakes()); err != nil {
		return err
	}
	if err := r.tx.MendFaults(r.ctx, r.sweep.ID, r.sweep.DataVersion); err != nil {
		return err
	}
	if r.prior.ID != 0 {
		r.diff.Sweep = r.prior.ID
		rules := map[string]bool{}
		for of := range r.unchanged {
			rules[of.rule] = true
		}
		r.diff.Stands = len(rules)
		if r.sweep.Difference, err = json.Marshal(r.diff); err != nil {
			return err
		}
	}
	return nil
}

// dropped are the exceptions on record that stood by the period before alone, where that
// flags them no more.
func (r *run) dropped(here onRecord, before map[record.Key]record.Flag) (ids []int64) {
	said := make(map[int64]bool, len(r.found))
	for _, f := range r.found {
		said[f.ID] = true
	}
	for k, e := range here {
		if f, was := before[k]; !e.Own && !e.Dropped && !said[e.ID] && (!was || f.State == record.Cleared) {
			ids = append(ids, e.ID)
		}
	}
	return ids
}

// begin writes the sweep with the tallies of its rules.
func (r *run) begin(results, trials []*judge.Result) (err error) {
	var tallies []TallyOf
	judged := map[ruleAt]judge.Tally{}
	for _, t := range TalliesOf(r.prior) {
		if !t.Trial {
			judged[ruleAt{t.Rule, t.Level}] = t.Tally // of those that are judged again it is overwritten
		}
	}
	for _, result := range results {
		judged[ruleAt{result.Rule.Name, result.Level.String()}] = result.Tally()
	}
	for rule, level := range judge.Evaluated(r.engine.Book, r.at.Of) {
		tallies = append(tallies, TallyOf{Rule: rule.Name, Level: level.String(), Tally: judged[ruleAt{rule.Name, level.String()}]})
	}
	for _, result := range trials {
		tallies = append(tallies, TallyOf{Rule: result.Rule.Name, Level: result.Level.String(), Trial: true, Tally: result.Tally()})
	}
	if r.sweep.Tallies, err = json.Marshal(tallies); err != nil {
		return err
	}
	return r.tx.AddSweep(r.ctx, r.sweep)
}

// noted is what is to be recorded of one verdict; of whom is known before it is described.
type noted struct {
	code    uint32
	verdict judge.Verdict
	step    record.Step
	store.Exception
	routed record.Routed
}

// record notes what the rules flag, and what they, or they in the period before,
// had flagged and do not now.
func (r *run) record(results []*judge.Result, kept *record.Book, here, before onRecord) (err error) {
	all := make([][]noted, len(results))
	for i, result := range results {
		all[i] = r.steps(result, kept)
	}
	r.below() // is read before it is asked for side by side
	r.describeAll(results, all)
	i := -1 // of the result
	for rule, level := range judge.Evaluated(r.engine.Book, r.at.Of) {
		if of := (ruleAt{rule.Name, level.String()}); r.unchanged[of] {
			r.stand(of, kept, here)
			continue
		}
		i++
		result := results[i]
		for _, n := range all[i] {
			e, step := n.Exception, n.step
			if !result.Level.Plain() {
				if e.Code, err = r.tx.SubjectCode(r.ctx, e.Kind, e.Key); err != nil {
					return err
				}
			}
			known := here[step.Was]
			e.ID, e.CaseID, e.CaseState = known.ID, known.CaseID, known.CaseState
			if !step.Flagged {
				e.Desk = known.Desk
				if step.Carried {
					e.Desk = before[step.Was].Desk
				}
			}
			r.put(e, step, known.Value, n.routed)
		}
	}
	return r.ctx.Err()
}

// steps are what follows of a rule's verdicts. Nearly all subjects are neither flagged
// nor on record.
func (r *run) steps(result *judge.Result, kept *record.Book) (out []noted) {
	rule, level, apart := result.Rule.Name, result.Level.String(), result.PerEvent()
	keys, names := r.engine.Names(result.Level)
	there := r.engine.There(r.engine.Slot(result.Level, r.at.Of))
	recorded := map[string]bool{}
	for _, key := range kept.Subjects(rule, level) {
		recorded[key] = true
	}
	for code := range uint32(result.Len()) {
		if there != nil && !there[code] {
			continue // it is gone
		}
		if !result.IsFlagged(code) && (len(recorded) == 0 || !recorded[keys[code]]) {
			continue
		}
		v := result.Verdict(code)
		for _, step := range kept.Subject(rule, level, keys[code], record.Found{Flagged: v.Flagged(), Grade: v.Grade, PerEvent: apart, Events: result.Events(code)}) {
			out = append(out, noted{code: code, verdict: v, step: step, Exception: store.Exception{Kind: level, Code: code, Key: keys[code], Name: names[code]}})
		}
	}
	return out
}

// describeAll describes what is to be recorded, on all cores: results of one engine
// after one another.
func (r *run) describeAll(results []*judge.Result, all [][]noted) {
	of := map[*measure.Engine][]int{}
	for i, result := range results {
		of[result.Engine()] = append(of[result.Engine()], i)
	}
	var work []func()
	for _, some := range of {
		work = append(work, func() {
			for _, i := range some {
				for k := range all[i] {
					if r.ctx.Err() != nil {
						return
					}
					r.describe(results[i], &all[i][k])
				}
			}
		})
	}
	cores.Do(work...)
}

// gone notes what was flagged, here or in the period before, by rules that are off
// or gone by now.
func (r *run) gone(steps []record.Step, here, before onRecord) error {
	was := func(step record.Step) store.Exception {
		if e, known := here[step.Key]; known {
			return e.Exception
		}
		return before[step.Key].Exception
	}
	ids := make([]int64, len(steps))
	for i, step := range steps {
		ids[i] = was(step).ID
	}
	evidence, err := r.tx.Evidence(r.ctx, ids)
	if err != nil {
		return err
	}
	for i, step := range steps {
		e := was(step)
		e.Evidence = evidence[ids[i]]
		e.State, e.Outcome, e.Severity, e.Stake, e.Sentence, e.Sweep = string(step.State), judge.NotJudged.String(), len(r.engine.Book.Grades), nil,
			r.goneWords(e.Rule, e.Kind, e.Key), r.sweep.ID
		e.Beyond, e.Streak = nil, &step.Streak
		if step.Carried {
			e.ID, e.CaseID, e.CaseState, e.Period = 0, nil, nil, r.at.Key
		}
		r.put(e, step, e.Value, record.Routed{})
	}
	return nil
}

const ruleGone = "The rule is off or no longer in the rulebook."

// goneWords says why nothing is found of what was flagged and is not judged any more.
func (r *run) goneWords(rule, level, key string) string {
	book := r.engine.Book
	for of, l := range judge.Evaluated(book, r.at.Of) {
		switch {
		case of.Name != rule || l.String() != level:
		case l.Paired():
			return "In current data no line joins the two any more."
		default:
			return fmt.Sprintf("In current data there is no %s %s any more.", strings.ToLower(book.One(l)), key)
		}
	}
	return ruleGone
}

func (r *run) known(k calendar.Key) (onRecord, error) {
	all, err := r.tx.PeriodExceptions(r.ctx, k)
	if err != nil {
		return nil, err
	}
	carried, err := r.tx.Carried(r.ctx, k)
	out := make(onRecord, len(all))
	for _, e := range all {
		dropped, is := carried[e.ID]
		out[keyOf(e)] = recorded{e, !is, dropped}
	}
	return out, err
}

// describe makes the record of a verdict, or of one event that led to it, with its
// evidence and sentence, and says where it is routed.
func (r *run) describe(result *judge.Result, n *noted) {
	engine, book, rule, v, step := result.Engine(), r.engine.Book, result.Rule, n.verdict, n.step
	e := &n.Exception
	e.Period, e.Rule, e.Event, e.Sweep = r.at.Key, rule.Name, step.Key.Event, r.sweep.ID
	e.State, e.Outcome, e.Grade, e.Severity, e.Streak = string(step.State), v.Outcome.String(), step.Grade, len(book.Grades), &n.step.Streak
	var ev judge.Evidence
	if day := step.Key.Event; day == 0 {
		ev = judge.EvidenceFor(engine, result, n.code)
		e.Sentence = explain.Sentence(book, rule, result.Period, v, ev)
	} else if step.Flagged {
		ev = judge.EvidenceOn(engine, result, n.code, day)
		e.Sentence = explain.Sentence(book, rule, result.Period, v, ev)
	} else {
		e.Outcome, e.Sentence = judge.Clear.String(), fmt.Sprintf("In current data the event of %s is not found.", day.Words())
	}
	e.Value, e.Comparison = ev.Compared().Words()
	e.Evidence, _ = json.Marshal(ev) // rationals and texts always can be
	if !step.Flagged {
		return
	}
	e.Severity = book.Severity(v.Grade)
	item := routing.Item{Kind: result.Level.String(), Rule: e.Rule, Family: rule.Family(), Grade: v.Grade, State: e.State, Streak: step.Streak,
		Attributes: result.Attributes(engine, n.code)}
	if ev.Stake != nil {
		s := amount.RoundRat(ev.Stake, 4)
		e.Stake = &s
		if stake, err := amount.Parse(s); err == nil { // what leaves the range of amounts is not asked about
			item.Stake = &stake
		}
	}
	if b := judge.SaidOf(result, n.code).Beyond(); !math.IsNaN(b) {
		e.Beyond = &b
	}
	to := routing.To(book, item)
	e.Desk = to.Desk
	self := book.SelfOf(result.Level, item.Attributes)
	n.routed = record.Routed{For: to.For, Copy: to.Copy, Self: self, Reports: r.reports[self]}
}

// otherValue is the change of what is flagged as before, by another value.
const otherValue = "other value"

// put notes one exception, with what it said before, and counts it.
func (r *run) put(e store.Exception, step record.Step, before string, routed record.Routed) {
	r.counts.Add(step)
	change := Change{Change: string(step.Change), Rule: e.Rule, Kind: e.Kind, Key: e.Key, Name: e.Name, Before: step.GradeThen, After: step.GradeIs}
	if step.Change == record.Same && before != e.Value {
		change.Change, change.Before, change.After = otherValue, before, e.Value
		if r.diff.Other++; r.diff.Other > shownValues {
			change.Change = "" // others are worth more
		}
	}
	if change.Change != "" && change.Change != string(record.Same) && len(r.diff.Examples) < shownChanges {
		r.diff.Examples = append(r.diff.Examples, change)
	}
	r.found = append(r.found, found{Exception: e, wasFlagged: step.WasFlagged, routed: routed})
}
