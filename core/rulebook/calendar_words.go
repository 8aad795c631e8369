package rulebook

import (
	"fmt"
	"strings"
	"time"
)

// CalendarWords says how the book's calendar is made.
func (b *Book) CalendarWords() string {
	c := b.Calendar
	var parts []string
	switch w := c.Weeks; {
	case w != nil:
		end := fmt.Sprintf("the last %s of %s", w.EndsOn, w.EndsIn)
		if w.Nearest {
			end = fmt.Sprintf("the %s nearest to the end of %s", w.EndsOn, w.EndsIn)
		}
		parts = append(parts, fmt.Sprintf("Years of whole weeks, %d-%d-%d in each quarter, ending on %s", w.Pattern[0], w.Pattern[1], w.Pattern[2], end))
	case c.YearFrom > time.January:
		named := "ends"
		if c.NamedFromStart {
			named = "begins"
		}
		parts = append(parts, fmt.Sprintf("Years from %s, named after the calendar year in which each %s", c.YearFrom, named))
	default:
		parts = append(parts, "Calendar years")
	}
	switch {
	case c.Weeks != nil:
	case c.WeekSet && c.WeekFrom != time.Monday:
		parts = append(parts, fmt.Sprintf("weeks from %s, week 1 holds 4 January", c.WeekFrom))
	default:
		parts = append(parts, "weeks by ISO 8601")
	}
	days := "Monday to Friday"
	if c.WorkDays != nil {
		var list []string
		for _, d := range c.WorkDays {
			list = append(list, d.String())
		}
		days = strings.Join(list, ", ")
	}
	parts = append(parts, "worked on "+days)
	return strings.Join(parts, "; ") + "."
}
