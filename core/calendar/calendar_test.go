package calendar

import (
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"
)

func TestDaysAndMonthsAgreeWithTheCalendar(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		d := Day(rapid.Int32Range(-20000, 40000).Draw(t, "day"))
		back, err := ParseDay(d.String())
		require.NoError(t, err)
		assert.Equal(t, d, back)
		m := d.Month()
		assert.LessOrEqual(t, m.First(), d)
		assert.GreaterOrEqual(t, m.Last(), d)
		assert.Equal(t, 1, m.First().Time().Day())
		month, err := ParseMonth(m.String())
		require.NoError(t, err)
		assert.Equal(t, m, month)
	})
}

func TestWorkingDays(t *testing.T) {
	friday := Date(2026, time.October, 30)
	assert.Equal(t, "2026-11-03", (Calendar{}).AddWorking(friday, 2).String())
	assert.Equal(t, friday, (Calendar{}).AddWorking(friday, 0))
	saturday := friday + 1
	assert.False(t, (Calendar{}).Working(saturday))
	assert.Equal(t, "2026-11-02", (Calendar{}).AddWorking(saturday, 1).String())
	c := Calendar{Holidays: []Holiday{{friday + 3, "Harbour Day"}}, WorkDays: []time.Weekday{time.Monday, time.Wednesday}}
	assert.Equal(t, "2026-11-04", c.AddWorking(friday, 1).String(), "Monday the 2nd is a holiday")
	assert.Equal(t, 1, c.WorkingDays(friday, friday+7), "the Wednesday")
	h, ok := c.Holiday(friday + 3)
	assert.True(t, ok)
	assert.Equal(t, "Harbour Day", h.Name)
}

func TestWordsAndRefusals(t *testing.T) {
	assert.Equal(t, "31 Oct 2026", Date(2026, time.October, 31).Words())
	assert.Equal(t, "Feb 2024", MonthOf(2024, time.February).Words())
	assert.Equal(t, "2024-02-29", MonthOf(2024, time.February).Last().String())
	for _, bad := range []string{"2026-02-30", "31.10.2026", "", "2026-1-1"} {
		_, err := ParseDay(bad)
		assert.Error(t, err, bad)
	}
	for _, bad := range []string{"2026-13", "2026", "Oct 2026"} {
		_, err := ParseMonth(bad)
		assert.Error(t, err, bad)
	}
}
