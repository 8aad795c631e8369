package rulebook

import (
	"slices"
	"sort"
	"strings"
	"time"

	"oskel/core/calendar"
)

// readDesks reads 'desks'. Whether its people exist is asked by the service, since the book knows
// none.
func (r *reader) readDesks(v value, book *Book) {
	for _, item := range v.maps() {
		f := item.fields(sections["desk"]...)
		d := Desk{At: item.at, Name: f["name"].required(), Due: map[string]int{}}
		r.name(f["name"].at, f["name"].path, d.Name, true)
		d.Title = titled(f["title"], d.Name)
		if d.Shares = f["shares"].oneOf("not", "not", ByTurn, ByLoad); d.Shares == "not" {
			d.Shares = ""
		}
		d.Closes = f["closes"].oneOf("by hand", "by hand", "when cleared") == "when cleared"
		if book.Desk(d.Name) != nil {
			f["name"].complain("the desk %q is defined twice", d.Name)
		}
		for _, e := range f["due"].entries() {
			if book.Grade(e.key) == nil {
				r.complain(e.at, e.path, "unknown grade %q%s", e.key, suggest(e.key, gradeNames(book)))
			}
			d.Due[e.key] = e.workingDays(1, 250)
		}
		if c := f["calendar"]; !c.absent() {
			own := c.fields(sections["desk calendar"]...)
			d.Calendar = &DeskCalendar{WorkDays: own["working_days"].workDays()}
			if !own["holidays"].absent() {
				d.Calendar.Holidays = r.readHolidays(own["holidays"])
			}
		}
		if remind := f["remind"]; !remind.absent() {
			d.Remind = remind.workingDays(1, 60)
		}
		d.Overdue = readSteps(f["overdue"])
		book.Desks = append(book.Desks, d)
	}
}

// workingDays reads "2 working days".
func (v value) workingDays(low, high int) int {
	n, ok := countOf(v.scalar(), "working day")
	if !ok || n < low || n > high {
		v.complain("expected a number of working days, such as '2 working days', found %q", v.scalar())
	}
	return n
}

// mostSteps is how many steps a desk may have, of what is overdue.
const mostSteps = 10

// readSteps reads the steps that what is overdue goes up by, each later than the one
// before it.
func readSteps(v value) (out []DeskStep) {
	items := v.maps()
	if len(items) > mostSteps {
		v.complain("at most %d steps", mostSteps)
		return nil
	}
	for _, item := range items {
		f := item.fields(sections["step"]...)
		s := DeskStep{Name: f["step"].required(), HandTo: f["hand_to"].scalar()}
		if f["after"].absent() {
			item.complain("say after how many working days: after: 1 working day")
		} else {
			s.After = f["after"].workingDays(0, 250)
		}
		if s.Name == Reminder {
			f["step"].complain("%q is what 'remind' does; name the step otherwise", Reminder)
		}
		for _, t := range f["tell"].items() {
			if name := t.required(); slices.Contains(s.Tell, name) {
				t.complain("%q is told twice", name)
			} else {
				s.Tell = append(s.Tell, name)
			}
		}
		if len(s.Tell) == 0 && s.HandTo == "" {
			item.complain("say whom it is told or handed to: tell: [%s], an account, or hand_to: an account", strings.Join(told, ", "))
		}
		for _, before := range out {
			switch {
			case before.Name == s.Name:
				f["step"].complain("the step %q is there twice", s.Name)
			case before.After >= s.After:
				f["after"].complain("each step comes later than the one before it, and %q comes after %d", before.Name, before.After)
			}
		}
		out = append(out, s)
	}
	return out
}

// workDays reads weekdays that are worked.
func (v value) workDays() (out []time.Weekday) {
	for _, item := range v.items() {
		out = append(out, item.weekday("monday"))
	}
	if v.isList() && len(out) == 0 {
		v.complain("state at least one day that is worked: due days are counted in them")
	}
	return out
}

// readHolidays reads days with their names.
func (r *reader) readHolidays(v value) []calendar.Holiday {
	out := []calendar.Holiday{}
	for _, e := range v.entries() {
		d, err := calendar.ParseDay(e.key)
		if err != nil {
			r.complain(e.at, e.path, "expected a day such as 2026-12-25 and its name, found %q", e.key)
			continue
		}
		out = append(out, calendar.Holiday{Day: d, Name: e.scalar()})
	}
	sort.SliceStable(out, func(i, j int) bool { return out[i].Day < out[j].Day })
	return out
}
