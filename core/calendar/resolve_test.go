package calendar_test

import (
	"testing"

	"github.com/stretchr/testify/assert"

	"oskel/core/calendar"
)

func TestResolve(t *testing.T) {
	c := calendar.Calendar{}
	october := calendar.MonthPeriod(calendar.MonthOf(2026, 10))
	september := calendar.MonthPeriod(calendar.MonthOf(2026, 9))
	day := func(iso string) calendar.Day {
		d, err := calendar.ParseDay(iso)
		assert.NoError(t, err)
		return d
	}
	assert.Equal(t, calendar.Resolved{
		Of: october, Key: c.Key(october), Words: "Oct 2026", First: day("2026-10-01"), Last: day("2026-10-31"),
		Before: september, BeforeKey: c.Key(september), HasBefore: true,
	}, c.Resolve(october))

	toDate := c.ToDateTo(day("2026-10-12")).Resolve(october)
	assert.Equal(t, day("2026-10-12"), toDate.Last, "the span is the one to date")
	assert.Equal(t, c.Key(october), toDate.Key, "the key is of the whole period")

	c.Windows = []calendar.Window{{Kind: "promotion", Name: "Autumn", From: day("2026-09-01"), To: day("2026-09-14")}}
	only := c.Resolve(calendar.Period{Unit: calendar.Named})
	assert.False(t, only.HasBefore, "the first window of its kind follows nothing")
	assert.Equal(t, day("2026-09-14"), only.Last)
}
