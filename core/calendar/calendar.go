// Package calendar counts days and months without clocks or time zones: a day
// is a calendar day, a month a calendar month.
package calendar

import (
	"fmt"
	"time"
	_ "time/tzdata" // the zones, on machines that have none
)

// Day is a calendar day, as days since 1970-01-01.
type Day int32

// Date is the day of a year, month and day of the month. The caller states a
// day that exists; ParseDay checks.
func Date(year int, month time.Month, day int) Day {
	return Day(time.Date(year, month, day, 0, 0, 0, 0, time.UTC).Unix() / 86400)
}

// ParseDay reads an ISO 8601 day, "2026-10-31".
func ParseDay(s string) (Day, error) {
	t, err := time.Parse("2006-01-02", s)
	if err != nil {
		return 0, fmt.Errorf("%q is not a day; write it as 2026-10-31", s)
	}
	return Day(t.Unix() / 86400), nil
}

// Today is the day at a moment by the calendar's time zone. A zone that is not
// known here, which the check of a calendar refuses, is the machine's.
func (c Calendar) Today(now time.Time) Day {
	if zone, err := Zone(c.Zone); err == nil {
		now = now.In(zone)
	}
	return Date(now.Date())
}

// Moment says a moment by the calendar's clock, such as "3 Dec 2026, 06:00".
func (c Calendar) Moment(at time.Time) string {
	if zone, err := Zone(c.Zone); err == nil {
		at = at.In(zone)
	}
	return Date(at.Date()).Words() + at.Format(", 15:04")
}

// Zone finds a time zone of the IANA database by name; "" is the machine's.
func Zone(name string) (*time.Location, error) {
	if name == "" {
		return time.Local, nil
	}
	zone, err := time.LoadLocation(name)
	if err != nil || name == "Local" {
		return nil, fmt.Errorf("there is no time zone %q; write one as Europe/Lisbon, or UTC", name)
	}
	return zone, nil
}

// Time is midnight UTC of the day.
func (d Day) Time() time.Time { return time.Unix(int64(d)*86400, 0).UTC() }

// String is the ISO form, "2026-10-31".
func (d Day) String() string { return d.Time().Format("2006-01-02") }

// Words is the form for people, "31 Oct 2026".
func (d Day) Words() string { return d.Time().Format("2 Jan 2006") }

// Month is the month the day lies in.
func (d Day) Month() Month {
	y, m, _ := d.Time().Date()
	return MonthOf(y, m)
}

// Month is a calendar month, as months since January of year 0.
type Month int32

// MonthOf is the month of a year.
func MonthOf(year int, m time.Month) Month { return Month(year*12 + int(m) - 1) }

// ParseMonth reads "2026-10".
func ParseMonth(s string) (Month, error) {
	t, err := time.Parse("2006-01", s)
	if err != nil {
		return 0, fmt.Errorf("%q is not a month; write it as 2026-10", s)
	}
	return MonthOf(t.Year(), t.Month()), nil
}

// First and Last are the month's end days; both belong to it.
func (m Month) First() Day { return Date(int(m)/12, time.Month(int(m)%12+1), 1) }

// Last is the last day of the month.
func (m Month) Last() Day { return (m + 1).First() - 1 }

// String is the ISO form, "2026-10".
func (m Month) String() string { return fmt.Sprintf("%04d-%02d", int(m)/12, int(m)%12+1) }

// Words is the form for people, "Oct 2026".
func (m Month) Words() string { return m.First().Time().Format("Jan 2006") }
