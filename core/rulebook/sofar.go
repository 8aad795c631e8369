package rulebook

import "oskel/core/calendar"

// ToDateTo is the book with its periods as they stand on a day on which one runs.
func (b *Book) ToDateTo(day calendar.Day) *Book {
	out := *b
	out.Calendar = b.Calendar.ToDateTo(day)
	return &out
}
