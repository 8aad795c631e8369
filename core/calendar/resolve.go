package calendar

// Resolved is a period taken to a calendar once: all that work on it asks again and again.
// It holds for the calendar it was resolved in, to date or not, and no longer than that.
type Resolved struct {
	Of          Period
	Key         Key
	Words       string
	First, Last Day

	// Before is the period before it; there is none before the calendar's first.
	Before    Period
	BeforeKey Key
	HasBefore bool
}

// Resolve takes a period to the calendar.
func (c Calendar) Resolve(p Period) Resolved {
	r := Resolved{Of: p, Key: c.Key(p), Words: c.Words(p)}
	r.First, r.Last = c.Span(p)
	if r.Before, r.HasBefore = c.Before(p, 1); r.HasBefore {
		r.BeforeKey = c.Key(r.Before)
	}
	return r
}
