package calendar

import (
	"fmt"
	"strconv"
	"strings"
	"time"
)

// Unit is a length of period.
type Unit uint8

// The units, the shortest first.
const (
	Daily Unit = iota + 1
	Weekly
	Monthly
	Quarterly
	Halfyearly
	Yearly
	Named // a window of the calendar
)

var unitNames = map[Unit]string{Daily: "day", Weekly: "week", Monthly: "month", Quarterly: "quarter", Halfyearly: "half", Yearly: "year"}

func (u Unit) String() string { return unitNames[u] }

// ParseUnit reads "month" and its like.
func ParseUnit(s string) (Unit, error) {
	for u, name := range unitNames {
		if s == name {
			return u, nil
		}
	}
	return 0, fmt.Errorf("%q is not a length of period: day, week, month, quarter, half or year", s)
}

// Period is one period of a calendar. Number counts: days as a Day, weeks
// since the one of 1970-01-01, months as a Month, quarters, halves and years
// by fiscal year, and named windows by their place among Calendar.Windows. In
// a calendar of WeekYears the months of year y are numbered from 12 y.
type Period struct {
	Unit   Unit
	Number int32
}

// Calendar says where years and weeks begin, which days are worked, and which
// windows have names. The zero Calendar has years from January, weeks by ISO
// 8601 from Monday, and works from Monday to Friday. Quarters and halves are
// three and six months of the fiscal year, which is named after the calendar
// year in which it ends unless NamedFromStart.
type Calendar struct {
	YearFrom       time.Month // 0 is January
	NamedFromStart bool
	WeekFrom       time.Weekday // Sunday as 0 is read as Monday unless WeekSet
	WeekSet        bool
	Weeks          *WeekYears // years of whole weeks; nil is years of months
	WorkDays       []time.Weekday
	Holidays       []Holiday // by rising day
	Windows        []Window  // by first day, then name
	Zone           string    // whose clock says which day it is, such as "Europe/Lisbon"; "" is the machine's

	toDate   Day // see ToDateTo
	isToDate bool
}

func (c Calendar) weekFrom() time.Weekday {
	if c.Weeks != nil {
		return (c.Weeks.EndsOn + 1) % 7
	}
	if !c.WeekSet {
		return time.Monday
	}
	return c.WeekFrom
}

// shift is how many months before January the fiscal year begins: a year from
// February 2026 is fiscal 2027, eleven months early.
func (c Calendar) shift() int32 {
	if c.YearFrom <= time.January {
		return 0
	}
	if c.NamedFromStart {
		return 1 - int32(c.YearFrom)
	}
	return int32(13 - c.YearFrom)
}

// monthsOf is how many months a unit holds, 0 for days and weeks.
func monthsOf(u Unit) int32 {
	switch u {
	case Monthly:
		return 1
	case Quarterly:
		return 3
	case Halfyearly:
		return 6
	case Yearly:
		return 12
	}
	return 0
}

// MonthPeriod is a month as a period.
func MonthPeriod(m Month) Period { return Period{Monthly, int32(m)} }

// Of is the period of a unit that a day lies in.
func (c Calendar) Of(u Unit, d Day) Period {
	switch u {
	case Daily:
		return Period{u, int32(d)}
	case Weekly:
		return Period{u, floorDiv(int32(d)-c.weekZero(), 7)}
	}
	if c.Weeks != nil {
		return c.weeksOf(u, d)
	}
	if u == Monthly {
		return Period{u, int32(d.Month())}
	}
	return Period{u, floorDiv(int32(d.Month())+c.shift(), monthsOf(u))}
}

// weekZero is the first day of week 0, the one that holds 1970-01-01, a
// Thursday.
func (c Calendar) weekZero() int32 {
	return -((int32(time.Thursday) - int32(c.weekFrom()) + 7) % 7)
}

// Whole is the first and the last day of a period, whether or not it is taken so far.
func (c Calendar) Whole(p Period) (first, last Day) {
	switch p.Unit {
	case Daily:
		return Day(p.Number), Day(p.Number)
	case Weekly:
		first = Day(c.weekZero() + 7*p.Number)
		return first, first + 6
	case Named:
		w := c.Windows[p.Number]
		return w.From, w.To
	}
	if c.Weeks != nil {
		return c.weeksSpan(p)
	}
	n := monthsOf(p.Unit)
	from := Month(p.Number * n)
	if p.Unit != Monthly {
		from -= Month(c.shift())
	}
	return from.First(), (from + Month(n) - 1).Last()
}

// Before is the period n before p; of a named window the n-th before it of its
// kind, which there may not be.
func (c Calendar) Before(p Period, n int) (Period, bool) {
	if p.Unit == Named {
		return c.windowBefore(p, n)
	}
	return Period{p.Unit, p.Number - int32(n)}, true
}

// YearBefore is the same period a year before: of weeks the one with the same
// number, which a week 53 may not have; of days the same date, which a 29
// February may not have. A named window has none.
func (c Calendar) YearBefore(p Period) (Period, bool) {
	switch p.Unit {
	case Daily:
		t := Day(p.Number).Time()
		before := Date(t.Year()-1, t.Month(), t.Day())
		return Period{Daily, int32(before)}, before.Time().Day() == t.Day()
	case Weekly:
		year, week := c.week(p)
		first := c.firstWeek(year - 1)
		before := Period{Weekly, first + int32(week) - 1}
		y, w := c.week(before)
		return before, y == year-1 && w == week
	case Named:
		return p, false
	}
	return Period{p.Unit, p.Number - 12/monthsOf(p.Unit)}, true
}

