package routing

import (
	"oskel/core/calendar"
	"oskel/core/rulebook"
)

// Reminder is the step before a case is due.
const Reminder = rulebook.Reminder

// Step is one that a case on a desk may have come to: the reminder, or one of what is
// overdue.
type Step struct {
	rulebook.DeskStep
	Latest calendar.Day // cases that were due then or earlier have come to it
}

// Steps are those of a desk as of a day, the last first: a case has come to the first of
// them whose Latest is not before its due day. Counting is in the working days of the
// desk.
func Steps(book *rulebook.Book, desk *rulebook.Desk, today calendar.Day) (out []Step) {
	c := book.CalendarOf(desk)
	for i := len(desk.Overdue) - 1; i >= 0; i-- {
		s := desk.Overdue[i]
		out = append(out, Step{s, min(today-1, c.BackWorking(today, s.After))})
	}
	if desk.Remind > 0 {
		out = append(out, Step{rulebook.DeskStep{Name: Reminder, Tell: []string{rulebook.Holder}}, c.AddWorking(today, desk.Remind)})
	}
	return out
}
