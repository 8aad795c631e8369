package calendar_test

import (
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"pgregory.net/rapid"

	"oskel/core/calendar"
)

// Of every period that is taken so far there are as many days as the one that runs has
// had, and never more than it has; its names and keys are what they were.
func TestPeriodsToDate(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		whole := calendar.Calendar{YearFrom: time.Month(rapid.IntRange(1, 12).Draw(t, "year from"))}
		if rapid.Bool().Draw(t, "of weeks") {
			whole.Weeks = &calendar.WeekYears{Pattern: [3]int{4, 4, 5}, EndsOn: time.Saturday, EndsIn: time.January}
		}
		day := calendar.Date(2026, 1, 1) + calendar.Day(rapid.IntRange(0, 800).Draw(t, "day"))
		cut := whole.ToDateTo(day)
		u := rapid.SampledFrom([]calendar.Unit{calendar.Daily, calendar.Weekly, calendar.Monthly, calendar.Quarterly, calendar.Halfyearly,
			calendar.Yearly}).Draw(t, "unit")
		running := whole.Of(u, day)
		begun, _ := whole.Span(running)
		p, ok := whole.Before(running, rapid.IntRange(0, 20).Draw(t, "before"))
		assert.True(t, ok)
		first, ends := whole.Span(p)
		from, to := cut.Span(p)
		assert.Equal(t, first, from)
		_, runs := whole.Span(running)
		if day == runs {
			assert.Equal(t, ends, to, "what is over is whole")
		} else {
			assert.Equal(t, min(ends, first+(day-begun)), to)
		}
		if u == calendar.Daily {
			assert.False(t, cut.Cut(p))
		}
		assert.Equal(t, whole.String(p), cut.String(p))
		assert.Equal(t, whole.Key(p), cut.Key(p))
		assert.Equal(t, cut.Words(p) != whole.Words(p), cut.Cut(p))
		again, is := cut.ByKey(whole.Key(p))
		assert.True(t, is)
		assert.Equal(t, p, again)
	})
}

func TestToDateInWords(t *testing.T) {
	fair := calendar.Window{Kind: "fair", Name: "fair-2026", Title: "Spring fair 2026", From: calendar.Date(2026, 3, 10), To: calendar.Date(2026, 3, 20)}
	before := fair
	before.Name, before.Title, before.From, before.To = "fair-2025", "Spring fair 2025", fair.From-365, fair.To-365
	c := calendar.Calendar{Windows: []calendar.Window{before, fair}}.ToDateTo(calendar.Date(2026, 3, 15))
	words := func(text string) string {
		p, err := c.Parse(text)
		assert.NoError(t, err)
		return c.Words(p)
	}
	assert.Equal(t, "Mar 2026 to 15 Mar", words("2026-03"))
	assert.Equal(t, "Feb 2026 to 15 Feb", words("2026-02"))
	assert.Equal(t, "Q1 2026 to 15 Mar", words("2026-Q1"))
	assert.Equal(t, "Q4 2025 to 13 Dec", words("2025-Q4"))
	assert.Equal(t, "Spring fair 2026 to 15 Mar", words("fair-2026"))
	assert.Equal(t, "Spring fair 2025", words("fair-2025"), "an earlier window is whole")
	assert.Equal(t, "week 10 of 2026", words("2026-W10"), "15 March ends a week")
	assert.Equal(t, "14 Mar 2026", words("2026-03-14"))
	ends, ok := c.Last("month", calendar.Date(2026, 3, 20))
	assert.True(t, ok)
	assert.Equal(t, "2026-02", c.String(ends), "what runs has not ended")
	_, is := calendar.Calendar{}.ToDate()
	assert.False(t, is)
}
