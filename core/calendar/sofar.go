package calendar

// ToDateTo is the calendar as it stands on a day on which a period is still running: every
// period that is longer than a day has as many days as that of its length has had by
// then, and no more, so that what runs is held against as much of what was. Windows with
// a name that run on the day end on it; others are whole.
func (c Calendar) ToDateTo(day Day) Calendar {
	c.toDate, c.isToDate = day, true
	return c
}

// ToDate is the day up to which periods that run are taken; false where all are whole.
func (c Calendar) ToDate() (Day, bool) { return c.toDate, c.isToDate }

// Cut says whether a period lacks days that it will have, or had.
func (c Calendar) Cut(p Period) bool {
	_, last := c.Span(p)
	_, whole := c.Whole(p)
	return last != whole
}

// Span is the first and the last day of a period; both belong to it.
func (c Calendar) Span(p Period) (first, last Day) {
	first, last = c.Whole(p)
	if !c.isToDate {
		return first, last
	}
	if p.Unit == Named {
		if first <= c.toDate {
			last = min(last, c.toDate)
		}
		return first, last
	}
	begun, ends := c.Whole(c.Of(p.Unit, c.toDate))
	if c.toDate < ends {
		last = min(last, first+(c.toDate-begun))
	}
	return first, last
}

// Words is the form for people: 31 Oct 2026, week 44 of 2026, Oct 2026 or
// period 10 of 2026, Q4 2026, H2 2026, 2026, and the title of a window; of one that is
// taken so far "Oct 2026 to 20 Oct".
func (c Calendar) Words(p Period) string {
	if !c.isToDate || !c.Cut(p) {
		return c.words(p)
	}
	_, last := c.Span(p)
	return c.words(p) + " to " + last.Time().Format("2 Jan")
}
