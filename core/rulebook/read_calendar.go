package rulebook

import (
	"slices"
	"sort"
	"strconv"
	"strings"
	"time"

	"oskel/core/calendar"
)

var (
	weekdays = []string{"sunday", "monday", "tuesday", "wednesday", "thursday", "friday", "saturday"}
	months   = []string{"january", "february", "march", "april", "may", "june", "july", "august", "september", "october", "november", "december"}
)

func (v value) weekday(fallback string) time.Weekday {
	return time.Weekday(slices.Index(weekdays, v.oneOf(fallback, weekdays...)))
}

func (v value) day() calendar.Day {
	s := v.required()
	d, err := calendar.ParseDay(s)
	if err != nil && s != "" {
		v.complain("expected a day such as 2026-10-31, found %q", s)
	}
	return d
}

// readCalendar reads 'calendar': where the year starts, weeks, working days, holidays, the time
// zone, windows.
func (r *reader) readCalendar(v value, book *Book) {
	f := v.fields(sections["calendar"]...)
	c := &book.Calendar
	if s := f["fiscal_year_starts"]; !s.absent() {
		t, err := time.Parse("01-02", s.scalar())
		if err != nil || t.Day() != 1 {
			s.complain("expected the first day of a month, such as \"02-01\", found %q", s.scalar())
		}
		c.YearFrom = t.Month()
	}
	if z := f["time_zone"]; !z.absent() {
		c.Zone = z.required()
		if _, err := calendar.Zone(c.Zone); err != nil {
			z.complain("%s", err)
		}
	}
	c.NamedFromStart = f["year_named_after"].oneOf("end", "end", "start") == "start"
	if w := f["week_years"]; !w.absent() {
		c.Weeks = readWeekYears(w)
		for _, other := range []string{"fiscal_year_starts", "weeks_from"} {
			if !f[other].absent() {
				f[other].complain("'week_years' already says where years and weeks begin")
			}
		}
	}
	if w := f["weeks_from"]; !w.absent() {
		c.WeekSet, c.WeekFrom = true, w.weekday("monday")
	}
	c.WorkDays = f["working_days"].workDays()
	if h := f["holidays"]; !h.absent() {
		c.Holidays = r.readHolidays(h)
	}
	r.readWindows(f["windows"], c)
	r.readWeights(f["month_weights"], book)
}

// readWeekYears reads {pattern: 4-4-5, end_on: saturday, last_in: january}, or
// with 'nearest_end_of' instead of 'last_in'.
func readWeekYears(v value) *calendar.WeekYears {
	f := v.fields(sections["week years"]...)
	w := &calendar.WeekYears{EndsOn: f["end_on"].weekday("saturday")}
	pattern := f["pattern"].oneOf("4-4-5", "4-4-5", "4-5-4", "5-4-4")
	for i, n := range strings.Split(pattern, "-") {
		w.Pattern[i], _ = strconv.Atoi(n)
	}
	anchor := f["last_in"]
	if anchor.absent() == f["nearest_end_of"].absent() {
		v.complain("state either 'last_in' or 'nearest_end_of' and a month: the year ends on the last such weekday in it, or on the one nearest to its last day")
	} else if anchor.absent() {
		anchor, w.Nearest = f["nearest_end_of"], true
	}
	w.EndsIn = time.Month(slices.Index(months, anchor.oneOf("december", months...)) + 1)
	return w
}

func (r *reader) readWindows(v value, c *calendar.Calendar) {
	seen := map[string]bool{}
	for _, item := range v.maps() {
		f := item.fields(sections["window"]...)
		w := calendar.Window{Name: f["name"].required(), From: f["from"].day(), To: f["to"].day()}
		r.name(f["name"].at, f["name"].path, w.Name, true)
		if seen[w.Name] {
			f["name"].complain("the window %q is defined twice", w.Name)
		}
		seen[w.Name] = true
		w.Title = titled(f["title"], strings.ReplaceAll(w.Name, "-", "_"))
		if w.Kind = f["kind"].scalar(); w.Kind == "" {
			w.Kind = w.Name
		}
		if w.To < w.From {
			f["to"].complain("the window ends on %s, before it begins on %s", w.To, w.From)
		}
		// A window is kept by its kind and first day.
		if i := slices.IndexFunc(c.Windows, func(o calendar.Window) bool { return o.Kind == w.Kind && o.From == w.From && o.Name != w.Name }); i >= 0 {
			r.require(f["from"].at, f["from"].path, "%s and %s are both windows of the kind %s that begin on %s: give one of them a kind of its own, or let "+
				"it begin on another day", c.Windows[i].Name, w.Name, w.Kind, w.From.Words())
		}
		c.Windows = append(c.Windows, w)
	}
	sort.SliceStable(c.Windows, func(i, j int) bool {
		a, b := c.Windows[i], c.Windows[j]
		return a.From < b.From || a.From == b.From && a.Name < b.Name
	})
}

func (r *reader) readWeights(list value, book *Book) {
	if list.absent() {
		return
	}
	some := false
	for _, item := range list.items() {
		w, _ := item.number()
		if w < 0 {
			item.complain("a weight is not negative")
		}
		some = some || w > 0
		book.Weights = append(book.Weights, w)
	}
	if len(book.Weights) == 12 && !some {
		list.complain("all weights are 0: at least one is more")
		book.Weights = nil
	} else if len(book.Weights) != 12 {
		list.complain("expected twelve weights, of the months from the start of the fiscal year, found %d", len(book.Weights))
		book.Weights = nil
	}
}
