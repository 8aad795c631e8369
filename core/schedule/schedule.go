// Package schedule says which periods are to be swept without anybody asking, when,
// and what is waited for: plain values in and out, the clock among them.
package schedule

import (
	"slices"
	"time"

	"oskel/core/calendar"
	"oskel/core/rulebook"
)

// Standing is how a period stands.
type Standing struct {
	Lines    bool         // some feed has lines in it
	Swept    bool         // it was swept at least once
	Outdated time.Time    // since when its sweep no longer tells what holds; zero if it does
	Closed   bool         // a lead has closed it
	ToDate   calendar.Day // up to which day it was swept so far; Never if it was not
	Newest   calendar.Day // the last day of it before today that has lines; Never if none has
}

// Came says whether a feed's lines of a period have come.
type Came func(feed string, p calendar.Period) bool

// State is what becomes of a period.
type State string

// The states of a turn.
const (
	Coming   State = "coming"      // its time has not come
	Waiting  State = "waiting"     // its time has come, and lines that it waits for have not
	Empty    State = "no lines"    // its time has come, and there is nothing to judge
	Due      State = "due"         // it is to be swept now
	Done     State = "swept"       // it was, and holds
	Outdated State = "out of date" // it is swept again on request
	Night    State = "at night"    // it is swept again when Again says
	Shut     State = "closed"      // a lead has closed it
)

// Turn is one period of a plan.
type Turn struct {
	Plan   *rulebook.Plan
	Period calendar.Period
	At     time.Time // when it is swept if nothing is waited for
	Latest time.Time // when it is swept whatever has come; zero if nothing is waited for
	State  State
	Waits  []string  // feeds whose lines have not come, where that matters
	Again  time.Time // when what is out of date is swept again
	ToDate bool      // it runs, and is to be swept so far
}

// night is the hour at which what is out of date is swept again "at night".
const night = 2

// Turns are the last periods of each plan that have ended by now, the oldest first, and
// the one that runs, each with what becomes of it.
func Turns(book *rulebook.Book, now time.Time, standing func(calendar.Period) Standing, came Came) (out []Turn) {
	c := book.Calendar
	for i := range book.Sweeps {
		plan := &book.Sweeps[i]
		for _, p := range Periods(c, plan, now) {
			out = append(out, turn(book, plan, p, now, standing(p), came))
		}
	}
	return out
}

// Periods are those of a plan that Turns tells of.
func Periods(c calendar.Calendar, plan *rulebook.Plan, now time.Time) (out []calendar.Period) {
	today := c.Today(now)
	if last, ok := c.Last(plan.Each, today-1); ok {
		out = c.Run(last, plan.LooksBack)
	}
	if running, ok := c.Holding(plan.Each, today); ok && !slices.Contains(out, running) {
		out = append(out, running)
	}
	return out
}

// turn is the state of one period of a plan at a moment, from what has come and been swept. It
// decides nothing else: whoever sweeps asks again inside the lock.
func turn(book *rulebook.Book, plan *rulebook.Plan, p calendar.Period, now time.Time, is Standing, came Came) Turn {
	c := book.Calendar
	t := Turn{Plan: plan, Period: p, At: moment(c, p, plan.After, plan.Clock)}
	if len(plan.WaitsFor) > 0 {
		t.Latest = moment(c, p, plan.AtTheLatest, plan.Clock)
		if t.Latest.Before(t.At) {
			t.Latest = t.At
		}
		for _, feed := range plan.WaitsFor {
			if !is.Swept && !came(feed, p) {
				t.Waits = append(t.Waits, feed)
			}
		}
	}
	switch {
	case is.Closed:
		t.State = Shut
	case is.Swept && is.Outdated.IsZero():
		t.State = Done
	case is.Swept:
		t.State, t.Again = again(c, plan, is.Outdated)
		if t.State == Night && !now.Before(t.Again) {
			t.State = Due
		}
	case !is.Swept && plan.ToDate && dueToDate(c, plan, p, now, is):
		t.State, t.ToDate = Due, true
	case now.Before(t.At):
		t.State = Coming
	case len(t.Waits) > 0 && now.Before(t.Latest):
		t.State = Waiting
	case !is.Lines:
		t.State = Empty
	default:
		t.State = Due
	}
	return t
}

// Never stands for no day.
const Never calendar.Day = -1 << 31

// dueToDate says whether a period that runs is to be swept so far: when the time of day has
// come, and lines of a day that was not judged yet.
func dueToDate(c calendar.Calendar, plan *rulebook.Plan, p calendar.Period, now time.Time, is Standing) bool {
	today := c.Today(now)
	_, last := c.Whole(p)
	return today <= last && is.Newest > is.ToDate && !now.Before(at(c, today, plan.Clock))
}

// again is what becomes of a sweep that is out of date, and when.
func again(c calendar.Calendar, plan *rulebook.Plan, since time.Time) (State, time.Time) {
	switch plan.Outdated {
	case rulebook.AtOnce:
		return Due, since
	case rulebook.AtNight:
		day := c.Today(since)
		next := at(c, day, night*60)
		if !next.After(since) {
			next = at(c, day+1, night*60)
		}
		return Night, next
	}
	return Outdated, time.Time{}
}

// moment is a time of day so many days after a period's last.
func moment(c calendar.Calendar, p calendar.Period, d rulebook.Delay, clock int) time.Time {
	_, last := c.Whole(p)
	day := last + calendar.Day(d.Days)
	if d.Working {
		day = c.AddWorking(last, d.Days)
	}
	return at(c, day, clock)
}

// at is a time of day by the calendar's clock. A time that the clock leaps over in
// spring is the one as long after; of one that comes twice in autumn it is the first.
func at(c calendar.Calendar, day calendar.Day, clock int) time.Time {
	zone, err := calendar.Zone(c.Zone)
	if err != nil {
		zone = time.UTC // the check does not let it happen
	}
	d := day.Time()
	return time.Date(d.Year(), d.Month(), d.Day(), clock/60, clock%60, 0, 0, zone)
}
