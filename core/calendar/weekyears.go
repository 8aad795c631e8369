package calendar

import "time"

// WeekYears makes years of 52 or 53 whole weeks: each quarter has thirteen,
// in three months of Pattern weeks. A 53rd week belongs to the twelfth month.
// A year ends on the weekday EndsOn: the last one of the month EndsIn, or with
// Nearest the one nearest to that month's last day. It is named after the
// calendar year of that month, or, where the calendar says so, after the year in
// which it begins.
type WeekYears struct {
	Pattern [3]int // such as 4, 4, 5; thirteen together
	EndsOn  time.Weekday
	EndsIn  time.Month
	Nearest bool
}

// weekYearEnd is the last day of the year that is called so.
func (c Calendar) weekYearEnd(year int32) Day {
	if c.NamedFromStart && c.Weeks.EndsIn != time.December {
		year++
	}
	last := MonthOf(int(year), c.Weeks.EndsIn).Last()
	back := (int32(last.Time().Weekday()) - int32(c.Weeks.EndsOn) + 7) % 7
	if c.Weeks.Nearest && back > 3 {
		back -= 7
	}
	return last - Day(back)
}

// weeksOf is the month, quarter, half or year of whole weeks of a day.
func (c Calendar) weeksOf(u Unit, d Day) Period {
	year := int32(d.Time().Year()) + 2
	for d <= c.weekYearEnd(year-1) {
		year--
	}
	if u == Yearly {
		return Period{u, year}
	}
	week := int(d-c.weekYearEnd(year-1)-1) / 7
	quarter := min(week/13, 3)
	switch u {
	case Halfyearly:
		return Period{u, 2*year + int32(quarter/2)}
	case Quarterly:
		return Period{u, 4*year + int32(quarter)}
	}
	month, left := 0, week-13*quarter
	for month < 2 && left >= c.Weeks.Pattern[month] {
		left -= c.Weeks.Pattern[month]
		month++
	}
	return Period{u, 12*year + int32(3*quarter+month)}
}

// weeksSpan is the days of a month, quarter, half or year of whole weeks.
func (c Calendar) weeksSpan(p Period) (first, last Day) {
	parts := 12 / monthsOf(p.Unit)
	year := floorDiv(p.Number, parts)
	part := p.Number - parts*year
	begin := c.weekYearEnd(year-1) + 1
	from, to := int(part*monthsOf(p.Unit)), int((part+1)*monthsOf(p.Unit))
	first, last = begin+Day(7*c.weeksBefore(from)), begin+Day(7*c.weeksBefore(to))-1
	if part == parts-1 {
		last = c.weekYearEnd(year)
	}
	return first, last
}

// weeksBefore is how many weeks of a year lie before its month number m, from
// 0.
func (c Calendar) weeksBefore(m int) int {
	weeks := 13 * (m / 3)
	for i := range m % 3 {
		weeks += c.Weeks.Pattern[i]
	}
	return weeks
}
