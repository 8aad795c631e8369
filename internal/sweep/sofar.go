package sweep

import (
	"fmt"
	"strings"

	"oskel/core/calendar"
	"oskel/core/ledger"
	"oskel/core/schedule"
	"oskel/internal/figures"
)

// toDateTo is the day up to which a period that runs is swept: the stated one, or the
// last one before today on which any feed has lines.
func toDateTo(snapshot *ledger.Snapshot, at calendar.Resolved, today calendar.Day, stated *calendar.Day) (calendar.Day, error) {
	switch {
	case at.Last < today:
		return 0, fmt.Errorf("%w: %s has ended; sweep the whole period", ErrToDate, at.Words)
	case at.First == at.Last:
		return 0, fmt.Errorf("%w: a day is over before it can be judged", ErrToDate)
	case stated != nil && (*stated < at.First || *stated >= min(today, at.Last)):
		return 0, fmt.Errorf("%w: the day up to which is to be one of %s to %s, before today and the last of the period, not %s", ErrToDate,
			at.First.Words(), (min(today, at.Last) - 1).Words(), stated.Words())
	case stated != nil:
		return *stated, nil
	}
	if day := newestDay(snapshot, at.First, min(today, at.Last)-1); day != schedule.Never {
		return day, nil
	}
	return 0, fmt.Errorf("%w: no feed has lines of %s before today, %s", ErrToDate, at.Words, today.Words())
}

// newestDay is the last day from first to last on which any feed has lines, or Never.
func newestDay(snapshot *ledger.Snapshot, first, last calendar.Day) calendar.Day {
	for day := last; day >= first; day-- {
		if figures.HasLines(snapshot, day, day) {
			return day
		}
	}
	return schedule.Never
}

// onlyToDate says in words that a sweep judged a part of a period alone, where that has
// ended since; "" where it did not.
func onlyToDate(toDate *calendar.Day, last, today calendar.Day) string {
	if toDate == nil || last >= today {
		return ""
	}
	return fmt.Sprintf("To date only, up to %s: the period has ended since. Sweep it again.", toDate.Words())
}

// stillToDate says the same before why it is out of date, where the period still runs.
func stillToDate(toDate *calendar.Day, last, today calendar.Day, why string) string {
	if toDate == nil || last < today {
		return why
	}
	return strings.TrimSpace(fmt.Sprintf("To date, up to %s: the period is still running. %s", toDate.Words(), why))
}
