// Package judge holds subjects against rules.
//
// Judge gives every subject of a rule's kind one verdict for a month: breach
// with a grade, clear, no data, or not judged and why; never two of them, and
// none for those outside the rule's scope. Evidence gives all that is needed
// to recompute one of them, exactly.
package judge

import (
	"iter"
	"math"
	"runtime"
	"sync"

	"oskel/core/calendar"
	"oskel/core/cores"
	"oskel/core/lang"
	"oskel/core/measure"
	"oskel/core/method"
	"oskel/core/rulebook"
)

// What a rule says of a subject, and all that led to it, are package method's.
type (
	Verdict   = method.Verdict
	Outcome   = method.Outcome
	Tally     = method.Tally
	Evidence  = method.Evidence
	BandFound = method.BandFound
	BandEnd   = method.BandEnd
)

// The outcomes.
const (
	OutOfScope = method.OutOfScope
	Clear      = method.Clear
	Breach     = method.Breach
	NoData     = method.NoData
	NotJudged  = method.NotJudged
)

// Result is a rule's verdicts of one level and month, by code of the level.
type Result struct {
	Rule   *rulebook.Rule
	Level  rulebook.Level
	Period calendar.Period
	Empty  bool // no feed that the rule reads has a line in it: it is no period of the rule
	method.Verdicts

	engine *measure.Engine // that judged it
	slot   measure.Slot
	found  method.Found // nil where nothing was judged
	past   []*Result    // of a persistence, the oldest first
}

// Attributes answers for the attributes of one code, as of the period's last
// day.
func (r *Result) Attributes(e *measure.Engine, code uint32) lang.Lookup {
	return e.Lookup(r.slot, code)
}

// Engine is the one that judged it. Results of one engine are for one goroutine together;
// those of two are not, though they were asked for together.
func (r *Result) Engine() *measure.Engine { return r.engine }

// PerEvent says whether the rule flags events, each by itself, and not the subject in
// the period. A rule that persists is of the period.
func (r *Result) PerEvent() bool {
	of, eventful := r.found.(method.Eventful)
	return eventful && r.Rule.Persists == nil && of.PerEvent()
}

// Events are the days of the events that flag a code, in order; nil where the rule
// does not flag events.
func (r *Result) Events(code uint32) []calendar.Day {
	if !r.PerEvent() || r.Outcome(int(code)) != Breach {
		return nil
	}
	return r.found.(method.Eventful).Days(code)
}

// All evaluates every rule of the engine's book that is on, is of the period's
// grain and holds for it, at every level, in the order of the book. A breach of a
// rule that has the last word keeps the later ones from judging that subject.
func All(e *measure.Engine, p calendar.Period) []*Result {
	return Some(e, p, func(*rulebook.Rule, rulebook.Level) bool { return true })
}

// Some is All without those that are not wanted. Where a rule has the last word all
// must be: it bears on what the others say.
func Some(e *measure.Engine, p calendar.Period, wanted func(rule *rulebook.Rule, level rulebook.Level) bool) []*Result {
	var out []*Result
	for rule, level := range Evaluated(e.Book, p) {
		if wanted(rule, level) {
			out = append(out, &Result{Rule: rule, Level: level})
		}
	}
	sideBySide(e, out, p)
	stopped := map[rulebook.Level]map[int]bool{}
	for _, r := range out {
		for code := range stopped[r.Level] {
			if r.Outcome(code) != OutOfScope {
				r.Set(code, Verdict{Outcome: NotJudged, Why: method.Stopped})
				r.Hold(code, math.NaN())
			}
		}
		if r.Rule.LastWord {
			if stopped[r.Level] == nil {
				stopped[r.Level] = map[int]bool{}
			}
			for code := range r.Len() {
				if r.Outcome(code) == Breach {
					stopped[r.Level][code] = true
				}
			}
		}
	}
	return out
}

// Evaluated are the rules that a sweep of a period evaluates, each at each of its
// levels, in the order of the book.
func Evaluated(book *rulebook.Book, p calendar.Period) iter.Seq2[*rulebook.Rule, rulebook.Level] {
	return func(yield func(*rulebook.Rule, rulebook.Level) bool) {
		for i := range book.Rules {
			rule := &book.Rules[i]
			if !rule.On || rule.Each != book.Calendar.Grain(p) || !Holds(book, rule, p) {
				continue
			}
			for _, level := range rule.Levels {
				if !yield(rule, level) {
					return
				}
			}
		}
	}
}

