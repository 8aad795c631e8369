package calendar

import (
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"
)

// Periods of every unit tile the days, read back, and agree with Go's own
// ISO weeks.
func TestPeriodsTileTheDays(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		c := Calendar{YearFrom: time.Month(rapid.IntRange(1, 12).Draw(t, "year from"))}
		if rapid.Bool().Draw(t, "weeks set") {
			c.WeekSet, c.WeekFrom = true, time.Weekday(rapid.IntRange(0, 6).Draw(t, "week from"))
		}
		d := Day(rapid.Int32Range(-10000, 40000).Draw(t, "day"))
		for _, u := range []Unit{Daily, Weekly, Monthly, Quarterly, Halfyearly, Yearly} {
			p := c.Of(u, d)
			first, last := c.Span(p)
			assert.LessOrEqual(t, first, d)
			assert.GreaterOrEqual(t, last, d)
			assert.Equal(t, p, c.Of(u, first))
			assert.Equal(t, p, c.Of(u, last))
			assert.Equal(t, c.Before(p, -1), c.Of(u, last+1))
			back, err := c.Parse(c.String(p))
			require.NoError(t, err)
			assert.Equal(t, p, back)
		}
		year, week := d.Time().ISOWeek()
		y, w := (Calendar{}).week((Calendar{}).Of(Weekly, d))
		assert.Equal(t, [2]int{year, week}, [2]int{y, w})
	})
}

func TestFiscalYearsAreNamedAfterTheirEnd(t *testing.T) {
	c := Calendar{YearFrom: time.February}
	assert.Equal(t, "2027", c.String(c.Of(Yearly, Date(2026, time.February, 1))))
	assert.Equal(t, "2026", c.String(c.Of(Yearly, Date(2026, time.January, 31))))
	assert.Equal(t, "2027-Q1", c.String(c.Of(Quarterly, Date(2026, time.April, 30))))
	assert.Equal(t, "H2 2027", c.Words(c.Of(Halfyearly, Date(2026, time.August, 1))))
	first, last := c.Span(Period{Yearly, 2027})
	assert.Equal(t, "2026-02-01 2027-01-31", first.String()+" "+last.String())
}

func TestAYearBefore(t *testing.T) {
	c := Calendar{}
	parse := func(s string) Period { p, err := c.Parse(s); require.NoError(t, err); return p }
	for from, want := range map[string]string{"2026-10": "2025-10", "2026-Q1": "2025-Q1", "2026-W44": "2025-W44", "2026-10-31": "2025-10-31", "2026": "2025"} {
		before, ok := c.YearBefore(parse(from))
		assert.True(t, ok)
		assert.Equal(t, want, c.String(before))
	}
	_, ok := c.YearBefore(parse("2026-W53"))
	assert.False(t, ok, "2025 has no week 53")
	_, ok = c.YearBefore(parse("2024-02-29"))
	assert.False(t, ok)
	_, err := c.Parse("2025-W53")
	assert.ErrorContains(t, err, "2025 has no week 53")
	for _, bad := range []string{"", "26", "2026-Q5", "2026-13", "2026-W00", "oct"} {
		_, err := c.Parse(bad)
		assert.Error(t, err, bad)
	}
}
