// Package record follows what rules find from period to period: what is raised,
// what stands, what has cleared, and how that differs from the sweep of the same
// period before. Plain values in and out.
package record

import (
	"cmp"
	"slices"
	"strings"

	"oskel/core/calendar"
)

// State is how a flag stands.
type State string

// The states. Raised is flagged now and not in the period before; standing in
// both; cleared was flagged in the period before, or by an earlier sweep of this
// one, and is not now.
const (
	Raised   State = "raised"
	Standing State = "standing"
	Cleared  State = "cleared"
)

// Key is the identity of a flag in a period: what a rule flags, and the day of the
// event it flags it for. What is flagged for the period as a whole has no event, 0.
type Key struct {
	Rule, Level, Subject string
	Event                calendar.Day
}

// whole is the same without an event.
func (k Key) whole() Key { return Key{k.Rule, k.Level, k.Subject, 0} }

func compare(a, b Key) int {
	return cmp.Or(strings.Compare(a.Rule, b.Rule), strings.Compare(a.Level, b.Level), strings.Compare(a.Subject, b.Subject), cmp.Compare(a.Event, b.Event))
}

// Flag is what is on record under a key in one period.
type Flag struct {
	State  State
	Grade  string // of a cleared one that which it had
	Streak int    // for how many periods in a row it has been up; 0 is not known
	Own    bool   // a sweep of its own period raised it; else it is there by the period before alone
}

// flagged says whether a flag that may not be there is up.
func (f *Flag) flagged() bool { return f != nil && f.State != Cleared }

// Found is what a rule finds now of a subject; a rule that is off or gone finds
// nothing.
type Found struct {
	Flagged  bool
	Grade    string
	Gone     bool
	PerEvent bool           // the rule flags events, each by itself
	Events   []calendar.Day // those it flags, in order
}

// Step is what is recorded under a key.
type Step struct {
	Key                Key
	Was                Key // what it is on record as, in this period or, carried, the one before
	State              State
	Grade              string
	Flagged            bool
	WasFlagged         bool   // by the sweep of this period before
	Carried            bool   // all that is known of it is from the period before
	Streak             int    // for how many periods in a row it has been flagged; 0 where it is not
	Change             Change // against the sweep of this period before
	GradeThen, GradeIs string // of a change
}

// Change is how a sweep differs from the one of the same period before.
type Change string

// The changes; "" is none, since it was flagged in neither.
const (
	NewlyFlagged Change = "flagged"
	NoLonger     Change = "no longer"
	Regraded     Change = "regraded"
	Same         Change = "same"
)

// Next says what is recorded of a subject and a rule by what it finds now, what an
// earlier sweep of this period has on record, and the period before; either may be
// nil. ok is false where there is nothing to record.
func Next(now Found, here, before *Flag) (step Step, ok bool) {
	switch {
	case now.Flagged:
		step.State, step.Grade, step.Streak = Raised, now.Grade, 1
		if before.flagged() {
			step.State, step.Streak = Standing, max(before.Streak, 1)+1
		}
	case now.Gone && here != nil && !here.flagged():
		return step, false // it cleared before the rule went
	case here != nil && !here.Own && !here.flagged() && !before.flagged():
		return step, false // what it was cleared from has gone
	case here != nil:
		step.State, step.Grade = Cleared, here.Grade
	case before.flagged():
		step.State, step.Grade, step.Carried = Cleared, before.Grade, true
	default:
		return step, false
	}
	step.Flagged, step.WasFlagged = now.Flagged, here.flagged()
	switch {
	case step.Flagged && !step.WasFlagged:
		step.Change, step.GradeIs = NewlyFlagged, step.Grade
	case !step.Flagged && step.WasFlagged:
		step.Change, step.GradeThen = NoLonger, here.Grade
	case step.Flagged && step.Grade != here.Grade:
		step.Change, step.GradeThen, step.GradeIs = Regraded, here.Grade, step.Grade
	case step.Flagged:
		step.Change = Same
	}
	return step, true
}

// Book is what is on record of a period, and of the one before it.
type Book struct {
	here, before map[Key]Flag
	subjects     map[Key][]string       // on record here or before, by rule and level
	events       map[Key][]calendar.Day // on record here, by what is flagged
	asked        map[Key]bool
}

// NewBook opens the records of a period and of the one before.
func NewBook(here, before map[Key]Flag) *Book {
	b := &Book{here, before, map[Key][]string{}, map[Key][]calendar.Day{}, map[Key]bool{}}
	for k := range here {
		b.events[k.whole()] = append(b.events[k.whole()], k.Event)
	}
	for _, all := range []map[Key]Flag{here, before} {
		for k := range all {
			of := Key{Rule: k.Rule, Level: k.Level}
			b.subjects[of] = append(b.subjects[of], k.Subject)
		}
	}
	for _, days := range b.events {
		slices.Sort(days)
	}
	return b
}