// Trials evaluates every rule of the engine's book that is on trial, as All does those
// that are on. No rule's last word keeps them from judging, nor does theirs.
func Trials(e *measure.Engine, p calendar.Period) (out []*Result) {
	for i := range e.Book.Rules {
		rule := &e.Book.Rules[i]
		if !rule.Trial || rule.Each != e.Book.Calendar.Grain(p) || !Holds(e.Book, rule, p) {
			continue
		}
		for _, level := range rule.Levels {
			out = append(out, &Result{Rule: rule, Level: level})
		}
	}
	sideBySide(e, out, p)
	return out
}

// fewRules is up to how many a second engine is not worth what it computes again.
const fewRules = 8

// sideBySide judges results that are only named, on all cores: one worker takes them
// from the front on the engine itself, so that what it computed serves who asks it
// next, the others from the back on engines of their own. Lines are read once all
// the same: chunks and the snapshot remember. What is found does not depend on it.
func sideBySide(e *measure.Engine, all []*Result, p calendar.Period) {
	var mu sync.Mutex
	front, back := 0, len(all)-1
	take := func(first bool) int {
		mu.Lock()
		defer mu.Unlock()
		switch {
		case front > back:
			return -1
		case first:
			front++
			return front - 1
		}
		back--
		return back + 1
	}
	work := func(e *measure.Engine, first bool) {
		for i := take(first); i >= 0; i = take(first) {
			all[i] = Judge(e, all[i].Rule, all[i].Level, p)
		}
	}
	workers := []func(){func() { work(e, true) }}
	if len(all) > fewRules && !e.Given() {
		for range min(runtime.GOMAXPROCS(0)-1, 3) {
			own := e.Fork()
			workers = append(workers, func() { work(own, false) })
		}
	}
	cores.Do(workers...)
}

// Holds says whether a rule holds for a period: one that ends within its
// stated days.
func Holds(book *rulebook.Book, rule *rulebook.Rule, p calendar.Period) bool {
	_, last := book.Calendar.Span(p)
	return (rule.From == nil || *rule.From <= last) && (rule.Until == nil || *rule.Until >= last)
}

// Judge evaluates one rule of the engine's book at one of its levels for a
// period. The period's last day is the as-of day, complete.
func Judge(e *measure.Engine, rule *rulebook.Rule, level rulebook.Level, p calendar.Period) *Result {
	r := once(e, rule, level, p)
	if rule.Persists != nil {
		r.persist(e)
	}
	return r
}

// once judges without regard to the periods before.
func once(e *measure.Engine, rule *rulebook.Rule, level rulebook.Level, p calendar.Period) *Result {
	slot := e.Slot(level, p)
	slot.Ended = rule.Ended == "zero"
	n := e.Size(level)
	r := &Result{Rule: rule, Level: level, Period: p, engine: e, slot: slot, Verdicts: method.NewVerdicts(n, e.Book.GoodGrades()...)}
	feeds := e.Book.FeedsRead(rule)
	r.Empty = !e.Given() && len(feeds) > 0 && !e.HasLines(feeds, slot)
	there, active, inactive := e.There(slot), e.Active(slot), r.Mark(Verdict{Outcome: NotJudged, Why: method.NotActive})
	open := r.Mark(Verdict{Outcome: Clear})
	if r.Empty {
		open = r.Mark(Verdict{Outcome: NotJudged, Why: method.NoLines})
	}
	if there == nil && rule.Where == nil && active == nil {
		r.PutAll(open)
		n = 0
	}
	for code := range n {
		switch {
		case there != nil && !there[code]: // there is no such group
		case rule.Where != nil && !lang.Test(rule.Where.Tree, e.Lookup(slot, uint32(code))):
		case active != nil && !active(uint32(code)):
			r.Put(code, inactive)
		default:
			r.Put(code, open)
		}
	}
	if !r.Empty {
		r.found = method.Judge(&method.Work{Verdicts: &r.Verdicts, Engine: e, Rule: rule, Slot: slot})
	}
	return r
}

// persist keeps a breach only where the rule found one in enough of the last
// periods, this one among them.
func (r *Result) persist(e *measure.Engine) {
	p := r.Rule.Persists
	for n := p.Of - 1; n > 0; n-- {
		if before, ok := e.Book.Calendar.Before(r.Period, n); ok {
			r.past = append(r.past, once(e, r.Rule, r.Level, before))
		}
	}
	for code := range r.Len() {
		if v := r.Verdict(uint32(code)); (v.Outcome == Breach || v.Good != "") && r.breaches(code, v.Outcome) < p.Least {
			r.Set(code, Verdict{Outcome: Clear, Why: method.NotPersisting})
		}
	}
}

// breaches counts those of the last periods, a breach of this one included; of what is praised
// the periods in which it was.
func (r *Result) breaches(code int, as Outcome) int {
	n := 1
	for _, before := range r.past {
		if v := before.Verdict(uint32(code)); v.Outcome == as && v.Given() != "" {
			n++
		}
	}
	return n
}
