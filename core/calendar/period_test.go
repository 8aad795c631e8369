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
		c.NamedFromStart = rapid.Bool().Draw(t, "named from start")
		if rapid.Bool().Draw(t, "whole weeks") {
			pattern := rapid.SampledFrom([][3]int{{4, 4, 5}, {4, 5, 4}, {5, 4, 4}}).Draw(t, "pattern")
			c.Weeks = &WeekYears{pattern, time.Weekday(rapid.IntRange(0, 6).Draw(t, "ends on")), time.Month(rapid.IntRange(1, 12).Draw(t, "ends in")),
				rapid.Bool().Draw(t, "nearest")}
		}
		d := Day(rapid.Int32Range(-10000, 40000).Draw(t, "day"))
		for _, u := range []Unit{Daily, Weekly, Monthly, Quarterly, Halfyearly, Yearly} {
			p := c.Of(u, d)
			first, last := c.Span(p)
			assert.LessOrEqual(t, first, d)
			assert.GreaterOrEqual(t, last, d)
			assert.Equal(t, p, c.Of(u, first))
			assert.Equal(t, p, c.Of(u, last))
			next, ok := c.Before(p, -1)
			assert.True(t, ok)
			assert.Equal(t, next, c.Of(u, last+1))
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

// A 4-5-4 year that ends on the Saturday nearest to the end of January, named
// after its start: 2023 has 53 weeks, 2024 has 52.
func TestYearsOfWholeWeeks(t *testing.T) {
	c := Calendar{NamedFromStart: true, Weeks: &WeekYears{[3]int{4, 5, 4}, time.Saturday, time.January, true}}
	span := func(s string) string {
		p, err := c.Parse(s)
		require.NoError(t, err, s)
		first, last := c.Span(p)
		return first.String() + " " + last.String()
	}
	assert.Equal(t, "2023-01-29 2024-02-03", span("2023"))
	assert.Equal(t, "2024-02-04 2025-02-01", span("2024"))
	assert.Equal(t, "2023-01-29 2023-02-25", span("2023-P01"))
	assert.Equal(t, "2023-02-26 2023-04-01", span("2023-P02"), "five weeks")
	assert.Equal(t, "2023-12-31 2024-02-03", span("2023-P12"), "the 53rd week belongs to the twelfth period")
	assert.Equal(t, "2023-10-29 2024-02-03", span("2023-Q4"))
	assert.Equal(t, "2024-01-28 2024-02-03", span("2023-W53"))
	week53, err := c.Parse("2023-W53")
	require.NoError(t, err)
	_, ok := c.YearBefore(week53)
	assert.False(t, ok, "2022 has no week 53")
	_, err = c.Parse("2024-W53")
	assert.ErrorContains(t, err, "2024 has no week 53")
	_, err = c.Parse("2023-01")
	assert.ErrorContains(t, err, "2026-P10")
	week5, err := c.Parse("2024-W05")
	require.NoError(t, err)
	before, ok := c.YearBefore(week5)
	assert.True(t, ok)
	assert.Equal(t, "2023-W05", c.String(before))
	assert.Equal(t, "week 5 of 2023", c.Words(before))
	p1, err := c.Parse("2023-P01")
	require.NoError(t, err)
	assert.Equal(t, "period 1 of 2023", c.Words(p1))

	last := Calendar{Weeks: &WeekYears{[3]int{4, 4, 5}, time.Saturday, time.December, false}}
	first, end := last.Span(last.Of(Yearly, Date(2026, time.July, 1)))
	assert.Equal(t, "2025-12-28 2026-12-26", first.String()+" "+end.String())
	assert.Equal(t, "2027", last.String(last.Of(Yearly, Date(2026, time.December, 27))))
}

func TestWindowsFollowTheirForerunners(t *testing.T) {
	c := Calendar{Windows: []Window{
		{"fair-2025", "Fair 2025", "fair", Date(2025, time.April, 4), Date(2025, time.April, 8)},
		{"sale", "Sale", "sale", Date(2025, time.May, 1), Date(2025, time.May, 2)},
		{"fair-2026", "Fair 2026", "fair", Date(2026, time.April, 3), Date(2026, time.April, 7)},
	}}
	fair, err := c.Parse("fair-2026")
	require.NoError(t, err)
	assert.Equal(t, "Fair 2026", c.Words(fair))
	before, ok := c.Before(fair, 1)
	assert.True(t, ok)
	assert.Equal(t, "fair-2025", c.String(before))
	_, ok = c.Before(fair, 2)
	assert.False(t, ok)
	_, ok = c.YearBefore(fair)
	assert.False(t, ok)
	first, last := c.Span(before)
	assert.Equal(t, "2025-04-04 2025-04-08", first.String()+" "+last.String())
}