func at(all map[Key]Flag, k Key) *Flag {
	f, ok := all[k]
	if !ok {
		return nil
	}
	return &f
}

// Subjects lists of whom something of a rule is on record, some more than once and in
// no order: of others there is something to record only if they are flagged.
func (b *Book) Subjects(rule, level string) []string {
	return b.subjects[Key{Rule: rule, Level: level}]
}

// Subject says what is recorded of a subject by a rule, in order of events. Nothing
// of an event follows from the period before: it is decided in one period alone.
// What an earlier program recorded without its event is taken for the first.
func (b *Book) Subject(rule, level, subject string, now Found) (steps []Step) {
	whole := Key{rule, level, subject, 0}
	_, stood := b.before[whole]
	if known := stood || len(b.events[whole]) > 0; known {
		b.asked[whole] = true
	} else if !now.Flagged {
		return nil // of nearly all
	}
	days := slices.Clone(b.events[whole])
	was := map[calendar.Day]Key{}
	if now.PerEvent && len(now.Events) > 0 && slices.Contains(days, 0) && !slices.Contains(days, now.Events[0]) {
		was[now.Events[0]] = whole
		days = slices.DeleteFunc(days, func(d calendar.Day) bool { return d == 0 })
	}
	found := now.Events
	if now.Flagged && len(found) == 0 {
		found = []calendar.Day{0}
	}
	days = append(days, found...)
	if !now.PerEvent {
		days = append(days, 0)
	}
	slices.Sort(days)
	for _, day := range slices.Compact(days) {
		key := Key{rule, level, subject, day}
		known, ok := was[day]
		if !ok {
			known = key
		}
		var before *Flag
		if !now.PerEvent && day == 0 {
			before = at(b.before, key)
		}
		this := Found{}
		if slices.Contains(found, day) {
			this = Found{Flagged: now.Flagged, Grade: now.Grade}
		}
		if step, ok := Next(this, at(b.here, known), before); ok {
			step.Key, step.Was = key, known
			steps = append(steps, step)
		}
	}
	return steps
}

// Stands says what is recorded of a rule of which nothing it judges by is another, nor
// anything on record of the period before: all stands as it is on record here, the
// subjects in order.
func (b *Book) Stands(rule, level string) (steps []Step) {
	subjects := slices.Clone(b.Subjects(rule, level))
	slices.Sort(subjects)
	for _, subject := range slices.Compact(subjects) {
		whole := Key{rule, level, subject, 0}
		b.asked[whole] = true
		for _, day := range b.events[whole] {
			key := Key{rule, level, subject, day}
			f := b.here[key]
			step := Step{Key: key, Was: key, State: f.State, Grade: f.Grade, Flagged: f.State != Cleared, Streak: f.Streak}
			if step.WasFlagged = step.Flagged; step.Flagged {
				step.Change = Same
			}
			steps = append(steps, step)
		}
	}
	return steps
}

// Rest says what is recorded of all that was flagged, here or in the period before,
// and not asked after since: by rules that are off or gone by now.
func (b *Book) Rest() (steps []Step) {
	seen := map[Key]bool{}
	var keys []Key
	for _, all := range []map[Key]Flag{b.here, b.before} {
		from := len(keys)
		for k := range all {
			if !seen[k] && !b.asked[k.whole()] {
				seen[k] = true
				keys = append(keys, k)
			}
		}
		slices.SortFunc(keys[from:], compare)
	}
	for _, k := range keys {
		before := at(b.before, k)
		if k.Event != 0 {
			before = nil
		}
		if step, ok := Next(Found{Gone: true}, at(b.here, k), before); ok {
			step.Key, step.Was = k, k
			steps = append(steps, step)
		}
	}
	return steps
}

// Counts are how many steps a sweep has of each state and change.
type Counts struct {
	Raised, Standing, Cleared               int
	Flagged, NoLonger, Regraded, Unaffected int
}

// Add counts a step.
func (c *Counts) Add(s Step) {
	switch s.State {
	case Raised:
		c.Raised++
	case Standing:
		c.Standing++
	case Cleared:
		c.Cleared++
	}
	switch s.Change {
	case NewlyFlagged:
		c.Flagged++
	case NoLonger:
		c.NoLonger++
	case Regraded:
		c.Regraded++
	case Same:
		c.Unaffected++
	}
}
