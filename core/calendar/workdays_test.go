package calendar_test

import (
	"testing"

	"github.com/stretchr/testify/assert"
	"pgregory.net/rapid"

	"oskel/core/calendar"
)

// Going back is the other side of going on: the last day from which n working days on is
// not beyond the day.
func TestBackWorking(t *testing.T) {
	c := calendar.Calendar{Holidays: []calendar.Holiday{{Day: calendar.Date(2026, 11, 9), Name: "Harbour day"}}}
	tuesday := calendar.Date(2026, 11, 10)
	for n, day := range map[int]int{0: 10, 1: 9, 2: 5, 3: 4} { // Monday is off, the weekend too
		assert.Equal(t, calendar.Date(2026, 11, day), c.BackWorking(tuesday, n), "%d", n)
	}
	rapid.Check(t, func(t *rapid.T) {
		d, n := calendar.Date(2026, 1, 1)+calendar.Day(rapid.IntRange(0, 400).Draw(t, "day")), rapid.IntRange(0, 60).Draw(t, "n")
		back := c.BackWorking(d, n)
		assert.Equal(t, n, c.WorkingDays(back+1, d))
		assert.LessOrEqual(t, c.AddWorking(back, n), d)
		if n > 0 {
			assert.Greater(t, c.AddWorking(back+1, n), d)
		}
	})
}
