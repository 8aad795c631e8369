package rulebook

import "oskel/core/calendar"

// SoFarTo is the book with its periods as they stand on a day on which one runs.
func (b *Book) SoFarTo(day calendar.Day) *Book {
	out := *b
	out.Calendar = b.Calendar.SoFarTo(day)
	return &out
}
