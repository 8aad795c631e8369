package calendar

import (
	"slices"
	"sort"
	"time"
)

// Holiday is a day that is not worked though its weekday is.
type Holiday struct {
	Day  Day
	Name string
}

// Working says whether a day is worked: its weekday is, and it is no holiday.
func (c Calendar) Working(d Day) bool {
	w := d.Time().Weekday()
	if c.WorkDays == nil {
		if w == time.Saturday || w == time.Sunday {
			return false
		}
	} else if !slices.Contains(c.WorkDays, w) {
		return false
	}
	_, holiday := c.Holiday(d)
	return !holiday
}

// Holiday finds the holiday of a day.
func (c Calendar) Holiday(d Day) (Holiday, bool) {
	i := sort.Search(len(c.Holidays), func(i int) bool { return c.Holidays[i].Day >= d })
	if i < len(c.Holidays) && c.Holidays[i].Day == d {
		return c.Holidays[i], true
	}
	return Holiday{}, false
}

// AddWorking is the n-th working day after d; with n zero it is d itself.
func (c Calendar) AddWorking(d Day, n int) Day {
	for n > 0 {
		if d++; c.Working(d) {
			n--
		}
	}
	return d
}

// BackWorking is the last day after which there are n working days up to d, d among them;
// with n zero it is d itself.
func (c Calendar) BackWorking(d Day, n int) Day {
	for ; n > 0; d-- {
		if c.Working(d) {
			n--
		}
	}
	return d
}

// WorkingDays counts the working days from first to last, both included.
func (c Calendar) WorkingDays(first, last Day) int {
	n := 0
	for d := first; d <= last; d++ {
		if c.Working(d) {
			n++
		}
	}
	return n
}
