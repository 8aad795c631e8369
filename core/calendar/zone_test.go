package calendar

import (
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// Which day it is depends on where: at each end of the day, and of the year.
func TestTodayIsThatOfTheZone(t *testing.T) {
	for _, c := range []struct{ zone, at, want string }{
		{"UTC", "2026-11-25T23:59:59Z", "2026-11-25"}, {"UTC", "2026-11-26T00:00:00Z", "2026-11-26"},
		{"Pacific/Kiritimati", "2026-11-25T09:59:59Z", "2026-11-25"}, {"Pacific/Kiritimati", "2026-11-25T10:00:00Z", "2026-11-26"},
		{"Pacific/Pago_Pago", "2026-11-25T10:59:59Z", "2026-11-24"}, {"Pacific/Pago_Pago", "2026-11-25T11:00:00Z", "2026-11-25"},
		{"Europe/Lisbon", "2026-12-31T23:59:59Z", "2026-12-31"}, {"Europe/Berlin", "2026-12-31T23:00:00Z", "2027-01-01"},
		// The clock goes forward in the night to the 29th of March.
		{"Europe/Berlin", "2026-03-28T22:59:59Z", "2026-03-28"}, {"Europe/Berlin", "2026-03-29T21:59:59Z", "2026-03-29"},
		{"Europe/Berlin", "2026-03-29T22:00:00Z", "2026-03-30"},
	} {
		at, err := time.Parse(time.RFC3339, c.at)
		require.NoError(t, err)
		assert.Equal(t, c.want, Calendar{Zone: c.zone}.Today(at).String(), "%s at %s", c.zone, c.at)
	}
	here := time.Date(2026, time.November, 25, 0, 30, 0, 0, time.Local)
	assert.Equal(t, "2026-11-25", Calendar{}.Today(here).String(), "the machine's unless stated")
}

func TestZonesThatAreNone(t *testing.T) {
	for _, name := range []string{"Pacific/Nowhere", "Local", "lisbon time", "../etc/passwd", "+02:00"} {
		_, err := Zone(name)
		assert.ErrorContains(t, err, "there is no time zone", name)
	}
	for _, name := range []string{"", "UTC", "Europe/Lisbon"} {
		_, err := Zone(name)
		assert.NoError(t, err, name)
	}
}

// Rules are evaluated for months of the calendar, and for nothing else.
func TestMonthsThatRulesAreEvaluatedFor(t *testing.T) {
	window := Window{Name: "fair", From: MonthOf(2026, 4).First(), To: MonthOf(2026, 4).Last()}
	plain := Calendar{YearFrom: time.February, Windows: []Window{window}}
	weeks := Calendar{Weeks: &WeekYears{[3]int{4, 4, 5}, time.Saturday, time.January, false}}
	for text, want := range map[string]string{"2026-10": "2026-10", "2026-01": "2026-01", "2026-12": "2026-12"} {
		m, err := plain.ParseMonth(text)
		require.NoError(t, err, text)
		assert.Equal(t, want, plain.String(MonthPeriod(m)))
	}
	m, err := weeks.ParseMonth("2027-P09")
	require.NoError(t, err)
	assert.Equal(t, "2027-P09", weeks.String(MonthPeriod(m)))
	for text, says := range map[string]string{"2026-Q4": "is a quarter", "2026-H1": "is a half", "2026": "is a year", "2026-W05": "is a week",
		"2026-10-31": "is a day", "fair": "rules are evaluated for a month", "2026-P10": "not a period", "2026-13": "not a period"} {
		_, err := plain.ParseMonth(text)
		assert.ErrorContains(t, err, says, text)
	}
	_, err = weeks.ParseMonth("2026-10")
	assert.Error(t, err, "its months have other names")
}

// Each day of a year of whole weeks lies in the week, month, quarter and half
// that hold it, from the first week on, whatever month the year ends in and
// whichever year it is named after.
func TestTheFirstWeekOfAWeekYear(t *testing.T) {
	for _, ends := range []time.Month{time.January, time.June, time.December} {
		for _, nearest := range []bool{true, false} {
			for _, fromStart := range []bool{true, false} {
				c := Calendar{NamedFromStart: fromStart, Weeks: &WeekYears{[3]int{4, 4, 5}, time.Saturday, ends, nearest}}
				for year := int32(2020); year < 2034; year++ {
					first, last := c.Span(Period{Yearly, year})
					assert.Contains(t, []Day{52*7 - 1, 53*7 - 1}, last-first)
					assert.Equal(t, time.Sunday, first.Time().Weekday())
					next, _ := c.Span(Period{Yearly, year + 1})
					assert.Equal(t, last+1, next, "no day between the years")
					for _, d := range []Day{first, first + 6, last - 6, last} {
						assert.Equal(t, Period{Yearly, year}, c.Of(Yearly, d))
					}
					switch {
					case ends == time.December && nearest: // it may end in the first days of the next year
					case fromStart && ends != time.December:
						assert.Equal(t, int(year), first.Time().Year(), "named after the year in which it begins")
					default:
						assert.Equal(t, int(year), last.Time().Year(), "named after the year in which it ends")
					}
					week, err := c.Parse(c.String(c.Of(Weekly, first)))
					require.NoError(t, err)
					from, to := c.Span(week)
					assert.Equal(t, []Day{first, first + 6}, []Day{from, to})
					assert.Equal(t, "-W01", c.String(week)[4:])
				}
			}
		}
	}
}

// A moment is said by the calendar's clock.
func TestMoments(t *testing.T) {
	at := time.Date(2026, time.December, 31, 23, 5, 0, 0, time.UTC)
	assert.Equal(t, "1 Jan 2027, 00:05", Calendar{Zone: "Europe/Berlin"}.Moment(at))
	assert.Equal(t, "31 Dec 2026, 23:05", Calendar{Zone: "UTC"}.Moment(at))
}