// week is the year and number of a week: week 1 holds the fourth of January,
// as in ISO 8601; in a calendar of WeekYears it is the year's first.
func (c Calendar) week(p Period) (year, week int) {
	first, _ := c.Whole(p)
	if c.Weeks != nil {
		year = int(c.weeksOf(Yearly, first).Number)
	} else {
		year = (first + 3).Time().Year()
	}
	return year, int(p.Number-c.firstWeek(year)) + 1
}

func (c Calendar) firstWeek(year int) int32 {
	if c.Weeks != nil {
		first, _ := c.weeksSpan(Period{Yearly, int32(year)})
		return c.Of(Weekly, first).Number
	}
	return c.Of(Weekly, Date(year, time.January, 4)).Number
}

// String is the form of files and addresses: 2026-10-31, 2026-W44, 2026-10,
// 2026-Q4, 2026-H2, 2026; 2026-P10 of a month of whole weeks, and the name of
// a window.
func (c Calendar) String(p Period) string {
	switch p.Unit {
	case Daily:
		return Day(p.Number).String()
	case Weekly:
		year, week := c.week(p)
		return fmt.Sprintf("%04d-W%02d", year, week)
	case Monthly:
		if c.Weeks != nil {
			return fmt.Sprintf("%04d-P%02d", floorDiv(p.Number, 12), p.Number-12*floorDiv(p.Number, 12)+1)
		}
		return Month(p.Number).String()
	case Named:
		return c.Windows[p.Number].Name
	case Quarterly:
		return fmt.Sprintf("%04d-Q%d", floorDiv(p.Number, 4), p.Number-4*floorDiv(p.Number, 4)+1)
	case Halfyearly:
		return fmt.Sprintf("%04d-H%d", floorDiv(p.Number, 2), p.Number-2*floorDiv(p.Number, 2)+1)
	}
	return fmt.Sprintf("%04d", p.Number)
}

func (c Calendar) words(p Period) string {
	switch p.Unit {
	case Daily:
		return Day(p.Number).Words()
	case Weekly:
		year, week := c.week(p)
		return fmt.Sprintf("week %d of %d", week, year)
	case Monthly:
		if c.Weeks != nil {
			year := floorDiv(p.Number, 12)
			return fmt.Sprintf("period %d of %d", p.Number-12*year+1, year)
		}
		return Month(p.Number).Words()
	case Named:
		return c.Windows[p.Number].Title
	}
	s := c.String(p)
	if year, part, ok := strings.Cut(s, "-"); ok {
		return part + " " + year
	}
	return s
}

// Parse reads the form that String writes.
func (c Calendar) Parse(s string) (Period, error) {
	for i, w := range c.Windows {
		if w.Name == s {
			return Period{Named, int32(i)}, nil
		}
	}
	month := "2026-10"
	if c.Weeks != nil {
		month = "2026-P10"
	}
	bad := fmt.Errorf("%q is not a period; write it as %s, 2026-Q4, 2026-H2, 2026, 2026-W44 or 2026-10-31, or name a window of the calendar", s, month)
	year, rest, parted := strings.Cut(s, "-")
	y, err := strconv.Atoi(year)
	if err != nil || len(year) != 4 {
		return Period{}, bad
	}
	if !parted {
		return Period{Yearly, int32(y)}, nil
	}
	number := func(prefix string, most int) (int, bool) {
		digits, ok := strings.CutPrefix(rest, prefix)
		n, err := strconv.Atoi(digits)
		return n, ok && err == nil && n >= 1 && n <= most
	}
	if n, ok := number("Q", 4); ok {
		return Period{Quarterly, int32(4*y + n - 1)}, nil
	}
	if n, ok := number("H", 2); ok {
		return Period{Halfyearly, int32(2*y + n - 1)}, nil
	}
	if n, ok := number("W", 53); ok {
		p := Period{Weekly, c.firstWeek(y) + int32(n) - 1}
		if got, _ := c.week(p); got != y {
			return Period{}, fmt.Errorf("%d has no week %d", y, n)
		}
		return p, nil
	}
	if n, ok := number("P", 12); ok && c.Weeks != nil {
		return Period{Monthly, int32(12*y + n - 1)}, nil
	}
	if m, err := ParseMonth(s); err == nil && c.Weeks == nil {
		return MonthPeriod(m), nil
	}
	if d, err := ParseDay(s); err == nil {
		return Period{Daily, int32(d)}, nil
	}
	return Period{}, bad
}

func floorDiv(a, b int32) int32 {
	q := a / b
	if a%b != 0 && (a < 0) != (b < 0) {
		q--
	}
	return q
}

// ParseMonth reads a period of the calendar that is a month of it.
func (c Calendar) ParseMonth(text string) (Month, error) {
	p, err := c.Parse(text)
	switch {
	case err != nil:
		return 0, err
	case p.Unit != Monthly:
		return 0, fmt.Errorf("%s is a %s; rules are evaluated for a month", text, p.Unit)
	}
	return Month(p.Number), nil
}
